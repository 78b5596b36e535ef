"""The part under the sheet: its edges as they lie below a sketch, faint, to be brought in."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainterPath

from ...core.kernel.edges import edge_name
from ...worker import talk
from ..view3d.shown import ShownPart

Flat = NDArray[np.float64]


#: Where a point of the drawing is, mm on the sheet.
Where = Callable[[str], tuple[float, float]]


@dataclass(frozen=True, slots=True)
class Held:
    """What a bought part stands on: an element of the drawing, its point or the two ends of its
    line, and where they were when the part was placed."""

    name: str
    points: tuple[str, ...]
    at: Flat

    @classmethod
    def by(cls, name: str, points: tuple[str, ...], where: Where) -> Held:
        return cls(name, points, np.array([where(point) for point in points]))

    def moved(self, now: Where) -> tuple[Flat, Flat] | None:
        """The turn (2, 2) and the shift that bring what is held to where it goes now; None where
        nothing moved."""
        try:
            there = np.array([now(point) for point in self.points])
        except KeyError:  # it was taken away, and the part is not built anew yet
            return None
        if np.abs(there - self.at).max() < 1e-9:
            return None
        turn = np.eye(2)
        if len(self.points) == 2:
            before, after = ((ends[1] - ends[0]) @ (1, 1j) for ends in (self.at, there))
            if abs(before) > 1e-9 and abs(after) > 1e-9:
                c = after / before / abs(after / before)
                turn = np.array([[c.real, -c.imag], [c.imag, c.real]])
        return turn, there[0] - self.at[0] @ turn.T


@dataclass(slots=True)
class Under:
    """Edges (k, 2), mm on the sheet, by name; those that only later steps make are left out.
    ``things`` are those of bought parts, by the step that placed them: they are seen, so that a
    layout can be drawn around them, and cannot be brought in. Those that stand on this sheet are
    ``held`` by a point or a line of it, and go with that while it is dragged."""

    edges: dict[str, Flat] = field(default_factory=dict)
    things: dict[str, list[Flat]] = field(default_factory=dict)
    held: dict[str, Held] = field(default_factory=dict)

    @classmethod
    def of(
        cls, parts: Sequence[ShownPart], frame: talk.DrawingReport, steps_before: frozenset[str]
    ) -> Under:
        axes = np.array([frame["x"], frame["y"]], dtype=np.float64)
        origin = np.array(frame["origin"], dtype=np.float64)
        lines: dict[tuple[str, str], list[Flat]] = {}
        things: dict[str, list[Flat]] = {}
        for part in parts:
            at = 0
            if part.up is not None:
                for length in part.shape.edge_lengths.tolist():
                    line = part.shape.edges[at : at + length].astype(np.float64)
                    mine = things.setdefault(part.name.removeprefix(talk.BOUGHT), [])
                    mine.append((line - origin) @ axes.T)
                    at += length
                continue
            for length, (a, b) in zip(
                part.shape.edge_lengths.tolist(), part.shape.edge_faces, strict=True
            ):
                line = part.shape.edges[at : at + length].astype(np.float64)
                at += length
                faces = (part.faces[a], part.faces[b])
                if length > 1 and all(face["step"] in steps_before for face in faces):
                    first, second = sorted(str(face["name"]) for face in faces)
                    lines.setdefault((first, second), []).append(line)
        flats: dict[str, Flat] = {}
        for pair, mine in lines.items():
            # Counted as the core counts them, so that both mean the same edge by a name.
            mine.sort(key=lambda line: tuple(np.round(line.mean(axis=0), 4)))
            for number, line in enumerate(mine, 1):
                flats[edge_name(*pair, number)] = (line - origin) @ axes.T
        return cls(flats, things)

    def near(self, at: tuple[float, float], reach: float) -> str:
        """The edge nearest to a place, within ``reach`` mm, or an empty string."""
        best, name = reach, ""
        p = np.array(at)
        for edge, line in self.edges.items():
            distance = _distance(line, p)
            if distance < best:
                best, name = distance, edge
        return name

    def thing_near(self, at: tuple[float, float], reach: float, now: Where) -> str:
        """What holds the thing whose outline is nearest to a place, within ``reach`` mm, or an
        empty string."""
        best, name, p = reach, "", np.array(at)
        for step, held in self.held.items():
            for line in self.seen(step, now):
                distance = _distance(line, p)
                if distance < best:
                    best, name = distance, held.name
        return name

    def seen(self, step: str, now: Where) -> list[Flat]:
        """The outlines of what a step placed, with what holds it where that is ``now``."""
        held = self.held.get(step)
        moved = held.moved(now) if held is not None else None
        lines = self.things[step]
        return lines if moved is None else [line @ moved[0].T + moved[1] for line in lines]

    def path(self, name: str, to: Any) -> QPainterPath:
        path = QPainterPath()
        for k, (x, y) in enumerate(self.edges[name].tolist()):
            q: QPointF = to((x, y))
            path.lineTo(q) if k else path.moveTo(q)
        return path


def _distance(line: Flat, p: Flat) -> float:
    a, d = line[:-1], np.diff(line, axis=0)
    square = np.maximum((d * d).sum(1), 1e-18)
    t = np.clip(((p - a) * d).sum(1) / square, 0, 1)
    return float(np.hypot(*(a + t[:, None] * d - p).T).min())
