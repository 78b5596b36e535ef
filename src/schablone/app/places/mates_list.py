"""Fits between made parts, on the page of checks: each as one row, with the gap that is wanted, the
one that is to be expected, and whether it is the fit that was meant."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal

from ...core.prove.mates import Mate, mates_of, say_mate
from ...core.prove.size_report import not_known, size_report
from ...core.quantity import plain
from ...core.words import say_name
from ..session import Session
from ..widgets.basics import button, clear, label
from .page_list import PageList

_HEADS = ("", "class", "gap wanted", "to be expected", "of this class", "")
_WORDS = {
    "holds": "holds",
    "likely": "holds if all goes as expected",
    "off": "another fit comes out",
}


class MatesList(PageList):
    """``go_to`` names a size that a fit hangs on."""

    go_to = Signal(str, str)

    def __init__(self, session: Session) -> None:
        super().__init__("FITS BETWEEN PARTS", apart=18)
        self.session = session
        self.note = label("", "small", wrap=True)
        self.below.addWidget(self.note)

    def refresh(self) -> None:
        """Show the fits of the design as it was built last."""
        session = self.session
        lines = size_report(
            session.design, session.measures, session.process, session.table, session.machines
        )
        mates = mates_of(session.design, session.measures, lines)
        titles = {part.name: part.title or say_name(part.name) for part in session.design.parts}
        clear(self.rows)
        for column, head in enumerate(_HEADS):
            shown = label(head, "small")
            shown.setAlignment(_side(column))
            self.rows.addWidget(shown, 0, column)
        for row, mate in enumerate(mates, 1):
            self._show(row, mate, say_mate(mate, titles))
        guessed = [mate for mate in mates if not mate.measured]
        guess = (
            "Some figures behind these gaps were not measured on the machine: their ± is as wide "
            "as machines of the kind differ. Calibrate to narrow it."
            if guessed
            else ""
        )
        untold = not_known(session.design, session.measures, session.table, lines, session.process)
        self.note.setText(f"{guess} {untold}".strip())
        self.note.setVisible(bool(self.note.text()))
        self.setVisible(bool(mates))

    def _show(self, row: int, mate: Mate, words: str) -> None:
        off = mate.verdict == "off"
        texts = (
            words,
            mate.word,
            f"{_signed(mate.wanted)} mm",
            f"{_signed(mate.expected)} ± {plain(mate.around, 2)} mm",
            f"{_signed(mate.low)} to {_signed(mate.high)} mm",
            _WORDS[mate.verdict],
        )
        for column, text in enumerate(texts):
            kind = "wrong" if off and column in (0, 5) else "strong" if column == 3 else ""
            shown = label(text, kind)
            shown.setAlignment(_side(column))
            self.rows.addWidget(shown, row, column)
        go = button(
            "Change",
            "link",
            lambda: self.go_to.emit("size", mate.inside),
            f"Go to {say_name(mate.inside)}",
        )
        self.rows.addWidget(go, row, len(texts))


def _side(column: int) -> Qt.AlignmentFlag:
    right = Qt.AlignmentFlag.AlignRight if 2 <= column <= 4 else Qt.AlignmentFlag.AlignLeft
    return right | Qt.AlignmentFlag.AlignVCenter


def _signed(value: float) -> str:
    return plain(value, 2).replace("-", "−")
