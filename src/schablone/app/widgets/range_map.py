"""A map of two sizes: where a design holds, where it fails, where its counts change."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QEvent, QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...core.prove.ranges.told import PointTold
from ...core.words import say_name
from ..theme import theme
from .basics import on_hover

#: Room around the map for the words along it, pixels.
_LEFT, _BELOW, _ABOVE, _RIGHT = 58, 40, 8, 14
#: A patch of equal counts is given its count where it has so many places.
_LABELLED = 10
#: Lines are drawn where no more than this share of places beside each other differ.
_LINED = 0.45


@dataclass(slots=True)
class Cell:
    """What is known at a place: whether it holds (None where it is not allowed), why not, its
    counts, and the point as the prover tells it."""

    holds: bool | None
    why: list[str]
    counts: dict[str, float]
    point: PointTold | None
    stride: int


@dataclass(slots=True)
class Axis:
    """A size along a map: its name, its values, and each as it is said."""

    name: str
    values: list[float]
    said: list[str] = field(default_factory=list)


class RangeMap(QWidget):
    """Painted as places come: coarsely at first. ``chosen`` gives the place that was clicked, or
    that Enter was pressed on."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.across = self.up = Axis("", [])
        self.cells: dict[tuple[int, int], Cell] = {}
        self.at: tuple[int, int] | None = None
        self.now: tuple[float, float] | None = None
        self._is_lined = True
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 200)
        self.setAccessibleName("map of where the design holds")

    def sizeHint(self) -> QSize:
        return QSize(420, 340)

    def begin(self, across: Axis, up: Axis, now: tuple[float, float]) -> None:
        """An empty map; ``now`` are both sizes as they are."""
        self.across, self.up, self.now = across, up, now
        self.cells, self.at = {}, None
        self.update()

    def put(self, i: int, j: int, cell: Cell) -> None:
        """What came of a place."""
        self.cells[i, j] = cell
        self.update()

    # Places on the screen

    def _field(self) -> QRectF:
        return QRectF(
            _LEFT, _ABOVE, max(self.width() - _LEFT - _RIGHT, 10),
            max(self.height() - _ABOVE - _BELOW, 10),
        )  # fmt: skip

    def _rect(self, i: int, j: int, reach: int = 1) -> QRectF:
        """Where a place lies, together with those that it stands for."""
        box = self._field()
        wide, high = box.width() / len(self.across.values), box.height() / len(self.up.values)
        left, right = max(i - reach // 2, 0), min(i + (reach + 1) // 2, len(self.across.values))
        low, top = max(j - reach // 2, 0), min(j + (reach + 1) // 2, len(self.up.values))
        return QRectF(
            box.left() + left * wide, box.bottom() - top * high, (right - left) * wide,
            (top - low) * high,
        )  # fmt: skip

    def place_at(self, spot: QPointF) -> tuple[int, int] | None:
        """The place under a spot."""
        box = self._field()
        if not self.across.values or not box.contains(spot):
            return None
        i = int((spot.x() - box.left()) / box.width() * len(self.across.values))
        j = int((box.bottom() - spot.y()) / box.height() * len(self.up.values))
        return min(i, len(self.across.values) - 1), min(max(j, 0), len(self.up.values) - 1)

    def centre_of(self, i: int, j: int) -> QPointF:
        """The middle of a place."""
        return self._rect(i, j).center()

    def words_at(self, i: int, j: int) -> str:
        """What is known of a place, in words."""
        where = (
            f"{say_name(self.across.name)} {self.across.said[i]}, "
            f"{say_name(self.up.name)} {self.up.said[j]}"
        )
        cell = self.cells.get((i, j))
        if cell is None:
            return f"{where}: not built yet"
        if cell.holds is None:
            return f"{where}: not within the limits"
        counts = ", ".join(f"{say_name(name)} {count:g}" for name, count in cell.counts.items())
        what = "holds" if cell.holds else "; ".join(cell.why)
        return f"{where}: {what}" + (f"\n{counts}" if counts else "")

    # Hands

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point_at(self.place_at(event.position()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self.place_at(event.position())
        self._point_at(place)
        self._choose()

    def leaveEvent(self, event: QEvent) -> None:
        if not self.hasFocus():
            self._point_at(None)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Down: (0, -1),
            Qt.Key.Key_Up: (0, 1),
        }.get(Qt.Key(event.key()))  # fmt: skip
        if step is not None and self.across.values:
            i, j = self.at or (0, 0)
            self._point_at(
                (
                    min(max(i + step[0], 0), len(self.across.values) - 1),
                    min(max(j + step[1], 0), len(self.up.values) - 1),
                )
            )
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._choose()
        else:
            super().keyPressEvent(event)

    def _point_at(self, place: tuple[int, int] | None) -> None:
        if place != self.at:
            self.at = place
            words = self.words_at(*place) if place is not None else ""
            on_hover(self, words)
            self.setAccessibleDescription(words)
            self.update()

    def _choose(self) -> None:
        cell = self.cells.get(self.at) if self.at is not None else None
        if cell is not None and cell.point is not None:
            self.chosen.emit(cell)

    # Paint

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t, box = theme(), self._field()
        painter.fillRect(box, QColor(t.chip))
        if self.across.values:
            for (i, j), cell in sorted(self.cells.items(), key=lambda one: -one[1].stride):
                self._paint_cell(painter, self._rect(i, j, cell.stride), cell)
            self._paint_borders(painter)
            self._paint_counts(painter)
            self._paint_now(painter)
            self._paint_axes(painter)
        else:
            painter.setPen(QColor(t.quiet))
            words = "Where it holds over these two sizes\nis seen once it is painted"
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
        painter.setPen(QPen(QColor(t.rule), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        if self.at is not None:
            painter.setPen(QPen(QColor(t.ink), 1.6))
            painter.drawRect(self._rect(*self.at))

    def _paint_cell(self, painter: QPainter, where: QRectF, cell: Cell) -> None:
        t = theme()
        if cell.holds is None:
            painter.fillRect(where, QColor(t.paper))
        elif cell.holds:
            painter.fillRect(where, QColor("#DDE8DD" if not t.dark else "#2C3A30"))
        else:
            painter.fillRect(where, QColor(t.ochre_wash))
            painter.fillRect(where, QBrush(QColor(t.ochre), Qt.BrushStyle.BDiagPattern))

    def _paint_borders(self, painter: QPainter) -> None:
        """Lines between places whose counts differ; none where that is so nearly everywhere."""
        painter.setPen(QPen(QColor(theme().quiet), 1.0))
        lines, pairs = [], 0
        for (i, j), cell in self.cells.items():
            here = self._rect(i, j)
            for di, dj, a, b in (
                (1, 0, here.topRight(), here.bottomRight()),
                (0, 1, here.topLeft(), here.topRight()),
            ):
                other = self.cells.get((i + di, j + dj))
                pairs += other is not None
                if other is not None and other.counts != cell.counts:
                    lines.append(QLineF(a, b))
        self._is_lined = len(lines) <= _LINED * pairs
        if self._is_lined:
            painter.drawLines(lines)

    def _paint_counts(self, painter: QPainter) -> None:
        """The count that differs over the map, in the middle of each larger patch of it."""
        counted = [cell.counts for cell in self.cells.values() if cell.counts]
        differs = [
            name for name in (counted[0] if counted else ()) if len({c[name] for c in counted}) > 1
        ]
        if not differs:
            return
        name = differs[0]
        font = QFont(self.font())
        font.setPixelSize(11)
        painter.setFont(font)
        painter.setPen(QColor(theme().ink))
        # Where nearly every place is another count, some of them give an idea.
        patches = self._patches(name) if self._is_lined else self._every_few()
        for patch in patches:
            if len(patch) >= (_LABELLED if self._is_lined else 1):
                i = sum(place[0] for place in patch) / len(patch)
                j = sum(place[1] for place in patch) / len(patch)
                middle = min(patch, key=lambda place: (place[0] - i) ** 2 + (place[1] - j) ** 2)
                text = f"{self.cells[middle].counts[name]:g}"
                where = self._rect(*middle).adjusted(-20, -6, 20, 6)
                painter.drawText(where, Qt.AlignmentFlag.AlignCenter, text)

    def _every_few(self) -> list[list[tuple[int, int]]]:
        return [[place] for place in self.cells if place[0] % 4 == 2 and place[1] % 4 == 2]

    def _patches(self, name: str) -> list[list[tuple[int, int]]]:
        """Places that touch and have the same count."""
        left = {place for place, cell in self.cells.items() if name in cell.counts}
        patches = []
        while left:
            start = left.pop()
            patch, waiting = [start], [start]
            count = self.cells[start].counts[name]
            while waiting:
                i, j = waiting.pop()
                for place in ((i + 1, j), (i - 1, j), (i, j + 1), (i, j - 1)):
                    if place in left and self.cells[place].counts[name] == count:
                        left.discard(place)
                        patch.append(place)
                        waiting.append(place)
            patches.append(patch)
        return patches

    def _paint_now(self, painter: QPainter) -> None:
        """A small cross where the design is as it is published."""
        if self.now is None:
            return
        box, spot = self._field(), []
        for axis, value, size in ((self.across, self.now[0], box.width()),
                                  (self.up, self.now[1], box.height())):  # fmt: skip
            low, high = axis.values[0], axis.values[-1]
            each = size / len(axis.values)
            share = (value - low) / (high - low) if high > low else 0.0
            spot.append(each / 2 + share * (size - each))
        x, y = box.left() + spot[0], box.bottom() - spot[1]
        painter.setPen(QPen(QColor(theme().madder), 2.0))
        painter.drawLine(QPointF(x - 5, y), QPointF(x + 5, y))
        painter.drawLine(QPointF(x, y - 5), QPointF(x, y + 5))

    def _paint_axes(self, painter: QPainter) -> None:
        t, box = theme(), self._field()
        font = QFont(self.font())
        font.setPixelSize(11)
        painter.setFont(font)
        painter.setPen(QColor(t.quiet))
        first, last = self.across.said[0], self.across.said[-1]
        below = QRectF(box.left(), box.bottom() + 3, box.width(), 15)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, first)
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, last)
        left = QRectF(0, box.top(), _LEFT - 6, box.height())
        painter.drawText(left, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop,
                         self.up.said[-1])  # fmt: skip
        painter.drawText(left, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom,
                         self.up.said[0])  # fmt: skip
        painter.setPen(QColor(t.ink))
        painter.drawText(below.translated(0, 0), Qt.AlignmentFlag.AlignHCenter,
                         say_name(self.across.name))  # fmt: skip
        painter.save()
        painter.translate(14, box.center().y())
        painter.rotate(-90)
        painter.drawText(QRectF(-80, -10, 160, 20), Qt.AlignmentFlag.AlignCenter,
                         say_name(self.up.name))  # fmt: skip
        painter.restore()
