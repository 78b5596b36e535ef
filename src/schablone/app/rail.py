"""The rail at the left of the window: the places of work, in the order of the work."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QToolButton, QVBoxLayout, QWidget

from .theme import icon

PLACES = ("shape", "process", "prove", "publish", "learn")


class Rail(QWidget):
    """One button for each place; ``chosen`` names the one that was clicked."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(72)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 14, 0, 14)
        layout.setSpacing(6)
        self.buttons = {place: self._button(place) for place in PLACES}
        for made in self.buttons.values():
            layout.addWidget(made)
        layout.addStretch(1)

    def _button(self, place: str) -> QToolButton:
        made = QToolButton()
        made.setObjectName("rail")
        made.setText(place.capitalize())
        made.setIcon(icon(place, "#E9E4D8"))
        made.setIconSize(QSize(28, 28))
        made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        made.setCheckable(True)
        made.setFixedSize(72, 68)
        made.setAccessibleName(place.capitalize())
        made.clicked.connect(lambda: self.chosen.emit(place))
        return made

    def show_place(self, place: str) -> None:
        """Mark the place that is shown."""
        for name, made in self.buttons.items():
            made.setChecked(name == place)
