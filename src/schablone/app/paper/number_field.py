"""The field on the sheet of paper in which a number, a formula or ``name = formula`` is typed."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QWidget

from ...core.quantity import ANGLE, LENGTH
from ..session import Session
from ..widgets.formula_edit import FormulaEdit

#: How wide it is, and how much room there is for it to the right and below, pixels.
_WIDE, _RIGHT, _BELOW = 230, 240, 60


class NumberField:
    """Shown over a sheet, one at a time; ``edit`` is the one that is open."""

    def __init__(self, sheet: QWidget, session: Session) -> None:
        self.sheet, self.session = sheet, session
        self.edit: FormulaEdit | None = None

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
        self.close()
        session, sheet = self.session, self.sheet
        edit = self.edit = FormulaEdit(
            "",
            lambda: session.table,
            wanted=ANGLE if angle else LENGTH,
            units=session.units(),
            placeholder=placeholder,
            as_it_is=as_it_is,
        )
        edit.setParent(sheet)
        edit.setFixedWidth(_WIDE)
        edit.line.setText(text)
        edit.committed.connect(take)
        edit.made.connect(session.make_size)
        edit.dropped.connect(self.close)
        edit.move(min(at.x(), sheet.width() - _RIGHT), min(at.y(), sheet.height() - _BELOW))
        edit.show()
        edit.adjustSize()
        edit.line.setFocus()
        edit.line.textEdited.connect(lambda _: edit.adjustSize())
        if text and edit.line.text():
            edit.line.textEdited.emit(text)
        return edit

    def close(self) -> None:
        """Take it away, and give the keyboard back to the sheet."""
        if self.edit is not None:
            edit, self.edit = self.edit, None
            edit.hide()
            edit.deleteLater()
            self.sheet.setFocus()
