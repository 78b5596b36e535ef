"""How far the edition is that is being written, and a way to stop it."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from ..widgets.basics import Elided, button


class WritingLine(QWidget):
    """Seen while an edition is written. ``stop_wanted`` is emitted to have it stopped."""

    stop_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.said, self.bar = Elided("", "small"), QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("how far the edition is")
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(3)
        row = QHBoxLayout()
        row.addWidget(self.said, 1)
        row.addWidget(
            button("Stop writing", "link", self.stop_wanted.emit, "Nothing is written then")
        )
        whole.addLayout(row)
        whole.addWidget(self.bar)
        self.hide()

    def begin(self) -> None:
        """Nothing is known yet but that it is on its way."""
        self.said.set_whole("Writing the edition …")
        self.bar.setRange(0, 0)
        self.show()

    def show_at(self, what: str, done: int, of: int) -> None:
        """It is at one of its pieces; so many of all are done."""
        self.said.set_whole(f"{done} of {of} done; now {what}")
        self.bar.setRange(0, of)
        self.bar.setValue(done)
