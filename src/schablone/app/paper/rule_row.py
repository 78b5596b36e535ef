"""A line of the list beside the sheet: what must hold, in words, with its formula."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QEnterEvent, QMouseEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QToolButton,
    QVBoxLayout,
)

from ...core.quantity import ANGLE, LENGTH
from ...core.sketch.drawing import Constraint, Dimension
from ..widgets.basics import button, label, on_hover
from ..widgets.formula_edit import FormulaEdit
from .marks import SIGNS

if TYPE_CHECKING:
    from .panel import PaperPanel


class RuleRow(QFrame):
    """One constraint or dimension: sign, sentence, and for a dimension its formula. Signals:
    ``pointed`` with its name while the pointer is on it, else with nothing; ``chosen``."""

    pointed = Signal(str)
    chosen = Signal(str)

    def __init__(
        self, panel: PaperPanel, rule: Constraint | Dimension, words: str, text: str
    ) -> None:
        super().__init__()
        self.setObjectName("row")
        self.panel, self.rule = panel, rule
        self.shown = (rule, words, text)
        self.editor: FormulaEdit | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 3, 4, 3)
        layout.setSpacing(2)
        line = QHBoxLayout()
        line.setSpacing(7)
        sign = label(SIGNS.get(rule.kind, "↔") if isinstance(rule, Constraint) else "↔", "mono")
        sign.setFixedWidth(16)
        sign.setAlignment(Qt.AlignmentFlag.AlignCenter)
        line.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
        line.addWidget(label(words, "", wrap=True), 1)
        self.chip = None
        if isinstance(rule, Dimension):
            self.chip = button(text if len(text) < 17 else f"{text[:15]}…", "chip", self.edit, text)
            self.chip.setAccessibleName(f"{words}: {text}")
            line.addWidget(self.chip, 0, Qt.AlignmentFlag.AlignTop)
        remove = QToolButton()
        remove.setObjectName("plain")
        remove.setText("×")
        remove.setAccessibleName(f"remove: {words}")
        on_hover(remove, "Remove this")
        remove.clicked.connect(lambda: panel.remove([rule.name]))
        line.addWidget(remove, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(line)
        self.instead = None
        if isinstance(rule, Dimension) and not rule.reads:
            self.instead = button(
                "Read it off instead",
                "link",
                lambda: panel.read_off(rule.name),
                "Measure it, not set it",
            )
            self.instead.hide()
            layout.addWidget(self.instead, 0, Qt.AlignmentFlag.AlignRight)
        self.layout_ = layout

    def edit(self) -> None:
        """Type another formula here; a read-off dimension is told how it is used."""
        rule = self.rule
        if not isinstance(rule, Dimension) or self.editor is not None:
            return
        if rule.reads:
            self.panel.desk.said.emit(
                f"It is read off. Use it as {self.panel.desk.name}.{rule.name} in formulas."
            )
            return
        session = self.panel.desk.session
        editor = FormulaEdit(
            rule.formula,
            lambda: session.table,
            wanted=ANGLE if rule.kind == "angle" else LENGTH,
            units=session.units(),
            as_it_is=rule.formula,
        )
        editor.line.tabs_on = True
        editor.onward.connect(lambda way: self.panel.edit_next(rule.name, way))
        editor.committed.connect(lambda text: self.panel.set_formula(rule.name, text))
        editor.made.connect(session.make_size)
        editor.dropped.connect(self._close)
        self.editor = editor
        self.layout_.addWidget(editor)
        editor.begin(self.chip)

    def _close(self) -> None:
        if self.editor is not None:
            editor, self.editor = self.editor, None
            editor.hide()
            editor.deleteLater()

    def enterEvent(self, event: QEnterEvent) -> None:
        self.pointed.emit(self.rule.name)

    def leaveEvent(self, event: QEvent) -> None:
        self.pointed.emit("")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit(self.rule.name)
