"""Rows of the list of ties: one that is there, one that is offered, a face that nobody tied."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QEnterEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from ...core.quantity import Kind
from ...core.solids.ties import Tie
from ...core.words import capital
from ...worker import talk
from ..session import Session
from ..widgets.basics import Flow, button, label, on_hover, restyle
from ..widgets.formula_edit import FormulaEdit


class FaceRow(QFrame):
    """A row that has to do with faces: they are lit while the pointer is on it."""

    pointed = Signal(object)

    def __init__(self, faces: Sequence[str]) -> None:
        super().__init__()
        self.setObjectName("row")
        self.faces = frozenset(faces)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(8, 3, 4, 3)
        self.column.setSpacing(2)

    def line(self) -> QHBoxLayout:
        """One more line of the row."""
        line = QHBoxLayout()
        line.setSpacing(7)
        self.column.addLayout(line)
        return line

    def enterEvent(self, event: QEnterEvent) -> None:
        self.pointed.emit(self.faces)

    def leaveEvent(self, event: QEvent) -> None:
        self.pointed.emit(frozenset())


class FigureRow(FaceRow):
    """A row with a figure that is typed. ``typed`` gives the formula, ``made`` a size that was made
    on the way."""

    typed = Signal(str)
    made = Signal(str, str)

    def __init__(self, faces: Sequence[str], session: Session, kind: Kind | None) -> None:
        super().__init__(faces)
        self.session, self.kind = session, kind
        self.editor: FormulaEdit | None = None

    def chip(self, text: str, hint: str, formula: str, *, fresh: bool = False) -> QWidget:
        chip = button(
            text if len(text) < 17 else f"{text[:15]}…",
            "chip",
            lambda: self.edit(formula, fresh=fresh, opened_by=chip),
            hint,
        )
        chip.setAccessibleName(hint)
        return chip

    def edit(self, formula: str, *, fresh: bool = False, opened_by: QWidget | None = None) -> None:
        """Type a formula under the row; where there is none yet (``fresh``), also the one that is
        offered is taken by Enter. A new name by itself becomes a size."""
        if self.editor is not None:
            return
        editor = FormulaEdit(
            "" if fresh else formula,
            lambda: self.session.table,
            wanted=self.kind,
            units=self.session.units(),
            as_it_is=formula,
        )
        editor.committed.connect(self.typed)
        editor.made.connect(self.made)
        editor.dropped.connect(self.close_editor)
        self.editor = editor
        self.column.addWidget(editor)
        editor.begin(opened_by)
        if fresh:
            editor.line.setText(formula)
            editor.line.selectAll()

    def close_editor(self) -> None:
        """What was typed is taken over or dropped."""
        if self.editor is not None:
            editor, self.editor = self.editor, None
            editor.hide()
            editor.deleteLater()


class TieRow(FigureRow):
    """A tie of the step. ``gone`` asks to remove it, ``changed`` gives what it is to be."""

    gone = Signal()
    changed = Signal(object)

    def __init__(
        self, session: Session, step: str, tie: Tie, words: str, measured: str, wrong: str
    ) -> None:
        super().__init__(tie.faces(), session, tie.measures)
        line = self.line()
        line.addWidget(label(words, "", wrap=True), 1)
        if tie.measures is not None:
            shown = tie.formula
            if tie.reads:
                shown = measured or "read off"
            elif not tie.formula:
                shown = "held"
            hint = f"{words}: {shown}"
            if not tie.reads:
                chip = self.chip(shown, hint, tie.formula or measured, fresh=not tie.formula)
                line.addWidget(chip, 0, Qt.AlignmentFlag.AlignTop)
            else:
                line.addWidget(label(shown, "mono"), 0, Qt.AlignmentFlag.AlignTop)
        remove = QToolButton()
        remove.setObjectName("plain")
        remove.setText("×")
        remove.setAccessibleName(f"remove: {words}")
        on_hover(remove, "Remove this tie")
        remove.clicked.connect(self.gone)
        line.addWidget(remove, 0, Qt.AlignmentFlag.AlignTop)
        if tie.reads and tie.name:
            self.column.addWidget(label(f"use it as {step}.{tie.name}", "small", wrap=True))
        if wrong:
            self.column.addWidget(label(wrong, "wrong", wrap=True))
            restyle(self, wrong=True)
        if tie.measures is not None and not tie.reads:
            self._links(tie, wrong)

    def _links(self, tie: Tie, wrong: str) -> None:
        links = Flow()
        if tie.formula:
            links.put(
                button(
                    "hold as it is",
                    "quiet_link",
                    lambda: self.changed.emit(tie.model_copy(update={"formula": ""})),
                    "Keep what is measured, and no size",
                )
            )
        if wrong:
            links.put(
                button(
                    "read it off instead",
                    "link",
                    lambda: self.changed.emit(
                        tie.model_copy(update={"reads": True, "formula": ""})
                    ),
                    "Measure it, not set it",
                )
            )
            self.column.addWidget(links)
        elif tie.formula:
            links.deleteLater()


class OfferRow(FigureRow):
    """A tie that what is picked can have. ``taken`` gives it as it is to be added."""

    taken = Signal(object)

    def __init__(self, session: Session, offer: talk.OfferReport) -> None:
        tie = offer["tie"]
        super().__init__(tie.faces(), session, tie.measures)
        line = self.line()
        if tie.reads:
            line.addWidget(label(f"{offer['words']} {offer['formula']}", "", wrap=True), 1)
            line.addWidget(
                button("read off", "link", lambda: self.taken.emit(tie), "Measure it, not set it")
            )
            self.column.addWidget(
                label(f"It follows already from {offer['repeats']}.", "small", wrap=True)
            )
            return
        if tie.measures is None:
            line.addWidget(
                button(
                    offer["words"], "link", lambda: self.taken.emit(tie), f"Add: {offer['words']}"
                )
            )
            line.addStretch(1)
            return
        line.addWidget(label(offer["words"], "", wrap=True), 1)
        formula = offer["formula"]
        line.addWidget(
            self.chip(formula, f"{offer['words']}: type it as a size", formula, fresh=True)
        )
        line.addWidget(
            button(
                "hold",
                "link",
                lambda: self.taken.emit(tie),
                f"Hold the {offer['words']} as it is, and no size",
            )
        )
        self.typed.connect(lambda text: self.taken.emit(tie.model_copy(update={"formula": text})))


class LooseRow(FaceRow):
    """A face that nobody tied, with the likely tie. ``taken`` gives ties to add, ``wiggled`` asks
    to see how it can move."""

    taken = Signal(object)
    wiggled = Signal(str)

    def __init__(self, loose: talk.LooseReport) -> None:
        super().__init__(loose["faces"])
        self.column.addWidget(label(f"{loose['said']}: can {_ways(loose['how'])}", "", wrap=True))
        links = Flow()
        if loose["ties"]:
            ties = tuple(loose["ties"])
            links.put(
                button(
                    loose["words"],
                    "link",
                    lambda: self.taken.emit(ties),
                    f"{loose['said']}: {loose['words']}",
                )
            )
        links.put(
            button(
                "wiggle",
                "quiet_link",
                lambda: self.wiggled.emit(loose["faces"][0]),
                f"See how {loose['said']} can move",
            )
        )
        self.column.addWidget(links)


def _ways(how: str) -> str:
    return how if not how.startswith("its radius") else "grow"


class FoundRow(FaceRow):
    """Something that faces have in common. ``taken`` gives the ties that keep it."""

    taken = Signal(object)

    def __init__(self, offer: talk.FoundReport) -> None:
        super().__init__(offer["faces"])
        line = self.line()
        words = offer["words"]
        line.addWidget(label(capital(words), "", wrap=True), 1)
        if offer["ties"]:
            ties = tuple(offer["ties"])
            take: Callable[[], object] = lambda: self.taken.emit(ties)  # noqa: E731
            line.addWidget(
                button("keep it so", "link", take, f"Keep: {words}"), 0, Qt.AlignmentFlag.AlignTop
            )
