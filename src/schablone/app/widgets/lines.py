"""Lines of text: one that holds something, and one that is asked for once. Return takes what was
typed, and so does leaving the line; Escape leaves all as it was."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLineEdit


class KeptLine(QLineEdit):
    """Holds a text that can be typed over; ``editingFinished`` tells when it is to be taken."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self._stood = text
        self.returnPressed.connect(self._stands)

    def _stands(self) -> None:
        self._stood = self.text()

    def hold(self, text: str) -> None:
        """Hold what is known elsewhere by now; what is being typed stays."""
        if self.hasFocus() and self.text() != self._stood:
            return
        if text != self.text():
            self.setText(text)
        self._stood = text

    def focusInEvent(self, event: QFocusEvent) -> None:
        self._stands()
        super().focusInEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.text() != self._stood:
            self.setText(self._stood)
            self.selectAll()
            return
        super().keyPressEvent(event)


class AskedLine(QLineEdit):
    """Asks for a text where it is wanted, with the keyboard at once, and goes when it has it.

    Signals: ``over`` when it goes, and then ``taken`` with the text, unless it was given up.
    """

    over = Signal()
    taken = Signal(str)

    def __init__(self, name: str, text: str = "", placeholder: str = "") -> None:
        """``name`` is how a screen reader calls it."""
        super().__init__(text)
        self._is_over = False
        self.setAccessibleName(name)
        self.setPlaceholderText(placeholder)
        self.editingFinished.connect(lambda: self._end(True))

    def begin(self, *, over_all: bool = True) -> None:
        """Give it the keyboard, once it stands in its place; with ``over_all`` typing replaces what
        is in it, else it goes on after that."""
        self.setFocus()
        if over_all:
            self.selectAll()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._end(False)
        else:
            super().keyPressEvent(event)

    def _end(self, take: bool) -> None:
        if self._is_over:
            return
        self._is_over = True
        text = self.text().strip()
        self.hide()  # it loses the keyboard by that, which is no reason to be asked again
        self.deleteLater()
        self.over.emit()
        if take:
            self.taken.emit(text)
