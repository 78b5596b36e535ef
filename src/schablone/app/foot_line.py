"""The line at the foot of the window: figures of the part, what was just done, what the pointer is
on."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QWidget

from ..core.quantity import plain
from ..worker import talk
from .widgets.basics import Elided, label

#: How long a line stays, ms.
_STAYS = 9000


class FootLine(QWidget):
    """Figures at the left, said in the middle, the pointer at the right."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(28)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(18, 0, 16, 0)
        layout.setSpacing(20)
        self.figures, self.said, self.pointer = label(""), Elided(""), label("")
        self.said.setAlignment(Qt.AlignmentFlag.AlignRight)
        layout.addWidget(self.figures)
        layout.addWidget(self.said, 1)
        layout.addWidget(self.pointer)
        self._fades = QTimer(self, singleShot=True, interval=_STAYS)
        self._fades.timeout.connect(lambda: self.said.set_whole(""))

    def say(self, text: str) -> None:
        """A line that fades."""
        self.said.set_whole(text)
        self._fades.start()

    def show_figures(self, parts: Sequence[talk.PartReport]) -> None:
        """Volume, mass, surface, centre and size of all parts."""
        self.figures.setText(_figures(parts))


def _figures(parts: Sequence[talk.PartReport]) -> str:
    """Volume, mass, surface, centre and size of all parts in one line."""
    if not parts:
        return "no part yet"
    volume = sum(part["volume"] for part in parts)
    masses = [part["volume"] * part["density"] / 1000 for part in parts]
    boxes = [part["bounds"] for part in parts]
    sizes = [max(b[1][i] for b in boxes) - min(b[0][i] for b in boxes) for i in range(3)]
    centre = [
        sum(m * part["centre"][i] for m, part in zip(masses, parts, strict=True)) / sum(masses)
        for i in range(3)
    ]
    made_of = ", ".join(dict.fromkeys(part["material"] for part in parts))
    said = (
        " × ".join(plain(length, 2) for length in sizes) + " mm",
        f"{plain(sum(masses), 1)} g of {made_of}",
        f"{plain(volume / 1000, 2)} cm³",
        f"{plain(sum(part['area'] for part in parts) / 100, 1)} cm²",
        "centre " + ", ".join(plain(round(c, 1) + 0.0, 1) for c in centre),
    )
    return "  ·  ".join(said)
