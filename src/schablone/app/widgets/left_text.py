"""A few lines of text that report when they were left."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QPlainTextEdit


class LeftText(QPlainTextEdit):
    """``finished`` is emitted with the text when the keyboard goes elsewhere."""

    finished = Signal(str)

    def hold(self, text: str) -> None:
        """Hold what is known elsewhere by now; what is being typed stays."""
        if text == self.toPlainText():
            self.document().setModified(False)
        elif not (self.hasFocus() and self.document().isModified()):
            self.setPlainText(text)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.finished.emit(self.toPlainText())
