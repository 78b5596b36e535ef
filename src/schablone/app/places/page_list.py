"""A list on a page: a heading, rows in columns, and a note below; no wider than numbers can stand
beside their words."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from ..widgets.basics import label

#: How wide a list is at most, pixels.
WIDEST = 860


class PageList(QWidget):
    """``above`` holds what stands between heading and rows, ``rows`` the rows, ``below`` what
    follows them. The first column takes the room that is left."""

    def __init__(self, heading: str, *, apart: int = 14) -> None:
        super().__init__()
        self.setMaximumWidth(WIDEST)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 10, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(label(heading, "group"))
        self.above, self.below = QVBoxLayout(), QVBoxLayout()
        self.rows = QGridLayout()
        self.rows.setHorizontalSpacing(apart)
        self.rows.setVerticalSpacing(4)
        self.rows.setColumnStretch(0, 1)
        for part in (self.above, self.rows, self.below):
            layout.addLayout(part)
