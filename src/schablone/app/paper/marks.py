"""Signs on the sheet: curves loose or settled, points, constraints, dimensions, and where a pointer
hits them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen

from ...core.sketch.curves import Bezier, Curve, EllipticArc, Segment
from ...core.sketch.drawing import ORIGIN, X_AXIS, Y_AXIS, Constraint, Dimension
from ...core.sketch.system import System
from ..theme import Theme, mono
from .desk import Desk

XY = tuple[float, float]
ToScreen = Callable[[XY], QPointF]

#: The sign of each constraint. The words stand in the list beside the sheet.
SIGNS = {
    "horizontal": "—", "vertical": "|", "parallel": "∥", "perpendicular": "⟂", "tangent": "⌒",
    "equal": "=",
    "symmetric": "⋈", "midpoint": "½", "fixed": "×", "collinear": "⋯", "concentric": "◎", "on": "·",
    "coincident": "·",
    "at_30": "30°", "at_45": "45°", "at_60": "60°",
}  # fmt: skip


def path_of(curves: Sequence[Curve], to: ToScreen, scale: float) -> QPainterPath:
    """Curves as a path on the screen; ``scale`` is pixels for each mm."""
    path = QPainterPath()
    last: QPointF | None = None
    for curve in curves:
        start = to(curve.start)
        if last is None or (last - start).manhattanLength() > 0.5:
            path.moveTo(start)
        if isinstance(curve, Segment):
            path.lineTo(to(curve.end))
        elif isinstance(curve, Bezier):
            path.cubicTo(to(curve.first), to(curve.second), to(curve.end))
        elif isinstance(curve, EllipticArc):
            sweep = math.degrees(curve.t1 - curve.t0)
            c = to(curve.centre)
            rx, ry = curve.rx * scale, curve.ry * scale
            # The screen's y runs downwards, and so do the angles of its arcs when they are negated.
            path.arcTo(
                QRectF(c.x() - rx, c.y() - ry, 2 * rx, 2 * ry), math.degrees(curve.t0), sweep
            )
        last = path.currentPosition()
    return path


def pen_for(desk: Desk, name: str, helper: bool, t: Theme) -> QPen:
    """How a curve is drawn: solid where settled, thin and dashed where loose, a chain line where
    helper."""
    loose, chosen = desk.is_loose(name), name in desk.chosen
    colour = t.madder if chosen else t.slate_text if helper else t.ink
    pen = QPen(QColor(colour), 2.2 if chosen else 1.1 if helper or loose else 1.9)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    if helper:
        pen.setDashPattern([9, 3, 1.5, 3])
    elif loose:
        pen.setDashPattern([4.5, 3.5])
    return pen


def paint_band(painter: QPainter, path: QPainterPath, t: Theme) -> None:
    """The hatched band of what is at odds."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(
        QPen(QBrush(QColor(t.ochre), Qt.BrushStyle.BDiagPattern), 11, Qt.PenStyle.SolidLine)
    )
    painter.drawPath(path)


def paint_arrows(painter: QPainter, desk: Desk, to: ToScreen, t: Theme) -> None:
    """Small arrows at loose points, along the directions in which they can still move."""
    if desk.diagnosis is None or desk.dragging:
        return
    painter.setPen(QPen(QColor(t.slate), 1.3))
    shown = list(desk.diagnosis.directions.items())
    for name, directions in shown[:200]:
        p = to(desk.xy(name))
        for dx, dy in directions:
            for sign in (1, -1):
                u = QPointF(dx * sign, -dy * sign)
                tip, root = p + u * 15, p + u * 7
                side = QPointF(-u.y(), u.x()) * 3
                painter.drawLine(root, tip)
                painter.drawLine(tip, tip - u * 4 + side)
                painter.drawLine(tip, tip - u * 4 - side)


def paint_point(
    painter: QPainter, at: QPointF, desk: Desk, name: str, helper: bool, t: Theme
) -> None:
    chosen, loose, lit = name in desk.chosen, desk.is_loose(name), name in desk.pointed
    colour = QColor(t.madder if chosen else t.slate if helper else t.ink)
    size = 4.0 if chosen or lit else 2.8
    painter.setPen(QPen(colour, 1.4))
    painter.setBrush(QBrush(QColor(t.surface) if loose else colour))
    painter.drawEllipse(at, size, size)


@dataclass(frozen=True, slots=True)
class Label:
    """A dimension as it stands on the sheet: its rule, its text, and the box it fills, in
    pixels."""

    rule: Dimension
    text: str
    box: QRectF


def anchor_of(desk: Desk, name: str) -> XY | None:
    """A place on an element: its middle."""
    if name == ORIGIN:
        return 0.0, 0.0
    curves = desk.curves.get(name)
    if curves:
        if len(curves) == 1 and isinstance(curves[0], EllipticArc):
            arc = curves[0]
            middle = math.radians(45) if arc.is_full else (arc.t0 + arc.t1) / 2
            return arc.at(middle)
        if len(curves) == 1:
            (x0, y0), (x1, y1) = curves[0].start, curves[0].end
            return (x0 + x1) / 2, (y0 + y1) / 2
        return curves[len(curves) // 2].start
    if desk.settled is not None and desk.settled.system.is_point(name):
        return desk.xy(name)
    return None


def paint_signs(
    painter: QPainter, desk: Desk, to: ToScreen, t: Theme, few: bool
) -> list[tuple[Constraint, QRectF]]:
    """The signs of constraints beside what they are about; ``few`` shows only those of what is
    pointed at."""
    font = QFont(mono(12))
    painter.setFont(font)
    placed: dict[tuple[int, int], int] = {}
    said: set[tuple[str, str]] = set()
    signs = []
    for rule in desk.drawing.constraints:
        lit = rule.name in desk.pointed or rule.name in desk.chosen or rule.name in desk.at_odds
        if rule.kind in ("on", "coincident") and not lit:
            continue
        if (
            few
            and not lit
            and desk.pointed.isdisjoint(rule.of)
            and not set(desk.chosen) & set(rule.of)
        ):
            continue
        for name in rule.of if rule.kind in ("equal", "parallel", "perpendicular") else rule.of[:1]:
            if name in (X_AXIS, Y_AXIS):
                continue
            anchor = anchor_of(desk, name)
            # One sign of a kind on a curve says it, however many others it is equal to.
            if anchor is None or ((rule.kind, name) in said and not lit):
                continue
            said.add((rule.kind, name))
            p = to(anchor)
            key = (round(p.x() / 8), round(p.y() / 8))
            shift = placed.get(key, 0)
            placed[key] = shift + 1
            box = QRectF(p.x() + 7 + 17 * shift, p.y() - 21, 16, 15)
            colour = t.ochre_text if rule.name in desk.at_odds else t.madder if lit else t.quiet
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.ochre_wash if rule.name in desk.at_odds else t.view))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(QColor(colour))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, SIGNS[rule.kind])
            signs.append((rule, box))
    return signs


def paint_dimension(
    painter: QPainter, desk: Desk, rule: Dimension, text: str, to: ToScreen, t: Theme
) -> Label | None:
    """A dimension with its lines; returns where its figure stands."""
    lit = rule.name in desk.pointed or rule.name in desk.chosen
    odd = rule.name in desk.at_odds
    colour = QColor(
        t.ochre_text if odd else t.madder if lit else t.plum_text if rule.reads else t.slate_text
    )
    painter.setPen(QPen(colour, 1.0))
    ends = ends_of(desk, rule)
    if ends is None:
        return None
    a, b, along = ends
    pa, pb = to(a), to(b)
    middle = (pa + pb) / 2
    if rule.kind in ("radius", "diameter"):
        spot = to(_label_at(rule, b, (10.0, 10.0), to))
        painter.drawLine(pb, spot)
        _arrow(painter, pb, pb - spot)
    elif rule.kind in ("angle", "arc_length"):
        spot = to(_label_at(rule, a, (0.0, 0.0), to)) if rule.label else pa
    else:
        # Lines go out from both ends to a line beside them, on which the figure stands.
        u = QPointF(along[0], -along[1])
        n = QPointF(-u.y(), u.x())
        spot = (
            to((_middle(a, b)[0] + rule.label[0], _middle(a, b)[1] + rule.label[1]))
            if rule.label
            else middle + n * _side(desk, n, middle)
        )
        height = QPointF.dotProduct(spot - pa, n)
        foot_a = pa + n * height
        height_b = QPointF.dotProduct(spot - pb, n)
        foot_b = pb + n * height_b
        painter.drawLine(pa, foot_a)
        painter.drawLine(pb, foot_b)
        painter.drawLine(foot_a, foot_b)
        for foot, way in ((foot_a, foot_a - foot_b), (foot_b, foot_b - foot_a)):
            _arrow(painter, foot, way)
        spot = spot if rule.label else (foot_a + foot_b) / 2
    return _figure(painter, rule, text, spot, colour, t, odd)


def _figure(
    painter: QPainter,
    rule: Dimension,
    text: str,
    spot: QPointF,
    colour: QColor,
    t: Theme,
    odd: bool,
) -> Label:
    font = mono(12)
    painter.setFont(font)
    metrics = QFontMetricsF(font)
    width = metrics.horizontalAdvance(text) + 10
    box = QRectF(spot.x() - width / 2, spot.y() - 9, width, 18)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(t.ochre_wash if odd else t.view))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(colour)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return Label(rule, text, box)


def _middle(a: XY, b: XY) -> XY:
    return (a[0] + b[0]) / 2, (a[1] + b[1]) / 2


def _side(desk: Desk, n: QPointF, middle: QPointF) -> float:
    """Outwards from the middle of the drawing, so that figures do not lie on it."""
    return 26.0 if QPointF.dotProduct(middle - desk.middle_on_screen, n) >= 0 else -26.0


def _label_at(rule: Dimension, near: XY, aside: XY, to: ToScreen) -> XY:
    if rule.label:
        return near[0] + rule.label[0], near[1] + rule.label[1]
    scale = max((to((1.0, 0.0)) - to((0.0, 0.0))).x(), 1e-9)
    return near[0] + aside[0] * 2.4 / scale, near[1] + aside[1] * 2.4 / scale


def _arrow(painter: QPainter, tip: QPointF, way: QPointF) -> None:
    length = math.hypot(way.x(), way.y())
    if length < 1e-6:
        return
    u = way / length
    side = QPointF(-u.y(), u.x()) * 2.6
    painter.drawLine(tip, tip - u * 7 + side)
    painter.drawLine(tip, tip - u * 7 - side)


def ends_of(desk: Desk, rule: Dimension) -> tuple[XY, XY, XY] | None:
    """The two places that a dimension is about, mm, and the direction it is measured along."""
    if desk.settled is None:
        return None
    if rule.kind in ("radius", "diameter", "arc_length"):
        curve = _first_curve(desk, rule.of[0])
        if not isinstance(curve, EllipticArc):
            return None
        edge = anchor_of(desk, rule.of[0]) or curve.start
        return edge if rule.kind == "arc_length" else curve.centre, edge, (1.0, 0.0)
    if rule.kind == "angle":
        places = [anchor_of(desk, name) for name in rule.of if name not in (X_AXIS, Y_AXIS)]
        known = [p for p in places if p is not None]
        if not known:
            return None
        middle = (sum(p[0] for p in known) / len(known), sum(p[1] for p in known) / len(known))
        return middle, middle, (1.0, 0.0)
    if (ends := _apart(desk, desk.settled.system, rule)) is None:
        return None
    a, b = ends
    if rule.kind == "across":
        return a, b, (1.0, 0.0)
    if rule.kind == "upright":
        return a, b, (0.0, 1.0)
    length = math.dist(a, b)
    return a, b, ((b[0] - a[0]) / length, (b[1] - a[1]) / length) if length > 1e-9 else (1.0, 0.0)


def _apart(desk: Desk, system: System, rule: Dimension) -> tuple[XY, XY] | None:
    """The two places that a distance lies between: the ends of a line, or of the way from one thing
    to the other."""
    first, last = rule.of[0], rule.of[-1]
    if len(rule.of) == 1:
        curves = desk.curves.get(first)
        return (curves[0].start, curves[-1].end) if curves else None

    def place(name: str) -> XY | None:
        if system.is_round(name):
            curve = _first_curve(desk, name)
            return curve.centre if isinstance(curve, EllipticArc) else None
        return anchor_of(desk, name)

    a, b = place(first), place(last)
    if a is None and system.is_line(first):
        a, b, first, last = b, a, last, first
    if a is None:
        return None
    if system.is_line(last):
        b = _foot(desk, last, a)
    elif system.is_line(first) and b is not None:
        a = _foot(desk, first, b)
    return None if a is None or b is None else (a, b)


def _first_curve(desk: Desk, name: str) -> Curve | None:
    curves = desk.curves.get(name)
    return curves[0] if curves else None


def _foot(desk: Desk, line: str, p: XY) -> XY | None:
    if line == X_AXIS:
        return p[0], 0.0
    if line == Y_AXIS:
        return 0.0, p[1]
    curve = _first_curve(desk, line)
    if not isinstance(curve, Segment):
        return None
    ux, uy = curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
    square = ux * ux + uy * uy
    if square == 0:
        return curve.start
    t = ((p[0] - curve.start[0]) * ux + (p[1] - curve.start[1]) * uy) / square
    return curve.start[0] + t * ux, curve.start[1] + t * uy
