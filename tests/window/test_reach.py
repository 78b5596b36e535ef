"""Everything can be reached by the keyboard and is called something by a screen reader."""

from __future__ import annotations

from collections import Counter

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible, QAction, QShortcut
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QScrollBar,
    QWidget,
)

from schablone.app.rail import PLACES
from tests.window.hands import Hands

#: Where a shortcut is heard in the whole window.
WIDE = (Qt.ShortcutContext.WindowShortcut, Qt.ShortcutContext.ApplicationShortcut)
CONTROLS = (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
)


def controls(window: QWidget) -> list[QWidget]:
    """What can be worked with and is seen; parts of another control, such as the line of a list to
    choose from, belong to that."""
    found = []
    for widget in window.findChildren(QWidget):
        parent = widget.parentWidget()
        if (
            isinstance(widget, CONTROLS)
            and not isinstance(widget, QScrollBar)
            and widget.isVisible()
            and not widget.visibleRegion().isEmpty()
            and not isinstance(parent, QComboBox | QAbstractItemView)
        ):
            found.append(widget)
    return found


def test_no_key_means_two_things(qtbot, window) -> None:
    for place in PLACES:
        window.go(place)
    window.go("shape")
    hands = Hands(qtbot, window)
    hands.press(Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    assert hands.focus.accessibleName() == "find a size"
    own = [one.key() for one in window.findChildren(QShortcut) if one.context() in WIDE]
    keys = [*own, *(one.shortcut() for one in window.findChildren(QAction) if one.isEnabled())]
    named = Counter(key.toString() for key in keys if not key.isEmpty())
    assert [key for key, times in named.items() if times > 1] == []


@pytest.mark.parametrize("place", PLACES)
def test_every_control_is_called_something(qtbot, window, place: str) -> None:
    window.go(place)
    qtbot.wait(60)
    nameless = []
    for widget in controls(window):
        told = QAccessible.queryAccessibleInterface(widget)
        name = told.text(QAccessible.Text.Name)
        if not name.strip():
            nameless.append(f"{type(widget).__name__} in {type(widget.parentWidget()).__name__}")
    assert not nameless


@pytest.mark.parametrize("place", PLACES)
def test_tab_goes_round_everything(qtbot, window, place: str) -> None:
    """From control to control by Tab, until it comes round; what it never comes to cannot be used
    without a pointer."""
    window.go(place)
    qtbot.wait(60)
    hands = Hands(qtbot, window, pause=0)
    window.setFocus()
    met: list[QWidget] = []
    for _ in range(400):
        hands.press(Qt.Key.Key_Tab)
        focus = QApplication.focusWidget()
        if focus is None or (met and focus is met[0]):
            break
        met.append(focus)
    missed = [
        widget
        for widget in controls(window)
        if widget.isEnabled()
        and widget.focusPolicy() != Qt.FocusPolicy.NoFocus
        and widget not in met
    ]
    said = [
        w.accessibleName() or getattr(w, "text", lambda: "")() or type(w).__name__ for w in missed
    ]
    assert not said
    pointer_only = [
        w for w in controls(window) if w.isEnabled() and w.focusPolicy() == Qt.FocusPolicy.NoFocus
    ]
    assert not [w.accessibleName() or type(w).__name__ for w in pointer_only]
