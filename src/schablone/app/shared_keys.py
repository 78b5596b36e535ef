"""The keys that a window beside the main one has in common with it: save, undo, redo."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from .session import Session
from .widgets.in_hand import take_over


def share_keys(window: QWidget, session: Session, save: Callable[[], object]) -> None:
    """Give a window these keys. What is being typed in it is taken over before it is saved."""

    def save_it() -> None:
        if not take_over(window):
            save()

    keys = QKeySequence.StandardKey
    for key, does in ((keys.Save, save_it), (keys.Undo, session.undo), (keys.Redo, session.redo)):
        QShortcut(QKeySequence(key), window, does)
