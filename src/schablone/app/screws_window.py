"""The table of screw clearances: the standard's, and the design's own rows under it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QColor
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ..core.design import edit as edits
from ..core.formula import FormulaError
from ..core.formula.habits import CLEARANCE_HOLES
from ..core.formula.typed import typed_length
from ..core.quantity import plain
from .saving import ask_before_leaving
from .session import Session
from .theme import theme
from .widgets.basics import button, label
from .widgets.cells import can_be_wrong, go_to, mark, unmark

_HEADS = ("screw, mm", "fine, mm", "medium, mm", "coarse, mm", "where from")


class ScrewsWindow(QWidget):
    """Own rows are typed at the foot of the table; they travel with the design and go before the
    standard's."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Screw clearances")
        self.resize(640, 620)
        self.session = session
        self.table = QTableWidget(0, len(_HEADS))
        self.table.setHorizontalHeaderLabels(_HEADS)
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        self.table.horizontalHeader().setDefaultAlignment(left)
        self.table.setAccessibleName("screw clearances")
        can_be_wrong(self.table)
        self.said = label(
            "Used by screw_hole(4 mm), screw_hole_fine and screw_hole_coarse.", "small", wrap=True
        )
        self.wrong = label("", "wrong", wrap=True)
        foot = QHBoxLayout()
        foot.addWidget(
            button(
                "+ own screw",
                "link",
                self.add_row,
                "A row for a screw that the standard does not have",
            )
        )
        foot.addStretch(1)
        foot.addWidget(
            button("Take over", "main", self.take_over, "Put the own rows into the design")
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.addWidget(self.said)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.wrong)
        layout.addLayout(foot)
        for nominal, holes in CLEARANCE_HOLES.items():
            self._put((*(plain(value) for value in (nominal, *holes)), "ISO 273:1979"), own=False)
        self.first_own = self.table.rowCount()
        self._fill()
        session.changed.connect(self._design_changed)

    def _fill(self) -> None:
        """Show the own rows of the design."""
        self.table.setRowCount(self.first_own)
        for row in self.session.design.screws:
            self._put(
                (*(plain(v) for v in (row.nominal, row.fine, row.medium, row.coarse)), row.source),
                own=True,
            )
        self._screws = self.session.design.screws
        self._begun = self._own()

    def _design_changed(self) -> None:
        """Follow the design; what is typed and not taken over yet stays, and that is said."""
        if self.session.design.screws == self._screws:
            return
        if self._own() == self._begun:
            self._fill()
        else:
            self._screws = self.session.design.screws
            self._say("The design has other rows by now. Taking over puts these in their place.")

    def _own(self) -> dict[int, list[str]]:
        """What stands in the own rows, without empty ones."""
        rows = {
            at: [self.table.item(at, column).text().strip() for column in range(len(_HEADS))]
            for at in range(self.first_own, self.table.rowCount())
        }
        return {at: texts for at, texts in rows.items() if any(texts[:4])}

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._own() != self._begun:
            text = "The rows that were typed are not taken over."
            answer = ask_before_leaving(self, text, save="Take them over")
            if answer == "stay" or (answer == "save" and not self.take_over()):
                event.ignore()
                return
        super().closeEvent(event)

    def _put(self, cells: tuple[str, ...], *, own: bool) -> None:
        at = self.table.rowCount()
        self.table.insertRow(at)
        for column, text in enumerate(cells):
            item = QTableWidgetItem(text)
            if not own:
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                item.setForeground(QColor(theme().quiet))
            self.table.setItem(at, column, item)

    def add_row(self) -> None:
        """One more own row, to be typed."""
        self._put(("", "", "", "", ""), own=True)
        self.table.scrollToBottom()
        self.table.setCurrentCell(self.table.rowCount() - 1, 0)
        self.table.editItem(self.table.currentItem())

    def take_over(self) -> bool:
        """Put the own rows into the design; False, with words, where a cell is no number."""
        rows: list[tuple[float, float, float, float, str]] = []
        unmark(self.table)
        for at, texts in self._own().items():
            numbers = [value for text in texts[:4] if (value := typed_length(text)) is not None]
            unread = [k for k, text in enumerate(texts[:4]) if typed_length(text) is None]
            for cell in (self.table.item(at, column) for column in reversed(unread)):
                assert cell is not None
                mark(cell)
                go_to(cell)
            if unread:
                return self._say("Type a length in each of the first four cells.")
            rows.append((numbers[0], numbers[1], numbers[2], numbers[3], texts[4]))
        try:
            edits.put_screws(self.session.design, rows)
        except FormulaError as error:
            return self._say(f"{error.what} {error.hint}".strip())
        self._begun = self._own()
        self.session.edit(lambda design: edits.put_screws(design, rows), "own screw clearances")
        self.wrong.setText("")
        self.said.setText(f"Taken over: {len(rows)} own row{'s' * (len(rows) != 1)}.")
        return True

    def _say(self, text: str) -> bool:
        self.wrong.setText(text)
        return False
