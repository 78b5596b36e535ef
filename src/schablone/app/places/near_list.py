"""What lies next to what, as a list on the page of checks: how far apart, where, and the least gap
that is asked for."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout

from ...core.quantity import LENGTH, plain
from ...worker import talk
from ..session import Session
from ..widgets.basics import button, clear, label
from ..widgets.formula_edit import FormulaEdit
from .page_list import PageList

#: How many pairs are listed one by one.
_MOST = 14


class NearList(PageList):
    """``look_at`` names words and a point, mm, that are to be shown on the part."""

    look_at = Signal(str, object)

    def __init__(self, session: Session) -> None:
        super().__init__("NEXT TO EACH OTHER")
        self.session = session
        self.pairs: list[talk.NearReport] = []
        self._gap = QHBoxLayout()
        self.above.addLayout(self._gap)
        self.touching = label("", "small", wrap=True)
        self.below.addWidget(self.touching)
        self.ways = label("", "small", wrap=True)
        self.below.addWidget(self.ways)
        self.editor: FormulaEdit | None = None
        session.changed.connect(self._show_gap)
        self._show_gap()

    def _show_gap(self) -> None:
        """The least gap, typed where it stands."""
        now = self.session.design.least_gap
        if self.editor is not None:
            if self.editor.line.hasFocus():
                return
            self.editor.follow(now)
            if self.editor.line.text() == now:
                return
        clear(self._gap)
        self._gap.addWidget(label("What does not touch is apart by at least", "quiet"))
        self.editor = FormulaEdit(
            now,
            lambda: self.session.table,
            wanted=LENGTH,
            placeholder="0.5 mm",
            may_be_empty=True,
        )
        self.editor.line.setAccessibleName("least gap")
        self.editor.setFixedWidth(200)
        self.editor.committed.connect(self._take)
        self._gap.addWidget(self.editor)
        self._gap.addStretch(1)

    def _take(self, text: str) -> None:
        self.editor = None
        self.session.edit(
            lambda design: design.model_copy(update={"least_gap": text}),
            f"least gap {text}" if text else "no least gap",
        )
        self._show_gap()

    def show_ways(self, words: list[str]) -> None:
        """Which way parts come off each other."""
        self.ways.setText(". ".join(words) + "." if words else "")
        self.ways.setVisible(bool(words))

    def show_pairs(self, pairs: list[talk.NearReport]) -> None:
        """List them: what runs into each other first, then the nearest."""
        self.pairs = pairs
        self.show_ways([])
        clear(self.rows)
        listed = [pair for pair in pairs if pair["how"] != "touching"][:_MOST]
        for k, pair in enumerate(listed):
            words = f"{pair['first']} and {pair['second']}"
            into = pair["how"] in ("into", "unknown")
            self.rows.addWidget(label(words, "wrong" if into else ""), k, 0)
            far = f"{plain(pair['gap'], 3)} mm"
            said = {
                "apart": far,
                "pressed": f"pressed by {far}",
                "into": f"into each other by {far}",
                "unknown": "cannot be compared",
            }[pair["how"]]
            number = label(said, "wrong" if into else "strong")
            number.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.rows.addWidget(number, k, 1)
            show = button(
                "Show me",
                "link",
                lambda pair=pair: self.look_at.emit(pair["words"], pair["at"]),
                f"Show where: {pair['words']}",
            )
            self.rows.addWidget(show, k, 2)
        touching = [f"{p['first']} and {p['second']}" for p in pairs if p["how"] == "touching"]
        rest = f" and {len(touching) - 6} more pairs" if len(touching) > 6 else ""
        self.touching.setText(f"Touching: {'; '.join(touching[:6])}{rest}." if touching else "")
        self.touching.setVisible(bool(touching))
        self.setVisible(len(pairs) > 0)
