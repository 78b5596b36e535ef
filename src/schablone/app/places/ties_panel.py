"""Beside the part while faces are tied: what is picked and what that can be tied by, what nobody
tied yet, and all ties."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...core.design import Design
from ...core.design import edit as edits
from ...core.problem import Problem
from ...core.solids.ties import Tie, say_tie, say_tie_place
from ...core.steps.give_sizes import GiveSizes
from ...core.words import capital, number_word, say_name
from ...worker import talk
from ..session import Session
from ..widgets.basics import Flow, ScrollColumn, button, clear, kept_place, label, scrolled
from .tie_rows import FaceRow, FigureRow, FoundRow, LooseRow, OfferRow, TieRow

#: So many faces that nobody tied are listed at first: the ties come below them.
_FEW_LOOSE = 3
#: Of what was found, so much is listed.
_MOST_FOUND = 12


class TiesPanel(QWidget):
    """``done`` asks to go back to the steps, ``lit`` to light up faces, ``picked`` tells that other
    places are picked, ``wiggled`` asks to see how a face can move."""

    done = Signal()
    lit = Signal(object)
    picked = Signal()
    wiggled = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.session = session
        self.name = ""
        self.picks: list[str] = []
        self.told: talk.TiesTold | None = None
        self._wrong: dict[int, str] = {}
        self._shown: object = None
        self._all_loose = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(14, 9, 10, 7)
        self.title = label("Ties", "heading")
        head.addWidget(self.title, 1)
        self.back = button("Done", "primary", self.done.emit, "Back to the steps (Esc)")
        head.addWidget(self.back)
        column.addLayout(head)
        inner = ScrollColumn()
        self._rows = QVBoxLayout(inner)
        self._rows.setContentsMargins(8, 0, 8, 12)
        self._rows.setSpacing(1)
        self.area = scrolled(inner, sideways=True)
        column.addWidget(self.area, 1)

    # What it is about

    @property
    def step(self) -> GiveSizes | None:
        step = self.session.design.step(self.name)
        return step if isinstance(step, GiveSizes) else None

    def open_on(self, name: str) -> None:
        """Begin with a step."""
        self.name, self.picks, self.told, self._wrong = name, [], None, {}
        self._all_loose = False
        self.title.setText(f"Ties of {say_name(name)}")
        self.refresh()

    def take_pick(self, place: str) -> None:
        """A face or edge was picked; one that is picked already is let go."""
        if place in self.picks:
            self.picks.remove(place)
        else:
            self.picks.append(place)
        self.refresh()
        self.picked.emit()

    def let_go(self) -> bool:
        """Let go of what is picked; True where there was something."""
        had = bool(self.picks)
        self.picks = []
        if had:
            self.refresh()
            self.picked.emit()
        return had

    def show_told(self, told: talk.TiesTold) -> None:
        """What the worker says of it."""
        if told.step == self.name:
            self.told = told
            self.refresh()

    def show_problems(self, problems: Iterable[Problem]) -> None:
        """What is wrong with which tie."""
        wrong: dict[int, str] = {}
        for problem in problems:
            if problem.area == "step" and problem.name == self.name:
                parts = problem.field.split(".")
                number = int(parts[1]) if len(parts) > 1 and parts[1].isdigit() else -1
                wrong[number] = "\n".join(filter(None, [wrong.get(number, ""), problem.text]))
        if wrong != self._wrong:
            self._wrong = wrong
            self.refresh()

    # What it shows

    def refresh(self) -> None:
        """Lay the rows out anew where anything of them has changed; not while something is
        typed."""
        step = self.step
        now = (step, tuple(self.picks), self.told, tuple(self._wrong.items()))
        if step is None or now == self._shown or self._is_typed_in():
            return
        self._shown = now
        with kept_place(self.area):
            clear(self._rows)
            self._lay_out(step)
            self._rows.addStretch(1)

    def _is_typed_in(self) -> bool:
        return any(
            row.editor is not None and row.isVisible() for row in self.findChildren(FigureRow)
        )

    def _lay_out(self, step: GiveSizes) -> None:
        self._lay_out_picked()
        told = self.told
        if told is not None and told.trouble:
            self._rows.addWidget(label(told.trouble, "wrong", wrap=True))
        if -1 in self._wrong:
            self._rows.addWidget(label(self._wrong[-1], "wrong", wrap=True))
        if told is not None and not told.trouble:
            self._lay_out_loose(told, step)
        self._lay_out_ties(step)
        if told is not None and told.found:
            self._head("Found on the part")
            for one in told.found[:_MOST_FOUND]:
                row = FoundRow(one)
                row.taken.connect(self.add)
                self._put(row)

    def _short(self, words: str) -> str:
        """Words without the step that made the faces, where all are of one."""
        step = self.step
        faces = [face for tie in step.ties for face in tie.faces()] if step is not None else []
        if self.told is not None:
            faces += [face for one in self.told.loose for face in one["faces"]]
        owners = {face.partition("/")[0] for face in (*faces, *self.picks)}
        return words.replace(f" of {say_name(owners.pop())}", "") if len(owners) == 1 else words

    def _head(self, words: str) -> None:
        head = label(words, "small", wrap=True)
        head.setContentsMargins(8, 12, 0, 3)
        self._rows.addWidget(head)

    def _put(self, row: FaceRow) -> None:
        row.pointed.connect(self.lit)
        self._rows.addWidget(row)

    def _lay_out_picked(self) -> None:
        if not self.picks:
            self._rows.addWidget(
                label(
                    "Pick faces or edges of the part: one to pin it or for a diameter, two for a "
                    "distance. Space steps to what lies behind.",
                    "quiet",
                    wrap=True,
                )
            )
            return
        said = self.told.said if self.told is not None else {}
        chips = Flow()
        for place in self.picks:
            words = self._short(said.get(place) or say_tie_place(place))
            chips.put(
                button(
                    f"{words} ×",
                    "chip",
                    lambda place=place: self.take_pick(place),
                    f"Let go of {words}",
                )
            )
        self._rows.addWidget(chips)
        for offer in self.told.offers if self.told is not None else []:
            row = OfferRow(self.session, {**offer, "repeats": self._short(offer["repeats"])})
            row.taken.connect(lambda tie: self.add((tie,)))
            row.made.connect(self.session.make_size)
            self._put(row)

    def _lay_out_loose(self, told: talk.TiesTold, step: GiveSizes) -> None:
        if not told.loose:
            self._head("Every face is held: nothing can move but by its sizes.")
            return
        count = sum(len(one["faces"]) for one in told.loose)
        faces = f"{number_word(count)} face{'s' * (count != 1)}"
        would = f"{capital(faces)} would stay where they are"
        if count == 1:
            would = "One face would stay where it is"
        if not any(tie.kind == "pin" for tie in step.ties):
            self._head("Begin with a face that never moves: pick it, and pin it.")
        self._head(f"{would} ({told.freedoms} ways to move are left)")
        listed = told.loose if self._all_loose else told.loose[:_FEW_LOOSE]
        for one in listed:
            said, words = self._short(one["said"]), self._short(one["words"])
            row = LooseRow({**one, "said": said, "words": words})
            row.taken.connect(self.add)
            row.wiggled.connect(self.wiggled)
            self._put(row)
        if len(listed) < len(told.loose):
            more = len(told.loose) - len(listed)
            self._rows.addWidget(
                button(f"{more} more …", "quiet_link", self._show_all_loose, "All of these faces"),
                0,
                Qt.AlignmentFlag.AlignLeft,
            )

    def _show_all_loose(self) -> None:
        self._all_loose = True
        self._shown = None
        self.refresh()

    def _lay_out_ties(self, step: GiveSizes) -> None:
        if step.ties:
            self._head(
                f"{number_word(len(step.ties))} tie{'s' * (len(step.ties) != 1)}".capitalize()
            )
        told = self.told
        for k, tie in enumerate(step.ties):
            words = self._short(say_tie(tie.model_copy(update={"name": ""})))
            words = words.removeprefix("the ")
            measured = told.measured.get(str(k), "") if told is not None else ""
            wrong = self._wrong.get(k, "") or (told.wrong.get(str(k), "") if told else "")
            row = TieRow(self.session, step.name, tie, capital(words), measured, wrong)
            row.gone.connect(lambda k=k: self.remove(k))
            row.changed.connect(lambda new, k=k: self.change(k, new))
            row.typed.connect(lambda text, k=k: self.set_formula(k, text))
            row.made.connect(self.session.make_size)
            self._put(row)

    # Changes

    def add(self, ties: Sequence[Tie]) -> None:
        """More ties; one that reads off gets a name by which it is used."""
        step = self.step
        if step is None:
            return
        taken = {tie.name for tie in step.ties}
        new = []
        for tie in ties:
            if tie.reads and not tie.name:
                name = _free_name(tie.kind, taken)
                taken.add(name)
                tie = tie.model_copy(update={"name": name})
            new.append(tie)
        self.picks = []
        self._set((*step.ties, *new), "tie faces")
        self.picked.emit()

    def remove(self, number: int) -> None:
        step = self.step
        if step is not None:
            self._set(tuple(t for k, t in enumerate(step.ties) if k != number), "remove a tie")

    def change(self, number: int, new: Tie) -> None:
        step = self.step
        if step is None:
            return
        if new.reads and not new.name:
            taken = {tie.name for tie in step.ties}
            new = new.model_copy(update={"name": _free_name(new.kind, taken)})
        self._set(tuple(new if k == number else t for k, t in enumerate(step.ties)), "change a tie")

    def set_formula(self, number: int, formula: str) -> None:
        step = self.step
        if step is not None:
            self.change(number, step.ties[number].model_copy(update={"formula": formula}))

    def _set(self, ties: tuple[Tie, ...], words: str) -> None:
        name = self.name

        def change(design: Design) -> Design:
            return edits.change_step(design, name, "ties", ties)

        for row in self.findChildren(FigureRow):
            row.close_editor()
        self.session.edit(change, f"{say_name(name)}: {words}")
        self.refresh()


def _free_name(kind: str, taken: set[str]) -> str:
    name, number = kind, 2
    while name in taken:
        name, number = f"{kind}_{number}", number + 1
    return name
