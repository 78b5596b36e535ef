"""Parts drawn apart along their ways in, so that what lies within is seen."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...core.process.lying import Down, turn_of
from .drawn_mesh import Colour
from .shown import Placing, ShownPart

#: How far apart neighbours are drawn at most, as a share of the largest part's extent.
_FAR = 1.15
#: What parts and faces are tinted with when they are told apart: quiet colours that differ in
#: lightness too.
TINTS: dict[str, Colour] = {
    "sand": (0.79, 0.64, 0.42), "sage": (0.44, 0.57, 0.53), "brick": (0.66, 0.44, 0.38),
    "plum": (0.52, 0.46, 0.64), "straw": (0.76, 0.72, 0.46), "slate": (0.42, 0.48, 0.56),
}  # fmt: skip
#: What is bought looks like: metal, whatever the lens.
BOUGHT: Colour = (0.70, 0.73, 0.75)


def taken_apart(parts: Sequence[ShownPart], share: float) -> list[ShownPart]:
    """The parts moved away from one that stays, by a share from 0 to 1 of the whole way. With
    bought things that is the lowest, else the largest. Other parts go to the side on which they
    lie; what is bought is taken out of the part that stays the way it came in, or hangs below the
    one that it lies in."""
    solid = [k for k, part in enumerate(parts) if len(part.shape.points)]
    made = [k for k in solid if parts[k].up is None]
    if share <= 0 or len(solid) < 2:
        return list(parts)
    bought = len(made) < len(solid)
    base = min(made or solid, key=lambda k: _rank(parts[k], lowest=bought))
    size, middle = _extent(parts[base]), _middle(parts[base])
    offs = {base: np.zeros(3)}
    seen: Counter[tuple[int, int]] = Counter()
    for k in made:
        if k == base:
            continue
        off = _middle(parts[k]) - middle
        axis = int(np.argmax(np.abs(off) / np.maximum(size, 1e-6)))
        sign = 1 if off[axis] >= 0 else -1
        seen[axis, sign] += 1
        offs[k] = np.zeros(3)
        offs[k][axis] = sign * size[axis] * (seen[axis, sign] + 1.4 * bought)
    for k in solid:
        up = parts[k].up
        if up is None:
            continue
        host = min(made or [base], key=lambda j: _off_box(_middle(parts[k]), parts[j]))
        if host == base:
            way = np.array(up, dtype=float)
            offs[k] = way * float(np.abs(way) @ size)
        else:
            offs[k] = offs[host] * 0.72
    shown = list(parts)
    for k, by in offs.items():
        if by.any():
            shown[k] = _moved(parts[k], by * share * _FAR)
    return shown


def _rank(part: ShownPart, *, lowest: bool) -> float:
    """Which part stays comes first."""
    return float(_middle(part)[2]) if lowest else -float(np.prod(_extent(part)))


def _off_box(spot: NDArray[np.floating], part: ShownPart) -> float:
    """How far a point lies off the box around a part; within it, how deep."""
    low, high = part.shape.bounds()
    return float(np.maximum(low - spot, spot - high).max())


def _extent(part: ShownPart) -> NDArray[np.floating]:
    low, high = part.shape.bounds()
    return high - low


def _middle(part: ShownPart) -> NDArray[np.floating]:
    low, high = part.shape.bounds()
    return (low + high) / 2


def _moved(part: ShownPart, by: NDArray[np.floating]) -> ShownPart:
    shape = part.shape
    way = by.astype(np.float32)
    moved = replace(
        shape,
        points=shape.points + way,
        edges=shape.edges + way if len(shape.edges) else shape.edges,
        _boxes=None,
    )
    lines = [
        [[x + float(by[0]), y + float(by[1]), z + float(by[2])] for x, y, z in line]
        for line in part.tabs
    ]
    marks = [
        [[x + float(by[0]), y + float(by[1]), z + float(by[2])] for x, y, z in line]
        for line in part.marks
    ]
    return replace(
        part, shape=moved, tabs=lines, marks=marks, placing=Placing(by.astype(np.float64))
    )


def colours_of(
    parts: Sequence[ShownPart], body: Colour, own: Mapping[str, str], *, apart: bool
) -> list[Colour]:
    """The colour of each part: its ``own`` where it has one; else that of the lens, or where all
    are told ``apart`` the next of the palette. What is bought is like metal."""
    colours: list[Colour] = []
    number = 0
    for part in parts:
        if part.up is not None:
            colours.append(BOUGHT)
            continue
        name = own.get(part.name, "") or (list(TINTS)[number % len(TINTS)] if apart else "")
        number += 1
        colours.append(tinted(body, name))
    return colours


def tinted(body: Colour, name: str) -> Colour:
    """The colour of a body under the lens with one of the palette over it, if one is named."""
    if not name:
        return body
    x, y, z = (p + (q - p) * 0.75 for p, q in zip(body, TINTS[name], strict=True))
    return x, y, z


def laid(part: ShownPart, down: Down) -> ShownPart:
    """A part as it lies on the machine that prints it, in the room that it takes."""
    axis, degrees = turn_of(down)
    if not degrees or not len(part.shape.points):
        return part
    middle = _middle(part)
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    turn = np.array([[1, 0, 0], [0, c, -s], [0, s, c]] if axis == 0 else
                    [[c, 0, s], [0, 1, 0], [-s, 0, c]])  # fmt: skip
    shape = part.shape

    def turned(points: NDArray[np.floating]) -> NDArray[np.floating]:
        around: NDArray[np.float32] = ((points - middle) @ turn.T + middle).astype(np.float32)
        return around

    moved = replace(
        shape,
        points=turned(shape.points),
        normals=(shape.normals @ turn.T).astype(np.float32),
        edges=turned(shape.edges) if len(shape.edges) else shape.edges,
        _boxes=None,
    )
    placing = Placing(middle - turn @ middle, turn)
    return replace(part, shape=moved, tabs=[], marks=[], placing=placing)
