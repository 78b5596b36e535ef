"""A step is dragged to another place by the sign of its kind, and dropped on the step that is there
now."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QMimeData, QObject, Qt
from PySide6.QtGui import QDrag, QDragEnterEvent, QDropEvent, QMouseEvent

from ...core.design import edit as edits
from ...core.steps.sentence import say_step
from ..widgets.basics import restyle

if TYPE_CHECKING:
    from .step_card import StepCard

#: What is carried while a step is dragged to another place.
MOVED_STEP = "application/x-schablone-step"
#: How wide the picture is that hangs on the pointer, pixels.
_CARRIED = 220


class StepDrag(QObject):
    """Looks after what is dragged from a card and over it."""

    def __init__(self, card: StepCard) -> None:
        super().__init__(card)
        self.card = card
        card.setAcceptDrops(True)
        card.installEventFilter(self)
        card.symbol.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.card.symbol:
            moving = event if event.type() == QEvent.Type.MouseMove else None
            if isinstance(moving, QMouseEvent) and moving.buttons() & Qt.MouseButton.LeftButton:
                self._carry()
                return True
        elif isinstance(event, QDragEnterEvent):
            return self._say_before(event)
        elif event.type() == QEvent.Type.DragLeave:
            self._leave()
            return True
        elif isinstance(event, QDropEvent) and event.type() == QEvent.Type.Drop:
            return self._drop(event)
        return False

    def _carry(self) -> None:
        card = self.card
        drag, data = QDrag(card), QMimeData()
        data.setData(MOVED_STEP, card.name.encode("utf8"))
        drag.setMimeData(data)
        smooth = Qt.TransformationMode.SmoothTransformation
        drag.setPixmap(card.grab().scaledToWidth(_CARRIED, smooth))
        drag.exec(Qt.DropAction.MoveAction)

    def _say_before(self, event: QDragEnterEvent) -> bool:
        """What would break is said before the drop."""
        card, name = self.card, _carried(event)
        if not name or name == card.name:
            return False
        event.acceptProposedAction()
        breaks = edits.would_break(card.session.design, name, card.number - 1)
        card.say_aside(
            "Here " + "; ".join(breaks) + "." if breaks else f"Puts {say_step(name)} here."
        )
        restyle(card, wrong=bool(breaks), hover=not breaks)
        return True

    def _leave(self) -> None:
        card = self.card
        restyle(card, wrong=bool(card.wrong.text()), hover=False)
        card.show_aside()

    def _drop(self, event: QDropEvent) -> bool:
        card, name, to = self.card, _carried(event), self.card.number - 1
        if not name:
            return False
        event.acceptProposedAction()
        self._leave()
        card.session.edit(
            lambda design: edits.move_step(design, name, to), f"move {say_step(name)}"
        )
        return True


def _carried(event: QDropEvent) -> str:
    """The name of the step that is dragged; nothing where it is something else."""
    data = event.mimeData()
    has_step = data.hasFormat(MOVED_STEP)
    return bytes(data.data(MOVED_STEP).data()).decode("utf8") if has_step else ""
