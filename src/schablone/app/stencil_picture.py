"""A stencil drawn from above: what it cuts, the darker the deeper, and what it adds."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PySide6.QtWidgets import QWidget

from ..core.design.stencil_picture import BOARD
from ..core.quantity import plain
from ..core.reuse import Stencil, write_stencil
from ..worker import talk
from .theme import mono, theme
from .worker_client import WorkerClient

#: Room around the drawing, pixels; how much of the board beside a stencil is seen, of its size.
_ROOM, _BESIDE = 10.0, 0.25
#: The board, what is cut into it (the deeper the darker), and what is added to it.
_WOOD, _CUT, _ADDED = "#D9CDB4", "#B9A98A", "#F2EBDB"


class StencilPictures:
    """How stencils look, asked of the worker once for each; one after the other, so that an edit
    waits for one picture at most."""

    def __init__(self, worker: WorkerClient) -> None:
        self.worker = worker
        self._known: dict[str, talk.StencilReport] = {}
        self._waiting: dict[str, Callable[[], None]] = {}
        self._asked = ""

    def known(self, stencil: Stencil) -> talk.StencilReport | None:
        """How it looks, where that was told."""
        return self._known.get(write_stencil(stencil))

    def ask(self, stencils: Sequence[Stencil], told: Callable[[], None]) -> None:
        """Ask for those that are not known; ``told`` is called with each."""
        texts = [write_stencil(stencil) for stencil in stencils]
        # What is looked for now comes before what was looked for earlier.
        mine = {text: told for text in texts if text not in self._known}
        self._waiting = {**mine, **{k: v for k, v in self._waiting.items() if k not in mine}}
        if not self._asked:
            self._ask_next()

    def _ask_next(self) -> None:
        self._asked = next(iter(self._waiting), "")
        if self._asked:
            self.worker.ask_file(talk.PictureStencils(stencils=(self._asked,)), self._take)

    def _take(self, answer: talk.StencilsPictured | talk.Refused, _: object) -> None:
        text = self._asked
        self._known[text] = (
            answer.pictures[0]
            if isinstance(answer, talk.StencilsPictured)
            else {"areas": [], "trouble": answer.text}
        )
        told = self._waiting.pop(text, None)
        self._ask_next()
        if told is not None:
            told()


class StencilPicture(QWidget):
    """Shows how a stencil looks, with its extents."""

    def __init__(self) -> None:
        super().__init__()
        self.report: talk.StencilReport | None = None
        self.other: talk.StencilReport | None = None
        self.said = ""
        self.setMinimumSize(300, 190)
        self.setAccessibleName("the stencil from above")

    def sizeHint(self) -> QSize:
        return QSize(420, 240)

    def show_report(
        self,
        report: talk.StencilReport | None,
        other: talk.StencilReport | None = None,
        said: str = "",
    ) -> None:
        """Show how it looks, and what of it is otherwise where it is as ``other``: dashed what lies
        elsewhere, hatched what goes to another depth; ``said`` tells what that is."""
        self.report, self.other, self.said = report, other, said
        self.setAccessibleDescription(said)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        draw_stencil(painter, self.size(), self.report, self.other, foot=self.said or None)


def small_picture(report: talk.StencilReport | None, size: QSize, ratio: float) -> QPixmap:
    """The same as a small picture for lists."""
    picture = QPixmap(size * ratio)
    picture.setDevicePixelRatio(ratio)
    painter = QPainter(picture)
    draw_stencil(painter, size, report)
    painter.end()
    return picture


def draw_stencil(
    painter: QPainter,
    size: QSize,
    report: talk.StencilReport | None,
    other: talk.StencilReport | None = None,
    *,
    foot: str | None = "",
) -> None:
    """Draw it in the middle, with some of the board around, and what of it changes in ``other``.
    Words stand at its foot, or its extents where these are None."""
    t = theme()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.fillRect(0, 0, size.width(), size.height(), QColor(t.view))
    areas = report["areas"] if report is not None else []
    changes = _changes(areas, other["areas"]) if other is not None else []
    xs, ys = _coordinates([*areas, *changes])
    if not xs:
        return
    wide, high = max(xs) - min(xs), max(ys) - min(ys)
    middle = ((max(xs) + min(xs)) / 2, (max(ys) + min(ys)) / 2)
    low = 0.0 if foot == "" else 22.0
    beside = _BESIDE * max(wide, high)
    scale = min(
        (size.width() - 2 * _ROOM) / (wide + 2 * beside),
        (size.height() - 2 * _ROOM - low) / (high + 2 * beside),
    )
    centre = QPointF(size.width() / 2, (size.height() - low) / 2)

    def spot(x: float, y: float) -> QPointF:
        return centre + QPointF((x - middle[0]) * scale, (middle[1] - y) * scale)

    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(_WOOD))
    board = QPolygonF(
        [spot(sx * BOARD[0] / 2, sy * BOARD[1] / 2)
         for sx, sy in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
    )  # fmt: skip
    painter.setClipRect(QRectF(0, 0, size.width(), size.height() - low))
    painter.drawPolygon(board)
    for area in areas:
        painter.setPen(QPen(QColor(t.ink), min(1.1, max(0.3, 0.5 * scale))))
        painter.setBrush(_tone(area))
        painter.drawPath(_path(area, spot))
    there = {_outline(area) for area in areas}
    for area in changes:
        deeper = _outline(area) in there
        painter.setPen(QPen(QColor(t.madder), 1.5, Qt.PenStyle.DashLine))
        hatched = QBrush(QColor(t.madder), Qt.BrushStyle.BDiagPattern)
        painter.setBrush(hatched if deeper else Qt.BrushStyle.NoBrush)
        painter.drawPath(_path(area, spot))
    painter.setPen(QPen(QColor(t.slate_text), 1.4))
    at = spot(0.0, 0.0)
    painter.drawLine(at - QPointF(5, 0), at + QPointF(9, 0))
    painter.drawLine(at - QPointF(0, 5), at + QPointF(0, 5))
    painter.setClipping(False)
    if low:
        painter.setPen(QColor(t.madder if foot else t.quiet))
        painter.setFont(mono(11))
        said = foot or (
            f"{plain(wide, 1)} × {plain(high, 1)} mm, on a board of "
            + " × ".join(plain(length, 0) for length in BOARD)
            + " mm"
        )
        width = painter.fontMetrics().horizontalAdvance(said)
        painter.drawText(QPointF((size.width() - width) / 2, size.height() - 8), said)


def _coordinates(areas: Sequence[talk.AreaReport]) -> tuple[list[float], list[float]]:
    points = [point for area in areas for ring in area["rings"] for point in ring]
    return [x for x, _ in points], [y for _, y in points]


def _path(area: talk.AreaReport, spot: Callable[[float, float], QPointF]) -> QPainterPath:
    path = QPainterPath()
    for ring in area["rings"]:
        path.addPolygon(QPolygonF([spot(x, y) for x, y in ring]))
        path.closeSubpath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    return path


def _outline(area: talk.AreaReport) -> str:
    """What tells outlines apart."""
    return repr((area["cut"], area["rings"]))


def _changes(
    before: Sequence[talk.AreaReport], after: Sequence[talk.AreaReport]
) -> list[talk.AreaReport]:
    """The areas that are not there before, or are of another depth."""
    known = {(_outline(area), round(area["depth"], 4)) for area in before}
    return [area for area in after if (_outline(area), round(area["depth"], 4)) not in known]


def change_in(before: talk.StencilReport, after: talk.StencilReport, size: str) -> str:
    """What is drawn of the change of a size, in words; empty where nothing of it is seen."""
    changes = _changes(before["areas"], after["areas"])
    if not changes and len(before["areas"]) == len(after["areas"]):
        return ""
    there = {_outline(area) for area in before["areas"]}
    drawn = ["hatched" if _outline(area) in there else "dashed" for area in changes]
    how = " and ".join(sorted(set(drawn))) or "gone"
    return f"{how}: another value of {size}"


def _tone(area: talk.AreaReport) -> QColor:
    """The darker the deeper; what goes right through shows what lies below; what is added is
    lighter than the board."""
    if not area["cut"]:
        return QColor(_ADDED)
    if area["depth"] >= BOARD[2] - 1e-6:
        return QColor(theme().view)
    return QColor(_CUT).darker(100 + int(60 * min(1.0, max(0.0, area["depth"] / BOARD[2]))))
