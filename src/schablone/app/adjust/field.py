"""One size in the adjust window."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from ...core.design import Adjustable, Design
from ...core.formula import FormulaError
from ...core.formula.value_table import ValueTable
from ...core.publish.choices import why_not
from ...core.quantity import TRUTH, Quantity, say
from ...core.words import say_name, sentence
from ..widgets.basics import clear, label
from ..widgets.formula_edit import FormulaEdit

_STEPS = 1000


class Adjusts(Protocol):
    """What holds the sizes: the design, its sheet, and a way to set one."""

    design: Design
    table: ValueTable

    def set_value(self, size: str, formula: str) -> None: ...


class AdjustField(QWidget):
    """One size that may be adjusted: what it is called, its value, a slider within its limits,
    help. What is yes or no has a switch."""

    def __init__(self, window: Adjusts, item: Adjustable) -> None:
        super().__init__()
        self.window_, self.item = window, item
        self._own = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(label(item.label or say_name(item.size), "strong", wrap=True), 1)
        self._edit_place = QHBoxLayout()
        head.addLayout(self._edit_place)
        layout.addLayout(head)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setAccessibleName(item.label or item.size)
        self.slider.valueChanged.connect(self._slid)
        self.range = label("", "small")
        layout.addWidget(self.slider)
        self.range.setWordWrap(True)
        layout.addWidget(self.range)
        self.note = label("", "wrong", wrap=True)
        self.note.hide()
        layout.addWidget(self.note)
        self._shown = ""
        self.edit: FormulaEdit | None = None
        self.switch: QCheckBox | None = None

    def drop(self) -> None:
        """Forget what is typed in it: another value comes."""
        self._shown = ""

    def refresh(self) -> None:
        table, size = self.window_.table, self.window_.design.size(self.item.size)
        cell = table.cells.get(self.item.size)
        why = why_not(table, self.item)
        self.note.setText(sentence(why))
        self.note.setVisible(bool(why))
        if cell is None or size is None or cell.low is None or cell.high is None:
            return
        units = size.units or self.window_.design.units
        kind = cell.wanted.kind
        if kind == TRUTH:
            self._show_switch(bool(cell.asked.value))
            return
        # Outside of its limits it stays what was typed: the files are refused until it is inside.
        text = say(cell.asked, units)
        if text != self._shown:
            self._shown = text
            clear(self._edit_place)
            self.edit = FormulaEdit(text, lambda: self.window_.table, wanted=kind, units=units)
            self.edit.setFixedWidth(130)
            self.edit.line.setAlignment(Qt.AlignmentFlag.AlignRight)
            self.edit.line.setAccessibleName(self.item.label or self.item.size)
            self.edit.committed.connect(lambda typed: self.window_.set_value(self.item.size, typed))
            self._edit_place.addWidget(self.edit)
        ends = f"{say(Quantity(cell.low, kind), units)} to {say(Quantity(cell.high, kind), units)}"
        self.range.setText(f"{ends}. {self.item.help}".strip())
        share = (
            (cell.wanted.value - cell.low) / (cell.high - cell.low) if cell.high > cell.low else 0
        )
        self.slider.blockSignals(True)
        self.slider.setValue(round(share * _STEPS))
        self.slider.blockSignals(False)

    def _show_switch(self, on: bool) -> None:
        self.slider.hide()
        self.range.setText(self.item.help)
        self.range.setVisible(bool(self.item.help))
        if self.switch is None:
            self.switch = QCheckBox()
            self.switch.setAccessibleName(self.item.label or say_name(self.item.size))
            self.switch.clicked.connect(
                lambda on: self.window_.set_value(self.item.size, "yes" if on else "no")
            )
            self._edit_place.addWidget(self.switch)
        self.switch.setChecked(on)
        self.switch.setText("yes" if on else "no")

    def take(self) -> str:
        """Take over what is typed in it. Returns what is wrong with it where it cannot be."""
        wrong = self.edit.take() if self.edit is not None else ""
        return f"{self.item.label or say_name(self.item.size)}: {wrong}" if wrong else ""

    def _slid(self, at: int) -> None:
        size = self.window_.design.size(self.item.size)
        cell = self.window_.table.cells.get(self.item.size)
        if cell is None or size is None or cell.low is None or cell.high is None:
            return
        value = cell.low + (cell.high - cell.low) * at / _STEPS
        step = self._step(size.step)
        value = min(cell.high, max(cell.low, round(value / step) * step))
        self.window_.set_value(
            self.item.size, say(Quantity(value, cell.wanted.kind)).replace("°", " deg")
        )

    def _step(self, formula: str) -> float:
        """By how much the slider goes; by 1 where nobody says, or what is said makes no sense."""
        table = self.window_.table
        try:
            return abs(table.compile(formula).value(table.env()).value) or 1.0
        except FormulaError:
            return 1.0
