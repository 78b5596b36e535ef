"""What every size of a design is a measure of, read off the part as it is built.

Which gains act on a length follows from where the material is: the outlines that steps make of a
sketch are read with and without the machine's gains on them, by the very functions that build the
part. A size that reaches the part only through others (the web between two holes, as part of a
pitch) lies along the axes that those lie along. Counts and angles, and sizes that the part only has
to fit, are what they are.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from ..formula import FormulaError, names_in, parse
from ..formula.functions import PROCESS_FUNCTIONS, STRAIGHT_FUNCTIONS
from ..formula.rewrite import walk
from ..formula.tree import Call, Name, Node, Output
from ..formula.value_table import ValueTable
from ..kernel.flat import plate_of
from ..kernel.frame import GROUND, Frame, Vector
from ..process.correction import Correction, Gain, Side
from ..process.lens import LensView
from ..process.model import Process, neutral
from ..quantity import LENGTH
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from ..steps.base import Slot, Step
from ..steps.gauges import Gauge, gauges_of
from ..steps.repeating import Repeats
from ..steps.sketch import Sketch
from ..steps.workshop import StepError, Workshop
from .built import Rebuilt
from .flowing import flows_into, into_unbuilt, is_built, spread, trees_of, waiting_sketches
from .model import Design
from .opened import opened
from .treat import cuts

#: The gain that outlines are read with, mm, and from what share on a length takes part in it.
_PROBE, _SHARE = 1e-3, 1e-6
#: A length that no machine acts on.
NOT_MADE = Correction()
_SIDES: tuple[Side, Side] = ("inside", "outside")


@dataclass(frozen=True, slots=True)
class PartMeasure:
    """One way in which a size is a measure of the part.

    ``formula`` is the step's that uses it, in proportion; empty where it reaches the part through
    others only. ``parts`` are those that it is a measure of. ``thick`` says that a step raises a
    part by it: in what is cut, the thickness of the stock. ``unclear`` says that it is a length of
    the part of which nobody works out along what it lies, such as the wall of a shell, which lies
    along all axes.
    """

    correction: Correction = NOT_MADE
    formula: str = ""
    parts: frozenset[str] = frozenset()
    thick: bool = False
    unclear: bool = False

    @property
    def direct(self) -> bool:
        """Whether a step uses it as it is."""
        return bool(self.formula)


@dataclass(frozen=True, slots=True)
class Measures:
    """Of each size, the ways in which it is a measure; and of each part that is cut, its material
    and thickness, mm."""

    of: Mapping[str, tuple[PartMeasure, ...]] = field(default_factory=dict)
    sheets: Mapping[str, tuple[str, float]] = field(default_factory=dict)

    def as_data(self) -> dict[str, object]:
        """The same as plain data, for another process."""
        return {
            "of": {
                name: [
                    {
                        "axes": sorted(one.correction.axes),
                        "gains": [asdict(gain) for gain in one.correction.gains],
                        "formula": one.formula,
                        "parts": sorted(one.parts),
                        "thick": one.thick,
                        "unclear": one.unclear,
                    }
                    for one in measures
                ]
                for name, measures in self.of.items()
            },
            "sheets": {part: list(table) for part, table in self.sheets.items()},
        }

    @classmethod
    def from_data(cls, data: Mapping[str, Any]) -> Measures:
        """What :meth:`as_data` made."""
        of = {
            name: tuple(
                PartMeasure(
                    Correction(
                        frozenset(one["axes"]), tuple(Gain(**gain) for gain in one["gains"])
                    ),
                    one["formula"],
                    frozenset(one["parts"]),
                    one["thick"],
                    one["unclear"],
                )
                for one in measures
            )
            for name, measures in data["of"].items()
        }
        return cls(
            of,
            {part: (material, thickness) for part, (material, thickness) in data["sheets"].items()},
        )


@dataclass(frozen=True, slots=True)
class _Use:
    """A length of a step, as the formula of which sizes, and what it is for the machine.
    ``placed``: it says where something is, not how large."""

    step: Step
    slot: Slot
    tree: Node
    correction: Correction
    placed: bool = False


def measures_of(design: Design, built: Rebuilt) -> Measures:
    """What each size measures, as the part came out. A length that only steps use which are not
    built is left out: nobody knows yet."""
    design = opened(design)
    trees = trees_of(design)
    uses = list(_uses(design, built))
    flows = [(use, name) for use in uses for name in flows_into(use.tree)]
    through = spread(trees, [(name, axis) for use, name in flows for axis in use.correction.axes])
    parts = spread(
        trees, [(name, part) for use, name in flows for part in design.parts_of(use.step)]
    )
    outputs = {
        f"{step.name}.{output}": _kind(("x", "y", "z").index(axis), up)
        for step in design.steps
        for output, axis in step.works_out_along().items()
        for up in _ups(design, built, step)[:1]
    }
    vague = spread(trees, [(name, use.step.name) for use, name in flows if not use.correction.axes])
    open_ = spread(trees, list(into_unbuilt(design, built)))
    by_size: dict[str, tuple[PartMeasure, ...]] = {}
    for name, tree in trees.items():
        mine = frozenset(parts.get(name, ()))
        measures = _direct(design, [use for use, one in flows if one == name], name, built.table)
        if through.get(name) and not any(one.correction.axes for one in measures):
            measures = []  # it is part of lengths of which is known along what they lie
        is_length = name in built.table.cells and built.table.cells[name].wanted.kind == LENGTH
        near = {name, *flows_into(tree)}
        if not measures and is_length and not open_.keys().isdisjoint(near):
            continue
        if not measures:
            axes = through.get(name, set())
            if not axes:
                axes = {axis for below in flows_into(tree) for axis in through.get(below, set())}
                axes |= {
                    outputs[n.name]
                    for n, _ in walk(tree)
                    if isinstance(n, Output) and n.name in outputs
                }
            measures = [PartMeasure(_by_function(tree, Correction(frozenset(axes))), "", mine)]
        if is_length and not vague.keys().isdisjoint(near):
            measures = [replace(one, unclear=not one.correction.axes) for one in measures]
        by_size[name] = _distinct(measures)
    return Measures(by_size, _sheets(built))


def _direct(design: Design, uses: list[_Use], name: str, table: ValueTable) -> list[PartMeasure]:
    """The measures that a size is by itself, in proportion, each of the parts of its step. Where it
    is a measure somewhere, it is no mere place elsewhere; and where it is known along what it lies,
    it lies there."""
    sizes: list[PartMeasure] = []
    places: list[PartMeasure] = []
    for use in uses:
        if not _in_proportion(use, name, table):
            continue
        thick = use.slot.path == use.step.thickens_by()
        direct = PartMeasure(
            use.correction, use.slot.formula, frozenset(design.parts_of(use.step)), thick
        )
        (places if use.placed else sizes).append(direct)
    return [one for one in sizes if one.correction.axes] or sizes or places


def _distinct(measures: list[PartMeasure]) -> tuple[PartMeasure, ...]:
    """Without those that are no different from another; heights first."""
    kept: dict[object, PartMeasure] = {}
    for one in measures:
        key = (one.correction, "".join(one.formula.split()))
        same = kept.get(key, one)
        kept[key] = replace(one, thick=one.thick or same.thick, parts=one.parts | same.parts)
    return tuple(
        sorted(kept.values(), key=lambda m: (not m.thick, repr(m.correction.gains), m.formula))
    )


def _by_function(tree: Node, correction: Correction) -> Correction:
    """What a size that a process function gives is a measure of where no step tells."""
    if not isinstance(tree, Call) or tree.function not in PROCESS_FUNCTIONS:
        return correction
    side: Side = "inside" if PROCESS_FUNCTIONS[tree.function] == "inside" else "outside"
    round_ = 0.0 if tree.function in STRAIGHT_FUNCTIONS else 1.0
    return Correction(correction.axes or frozenset({"xy"}), (Gain(side, 1.0, round_),))


def _uses(design: Design, built: Rebuilt) -> Iterator[_Use]:
    """Every length of the steps that are built."""
    waiting = waiting_sketches(design, built)
    for step in design.steps:
        if not is_built(built, step):
            continue
        read = _read_off(design, built, step) if isinstance(step, Sketch) else {}
        feature = built.features.get(step.name)
        frame = (
            built.drawings[step.name].frame
            if step.name in built.drawings
            else feature.frame
            if feature
            else None
        )
        plane = built.features.get(step.axes) if isinstance(step, Repeats) else None
        anchor = plane.host.frame if plane is not None and plane.host is not None else GROUND
        for slot in step.slots():
            if slot.kind != LENGTH or slot.over is not None or slot.counted:
                continue
            try:
                tree = parse(slot.formula)
            except FormulaError:
                continue
            for up in _ups(design, built, step):
                axes = _axes(slot, frame, up, anchor)
                if not isinstance(step, Sketch):
                    lying = (feature is not None and feature.lying) or _is_bored_lying(slot, up)
                    gains = _own_gains(slot, lying)
                    placed = not slot.side and slot.along != "normal"
                    yield _Use(step, slot, tree, Correction(axes, gains), placed)
                elif slot.path not in read and step.name not in waiting:
                    yield _Use(step, slot, tree, Correction(axes), True)
                else:
                    for gains in read.get(slot.path, ()):
                        yield _Use(step, slot, tree, Correction(axes, gains))


def _ups(design: Design, built: Rebuilt, step: Step) -> list[int]:
    """The axes that stand upright while parts are made of which a step is."""
    ups = {built.view_of(part).up for part in design.parts_of(step)}
    return sorted(ups) or [built.view.up]


def _is_bored_lying(slot: Slot, up: int) -> bool:
    """Whether a hole runs along an axis of the part that lies."""
    return bool(slot.bored) and "xyz".index(slot.bored) != up


def _own_gains(slot: Slot, lying: bool) -> tuple[Gain, ...]:
    """The gains on a length of which the step itself knows what it measures."""
    if slot.side not in _SIDES:
        return ()
    side: Side = "inside" if slot.side == "inside" else "outside"
    return (Gain(side, 1.0, 1.0 if slot.round else 0.0, lying),)


def _read_off(design: Design, built: Rebuilt, sketch: Sketch) -> dict[str, list[tuple[Gain, ...]]]:
    """The gains on the lengths of a sketch, by path, as each step that uses it makes them: read off
    its outlines with and without a small gain. A length that no outline has is left out."""
    drawing = built.drawings.get(sketch.name)
    by_name: dict[str, list[tuple[Gain, ...]]] = {}
    if drawing is None:
        return by_name
    gauges = gauges_of(sketch, drawing)
    for user in design.steps:
        if sketch.name not in user.needs() or not is_built(built, user):
            continue
        plain = _outlines(user, built, sketch.name, neutral())
        if not plain:
            continue
        feature = built.features.get(user.name)
        lying = feature is not None and feature.lying
        grown = {
            probe: _outlines(user, built, sketch.name, machine)
            for probe, machine in _PROBES.items()
        }
        for path, gauge in gauges.items():
            gains = _gains_of(gauge, user.turns_about(drawing), plain, grown)
            if gains is None:
                continue
            if lying:
                gains = tuple(replace(g, lying=g.side == "inside" and g.round > 0) for g in gains)
            if gains not in by_name.setdefault(path, []):
                by_name[path].append(gains)
    return {path: gains for path, gains in by_name.items() if gains}


def _gains_of(
    gauge: Gauge,
    axis: tuple[XY, XY] | None,
    plain: list[Loop],
    grown: Mapping[tuple[Side, bool], list[Loop]],
) -> tuple[Gain, ...] | None:
    """The gains on a length; from a mere place it is none, unless the part is turned about that, or
    it is its middle."""
    if not gauge.placed:
        return _gains(gauge, plain, grown)
    if axis is not None:
        (ax, ay), (wx, wy) = axis
        places = [end.at for end in gauge.ends if not end.curves]
        on_it = all(
            abs((x - ax) * wy - (y - ay) * wx) <= 1e-9 * (abs(wx) + abs(wy)) for x, y in places
        )
        return _gains(gauge, plain, grown) if on_it else None
    whole = gauge.across(plain)
    gains = _gains(whole, plain, grown) if whole is not None else None
    return None if gains is None else tuple(Gain(g.side, g.share / 2, g.round * 2) for g in gains)


def _probe(**figures: float) -> Process:
    return neutral().with_(kind="filament print", **figures)


_PROBES: dict[tuple[Side, bool], Process] = {
    ("inside", False): _probe(hole_gain=_PROBE),
    ("outside", False): _probe(peg_gain=_PROBE),
    ("inside", True): _probe(hole_small=_PROBE),
    ("outside", True): _probe(peg_small=_PROBE),
}


def _outlines(user: Step, built: Rebuilt, sketch: str, machine: Process) -> list[Loop]:
    """The outlines that a step makes of a sketch on a machine; none where it makes none there."""
    shop = Workshop({}, LensView("expected", machine), {}, built.drawings, {}, {})
    try:
        return [loop for region in user.sections(shop).get(sketch, ()) for loop in region.loops]
    except (StepError, ValueError):
        return []


def _gains(
    gauge: Gauge, plain: list[Loop], grown: Mapping[tuple[Side, bool], list[Loop]]
) -> tuple[Gain, ...] | None:
    """The gains on what a gauge reads; None where the outlines have nothing for it to read."""
    before = gauge.read(plain)
    if before is None or before <= 0:
        return None
    gains = []
    for side in _SIDES:
        straight, small = (gauge.read(grown[side, round_]) for round_ in (False, True))
        if straight is None or small is None:
            return None
        share = (straight - before) / _PROBE
        if abs(share) < _SHARE:
            continue
        # The gain of a small round wall is divided by its diameter.
        divided = (small - before) / _PROBE
        times = share / divided / before if abs(divided) > _SHARE else 0.0
        gains.append(Gain(side, round(share, 6), round(times, 4)))
    return tuple(gains)


def _axes(slot: Slot, frame: Frame | None, up: int, anchor: Frame = GROUND) -> frozenset[str]:
    """The axes of the machine that a length lies along, where one axis of the part is upright.
    ``anchor`` has the axes of the step: those of the part, or of a plane on a face."""
    if slot.along.startswith("part "):
        way = {"x": anchor.x, "y": anchor.y, "z": anchor.normal}[slot.along[-1]]
        return frozenset({_axis(way, up)} - {""})
    if not slot.along or frame is None:
        return frozenset()
    ways = {
        "x": (frame.x,),
        "y": (frame.y,),
        "normal": (frame.normal,),
        "plane": (frame.x, frame.y),
    }[slot.along]
    axes = {_axis(way, up) for way in ways}
    return frozenset() if "" in axes and len(ways) == 1 else frozenset(axes - {""})


def _kind(axis: int, up: int) -> str:
    return "z" if axis == up else "xy"


def _axis(way: Vector, up: int) -> str:
    return "xy" if abs(way[up]) < 1e-9 else "z" if abs(way[up]) > 1 - 1e-9 else ""


def _in_proportion(use: _Use, name: str, table: ValueTable) -> bool:
    """Whether a length is in proportion with a size: ``width``, ``width/2``, and ``inside(bore)``
    as it is wanted."""
    if isinstance(use.tree, (Name, Output)):
        return True
    if names_in(use.slot.formula) != {name} or name not in table.cells:
        return False
    value = table.cells[name].wanted.value
    try:
        compiled = table.compile(use.slot.formula, use.slot.kind)
        env, give = table.env().within(name)
        one = compiled.value(env).value
        give(2 * value)
        two = compiled.value(env).value
    except FormulaError:
        return False
    return value != 0 and one != 0 and abs(two - 2 * one) <= 1e-9 * abs(one)


def _sheets(built: Rebuilt) -> dict[str, tuple[str, float]]:
    """The material and thickness of the parts that are cut, as their machine takes them."""
    sheets = {}
    for part, body in built.bodies.items():
        if cuts(built.view_of(part).process):
            try:
                sheets[part] = (built.made_of[part], plate_of(body).thickness)
            except ValueError:
                continue  # what is not flat is told by the treatment
    return sheets
