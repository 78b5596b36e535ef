"""What a drawing sheet has to say: every size of a design once, with what it measures on which
part."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from ...design.built import Rebuilt
from ...design.lens_table import machines_of
from ...design.model import Design, Size
from ...design.opened import opened
from ...formula import FormulaError, parse
from ...formula.functions import PROCESS_FUNCTIONS
from ...formula.tree import Binary, Call, Name, Number, Unary
from ...formula.value_table import ValueTable
from ...kernel.frame import Frame, Vector, add, dot
from ...kernel.naming import FaceName
from ...process.model import Process
from ...prove.meant import meant_of
from ...quantity import LENGTH, Quantity, plain, say
from ...sketch.mapping import XY
from ...steps.base import Step
from ...steps.sketch import Sketch
from ...steps.span import Span
from ...steps.spans import spans_of_sketch
from ...steps.workshop import Outlines

#: A dimension is drawn only where it is as long as it says, mm.
_SAME = 1e-6


@dataclass(frozen=True, slots=True)
class Entry:
    """A size: what stands at its dimension, what stands in the list, and what it measures on a
    part: a length between two points, or a place that it belongs to, or neither."""

    size: str
    text: str
    value: str
    remark: str
    part: str
    span: Span | None = None
    spot: Vector | None = None


def entries_of(design: Design, built: Rebuilt) -> list[Entry]:
    """All sizes that have a value, in the order of the design. One stands once, but for a fit that
    comes to another value where parts are made on other machines."""
    places = _Places(design, built)
    own = machines_of(built)
    usual = built.view.process, built.table
    entries = []
    for size in design.sizes:
        values: dict[float, list[str]] = {}
        for part in places.parts_of(size.name):
            cell = own.get(part, usual)[1].cells.get(size.name)
            if cell is not None:
                values.setdefault(round(cell.wanted.value, 6), []).append(part)
        unused = [[""]] if size.name in built.table.cells else []
        for parts in values.values() or unused:
            process, table = own.get(parts[0], usual)
            where = places.of(size.name, table.cells[size.name].wanted.value, parts)
            entries.append(_entry(design, process, table, size, where))
    return entries


def _entry(
    design: Design,
    process: Process,
    table: ValueTable,
    size: Size,
    where: tuple[str, Span | None, Vector | None],
) -> Entry:
    wanted = table.cells[size.name].wanted
    value = _said(design, size, wanted)
    meant = meant_of(size, design.formula_of(size), process, table)
    remark = "" if meant is None or meant.trouble else meant.words
    tolerance = ""
    if remark:
        # A tolerance of its own as it is; of a fit, its class.
        tolerance = " " + (remark.removesuffix(" mm") if remark[0] == "±" else remark.split()[0])
        tolerance = tolerance.rstrip(":")
    part, span, spot = where
    round_ = {"diameter": "ø ", "radius": "R "}.get(span.form if span else "", "")
    text = f"{size.name} {round_}{value}{tolerance}"
    return Entry(size.name, text, value, remark, part, span, spot)


def _said(design: Design, size: Size, wanted: Quantity) -> str:
    """A value as it stands on the sheet: of a length in mm the number alone."""
    units = size.units or design.units
    if wanted.kind == LENGTH and units == "mm":
        return plain(wanted.value, 3)
    return say(wanted, units, design.inch_fraction)


class _Places:
    """Where the sizes of a design are used as they are."""

    def __init__(self, design: Design, built: Rebuilt) -> None:
        self.found: dict[str, list[tuple[str, Span | None, Vector | None]]] = {}
        steps = [
            step
            for step in opened(design).steps
            if (state := built.steps.get(step.name)) is not None
            and state.state in ("built", "carried")
        ]
        owner = dict(_parts_of(steps, built))
        frames: dict[str, Frame | None] = {}

        def frame_of(face: str) -> Frame | None:
            if face not in frames:
                frames[face] = _frame(face, built)
            return frames[face]

        for step in steps:
            values = {path: q.value for path, q in built.steps[step.name].values.items()}
            given = (values, built.drawings, frame_of)
            if isinstance(step, Sketch):
                outlines = built.drawings.get(step.name)
                axis = _axis(step, steps, outlines) if outlines is not None else None
                mine = spans_of_sketch(step, outlines, axis) if outlines is not None else []
            else:
                mine = step.spans(*given)
            spans = {(span.path, span.times): span for span in mine}
            spots = dict(step.figure_spots(*given))
            for slot in step.slots():
                size, halves = size_in(slot.formula)
                # A length has two ends, which one place does not show; and what is repeated need
                # not be where it was drawn.
                shown = slot.kind != LENGTH and built.steps[step.name].state == "built"
                spot = spots.get(slot.path) if shown and halves == 1 else None
                span = spans.get((slot.path, halves))
                if size and (span is not None or spot is not None):
                    known = self.found.setdefault(size, [])
                    known.append((owner.get(step.name, ""), span, spot))

    def parts_of(self, size: str) -> list[str]:
        """The parts that a size is used on."""
        return list(dict.fromkeys(part for part, _, _ in self.found.get(size, ()) if part))

    def of(
        self, size: str, value: float, parts: Sequence[str]
    ) -> tuple[str, Span | None, Vector | None]:
        """Of some parts the one of a size, and where it can be drawn: where it is a length between
        two points which are that far apart, that; else the place of a note."""
        known = [one for one in self.found.get(size, ()) if one[0] in parts]
        for part, span, spot in known:
            if span is not None and abs(long(span) - abs(value)) < _SAME:
                return part, span, spot
        for part, _, spot in known:
            if spot is not None:
                return part, None, spot
        return (known[0][0] if known else ""), None, None


def long(span: Span) -> float:
    """How long what a span draws is, mm."""
    return abs(dot(add(span.ends[1], span.ends[0], -1.0), span.along))


def _parts_of(steps: list[Step], built: Rebuilt) -> Iterator[tuple[str, str]]:
    """By step the part that it works on: by its own data, by the face that it is on, or by what
    repeats it; of a sketch that of the first step which uses it."""
    parts: dict[str, str] = {}
    for step in reversed(steps):
        places = [str(getattr(step, field)) for field in step.places]
        picked = [*places, *(face for field in step.face_lists for face in getattr(step, field))]
        on = next((part for face in picked if (part := _owner(face, built))), "")
        own = step.works_on()
        part = own if own in built.bodies else on or parts.get(step.name, "")
        if not part:
            continue
        parts.setdefault(step.carries(), part)
        yield step.name, part
        for used in step.uses_whole():
            yield used, part


def _owner(face: str, built: Rebuilt) -> str:
    """The part that has a face."""
    try:
        name = FaceName.read(face)
    except ValueError:
        return ""
    return next((part for part, body in built.bodies.items() if name in body.frames), "")


def _frame(face: str, built: Rebuilt) -> Frame | None:
    part = _owner(face, built)
    return built.bodies[part].frames[FaceName.read(face)] if part else None


def size_in(formula: str) -> tuple[str, int]:
    """The size that a formula is, as it is or corrected for a machine, and 2 where it is half of
    it; an empty name where it is another formula."""
    try:
        tree = parse(formula)
    except FormulaError:
        return "", 1
    halves = 1
    if isinstance(tree, Unary) and tree.op == "-":
        tree = tree.operand
    if isinstance(tree, Binary) and tree.op == "/" and isinstance(tree.right, Number):
        if tree.right.value != 2:
            return "", 1
        tree, halves = tree.left, 2
    if isinstance(tree, Call) and tree.function in PROCESS_FUNCTIONS and len(tree.args) == 1:
        tree = tree.args[0]
    return (tree.name, halves) if isinstance(tree, Name) else ("", 1)


def _axis(sketch: Sketch, steps: list[Step], outlines: Outlines) -> tuple[XY, XY] | None:
    """What a sketch is turned about."""
    for step in steps:
        if sketch.name in step.uses_whole() and (axis := step.turns_about(outlines)) is not None:
            return axis
    return None


def by_part(entries: list[Entry], parts: list[str]) -> Mapping[str, list[Entry]]:
    """The entries by the part on whose page they stand; what is of none, on the first."""
    lists: dict[str, list[Entry]] = {part: [] for part in parts}
    for entry in entries:
        lists[entry.part if entry.part in lists else parts[0]].append(entry)
    return lists
