"""Where two curves meet, exactly: closed forms for lines and circles, Newton's method for cubic
curves."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from .curves import Bezier, Curve, EllipticArc, Segment
from .mapping import XY

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Span:
    """A curve with a parameter from 0 at its start to 1 at its end; whether it is a piece of one
    that is closed in itself."""

    curve: Curve
    closed: bool = False

    def at(self, t: float) -> XY:
        """The point at a parameter of the curve, mm."""
        curve = self.curve
        if isinstance(curve, Segment):
            (x0, y0), (x1, y1) = curve.start, curve.end
            return x0 + (x1 - x0) * t, y0 + (y1 - y0) * t
        if isinstance(curve, EllipticArc):
            return curve.at(curve.t0 + (curve.t1 - curve.t0) * t)
        return curve.point_at(t)

    def slope(self, t: float) -> XY:
        """Derivative by the parameter, mm."""
        curve = self.curve
        if isinstance(curve, Segment):
            return curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
        if isinstance(curve, EllipticArc):
            sweep = curve.t1 - curve.t0
            angle = curve.t0 + sweep * t
            return -curve.rx * math.sin(angle) * sweep, curve.ry * math.cos(angle) * sweep
        return curve.slope_at(t)

    def turning(self, t: float) -> XY:
        """Second derivative by the parameter."""
        curve = self.curve
        if isinstance(curve, Segment):
            return 0.0, 0.0
        if isinstance(curve, EllipticArc):
            sweep = curve.t1 - curve.t0
            angle = curve.t0 + sweep * t
            return -curve.rx * math.cos(angle) * sweep**2, -curve.ry * math.sin(angle) * sweep**2
        (x0, y0), (x1, y1), (x2, y2), (x3, y3) = curve.start, curve.first, curve.second, curve.end
        a, b = 6 * (1 - t), 6 * t
        return (
            a * (x0 - 2 * x1 + x2) + b * (x1 - 2 * x2 + x3),
            a * (y0 - 2 * y1 + y2) + b * (y1 - 2 * y2 + y3),
        )

    def bend(self, t: float) -> float:
        """Signed curvature, to the left above zero, 1/mm."""
        curve = self.curve
        if isinstance(curve, Segment):
            return 0.0
        if isinstance(curve, EllipticArc) and curve.is_circular:
            return math.copysign(1 / curve.rx, curve.t1 - curve.t0)
        h = 1e-4
        (ax, ay), (bx, by) = self.slope(max(0.0, t - h)), self.slope(min(1.0, t + h))
        dx, dy = self.slope(t)
        share = min(1.0, t + h) - max(0.0, t - h)
        return (dx * (by - ay) - dy * (bx - ax)) / share / max(math.hypot(dx, dy), 1e-12) ** 3

    def part(self, t0: float, t1: float) -> Curve:
        """The piece between two parameters."""
        curve = self.curve
        if isinstance(curve, Segment):
            return replace(curve, start=self.at(t0), end=self.at(t1))
        if isinstance(curve, EllipticArc):
            sweep = curve.t1 - curve.t0
            return replace(curve, t0=curve.t0 + sweep * t0, t1=curve.t0 + sweep * t1)
        return curve.part(t0, t1)

    def nearest(self, p: XY) -> float:
        """The parameter of the point that is nearest to another, mm."""
        curve = self.curve
        if isinstance(curve, Segment):
            dx, dy = self.slope(0)
            square = dx * dx + dy * dy
            t = (
                ((p[0] - curve.start[0]) * dx + (p[1] - curve.start[1]) * dy) / square
                if square
                else 0.0
            )
            return min(1.0, max(0.0, t))
        if isinstance(curve, EllipticArc) and curve.is_circular:
            angle = math.atan2(p[1] - curve.centre[1], p[0] - curve.centre[0])
            return _share_of(curve, angle)
        away = _looked_at(curve) - p
        far = np.concatenate([[np.inf], (away * away).sum(axis=1), [np.inf]])
        # Two places may be nearly as near: each is looked at closely.
        lowest = np.flatnonzero((far[1:-1] <= far[:-2]) & (far[1:-1] <= far[2:])).tolist()
        feet = [self._near_by(p, k / (_LOOKS - 1)) for k in lowest]
        return min(feet, key=lambda t: math.dist(self.at(t), p)) if len(feet) > 1 else feet[0]

    def _near_by(self, p: XY, t: float) -> float:
        """The parameter of the nearest point within one look of a parameter, by Newton's method
        kept between bounds."""
        low, high = max(0.0, t - 1 / (_LOOKS - 1)), min(1.0, t + 1 / (_LOOKS - 1))
        for _ in range(60):
            (x, y), (dx, dy), (ax, ay) = self.at(t), self.slope(t), self.turning(t)
            x, y = x - p[0], y - p[1]
            rising = x * dx + y * dy
            low, high = (low, t) if rising > 0 else (t, high)
            growing = dx * dx + dy * dy + x * ax + y * ay
            after = t - rising / growing if growing > 0 else low
            if not low < after < high:
                after = (low + high) / 2
            if abs(after - t) < 1e-14:
                break
            t = after
        return t


#: At so many places of a cubic curve it is looked for where a point is nearest.
_LOOKS = 33


@lru_cache(maxsize=512)
def _looked_at(curve: Curve) -> Floats:
    """Places all along a curve: it is asked for its nearest to many points."""
    span = Span(curve)
    return np.array([span.at(k / (_LOOKS - 1)) for k in range(_LOOKS)])


def _share_of(arc: EllipticArc, angle: float) -> float:
    """The parameter of an angle on an arc, that of the nearer end where it lies beside it."""
    sweep = arc.t1 - arc.t0
    turned = math.remainder(angle - arc.t0, math.tau) * math.copysign(1.0, sweep)
    turned = turned if turned >= 0 else turned + math.tau
    if turned <= abs(sweep):
        return turned / abs(sweep)
    return 1.0 if turned - abs(sweep) < math.tau - turned else 0.0


#: What counts as touching where nobody says, mm.
_TOUCH = 1e-9


def crossings(first: Span, second: Span, near: float = _TOUCH) -> list[tuple[float, float]]:
    """Parameters at which two curves cross, or touch within ``near`` mm, on the first and on the
    second.

    Curves that lie on one another have no crossings; their ends are found by who asks for touching
    ends.
    """
    a, b = first.curve, second.curve
    if isinstance(a, Segment) and isinstance(b, Segment):
        return _line_line(a, b)
    if isinstance(a, Segment) and isinstance(b, EllipticArc):
        return _line_arc(a, b, near)
    if isinstance(a, EllipticArc) and isinstance(b, Segment):
        return [(t, s) for s, t in _line_arc(b, a, near)]
    if isinstance(a, EllipticArc) and isinstance(b, EllipticArc):
        return _arc_arc(a, b, near)
    return _general(first, second, near)


def _line_line(a: Segment, b: Segment) -> list[tuple[float, float]]:
    ux, uy = a.end[0] - a.start[0], a.end[1] - a.start[1]
    vx, vy = b.end[0] - b.start[0], b.end[1] - b.start[1]
    cross = ux * vy - uy * vx
    if abs(cross) <= 1e-12 * math.hypot(ux, uy) * math.hypot(vx, vy):
        return []
    wx, wy = b.start[0] - a.start[0], b.start[1] - a.start[1]
    s, t = (wx * vy - wy * vx) / cross, (wx * uy - wy * ux) / cross
    return [(s, t)] if 0 <= s <= 1 and 0 <= t <= 1 else []


def _on_arc(arc: EllipticArc, p: XY, slack: float) -> float | None:
    """The parameter of a point that lies on the full circle within ``slack`` mm, or None where it
    is not on the arc."""
    t = _share_of(arc, math.atan2(p[1] - arc.centre[1], p[0] - arc.centre[0]))
    return t if math.dist(Span(arc).at(t), p) <= slack + 1e-9 * (1 + arc.rx) else None


def _line_arc(line: Segment, arc: EllipticArc, near: float) -> list[tuple[float, float]]:
    dx, dy = line.end[0] - line.start[0], line.end[1] - line.start[1]
    length = math.hypot(dx, dy)
    if length == 0:
        return []
    ux, uy = dx / length, dy / length
    wx, wy = arc.centre[0] - line.start[0], arc.centre[1] - line.start[1]
    along, aside = wx * ux + wy * uy, abs(wx * uy - wy * ux)
    if aside > arc.rx + near:
        return []
    # Within reach of the rim it is one touching at the foot of the centre, never two crossings.
    half = 0.0 if aside > arc.rx - near else math.sqrt((arc.rx - aside) * (arc.rx + aside))
    crossings = []
    for s in (along - half, along + half) if half else (along,):
        t = _on_arc(arc, (line.start[0] + ux * s, line.start[1] + uy * s), 0.0 if half else near)
        if t is not None and -1e-12 <= s / length <= 1 + 1e-12:
            crossings.append((min(1.0, max(0.0, s / length)), t))
    return crossings


def _arc_arc(a: EllipticArc, b: EllipticArc, near: float) -> list[tuple[float, float]]:
    dx, dy = b.centre[0] - a.centre[0], b.centre[1] - a.centre[1]
    d = math.hypot(dx, dy)
    if d <= max(1e-9 * (a.rx + b.rx), near) and abs(a.rx - b.rx) <= near + d:
        return []  # on one another
    gap = max(d - (a.rx + b.rx), abs(a.rx - b.rx) - d)
    if gap > near or d == 0:
        return []
    if gap > -near:
        # One touching, in the direction from centre to centre: beyond it where the second holds the
        # first.
        way = -1.0 if d < a.rx + b.rx - near and a.rx < b.rx else 1.0
        spots = [(a.centre[0] + way * dx / d * a.rx, a.centre[1] + way * dy / d * a.rx)]
        slack = near
    else:
        along = (d * d + a.rx * a.rx - b.rx * b.rx) / (2 * d)
        half = math.sqrt(max(0.0, a.rx * a.rx - along * along))
        spots = [
            (a.centre[0] + (dx * along - dy * side) / d, a.centre[1] + (dy * along + dx * side) / d)
            for side in (half, -half)
        ]
        slack = 0.0
    crossings = []
    for p in spots:
        s, t = _on_arc(a, p, slack), _on_arc(b, p, slack)
        if s is not None and t is not None:
            crossings.append((s, t))
    return crossings


def _general(first: Span, second: Span, near: float) -> list[tuple[float, float]]:
    """Crossings of chords, each led to the curves themselves by Newton's method; and touchings,
    where chords come near to each other without crossing."""
    s, p = _chords(first)
    t, q = _chords(second)
    u, v = np.diff(p, axis=0)[:, None], np.diff(q, axis=0)[None, :]
    w = q[:-1][None, :] - p[:-1][:, None]
    cross = u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        a = (w[..., 0] * v[..., 1] - w[..., 1] * v[..., 0]) / cross
        b = (w[..., 0] * u[..., 1] - w[..., 1] * u[..., 0]) / cross
    meet = (a >= -0.05) & (a <= 1.05) & (b >= -0.05) & (b <= 1.05)
    crossings: list[tuple[float, float]] = []
    for i, j in zip(*np.nonzero(meet), strict=True):
        pair = _newton(
            first, second, s[i] + (s[i + 1] - s[i]) * a[i, j], t[j] + (t[j + 1] - t[j]) * b[i, j]
        )
        if pair and all(abs(pair[0] - x) + abs(pair[1] - y) > 1e-7 for x, y in crossings):
            crossings.append(pair)
    for low, high in _near_misses(s, p, q):
        pair = _nearest_pair(first, second, low, high)
        far = math.dist(first.at(pair[0]), second.at(pair[1]))
        if far <= near and all(abs(pair[0] - x) > 1e-6 for x, _ in crossings):
            crossings.append(pair)
    return crossings


def _near_misses(s: Floats, p: Floats, q: Floats) -> list[tuple[float, float]]:
    """Stretches of the first curve on which its chords come nearest to those of the second, as
    parameters."""
    ways = np.diff(q, axis=0)
    square = np.maximum((ways * ways).sum(1), 1e-300)
    w = p[:, None] - q[:-1][None]
    along = np.clip((w * ways[None]).sum(2) / square[None], 0, 1)
    away = np.linalg.norm(w - along[..., None] * ways[None], axis=2).min(axis=1)
    padded = np.concatenate([[np.inf], away, [np.inf]])
    lowest = (away <= padded[:-2]) & (away <= padded[2:]) & (away <= 4 * _CHORD)
    return [
        (float(s[max(0, i - 1)]), float(s[min(len(s) - 1, i + 1)]))
        for i in np.flatnonzero(lowest).tolist()
    ]


def _nearest_pair(first: Span, second: Span, low: float, high: float) -> tuple[float, float]:
    """Where two curves are nearest to each other, looked for on a stretch of the first by golden
    section."""

    def away(s: float) -> float:
        p = first.at(s)
        return math.dist(p, second.at(second.nearest(p)))

    share = (math.sqrt(5) - 1) / 2
    a, b = high - share * (high - low), low + share * (high - low)
    fa, fb = away(a), away(b)
    for _ in range(60):
        if fa < fb:
            high, b, fb = b, a, fa
            a = high - share * (high - low)
            fa = away(a)
        else:
            low, a, fa = a, b, fb
            b = low + share * (high - low)
            fb = away(b)
    s = (low + high) / 2
    return s, second.nearest(first.at(s))


#: How far chords stray from their curve while crossings are looked for, mm.
_CHORD = 0.01


def _chords(span: Span) -> tuple[Floats, Floats]:
    ts = (
        np.array([0.0, 1.0])
        if isinstance(span.curve, Segment)
        else np.linspace(0, 1, len(span.curve.points(_CHORD)) + 1)
    )
    return ts, np.array([span.at(float(t)) for t in ts])


def _newton(first: Span, second: Span, s: float, t: float) -> tuple[float, float] | None:
    for _ in range(20):
        (ax, ay), (bx, by) = first.at(s), second.at(t)
        (ux, uy), (vx, vy) = first.slope(s), second.slope(t)
        cross = -ux * vy + uy * vx
        if abs(cross) < 1e-14 * (math.hypot(ux, uy) * math.hypot(vx, vy) + 1e-300):
            break
        ex, ey = bx - ax, by - ay
        ds, dt = (-ex * vy + ey * vx) / cross, (ux * ey - uy * ex) / cross
        s, t = min(1.001, max(-0.001, s + ds)), min(1.001, max(-0.001, t + dt))
        if abs(ds) + abs(dt) < 1e-14:
            break
    s, t = min(1.0, max(0.0, s)), min(1.0, max(0.0, t))
    (ax, ay), (bx, by) = first.at(s), second.at(t)
    return (s, t) if math.hypot(ax - bx, ay - by) <= 1e-8 else None


def plain_curves(curve: Curve) -> list[Curve]:
    """The curve in pieces that crossings are known for: closed ones halved, ellipses as cubic
    pieces, cubic pieces that turn so far that they might meet themselves divided.

    A cubic piece of an eighth of an ellipse strays from it by 5·10⁻⁸ of its size at most.
    """
    if isinstance(curve, EllipticArc) and not curve.is_circular:
        count = max(1, math.ceil(abs(curve.t1 - curve.t0) / (math.pi / 8) - 1e-9))
        return [_cubic(curve, k / count, (k + 1) / count) for k in range(count)]
    if isinstance(curve, EllipticArc) and curve.is_full:
        span = Span(curve)
        return [span.part(0.0, 0.5), span.part(0.5, 1.0)]
    if isinstance(curve, Bezier):
        return list(_turning_little(curve))
    return [curve]


def _turning_little(curve: Bezier) -> list[Bezier]:
    """A cubic curve in pieces of which none turns by half a turn, so that none meets itself."""
    slopes = curve.slope(np.linspace(0, 1, 65))
    usable = slopes[
        np.linalg.norm(slopes, axis=1) > 1e-9 * max(1e-300, float(np.abs(slopes).max()))
    ]
    steps = np.abs(np.diff(np.unwrap(np.arctan2(usable[:, 1], usable[:, 0]))))
    count = math.ceil(float(steps.sum()) / (0.9 * math.pi) - 1e-9)
    if count < 2 or len(usable) < 65:
        return [curve]
    turned = np.concatenate([[0.0], np.cumsum(steps)])
    at = np.interp(np.linspace(0, turned[-1], count + 1), turned, np.linspace(0, 1, 65)).tolist()
    return [curve.part(a, b) for a, b in itertools.pairwise([0.0, *at[1:-1], 1.0])]


def _cubic(arc: EllipticArc, share0: float, share1: float) -> Bezier:
    sweep = arc.t1 - arc.t0
    t0, t1 = arc.t0 + sweep * share0, arc.t0 + sweep * share1
    k = 4 / 3 * math.tan((t1 - t0) / 4)
    (x0, y0), (x1, y1) = arc.at(t0), arc.at(t1)
    first = (x0 - k * arc.rx * math.sin(t0), y0 + k * arc.ry * math.cos(t0))
    second = (x1 + k * arc.rx * math.sin(t1), y1 - k * arc.ry * math.cos(t1))
    return Bezier((x0, y0), first, second, (x1, y1), arc.name)
