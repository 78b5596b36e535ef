"""The steps of the design as cards, from top to bottom."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QEvent, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QShowEvent
from PySide6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QVBoxLayout, QWidget

from ...core.design import Design
from ...core.design import edit as edits
from ...core.problem import Problem
from ...core.process import Process
from ...core.quantity import plain
from ...core.steps import KINDS, Step
from ...core.steps.base import Standing
from ...core.words import say_name
from ...worker import talk
from ..session import Session
from ..widgets.basics import ScrollColumn, button, clear, kept_place, label, scrolled, show_if
from ..widgets.typed import claims_typing, typed_text
from .step_card import StepCard
from .step_finder import StepFinder
from .step_group import StepGroupHead


class StepsPanel(QWidget):
    """All steps. ``pick_wanted`` asks for a face for a field of a step; ``pointed`` names the step
    under the pointer."""

    pointed = Signal(str)
    went_to = Signal(str)
    pick_wanted = Signal(str, str)
    ties_wanted = Signal(str)
    draw_wanted = Signal(str)
    regions_wanted = Signal(str)
    shelf_wanted = Signal()
    #: A stencil is to be made of steps.
    stencil_wanted = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.cards: dict[str, StepCard] = {}
        self.chosen = ""
        self._order: tuple[tuple[str, str, str], ...] | None = None
        self.heads: list[StepGroupHead] = []
        self.folded: set[str] = set()
        head = QHBoxLayout()
        head.addWidget(label("Steps", "heading"))
        head.addStretch(1)
        self.add = button("+ Add  (A)", "link", self.open_add_menu, "Add a step")
        head.addWidget(self.add)
        inner = ScrollColumn()
        inner.setObjectName("page")
        self._cards = QVBoxLayout(inner)
        self._cards.setContentsMargins(0, 0, 6, 0)
        self._cards.setSpacing(4)
        self.area = scrolled(inner)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 6, 10)
        layout.setSpacing(8)
        layout.addLayout(head)
        self.at_step = QFrame()
        self.at_step.setObjectName("warning")
        line = QHBoxLayout(self.at_step)
        line.setContentsMargins(10, 5, 6, 5)
        self.at_words = label("", "", wrap=True)
        line.addWidget(self.at_words, 1)
        line.addWidget(button("To the end", "link", lambda: session.work_at(""), "All steps again"))
        self.at_step.hide()
        layout.addWidget(self.at_step)
        layout.addWidget(self.area, 1)
        self.before_sent = self._treatment()
        self._is_behind = False
        session.changed.connect(self.refresh)

    def _treatment(self) -> QFrame:
        """What is done to the whole part before it is sent, as the last card."""
        card = QFrame()
        card.setObjectName("card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(12, 8, 10, 9)
        layout.setSpacing(4)
        self.scaling = self._switch("Before it is sent: scale for shrinkage", "scale_for_shrinkage")
        self.beside = self._switch(
            "Before it is cut: move outlines off the line", "cut_beside_line"
        )
        self.squeeze = self._switch("Bevel lower edges for the first layer", "bevel_first_layer")
        self.relief = self._switch("Relieve inner corners for the cutter", "relieve_corners")
        self.scaling_said = label("", "small", wrap=True)
        self.tabs = self._switch("Hold the part in its sheet by tabs", "hold_by_tabs")
        for switch in (self.scaling, self.squeeze, self.beside, self.relief, self.tabs):
            layout.addWidget(switch)
        layout.addWidget(self.scaling_said)
        return card

    def _switch(self, words: str, field: str) -> QCheckBox:
        """A treatment of the whole part that can be switched off."""
        switch = QCheckBox(words)
        switch.clicked.connect(
            lambda on: self.session.edit(
                lambda design: design.model_copy(update={field: on}),
                f"{words.rpartition(': ')[2]}: {'on' if on else 'off'}",
            )
        )
        return switch

    def refresh(self) -> None:
        """Show the design in hand."""
        design = self.session.design
        order = tuple((step.name, step.kind, step.group) for step in design.steps)
        if order != self._order:
            self._lay_out(order)
        elif self.isVisible():
            self._show_steps()
        else:  # behind the paper: a stroke does not wait for cards that nobody sees
            self._is_behind = True
        self.show_where()
        machines = self.session.machines_at_work()
        self.scaling.setVisible(any(p.family == "print" for p in machines))
        self.beside.setVisible(any(p.family == "cut" for p in machines))
        self.relief.setVisible(any(p.kind == "router" and p.say_reliefs() for p in machines))
        self.tabs.setVisible(any(p.family == "cut" and p.tabs for p in machines))
        self.tabs.setChecked(design.hold_by_tabs)
        self.squeeze.setVisible(any(p.first_layer > 0 for p in machines))
        self.squeeze.setChecked(design.bevel_first_layer)
        self.scaling.setChecked(design.scale_for_shrinkage)
        self.beside.setChecked(design.cut_beside_line)
        self.relief.setChecked(design.relieve_corners)
        self.scaling_said.setText(
            "\n".join(treatment_words(design, process) for process in machines)
        )

    def _show_steps(self) -> None:
        self._is_behind = False
        for step in self.session.design.steps:
            self.cards[step.name].show_step(step)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._is_behind:
            self._show_steps()

    def _lay_out(self, order: tuple[tuple[str, str, str], ...]) -> None:
        with kept_place(self.area):
            self._fill(order)

    def _fill(self, order: tuple[tuple[str, str, str], ...]) -> None:
        if renamed := _renamed(self._order or (), order):
            was, now = renamed
            self.cards[now] = self.cards.pop(was)
            self.cards[now].name = now
            self.chosen = now if self.chosen == was else self.chosen
        self._order = order
        # Cards stay where the step is the same one: making all anew would be felt with every step,
        # and what is clicked in one as its new name is taken over would be gone.
        kinds = {step.name: step.kind for step in self.session.design.steps}
        old = {name: card for name, card in self.cards.items() if card.kind == kinds.get(name)}
        for widget in (self.before_sent, *old.values()):
            self._cards.removeWidget(widget)
        clear(self._cards)
        self.cards, self.heads = {}, []
        group = ""
        for number, step in enumerate(self.session.design.steps, 1):
            if step.group != group:
                group = step.group
                self._put_head(group, number - 1)
            card = old.get(step.name) or self._card(step, number)
            card.renumber(number, order[: number - 1])
            card.show_step(step)
            card.set_chosen(step.name == self.chosen)
            self.cards[step.name] = card
            self._cards.addWidget(card)
            show_if(card, step.group not in self.folded)
        if not order:
            self._cards.addWidget(
                label("No steps yet. Begin with a sketch: press A.", "quiet", wrap=True)
            )
        self._cards.addWidget(self.before_sent)
        self._cards.addStretch(1)

    def _card(self, step: Step, number: int) -> StepCard:
        card = StepCard(self.session, step, number)
        card.chosen.connect(self.choose)
        card.pointed.connect(self.pointed)
        card.grew.connect(lambda: QTimer.singleShot(0, self._show_chosen))
        card.pick_wanted.connect(self.pick_wanted)
        card.draw_wanted.connect(self.draw_wanted)
        card.ties_wanted.connect(self.ties_wanted)
        card.regions_wanted.connect(self.regions_wanted)
        card.shelf_wanted.connect(self.shelf_wanted)
        card.stencil_wanted.connect(self.stencil_wanted)
        return card

    def _put_head(self, group: str, at: int) -> None:
        """The heading over steps that follow each other and belong together."""
        if not group:
            return
        run = itertools.takewhile(lambda step: step.group == group, self.session.design.steps[at:])
        names = tuple(step.name for step in run)
        head = StepGroupHead(self.session, group, names, folded=group in self.folded)
        head.toggled.connect(self.fold)
        head.rename_wanted.connect(self._rename_group)
        head.stencil_wanted.connect(self.stencil_wanted)
        self.heads.append(head)
        self._cards.addWidget(head)

    def fold(self, group: str) -> None:
        """Fold the steps of a group, or open them again."""
        self.folded ^= {group}
        if self._order is not None:
            QTimer.singleShot(0, self._fold_now)

    def _fold_now(self) -> None:
        at = next((k for k, head in enumerate(self.heads) if head.hasFocus()), None)
        self._lay_out(self._order or ())
        if at is not None and at < len(self.heads):
            self.heads[at].setFocus()  # it is put up anew

    def _rename_group(self, steps: tuple[str, ...]) -> None:
        """Ask for another name of a group by two clicks; what the first has done is taken back."""
        step = self.session.design.step(steps[0])
        if step is not None:
            self.fold(step.group)
        QTimer.singleShot(0, lambda: self._begin_to_rename(steps))

    def _begin_to_rename(self, steps: tuple[str, ...]) -> None:
        for head in self.heads:
            if head.steps == steps:
                head.rename()

    def show_states(self, states: dict[str, talk.StepReport], problems: list[Problem]) -> None:
        """What the last rebuild said."""
        for name, card in self.cards.items():
            card.show_state(states.get(name, {"state": "", "by": "", "values": {}}), problems)

    def show_where(self) -> None:
        """Say at which step is worked, if it is not the last."""
        until = self.session.until
        names = [step.name for step in self.session.design.steps]
        self.at_step.setVisible(bool(until))
        if until in names:
            words = say_name(until)
            self.at_words.setText(
                f"Working at step {names.index(until) + 1}, {words}. Later steps are not shown."
            )

    def choose(self, name: str) -> None:
        if name != self.chosen:
            if self.chosen in self.cards:
                self.cards[self.chosen].set_chosen(False)
            self.chosen = name
            self.went_to.emit(name)
        if name in self.cards:
            step = self.session.design.step(name)
            if step is not None and step.group in self.folded:
                self.folded.discard(step.group)
                self._lay_out(self._order or ())
            self.cards[name].set_chosen(True)
            # It has its height once it is laid out.
            QTimer.singleShot(0, self._show_chosen)

    def _show_chosen(self) -> None:
        if self.chosen in self.cards:
            inner = self.area.widget()
            assert inner is not None
            inner.adjustSize()
            self.area.ensureWidgetVisible(self.cards[self.chosen], 0, 12)

    def event(self, event: QEvent) -> bool:
        return claims_typing(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """A letter that is typed among the steps looks for a kind: no command takes it. A is the
        list itself."""
        if text := typed_text(event):
            self.open_add_menu("" if text.casefold() == "a" else text)
        else:
            super().keyPressEvent(event)

    def open_add_menu(self, typed: str = "") -> None:
        """The list of kinds of step, to be typed into."""
        self.finder = StepFinder(self)
        self.finder.chosen.connect(self.add_step)
        corner = self.add.mapToGlobal(self.add.rect().bottomRight())
        self.finder.move(corner.x() - self.finder.width(), corner.y() + 4)
        self.finder.show()
        self.finder.line.setFocus()
        if typed:
            self.finder.line.setText(typed)
            self.finder.refresh(typed)

    def add_step(self, kind: str) -> None:
        """Add a step of a kind, with the likeliest things chosen for it, and make it the chosen
        one."""
        if KINDS[kind].asks == "shelf":
            self.shelf_wanted.emit()
            return
        step = new_step(self.session.design, kind)
        if self.session.edit(lambda design: edits.put_step(design, step), f"new {kind}"):
            self.choose(step.name)
            asks = type(step).asks
            if asks == "drawing":
                self.draw_wanted.emit(step.name)
            elif asks == "ties":
                self.ties_wanted.emit(step.name)
            elif asks and not getattr(step, asks, ""):
                self.pick_wanted.emit(step.name, asks)


def treatment_words(design: Design, process: Process) -> str:
    """What is done to the whole part before it is sent, with numbers."""
    if process.family == "cut":
        words = [
            (
                f"by half of {plain(-process.path_gain, 3)} mm"
                if process.kind == "router"
                else "by half of the kerf of its thickness"
            )
            if design.cut_beside_line
            else "half of the cut is taken away all round"
        ]
        if (
            process.kind == "router"
            and design.relieve_corners
            and (relief := process.say_reliefs())
        ):
            words.append(f"{relief} for ø {plain(process.cutter)} mm")
        if process.tabs and design.hold_by_tabs:
            words.append(f"{process.tabs} tabs of {plain(process.tab_width)} mm")
        return f"{process.name}: {'; '.join(words)}"
    if process.family == "fold":
        return (
            f"{process.name} is sent the flat blank; bends are as long on it as the machine's "
            "chart says"
        )
    along, up = 1 / process.kept("xy"), 1 / process.kept("z")
    if design.scale_for_shrinkage:
        return f"{process.name}: by {plain(along, 4)} in x and y, {plain(up, 4)} in z"
    return (
        f"{process.name} shrinks by {plain(process.shrinkage_xy)} % in x and y, "
        f"{plain(process.shrinkage_z)} % in z"
    )


def new_step(design: Design, kind: str) -> Step:
    """A step of a kind as it is first added: named, and on what stands just above."""
    cls = KINDS[kind]
    known = tuple(part.name for part in design.parts)
    worked = (step.works_on() for step in reversed(design.steps))
    before = Standing(
        tuple(step.name for step in design.steps if step.kind == "sketch"),
        known,
        next((name for name in worked if name in known), known[0]),
        design.steps[-1] if design.steps else None,
    )
    fields: dict[str, Any] = {
        name: value for name, value in cls.likely(before).items() if name in cls.model_fields
    }
    return cls(**{"name": edits.free_name(design, kind), **fields})


def _renamed(
    before: Sequence[tuple[str, str, str]], after: Sequence[tuple[str, str, str]]
) -> tuple[str, str] | None:
    """The old and the new name of the only step that is called otherwise."""
    if len(before) != len(after):
        return None
    apart = [(old, new) for old, new in zip(before, after, strict=True) if old != new]
    if len(apart) != 1:
        return None
    ((was, *same), (now, *same_now)) = apart[0]
    return (was, now) if same == same_now else None
