"""The heading of steps that belong together: folds them, switches them, renames or dissolves the
group."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QMenu

from ...core.design import edit as edits
from ...core.design.model import Design
from ...core.design.stencil_open import is_opened
from ..session import Session
from ..widgets.basics import label, on_hover
from ..widgets.lines import AskedLine
from .stencil_pieces import close_stencil


class StepGroupHead(QFrame):
    """One heading, with how many steps stand under it. A click folds them or opens them again;
    two ask for another name, after the first has folded or opened them."""

    toggled = Signal(str)
    #: Another name is wanted for the group of these steps, by two clicks.
    rename_wanted = Signal(tuple)
    stencil_wanted = Signal(object)

    def __init__(
        self, session: Session, group: str, steps: tuple[str, ...], *, folded: bool
    ) -> None:
        super().__init__()
        self.setObjectName("row")
        self.session, self.group, self.steps = session, group, steps
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._is_pressed = False
        self.setAccessibleName(f"steps {group}, {'folded' if folded else 'open'}")
        on_hover(self, "Click to fold; double-click to rename; right-click for more")
        self._line = QHBoxLayout(self)
        self._line.setContentsMargins(2, 4, 2, 0)
        self.words = label(f"{'▸' if folded else '▾'}  {group.upper()}", "group")
        count = len(steps)
        self._line.addWidget(self.words, 1)
        self._line.addWidget(label(f"{count} step{'s' * (count != 1)}", "small"))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._is_pressed = event.button() == Qt.MouseButton.LeftButton

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._is_pressed:
            self._is_pressed = False
            self.toggled.emit(self.group)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._is_pressed = False  # it may come after a press of its own
        self.rename_wanted.emit(self.steps)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.hasFocus():
            super().keyPressEvent(event)  # its line for another name has left it over
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.toggled.emit(self.group)
        elif event.key() == Qt.Key.Key_F2:
            self.rename()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu().exec(event.globalPos())

    def menu(self) -> QMenu:
        menu = QMenu(self)
        menu.addAction("Rename", self.rename)
        on = any(step.on for step in self.session.design.steps if step.name in self.steps)
        menu.addAction("Switch all off" if on else "Switch all on", lambda: self.switch(not on))
        menu.addAction(
            "Make a stencil of these steps …", lambda: self.stencil_wanted.emit(self.steps)
        )
        design = self.session.design
        for name in (name for name in self.steps if is_opened(design, name)):
            menu.addAction(
                "Close the stencil again", lambda name=name: close_stencil(self.session, name)
            )
        menu.addAction("Dissolve the group", lambda: self._name_it(""))
        return menu

    def switch(self, on: bool) -> None:
        """Switch all steps of the group."""
        names = self.steps

        def change(design: Design) -> Design:
            for name in names:
                design = edits.change_step(design, name, "on", on)
            return design

        self.session.edit(change, f"{self.group}: {'on' if on else 'off'}")

    def rename(self) -> None:
        """Type another name in its place."""
        line = AskedLine(f"new name of the steps {self.group}", self.group)
        self.words.hide()
        self._line.insertWidget(0, line, 1)
        line.over.connect(self.words.show)
        line.taken.connect(lambda new: new and new != self.group and self._name_it(new))
        line.begin()

    def _name_it(self, new: str) -> None:
        self.session.edit(
            lambda design: edits.group_steps(design, self.steps, new),
            f"steps {self.group}: {new or 'no group'}",
        )
