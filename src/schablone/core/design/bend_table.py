"""The bends of a folded part with what its machine makes of them."""

from __future__ import annotations

from dataclasses import replace

from ..kernel.folding.bend_lines import BendLine, bend_lines
from ..process.bend_chart import bend_figures
from .built import Rebuilt


def bend_table(built: Rebuilt, part: str) -> tuple[BendLine, ...]:
    """The bends of a part in the order in which they are made; none of a part that is not
    folded."""
    body = built.bodies[part]
    folded = body.folded or body.blank_of
    if folded is None:
        return ()
    machine, material = built.view_of(part).process, built.made_of[part]
    lines = []
    for line in bend_lines(folded):
        figures = bend_figures(machine, material, folded.thickness, abs(line.angle), line.radius)
        lines.append(
            replace(
                line,
                springs_back=figures.springs_back,
                k=figures.k,
                charted=figures.chart and not figures.remark,
                within=figures.within(line.angle),
            )
        )
    return tuple(lines)
