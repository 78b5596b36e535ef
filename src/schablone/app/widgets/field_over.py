"""A field that is typed into where it stands over something else: a dimension on the part, a number
on the sheet."""

from __future__ import annotations

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QWidget

from .formula_edit import FormulaEdit

#: How far from the rim it stays at least, and how much room there is for it below, pixels.
_RIM, _BELOW = 4, 66


class FieldOver:
    """Shown over a widget, one at a time; ``edit`` is the one that is open."""

    def __init__(self, under: QWidget) -> None:
        self.under = under
        self.edit: FormulaEdit | None = None

    def show(self, edit: FormulaEdit, at: QPoint, width: int) -> None:
        """Show a field so wide, as near to a place as it is seen whole."""
        self.close()
        self.edit, under = edit, self.under
        edit.setParent(under)
        edit.setFixedWidth(width)
        right, low = under.width() - width - 2 * _RIM, under.height() - _BELOW - _RIM
        edit.move(min(max(at.x(), _RIM), right), min(max(at.y(), _RIM), low))
        edit.show()
        edit.adjustSize()
        edit.dropped.connect(self.close)

    def close(self) -> None:
        """Take it away, and give the keyboard back to what is under it."""
        if self.edit is not None:
            edit, self.edit = self.edit, None
            edit.hide()
            edit.deleteLater()
            self.under.setFocus()
