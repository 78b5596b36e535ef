"""Shapes as wholes: what hangs together in a drawing by being drawn to the same points."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from .drawing import ORIGIN, Drawing
from .sparse import clusters
from .system import System

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


def shapes_of(drawing: Drawing) -> list[list[str]]:
    """Names of the points and curves of each shape that is drawn through common points; points that
    are one by a constraint count as common."""
    names = [element.name for element in drawing.elements]
    place = {name: k for k, name in enumerate(names)}
    pairs = [
        (place[element.name], place[used])
        for element in drawing.elements
        for used in element.uses()
        if used != ORIGIN
    ]
    for constraint in drawing.constraints:
        if constraint.kind == "coincident":
            ends = [place[name] for name in constraint.of if name in place]
            pairs += [(ends[0], other) for other in ends[1:]]
    if not names:
        return []
    rows, columns = np.array(pairs, dtype=np.int64).reshape(-1, 2).T
    labels = clusters(len(names), rows, columns)
    count = int(labels.max()) + 1
    return [[names[k] for k in np.flatnonzero(labels == label)] for label in range(count)]


class Wholes:
    """The shapes of a system that move as wholes, by the numbers of their variables."""

    def __init__(self, system: System) -> None:
        self._columns = system.columns
        self._shapes: list[tuple[Ints, Ints]] = []
        self._scales: Floats = np.zeros(0)
        for names in map(set, shapes_of(system.drawing)):
            mine = [(what, at) for (name, what), at in system.at.items() if name in names]
            x, y = (
                np.array([at for what, at in mine if what == axis], dtype=np.int64)
                for axis in ("x", "y")
            )
            if len(x) > 1:
                self._shapes.append((x, y))

    def motions(self, at: Floats) -> Floats:
        """How each shape moves along x and y and turns about its middle, where the variables are
        ``at``, (free, 3 shapes): each motion of length one in the free variables."""
        motions = np.zeros((len(at), 3 * len(self._shapes)))
        for k, (x, y) in enumerate(self._shapes):
            motions[x, 3 * k] = motions[y, 3 * k + 1] = 1.0
            motions[x, 3 * k + 2] = at[y].mean() - at[y]
            motions[y, 3 * k + 2] = at[x] - at[x].mean()
        free = motions[self._columns]
        lengths = np.linalg.norm(free, axis=0)
        self._scales = np.where(lengths > 0, 1 / np.maximum(lengths, 1e-300), 0.0)
        scaled: Floats = free * self._scales
        return scaled

    def moved(self, at: Floats, amounts: Floats) -> Floats:
        """By how much the free variables change where each shape does so much of the motions that
        were asked for last, (3 shapes,). A turn is a turn, however far: by its tangent the shape
        would grow."""
        change = np.zeros(len(at))
        moves = amounts * self._scales
        for (x, y), (dx, dy, turned) in zip(self._shapes, moves.reshape(-1, 3), strict=True):
            c, s = math.cos(turned) - 1, math.sin(turned)
            away_x, away_y = at[x] - at[x].mean(), at[y] - at[y].mean()
            change[x] += dx + c * away_x - s * away_y
            change[y] += dy + s * away_x + c * away_y
        free: Floats = change[self._columns]
        return free
