"""Checks: statements that hold or do not, each with what speaks for or against it."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence

from ..design.model import Design
from ..design.offered import without_limits
from ..design.opened import opened
from ..design.rebuild import Rebuilt
from ..design.treat import cuts
from ..formula import FormulaError
from ..formula.parse import parse
from ..formula.rewrite import walk
from ..formula.tree import Name, Node, Output
from ..formula.value_table import ValueTable
from ..kernel.body import Body
from ..kernel.figures import is_kernel_failure
from ..kernel.mesh import Mesh
from ..problem import Problem, errors
from ..process.model import Process
from ..quantity import TRUTH, plain, say
from .finding import Finding
from .folding import folding, folding_ways
from .from_a_sheet import from_a_sheet
from .holding import holding
from .materials_known import materials_known
from .mates import fits_of_parts
from .narrow import narrow_places
from .nearness import Neighbours, fits_together, neighbours
from .seats import seats
from .thin import thin_places


def findings(design: Design, built: Rebuilt) -> list[Finding]:
    """All checks of a design as it was rebuilt: first those of every design, then its own."""
    design = opened(design)
    every = quick_findings(design, built)
    own = len(design.checks)
    close = close_findings(design, built)
    return [*every[: len(every) - own], *close, *every[len(every) - own :]]


def close_findings(
    design: Design,
    built: Rebuilt,
    meshes: Mapping[str, Mesh] | None = None,
    alive: Callable[[], bool] = lambda: True,
    pairs: list[Neighbours] | None = None,
    *,
    lightly: bool = False,
) -> list[Finding]:
    """The checks that look at the whole shape, which takes a moment; see :func:`thin_places` and
    :func:`solid_parts` for the arguments. ``pairs`` are what lies next to what, where that is known
    already."""
    design = opened(design)
    if meshes is None:
        meshes = meshes_of(built)
    near = [*narrow_places(built), *from_a_sheet(built, alive)]
    folds = [*folding(built), *folding_ways(built, alive)]
    if pairs is None:
        asked = built.things or design.least_gap.strip()
        pairs = neighbours(design, built, meshes, alive) if asked else []
    near += seats(design, built, alive)
    near += [*fits_together(design, built, pairs), *fits_of_parts(design, built)]
    sound = solid_parts(built, meshes, alive, lightly=lightly)
    return [sound, *near, *folds, *thin_places(built, meshes, alive)]


def quick_findings(design: Design, built: Rebuilt) -> list[Finding]:
    """The checks that take no time to speak of; the design's own come last."""
    design = opened(design)
    every = [*sheet_findings(design, built.table, built.problems), *made_findings(built)]
    every += materials_known(design, built)
    if design.publish.adjust:
        every.append(_publishable(design))
    return every + own_findings(design, built.table)


def made_findings(built: Rebuilt) -> list[Finding]:
    """The quick ones of what was built: its steps, that there is a part, whether it lies on beds
    and is held."""
    return [_steps(built), *_no_volume(built), *beds(built), *holding(built)]


def sheet_findings(design: Design, table: ValueTable, problems: Sequence[Problem]) -> list[Finding]:
    """The checks of every design for which the sheet of sizes is enough."""
    return [_formulas(table, problems), _limits(design, problems)]


def own_findings(design: Design, table: ValueTable) -> list[Finding]:
    """The checks that the designer wrote. ``table`` holds what steps have read off the part, where
    they speak of that."""
    return [_own(check.name, check.formula, check.note, table) for check in design.checks]


def _first(problems: list[Problem]) -> tuple[str, str, str, str]:
    """Text, hint, area and name of the problem that is the cause of others, if there is one."""
    cause = next((problem for problem in problems if not problem.waits_for), problems[0])
    more = f" (and {len(problems) - 1} more)" if len(problems) > 1 else ""
    return f"{cause.place}: {cause.what}{more}", cause.hint, cause.area, cause.name


def _of(name: str, problems: list[Problem], good: str) -> Finding:
    if not problems:
        return Finding(name, True, good)
    why, hint, area, place = _first(problems)
    return Finding(name, False, why, hint, False, area, place)


def _formulas(table: ValueTable, problems: Sequence[Problem]) -> Finding:
    wrong = [problem for problem in errors(tuple(problems)) if problem.area == "size"]
    return _of("Every size has a value", wrong, f"{len(table.cells)} values")


def _limits(design: Design, problems: Sequence[Problem]) -> Finding:
    held = [
        problem for problem in problems if problem.area == "size" and problem.severity == "note"
    ]
    count = sum(bool(size.low or size.high) for size in design.sizes)
    return _of("Every size is inside its limits", held, f"{count} with limits")


STEPS_MADE = "Every step can be made"


def _steps(built: Rebuilt) -> Finding:
    wrong = [problem for problem in errors(built.problems) if problem.area == "step"]
    made = sum(
        state.state in ("built", "carried")
        for name, state in built.steps.items()
        if "." not in name  # steps of a stencil are one with that which puts it in
    )
    return _of(STEPS_MADE, wrong, f"{made} steps")


def _no_volume(built: Rebuilt) -> list[Finding]:
    """What can be said at once: that there is no part, or one without volume."""
    if not built.bodies:
        return [Finding(SOLID, False, "There is no part yet.", "Draw a sketch and extrude it.")]
    for name, figures in built.figures.items():
        if figures.volume <= 0:
            return [Finding(SOLID, False, f"{name} has no volume.", "", False, "part", name)]
    return []


def meshes_of(built: Rebuilt) -> dict[str, Mesh]:
    """The mesh of each part, made once for all that look at it; of one that cannot be made none:
    that is told where it is looked at as a solid."""
    meshes = {}
    for name, body in built.bodies.items():
        try:
            meshes[name] = body.mesh(_CHORDS)
        except Exception as error:
            if not isinstance(error, (ValueError, RuntimeError)) and not is_kernel_failure(error):
                raise
    return meshes


SOLID = "The part is solid"


def solid_parts(
    built: Rebuilt,
    meshes: Mapping[str, Mesh] | None = None,
    alive: Callable[[], bool] = lambda: True,
    *,
    lightly: bool = False,
) -> Finding:
    """Whether each part is one closed solid, and all ways to its volume agree: by its outlines, as
    a solid, as a mesh.

    ``lightly``, for a window that is being worked in, prisms are compared with meshes alone as long
    as the kernel is not there: loading it would keep the next edit waiting.
    """
    lightly = lightly and "OCP" not in sys.modules
    for name, body in built.bodies.items():
        if not alive():
            break
        wrong = _unsound(body, (meshes or {}).get(name), lightly=lightly and bool(body.prisms))
        if wrong:
            hint = (
                "Look for faces that only just touch, and for very thin places; this part "
                "should not be made."
            )
            return Finding(SOLID, False, f"{name} {wrong}.", hint, False, "part", name)
    total = sum(figures.volume for figures in built.figures.values())
    return Finding(SOLID, bool(built.bodies), f"{plain(total / 1000, 2)} cm³")


def _as_well_measured(body: Body) -> float:
    """By what share two ways to the volume of a body may differ."""
    if body.stretched is None:
        return 1e-6
    from ..kernel.occ.stretched import VOLUME  # the kernel is there by now

    return VOLUME


def _unsound(body: Body, mesh: Mesh | None, *, lightly: bool) -> str:
    """What is wrong with a body as a solid, in words; nothing where nothing is."""
    figures = body.figures()
    mine = figures.volume if body.folded is None else body.folded.volume()
    if body.meshed is not None:
        if not body.is_sound():
            return "does not close to a solid"
        other = body.meshed.solid.volume()
        if abs(other - mine) > 1e-6 * mine:
            return f"has {mine:.6g} mm³ by its triangles and {other:.6g} mm³ as a solid"
    elif not lightly:
        try:
            built = body.solid().volume
        except Exception as error:
            if not isinstance(error, (ValueError, RuntimeError)) and not is_kernel_failure(error):
                raise
            return "cannot be made as a solid"
        if not body.holds_as_a_solid():
            return "does not close to a solid"
        if abs(built - mine) > _as_well_measured(body) * mine:
            return f"has {mine:.6g} mm³ by its outlines and {built:.6g} mm³ as a solid"
    net = mesh or body.mesh(_CHORDS)
    if not net.is_closed():
        return "has a mesh with gaps"
    # Chords take off, or add, no more than their distance from the surface, all over it.
    if abs(net.volume() - mine) > _CHORDS * figures.area + 1e-6 * mine:
        return f"has {mine:.6g} mm³ as a solid and {net.volume():.6g} mm³ as a mesh"
    return ""


#: Chord tolerance of the meshes that volumes are compared with, mm: that of the window's.
_CHORDS = 0.03


def beds(built: Rebuilt) -> list[Finding]:
    """For each machine whether all of its parts lie on its bed, turned by a quarter if need be."""
    return [_bed_of(machine, bodies, built) for machine, bodies in built.by_machine() if bodies]


def _bed_of(process: Process, bodies: Mapping[str, Body], built: Rebuilt) -> Finding:
    title = f"Fits on the bed of {process.name}"
    for name in bodies:
        size = [b - a for a, b in zip(*built.figures[name].bounds, strict=True)]
        if cuts(process):
            size.sort(reverse=True)  # a flat part is laid flat
        bed = process.bed
        high = size.pop(built.view_of(name).up)
        flat, room = sorted(size), sorted(bed[:2])
        over = [a - b for a, b in zip((*flat, high), (*room, bed[2]), strict=True)]
        if max(over) > 1e-9:
            which = ("wider", "longer", "higher")[over.index(max(over))]
            why = f"{which} than the bed by {plain(max(over), 1)} mm"
            return Finding(
                title,
                False,
                why,
                "Choose a larger machine or divide the part.",
                False,
                "part",
                name,
            )
    return Finding(title, True, " × ".join(plain(length, 0) for length in process.bed) + " mm")


def _publishable(design: Design) -> Finding:
    title = "What others may adjust has limits"
    unlimited = without_limits(design)
    for item in design.publish.adjust:
        if design.size(item.size) is None:
            return Finding(
                title,
                False,
                f"“{item.size}” is no size.",
                "Take it out under Publish.",
                False,
                "publish",
                item.size,
            )
        if item.size in unlimited:
            return Finding(
                title,
                False,
                f"“{item.size}” has no lower or no upper limit.",
                "Give it limits.",
                False,
                "size",
                item.size,
            )
    return Finding(title, True, f"{len(design.publish.adjust)} sizes")


def _own(name: str, formula: str, note: str, table: ValueTable) -> Finding:
    try:
        holds = table.compile(formula, TRUTH).value(table.env()).value
    except FormulaError as error:
        return Finding(name, False, error.what, error.hint, True, "check", name)
    return Finding(
        name, bool(holds), _with_values(formula, table), "" if holds else note, True, "check", name
    )


def _with_values(formula: str, table: ValueTable) -> str:
    """The formula with the values of its names, so that a verdict can be followed."""
    tree: Node = parse(formula)
    names: dict[str, None] = {}
    for node, _ in walk(tree):
        if isinstance(node, (Name, Output)) and node.name in table.cells:
            names[node.name] = None
    values = ", ".join(f"{name} = {say(table.cells[name].wanted)}" for name in names)
    return f"{formula}   ({values})" if values else formula
