"""What comes out: of a hundred pieces, how many are as they are meant to be, and what to know
better so that more are."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QShowEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from ...core.prove.size_report import not_known, size_report
from ...core.prove.tolerances import DRAWS, Share, tolerance_run
from ...core.quantity import plain
from ...core.words import say_name
from ..session import Session
from ..theme import theme
from ..widgets.basics import button, clear, kept_place, label, scrolled
from .page_list import PageList

_HEADS = ("", "meant to be", "comes off, mm", "", "comes out", "what would help most", "")
#: Where so many of a hundred come out there is nothing to mend.
_GOOD = 0.95


class ShareBar(QWidget):
    """A share as the filled part of a line."""

    def __init__(self, share: float) -> None:
        super().__init__()
        self.share = share
        self.setFixedSize(QSize(92, 10))

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.rule))
        painter.drawRoundedRect(QRectF(0, 3, self.width(), 4), 2, 2)
        painter.setBrush(QColor(t.sage if round(self.share, 2) >= _GOOD else t.ochre))
        painter.drawRoundedRect(QRectF(0, 2, self.width() * self.share, 6), 3, 3)


class ComesOutPage(QWidget):
    """``go_to`` names a size; ``process_wanted`` asks for the place where machines are
    calibrated."""

    go_to = Signal(str, str)
    process_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.title = label("", "heading", wrap=True)
        self.said = label("", "quiet", wrap=True)
        layout.addWidget(self.title)
        layout.addWidget(self.said)
        self.list = PageList("SIZES AND FITS", apart=18)
        self.list.setMaximumWidth(1120)
        inner = QWidget()
        inner.setObjectName("page")
        holds = QVBoxLayout(inner)
        holds.setContentsMargins(0, 0, 8, 0)
        holds.addWidget(self.list)
        self.calibrate = button(
            "Calibrate the machine", "link", self.process_wanted.emit, "To the machine's page"
        )
        holds.addWidget(self.calibrate, 0, Qt.AlignmentFlag.AlignLeft)
        holds.addStretch(1)
        self._area = scrolled(inner, sideways=True)
        layout.addWidget(self._area, 1)
        session.read_off.connect(self._refresh_if_seen)
        session.changed.connect(self._refresh_if_seen)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def _refresh_if_seen(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Draw the pieces of the design as it was built last."""
        with kept_place(self._area):
            self._fill()

    def _fill(self) -> None:
        session = self.session
        lines = size_report(
            session.design, session.measures, session.process, session.table, session.machines
        )
        shares = tolerance_run(session.design, session.measures, lines)
        untold = not_known(session.design, session.measures, session.table, lines, session.process)
        clear(self.list.rows)
        self.list.setVisible(bool(shares))
        guessed = any(not share.measured for share in shares)
        self.calibrate.setVisible(guessed)
        if untold and not shares:
            self.title.setText("What comes out is not known")
            self.said.setText(untold)
            return
        if not shares:
            self.title.setText("Nothing says yet how good is good enough")
            self.said.setText(
                "Give a size a tolerance, or a fit such as hole_for(dowel, sliding): then pieces "
                "are drawn with all that is not known of the machine, and counted."
            )
            return
        worst = shares[0]
        count = round(100 * worst.share)
        self.title.setText(
            f"Of a hundred pieces, {count} have {worst.words} as it is meant"
            if round(worst.share, 2) < _GOOD
            else "All that is known here comes out in 95 of 100 pieces or more"
            if untold
            else "All that has a tolerance or a fit comes out in 95 of 100 pieces or more"
        )
        beside = (
            " Some of it was never measured on the machine: for that, machines of its kind are "
            "drawn as they differ."
            if guessed
            else ""
        )
        self.said.setText(
            f"{DRAWS} pieces on {session.process.name}, each with its share of what is not known "
            "of the machine, of the day, of the single piece and of the stock."
            f"{beside} {untold}".strip()
        )
        for column, head in enumerate(_HEADS):
            shown = label(head, "small")
            shown.setAlignment(_side(column))
            self.list.rows.addWidget(shown, 0, column)
        for row, share in enumerate(shares, 1):
            self._show(row, share)

    def _show(self, row: int, share: Share) -> None:
        many = f"{100 * share.share:.0f} of 100"
        help_words = (
            f"know the {share.better}: {100 * share.share_then:.0f} of 100"
            if share.better
            else "nothing by itself"
            if round(share.share, 2) < _GOOD
            else ""
        )
        texts = {
            0: (share.words, "strong"),
            1: (share.meant, ""),
            2: (f"{plain(share.expected, 2)} ± {plain(1.96 * share.spread, 2)}", ""),
            4: (many, "strong" if round(share.share, 2) >= _GOOD else "wrong"),
            5: (help_words, ""),
        }
        for column, (text, kind) in texts.items():
            shown = label(text.replace("-", "−") if column == 2 else text, kind)
            shown.setAlignment(_side(column))
            self.list.rows.addWidget(shown, row, column)
        self.list.rows.addWidget(ShareBar(share.share), row, 3, Qt.AlignmentFlag.AlignVCenter)
        self.list.rows.addWidget(
            button("Change", "link", lambda: self.go_to.emit("size", share.size),
                   f"Go to {say_name(share.size)}"), row, 6,
        )  # fmt: skip


def _side(column: int) -> Qt.AlignmentFlag:
    right = Qt.AlignmentFlag.AlignRight if column in (2, 4) else Qt.AlignmentFlag.AlignLeft
    return right | Qt.AlignmentFlag.AlignVCenter
