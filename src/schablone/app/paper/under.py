"""The part under the sheet: its edges as they lie below a sketch, faint, to be brought in."""

from __future__ import annotations

from collections.abc import Sequence
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


@dataclass(slots=True)
class Under:
    """Edges (k, 2), mm on the sheet, by name; those that only later steps make are left out.
    ``things`` are those of bought parts, wherever they were placed: they are seen, so that a
    layout can be drawn around them, and cannot be brought in."""

    edges: dict[str, Flat] = field(default_factory=dict)
    things: list[Flat] = field(default_factory=list)

    @classmethod
    def of(
        cls, parts: Sequence[ShownPart], frame: talk.DrawingReport, steps_before: frozenset[str]
    ) -> Under:
        axes = np.array([frame["x"], frame["y"]], dtype=np.float64)
        origin = np.array(frame["origin"], dtype=np.float64)
        lines: dict[tuple[str, str], list[Flat]] = {}
        things: list[Flat] = []
        for part in parts:
            at = 0
            if part.up is not None:
                for length in part.shape.edge_lengths.tolist():
                    line = part.shape.edges[at : at + length].astype(np.float64)
                    things.append((line - origin) @ axes.T)
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
        found: dict[str, Flat] = {}
        for pair, mine in lines.items():
            # Counted as the core counts them, so that both mean the same edge by a name.
            mine.sort(key=lambda line: tuple(np.round(line.mean(axis=0), 4)))
            for number, line in enumerate(mine, 1):
                found[edge_name(*pair, number)] = (line - origin) @ axes.T
        return cls(found, things)

    def near(self, at: tuple[float, float], reach: float) -> str:
        """The edge nearest to a place, within ``reach`` mm, or an empty string."""
        best, name = reach, ""
        p = np.array(at)
        for edge, line in self.edges.items():
            distance = _distance(line, p)
            if distance < best:
                best, name = distance, edge
        return name

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
