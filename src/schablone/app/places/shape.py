"""Shape: sizes at the left, the part in the middle, steps at the right."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property, partial
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ...core.formula import FormulaError, names_in
from ...core.kernel.frame import Frame
from ...core.kernel.naming import owner_of
from ...core.problem import Problem
from ...core.process import Lens
from ...core.words import say_name
from ...worker import talk
from ..blank.pane import BlankPane
from ..nudging import nudge_figure
from ..session import Session
from ..view3d.overlay import ShownSketch
from ..view3d.shown import ShownPart
from ..view3d.view import PartView
from ..widgets.basics import rule
from .first_start import FirstStart
from .look_bar import LookBar
from .look_strip import LookStrip
from .notice import Notice
from .part_figures import PartFigures
from .picks import Picks
from .sizes_panel import SizesPanel
from .steps_panel import StepsPanel
from .ties_panel import TiesPanel
from .try_strip import TryStrip

if TYPE_CHECKING:
    from ..paper.board import Board


class ShapePlace(QWidget):
    """The place where a design is made. ``pointing`` says what the pointer is on; ``other_seen``
    that another part than that of the design as it is is seen, with its report where there is one;
    ``as_is_seen`` that it is over."""

    pointing = Signal(str)
    other_seen = Signal(object)
    as_is_seen = Signal()
    cancel_wanted = Signal()
    follow_wanted = Signal()
    try_wanted = Signal()
    example_wanted = Signal()
    shelf_wanted = Signal()
    stencil_wanted = Signal(object)
    tie_wanted = Signal(str)
    tie_picked = Signal(dict)

    def __init__(self, session: Session, around: QWidget | None = None) -> None:
        super().__init__(around)
        self.session = session
        self._drawings: dict[str, talk.DrawingReport] = {}
        self._parts: list[Any] = []
        self._is_other, self._trouble = False, ""
        self.sizes, self.steps, self.view = SizesPanel(session), StepsPanel(session), PartView()
        self.ties = TiesPanel(session)
        self.bar = LookBar(session, self.view)
        self.picks = Picks(session, self.view, self.steps, self.bar.ask)
        self.figures = PartFigures(session, self.view, self.steps)
        self.blank, self.halves = BlankPane(), QSplitter(Qt.Orientation.Vertical)
        self.strip, self.look = TryStrip(session), LookStrip()
        self.centre, self.right = QStackedWidget(), QStackedWidget()
        self._lay_out()
        self.notice = Notice(self.view)
        self.start = FirstStart(session, self.view)
        self.bar.follow_wanted.connect(self.follow_wanted)
        self.bar.try_wanted.connect(self.try_wanted)
        self.bar.blank.toggled.connect(self.show_blank)
        self.blank.pointed.connect(self._point_at_faces)
        self.notice.cancelled.connect(self.cancel_wanted)
        self.start.draw.connect(lambda: self.steps.add_step("sketch"))
        self.start.type_sizes.connect(self.sizes.begin_typing)
        self.start.example.connect(self.example_wanted)
        self.view.hovered.connect(self._hovered)
        self.view.picked.connect(self._picked)
        self.sizes.pointed.connect(self._point_at_size)
        self.steps.pointed.connect(self._point_at_step)
        self.steps.pick_wanted.connect(self.pick_for)
        self.steps.draw_wanted.connect(self.draw_on)
        self.steps.ties_wanted.connect(self.tie_wanted)
        self.steps.went_to.connect(lambda _: self._show_sketches())
        self.view.figure_dragged.connect(partial(nudge_figure, session))
        self.view.figure_left.connect(session.settle)
        self.steps.regions_wanted.connect(self.choose_regions)
        self.steps.shelf_wanted.connect(self.shelf_wanted)
        self.steps.stencil_wanted.connect(self.stencil_wanted)
        session.taken.connect(self.stop_drawing)
        session.changed.connect(self._sketch_may_be_gone)
        session.changed.connect(self._tint)
        session.taken.connect(self._tint)

    def _lay_out(self) -> None:
        """Sizes, the part or the sheet, and steps, beside each other. From the outside in: what is
        put into something is styled anew with all that lies in it."""
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        splitter = QSplitter(Qt.Orientation.Horizontal, self)
        splitter.setHandleWidth(1)
        splitter.setChildrenCollapsible(False)
        layout.addWidget(splitter)
        for widget, width in zip((self.sizes, self.centre, self.right), _WIDTHS, strict=True):
            splitter.addWidget(widget)
            widget.setMinimumWidth(min(width, 290))
        kept = self.session.library
        splitter.setSizes(_widths(kept.settings.get("columns")))
        splitter.splitterMoved.connect(lambda *_: kept.keep("columns", splitter.sizes()))
        for column, stretch in enumerate((0, 1, 0)):
            splitter.setStretchFactor(column, stretch)
        part = QWidget()
        part.setObjectName("sheet")
        self.centre.addWidget(part)
        for widget in (self.steps, self.ties):
            self.right.addWidget(widget)
        below = QVBoxLayout(part)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        below.addWidget(self.bar)
        below.addWidget(rule())
        below.addWidget(self.halves, 1)
        below.addWidget(self.strip)
        below.addWidget(self.look)
        self.halves.setHandleWidth(1)
        self.halves.setChildrenCollapsible(False)
        self.blank.hide()
        for widget in (self.view, self.blank):
            self.halves.addWidget(widget)
        self.halves.setSizes([360, 300])

    # What the window asks for

    @property
    def chosen_size(self) -> str:
        return self.sizes.chosen

    @property
    def chosen_step(self) -> str:
        return self.steps.chosen

    def choose(self, area: str, name: str) -> None:
        """Choose a size, or what belongs to a step."""
        if area == "size":
            self.sizes.choose(name)
        else:
            self.steps.choose(name)

    def find_size(self) -> None:
        """The keyboard to where sizes are looked for."""
        self.sizes.finder.setFocus()

    def new_size(self) -> None:
        """The keyboard to where a new size is typed."""
        if self.sizes.new is not None:
            self.sizes.new.line.setFocus()

    def draw_chosen(self) -> None:
        """The paper of the chosen sketch, or of the one that the chosen step uses, or of the
        last."""
        design = self.session.design
        chosen = design.step(self.chosen_step)
        names = [chosen.name, getattr(chosen, "sketch", "")] if chosen else []
        sketches = [step.name for step in design.steps if step.kind == "sketch"]
        name = next((n for n in names if n in sketches), sketches[-1] if sketches else "")
        if name:
            self.draw_on(name)
        else:
            self.session.said.emit("There is no sketch yet: press A to add one.")

    def walk(self, by: int) -> None:
        """Step through the build: the part as it is after one step less or more."""
        names = [step.name for step in self.session.design.steps]
        if not names:
            return
        at = names.index(self.session.until) if self.session.until in names else len(names) - 1
        step = names[max(0, min(len(names) - 1, at + by))]
        self.session.work_at(step)
        self.steps.choose(step)

    def prompt(self, text: str) -> None:
        """A line above the part that says what to do next; none with an empty text."""
        self.bar.ask.setText(text)

    # The part

    def forget_parts(self) -> None:
        """Another design comes: there is no part before its own."""
        self._trouble = ""
        self.view.before = []
        self.show_blanks([])
        self.view.fit_next()

    def show_parts(self, parts: list[ShownPart], lens: Lens) -> None:
        """The parts of the design as it is, or the last good ones."""
        self.view.show_parts(parts, lens)
        if self._is_other:
            self._is_other = False
            self.figures.rest(False)
            self._show_sketches()
            if self._trouble:
                self.show_trouble(self._trouble)
            self.as_is_seen.emit()

    def show_other(
        self, parts: list[ShownPart], lens: Lens, report: talk.Report | None = None
    ) -> None:
        """Other parts: at other sizes, or on their way to folded. What is said of those of the
        design as it is would be wrong of them, and waits until they are seen again."""
        self._is_other = True
        self.figures.rest(True)
        self.view.show_sketches([])
        self.view.set_grey(False)
        if self._trouble:
            self.notice.hide()
        self.other_seen.emit(report)
        self.view.show_parts(parts, lens)

    @property
    def sees_other(self) -> bool:
        """Whether another part is seen than that of the design as it is."""
        return self._is_other

    @property
    def is_looking(self) -> bool:
        """Whether that is so until a strip below it is closed."""
        return self._is_other and not (self.look.isHidden() and self.strip.isHidden())

    def see_as_it_is(self) -> None:
        """The parts of the design as it is, where others are seen."""
        for strip in (self.look, self.strip):
            strip.close_strip()
        self.blank.bent.setValue(self.blank.bent.maximum())

    def show_good(self) -> None:
        """What is on the screen is the part as the design has it."""
        self._trouble = ""
        self.view.set_grey(False)
        self.notice.hide()

    def show_trouble(self, text: str) -> None:
        """What is on the screen is the last good part, and why."""
        self._trouble = text
        self.view.set_grey(True)
        self.notice.show_trouble(text)

    def show_work(self, step: int, steps: int, name: str) -> None:
        self.notice.show_work(step, steps, name)

    def is_noticing(self) -> bool:
        """Whether work or trouble is told over the part."""
        return self.notice.isVisible()

    def hide_notice(self) -> None:
        self.notice.hide()

    def give_up_asking(self) -> bool:
        """Give up a pick, or close the strip of values; True if there was something to give up."""
        if self.stop_picking():
            return True
        if self.is_tying:
            if not self.ties.let_go():
                self.ties.done.emit()
            return True
        if self.figures.unsay():
            return True
        for strip in (self.look, self.strip):
            if strip.isVisible():
                strip.close_strip()
                return True
        return False

    # What follows, and values to try

    def show_follows(self, answer: talk.Followed | talk.Refused) -> None:
        """Light up the faces that moved, and say how many stayed."""
        if isinstance(answer, talk.Refused):
            self.session.said.emit(answer.text)
            return
        moved, stays = len(answer.moved) + len(answer.came), len(answer.stays)
        self.view.mark(faces=frozenset(answer.moved), striped=True)
        size = say_name(answer.size)
        words = (
            f"With {size}, {moved} faces move and {stays} stay"
            if moved
            else f"Nothing follows {size}"
        )
        more = f", {len(answer.came)} come" if answer.came else ""
        gone = f", {len(answer.went)} go" if answer.went else ""
        self.session.said.emit(f"{words}{more}{gone}. {answer.trouble}".strip())

    # Drawing

    @cached_property
    def board(self) -> Board:
        """The sheet of paper and the panel beside it, made when the first one is wanted."""
        from ..paper.board import Board

        board = Board(self.session)
        self.centre.addWidget(board)
        self.right.addWidget(board.panel)
        board.left.connect(self.stop_drawing)
        board.show_drawings(self._drawings, self._parts)
        return board

    def draw_on(self, sketch: str) -> None:
        """The sheet of paper in the place of the part, for a sketch step."""
        self.stop_picking()
        self.centre.setCurrentWidget(self.board)
        self.right.setCurrentWidget(self.board.panel)
        self.board.open(sketch)

    def choose_regions(self, step: str) -> None:
        """The sheet of a step's sketch, to click at the regions that the step uses."""
        current = self.session.design.step(step)
        sketch = str(getattr(current, "sketch", ""))
        if self.session.design.step(sketch) is None:
            self.session.said.emit("First choose the sketch that the step uses.")
            return
        self.draw_on(sketch)
        self.board.choose_regions(step)

    # What lies over the part

    def _tint(self) -> None:
        """Parts and faces in the colours that the design gives them."""
        design = self.session.design
        self.view.tint(
            {part.name: part.colour for part in design.parts if part.colour},
            {step.name: step.colour for step in design.steps if step.colour},
        )

    def show_drawings(self, drawings: dict[str, talk.DrawingReport], parts: list[Any]) -> None:
        """What the worker said of the sketches: their planes, and the edges that lie under the
        sheet."""
        self._drawings, self._parts = drawings, parts
        if "board" in vars(self):
            self.board.show_drawings(drawings, parts)
        self._show_sketches()

    def _show_sketches(self) -> None:
        """Sketches that no step uses yet, and those of the chosen step, which may be a
        stencil's. None where another part is seen: they do not lie on that."""
        if self._is_other:
            return
        steps = [step for step in self.session.design.steps if step.on]
        used = {name for step in steps if step.kind != "sketch" for name in step.needs()}
        chosen = self.session.design.step(self.chosen_step)
        near = {self.chosen_step, *(chosen.needs() if chosen is not None else ())}
        near |= {n for n in self._drawings if "." in n and owner_of(n) == self.chosen_step}
        self.view.show_sketches(
            [
                ShownSketch(
                    name,
                    tuple(np.array(line) for line in told["lines"]),
                    np.array(told["marks"]).reshape(-1, 3),
                    name in near,
                )
                for name, told in self._drawings.items()
                if name in near or (name not in used and "." not in name)
            ]
        )

    def stop_drawing(self) -> None:
        """Back to the part."""
        if self.is_drawing:
            self.centre.setCurrentIndex(0)
            self.right.setCurrentIndex(0)
            self.board.close_desk()
            self.view.setFocus()

    @property
    def is_drawing(self) -> bool:
        return self.centre.currentIndex() > 0

    def _sketch_may_be_gone(self) -> None:
        if self.is_drawing and self.board.desk.step is None:
            self.stop_drawing()

    # Tying faces

    @property
    def is_tying(self) -> bool:
        return self.right.currentWidget() is self.ties

    def show_tying(self, *, on: bool) -> None:
        """The ties of a step in the place of the steps, and picks for them, or not any more."""
        self.right.setCurrentWidget(self.ties if on else self.steps)
        self.view.ask_for("Pick a face or an edge" if on else "", "edge" if on else "")
        self.view.mark()
        self.view.setFocus()

    # The blank of a folded part

    def show_blanks(self, blanks: list[talk.BlankReport]) -> None:
        """Show the blanks that there are; what shows them is offered only where there are any."""
        self.bar.blank.setVisible(bool(blanks))
        self.blank.show_blanks(blanks)
        self.blank.setVisible(bool(blanks) and self.bar.blank.isChecked())

    def show_blank(self, on: bool) -> None:
        """Show the blank below the part, or not."""
        self.blank.setVisible(on)
        self.session.library.keep("blank", on)

    def _point_at_faces(self, faces: frozenset[str]) -> None:
        self.view.mark(faces=faces)

    # What the worker said

    def show_states(self, states: dict[str, talk.StepReport], problems: list[Problem]) -> None:
        self.steps.show_states(states, problems)

    # Picking

    def pick_for(self, step: str, path: str) -> None:
        """Wait for a face to be picked for a field of a step; again to give it up."""
        self.picks.begin(step, path)

    def stop_picking(self) -> bool:
        """Give up picking; True if there was something to give up."""
        return self.picks.stop()

    def _picked(self, face: Mapping[str, Any]) -> None:
        if self.is_tying:
            self.tie_picked.emit(dict(face))
        elif self.picks.is_waiting:
            self.picks.take(face)
        elif face:
            self.steps.choose(face["step"])
            self.view.mark(faces=frozenset({face["name"]}))
        else:
            # Beside everything: what was chosen is let go.
            self.view.mark()
            self.steps.choose("")

    def face_frames(self) -> dict[str, Frame]:
        """The frames of the flat faces that are shown, by name."""
        return {
            str(face["name"]): Frame(face["origin"], face["x"], face["y"])
            for part in self.view.parts
            for face in part.faces
            if "origin" in face and "x" in face and "y" in face
        }

    def _hovered(self, face: Mapping[str, Any]) -> None:
        self.blank.light(str(face["name"]) if face else "")
        if not face:
            self.pointing.emit("")
            return
        names = [step.name for step in self.session.design.steps]
        number = f" (step {names.index(face['step']) + 1})" if face["step"] in names else ""
        self.pointing.emit(f"face: {face['words']}{number}")

    # Hovering lights up what belongs together

    def _point_at_step(self, name: str) -> None:
        self.view.mark(steps=self.made_by(frozenset({name} if name else ())))

    def _point_at_size(self, name: str) -> None:
        """Light up what the steps made that use a size."""
        if not name:
            self.view.mark()
            return
        users = {step.name for step in self.session.design.steps if _uses(step, name)}
        self.view.mark(steps=self.made_by(frozenset(users)))

    def made_by(self, steps: frozenset[str]) -> frozenset[str]:
        """The steps whose names the faces bear: those of a row bear the name of what it repeats."""
        makers = set(steps)
        for step in reversed(self.session.design.steps):
            if step.name in makers and step.carries():
                makers.add(step.carries())
        return frozenset(makers)


#: How wide sizes, the part and steps are at first, pixels.
_WIDTHS = [344, 560, 312]


def _widths(kept: object) -> list[int]:
    """The widths that were kept, where they are sound."""
    if (
        isinstance(kept, list)
        and len(kept) == len(_WIDTHS)
        and all(isinstance(wide, int) and 0 < wide < 10_000 for wide in kept)
    ):
        return kept
    return list(_WIDTHS)


def _uses(step: Any, name: str) -> bool:
    for slot in step.slots():
        try:
            if name in names_in(slot.formula):
                return True
        except FormulaError:
            continue
    return False
