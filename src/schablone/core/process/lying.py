"""How a part lies on the machine that prints it: which of its sides is down.

Layers, shrinkage along z and the bevel of the first layer follow from it, and which holes lie.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

#: The side of a part, as it is drawn, that lies on the bed.
Down = Literal["bottom", "top", "front", "back", "left", "right"]

#: What people call each of them.
SIDES: dict[Down, str] = {
    "bottom": "as it is drawn",
    "top": "turned over",
    "front": "on its front side",
    "back": "on its back",
    "left": "on its left side",
    "right": "on its right side",
}

#: The part's axis that stands upright then, and the turn that brings that side down: about which
#: axis, by how many degrees.
_LAID: dict[Down, tuple[int, int, float]] = {
    "bottom": (2, 0, 0.0),
    "top": (2, 0, 180.0),
    "front": (1, 0, 90.0),
    "back": (1, 0, -90.0),
    "left": (0, 1, -90.0),
    "right": (0, 1, 90.0),
}


def upright_axis(down: Down) -> int:
    """The part's own axis, 0 to 2, that stands upright while it is printed."""
    return _LAID[down][0]


def upwards(down: Down) -> tuple[float, float, float]:
    """The part's own direction that points upwards while it is printed."""
    sign = -1.0 if down in ("top", "back", "right") else 1.0
    x, y, z = (sign if axis == upright_axis(down) else 0.0 for axis in range(3))
    return (x, y, z)


def turn_of(down: Down) -> tuple[int, float]:
    """About which of its axes, and by how many degrees, a part is turned to lie so."""
    return _LAID[down][1:]


def lies(way: Sequence[float], up: int) -> bool:
    """Whether a hole along a direction, of length 1, lies: nearer level than upright by 60°, where
    the axis ``up`` stands upright."""
    return abs(way[up]) < 0.5
