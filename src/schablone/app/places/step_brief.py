"""What a card says of a step in one line, as long as nobody works at it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...core.design import edit as edits
from ...core.design.text import plain_piece
from ...core.steps import Step
from ...core.steps.drawn import say_drawing
from ...core.steps.sentence import ChoicePiece, FormulaPiece, SentencePiece, Words
from ...core.steps.sketch import Sketch
from ..theme import mono, theme

_SHAPES = {"polyline": "closed line", "text": "line of text"}
_TALL, _GAP, _INSET = 19, 4.0, 4.0
#: What is narrower than this, pixels, says nothing; to so much words are cut, that so much at least
#: of a formula after them is seen.
_LEAST, _WORDS, _FORMULA = 16, 70, 40


@dataclass(frozen=True, slots=True)
class Run:
    """Some words, or a formula with the path at which it is typed."""

    text: str
    path: str = ""


def brief_of(step: Step) -> list[Run]:
    """The first line of its sentence, which says what it does; of a sketch, what is on it."""
    first, *_ = step.sentence()
    runs: list[Run] = []
    for piece in first:
        if isinstance(piece, FormulaPiece):
            runs.append(Run(str(edits.get_path(step, piece.path)), piece.path))
        elif said := plain_piece(piece, step):
            runs.append(Run(said))
    if isinstance(step, Sketch):
        last = runs.pop() if runs and not runs[-1].path else Run("")
        runs.append(Run(last.text + _on_it(step)))
    return runs


def _on_it(step: Sketch) -> str:
    counts = Counter(_SHAPES.get(shape.kind, shape.kind) for shape in step.shapes)
    words = [_several(count, kind) for kind, count in counts.items()]
    if step.drawing.elements:
        words.append(say_drawing(step.drawing).removeprefix("drawing of "))
    return f": {', '.join(words)}" if words else ", empty so far"


def _several(count: int, kind: str) -> str:
    if count == 1:
        return f"a {kind}"
    head, _, rest = kind.partition(" of ")
    return f"{count} {head}s" + (f" of {rest}" if rest else "")


def is_at_defaults(step: Step, line: Sequence[SentencePiece]) -> bool:
    """Whether a line of the sentence holds choices only, and none that was ever changed."""
    fields = type(step).model_fields
    choices = [piece for piece in line if isinstance(piece, ChoicePiece)]
    if not choices or any(not isinstance(piece, ChoicePiece | Words) for piece in line):
        return False
    return all(
        piece.path in fields and edits.get_path(step, piece.path) == fields[piece.path].default
        for piece in choices
    )


def _fitted(runs: Sequence[Run], fonts: Sequence[QFont], room: float) -> list[float]:
    """How wide each run may be, pixels: where there is too little room for the last formula, words
    before it are cut short, the longest first; unless nothing of it would be seen even then."""
    wide = [
        QFontMetricsF(font).horizontalAdvance(run.text) + (2 * _INSET if run.path else 0.0)
        for run, font in zip(runs, fonts, strict=True)
    ]
    last = max((k for k, run in enumerate(runs) if run.path), default=-1)
    over = max(sum(wide[: last + 1]) + _GAP * last - room, 0.0)
    words = (k for k, run in enumerate(runs[: last + 1]) if not run.path)
    less = dict.fromkeys(range(len(runs)), 0.0)
    for k in sorted(words, key=lambda k: -wide[k]):
        less[k] = min(over, max(wide[k] - _WORDS, 0.0))
        over -= less[k]
    if last >= 0 and over > max(wide[last] - _FORMULA, 0.0):
        return wide
    return [width - less[k] for k, width in enumerate(wide)]


class BriefLine(QWidget):
    """The runs of a step in one line, cut short where there is no room for all. ``edit_wanted``
    gives the path of a formula that was clicked."""

    edit_wanted = Signal(str)

    def __init__(self, runs: Sequence[Run]) -> None:
        super().__init__()
        self._runs = tuple(runs)
        self._spots: list[tuple[QRectF, str]] = []
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(" ".join(run.text for run in runs))

    def sizeHint(self) -> QSize:
        return QSize(120, _TALL)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t, plain, fixed = theme(), QFont(self.font()), mono(11)
        plain.setPixelSize(13)
        fonts = [fixed if run.path else plain for run in self._runs]
        x, self._spots = 0.0, []
        wanted = zip(self._runs, fonts, _fitted(self._runs, fonts, self.width()), strict=True)
        for run, font, wide in wanted:
            metrics = QFontMetricsF(font)
            inset = _INSET if run.path else 0.0
            room = min(wide, self.width() - x) - 2 * inset
            if room < _LEAST and metrics.horizontalAdvance(run.text) > room:
                if metrics.horizontalAdvance("…") <= self.width() - x:
                    painter.setPen(QColor(t.quiet))
                    painter.drawText(QRectF(x, 1, self.width() - x, _TALL - 2), "…")
                break
            text = metrics.elidedText(run.text, Qt.TextElideMode.ElideRight, room + 0.01)
            box = QRectF(x, 1, metrics.horizontalAdvance(text) + 2 * inset, _TALL - 2)
            painter.setFont(font)
            if run.path and text:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(t.chip))
                painter.drawRoundedRect(box, 4, 4)
                self._spots.append((box, run.path))
            painter.setPen(QColor(t.ink if run.path else t.quiet))
            painter.drawText(
                box.adjusted(inset, 0, 0, 0),
                int(Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextDontClip),
                text,
            )
            x += box.width() + _GAP

    def _path_at(self, event: QMouseEvent) -> str:
        spot = event.position()
        return next((path for box, path in self._spots if box.contains(spot)), "")

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.setCursor(
            Qt.CursorShape.IBeamCursor if self._path_at(event) else Qt.CursorShape.ArrowCursor
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if path := self._path_at(event):
            self.edit_wanted.emit(path)
        else:
            event.ignore()

    def changeEvent(self, event: QEvent) -> None:
        self.update()
