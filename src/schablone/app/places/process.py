"""Process: the machines that are known, with their habits, and the sizes through the three
lenses."""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from ...core.problem import SchabloneError
from ...core.process import Process
from ...core.process.told_apart import say_spacing, spacing, with_spacing
from ...core.prove.size_report import not_known, size_report
from ...core.words import say_name
from ..reading import read_file
from ..saving import is_sure
from ..session import Session
from ..widgets.basics import button, clear, label, on_hover, restyle, scrolled
from .process_words import card_lines, how_well
from .sizes_by_lens import SizesByLens

#: How high the first line of a card is, pixels.
_HEAD = 28
#: How many parts stand beside each other.
_BESIDE = 4


class ProcessPlace(QWidget):
    """Choose the machine, see what it does to every size."""

    calibrate_wanted = Signal(object)
    edit_wanted = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.cards: dict[str, QFrame] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(28, 20, 28, 18)
        layout.setSpacing(12)
        head = QHBoxLayout()
        head.addWidget(label("Process", "page_title"))
        head.addStretch(1)
        head.addWidget(
            button(
                "Add a process file …", "", self.add_file, "Take a process file into your library"
            )
        )
        layout.addLayout(head)
        layout.addWidget(
            label(
                "You type finished sizes. The machine's habits are kept here, and every size "
                "that is sent is corrected for them.",
                "quiet",
                wrap=True,
            )
        )
        inner = QWidget()
        inner.setObjectName("page")
        self._cards = QHBoxLayout(inner)
        self._cards.setContentsMargins(0, 0, 0, 0)
        self._cards.setSpacing(14)
        scroll = self._scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        layout.addWidget(scroll)
        self.trouble = label("", "wrong", wrap=True)
        self.trouble.hide()
        layout.addWidget(self.trouble)
        self.told = label("", "quiet", wrap=True)
        self.told.hide()
        layout.addWidget(self.told)
        rows = QWidget()
        rows.setObjectName("page")
        self._parts = QGridLayout(rows)
        self._parts.setContentsMargins(0, 0, 8, 0)
        self._parts.setHorizontalSpacing(8)
        self.parts = scrolled(rows, sideways=True)
        layout.addWidget(self.parts)
        self.table_title = label("", "heading")
        layout.addWidget(self.table_title)
        self.not_known = label("", "quiet", wrap=True)
        layout.addWidget(self.not_known)
        self.table = SizesByLens()
        layout.addWidget(self.table, 1)
        session.changed.connect(self.refresh)
        session.read_off.connect(self.refresh)

    def _show_in_use(self) -> None:
        """Scroll to the machine that the design is made by."""
        if (card := self.cards.get(self.session.process.name)) is not None:
            self._scroll.ensureWidgetVisible(card, 20, 0)

    def refresh(self) -> None:
        if not self.isVisible():
            return
        clear(self._cards)
        self.cards = {}
        for process in self.session.library.processes():
            card = self._card(process)
            self.cards[process.name] = card
            self._cards.addWidget(card)
        self._cards.addStretch(1)
        # As high as the card of the machine of which most is known.
        tallest = max((card.sizeHint().height() for card in self.cards.values()), default=0)
        bar = self._scroll.horizontalScrollBar().sizeHint().height()
        self._scroll.setFixedHeight(tallest + bar + 4)
        QTimer.singleShot(0, self._show_in_use)
        self._show_parts()
        self._fill_table()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.told.hide()  # what it told was of what was done before
        self.refresh()

    def _show_parts(self) -> None:
        """By which machine each part is made, where there are several parts."""
        parts = self.session.design.parts if len(self.session.design.parts) > 1 else ()
        self.parts.setVisible(bool(parts))
        self.parts.setFixedHeight(40 * min(2, -(-len(parts) // _BESIDE)) + 4)
        clear(self._parts)
        self.machine_of: dict[str, QComboBox] = {}
        for number, part in enumerate(parts):
            title = part.title or say_name(part.name)
            box = self.machine_of[part.name] = QComboBox()
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            box.setAccessibleName(f"machine that makes {title}")
            box.addItem("as the design", "")
            for process in self.session.library.processes():
                box.addItem(process.name, process.name)
            if part.process and box.findData(part.process) < 0:
                box.addItem(f"{part.process}, not known here", part.process)
            box.setCurrentIndex(max(0, box.findData(part.process)))
            box.activated.connect(
                lambda _, box=box, name=part.name: self.session.make_part_by(
                    name, str(box.currentData())
                )
            )
            row, column = divmod(number, _BESIDE)
            self._parts.addWidget(label(f"{title} by", "quiet"), row, 2 * column)
            self._parts.addWidget(box, row, 2 * column + 1)
            self._parts.setColumnStretch(2 * column + 1, 1)

    def _card(self, process: Process) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        card.setFixedWidth(352)
        in_use = process in self.session.machines_at_work()
        restyle(card, chosen=in_use)
        layout = QVBoxLayout(card)
        layout.setContentsMargins(16, 12, 16, 12)
        layout.setSpacing(8)
        head = QHBoxLayout()
        head.addStrut(_HEAD)
        head.addWidget(label(process.name, "heading"))
        head.addStretch(1)
        mine = [part for part, (machine, _) in self.session.machines.items() if machine is process]
        if in_use:
            head.addWidget(
                label(f"makes {say_name(', '.join(mine))}" if mine else "in use", "good")
            )
        else:
            head.addWidget(
                button(
                    "Use",
                    "link",
                    lambda: self.session.use_process(process),
                    f"Make this design for {process.name}",
                )
            )
        layout.addLayout(head)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(4)
        for row, (words, figure) in enumerate(card_lines(process)):
            grid.addWidget(label(words, "quiet"), row, 0)
            grid.addWidget(label(figure), row, 1)
        grid.setColumnStretch(1, 1)
        if spacing(process):
            grid.addWidget(
                button("Space its fits", "link", lambda: self.space_fits(process),
                       say_spacing(process)),
                grid.rowCount(), 1, Qt.AlignmentFlag.AlignLeft,
            )  # fmt: skip
        layout.addLayout(grid)
        layout.addStretch(1)
        foot = QHBoxLayout()
        foot.addWidget(label(how_well(process), "small"))
        foot.addStretch(1)
        foot.addWidget(
            button(
                "Edit",
                "link",
                lambda: self.edit_wanted.emit(process),
                f"Change the figures of {process.name}",
            )
        )
        foot.addWidget(
            button(
                "Calibrate",
                "link",
                lambda: self.calibrate_wanted.emit(process),
                f"Measure what {process.name} does",
            )
        )
        layout.addLayout(foot)
        on_hover(card, process.note)
        card.setAccessibleName(process.name + (", in use" if in_use else ""))
        return card

    def space_fits(self, process: Process) -> None:
        """Move fits apart that the machine cannot tell from each other; the state before stays."""
        words = say_spacing(process)
        made = with_spacing(process, datetime.date.today().isoformat())
        try:
            self.session.library.keep_process(made, process)
            self.session.process_changed()
            self.refresh()
            self.told.setText(f"{words} Calibrate → Compare, or go back … has the fits before.")
        except SchabloneError as error:
            self.told.setText(str(error))
        self.told.show()

    def _fill_table(self) -> None:
        session = self.session
        lines = size_report(
            session.design, session.measures, session.process, session.table, session.machines
        )
        self.table_title.setText(
            f"Sizes on {' and '.join(p.name for p in session.machines_at_work())}"
        )
        self.not_known.setText(not_known(session.design, session.measures, session.table, lines))
        self.not_known.setVisible(bool(self.not_known.text()))
        self.table.show_lines(lines, several=bool(session.others))

    def add_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Add a process file", "", "Process (*.json)")
        if path:
            self.take_file(Path(path))

    def _may_replace(self, process: Process) -> bool:
        """Ask before figures of a file take the place of those that somebody measured."""
        own = self.session.library.own.items.get(process.name)
        if own is None or own == process:
            return True
        text = (
            f"“{process.name}” is in your library, with figures of your own: "
            f"{how_well(own)}. Those of the file would take their place."
        )
        return is_sure(self, text, "Take those of the file", "Is there already")

    def take_file(self, path: Path) -> None:
        """Take a process file into the library and use it, or say what is wrong with it."""
        try:
            process = read_file(self, "process", path)
            if not self._may_replace(process):
                return
            self.session.library.keep_process(process)
        except SchabloneError as error:
            self.trouble.setText("\n".join(str(problem) for problem in error.problems))
            self.trouble.show()
            return
        self.trouble.hide()
        self.session.use_process(process)
        self.refresh()
