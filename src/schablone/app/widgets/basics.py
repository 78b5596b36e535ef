"""Labels, rules, cards and marks."""

from __future__ import annotations

import html
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from weakref import WeakKeyDictionary

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QAction, QColor, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QLabel,
    QLayout,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTableWidgetItem,
    QWidget,
)

from ..theme import theme


def label(text: str, name: str = "", *, wrap: bool = False) -> QLabel:
    """A label in one of the styles of the theme."""
    shown = QLabel(text)
    shown.setTextFormat(Qt.TextFormat.PlainText)
    if name:
        shown.setObjectName(name)
    if wrap:
        shown.setWordWrap(True)
        shown.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    return shown


def on_hover(on: QWidget | QAction | QTableWidgetItem | QListWidgetItem, text: str) -> None:
    """Say something on hover, letter for letter: what looks like markup is text, too."""
    if "<" in text or "&" in text:
        text = f"<span>{html.escape(text)}</span>".replace("\n", "<br>")
    on.setToolTip(text)


def rule() -> QFrame:
    """A thin line across."""
    line = QFrame()
    line.setObjectName("rule")
    return line


def button(text: str, name: str, does: Callable[[], object], hint: str = "") -> QPushButton:
    """A button in one of the styles of the theme."""
    made = QPushButton(text)
    made.setObjectName(name)
    made.clicked.connect(lambda: does())
    on_hover(made, hint)
    made.setAccessibleName(hint or text)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    return made


def restyle(widget: QWidget, **properties: object) -> None:
    """Set properties that the style sheet looks at, and let it look again."""
    changed = False
    for name, value in properties.items():
        if widget.property(name) != value:
            widget.setProperty(name, value)
            changed = True
    if changed:
        widget.style().unpolish(widget)
        widget.style().polish(widget)
        widget.update()


def show_if(widget: QWidget, wanted: bool) -> None:
    """Show or hide what lies in something. What was never hidden comes up with that: to be shown
    before, it would be styled where it does not lie yet, and again there."""
    around = widget.parentWidget()
    is_new = not widget.testAttribute(Qt.WidgetAttribute.WA_WState_ExplicitShowHide)
    if not (wanted and is_new and around is not None and not around.isVisible()):
        widget.setVisible(wanted)


def clear(layout: QLayout) -> None:
    """Take everything out of a layout. What is pressed while it is taken out does nothing any more:
    a press that ends a line in hand may be on what that line's edit takes away."""
    while layout.count():
        item = layout.takeAt(0)
        if (widget := item.widget()) is not None:
            widget.setEnabled(False)
            widget.hide()
            widget.deleteLater()
        elif (inner := item.layout()) is not None:
            clear(inner)


@contextmanager
def kept_place(area: QScrollArea, *standing: QWidget) -> Iterator[None]:
    """Fill a scroll area anew inside: who has read down to a place stays there.

    What is ``standing`` in it is not made anew, but may be pushed up or down by what is: whoever
    sees one goes on seeing it where it is, so that a click does not miss it."""
    # Filled again before it was laid out, it still belongs where it was before the first time.
    place = _PLACES.get(area) or _Place(area, standing)
    _PLACES[area] = place
    yield
    if place.seen is None:
        area.verticalScrollBar().setValue(place.at)
    # What is new gets its height with the next event; until then the bar knows nothing of it.
    QTimer.singleShot(0, area, lambda: _put_back(area))


class _Place:
    """How far a scroll area is turned, and what is seen there that stands."""

    def __init__(self, area: QScrollArea, standing: Sequence[QWidget]) -> None:
        self.at = area.verticalScrollBar().value()
        # Who has not gone down sees what is new first, as it belongs.
        self.seen = next((one for one in standing if self.at and _is_seen(one, area)), None)
        self.top = 0 if self.seen is None else _top(self.seen, area)


_PLACES: WeakKeyDictionary[QScrollArea, _Place] = WeakKeyDictionary()


#: A page is laid out in several goes: so often it is looked at again, and so long after, ms.
_TRIES, _PAUSE = 12, 15


def _put_back(area: QScrollArea, tries: int = _TRIES, left: tuple[int, int] | None = None) -> None:
    """Turn it to where it was. ``left`` is how it was left the last time, and how far it could be
    turned then: what a hand does in between stays."""
    place, bar = _PLACES.get(area), area.verticalScrollBar()
    if place is None:
        return
    if not tries or (left and bar.maximum() == left[1] and bar.value() != left[0]):
        del _PLACES[area]
        return
    if place.seen is not None and not place.seen.isHidden():
        bar.setValue(bar.value() + _top(place.seen, area) - place.top)
    else:
        bar.setValue(place.at)
    now = bar.value(), bar.maximum()
    QTimer.singleShot(_PAUSE, area, lambda: _put_back(area, tries - 1, now))


def _top(one: QWidget, area: QScrollArea) -> int:
    return one.mapTo(area.viewport(), QPoint(0, 0)).y()


def _is_seen(one: QWidget, area: QScrollArea) -> bool:
    top = _top(one, area)
    return one.isVisible() and -one.height() < top < area.viewport().height()


class Elided(QLabel):
    """A line of text that is shortened to the room there is; the whole is the tooltip."""

    def __init__(self, text: str = "", name: str = "") -> None:
        super().__init__()
        self.setObjectName(name)
        self._whole = ""
        self.set_whole(text)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def set_whole(self, text: str) -> None:
        self._whole = text
        self.setAccessibleName(text)
        self.update()

    def whole(self) -> str:
        return self._whole

    def minimumSizeHint(self) -> QSize:
        return QSize(20, super().sizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        shown = self.fontMetrics().elidedText(
            self._whole, Qt.TextElideMode.ElideRight, self.width()
        )
        on_hover(self, self._whole if shown != self._whole else "")
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.setFont(self.font())
        painter.drawText(self.rect(), int(self.alignment() | Qt.AlignmentFlag.AlignVCenter), shown)


#: How the roles of sizes are marked: drawn, and said on hover.
ROLES = {
    "set": "set: typed by you",
    "worked out": "worked out from other sizes",
    "read off": "read off: what a step works out",
    "from the process": "from the process: follows the machine",
}


class RoleMark(QWidget):
    """The role of a size as a small sign: a dot, two bars, a foot line, a diamond."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(14, 18)
        self.role = "set"

    def set_role(self, role: str) -> None:
        self.role = role
        on_hover(self, ROLES.get(role, role))
        self.setAccessibleName(ROLES.get(role, role))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink = QColor(t.ink)
        if self.role == "set":
            painter.setBrush(ink)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QPointF(7, 9), 3.6, 3.6)
        elif self.role == "worked out":
            painter.setPen(QPen(QColor(t.quiet), 1.8))
            painter.drawLine(QPointF(3, 7), QPointF(11, 7))
            painter.drawLine(QPointF(3, 11), QPointF(11, 11))
        elif self.role == "read off":
            painter.setPen(QPen(QColor(t.plum), 1.8))
            painter.drawLine(QPointF(3, 13), QPointF(11, 13))
            painter.drawLine(QPointF(7, 13), QPointF(7, 4.5))
        else:
            painter.setPen(QPen(QColor(t.slate), 1.8))
            painter.drawPolygon(
                [QPointF(7, 4.5), QPointF(11.5, 9), QPointF(7, 13.5), QPointF(2.5, 9)]
            )


class LimitBar(QWidget):
    """Where a value stands within its limits."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(104, 12)
        self._share: float | None = None
        self._held = False

    def set_share(self, share: float | None, held: bool) -> None:
        """``share`` from 0 to 1, or None where one end is open."""
        self._share, self._held = share, held
        self.setAccessibleName(
            "" if share is None else f"{share:.0%} of the way between its limits"
        )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.rule))
        whole = QRectF(0, 4.5, self.width(), 3)
        painter.drawRoundedRect(whole, 1.5, 1.5)
        if self._share is None:
            return
        x = 4 + self._share * (self.width() - 8)
        painter.setBrush(QColor(t.ochre if self._held else t.kraft))
        painter.drawRoundedRect(QRectF(0, 4.5, x, 3), 1.5, 1.5)
        painter.setBrush(QColor(t.ochre if self._held else t.ink))
        painter.drawEllipse(QPointF(x, 6), 4, 4)


class ScrollColumn(QWidget):
    """What stands in a scroll area: as tall as its layout needs at the width that there is.

    Qt asks a layout with wrapped lines only for the least height at its best width, and squeezes
    the rest.
    """

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._stretch()

    def event(self, event: QEvent) -> bool:
        done = super().event(event)
        if event.type() == QEvent.Type.LayoutRequest:
            self._stretch()
        return done

    def _stretch(self) -> None:
        layout = self.layout()
        if layout is not None and self.width() > 1:
            wanted = (
                layout.totalHeightForWidth(self.width())
                if layout.hasHeightForWidth()
                else layout.sizeHint().height()
            )
            if wanted != self.minimumHeight():
                self.setMinimumHeight(wanted)


def scrolled(inner: QWidget, *, sideways: bool = False) -> QScrollArea:
    """What is scrolled where it is taller than its room; ``sideways`` also where it is wider."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    if not sideways:
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inner)
    return area


class Flow(QWidget):
    """Lays widgets out like words: left to right, on to the next line where there is no room.

    A widget with the property ``full_line`` takes a line of its own.
    """

    def __init__(self, gap: int = 5, line_gap: int = 4) -> None:
        super().__init__()
        self._words: list[QWidget] = []
        self._gap, self._line_gap = gap, line_gap
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def put(self, widget: QWidget, after: QWidget | None = None) -> None:
        """Add a widget at the end, or behind another."""
        at = self._words.index(after) + 1 if after is not None else len(self._words)
        self._words.insert(at, widget)
        widget.setParent(self)
        if after is not None:
            widget.show()
        self.updateGeometry()

    def take(self, widget: QWidget) -> None:
        """Take a widget out and let it go."""
        self._words.remove(widget)
        widget.hide()
        widget.deleteLater()
        self.updateGeometry()
        self._arrange(self.width(), move=True)

    def natural_width(self) -> int:
        """How wide it is where all has room in one line, px."""
        seen = [widget for widget in self._words if not widget.isHidden()]
        gaps = self._gap * max(0, len(seen) - 1)
        return sum(widget.sizeHint().width() for widget in seen) + gaps

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._arrange(width, move=False)

    def sizeHint(self) -> QSize:
        return QSize(200, self._arrange(max(self.width(), 120), move=False))

    def minimumSizeHint(self) -> QSize:
        return QSize(120, 20)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._arrange(self.width(), move=True)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self._arrange(self.width(), move=True)
            self.updateGeometry()
        return super().event(event)

    def _arrange(self, width: int, *, move: bool) -> int:
        x = y = tall = 0
        line: list[tuple[QWidget, int, QSize]] = []

        def finish() -> None:
            if move:
                for widget, at, size in line:
                    widget.setGeometry(
                        at, y + (tall - size.height()) // 2, size.width(), size.height()
                    )

        for widget in self._words:
            if widget.isHidden():
                continue
            size = widget.sizeHint()
            if widget.property("full_line"):
                size = QSize(
                    width,
                    widget.heightForWidth(width) if widget.hasHeightForWidth() else size.height(),
                )
            size.setWidth(min(size.width(), max(40, width)))
            if line and x + size.width() > width:
                finish()
                x, y, tall, line = 0, y + tall + self._line_gap, 0, []
            line.append((widget, x, size))
            x += size.width() + self._gap
            tall = max(tall, size.height())
        finish()
        return y + tall
