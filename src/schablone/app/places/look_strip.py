"""The strip under the part while it is seen at other sizes than the design has: at which, what is
wrong there, and the way back."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from ..widgets.basics import button, label


class LookStrip(QFrame):
    """``closed`` asks for the part of the design again; ``kept`` for its sizes to be those seen."""

    closed = Signal()
    kept = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 8, 12, 10)
        layout.setSpacing(10)
        words = QVBoxLayout()
        words.setSpacing(1)
        self.where, self.why = label("", "strong", wrap=True), label("", "small", wrap=True)
        words.addWidget(self.where)
        words.addWidget(self.why)
        layout.addLayout(words, 1)
        layout.addWidget(
            button("Make these the sizes", "link", self.kept.emit, "An edit that can be undone")
        )
        layout.addWidget(
            button("Back", "link", self.close_strip, "Back to the part as it is (Esc)")
        )
        self.hide()

    def begin(self, where: str, why: str) -> None:
        """Say where one looks, and what is wrong there."""
        self.where.setText(where)
        self.why.setText(why)
        self.show()

    def close_strip(self) -> None:
        """The part as it is; from another place, too, where its design is changed there."""
        if not self.isHidden():
            self.hide()
            self.closed.emit()
