"""What a tie asks of the surfaces that it ties, as numbers that are zero where it holds.

The first of them are what is measured; the rest, such as that two faces whose distance is given
stay parallel, often hold by themselves.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernel.surfaces import Surface
from .states import State

Numbers = NDArray[Any]

#: Directions whose cross product is shorter than this are parallel, and mean to be.
PARALLEL = 1e-6
#: Nearer than this, mm, two axes lie on one line.
ONE_LINE = 1e-6


class TieError(ValueError):
    """A tie that ties nothing as it is: why, and what to do."""

    def __init__(self, what: str, hint: str = "") -> None:
        super().__init__(what)
        self.what, self.hint = what, hint


@dataclass(frozen=True, slots=True)
class Spot:
    """What a tie takes hold of: a plane, a line (an axis, or the edge between two planes) or a
    point (the middle of a ball). ``of`` are the numbers of its surfaces."""

    form: str
    of: tuple[int, ...]

    def parts(self, state: State) -> tuple[Numbers, Numbers]:
        """A point of it and its direction, (..., 3) each."""
        if len(self.of) == 1:
            point, way, _, _ = state.parts(self.of[0])
            return point, way
        (p, m, _, _), (q, n, _, _) = (state.parts(k) for k in self.of)
        way = _cross(m, n)
        size = (way * way).sum(axis=-1)
        # The point of both planes that lies at the height of the first one's own point.
        a, b, c = ((p * m).sum(-1), (q * n).sum(-1), (p * way).sum(-1))
        point = (
            a[..., None] * _cross(n, way) + b[..., None] * _cross(way, m) + c[..., None] * way
        ) / size[..., None]
        return point, way / np.sqrt(size)[..., None]


def spot_of(surfaces: Sequence[Surface | None], faces: Sequence[int], words: str) -> Spot:
    """What a tie takes hold of at a face, or at the edge between two.

    Raises:
        TieError: where there is nothing to take hold of.
    """
    if len(faces) == 1:
        surface = surfaces[faces[0]]
        if surface is None:
            raise TieError(
                f"The {words} is a free surface: there is nothing on it to measure from.",
                "Pick a flat or a round face.",
            )
        form = {"plane": "plane", "ball": "point"}.get(surface.kind, "line")
        return Spot(form, (faces[0],))
    one, other = (surfaces[k] for k in faces)
    rounds = [k for k in faces if (s := surfaces[k]) is not None and s.is_round]
    if rounds:
        return spot_of(surfaces, rounds[:1], words)
    if one is None or other is None:
        return spot_of(surfaces, [k for k in faces if surfaces[k] is None][:1], words)
    if float(np.linalg.norm(_cross(one.way, other.way))) < PARALLEL:
        raise TieError(f"The {words} is none: its two faces are parallel.", "Pick another edge.")
    return Spot("line", tuple(faces))


Residual = Callable[[State], list[Numbers]]


@dataclass(frozen=True, slots=True)
class Equation:
    """What must be zero: ``first`` is what the tie is about, ``rest`` what goes with it. ``now`` is
    what is measured, mm or radians; ``value`` is set into it where it measures something."""

    first: Callable[[State, float], list[Numbers]]
    rest: Residual
    now: float = 0.0
    surfaces: tuple[int, ...] = ()


def _cross(a: Any, b: Any) -> Numbers:
    """The cross product over the last axis, without what the general one takes its time for."""
    a, b = np.asarray(a), np.asarray(b)
    ax, ay, az = a[..., 0], a[..., 1], a[..., 2]
    bx, by, bz = b[..., 0], b[..., 1], b[..., 2]
    return np.stack([ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx], axis=-1)


def _dot(a: Numbers, b: Numbers) -> Numbers:
    return np.asarray((a * b).sum(axis=-1))


def _size(a: Numbers) -> Numbers:
    return np.asarray(np.sqrt((a * a).sum(axis=-1)))


def _none(state: State) -> list[Numbers]:
    return []


def _base(spot: Spot, state: State) -> tuple[Numbers, Numbers]:
    point, way = spot.parts(state)
    return point.real, way.real


def _square_to(way: Numbers) -> tuple[Numbers, Numbers]:
    """Two directions square to one and to each other."""
    aside = np.eye(3)[int(np.argmin(np.abs(way)))]
    x = _cross(way, aside)
    x = x / np.linalg.norm(x)
    return x, _cross(way, x)


def _parallel(one: Spot, other: Spot, state: State) -> Residual:
    """Two directions that stay parallel."""
    x, y = _square_to(_base(one, state)[1])

    def found(now: State) -> list[Numbers]:
        turn = _cross(one.parts(now)[1], other.parts(now)[1])
        return [_dot(turn, x), _dot(turn, y)]

    return found


def _square(one: Spot, other: Spot) -> Residual:
    return lambda now: [_dot(one.parts(now)[1], other.parts(now)[1])]


def distance(one: Spot, other: Spot, along: str, start: State) -> Equation:
    """How far two things are apart.

    Raises:
        TieError: where there is no one distance between them, or none to begin with.
    """
    of = (*one.of, *other.of)
    if along != "straight":
        return _distance_along(one, other, along, start)
    if other.form == "plane" and one.form != "plane":
        one, other = other, one
    (p, m), (q, n) = _base(one, start), _base(other, start)
    if one.form == "plane":
        rest: Residual = _none
        if other.form == "plane":
            if float(np.linalg.norm(_cross(m, n))) > PARALLEL:
                raise TieError(
                    "The two faces are not parallel: they have no one distance.",
                    "Give them an angle, or measure from a face to an edge.",
                )
            rest = _parallel(one, other, start)
        elif other.form == "line" and _has_a_height(other, start) and abs(float(m @ n)) > 0.5:
            if float(np.linalg.norm(_cross(m, n))) > PARALLEL:
                raise TieError("The axis does not stand square on the face.", "Pick another face.")
            rest = _parallel(one, other, start)
            return _to_the_tip(one, other, start, rest)
        elif other.form == "line":
            if abs(float(m @ n)) > PARALLEL:
                raise TieError(
                    "The axis or edge is not parallel to the face: they have no one distance.",
                    "Pick another face, or an edge along it.",
                )
            rest = _square(one, other)
        gap = float((q - p) @ m)
        sign = -1.0 if gap < 0 else 1.0

        def first(now: State, value: float) -> list[Numbers]:
            (p, m), (q, _) = one.parts(now), other.parts(now)
            return [sign * _dot(q - p, m) - value]

        return Equation(first, rest, abs(gap), of)
    if one.form == "line" and other.form == "line":
        if float(np.linalg.norm(_cross(m, n))) > PARALLEL:
            raise TieError(
                "The two axes are not parallel: they have no one distance.",
                "Pick parallel ones, or measure along x, y or z.",
            )
        return _between_lines(one, other, start, _parallel(one, other, start))
    if one.form == "point" and other.form == "point":
        far = float(np.linalg.norm(q - p))
        if far < ONE_LINE:
            raise TieError("The two lie at the same spot.", "Make them concentric.")
        return Equation(
            lambda now, value: [_size(other.parts(now)[0] - one.parts(now)[0]) - value],
            _none, far, of,
        )  # fmt: skip
    return _between_lines(*((one, other) if one.form == "line" else (other, one)), start, _none)


def _has_a_height(spot: Spot, start: State) -> bool:
    """Whether something with an axis has one place along it: the tip of a cone, the middle of a
    ring."""
    surface = start.layout.surfaces[spot.of[0]]
    return len(spot.of) == 1 and surface is not None and surface.kind in ("cone", "ring")


def _to_the_tip(flat: Spot, round_: Spot, start: State, rest: Residual) -> Equation:
    """How far the tip of a cone, or the middle of a ring, is from a face on which its axis
    stands."""

    def high(now: State) -> Numbers:
        (p, m), (q, way, radius, second) = flat.parts(now), now.parts(round_.of[0])
        known = now.layout.surfaces[round_.of[0]]
        if known is not None and known.kind == "cone":
            q = q - (radius * np.cos(second) / np.sin(second))[..., None] * way
        return _dot(q - p, m)

    sign = -1.0 if float(high(start).real) < 0 else 1.0
    return Equation(
        lambda now, value: [sign * high(now) - value],
        rest,
        abs(float(high(start).real)),
        (*flat.of, *round_.of),
    )


def _between_lines(line: Spot, other: Spot, start: State, rest: Residual) -> Equation:
    """How far a line and another line, or a point, are apart, square to the line."""

    def aside(now: State) -> Numbers:
        (p, m), (q, _) = line.parts(now), other.parts(now)
        return np.asarray((q - p) - _dot(q - p, m)[..., None] * m)

    far = float(np.linalg.norm(aside(start).real))
    if far < ONE_LINE:
        raise TieError("The two lie on one line.", "Make them concentric, or pick another.")
    return Equation(
        lambda now, value: [_size(aside(now)) - value], rest, far, (*line.of, *other.of)
    )


def _distance_along(one: Spot, other: Spot, along: str, start: State) -> Equation:
    """How far two things are apart along an axis of the part."""
    axis = "xyz".index(along)
    (p, m), (q, n) = _base(one, start), _base(other, start)
    for spot, way in ((one, m), (other, n)):
        lies = abs(float(way[axis]))
        if (spot.form == "line" and lies > PARALLEL) or (
            spot.form == "plane" and abs(lies - 1) > PARALLEL
        ):
            raise TieError(
                f"Along {along} there is no one distance between the two.",
                "Choose another direction, or other faces.",
            )
    gap = float(q[axis] - p[axis])
    sign = -1.0 if gap < 0 else 1.0

    def first(now: State, value: float) -> list[Numbers]:
        (p, _), (q, _) = one.parts(now), other.parts(now)
        return [sign * (q[..., axis] - p[..., axis]) - value]

    return Equation(first, _none, abs(gap), (*one.of, *other.of))


def radius(surface: int, start: State, times: float, words: str) -> Equation:
    """The radius of a round face, or its diameter where ``times`` is 2.

    Raises:
        TieError: where it has none.
    """
    known = start.layout.surfaces[surface]
    if known is None or known.kind in ("plane", "cone"):
        raise TieError(
            f"The {words} has no one radius.",
            "Pick a hole, a peg, a rounding or a ball; for a cone give its angle.",
        )
    at = 3 if known.kind == "ring" else 2

    def first(now: State, value: float) -> list[Numbers]:
        return [times * now.parts(surface)[at] - value]

    return Equation(first, _none, times * float(start.parts(surface)[at].real), (surface,))


def cone_angle(surface: int, start: State) -> Equation:
    """The whole angle at the tip of a cone."""
    known = start.layout.surfaces[surface]
    assert known is not None
    sign = -2.0 if known.second < 0 else 2.0

    def first(now: State, value: float) -> list[Numbers]:
        return [(sign * now.parts(surface)[3] - value) * now.layout.size]

    return Equation(first, _none, sign * known.second, (surface,))


def angle(one: Spot, other: Spot, start: State) -> Equation:
    """The angle between two faces, a face and an axis, or two axes: from 0 where they lie level to
    90° where they stand square. Residuals are lengths: how far that is off over the whole part.

    Raises:
        TieError: where one of them is a point.
    """
    if "point" in (one.form, other.form):
        raise TieError("A ball has no direction.", "Pick a flat face, or an axis.")
    of = (*one.of, *other.of)
    (_, m), (_, n) = _base(one, start), _base(other, start)
    size = start.layout.size
    cosine, sine = float(m @ n), float(np.linalg.norm(_cross(m, n)))
    sign = -1.0 if cosine < 0 else 1.0
    mixed = (one.form == "plane") != (other.form == "plane")
    now_at = math.atan2(sine, abs(cosine))
    if mixed:
        now_at = math.pi / 2 - now_at
    if sine < PARALLEL:
        level = _parallel(one, other, start)

        def held(now: State, value: float) -> list[Numbers]:
            if abs(value - now_at) > 1e-9:
                raise TieError(
                    "The two are parallel now: to which side they should lean is open.",
                    "Hold the angle, or pick a face that leans already.",
                )
            return [size * part for part in level(now)]

        return Equation(held, _none, now_at, of)

    def first(now: State, value: float) -> list[Numbers]:
        m, n = one.parts(now)[1], other.parts(now)[1]
        level, steep = sign * _dot(m, n), _size(_cross(m, n))
        wanted = math.pi / 2 - value if mixed else value
        return [size * (steep * math.cos(wanted) - level * math.sin(wanted))]

    return Equation(first, _none, now_at, of)


def coincide(one: Spot, other: Spot, start: State, flip: Sequence[Spot] = ()) -> Equation:
    """Two planes, lines or points that are one; with ``flip`` the first one's mirror image is
    meant, behind one plane or the middle between two.

    Raises:
        TieError: where they are not of one form, or look in different directions.
    """
    of = (*one.of, *other.of, *(k for spot in flip for k in spot.of))
    if one.form != other.form and "point" not in (one.form, other.form):
        raise TieError("A face and an axis cannot be one.", "Pick two of the same kind.")

    def image(now: State) -> tuple[Numbers, Numbers]:
        point, way = one.parts(now)
        if not flip:
            return point, way
        at, normal = flip[0].parts(now)
        height = _dot(at, normal)
        if len(flip) > 1:
            height = (height + _dot(flip[1].parts(now)[0], normal)) / 2
        high = _dot(point, normal) - height
        return (
            point - 2 * high[..., None] * normal,
            way - 2 * _dot(way, normal)[..., None] * normal,
        )

    (p, m), (_, n) = image(start), _base(other, start)
    p, m = p.real, m.real
    x, y = _square_to(n)
    if one.form == "point" and other.form == "point":
        axes = (x, y, n)
        return Equation(
            lambda now, _: [_dot(other.parts(now)[0] - image(now)[0], a) for a in axes],
            _none, 0.0, of,
        )  # fmt: skip
    if "point" not in (one.form, other.form) and float(np.linalg.norm(_cross(m, n))) > PARALLEL:
        raise TieError(
            "The two do not look in the same direction.",
            "Pick parallel ones, or hold an angle first.",
        )

    def rest(now: State) -> list[Numbers]:
        if "point" in (one.form, other.form):
            return []
        turn = _cross(image(now)[1], other.parts(now)[1])
        return [_dot(turn, x), _dot(turn, y)]

    line = "line" in (one.form, other.form)
    ways = (x, y) if line else (n,)
    return Equation(
        lambda now, _: [_dot(other.parts(now)[0] - image(now)[0], way) for way in ways],
        rest, 0.0, of,
    )  # fmt: skip


def equal(one: int, other: int, start: State) -> Equation:
    """Two round faces of one radius.

    Raises:
        TieError: where one of them has none.
    """
    first, second = (radius(k, start, 1.0, "face") for k in (one, other))

    def same(now: State, _: float) -> list[Numbers]:
        return [first.first(now, 0.0)[0] - second.first(now, 0.0)[0]]

    return Equation(same, _none, 0.0, (one, other))


def touching(round_: int, flat: int, start: State) -> Equation:
    """A plane and a cylinder that go smoothly into each other."""

    def gap(now: State) -> Numbers:
        middle, (on_it, normal, _, _) = now.parts(round_)[0], now.parts(flat)
        return _dot(middle - on_it, normal)

    sign = -1.0 if float(gap(start).real) < 0 else 1.0

    def first(now: State, _: float) -> list[Numbers]:
        return [sign * gap(now) - now.parts(round_)[2]]

    def rest(now: State) -> list[Numbers]:
        return [_dot(now.parts(round_)[1], now.parts(flat)[1])]

    return Equation(first, rest, 0.0, (round_, flat))


def side_by_side(one: int, other: int, start: State) -> Equation:
    """Two parallel cylinders that go smoothly into each other."""

    def apart(now: State) -> Numbers:
        (p, m, _, _), q = now.parts(one), now.parts(other)[0]
        return _size((q - p) - _dot(q - p, m)[..., None] * m)

    def radii(now: State) -> tuple[Numbers, Numbers]:
        return now.parts(one)[2], now.parts(other)[2]

    far = float(apart(start).real)
    r, s = (float(value.real) for value in radii(start))
    # They touch from outside, or one within the other.
    sign = 1.0 if abs(far - (r + s)) < abs(far - abs(r - s)) else -1.0
    order = 1.0 if sign > 0 or r >= s else -1.0

    def first(now: State, _: float) -> list[Numbers]:
        mine, others = radii(now)
        return [apart(now) - order * (mine + sign * others)]

    return Equation(first, _none, 0.0, (one, other))
