"""What is being typed when something else is asked for: it is taken over first, as if its field had
been left, so that what is saved is what is seen; and what cannot be taken over is told."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLineEdit, QPlainTextEdit, QStackedWidget, QWidget
from shiboken6 import isValid

from .formula_edit import FormulaEdit


def take_over(window: QWidget) -> str:
    """Take over what is being typed in a window. Returns what is wrong with it where it cannot be;
    it stays in its field then."""
    line = QApplication.focusWidget()
    if line is None or line.window() is not window:
        return ""
    around = _around(line)
    wrong = ""
    if around and isinstance(formula := around[0], FormulaEdit):
        wrong = formula.take()
    elif isinstance(line, (QLineEdit, QPlainTextEdit)):
        line.clearFocus()
        around.insert(0, line)
    if QApplication.focusWidget() is None:
        _give_keyboard(around)
    return wrong


def unfinished(window: QWidget) -> str:
    """What is wrong with something that was typed into a window in the place of a value and left,
    also on a page that lies under another; empty where all that stands there is in force."""
    for one in window.findChildren(FormulaEdit):
        if _is_open(one) and (why := one.unfinished):
            return why
    return ""


def amiss(window: QWidget) -> str:
    """Take over what is being typed in a window. Returns what of all that was typed there cannot
    be; empty where what is seen is in force."""
    return take_over(window) or unfinished(window)


def _is_open(widget: QWidget) -> bool:
    """Whether it can be seen, if only its page is turned up."""
    one: QWidget | None = widget
    while one is not None and not one.isWindow():
        above = one.parentWidget()
        if one.isHidden() and not isinstance(above, QStackedWidget):
            return False
        one = above
    return True


def _around(line: QWidget) -> list[QWidget]:
    """What a line lies in, the nearest first."""
    found, above = [], line.parentWidget()
    while above is not None and not above.isWindow():
        found.append(above)
        above = above.parentWidget()
    return found


def _give_keyboard(widgets: list[QWidget]) -> None:
    """Give the keyboard to the first that is there and takes it."""
    for one in widgets:
        if isValid(one) and one.isVisible() and one.focusPolicy() != Qt.FocusPolicy.NoFocus:
            one.setFocus(Qt.FocusReason.OtherFocusReason)
            return
