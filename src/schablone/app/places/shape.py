"""Shape: sizes at the left, the part in the middle, steps at the right."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QProgressBar,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Design
from ...core.design import edit as edits
from ...core.formula import FormulaError, names_in
from ...core.kernel.frame import Frame
from ...core.kernel.naming import owner_of
from ...core.problem import Problem
from ...core.process import Lens
from ...core.quantity import LENGTH, Quantity
from ...core.steps.anchored import Anchored
from ...core.steps.base import Slot
from ...core.steps.selecting import EdgeRule
from ...core.words import say_name
from ...worker import talk
from ..blank.pane import BlankPane
from ..nudging import nudge_figure
from ..paper.board import Board
from ..session import Session
from ..view3d.figures import Figure
from ..view3d.overlay import ShownSketch
from ..view3d.shown import ShownPart
from ..view3d.view import PartView
from ..widgets.basics import button, label, rule
from ..widgets.formula_edit import FormulaEdit
from .first_start import FirstStart
from .look_bar import LookBar
from .look_strip import LookStrip
from .sizes_panel import SizesPanel
from .steps_panel import StepsPanel
from .ties_panel import TiesPanel
from .try_strip import TryStrip


class ShapePlace(QWidget):
    """The place where a design is made. ``pointing`` says what the pointer is on."""

    pointing = Signal(str)
    cancel_wanted = Signal()
    follow_wanted = Signal()
    try_wanted = Signal()
    example_wanted = Signal()
    shelf_wanted = Signal()
    stencil_wanted = Signal(object)
    tie_wanted = Signal(str)
    tie_picked = Signal(dict)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._picking: tuple[str, str] | None = None
        self._anchors: dict[str, list[Any]] = {}
        self._notes: dict[str, tuple[Any, Any, float]] = {}
        self._said_at: tuple[str, tuple[float, float, float]] | None = None
        self._field: FormulaEdit | None = None
        self._drawings: dict[str, talk.DrawingReport] = {}
        self.figures_on = True
        self.sizes, self.steps, self.view = SizesPanel(session), StepsPanel(session), PartView()
        self.board = Board(session)
        self.ties = TiesPanel(session)
        part = QWidget()
        part.setObjectName("sheet")
        column = QVBoxLayout(part)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.bar = LookBar(session, self.view)
        self.ask = self.bar.ask
        self.bar.follow_wanted.connect(self.follow_wanted)
        self.bar.try_wanted.connect(self.try_wanted)
        column.addWidget(self.bar)
        column.addWidget(rule())
        self.blank = BlankPane()
        self.blank.hide()
        self.blank.pointed.connect(self._point_at_faces)
        self.halves = QSplitter(Qt.Orientation.Vertical)
        self.halves.setHandleWidth(1)
        self.halves.setChildrenCollapsible(False)
        self.halves.addWidget(self.view)
        self.halves.addWidget(self.blank)
        self.halves.setSizes([360, 300])
        column.addWidget(self.halves, 1)
        self.bar.blank.toggled.connect(self.show_blank)
        self.strip = TryStrip(session)
        column.addWidget(self.strip)
        self.look = LookStrip()
        column.addWidget(self.look)
        self.notice = _Notice(self.view)
        self.notice.cancelled.connect(self.cancel_wanted)
        self.start = FirstStart(session, self.view)
        self.start.draw.connect(lambda: self.steps.add_step("sketch"))
        self.start.type_sizes.connect(self.sizes.begin_typing)
        self.start.example.connect(self.example_wanted)
        self.centre, self.right = QStackedWidget(), QStackedWidget()
        for widget in (part, self.board):
            self.centre.addWidget(widget)
        for widget in (self.steps, self.board.panel, self.ties):
            self.right.addWidget(widget)
        splitter = QSplitter(Qt.Orientation.Horizontal)
        splitter.setHandleWidth(1)
        splitter.setChildrenCollapsible(False)
        for widget, width in ((self.sizes, 344), (self.centre, 560), (self.right, 312)):
            splitter.addWidget(widget)
            widget.setMinimumWidth(min(width, 290))
        splitter.setSizes(_widths(session.library.settings.get("columns")))
        splitter.splitterMoved.connect(lambda *_: session.library.keep("columns", splitter.sizes()))
        splitter.setStretchFactor(0, 0)
        splitter.setStretchFactor(1, 1)
        splitter.setStretchFactor(2, 0)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(splitter)
        self.view.hovered.connect(self._hovered)
        self.view.picked.connect(self._picked)
        self.sizes.pointed.connect(self._point_at_size)
        self.steps.pointed.connect(self._point_at_step)
        self.steps.pick_wanted.connect(self.pick_for)
        self.steps.draw_wanted.connect(self.draw_on)
        self.steps.ties_wanted.connect(self.tie_wanted)
        self.steps.went_to.connect(lambda _: (self._show_figures(), self._show_sketches()))
        self.view.figure_clicked.connect(self.edit_figure)
        self.view.figure_dragged.connect(partial(nudge_figure, session))
        self.view.figure_left.connect(session.settle)
        self.steps.regions_wanted.connect(self.choose_regions)
        self.steps.shelf_wanted.connect(self.shelf_wanted)
        self.steps.stencil_wanted.connect(self.stencil_wanted)
        self.board.left.connect(self.stop_drawing)
        session.taken.connect(self.stop_drawing)
        session.changed.connect(self._sketch_may_be_gone)
        session.changed.connect(self._unsay)
        session.changed.connect(self._tint)
        session.taken.connect(self._tint)
        self.steps.went_to.connect(lambda _: self._unsay())
        self.view.figure_clicked.connect(lambda *_: self._unsay())

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
        self.ask.setText(text)

    # The part

    def forget_parts(self) -> None:
        """Another design comes: there is no part before its own."""
        self.view.before = []
        self.show_blanks([])
        self.view.fit_next()

    def show_parts(self, parts: list[ShownPart], lens: Lens) -> None:
        self.view.show_parts(parts, lens)

    def show_good(self) -> None:
        """What is on the screen is the part as the design has it."""
        self.view.set_grey(False)
        self.notice.hide()

    def show_trouble(self, text: str) -> None:
        """What is on the screen is the last good part, and why."""
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
        if self._said_at is not None:
            self._unsay()
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

    def draw_on(self, sketch: str) -> None:
        """The sheet of paper in the place of the part, for a sketch step."""
        self.stop_picking()
        self.centre.setCurrentWidget(self.board)
        self.right.setCurrentWidget(self.board.panel)
        self.board.open(sketch)

    def choose_regions(self, step: str) -> None:
        """The sheet of a step's sketch, to click at the regions that the step uses."""
        found = self.session.design.step(step)
        sketch = str(getattr(found, "sketch", ""))
        if self.session.design.step(sketch) is None:
            self.session.said.emit("First choose the sketch that the step uses.")
            return
        self.draw_on(sketch)
        self.board.choose_regions(step)

    # Dimensions on the part

    def show_anchors(
        self, anchors: dict[str, list[Any]], notes: dict[str, tuple[Any, Any, float]] | None = None
    ) -> None:
        """Where dimensions lie on the part, and between which points what was measured, as the
        worker said."""
        self._anchors, self._notes = anchors, notes or {}
        self._show_figures()

    def _show_figures(self) -> None:
        """The dimensions of the chosen step, and of the sketch that it uses."""
        design = self.session.design
        chosen = design.step(self.steps.chosen)
        names = (
            [chosen.name, str(getattr(chosen, "sketch", "")), chosen.carries()] if chosen else []
        )
        figures = []
        for step in (design.step(name) for name in dict.fromkeys(names) if name):
            slots = {slot.path: slot for slot in step.slots()} if step is not None else {}
            for path, at in (
                self._anchors.get(step.name, []) if step is not None and self.figures_on else []
            ):
                if path in slots:
                    figures.append(
                        Figure(self._figure_text(slots[path]), tuple(at), step.name, path)
                    )
        if self._said_at is not None:
            figures.append(Figure(self._said_at[0], self._said_at[1], "", ""))
        for name, (a, b, length) in self._notes.items() if self.figures_on else ():
            said = f"{say_name(name)} = {self.session.say(Quantity(length, LENGTH))}"
            figures.append(Figure(said, tuple(a), name, "", tuple(b)))
        self.view.show_figures(figures)

    def say_at(self, words: str, at: tuple[float, float, float]) -> None:
        """Say something at a point of the part, with parts seen through, until something is
        chosen or changed."""
        self._said_at = (words, at)
        self.view.see_through(True)
        self._show_figures()

    def _tint(self) -> None:
        """Parts and faces in the colours that the design gives them."""
        design = self.session.design
        self.view.tint(
            {part.name: part.colour for part in design.parts if part.colour},
            {step.name: step.colour for step in design.steps if step.colour},
        )

    def _unsay(self) -> None:
        if self._said_at is not None:
            self._said_at = None
            self.view.see_through(False)
            self._show_figures()

    def _figure_text(self, slot: Slot) -> str:
        """A formula with its value: ``board = 4 mm``."""
        table = self.session.table
        try:
            said = self.session.say(table.compile(slot.formula, slot.kind).value(table.env()))
        except FormulaError:
            return slot.formula
        text = slot.formula if len(slot.formula) <= 22 else f"{slot.formula[:20]}…"
        return said if text.replace(" ", "") == said.replace(" ", "") else f"{text} = {said}"

    def edit_figure(self, step: str, path: str) -> None:
        """Type another formula where the dimension stands on the part."""
        self._close_field()
        if not path:
            self.steps.choose(step)
            return
        box, found = self.view.box_of(step, path), self.session.design.step(step)
        slot = next((s for s in found.slots() if s.path == path), None) if found else None
        if box is None or slot is None:
            return
        session = self.session
        field = FormulaEdit(
            slot.formula,
            lambda: session.table,
            wanted=slot.kind,
            units=session.units(),
            as_it_is=slot.formula,
        )
        field.line.tabs_on = True
        field.onward.connect(lambda way: self._edit_next_figure(step, path, way))
        field.setParent(self.view)
        field.setFixedWidth(240)

        def take(text: str) -> None:
            self._close_field()
            session.edit(
                lambda design: edits.change_step(design, step, path, text), f"{slot.label} = {text}"
            )

        field.committed.connect(take)
        field.made.connect(
            lambda name, formula: session.edit(
                lambda d: edits.add_size(d, name, formula), f"new size {name}"
            )
        )
        field.dropped.connect(self._close_field)
        field.move(
            int(min(max(box.left(), 4), self.view.width() - 248)),
            int(min(max(box.top(), 4), self.view.height() - 70)),
        )
        field.show()
        field.adjustSize()
        field.begin()
        self._field = field

    def _edit_next_figure(self, step: str, path: str, way: int) -> None:
        """The next figure on the part, or the one before; after the last comes the first."""
        there = [(figure.step, figure.path) for figure in self.view.figures if figure.path]
        if (step, path) in there:
            self.edit_figure(*there[(there.index((step, path)) + way) % len(there)])

    def _close_field(self) -> None:
        if self._field is not None:
            field, self._field = self._field, None
            field.hide()
            field.deleteLater()
            self.view.setFocus()

    def toggle_figures(self) -> None:
        """Dimensions on the part, or not."""
        self.figures_on = not self.figures_on
        self._show_figures()

    def show_drawings(self, drawings: dict[str, talk.DrawingReport], parts: list[Any]) -> None:
        """What the worker said of the sketches: their planes, and the edges that lie under the
        sheet."""
        self._drawings = drawings
        self.board.show_drawings(drawings, parts)
        self._show_sketches()

    def _show_sketches(self) -> None:
        """Sketches that no step uses yet, and those of the chosen step, which may be a
        stencil's."""
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
        return self.centre.currentWidget() is self.board

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
        """Wait for a flat face to be picked for a field of a step; again to give it up."""
        if self._picking is not None:
            self.stop_picking()
            return
        self._picking = (step, path)
        self.view.mark()
        what = {"edge": "an edge", "around": "a face for its edges", "face": "a face"}.get(
            path.partition("+")[2], "a flat face"
        )
        self.ask.setText(f"Pick {what} (Esc gives up)")
        self.steps.cards[step].set_picking(path, True)
        answers = {"edge": "edge", "around": "face", "face": "face"}
        self.view.ask_for(f"Pick {what}", answers.get(path.partition("+")[2], "flat"))
        self.view.setFocus()

    def stop_picking(self) -> bool:
        """Give up picking; True if there was something to give up."""
        if self._picking is None:
            return False
        step, path = self._picking
        self._picking = None
        self.view.ask_for("")
        self.ask.setText("")
        if step in self.steps.cards:
            self.steps.cards[step].set_picking(path, False)
        return True

    def _picked(self, face: Mapping[str, Any]) -> None:
        if self.is_tying:
            self.tie_picked.emit(dict(face))
            return
        if self._picking is None:
            if face:
                self.steps.choose(face["step"])
                self.view.mark(faces=frozenset({face["name"]}))
            else:
                # Beside everything: what was chosen is let go.
                self.view.mark()
                self.steps.choose("")
            return
        step, path = self._picking
        if not face:
            return
        if "+" in path:
            self._take_pick(step, path, face)
            return
        if not face["flat"]:
            self.ask.setText("That face is not flat. Pick a flat one (Esc gives up)")
            return
        self.stop_picking()
        if face["step"] == step:
            self.session.said.emit("A step cannot stand on a face that it makes itself.")
            return
        placed = self._placed(step, path, face)
        part = self._part_of(face) if path == "face" else ""

        def change(design: Design) -> Design:
            design = edits.change_step(design, step, path, face["name"])
            if isinstance(design.step(step), Anchored) and part:
                design = edits.change_step(design, step, "part", part)
            for field, formula in placed.items():
                design = edits.change_step(design, step, field, formula)
            return design

        self.session.edit(change, f"face of {step}")

    def _part_of(self, face: Mapping[str, Any]) -> str:
        """The part that a face was picked on."""
        names = (part.name for part in self.view.parts if face["name"] in part.face_names())
        return next(names, "")

    def face_frames(self) -> dict[str, Frame]:
        """The frames of the flat faces that are shown, by name."""
        return {
            str(face["name"]): Frame(face["origin"], face["x"], face["y"])
            for part in self.view.parts
            for face in part.faces
            if "origin" in face and "x" in face and "y" in face
        }

    def _placed(self, step: str, path: str, face: Mapping[str, Any]) -> dict[str, str]:
        """Where a step lies that is put on a face for the first time: where it was clicked, in
        whole millimetres."""
        found, at = self.session.design.step(step), face.get("at") or ()
        kind = type(found)
        own = kind.model_fields if found is not None else {}
        fresh = (
            path == "face"
            and not getattr(found, "face", "")
            and bool(at)
            and {"x", "y"} <= own.keys()
        )
        if not fresh or any(getattr(found, name) != own[name].default for name in ("x", "y")):
            return {}
        away = [p - q for p, q in zip(at, face["origin"], strict=True)]
        along = {
            name: sum(a * b for a, b in zip(away, face[name], strict=True)) for name in ("x", "y")
        }
        return {name: f"{round(value) + 0} mm" for name, value in along.items()}

    def _take_pick(self, step: str, path: str, picked: Mapping[str, Any]) -> None:
        """One more face, or rule for edges, for a step; picking goes on until Escape."""
        field, _, what = path.partition("+")
        if what == "edge" and "edge" not in picked:
            self.ask.setText("No edge is near enough. Pick an edge (Esc gives up)")
            return
        # A rule for the first member of a row says so; without a number it would mean all of them.
        names = (
            tuple(picked["edge"])
            if what == "edge"
            else (picked["name"] if what == "face" else picked["exact"],)
        )
        if any(name.split("/")[0] == step for name in names):
            self.session.said.emit("A step cannot stand on what it makes itself.")
            return
        how = "between" if what == "edge" else "around"
        item: object = names[0] if what == "face" else EdgeRule(how=how, of=names)  # type: ignore[arg-type]
        self.steps.cards[step].add_pick(field, item)

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
        found = set(steps)
        for step in reversed(self.session.design.steps):
            if step.name in found and step.carries():
                found.add(step.carries())
        return frozenset(found)


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


class _Notice(QFrame):
    """Lies over the view: work that takes long, with a way to give it up, or why the part is not
    new."""

    cancelled = Signal()

    def __init__(self, view: PartView) -> None:
        super().__init__(view)
        self.setObjectName("warning")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 9)
        layout.setSpacing(5)
        self.said = label("", "", wrap=True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.give_up = button("Give up", "link", self.cancelled.emit, "Give up this rebuild")
        layout.addWidget(self.said)
        layout.addWidget(self.bar)
        layout.addWidget(self.give_up, 0, Qt.AlignmentFlag.AlignLeft)
        self.hide()
        view.installEventFilter(self)

    def eventFilter(self, watched: Any, event: Any) -> bool:
        if event.type() == event.Type.Resize:
            self._place()
        return False

    def _place(self) -> None:
        parent = self.parentWidget()
        width = min(460, parent.width() - 24)
        layout = self.layout()
        if layout is not None:
            layout.activate()
            self.setFixedSize(width, layout.totalHeightForWidth(width))
        self.move((parent.width() - width) // 2, 12)

    def show_work(self, step: int, steps: int, name: str) -> None:
        # Before the first step there is nothing to name yet: the kernel is being started.
        words = f"Building step {step + 1} of {steps}: {say_name(name)}" if name else "Building …"
        self.said.setText(words)
        self.bar.setRange(0, max(1, steps))
        self.bar.setValue(step)
        self.bar.show()
        self.give_up.show()
        self._appear()

    def show_trouble(self, text: str) -> None:
        self.said.setText(text)
        self.bar.hide()
        self.give_up.hide()
        self._appear()

    def _appear(self) -> None:
        self.show()
        self.raise_()
        self._place()
