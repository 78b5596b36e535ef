"""The size report: what every functional size is wanted, sent and expected to be, and how sure that is."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..design.lens_table import LensRow, lens_table
from ..design.model import Design
from ..formula.sheet import Sheet
from ..process.model import Process
from ..quantity import LENGTH

#: An expected size this near to the wanted one, mm, is as wanted.
_SAME = 5e-5


@dataclass(frozen=True, slots=True)
class SizeLine:
    """One size through the lenses, with the standard uncertainty of the expected one, mm, and a verdict:
    ``as wanted``, ``off``, ``within what is known``, or ``not made by the machine``."""

    row: LensRow
    uncertainty: float
    verdict: str


def size_report(design: Design, process: Process, sheet: Sheet) -> list[SizeLine]:
    """Every size of the design with what the process makes of it. The uncertainty is carried through from those of the
    figures by their derivatives (the Jacobian), with their covariances where a calibration gave them."""
    return [_line(row, process) for row in lens_table(design, process, sheet)]


def _line(row: LensRow, process: Process) -> SizeLine:
    if row.wanted.kind != LENGTH or not row.measure.axes:
        return SizeLine(row, 0.0, "not made by the machine")
    slopes = slopes_of(row, process)
    variance = 0.0
    known = process.covariance
    for name, slope in slopes.items():
        for other, another in slopes.items():
            if name in known.names and other in known.names:
                variance += slope * another * known.rows[known.names.index(name)][known.names.index(other)]
            elif name == other and name in process.known:
                variance += (slope * process.known[name].uncertainty) ** 2
    spread = math.sqrt(max(variance, 0.0))
    off = abs(row.difference)
    if off < _SAME:
        verdict = "as wanted"
    else:
        verdict = "within what is known" if off <= 2 * math.hypot(spread, process.noise) else "off"
    return SizeLine(row, spread, verdict)


def slopes_of(row: LensRow, process: Process) -> dict[str, float]:
    """By how much the expected size changes with each figure of the process, per unit of the figure."""
    measure, size = row.measure, row.sent.value
    if process.family == "cut":
        if not measure.side:
            return {}
        sign = 1.0 if measure.side == "inside" else -1.0
        return {"path_gain": -sign} if process.kind == "router" else {"kerf": sign}
    if process.family != "print":
        return {}
    along = "shrinkage_xy" if "xy" in measure.axes else "shrinkage_z"
    found = {along: -size / 100}
    if measure.side == "inside":
        found["lying_hole_gain" if measure.corrected == "inside_lying" else "hole_gain"] = 1.0
        if measure.round and size > 0:
            found["hole_small"] = 1.0 / size
    elif measure.side == "outside":
        found["peg_gain"] = 1.0
    return found
