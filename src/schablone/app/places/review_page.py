"""Review: the page that a second person reads before a design is published."""

from __future__ import annotations

import base64
from collections.abc import Callable, Sequence
from pathlib import Path

from markupsafe import Markup
from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Signal
from PySide6.QtGui import QPixmap, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...core.problem import SchabloneError
from ...core.prove.finding import Finding
from ...core.prove.loose import loose_numbers
from ...core.prove.ranges.told import ResultTold
from ...core.prove.size_report import not_known, size_report
from ...core.prove.tolerances import tolerance_run
from ...core.publish.review import review_text
from ..session import Session
from ..view3d.shown import ShownPart
from ..widgets.basics import button, label
from ..widgets.words_page import WordsPage
from .glance import small_picture

_PICTURE = QSize(300, 200)


class ReviewPage(QWidget):
    """``findings`` and ``ranged`` say what is known of the design now; ``parts`` are those on the
    screen. ``shown``: somebody looks at it."""

    shown = Signal()

    def __init__(
        self,
        session: Session,
        findings: Callable[[], Sequence[Finding]],
        ranged: Callable[[], ResultTold | None],
    ) -> None:
        super().__init__()
        self.session, self.findings, self.ranged = session, findings, ranged
        self.parts: Callable[[], list[ShownPart]] = list
        self._pictured: tuple[tuple[str, ...], Markup] = ((), Markup(""))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        row = QHBoxLayout()
        row.addWidget(label("For a second person, before it is published", "quiet"))
        row.addStretch(1)
        self.said = label("", "small")
        row.addWidget(self.said)
        row.addWidget(button("Print …", "plain", self._print, "On paper, or into a PDF file"))
        row.addWidget(button("Save …", "main", self._save, "As Markdown or HTML"))
        layout.addLayout(row)
        self.page = WordsPage("the review")
        layout.addWidget(self.page, 1)
        session.changed.connect(self.refresh)
        session.read_off.connect(self.refresh)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Write the page as all is now."""
        if not self.isVisible():
            return
        self.shown.emit()  # what is said of the whole range is of the design as it is by now
        session = self.session
        design, table = session.design, session.table
        lines = size_report(design, session.measures, session.process, table, session.machines)
        shares = tolerance_run(design, session.measures, lines)
        text = review_text(
            design, session.process, table, self.findings(), self.ranged(),
            loose_numbers(design, table), shares,
            not_known(design, session.measures, table, lines, session.process),
        )  # fmt: skip
        self.page.show_markdown(text, f"Review of {design.name}", self._picture())

    def _picture(self) -> Markup:
        """The parts on the screen, as HTML that needs no other file."""
        parts = self.parts()
        keys = tuple(part.key for part in parts)
        if parts and keys != self._pictured[0]:
            data, wide, high = _png(small_picture(parts, _PICTURE)), *_PICTURE.toTuple()
            image = Markup('<p><img width="{}" height="{}" alt="the part" src="{}"></p>')
            shown = image.format(wide, high, f"data:image/png;base64,{data}")
            self._pictured = keys, shown
        return self._pictured[1] if parts else Markup("")

    def _print(self) -> None:
        self.page.print_dialog()

    def _save(self) -> None:
        path = self.page.save_dialog(f"Review of {self.session.design.name}")
        if path is not None:
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write the page; what goes wrong is said beside it."""
        try:
            self.page.save_to(path)
            self.said.setText(f"Saved {path.name}.")
        except SchabloneError as error:
            self.said.setText(str(error))


def _png(picture: QPixmap) -> str:
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")
    return base64.b64encode(bytes(data.data())).decode("ascii")
