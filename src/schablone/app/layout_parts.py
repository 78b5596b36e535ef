"""The list of what is made and bought, with how many of each."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget
from shiboken6 import isValid

from ..core.formula import FormulaError, parse
from ..core.publish.parts_list import ListedPart, in_all
from ..core.quantity import say_grams
from ..core.words import say_name
from ..worker import talk
from .session import Session
from .widgets.basics import clear, label
from .widgets.lines import KeptLine


class PartsToMake(QWidget):
    """What is made, how many of which can be typed, and what is bought. ``objected``: why what was
    typed cannot be."""

    objected = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        #: What the list shows, and its fields for how many, by part.
        self._listed: list[talk.ListedReport] | None = None
        self._counts: dict[str, KeptLine] = {}
        self.setFixedWidth(400)
        self._lines = QVBoxLayout(self)
        self._lines.setSpacing(4)
        self._lines.setContentsMargins(0, 0, 0, 0)

    def show_parts(self, parts: list[talk.ListedReport]) -> None:
        """Put the list up anew, where it has changed."""
        if parts == self._listed:
            return
        self._listed = parts
        held = self._let_go_of_count()
        clear(self._lines)
        grid_of = QWidget()
        grid = QGridLayout(grid_of)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(1, 1)
        row = 0
        for made, heading in ((True, "MADE"), (False, "BOUGHT")):
            mine = [part for part in parts if part["made"] == made]
            if mine:
                grid.addWidget(label(heading, "group"), row, 0, 1, 3)
                row += 1
            for part in mine:
                grid.addWidget(self._count(part), row, 0, Qt.AlignmentFlag.AlignTop)
                text = QVBoxLayout()
                text.setSpacing(0)
                text.addWidget(label(part["title"], "strong", wrap=True))
                text.addWidget(label(f"{part['size']} · {part['what']}", "small", wrap=True))
                holder = QWidget()
                holder.setLayout(text)
                text.setContentsMargins(0, 0, 0, 0)
                grid.addWidget(holder, row, 1)
                grid.addWidget(self._sums(part), row, 2, Qt.AlignmentFlag.AlignTop)
                row += 1
        self._lines.addWidget(grid_of)
        masses = [(part["mass"], part["count"]) for part in parts]
        self._lines.addWidget(label(in_all(masses), "quiet", wrap=True))
        self._lines.addStretch(1)
        if held is not None and (line := self._counts.get(held[0])) is not None:
            line.setText(held[1])
            line.setFocus()
            line.setCursorPosition(held[2])

    def _let_go_of_count(self) -> tuple[str, str, int] | None:
        """The part whose count is being typed, what stands there, and where the cursor is: the
        list is put up anew, and nothing of it may be lost, or taken for all of it."""
        held = None
        for name, line in self._counts.items():
            if isValid(line) and line.hasFocus():
                held = name, line.text(), line.cursorPosition()
                line.blockSignals(True)
        self._counts = {}
        return held

    def _count(self, part: talk.ListedReport) -> QWidget:
        """How many: of what is made a formula that can be typed."""
        if not part["made"]:
            many = label(f"{part['count']}", "strong")
            many.setFixedWidth(48)
            many.setAlignment(Qt.AlignmentFlag.AlignRight)
            return many
        own = next((one for one in self.session.design.parts if one.name == part["part"]), None)
        line = KeptLine(own.count if own is not None else "1")
        line.setFixedWidth(54)
        line.setAlignment(Qt.AlignmentFlag.AlignRight)
        line.setAccessibleName(f"how many of {part['title']}")
        line.editingFinished.connect(lambda: self._set_count(part["part"], line.text().strip()))
        self._counts[part["part"]] = line
        return line

    def _sums(self, part: talk.ListedReport) -> QWidget:
        mass = "" if part["mass"] is None else say_grams(part["mass"] * part["count"])
        price = part["price"]
        cost = "" if price is None else f"{price * part['count']:.2f} {part['currency']}"
        sums = label("\n".join(text for text in (mass, cost) if text), "quiet")
        sums.setAlignment(Qt.AlignmentFlag.AlignRight)
        return sums

    def _set_count(self, name: str, text: str) -> None:
        own = next((part for part in self.session.design.parts if part.name == name), None)
        if own is None or text == own.count:
            return
        try:
            parse(text)
        except FormulaError as error:
            which = own.title or say_name(name)
            self.objected.emit(f"How many of {which}, “{text}”: {error.what} {error.hint}")
            if (line := self._counts.get(name)) is not None:
                line.setText(own.count)
            return
        self.session.edit(
            lambda design: design.model_copy(
                update={
                    "parts": tuple(
                        part.with_(count=text) if part.name == name else part
                        for part in design.parts
                    )
                }
            ),
            f"{text} of {name}",
        )


def rows_of(parts: Sequence[talk.ListedReport]) -> list[ListedPart]:
    """The list as it is written to a file."""
    return [
        ListedPart(
            part["title"], part["count"], part["made"], part["what"], part["size"],
            part["mass"], part["price"], part["currency"],
        )
        for part in parts
    ]  # fmt: skip
