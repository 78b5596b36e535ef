"""What an empty design says in the middle of the view: what to do first."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from ..session import Session
from ..widgets.basics import button, label

_WIDE = 470


class FirstStart(QFrame):
    """Lies in the middle of the view as long as there is no step. Three starts: ``draw``,
    ``type_sizes``, ``example``."""

    draw = Signal()
    type_sizes = Signal()
    example = Signal()

    def __init__(self, session: Session, view: QWidget) -> None:
        super().__init__(view)
        self.setObjectName("card")
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(22, 18, 22, 18)
        layout.setSpacing(10)
        self.head = label("", "heading")
        layout.addWidget(self.head)
        self.said = label("", "", wrap=True)
        layout.addWidget(self.said)
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(
            button(
                "Draw an outline",
                "main",
                self.draw.emit,
                "A sketch on the ground; it becomes a part when it is raised",
            )
        )
        self.sizes = button(
            "Type sizes", "", self.type_sizes.emit, "Begin with what is known: width = 120 mm"
        )
        row.addWidget(self.sizes)
        self.examples = button(
            "Begin from an example", "", self.example.emit, "Demo designs, opened as copies"
        )
        row.addWidget(self.examples)
        row.addStretch(1)
        layout.addLayout(row)
        view.installEventFilter(self)
        session.changed.connect(self.refresh)
        session.taken.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Say what comes next; nothing once there is a step."""
        design = self.session.design
        self.setVisible(not design.steps)
        if design.sizes:
            self.head.setText("The sizes are there")
            self.said.setText(
                "Draw what they measure. A figure on the drawing takes the name of a size, or "
                "a formula of some."
            )
        else:
            self.head.setText("Nothing here yet")
            self.said.setText(
                "A part begins with an outline that is raised, and with the sizes that it "
                "hangs on. Either may come first."
            )
        self.examples.setVisible(not design.sizes)
        self._place()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._place()
        return False

    def _place(self) -> None:
        parent, layout = self.parentWidget(), self.layout()
        if parent is None or layout is None or self.isHidden():
            return
        wide = min(_WIDE, parent.width() - 24)
        layout.activate()
        self.setFixedSize(wide, layout.totalHeightForWidth(wide))
        self.move((parent.width() - wide) // 2, max(12, (parent.height() - self.height()) * 2 // 5))
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
