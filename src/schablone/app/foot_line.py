"""The line at the foot of the window: figures of the part, what was just done, what the pointer is
on."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QWidget

from ..core.quantity import plain, say_grams
from ..worker import talk
from .in_all import mass_of, say_mass, say_size
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

    def show_figures(
        self,
        parts: Sequence[talk.PartReport],
        things: Sequence[talk.ThingReport] = (),
        *,
        is_behind: bool = False,
    ) -> None:
        """Volume, mass, surface, centre and size of all parts; mass and centre with what is
        bought. Of parts that are older than the design it is said."""
        figures = _figures(parts, things)
        self.figures.setText(f"last good part: {figures}" if is_behind else figures)


def _figures(parts: Sequence[talk.PartReport], things: Sequence[talk.ThingReport]) -> str:
    """Volume, mass, surface, centre and size of all parts in one line."""
    if not parts:
        return "no part yet"
    volume = sum(part["volume"] for part in parts)
    weighed = [(mass_of(part), part["centre"]) for part in parts]
    alike = len({part["material"] for part in parts}) == 1 and not things
    if alike and any(mass is None for mass, _ in weighed):
        weighed = [(part["volume"], part["centre"]) for part in parts]  # its centre is known yet
    bought = [
        (thing["mass"] * thing["count"], thing["centre"])
        for thing in things
        if thing["mass"] is not None
    ]
    light = sum(thing["count"] for thing in things if thing["mass"] is None)
    whole = [(mass, at) for mass, at in (*weighed, *bought) if mass is not None]
    every = sum(m for m, _ in whole)
    centre = [sum(m * c[i] for m, c in whole) / every for i in range(3)] if every else []
    is_known = bool(centre) and len(whole) == len(weighed) + len(bought)
    said = (
        say_size(parts),
        say_mass(parts),
        f"{plain(volume / 1000, 2)} cm³",
        f"{plain(sum(part['area'] for part in parts) / 100, 1)} cm²",
        f"with what is bought {say_grams(every)}" if bought and is_known else "",
        f"{light} of unknown mass" if light else "",
        "centre " + ", ".join(plain(round(c, 1) + 0.0, 1) for c in centre) if is_known else "",
    )
    return "  ·  ".join(text for text in said if text)
