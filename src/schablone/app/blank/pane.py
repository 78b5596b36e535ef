"""The lower half of Shape for a folded part: its blank, and its bends in the order in which they
are made."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QEnterEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMenu,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ...core.quantity import plain, say_grams
from ...core.words import sentence
from ...worker.talk import BendReport, BlankReport
from ..widgets.basics import button, clear, label, on_hover, restyle, scrolled
from .drawing import BlankDrawing

#: Columns of the table of bends: head, width in px, and what it says to the pointer.
_COLUMNS = (
    ("", 24, ""),
    ("bent", 78, "Which way, seen from the upper face, and by which angle"),
    ("set to", 50, "The angle that the machine is told, so that it springs back to the wanted one"),
    ("radius", 48, "Inside, mm"),
    ("stop", 58, "From the middle of the bend to the edge that lies at the stop then, mm"),
)
#: The same under *Expected*: within how much they come out.
_EXPECTED = (
    *_COLUMNS[:2],
    ("± angle", 60, "The angle comes within this, in 95 of 100 bends"),
    ("± leg", 60, "A leg comes within this, mm, in 95 of 100 bends"),
    ("radius", 48, "Inside, mm"),
)


class BlankPane(QWidget):
    """Shows the blank of one folded part. ``pointed`` names the faces of what the pointer is on;
    ``sheet_wanted`` asks for the bend sheet of the part as a file."""

    pointed = Signal(frozenset)
    sheet_wanted = Signal(str)
    #: The parts are to be shown bent by a share, from 0 for flat to 1.
    bend_wanted = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self._blanks: list[BlankReport] = []
        self._shown = ""
        self.rows: list[BendRow] = []
        self.title = label("", "strong")
        self.facts = label("", "small", wrap=True)
        self.trouble = label("", "warning", wrap=True)
        self.trouble.hide()
        self.other = QToolButton()
        self.other.setObjectName("plain")
        self.other.setText("Another part ▾")
        self.other.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.other.setMenu(QMenu(self.other))
        self.other.hide()
        head = QHBoxLayout()
        head.setSpacing(10)
        head.addWidget(self.title)
        head.addWidget(self.other)
        head.addStretch(1)
        self.bent = QSlider(Qt.Orientation.Horizontal)
        self.bent.setRange(0, 100)
        self.bent.setValue(100)
        self.bent.setFixedWidth(96)
        self.bent.setAccessibleName("from flat to folded")
        on_hover(self.bent, "The part on its way from flat to folded")
        self.bent.valueChanged.connect(lambda value: self.bend_wanted.emit(value / 100))
        for widget in (label("flat", "small"), self.bent, label("folded", "small")):
            head.addWidget(widget)
        head.addSpacing(8)
        head.addWidget(
            button(
                "Bend sheet …",
                "link",
                lambda: self.sheet_wanted.emit(self._shown),
                "A page with the blank and the table of bends, to go to the machine",
            )
        )
        self.drawing = BlankDrawing()
        self.drawing.pointed.connect(self._point)
        inner = QWidget()
        inner.setObjectName("sheet")
        self._table = QVBoxLayout(inner)
        self._table.setContentsMargins(0, 0, 6, 0)
        self._table.setSpacing(0)
        self.area = scrolled(inner)
        self.area.setObjectName("sheet")
        self.area.setFixedWidth(sum(width for _, width, _ in _COLUMNS) + 26)
        body = QHBoxLayout()
        body.setSpacing(6)
        body.addWidget(self.drawing, 1)
        body.addWidget(self.area)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 7, 8, 8)
        layout.setSpacing(3)
        layout.addLayout(head)
        layout.addWidget(self.facts)
        layout.addWidget(self.trouble)
        layout.addLayout(body, 1)

    def show_blanks(self, blanks: list[BlankReport]) -> None:
        """Show the blank that was shown before, if there still is one of that part, else the
        first."""
        self._blanks = blanks
        self.bent.blockSignals(True)  # what was rebuilt is shown as it is
        self.bent.setValue(100)
        self.bent.blockSignals(False)
        if self._shown not in {blank["part"] for blank in blanks}:
            self._shown = blanks[0]["part"] if blanks else ""
        self.other.setVisible(len(blanks) > 1)
        self.other.menu().clear()
        for blank in blanks:
            self.other.menu().addAction(
                blank["title"], lambda part=blank["part"]: self.show_part(part)
            )
        self._show()

    def show_part(self, part: str) -> None:
        """Show the blank of another part."""
        self._shown = part
        self._show()

    def light(self, face: str) -> None:
        """Light what bears a face of the part."""
        self._mark({face} if face else set())
        self.drawing.light({face} if face else ())

    def _point(self, faces: frozenset[str]) -> None:
        self._mark(faces)
        self.pointed.emit(faces)

    def _mark(self, faces: frozenset[str] | set[str]) -> None:
        for row in self.rows:
            restyle(row, chosen=not faces.isdisjoint(row.bend["faces"]))

    def _show(self) -> None:
        blank = next((blank for blank in self._blanks if blank["part"] == self._shown), None)
        self.drawing.show_blank(blank)
        clear(self._table)
        self.rows = []
        if blank is None:
            return
        sent = blank["lens"] == "sent"
        self.bent.setEnabled(not sent)  # what is sent is flat
        self.title.setText(f"Blank of {blank['title']}")
        wide, high = blank["size"]
        facts = [
            f"{plain(wide, 2)} × {plain(high, 2)} mm",
            f"{plain(blank['area'] / 100, 1)} cm² of {plain(blank['thickness'], 2)} mm "
            f"{blank['material']}",
            "of unknown mass" if blank["mass"] is None else say_grams(blank["mass"]),
            f"cut {plain(blank['cut'] / 1000, 2)} m in {blank['pierces']} pieces",
        ]
        if sent and blank["cutter"]:
            facts.append(f"with the kerf of {blank['cutter']}")
        self.facts.setText("   ·   ".join(facts))
        trouble = blank["trouble"]
        self.trouble.setText(sentence(trouble))
        self.trouble.setVisible(bool(trouble))
        expected = blank["lens"] == "expected"
        self._table.addWidget(_head(_EXPECTED if expected else _COLUMNS))
        for bend in blank["bends"]:
            row = BendRow(bend, expected=expected)
            row.pointed.connect(lambda faces: (self.drawing.light(faces), self._point(faces)))
            self.rows.append(row)
            self._table.addWidget(row)
        if expected and any(bend["within"] is None for bend in blank["bends"]):
            self._table.addWidget(
                label(
                    "— nobody has measured it: bend test strips under Process, Calibrate.",
                    "small",
                    wrap=True,
                )
            )
        if any(not bend["charted"] for bend in blank["bends"]):
            self._table.addWidget(
                label(
                    "~ not in the machine's chart: how long this bend is on the blank is a guess.",
                    "small",
                    wrap=True,
                )
            )
        self._table.addStretch(1)


def _head(columns: tuple[tuple[str, int, str], ...]) -> QWidget:
    row = QWidget()
    line = QHBoxLayout(row)
    line.setContentsMargins(4, 0, 4, 2)
    line.setSpacing(0)
    for words, width, tip in columns:
        cell = label(words, "group" if words else "small")
        cell.setFixedWidth(width)
        on_hover(cell, tip)
        cell.setAlignment(Qt.AlignmentFlag.AlignRight if words else Qt.AlignmentFlag.AlignLeft)
        line.addWidget(cell)
    return row


class BendRow(QFrame):
    """One bend in the table."""

    pointed = Signal(frozenset)

    def __init__(self, bend: BendReport, *, expected: bool = False) -> None:
        super().__init__()
        self.setObjectName("row")
        self.bend = bend
        line = QHBoxLayout(self)
        line.setContentsMargins(4, 2, 4, 2)
        line.setSpacing(0)
        way = "up" if bend["up"] else "down"
        guess = "" if bend["charted"] else "~"
        bent = f"{way} {plain(bend['angle'], 1)}°"
        cells = (f"{bend['order']}{guess}", bent, *self._figures(expected))
        columns = _EXPECTED if expected else _COLUMNS
        for words, (_, width, _) in zip(cells, columns, strict=True):
            cell = label(words, "mono" if width != 24 else "strong")
            cell.setFixedWidth(width)
            cell.setAlignment(
                Qt.AlignmentFlag.AlignLeft if width == 24 else Qt.AlignmentFlag.AlignRight
            )
            line.addWidget(cell)
        self.setAccessibleName(
            f"bend {bend['order']}: {way} by {plain(bend['angle'], 1)}°, set to "
            f"{plain(bend['told'], 1)}°, radius {plain(bend['radius'], 2)} mm, stop "
            f"{plain(bend['stop'], 2)} mm"
        )

    def _figures(self, expected: bool) -> tuple[str, str, str]:
        bend = self.bend
        radius = plain(bend["radius"], 2)
        if not expected:
            return f"{plain(bend['told'], 1)}°", radius, plain(bend["stop"], 2)
        if bend["within"] is None:
            return "—", "—", radius
        leg, turn = bend["within"]
        return f"{turn:.1f}°", f"{leg:.2f}", radius

    def enterEvent(self, event: QEnterEvent) -> None:
        self.pointed.emit(frozenset(self.bend["faces"]))

    def leaveEvent(self, event: QEvent) -> None:
        self.pointed.emit(frozenset())
