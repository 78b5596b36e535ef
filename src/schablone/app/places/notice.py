"""What lies over the part for a while: work that takes long, or why the part is not new."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QProgressBar, QVBoxLayout

from ...core.words import say_name
from ..view3d.view import PartView
from ..widgets.basics import button, label


class Notice(QFrame):
    """Lies over the view: work that takes long, with a way to give it up, or why the part is not
    new."""

    cancelled = Signal()

    def __init__(self, view: PartView) -> None:
        super().__init__(view)
        self.setObjectName("warning")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 9)
        layout.setSpacing(5)
        self.said = label("", "", wrap=True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.give_up = button("Give up", "link", self.cancelled.emit, "Give up this rebuild")
        layout.addWidget(self.said)
        layout.addWidget(self.bar)
        layout.addWidget(self.give_up, 0, Qt.AlignmentFlag.AlignLeft)
        self.hide()
        view.installEventFilter(self)

    def eventFilter(self, watched: Any, event: Any) -> bool:
        if event.type() == event.Type.Resize:
            self._place()
        return False

    def _place(self) -> None:
        parent = self.parentWidget()
        width = min(460, parent.width() - 24)
        layout = self.layout()
        if layout is not None:
            layout.activate()
            self.setFixedSize(width, layout.totalHeightForWidth(width))
        self.move((parent.width() - width) // 2, 12)

    def show_work(self, step: int, steps: int, name: str) -> None:
        # Before the first step there is nothing to name yet: the kernel is being started.
        words = f"Building step {step + 1} of {steps}: {say_name(name)}" if name else "Building …"
        self.said.setText(words)
        self.bar.setRange(0, max(1, steps))
        self.bar.setValue(step)
        self.bar.show()
        self.give_up.show()
        self._appear()

    def show_trouble(self, text: str) -> None:
        self.said.setText(text)
        self.bar.hide()
        self.give_up.hide()
        self._appear()

    def _appear(self) -> None:
        self.show()
        self.raise_()
        self._place()
