"""Where two curves meet, exactly: closed forms for lines and circles, Newton's method for cubic curves."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .curves import Arc, Bezier, Curve, Line, Point

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Span:
    """A curve with a parameter from 0 at its start to 1 at its end."""

    curve: Curve

    def at(self, t: float) -> Point:
        curve = self.curve
        if isinstance(curve, Line):
            (x0, y0), (x1, y1) = curve.start, curve.end
            return x0 + (x1 - x0) * t, y0 + (y1 - y0) * t
        if isinstance(curve, Arc):
            return curve.at(curve.t0 + (curve.t1 - curve.t0) * t)
        x, y = curve.at(np.array([t]))[0]
        return float(x), float(y)

    def slope(self, t: float) -> Point:
        """Derivative by the parameter."""
        curve = self.curve
        if isinstance(curve, Line):
            return curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
        if isinstance(curve, Arc):
            sweep = curve.t1 - curve.t0
            angle = curve.t0 + sweep * t
            return -curve.rx * math.sin(angle) * sweep, curve.ry * math.cos(angle) * sweep
        x, y = curve.slope(np.array([t]))[0]
        return float(x), float(y)

    def bend(self, t: float) -> float:
        """Signed curvature, to the left above zero, 1/mm."""
        curve = self.curve
        if isinstance(curve, Line):
            return 0.0
        if isinstance(curve, Arc) and curve.is_circular:
            return math.copysign(1 / curve.rx, curve.t1 - curve.t0)
        h = 1e-4
        (ax, ay), (bx, by) = self.slope(max(0.0, t - h)), self.slope(min(1.0, t + h))
        dx, dy = self.slope(t)
        share = min(1.0, t + h) - max(0.0, t - h)
        return (dx * (by - ay) - dy * (bx - ax)) / share / max(math.hypot(dx, dy), 1e-12) ** 3

    def part(self, t0: float, t1: float) -> Curve:
        """The piece between two parameters."""
        curve = self.curve
        if isinstance(curve, Line):
            return replace(curve, start=self.at(t0), end=self.at(t1))
        if isinstance(curve, Arc):
            sweep = curve.t1 - curve.t0
            return replace(curve, t0=curve.t0 + sweep * t0, t1=curve.t0 + sweep * t1)
        return curve.part(t0, t1)

    def nearest(self, p: Point) -> float:
        """The parameter of the nearest point."""
        curve = self.curve
        if isinstance(curve, Line):
            dx, dy = self.slope(0)
            square = dx * dx + dy * dy
            t = ((p[0] - curve.start[0]) * dx + (p[1] - curve.start[1]) * dy) / square if square else 0.0
            return min(1.0, max(0.0, t))
        if isinstance(curve, Arc) and curve.is_circular:
            angle = math.atan2(p[1] - curve.centre[1], p[0] - curve.centre[0])
            return _share_of(curve, angle)
        ts = np.linspace(0, 1, 33)
        best = min(ts, key=lambda t: math.dist(self.at(float(t)), p))
        t = float(best)
        for _ in range(12):
            x, y = self.at(t)
            dx, dy = self.slope(t)
            step = ((p[0] - x) * dx + (p[1] - y) * dy) / max(dx * dx + dy * dy, 1e-300)
            t = min(1.0, max(0.0, t + step))
            if abs(step) < 1e-14:
                break
        return t


def _share_of(arc: Arc, angle: float) -> float:
    """The parameter of an angle on an arc, that of the nearer end where it lies beside it."""
    sweep = arc.t1 - arc.t0
    turned = math.remainder(angle - arc.t0, math.tau) * math.copysign(1.0, sweep)
    turned = turned if turned >= 0 else turned + math.tau
    if turned <= abs(sweep):
        return turned / abs(sweep)
    return 1.0 if turned - abs(sweep) < math.tau - turned else 0.0


def crossings(first: Span, second: Span) -> list[tuple[float, float]]:
    """Parameters at which two curves cross or touch between their ends, on the first and on the second.

    Curves that lie on one another have no crossings; their ends are found by who asks for touching ends.
    """
    a, b = first.curve, second.curve
    if isinstance(a, Line) and isinstance(b, Line):
        return _line_line(a, b)
    if isinstance(a, Line) and isinstance(b, Arc):
        return _line_arc(a, b)
    if isinstance(a, Arc) and isinstance(b, Line):
        return [(t, s) for s, t in _line_arc(b, a)]
    if isinstance(a, Arc) and isinstance(b, Arc):
        return _arc_arc(first, second)
    return _general(first, second)


def _line_line(a: Line, b: Line) -> list[tuple[float, float]]:
    ux, uy = a.end[0] - a.start[0], a.end[1] - a.start[1]
    vx, vy = b.end[0] - b.start[0], b.end[1] - b.start[1]
    cross = ux * vy - uy * vx
    if abs(cross) <= 1e-12 * math.hypot(ux, uy) * math.hypot(vx, vy):
        return []
    wx, wy = b.start[0] - a.start[0], b.start[1] - a.start[1]
    s, t = (wx * vy - wy * vx) / cross, (wx * uy - wy * ux) / cross
    return [(s, t)] if 0 <= s <= 1 and 0 <= t <= 1 else []


def _on_arc(arc: Arc, p: Point) -> float | None:
    """The parameter of a point of the full circle, or None where it is not on the arc."""
    angle = math.atan2(p[1] - arc.centre[1], p[0] - arc.centre[0])
    t = _share_of(arc, angle)
    x, y = Span(arc).at(t)
    return t if math.hypot(x - p[0], y - p[1]) <= 1e-9 * (1 + arc.rx) else None


def _line_arc(line: Line, arc: Arc) -> list[tuple[float, float]]:
    dx, dy = line.end[0] - line.start[0], line.end[1] - line.start[1]
    length = math.hypot(dx, dy)
    if length == 0:
        return []
    ux, uy = dx / length, dy / length
    wx, wy = arc.centre[0] - line.start[0], arc.centre[1] - line.start[1]
    along, aside = wx * ux + wy * uy, wx * uy - wy * ux
    rest = arc.rx * arc.rx - aside * aside
    if rest < -2e-9 * arc.rx * arc.rx:
        return []
    half = math.sqrt(max(0.0, rest))
    found = []
    for s in {along - half, along + half} if half > 1e-6 * arc.rx else {along}:
        t = (
            _on_arc(arc, (line.start[0] + ux * s, line.start[1] + uy * s))
            if half > 1e-6 * arc.rx
            else _touch(arc, line, s)
        )
        if t is not None and -1e-12 <= s / length <= 1 + 1e-12:
            found.append((min(1.0, max(0.0, s / length)), t))
    return found


def _touch(arc: Arc, line: Line, s: float) -> float | None:
    """A touching line meets the circle at the foot of its centre, whose rounding errors are larger."""
    length = math.dist(line.start, line.end)
    share = s / length
    p = (
        line.start[0] + (line.end[0] - line.start[0]) * share,
        line.start[1] + (line.end[1] - line.start[1]) * share,
    )
    t = _share_of(arc, math.atan2(p[1] - arc.centre[1], p[0] - arc.centre[0]))
    return t if math.dist(Span(arc).at(t), p) <= 1e-7 * (1 + arc.rx) else None


def _arc_arc(first: Span, second: Span) -> list[tuple[float, float]]:
    a, b = first.curve, second.curve
    assert isinstance(a, Arc)
    assert isinstance(b, Arc)
    dx, dy = b.centre[0] - a.centre[0], b.centre[1] - a.centre[1]
    d = math.hypot(dx, dy)
    if d <= 1e-9 * (a.rx + b.rx):
        return []
    along = (d * d + a.rx * a.rx - b.rx * b.rx) / (2 * d)
    rest = a.rx * a.rx - along * along
    if rest < -2e-9 * a.rx * a.rx:
        return []
    half = math.sqrt(max(0.0, rest))
    touching = half <= 1e-5 * a.rx
    found = []
    for side in (0.0,) if touching else (half, -half):
        p = (a.centre[0] + (dx * along - dy * side) / d, a.centre[1] + (dy * along + dx * side) / d)
        s = _share_of(a, math.atan2(p[1] - a.centre[1], p[0] - a.centre[0]))
        t = _share_of(b, math.atan2(p[1] - b.centre[1], p[0] - b.centre[0]))
        slack = 1e-7 if touching else 1e-9
        if math.dist(first.at(s), p) <= slack * (1 + a.rx) and math.dist(second.at(t), p) <= slack * (1 + b.rx):
            found.append((s, t))
    return found


def _general(first: Span, second: Span) -> list[tuple[float, float]]:
    """Crossings of chords, each then led to the curves themselves by Newton's method."""
    s, p = _chords(first)
    t, q = _chords(second)
    u, v = np.diff(p, axis=0)[:, None], np.diff(q, axis=0)[None, :]
    w = q[:-1][None, :] - p[:-1][:, None]
    cross = u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        a = (w[..., 0] * v[..., 1] - w[..., 1] * v[..., 0]) / cross
        b = (w[..., 0] * u[..., 1] - w[..., 1] * u[..., 0]) / cross
    near = (a >= -0.05) & (a <= 1.05) & (b >= -0.05) & (b <= 1.05)
    found: list[tuple[float, float]] = []
    for i, j in zip(*np.nonzero(near), strict=True):
        pair = _newton(first, second, s[i] + (s[i + 1] - s[i]) * a[i, j], t[j] + (t[j + 1] - t[j]) * b[i, j])
        if pair and all(abs(pair[0] - x) + abs(pair[1] - y) > 1e-7 for x, y in found):
            found.append(pair)
    return found


def _chords(span: Span) -> tuple[Floats, Floats]:
    ts = np.array([0.0, 1.0]) if isinstance(span.curve, Line) else np.linspace(0, 1, len(span.curve.points(0.01)) + 1)
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
    """The curve in pieces that crossings are known for: closed ones halved, ellipses as cubic pieces.

    A cubic piece of an eighth of an ellipse strays from it by 5·10⁻⁸ of its size at most.
    """
    if isinstance(curve, Arc) and not curve.is_circular:
        count = max(1, math.ceil(abs(curve.t1 - curve.t0) / (math.pi / 8) - 1e-9))
        return [_cubic(curve, k / count, (k + 1) / count) for k in range(count)]
    if isinstance(curve, Arc) and curve.is_full:
        span = Span(curve)
        return [span.part(0.0, 0.5), span.part(0.5, 1.0)]
    return [curve]


def _cubic(arc: Arc, share0: float, share1: float) -> Bezier:
    sweep = arc.t1 - arc.t0
    t0, t1 = arc.t0 + sweep * share0, arc.t0 + sweep * share1
    k = 4 / 3 * math.tan((t1 - t0) / 4)
    (x0, y0), (x1, y1) = arc.at(t0), arc.at(t1)
    first = (x0 - k * arc.rx * math.sin(t0), y0 + k * arc.ry * math.cos(t0))
    second = (x1 + k * arc.rx * math.sin(t1), y1 - k * arc.ry * math.cos(t1))
    return Bezier((x0, y0), first, second, (x1, y1), arc.name)
