"""The parts of a rebuilt design, ready for export."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from ..design.bend_table import bend_table
from ..design.model import Design
from ..design.opened import opened
from ..design.rebuild import Rebuilt
from ..design.treat import as_it_lies, tabs_of
from ..kernel.body import Body
from ..sketch.curves import Curve
from ..sketch.regions import Region
from ..steps.imported import Imported
from .piece import Piece

#: What machines are sent, each with the families of processes that take it.
TAKEN: Mapping[str, frozenset[str]] = {
    ".3mf": frozenset({"print"}),
    ".stl": frozenset({"print"}),
    ".dxf": frozenset({"cut", "fold"}),
    ".svg": frozenset({"cut", "fold"}),
    ".pdf": frozenset({"fold"}),
}


def endings_for(families: Iterable[str], design: Design) -> list[str]:
    """The files that machines of some families take, and a solid, which all can be given; STEP
    holds no free forms made of triangles."""
    mine = set(families)
    steps = opened(design).steps
    free = any(step.on and isinstance(step, Imported) and step.is_free_form for step in steps)
    solid = [] if free else [".step"]
    return [*(ending for ending, takes in TAKEN.items() if takes & mine), *solid]


def endings_of(design: Design, built: Rebuilt) -> list[str]:
    """The files that the machines take which make its parts; a bend sheet only where one is
    folded."""
    families = {machine.family for machine, bodies in built.by_machine() if bodies}
    bent = any(bend_table(built, part) for part in built.bodies)
    return [one for one in endings_for(families, design) if bent or one != ".pdf"]


def pieces_of(design: Design, built: Rebuilt, ending: str = "") -> list[Piece]:
    """The parts of a rebuilt design, ready for export. Where parts are made by different processes,
    those that are made by machines which take files with such an ending. For printers they lie as
    they are to lie on the bed."""
    titles = {part.name: part.title or part.name for part in design.parts}
    takes = TAKEN.get(ending.lower(), frozenset())
    mine = [part for part in built.bodies if built.view_of(part).process.family in takes]
    if not built.view.own or not mine:
        mine = list(built.bodies)
    made_of = built.made_of
    down = {part.name: part.down for part in design.parts if ending.lower() in (".3mf", ".stl")}
    return [
        Piece(
            titles[name],
            as_it_lies(built.bodies[name], down.get(name, "bottom")),
            made_of[name],
            tabs_of(
                built.view.cutter_of(name) or built.view_of(name),
                built.bodies[name],
                made_of[name],
            ),
            bend_table(built, name),
            _blank_of(built.bodies[name]),
            _marks_of(built.bodies[name]),
        )
        for name in mine
    ]


def _blank_of(body: Body) -> tuple[Region, ...]:
    """The finished blank of a folded part; nothing where there is none."""
    folded = body.blank_of or body.folded
    return () if folded is None or folded.overlaps else (folded.blank.region,)


def _marks_of(body: Body) -> tuple[Curve, ...]:
    """What is engraved on the blank of a folded part."""
    folded = body.blank_of or body.folded
    return () if folded is None else tuple(m.curve for p in folded.panels for m in p.marks)
