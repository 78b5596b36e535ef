"""What lies on the desk: the drawing of one sketch, settled, with what is chosen, and every change
to it."""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np
from PySide6.QtCore import QObject, QPointF, QTimer, Signal

from ...core.design import edit as edits
from ...core.design.slots import slot_values
from ...core.formula import FormulaError
from ...core.kernel.edges import say_edge
from ...core.sketch.arrangement import Arrangement, arrange
from ...core.sketch.curves import Curve
from ...core.sketch.cuts import make_ready
from ...core.sketch.diagnose import Diagnosis, conflict, diagnose
from ...core.sketch.drag import Drag
from ...core.sketch.drawing import SHEET, Arc, Circle, Constraint, Dimension, Drawing, Line, Point
from ...core.sketch.newton import Solution
from ...core.sketch.settled import Settled, say_conflict, solve_following
from ...core.sketch.solve import solve
from ...core.sketch.system import CannotHold, System, drawing_at
from ...core.sketch.tracing import LostEdge, Trace, brought, placed
from ...core.steps.drawn import formula_shapes
from ...core.steps.sketch import Sketch
from ...core.steps.workshop import StepError
from ...core.words import capital, say_name, sentence
from ...worker import talk
from ..session import Session

#: Looks for what is at odds beside the window, one sketch after the other. Its thread touches
#: nothing of Qt: the desk asks it for its answer.
_SEARCHES = ThreadPoolExecutor(max_workers=1, thread_name_prefix="conflict")
#: How often the desk asks, ms.
_ASKS = 20


class Desk(QObject):
    """One sketch being drawn.

    ``changed`` follows every change of drawing, state or choice. ``trouble`` says what does not
    hold, in words; ``at_odds`` names it.
    """

    changed = Signal()
    said = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.name = ""
        self.drawing = Drawing()
        self.settled: Settled | None = None
        #: The middle of the drawing on the screen, as the paper last showed it.
        self.middle_on_screen = QPointF(0, 0)
        self.diagnosis: Diagnosis | None = None
        self.values: dict[str, float] = {}
        self.trouble, self.at_odds = "", frozenset[str]()
        self.chosen: list[str] = []
        self.pointed = frozenset[str]()
        self.curves: dict[str, list[Curve]] = {}
        self.shape_curves: list[Curve] = []
        self._numbers: dict[str, float] = {}
        self.arrangement = Arrangement()
        self._drag: Drag | None = None
        self._search: tuple[Drawing, Future[tuple[str, ...]], tuple[str, ...]] | None = None
        self._asks = QTimer(self, interval=_ASKS)
        self._asks.timeout.connect(self._ask_for_conflict)
        self._wiggle: tuple[int, float] | None = None
        self._ticking = QTimer(self, interval=16)
        self._ticking.timeout.connect(self._tick)
        self._known: tuple[object, ...] = ()
        #: What the last rebuild said of each sketch: where it lies, and the edges that it follows.
        self.reported: dict[str, talk.DrawingReport] = {}
        session.changed.connect(self.refresh)

    # Taking a sketch up

    def open(self, name: str) -> None:
        """Lay a sketch step on the desk."""
        self.name, self.chosen, self.pointed = name, [], frozenset()
        self._known = ()
        _SEARCHES.submit(make_ready)
        self.refresh()

    def close(self) -> None:
        self.stop_wiggle()
        self.name = ""
        self._known = ()

    @property
    def step(self) -> Sketch | None:
        step = self.session.design.step(self.name) if self.name else None
        return step if isinstance(step, Sketch) else None

    def refresh(self) -> None:
        """Look at the design again; what has not changed is not worked out again."""
        step = self.step
        if step is None:
            return
        slots = slot_values(step.slots(), self.session.table)
        traces = self._traces()
        known = (step, tuple(sorted(slots.numbers.items())), self.session.units(), traces)
        if known == self._known:
            return
        self._known = known
        self.stop_wiggle()
        self.drawing = step.drawing
        paths = {
            f"drawing.dimensions.{i}.formula": d.name for i, d in enumerate(self.drawing.dimensions)
        }
        self.values = {paths[path]: value for path, value in slots.numbers.items() if path in paths}
        self._numbers = slots.numbers
        wrong = [
            f"{slot.label}: {error.what}"
            for slot, error in slots.errors
            if slot.path.startswith("drawing")
        ]
        self._settle(wrong)
        there = set(self.drawing.by_name) | {rule.name for rule in self.drawing.rules} | set(SHEET)
        self.chosen = [name for name in self.chosen if name in there]
        self.changed.emit()

    def _traces(self) -> tuple[tuple[str, Trace], ...]:
        told = self.reported[self.name]["traces"] if self.name in self.reported else {}
        return tuple(
            (edge, Trace(form, tuple((float(x), float(y)) for x, y in points), float(radius)))
            for edge, (form, points, radius) in told.items()
        )

    def _now(self, drawing: Drawing) -> Drawing:
        """The drawing with what follows edges where they were at the last rebuild."""
        try:
            return placed(drawing, dict(self._traces()))
        except LostEdge:
            return drawing  # it stays where it was last seen; the step says what was lost

    def bring_in(self, edge: str, line: np.ndarray) -> None:
        """Lay an edge of the part, points (k, 2) mm, onto the sheet as helpers that follow it."""
        drawing = self.settled_drawing()
        changed = brought(drawing, edge, Trace.of(line))
        if changed == drawing:
            self.said.emit("That edge is on the sheet already.")
        else:
            self.put(changed, f"bring in the {say_edge(edge)}")

    def _settle(self, wrong: list[str]) -> None:
        self.trouble, self.at_odds = "", frozenset()
        self._give_up_search()
        system, solution = None, None
        try:
            shapes = formula_shapes(self.drawing, self._numbers)
            system = System(self.drawing, shapes)
            solution = solve_following(system, self.values, self._now(self.drawing))
        except CannotHold as error:
            self.trouble, self.at_odds = sentence(error.what), frozenset({error.name})
        except ValueError as error:
            self.trouble = sentence(str(error))
        if system is None:
            # Show at least the parts that can be drawn without what is wrong.
            bare = self.drawing.model_copy(update={"constraints": (), "dimensions": ()})
            plain = tuple(e for e in bare.elements if e.kind != "formula")
            system = System(Drawing(elements=plain))
        if solution is None or not solution.holds:
            if solution is not None:
                self.trouble = "These cannot all hold. Looking for which of them …"
                self._search_for_conflict(system, solution.lost)
            solution = Solution(system.start, False, np.zeros(0))
        self.diagnosis = diagnose(system, solution.x) if solution.holds else None
        self._show(system, solution)
        if wrong:
            self.trouble = "\n".join(wrong)

    def _give_up_search(self) -> None:
        self._asks.stop()
        if self._search is not None:
            self._search[1].cancel()  # if it has not begun
            self._search = None

    def _search_for_conflict(self, system: System, lost: tuple[str, ...]) -> None:
        values, shapes = dict(self.values), dict(system.shapes)
        job = _SEARCHES.submit(conflict, self.drawing, values, shapes)
        self._search = self.drawing, job, lost
        self._asks.start()

    def _ask_for_conflict(self) -> None:
        """Take what was found, once it is there and is still of what is drawn."""
        if self._search is None or not self._search[1].done():
            return
        (drawing, job, lost), self._search = self._search, None
        self._asks.stop()
        if drawing is not self.drawing or job.cancelled():
            return
        names = job.result()
        self.at_odds = frozenset(names)
        text = say_conflict(drawing, names, self.values, lost)
        self.trouble = f"{capital(text)}. Change or remove one of them, or undo."
        self.changed.emit()

    def _show(self, system: System, solution: Solution) -> None:
        self.settled = Settled(drawing_at(system, solution.x), system, solution.x, solution)
        self.curves = {
            curve.name: self.settled.curve(curve.name) for curve in system.drawing.curves
        }
        outlines = [c for e in system.drawing.curves if not e.helper for c in self.curves[e.name]]
        shapes: list[Curve] = []
        if self.step is not None:
            for number in range(len(self.step.shapes)):
                try:
                    loops = self.step.loops_of(number, self._numbers)
                except (KeyError, ValueError):
                    continue  # its formulas do not hold yet
                shapes += [curve for loop in loops for curve in loop.curves]
            try:
                shapes += self.step.walls_along([*shapes, *outlines], self._numbers)
            except StepError as error:
                self.trouble = self.trouble or error.what
        self.shape_curves = shapes
        try:
            self.arrangement = arrange([*shapes, *outlines])
        except (ValueError, ArithmeticError):
            self.arrangement = Arrangement()

    # Where things are

    def xy(self, point: str) -> tuple[float, float]:
        """Where a point is now, also while it is dragged."""
        assert self.settled is not None
        ix, iy = self.settled.system.xy(point)
        x = self.settled.x
        return float(x[ix]), float(x[iy])

    def is_loose(self, name: str) -> bool:
        return self.diagnosis is not None and name in self.diagnosis.loose

    @property
    def freedoms(self) -> int:
        return self.diagnosis.freedoms if self.diagnosis else 0

    def freedom_words(self, most: int) -> list[str]:
        """The first freedoms, ``most`` of them, each by what moves in it."""
        if self.diagnosis is None or self.settled is None:
            return []
        words = []
        for motion in self.diagnosis.motions[:most]:
            moving = self._moved_by(motion)
            sizes = [
                n for n in moving if not isinstance(self.settled.system.elements.get(n), Point)
            ]
            points = [n for n in moving if n not in sizes]
            named = sizes or self._lines_of(points) or points
            if len(moving) == 1:
                words.append(f"{say_name(named[0])} {self._way_of(motion)}".strip())
                continue
            said = ", ".join(say_name(name) for name in named[:3]) + (
                " …" if len(named) > 3 else ""
            )
            words.append(said)
        return words

    def _way_of(self, motion: np.ndarray) -> str:
        """Where the only thing that moves goes: across, upright, or wider."""
        assert self.settled is not None
        whats = [
            w
            for (_, w), move in zip(self.settled.system.variables, motion, strict=True)
            if abs(move) > 1e-6
        ]
        return (
            {"x": "across", "y": "upright", "r": "wider", "minor": "wider"}.get(whats[0], "")
            if len(whats) == 1
            else ""
        )

    def _moved_by(self, motion: np.ndarray) -> list[str]:
        assert self.settled is not None
        system = self.settled.system
        names = [
            name
            for (name, _), move in zip(system.variables, motion, strict=True)
            if abs(move) > 1e-6
        ]
        return [name for name in dict.fromkeys(names) if name in system.elements]

    def _lines_of(self, points: list[str]) -> list[str]:
        moved = set(points)
        return [
            c.name
            for c in self.drawing.curves
            if c.uses() and set(c.uses()) <= moved and len(moved) > 1
        ]

    # Choosing

    def choose(self, names: list[str]) -> None:
        self.chosen = names
        self.changed.emit()

    def toggle(self, name: str) -> None:
        self.choose(
            [n for n in self.chosen if n != name] if name in self.chosen else [*self.chosen, name]
        )

    def point_at(self, names: frozenset[str]) -> None:
        """Light up elements and rules, from the sheet or from the list."""
        if names != self.pointed:
            self.pointed = names
            self.changed.emit()

    # Changing

    def put(self, drawing: Drawing, did: str, *, together: str = "") -> bool:
        """Take over a changed drawing, where it stands once everything holds; True where anything
        changed."""
        moved = self._brought_to_hold(drawing)
        return self.session.edit(
            lambda design: edits.change_step(design, self.name, "drawing", moved),
            f"{did}",
            together,
        )

    def _solved(self, drawing: Drawing) -> Settled | None:
        """A changed drawing where the solver puts it; None where it cannot hold."""
        step = self.step
        assert step is not None
        slots = slot_values(
            step.model_copy(update={"drawing": drawing}).slots(), self.session.table
        )
        values = {
            d.name: slots.numbers[path]
            for i, d in enumerate(drawing.dimensions)
            if (path := f"drawing.dimensions.{i}.formula") in slots.numbers
        }
        try:
            system = System(drawing, formula_shapes(drawing, slots.numbers))
            solution = solve_following(system, values, self._now(drawing), as_wholes=True)
        except ValueError:
            return None
        return (
            Settled(drawing_at(system, solution.x), system, solution.x, solution)
            if solution.holds
            else None
        )

    def _brought_to_hold(self, drawing: Drawing) -> Drawing:
        """The drawing with everything where the solver puts it; as it is where it cannot hold."""
        settled = self._solved(drawing)
        return settled.drawing if settled else drawing

    def would_move(self, drawing: Drawing) -> dict[str, list[Curve]]:
        """The curves as they would be if a changed drawing were taken over; empty where it cannot
        hold."""
        settled = self._solved(drawing)
        return (
            {curve.name: settled.curve(curve.name) for curve in drawing.curves} if settled else {}
        )

    def is_redundant(self, drawing: Drawing, rule: str) -> bool:
        """Whether a constraint or dimension of a changed drawing says only what the others say
        already."""
        try:
            system = System(drawing, formula_shapes(drawing, self._numbers))
            solution = solve(system, dict(self.values.items()), patient=False)
        except ValueError:
            return False
        return solution.holds and rule in diagnose(system, solution.x).redundant

    def put_rule(self, rule: Constraint | Dimension, did: str) -> None:
        """Add a constraint or dimension. A dimension too many becomes one that is read off."""
        field = "constraints" if isinstance(rule, Constraint) else "dimensions"
        try:
            changed = self.settled_drawing().with_(**{field: (*getattr(self.drawing, field), rule)})
        except (ValueError, FormulaError) as error:
            self.said.emit(str(error))
            return
        if self.is_redundant(changed, rule.name):
            if isinstance(rule, Constraint):
                self.said.emit("That holds already; the other constraints see to it.")
                return
            read = rule.model_copy(update={"reads": True, "formula": ""})
            changed = changed.model_copy(update={"dimensions": (*self.drawing.dimensions, read)})
            self.said.emit(
                f"That is settled already, so it is read off: use it as {self.name}.{rule.name}."
            )
        self.put(changed, did)

    def settled_drawing(self) -> Drawing:
        """The drawing as it stands on the sheet."""
        if self.settled is not None and self.settled.solution.holds:
            return self.settled.drawing
        return self.drawing

    # Dragging

    def take_hold(self, name: str) -> bool:
        """Take hold of a point or a curve; False where it cannot move."""
        if self.settled is None or not self.settled.solution.holds:
            return False
        element = self.settled.system.elements.get(name)
        self.stop_wiggle()
        match element:
            case Point():
                taken, radius = [name], ""
            case Line():
                taken, radius = list(element.uses()), ""
            case Circle() | Arc():
                taken, radius = [], name
            case None:
                return False
            case _:
                taken, radius = list(element.uses()), ""
        self._drag = Drag(self.settled.system, self.settled.x, taken, radius=radius)
        self._dragged = name
        return True

    def drag_to(self, start: tuple[float, float], now: tuple[float, float]) -> None:
        """Follow the pointer, mm."""
        if self._drag is None or self.settled is None:
            return
        element = self.settled.system.elements.get(self._dragged)
        grow = 0.0
        if isinstance(element, (Circle, Arc)):
            cx, cy = self.xy(element.centre)
            grow = float(
                np.hypot(now[0] - cx, now[1] - cy) - np.hypot(start[0] - cx, start[1] - cy)
            )
        self._place(self._drag.to(now[0] - start[0], now[1] - start[1], grow))

    def _place(self, x: np.ndarray) -> None:
        assert self.settled is not None
        system = self.settled.system
        self.settled = Settled(self.settled.drawing, system, x, self.settled.solution)
        self.curves = {
            curve.name: self.settled.curve(curve.name) for curve in system.drawing.curves
        }
        self.changed.emit()

    def let_go(self) -> None:
        """Keep where the drag ended."""
        if self._drag is None or self.settled is None:
            return
        self._drag = None
        moved = drawing_at(self.settled.system, self.settled.x)
        if moved == self.drawing or not self.put(moved, f"drag {say_name(self._dragged)}"):
            self._known = ()
            self.refresh()

    @property
    def dragging(self) -> bool:
        return self._drag is not None

    # Wiggling

    def wiggle(self, number: int) -> None:
        """Move the drawing to and fro along one of its freedoms, and back."""
        if self.diagnosis is None or self.settled is None or number >= self.diagnosis.freedoms:
            return
        self.stop_wiggle()
        self._rest = self.settled.x.copy()
        self._wiggle = (number, 0.0)
        self._ticking.start()

    def _tick(self) -> None:
        if self._wiggle is None or self.diagnosis is None or self.settled is None:
            self._ticking.stop()
            return
        number, phase = self._wiggle
        phase += 0.045
        if phase >= 1.0:
            self.stop_wiggle()
            return
        self._wiggle = (number, phase)
        reach = 0.08 * self.settled.system.size * np.sin(2 * np.pi * phase) * (1 - phase)
        x = self._rest + self.diagnosis.motions[number] * reach
        self._place(x)

    def stop_wiggle(self) -> None:
        """Put everything back where it was."""
        if self._wiggle is not None:
            self._ticking.stop()
            self._wiggle = None
            if self.settled is not None and len(self._rest) == len(self.settled.x):
                self._place(self._rest)
