"""What the window is told of the blank of a folded part: outlines, panels and bends as points."""

from __future__ import annotations

from ..core.design.bend_table import bend_table
from ..core.design.model import Design
from ..core.design.rebuild import Rebuilt
from ..core.kernel.folding import Folded
from ..core.kernel.folding.bend_lines import BendLine
from ..core.quantity import grams_if_known
from ..core.sketch.regions import Region
from .talk import BendReport, BlankReport, PanelReport

#: Chord tolerance of outlines for looking, mm.
_FINE = 0.05
Ring = list[tuple[float, float]]


def blanks_of(design: Design, built: Rebuilt) -> list[BlankReport]:
    """The blanks of all folded parts, as they are cut in the view that was built."""
    blanks = []
    parts = {part.name: part for part in design.parts}
    for name, body in built.bodies.items():
        folded = body.folded or body.blank_of
        if folded is None:
            continue
        regions: tuple[Region, ...] = ()
        trouble = ""
        if body.blank_of is not None:
            regions = tuple(prism.region for prism in body.prisms)
        else:
            try:
                regions = (folded.blank.region,)
            except ValueError as error:
                trouble = str(error)
        density = parts[name].made_of(built.view_of(name).process)[1]
        title = parts[name].title or name
        blanks.append(_blank(built, name, title, density, folded, regions, trouble))
    return blanks


def _blank(
    built: Rebuilt,
    name: str,
    title: str,
    density: float | None,
    folded: Folded,
    regions: tuple[Region, ...],
    trouble: str,
) -> BlankReport:
    machine, material = built.view_of(name).process, built.made_of[name]
    cutter = built.view.cutter_of(name)
    loops = [loop for region in regions for loop in region.loops]
    boxes = [region.outer.bounds() for region in regions or folded.blank_regions()]

    def bend(line: BendLine) -> BendReport:
        made = folded.bends[line.number]
        return {
            "order": line.order,
            "faces": [str(made.inside), str(made.outside)],
            "rings": [ring for region in made.regions for ring in _rings(region)],
            "lines": [list(piece) for piece in line.pieces],
            "up": line.is_up,
            "angle": abs(line.angle),
            "told": line.told,
            "radius": line.radius,
            "length": line.length,
            "k": line.k,
            "stop": line.stop,
            "charted": line.charted,
            "within": line.within,
        }

    panels: list[PanelReport] = [
        {
            "title": panel.title,
            "faces": [str(panel.lower), str(panel.upper)],
            "rings": _rings(panel.region),
        }
        for panel in folded.panels
    ]
    return {
        "part": name,
        "title": title,
        "trouble": trouble,
        "thickness": folded.thickness,
        "material": material,
        "machine": machine.name,
        "cutter": cutter.process.name if cutter is not None else "",
        "lens": built.view.lens,
        "size": (
            max(b[2] for b in boxes) - min(b[0] for b in boxes),
            max(b[3] for b in boxes) - min(b[1] for b in boxes),
        ),
        "area": sum(region.area for region in regions),
        "mass": grams_if_known(sum(region.area for region in regions) * folded.thickness, density),
        "cut": sum(loop.length for loop in loops),
        "pierces": len(loops),
        "rings": [ring for region in regions for ring in _rings(region)],
        "marks": [
            [*mark.curve.points(_FINE), mark.curve.end]
            for panel in folded.panels
            for mark in panel.marks
        ],
        "panels": panels,
        "bends": [bend(line) for line in bend_table(built, name)],
    }


def _rings(region: Region) -> list[Ring]:
    return [[(float(x), float(y)) for x, y in loop.points(_FINE)] for loop in region.loops]
