"""Where the caliper is held: a small picture that follows the field which has the keyboard."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QFrame, QVBoxLayout, QWidget

from ...core.words import capital
from ...worker import talk
from ..theme import theme
from ..widgets.basics import label
from .paint import paint_strokes, paint_words

#: Asks for pictures of sizes; what takes the answer comes last.
AskSizes = Callable[[talk.SizesAsked, Callable[[Any], None]], None]
_WIDE, _HIGH = 250, 168


class CaliperCard(QFrame):
    """Shows the picture of the size whose field has the keyboard; hidden where there is none.
    ``fields`` say of each such field which size it is, ``called`` what sizes are called. One that
    ``stays`` keeps its place, and shows the size that had the keyboard last, or the first one."""

    def __init__(
        self, fields: Mapping[QWidget, str], called: Mapping[str, str], *, stays: bool = False
    ) -> None:
        super().__init__()
        self._stays, self._last = stays, ""
        policy = self.sizePolicy()
        policy.setRetainSizeWhenHidden(stays)
        self.setSizePolicy(policy)
        self.setObjectName("card")
        self._fields, self._called = fields, called
        self.pages: Mapping[str, talk.PageDrawn] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.setSpacing(2)
        self.title = label("", "small", wrap=True)
        self.picture = CaliperPicture()
        layout.addWidget(self.title)
        layout.addWidget(self.picture)
        # Room for two lines over it: a long name must not push the picture out.
        self.title.setFixedHeight(2 * self.title.fontMetrics().lineSpacing() + 2)
        self.setFixedSize(_WIDE + 22, _HIGH + self.title.height() + 20)
        self.hide()
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._follow)

    def show_pages(self, pages: Mapping[str, talk.PageDrawn]) -> None:
        """Have other pictures."""
        self.pages = pages
        self._follow(None, QApplication.focusWidget())

    def _follow(self, _: QWidget | None, now: QWidget | None) -> None:
        size = next(
            (
                size
                for field, size in self._fields.items()
                if now is not None and (field is now or field.isAncestorOf(now))
            ),
            "",
        )
        if self._stays:
            shown = (size, self._last, *self.pages)
            self._last = size = next((one for one in shown if one in self.pages), "")
        page = self.pages.get(size)
        self.setVisible(page is not None)
        if page is not None:
            name = self._called.get(size, size)
            self.title.setText(f"{capital(name)}: where to hold the caliper")
            self.picture.show_page(page)
            self.picture.setAccessibleName(f"where {name} is measured")


class CaliperPicture(QWidget):
    """One page, as large as it fits, in the colours of the window."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(_WIDE, _HIGH)
        self.page: talk.PageDrawn | None = None

    def show_page(self, page: talk.PageDrawn) -> None:
        self.page = page
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.page is None:
            return
        page, t = self.page, theme()
        scale = min(self.width() / page["wide"], self.height() / page["high"])
        left = (self.width() - page["wide"] * scale) / 2
        top = (self.height() - page["high"] * scale) / 2

        def to(x: float, y: float) -> QPointF:
            return QPointF(left + x * scale, top + (page["high"] - y) * scale)

        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for view in page["views"]:
            paint_strokes(painter, to, scale, view["strokes"], QColor(t.ink))
        for one in page["dimensions"]:
            paint_strokes(painter, to, scale, one["strokes"], QColor(t.madder))
            paint_words(painter, to, scale, one["words"], QColor(t.madder))
