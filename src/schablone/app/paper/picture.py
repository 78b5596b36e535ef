"""What the sheet of paper looks like: where the paper lies under the window, and how the desk is
drawn on it."""

from __future__ import annotations

import math
from contextlib import suppress

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from ...core.quantity import ANGLE, LENGTH, Quantity
from ...core.sketch.crossing import Span
from ...core.sketch.curves import Curve
from ...core.sketch.drawing import ORIGIN, X_AXIS, Y_AXIS, Dimension
from ...core.sketch.loops import Loop
from ...core.sketch.snap import Snap
from ...core.sketch.system import CannotHold
from ...core.words import say_name
from ..theme import theme
from . import marks
from .desk import Desk
from .tools import DrawingTool, Stroke, figures
from .under import Under

XY = tuple[float, float]
#: How near the pointer must come to what it is to take hold of, pixels.
REACH = 9.0


class SheetPicture(QWidget):
    """Shows a desk: grid, regions, curves with their signs, dimensions, and the stroke that is
    under way."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.scale, self.origin = 6.0, QPointF(0, 0)
        self.tool: DrawingTool | None = None
        self.stroke = Stroke()
        self.snap = Snap((0.0, 0.0))
        self.declined = False
        self.figures_as = "values"
        self.grid_on = True
        #: What a click means without a tool: to choose, or ``trim``, ``bring`` an edge in,
        #: ``regions`` to use.
        self.mode = ""
        self.under = Under()
        self.region_names: tuple[str, ...] = ()
        self.preview: dict[str, list[Curve]] = {}
        self._hovered_edge = ""
        self._hovered_region = ""
        self._shows_offer = False
        self._box: QRectF | None = None
        self._labels: list[marks.Label] = []
        self._signs: list[tuple[object, QRectF]] = []
        self._fitted = False

    def to_screen(self, p: XY) -> QPointF:
        return QPointF(self.origin.x() + p[0] * self.scale, self.origin.y() - p[1] * self.scale)

    def to_paper(self, q: QPointF) -> XY:
        return (q.x() - self.origin.x()) / self.scale, (self.origin.y() - q.y()) / self.scale

    def hit(self, q: QPointF) -> str:
        """The name of the dimension, point or curve under a place on the screen, or an empty
        string."""
        for item in self._labels:
            if item.box.contains(q):
                return item.rule.name
        for rule, box in self._signs:
            if box.contains(q):
                return str(getattr(rule, "name", ""))
        desk = self.desk
        if desk.settled is None:
            return ""
        spots = [(ORIGIN, self.to_screen((0.0, 0.0)))]
        spots += [(p.name, self.to_screen(desk.xy(p.name))) for p in desk.settled.drawing.points]
        name, at = min(spots, key=lambda item: (item[1] - q).manhattanLength())
        if math.hypot((at - q).x(), (at - q).y()) <= REACH:
            return name
        best, nearest = REACH, ""
        paper = self.to_paper(q)
        for curve, pieces in desk.curves.items():
            for piece in pieces:
                span = Span(piece)
                distance = math.dist(span.at(span.nearest(paper)), paper) * self.scale
                if distance < best:
                    best, nearest = distance, curve
        if not nearest:
            # A bought part is taken hold of by its outline: what it stands on goes with it.
            nearest = self.under.thing_near(paper, REACH / self.scale, desk.xy)
        if not nearest:
            if abs(q.y() - self.origin.y()) <= 5:
                return X_AXIS
            if abs(q.x() - self.origin.x()) <= 5:
                return Y_AXIS
        return nearest

    def inside(self, box: QRectF) -> list[str]:
        """The names of the curves that lie within a box on the screen; where there is none, those
        of the points."""
        names = [
            name
            for name, pieces in self.desk.curves.items()
            if box.contains(marks.path_of(pieces, self.to_screen, self.scale).boundingRect())
        ]
        if not names:
            names = [
                p.name
                for p in self.desk.drawing.points
                if box.contains(self.to_screen(self.desk.xy(p.name)))
            ]
        return names

    def fit(self) -> None:
        """All of the drawing on the sheet."""
        curves = [
            c for pieces in self.desk.curves.values() for c in pieces
        ] + self.desk.shape_curves
        boxes = [Loop((curve,)).bounds() for curve in curves]
        boxes += [(*p.xy, *p.xy) for p in self.desk.drawing.points]
        boxes.append((0.0, 0.0, 0.0, 0.0))
        x0, y0 = min(b[0] for b in boxes), min(b[1] for b in boxes)
        x1, y1 = max(b[2] for b in boxes), max(b[3] for b in boxes)
        width, height = max(x1 - x0, 1e-3), max(y1 - y0, 1e-3)
        if max(width, height) < 1.0:
            width, height, x0, y0 = 100.0, 80.0, -50.0, -40.0
        # Room around it for dimensions.
        room = 88 if min(self.width(), self.height()) > 300 else 30
        self.scale = min(
            max(60, self.width() - 2 * room) / width, max(60, self.height() - 2 * room) / height
        )
        self.scale = min(max(self.scale, 1e-3), 400.0)
        middle = (x0 + width / 2, y0 + height / 2)
        self.origin = QPointF(
            self.width() / 2 - middle[0] * self.scale, self.height() / 2 + middle[1] * self.scale
        )
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if not self._fitted and self.width() > 200:
            self._fitted = True
            self.fit()
        super().resizeEvent(event)

    def grid(self) -> float:
        """Spacing of the grid, mm: a round number about 14 pixels wide or more."""
        rough = 14 / self.scale
        power = 10.0 ** math.floor(math.log10(rough))
        return next(power * m for m in (1, 2, 5, 10) if power * m >= rough)

    # Painting

    def words_of(self, rule: Dimension) -> str:
        """A dimension as value, name or formula."""
        session = self.desk.session
        kind = ANGLE if rule.kind == "angle" else LENGTH
        settled = self.desk.settled
        value = self.desk.values.get(rule.name)
        if rule.reads and settled is not None and settled.solution.holds:
            with suppress(CannotHold):  # of what has none it stays a dash
                value = settled.system.read(rule, settled.x)
        shown = session.say(Quantity(value, kind)) if value is not None else "–"
        front = {"radius": "R ", "diameter": "ø "}.get(rule.kind, "")
        if self.figures_as == "names":
            return say_name(rule.name)
        if self.figures_as == "formulas" and not rule.reads:
            return front + rule.formula
        return f"({front}{shown})" if rule.reads else front + shown

    def paintEvent(self, event: QPaintEvent) -> None:
        t, desk = theme(), self.desk
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.view))
        self._paint_grid(painter)
        if desk.settled is None:
            return
        desk.middle_on_screen = self._middle()
        self._paint_under(painter)
        self._paint_regions(painter)
        shapes = desk.shape_curves
        painter.setPen(QPen(QColor(t.quiet), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(marks.path_of(shapes, self.to_screen, self.scale))
        elements = desk.settled.system.elements
        odd = {n for rule in desk.drawing.rules if rule.name in desk.at_odds for n in rule.of}
        lit = set(desk.pointed) | {
            n for rule in desk.drawing.rules if rule.name in desk.pointed for n in rule.of
        }
        for name, pieces in desk.curves.items():
            path = marks.path_of(pieces, self.to_screen, self.scale)
            if name in odd:
                marks.paint_band(painter, path, t)
            if name in lit:
                halo = QColor(t.kraft)
                halo.setAlpha(130)
                painter.setPen(QPen(halo, 7))
                painter.drawPath(path)
            painter.setPen(marks.pen_for(desk, name, elements[name].helper, t))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        marks.paint_arrows(painter, desk, self.to_screen, t)
        busy = len(desk.drawing.rules) > 60
        self._labels = []
        if not desk.dragging:
            # Figures come last: they are read, signs only recognised.
            self._signs = list(marks.paint_signs(painter, desk, self.to_screen, t, busy))
            for rule in desk.drawing.dimensions:
                label = marks.paint_dimension(
                    painter, desk, rule, self.words_of(rule), self.to_screen, t
                )
                if label is not None:
                    self._labels.append(label)
        for point in desk.settled.drawing.points:
            marks.paint_point(
                painter, self.to_screen(desk.xy(point.name)), desk, point.name, point.helper, t
            )
        self._paint_stroke(painter)
        if self._box is not None:
            painter.setPen(QPen(QColor(t.madder), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._box)

    def _middle(self) -> QPointF:
        spots = [self.to_screen(p.xy) for p in self.desk.drawing.points]
        if not spots:
            return QPointF(self.width() / 2, self.height() / 2)
        xs, ys = [p.x() for p in spots], [p.y() for p in spots]
        return QPointF((min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2)

    def _paint_grid(self, painter: QPainter) -> None:
        t, step = theme(), self.grid()
        if self.grid_on:
            fine, heavy = QColor(t.rule), QColor(t.rule)
            fine.setAlpha(70)
            heavy.setAlpha(150)
            (x0, y1), (x1, y0) = (
                self.to_paper(QPointF(0, 0)),
                self.to_paper(QPointF(self.width(), self.height())),
            )
            for axis, low, high in ((0, x0, x1), (1, y0, y1)):
                for k in range(math.ceil(low / step), math.floor(high / step) + 1):
                    painter.setPen(QPen(heavy if k % 10 == 0 else fine, 1))
                    q = self.to_screen((k * step, 0.0) if axis == 0 else (0.0, k * step))
                    if axis == 0:
                        painter.drawLine(QPointF(q.x(), 0), QPointF(q.x(), self.height()))
                    else:
                        painter.drawLine(QPointF(0, q.y()), QPointF(self.width(), q.y()))
        lit = self.desk.pointed
        for name, a, b in (
            (X_AXIS, QPointF(0, self.origin.y()), QPointF(self.width(), self.origin.y())),
            (Y_AXIS, QPointF(self.origin.x(), 0), QPointF(self.origin.x(), self.height())),
        ):
            on = name in lit or name in self.desk.chosen
            painter.setPen(QPen(QColor(t.madder if on else t.grey), 1.4 if on else 1))
            painter.drawLine(a, b)
        painter.setPen(QPen(QColor(t.madder if ORIGIN in self.desk.chosen else t.quiet), 1.3))
        painter.setBrush(QColor(t.view))
        painter.drawEllipse(self.to_screen((0.0, 0.0)), 3.6, 3.6)

    def _paint_under(self, painter: QPainter) -> None:
        """The edges of the part below, faint; stronger while they can be brought in. Bought things
        are dashed."""
        t = theme()
        colour = QColor(t.slate)
        colour.setAlpha(150 if self.mode == "bring" else 55)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        steel = QColor(t.slate)
        steel.setAlpha(170)
        painter.setPen(QPen(steel, 1.2, Qt.PenStyle.DashLine))
        for step in self.under.things:
            for line in self.under.seen(step, self.desk.xy):
                painter.drawPolyline([self.to_screen((x, y)) for x, y in line.tolist()])
        for name in self.under.edges:
            hot = name == self._hovered_edge and self.mode == "bring"
            painter.setPen(QPen(QColor(t.madder) if hot else colour, 3.0 if hot else 1.0))
            painter.drawPath(self.under.path(name, self.to_screen))

    def _paint_chosen_regions(self, painter: QPainter) -> None:
        """While regions are chosen: those in use full, the one under the pointer ringed."""
        arrangement = self.desk.arrangement
        used = {face.name for name in self.region_names for face in arrangement.named(name)}
        wash = QColor(theme().kraft)
        for face in arrangement.faces:
            path = QPainterPath()
            path.setFillRule(Qt.FillRule.OddEvenFill)
            for region in arrangement.regions([face]):
                for loop in region.loops:
                    path.addPath(marks.path_of(loop.curves, self.to_screen, self.scale))
            wash.setAlpha(170 if face.name in used else 22)
            painter.setPen(
                QPen(QColor(theme().madder), 2)
                if face.name == self._hovered_region
                else Qt.PenStyle.NoPen
            )
            painter.setBrush(wash)
            painter.drawPath(path)

    def _paint_regions(self, painter: QPainter) -> None:
        if self.mode == "regions":
            self._paint_chosen_regions(painter)
            return
        wash = QColor(theme().kraft)
        wash.setAlpha(46)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(wash)
        if self.desk.dragging:
            return
        try:
            regions = self.desk.arrangement.regions(self.desk.arrangement.material())
        except (ValueError, ArithmeticError):
            return
        for region in regions:
            path = QPainterPath()
            path.setFillRule(Qt.FillRule.OddEvenFill)
            for loop in region.loops:
                path.addPath(marks.path_of(loop.curves, self.to_screen, self.scale))
            painter.drawPath(path)

    def show_preview_of_offer(self, on: bool) -> None:
        """Show ``preview`` over the drawing: what would be if an offer were taken."""
        self._shows_offer = on
        self.update()

    def _paint_stroke(self, painter: QPainter) -> None:
        t = theme()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(t.madder), 1.6))
        if self.tool is None and not self._shows_offer:
            return
        for pieces in self.preview.values():
            painter.drawPath(marks.path_of(pieces, self.to_screen, self.scale))
        if self.tool is None:
            return
        painter.setBrush(QColor(t.madder))
        for snap_ in self.stroke.snaps:
            painter.drawEllipse(self.to_screen(snap_.xy), 3, 3)
        at = self.to_screen(self.snap.xy)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.snap.words and not self.declined:
            painter.drawEllipse(at, 6, 6)
        lines = [figures(self.tool, self.stroke, self.snap.xy)]
        if self.snap.words and not self.declined:
            lines.append(f"{self.snap.words}   Space declines")
        elif self.declined:
            lines.append("free   Space takes it back")
        painter.setPen(QColor(t.madder))
        painter.setFont(self.font())
        for k, line in enumerate(line for line in lines if line):
            painter.drawText(at + QPointF(14, -10 - 17 * k), line)
