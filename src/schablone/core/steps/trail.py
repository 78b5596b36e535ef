"""A row along a curve: members at even distances on a drawn path, turned with it or not."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

import numpy as np

from ..kernel.frame import Frame, add, as_vector, cross
from ..kernel.motion import Motion, as_rows
from ..model import FormulaText, Identifier
from ..quantity import COUNT, LENGTH, Kind
from ..sketch.chain import chained
from ..sketch.curves import Bezier, Curve, EllipticArc, Segment
from .base import Slot
from .choosing import sketch_of
from .repeating import MOST_MEMBERS, Repeats, whole
from .sentence import ChoicePiece, FormulaPiece, Sentence, SentencePiece, StepPiece, Words
from .workshop import Feature, Outlines, StepError, Workshop


class Trail(Repeats):
    """Repeats a step or the part along the curves of a sketch. The first member stays where the
    step stands.

    ``how``: a given count evenly from end to end, or as many as the path has room for at a pitch.
    With ``turned`` each member is turned as the path turns.
    """

    order = 45
    title = "Row along a curve"
    purpose = "Repeat a step along a drawn curve"
    also = "repeat path curve array"
    repeatable = True
    refers = ("of", "path")

    kind: Literal["trail"] = "trail"
    path: Identifier | Literal[""] = ""
    how: Literal["count", "pitch"] = "count"
    count: FormulaText = "5"
    pitch: FormulaText = "10 mm"
    turned: Literal["turned", "straight"] = "turned"

    def slots(self) -> tuple[Slot, ...]:
        by = (
            Slot("pitch", self.pitch, "pitch")
            if self.how == "pitch"
            else Slot("count", self.count, "count", COUNT)
        )
        return (by, *self.omit_slots(("number", "count")))

    def measures(self) -> Mapping[str, Kind]:
        """How many there are and how far apart, along the curve."""
        return {"count": COUNT, "pitch": LENGTH}

    def sentence(self) -> Sentence:
        start: list[SentencePiece] = [
            Words("row of"),
            *self.say_what(),
            Words("along"),
            StepPiece("path", ("sketch",)),
        ]
        how: list[SentencePiece] = [
            ChoicePiece(
                "how",
                {"count": "evenly, in all", "pitch": "as many as there is room for, one every"},
            )
        ]
        how += [
            FormulaPiece(self.how),
            ChoicePiece("turned", {"turned": "turned with the curve", "straight": "all upright"}),
        ]
        return (tuple(start), tuple(how), *self.say_omit())

    def measure(self, shop: Workshop) -> dict[str, float]:
        *_, count, gap = self._spread(shop)
        return {"count": float(count), "pitch": gap}

    def feature(self, shop: Workshop) -> Feature:
        drawing, path, lengths, count, gap = self._spread(shop)
        total = math.fsum(lengths)
        first: Frame | None = None
        motions: dict[tuple[int, ...], Motion] = {}
        for k in range(count):
            spot, way = _at(path, lengths, min(k * gap, total))
            here = drawing.frame.at(*spot)
            x = as_vector(
                drawing.frame.x[i] * way[0] + drawing.frame.y[i] * way[1] for i in range(3)
            )
            frame = Frame(here, x, cross(drawing.frame.normal, x))
            first = first or frame
            motions[(k + 1,)] = _onto(first, frame, turn=self.turned == "turned")
        return self.repeat(shop, motions)

    def _spread(self, shop: Workshop) -> tuple[Outlines, list[Curve], list[float], int, float]:
        """The drawing, its path, the lengths of its curves, how many members there are, and how far
        apart."""
        drawing = sketch_of(shop, self.path, "path")
        try:
            path, closed = chained(
                drawing.curves or [c for loop in drawing.loops.values() for c in loop.curves]
            )
        except ValueError as error:
            raise StepError(
                f"The sketch “{self.path}” gives no path: {error}.",
                "Draw lines and arcs that follow each other.",
                "path",
            ) from None
        lengths = [curve.length for curve in path]
        total = math.fsum(lengths)
        if self.how == "count":
            count = whole(shop.values["count"], "count", self.count, "count")
            gap = total / max(count, 1) if closed else total / max(count - 1, 1)
        else:
            gap = shop.values["pitch"]
            if gap <= 0:
                raise StepError(
                    f"The pitch is {gap:g} mm; it must be above zero.",
                    f"Change “{self.pitch}”.",
                    "pitch",
                )
            room = math.floor(total / gap + 1e-9)
            count = max(1, room) if closed else room + 1
            if count > MOST_MEMBERS:
                raise StepError(
                    f"There would be about {count:,} members; {MOST_MEMBERS:,} are the most.",
                    f"Make “{self.pitch}” larger.",
                    "pitch",
                )
        return drawing, path, lengths, count, gap


def _onto(first: Frame, frame: Frame, *, turn: bool) -> Motion:
    """The motion that brings one frame onto another, or only its origin."""
    if not turn:
        return Motion.move(add(frame.origin, first.origin, -1.0))
    axes = [(first.x, frame.x), (first.y, frame.y), (first.normal, frame.normal)]
    rows = as_rows((math.fsum(b[i] * a[j] for a, b in axes) for j in range(3)) for i in range(3))
    about = Motion(rows)
    moved = about.point(first.origin)
    return Motion(rows, add(frame.origin, moved, -1.0))


def _at(
    path: list[Curve], lengths: list[float], along: float
) -> tuple[tuple[float, float], tuple[float, float]]:
    """The point so far along a path, and the direction there, of length 1."""
    for curve, length in zip(path, lengths, strict=True):
        if along <= length + 1e-9 or curve is path[-1]:
            break
        along -= length
    share = min(1.0, max(0.0, along / length))
    if isinstance(curve, Segment):
        (ax, ay), (bx, by) = curve.start, curve.end
        return (ax + (bx - ax) * share, ay + (by - ay) * share), (
            (bx - ax) / length,
            (by - ay) / length,
        )
    if isinstance(curve, EllipticArc) and curve.is_circular:
        t = curve.t0 + (curve.t1 - curve.t0) * share
        sign = math.copysign(1.0, curve.t1 - curve.t0)
        return curve.at(t), (-math.sin(t) * sign, math.cos(t) * sign)
    # By length along a curve that has no closed form of it: through points close together.
    if isinstance(curve, Bezier):
        points = np.array(curve.at(np.linspace(0.0, 1.0, 201)))
    else:
        points = np.array([curve.at(t) for t in np.linspace(curve.t0, curve.t1, 201).tolist()])
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    from scipy.interpolate import CubicSpline  # here: most designs do without it

    through = CubicSpline(run / run[-1], points)
    x, y = through(share).tolist()
    dx, dy = through(share, 1).tolist()
    size = math.hypot(dx, dy)
    return (x, y), (dx / size, dy / size)
