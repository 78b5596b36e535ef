"""The first column of a calibration: which test piece is made, of which stock, or by which practice
machine; and the states that the process had before."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from ...core.practice import machines_for
from ...core.process import Process
from ...core.process.known import Stock
from ...core.process.model import State
from ...core.quantity import plain
from ..widgets.basics import button, clear, label, on_hover

#: On how many days a practice machine can be tried.
_DAYS = 5
#: The days of so many states are told.
_TOLD = 3


class MakeColumn(QVBoxLayout):
    """Signals: ``piece_chosen`` with the name of the test piece, also where it is to be cut from
    another stock, ``file_wanted``, ``practice_wanted``, ``states_wanted``."""

    piece_chosen = Signal(str)
    file_wanted = Signal()
    practice_wanted = Signal()
    states_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setSpacing(8)
        self.title = label("", "heading")
        self.words = label("", "", wrap=True)
        self.addWidget(self.title)
        self.piece = QComboBox()
        self.piece.setAccessibleName("test piece")
        self.piece.activated.connect(lambda _: self.piece_chosen.emit(self.chosen))
        self.addWidget(self.piece)
        self.addWidget(self.words)
        self.addWidget(
            button(
                "Save the file …",
                "",
                self.file_wanted.emit,
                "The test piece as a file for your machine",
            ),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )
        self.stock = QComboBox()
        self.stock.setAccessibleName("stock that the test piece is cut from")
        self.stock.activated.connect(lambda _: self.piece_chosen.emit(self.chosen))
        self.addWidget(self.stock)
        self.addSpacing(14)
        self.nobody = self._practising()
        self.addWidget(self.nobody)
        self.addSpacing(14)
        self.states_title = label("EARLIER STATES", "group")
        self.addWidget(self.states_title)
        self._states = QVBoxLayout()
        self.addLayout(self._states)
        self.addStretch(1)

    def _practising(self) -> QWidget:
        whole = QWidget()
        within = QVBoxLayout(whole)
        within.setContentsMargins(0, 0, 0, 0)
        within.setSpacing(8)
        within.addWidget(label("NO MACHINE AT HAND?", "group"))
        within.addWidget(
            label(
                "A practice machine takes the same file, makes the piece and measures it. What "
                "it does is hidden.",
                "small",
                wrap=True,
            )
        )
        self.practice = QComboBox()
        self.practice.setAccessibleName("practice machine")
        within.addWidget(self.practice)
        self.practice_day = QComboBox()
        self.practice_day.addItems([f"on day {day}" for day in range(1, _DAYS + 1)])
        self.practice_day.setAccessibleName("day of the practice machine")
        on_hover(
            self.practice_day,
            "Machines differ from day to day; a second piece on another day shows by how much",
        )
        within.addWidget(self.practice_day)
        within.addWidget(
            button(
                "Make it there and measure", "", self.practice_wanted.emit, "Fills the readings"
            ),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )
        return whole

    @property
    def chosen(self) -> str:
        """The name of the chosen test piece's design."""
        return str(self.piece.currentData())

    @property
    def cut_from(self) -> Stock | None:
        """The stock that it is cut from, as it was when calibrating began; None where there is
        none."""
        return Stock.model_validate(data) if (data := self.stock.currentData()) else None

    @property
    def day(self) -> int:
        """On which day the practice machine makes it, from 1."""
        return 1 + self.practice_day.currentIndex()

    def begin(self, process: Process, pieces: Sequence[tuple[str, str]]) -> None:
        """Offer test pieces for a process: what each is for, and the name of its design."""
        self.stock.clear()
        for stock in process.stock:
            self.stock.addItem(f"{stock.name} ({plain(stock.measured, 2)} mm)", stock.model_dump())
        self.stock.setVisible(process.family == "cut" and bool(process.stock))
        self.practice.clear()
        self.practice.addItems(list(machines_for(process.kind)))
        self.piece.clear()
        for words, name in pieces:
            self.piece.addItem(f"for {words}", name)

    def show_states(self, history: Sequence[State]) -> None:
        """Tell of the states that a process had before, the oldest first."""
        clear(self._states)
        self.states_title.setVisible(bool(history))
        if not history:
            return
        dates = ", ".join(state.date or "at first" for state in reversed(history[-_TOLD:]))
        more = " …" if len(history) > _TOLD else ""
        self._states.addWidget(label(f"{dates}{more}", "small", wrap=True))
        self._states.addWidget(
            button(
                "Compare, or go back …",
                "link",
                self.states_wanted.emit,
                "The states of this process side by side",
            ),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )
