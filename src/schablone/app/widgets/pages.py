"""Pages of one place, with the words above them by which one is chosen."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QWidget

from .basics import button, restyle


class Pages(QStackedWidget):
    """``switch`` is the row of words; it stands where the place wants it."""

    def __init__(self, pages: Mapping[str, QWidget]) -> None:
        super().__init__()
        self.switch = QWidget()
        row = QHBoxLayout(self.switch)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self._words: dict[str, QPushButton] = {}
        for word, page in pages.items():
            self.addWidget(page)
            self._words[word] = button(word, "pill", lambda page=page: self.show_page(page))
            row.addWidget(self._words[word])
        row.addStretch(1)
        self._pages = dict(pages)
        self.show_page(next(iter(pages.values())))

    def show_page(self, page: QWidget) -> None:
        """Show one of them."""
        self.setCurrentWidget(page)
        for word, one in self._pages.items():
            restyle(self._words[word], chosen=one is page)
            self._words[word].setAccessibleDescription("shown" if one is page else "")
