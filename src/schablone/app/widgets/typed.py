"""Letters and digits that are typed where no line of text has the keyboard."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent

#: With these a number or a formula begins.
_BEGINS_NUMBER = frozenset("0123456789.(-−=+")


def typed_text(event: QEvent) -> str:
    """The letter or digit of a key without Ctrl or Alt; empty for any other event or key."""
    if not isinstance(event, QKeyEvent):
        return ""
    others = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
    text = event.text()
    plain = not event.modifiers() & (others | Qt.KeyboardModifier.MetaModifier)
    return text if plain and text.isprintable() and text.strip() else ""


def claims_typing(event: QEvent) -> bool:
    """Whether an event asks if a typed letter is text here; it is then told so, and no command
    takes the letter."""
    if event.type() == QEvent.Type.ShortcutOverride and typed_text(event):
        event.accept()
        return True
    return False


def begins_number(text: str) -> bool:
    """Whether a number or a formula begins with a typed text."""
    return text in _BEGINS_NUMBER
