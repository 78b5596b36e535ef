"""The size report: what every functional size is wanted, sent and expected to be, and how sure that is."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..design.lens_table import LensRow, Machines, cut_sheet, lens_table
from ..design.measures import Measures
from ..design.model import Design
from ..formula.sheet import Sheet
from ..process.model import Process
from ..quantity import plain
from .meant import Meant, meant_of

#: An expected size this near to the wanted one, mm, is as wanted.
_SAME = 5e-5


@dataclass(frozen=True, slots=True)
class SizeLine:
    """One size through the lenses, with the standard uncertainty of the expected one, mm, and a verdict.

    Where it has a tolerance or a fit (``meant``): ``holds``, where all that is to be expected lies within; ``likely``, where
    the expected size does, but not all that is to be expected; else ``off``. Where it has none: ``as wanted``, ``within what
    is known``, or ``off``. ``not made by the machine`` where no machine acts on it. ``leans``: by how much it differs from
    one side of the sheet to the other, mm. ``beyond`` says that it lies outside of the sizes that the calibration measured.
    """

    row: LensRow
    uncertainty: float
    verdict: str
    meant: Meant | None = None
    leans: float = 0.0
    beyond: str = ""


def size_report(
    design: Design, measures: Measures, process: Process, sheet: Sheet, own: Machines | None = None
) -> list[SizeLine]:
    """Every size of the design with what the process makes of it. The uncertainty is carried through from those of the
    figures by their derivatives (the Jacobian), with their covariances where a calibration gave them."""
    sheets = {machine.name: mine for machine, mine in (own or {}).values()}
    lines = []
    for row in lens_table(design, measures, process, sheet, own):
        size, mine = design.size(row.name), sheets.get(row.process.name, sheet)
        assert size is not None
        leans = 0.0
        if row.process.taper and row.measure.correction.gains:
            _, thickness = cut_sheet(measures, row.measure.parts, row.process)
            leans = 2 * thickness * math.tan(math.radians(row.process.taper))
        lines.append(_line(row, meant_of(size, design.formula_of(size), row.process, mine), leans))
    return lines


def _line(row: LensRow, meant: Meant | None, leans: float) -> SizeLine:
    if not row.is_made:
        return SizeLine(row, 0.0, "not made by the machine")
    process = row.process
    spread = _spread(row)
    off = abs(row.difference)
    around = 2 * math.hypot(spread, process.noise)
    if meant is not None and not meant.trouble:
        size = row.expected.value
        inside = meant.low - _SAME <= size <= meant.high + _SAME
        whole = meant.low - _SAME <= size - around and size + around <= meant.high + _SAME
        verdict = "holds" if whole else "likely" if inside else "off"
    elif off < _SAME:
        verdict = "as wanted"
    else:
        verdict = "within what is known" if off <= around else "off"
    return SizeLine(row, spread, verdict, meant, leans, beyond(row))


def _spread(row: LensRow) -> float:
    """The standard uncertainty of the expected size, mm."""
    process, slopes = row.process, slopes_of(row, row.process)
    variance, known = 0.0, process.covariance
    for name, slope in slopes.items():
        for other, another in slopes.items():
            if name in known.names and other in known.names:
                variance += slope * another * known.rows[known.names.index(name)][known.names.index(other)]
            elif name == other and name in process.known:
                variance += (slope * process.known[name].uncertainty) ** 2
    return math.sqrt(max(variance, 0.0))


def beyond(row: LensRow) -> str:
    """Where the calibration measured nothing as small or as large as a size, in words; else nothing."""
    correction = row.measure.correction
    kinds = {"inside": ("hole" if correction.round else "opening", "hole", "opening"), "outside": ("peg", "length")}
    measured = [
        ends
        for kind in kinds.get(correction.side, ("height",) if correction.axes == {"z"} else ("length", "peg"))
        if (ends := row.process.measured.get(kind)) is not None
    ]
    if not measured:
        return ""
    low, high = min(a for a, _ in measured), max(b for _, b in measured)
    size = row.sent.value
    if low - 1e-6 <= size <= high * (1 + 1e-9):
        return ""
    # Shrinkage is a share and goes on as it is; what a small hole loses grows fast below what was measured.
    return f"{'smaller' if size < low else 'larger'} than what was measured, {plain(low, 2)} to {plain(high, 2)} mm"


def slopes_of(row: LensRow, process: Process) -> dict[str, float]:
    """By how much the expected size changes with each figure of the process, per unit of the figure."""
    correction, found = row.measure.correction, dict[str, float]()
    if process.family == "cut":
        # Outlines that lie farther out by a millimetre: by half a kerf they lie farther in.
        out = correction.moved(1.0) / row.share
        figure, slope = ("path_gain", out / 2) if process.kind == "router" else ("kerf", -out / 2)
        return {figure: slope} if out else {}
    if process.family != "print":
        return found
    found["shrinkage_xy" if correction.axis == "xy" else "shrinkage_z"] = -row.sent.value / 100
    for gain in correction.gains:
        inside = gain.side == "inside"
        lying = inside and gain.lying and process.lying_hole_gain is not None
        constant = "lying_hole_gain" if lying else "hole_gain" if inside else "peg_gain"
        found[constant] = found.get(constant, 0.0) + gain.share / row.share
        across = row.sent.value * row.share * gain.round
        if across > 0:
            small = "hole_small" if inside else "peg_small"
            found[small] = found.get(small, 0.0) + gain.share / row.share / across
    return found
