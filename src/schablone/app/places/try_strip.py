"""The strip under the part: values of a size to try, each with a picture of the part that it
gives."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from ...core.design import edit as edits
from ...core.problem import Problem
from ...core.quantity import Kind, Quantity, plain
from ...core.words import do_not, say_name
from ...worker import talk
from ...worker.messages import Arrays
from ..session import Session
from ..view3d.shown import ShownPart, part_from
from ..widgets.basics import button, clear, label, on_hover, restyle
from .glance import small_picture

_PICTURE = QSize(84, 56)


class TryCard(QFrame):
    """One value. A click shows its part large; *Keep* makes it the size's value."""

    looked_at = Signal(object)
    kept = Signal(str)

    def __init__(
        self, session: Session, answer: talk.Tried, parts: list[ShownPart], picture: QPixmap | None
    ) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setMinimumWidth(100)
        self.parts, self.formula, self.why = parts, answer.formula, answer.why
        self.report = report = answer.report
        value = Quantity(answer.value[0], Kind(*answer.value[1]))
        said = session.say(value)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(5, 5, 5, 5)
        layout.setSpacing(1)
        shown = label("")
        shown.setFixedSize(_PICTURE)
        shown.setAlignment(Qt.AlignmentFlag.AlignCenter)
        if picture is not None:
            shown.setPixmap(picture)
        layout.addWidget(shown)
        layout.addWidget(label(said, "strong"), 0, Qt.AlignmentFlag.AlignHCenter)
        wrong = next(
            (
                Problem.model_validate(p)
                for p in report["problems"]
                if p["severity"] == "error" and not p["waits_for"]
            ),
            None,
        )
        failing = [f["name"] for f in report["findings"] if not f["holds"]]
        changed = next(
            (
                f"{plain(n)} {say_name(name)}"
                for name, n in answer.changed.items()
                if "." not in name
            ),
            "",
        )
        good = changed or ("a count changes" if answer.why.startswith("where") else answer.why)
        fails = f"{len(failing)} {do_not(len(failing))} hold" if failing else good
        note = label("cannot be built" if wrong else fails, "small")
        restyle(note, wrong=bool(wrong or failing))
        tip = (
            wrong.text
            if wrong
            else "Does not hold: " + "; ".join(failing)
            if failing
            else answer.why
        )
        counts = ", ".join(
            f"{say_name(name)} {plain(count)}"
            for name, count in answer.counts.items()
            if "." not in name
        )
        on_hover(self, f"{tip}\n{counts}".strip())
        self.setAccessibleName(f"{said}: {tip}. {counts}")
        layout.addWidget(note, 0, Qt.AlignmentFlag.AlignHCenter)
        if answer.why != "now" and not wrong:
            keep = button("Keep", "link", lambda: self.kept.emit(self.formula), f"Make it {said}")
            layout.addWidget(keep, 0, Qt.AlignmentFlag.AlignHCenter)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.looked_at.emit(self)


class TryStrip(QFrame):
    """``looked_at`` gives the card whose parts are to be shown large; ``closed`` asks for the part
    of the design again."""

    looked_at = Signal(object)
    closed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.session, self.size_name = session, ""
        self.cards: list[TryCard] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 6, 12, 8)
        layout.setSpacing(4)
        head = QHBoxLayout()
        self.said = label("", "quiet")
        head.addWidget(self.said)
        head.addStretch(1)
        head.addWidget(button("Close", "link", self.close_strip, "Back to the part as it is (Esc)"))
        layout.addLayout(head)
        inner = QWidget()
        inner.setObjectName("page")
        self._row = QHBoxLayout(inner)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(7)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        area.setFixedHeight(150)
        layout.addWidget(area)
        self.hide()

    def begin(self, size: str) -> None:
        """An empty strip for a size."""
        self.size_name, self.cards = size, []
        clear(self._row)
        self._row.addStretch(1)
        self.said.setText(f"Try {say_name(size)}: building …")
        self.show()

    def take(self, answer: talk.Tried | talk.Refused | talk.GivenUp, arrays: Arrays) -> None:
        """One value built; or why nothing could be tried."""
        if isinstance(answer, talk.GivenUp):
            self.said.setText(f"Try {say_name(self.size_name)}: the rest was not built")
            return
        if isinstance(answer, talk.Refused):
            self.said.setText(answer.text)
            return
        report = answer.report
        parts = [part_from(part, arrays, number) for number, part in enumerate(report["parts"])]
        card = TryCard(
            self.session,
            answer,
            parts,
            small_picture(parts, _PICTURE) if report["whole"] and parts else None,
        )
        card.looked_at.connect(self._look)
        card.kept.connect(self._keep)
        restyle(card, chosen=answer.why == "now")
        self.cards.append(card)
        self._row.insertWidget(self._row.count() - 1, card)
        done = (
            "smallest, where a count changes, largest"
            if answer.last
            else f"{answer.number + 1} of {answer.count} built"
        )
        self.said.setText(f"Try {say_name(self.size_name)}: {done}")

    def _look(self, card: TryCard) -> None:
        for other in self.cards:
            restyle(other, chosen=other is card)
        if card.parts:
            self.looked_at.emit(card)

    def _keep(self, formula: str) -> None:
        size = self.size_name
        self.close_strip()
        self.session.edit(
            lambda design: edits.set_formula(design, size, formula), f"{size} = {formula}"
        )

    def close_strip(self) -> None:
        """None of them: the part as it is; from another place, too, where its design is changed
        there."""
        if not self.isHidden():
            self.hide()
            self.size_name = ""
            self.closed.emit()
