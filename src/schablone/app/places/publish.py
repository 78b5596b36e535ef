"""Publish: which sizes others may adjust, what the edition says, and writing it."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from ...core.publish.edition import problems_before_publishing
from ..gallery_place import reports_in
from ..session import Session
from ..widgets.basics import button, label, scrolled
from ..widgets.pages import Pages
from .editions_card import EditionsCard
from .heard_page import HeardPage
from .publish_adjust import AdjustColumn
from .publish_says import SaysColumn
from .writing_line import WritingLine


class PublishPlace(QWidget):
    """What an edition offers and says. ``write_wanted`` asks for the edition to be written."""

    write_wanted = Signal()
    gallery_wanted = Signal()
    sheet_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self._is_writing = False
        #: The window of the practice gallery, as long as it is open.
        self.gallery: QWidget | None = None
        whole = QVBoxLayout(self)
        whole.setContentsMargins(28, 20, 28, 18)
        whole.setSpacing(12)
        page = QWidget()
        page.setObjectName("page")
        self.heard = HeardPage(session, reports_in(session.library.reports))
        self.pages = Pages({"The edition": page, "What came back": self.heard})
        whole.addWidget(self.pages.switch)
        whole.addWidget(self.pages, 1)
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        head = QHBoxLayout()
        head.addWidget(label("Publish", "page_title"))
        head.addStretch(1)
        head.addWidget(
            button("Drawing sheet …", "link", self.sheet_wanted.emit, "All parts with their sizes")
        )
        head.addWidget(
            button(
                "Practice gallery …",
                "link",
                self.gallery_wanted.emit,
                "Look at the practice gallery",
            )
        )
        self.write = button(
            "Write the edition …", "primary", self.write_wanted.emit, "Write the edition to a file"
        )
        head.addWidget(self.write)
        layout.addLayout(head)
        layout.addWidget(
            label(
                "An edition is one file: the adjustable design, ready-made files for the usual "
                "sizes, a picture, and what people "
                "must know. Whoever opens it chooses their own machine and gets the same fit.",
                "quiet",
                wrap=True,
            )
        )
        self.writing = WritingLine()
        layout.addWidget(self.writing)
        self.trouble = label("", "wrong", wrap=True)
        self.trouble.hide()
        layout.addWidget(self.trouble)
        columns = QHBoxLayout()
        columns.setSpacing(22)
        layout.addLayout(columns, 1)
        self.adjusting, self.says = AdjustColumn(session), SaysColumn(session)
        columns.addWidget(_scrolled(self.adjusting), 3)
        right = QVBoxLayout()
        right.addLayout(self.says)
        right.addSpacing(6)
        self.editions = EditionsCard(session, self.says.say)
        self.editions.numbered.connect(lambda n: self.write.setText(f"Write edition {n} …"))
        right.addWidget(self.editions)
        right.addStretch(1)
        columns.addWidget(_scrolled(right), 2)
        session.changed.connect(self.refresh)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()

    def show_writing(self, on: bool) -> None:
        """An edition is being written, or no longer."""
        self._is_writing = on
        self.write.setEnabled(False)
        if on:
            self.writing.begin()
        else:
            self.writing.hide()
            self.refresh()

    def refresh(self) -> None:
        if not self.isVisible():
            return
        design = self.session.design
        wrong = problems_before_publishing(design)
        self.trouble.setText("\n".join(problem.text for problem in wrong))
        self.trouble.setVisible(bool(wrong))
        self.write.setEnabled(not wrong and not self._is_writing)
        self.adjusting.show_design(design)
        self.says.show_design(design)
        self.editions.refresh()


def _scrolled(column: QVBoxLayout) -> QScrollArea:
    inner = QWidget()
    inner.setObjectName("page")
    column.setContentsMargins(0, 0, 8, 0)
    column.setSpacing(8)
    inner.setLayout(column)
    return scrolled(inner)
