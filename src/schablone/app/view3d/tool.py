"""What the pointer can be given to in the view."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter


class PointerTool(Protocol):
    """Is told where the pointer is and where it was clicked, and draws over the part."""

    def hover(self, at: QPointF) -> None: ...
    def click(self, at: QPointF) -> None: ...
    def draw(self, painter: QPainter) -> None: ...
    def key(self, key: Qt.Key) -> bool:
        """Whether the tool took a key."""
        ...
