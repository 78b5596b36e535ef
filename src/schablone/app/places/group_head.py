"""The heading of a group of sizes: dragged to move the group, double-clicked to rename it."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, Qt
from PySide6.QtGui import (
    QDrag,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
)
from PySide6.QtWidgets import QFrame, QHBoxLayout

from ...core.design import edit as edits
from ..session import Session
from ..widgets.basics import label, on_hover, restyle
from ..widgets.lines import AskedLine

MOVED_GROUP = "application/x-schablone-group"


class GroupHead(QFrame):
    """One heading. Dropped on another heading, the group goes before that one."""

    def __init__(self, session: Session, group: str) -> None:
        super().__init__()
        self.setObjectName("row")
        self.session, self.group = session, group
        self.setAcceptDrops(True)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"group {group}")
        on_hover(self, "Drag to move the group; double-click to rename it")
        self._line = QHBoxLayout(self)
        self._line.setContentsMargins(0, 0, 0, 0)
        self.words = label(group.upper(), "group")
        self._line.addWidget(self.words, 1)
        self._pressed = False

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = event.button() == Qt.MouseButton.LeftButton

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed:
            self._pressed = False
            drag, data = QDrag(self), QMimeData()
            data.setData(MOVED_GROUP, self.group.encode("utf8"))
            drag.setMimeData(data)
            drag.setPixmap(self.grab())
            drag.exec(Qt.DropAction.MoveAction)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pressed = False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.rename()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.hasFocus() and event.key() == Qt.Key.Key_F2:
            self.rename()
        else:
            super().keyPressEvent(event)

    def rename(self) -> None:
        """Type another name in its place."""
        line = AskedLine(f"new name of the group {self.group}", self.group)
        self.words.hide()
        self._line.addWidget(line, 1)
        line.over.connect(self.words.show)
        line.taken.connect(self._rename_to)
        line.begin()

    def _rename_to(self, new: str) -> None:
        if new != self.group:
            self.session.edit(
                lambda design: edits.rename_group(design, self.group, new),
                f"group {self.group} is now {new}",
            )

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(MOVED_GROUP):
            event.acceptProposedAction()
            restyle(self, hover=True)

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        restyle(self, hover=False)

    def dropEvent(self, event: QDropEvent) -> None:
        restyle(self, hover=False)
        group = bytes(event.mimeData().data(MOVED_GROUP).data()).decode("utf8")
        if group != self.group:
            self.session.edit(
                lambda d: edits.move_group(d, group, self.group), f"move the group {group}"
            )
