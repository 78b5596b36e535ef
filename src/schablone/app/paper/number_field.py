"""The field on the sheet of paper in which a number, a formula or ``name = formula`` is typed."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QWidget

from ...core.quantity import ANGLE, LENGTH
from ..session import Session
from ..widgets.field_over import FieldOver
from ..widgets.formula_edit import FormulaEdit

#: How wide it is, pixels.
_WIDE = 230


class NumberField(FieldOver):
    """Shown over a sheet."""

    def __init__(self, sheet: QWidget, session: Session) -> None:
        super().__init__(sheet)
        self.session = session

    def open(
        self,
        text: str,
        placeholder: str,
        take: Callable[[str], object],
        at: QPoint,
        angle: bool = False,
        as_it_is: str = "",
    ) -> FormulaEdit:
        """Open it at a place of the sheet with what was typed already; ``take`` is called with what
        is typed to the end, ``as_it_is`` is what is drawn just now."""
        session = self.session
        edit = FormulaEdit(
            "",
            lambda: session.table,
            wanted=ANGLE if angle else LENGTH,
            units=session.units(),
            placeholder=placeholder,
            as_it_is=as_it_is,
        )
        edit.line.setText(text)
        edit.committed.connect(take)
        edit.made.connect(session.make_size)
        self.show(edit, at, _WIDE)
        edit.line.setFocus()
        edit.line.textEdited.connect(lambda _: edit.adjustSize())
        if text and edit.line.text():
            edit.line.textEdited.emit(text)
        return edit
