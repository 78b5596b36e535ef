"""The size report: what every functional size is wanted, sent and expected to be, and how sure that
is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..design.lens_table import LensRow, Machines, cut_sheet, lens_table
from ..design.measures import Measures
from ..design.model import Design
from ..formula.value_table import ValueTable
from ..process.known import NoiseKind, Spread
from ..process.model import Process
from ..process.sure import HOLDS_95, Sure, sure_of
from ..quantity import plain
from ..words import listed
from .bent_sizes import bent_sure
from .meant import Meant, meant_of

#: An expected size this near to the wanted one, mm, is as wanted.
_SAME = 5e-5
#: So many sizes of which nothing is known are named.
_NAMED = 8


@dataclass(frozen=True, slots=True)
class SizeLine:
    """One size through the lenses, with how sure the expected one is, and a verdict.

    Where it has a tolerance or a fit (``meant``): ``holds``, where all that is to be expected lies
    within; ``likely``, where the expected size does, but not all that is to be expected; else
    ``off``. Where it has none: ``as wanted`` (or ``as wanted, not measured``, by figures that
    nobody measured on this machine), ``within what is known``, or ``off``. ``not made by the
    machine`` where no machine acts on it. ``leans``: by how much it differs from one side of the
    sheet to the other, mm. ``beyond`` says that it lies outside of the sizes that the calibration
    measured. ``bent``: what it is of a bend, a ``leg`` or an ``angle``; empty for others.
    """

    row: LensRow
    sure: Sure
    verdict: str
    meant: Meant | None = None
    leans: float = 0.0
    beyond: str = ""
    bent: str = ""


def size_report(
    design: Design,
    measures: Measures,
    process: Process,
    table: ValueTable,
    own: Machines | None = None,
) -> list[SizeLine]:
    """Every size of the design with what the process makes of it. How sure it is is carried through
    from the figures by their derivatives (the Jacobian): with their covariances where a calibration
    gave them, as wide as machines of the kind differ where nothing was measured."""
    sheets = {machine.name: mine for machine, mine in (own or {}).values()}
    lines = []
    for row in lens_table(design, measures, process, table, own):
        size, mine = design.size(row.name), sheets.get(row.process.name, table)
        assert size is not None
        material, thickness = cut_sheet(measures, row.measure.parts, row.process)
        leans = 0.0
        if row.process.taper and row.measure.correction.gains:
            leans = 2 * thickness * math.tan(math.radians(row.process.taper))
        spread = row.process.spread_in(material, thickness)
        meant = meant_of(size, design.formula_of(size), row.process, mine)
        bent = bent_sure(design, row.name, row.process, mine)
        if bent is None and row.process.family == "fold" and row.is_made:
            # It is cut into the blank, by another machine, and bends lie between: how sure that is
            # nobody has measured.
            lines.append(_judged(row, Sure(0.0, 0.0, False), meant))
        elif bent is None:
            lines.append(_line(row, meant, leans, spread, material))
        else:
            lines.append(replace(_judged(row, bent[1], meant), bent=bent[0]))
    return lines


def not_known(
    design: Design,
    measures: Measures,
    table: ValueTable,
    lines: Sequence[SizeLine],
    process: Process | None = None,
) -> str:
    """The sizes that have a value and no line, and why, in words; with a process only those that
    are meant to be something. Empty where there are none."""
    known = {line.row.name for line in lines}
    left = [
        size.name
        for size in design.sizes
        if size.name in table.cells
        and size.name not in known
        and (process is None or meant_of(size, design.formula_of(size), process, table) is not None)
    ]
    open_ = [name for name in left if name not in measures.of]
    unclear = [name for name in left if name in measures.of]
    them = "them" if len(open_) > 1 else "it"
    said = []
    if open_:
        said.append(f"Not known as long as steps that use {them} are not built: {_named(open_)}.")
    if unclear:
        said.append(f"What the machine makes of it is not worked out: {_named(unclear)}.")
    return " ".join(said)


def _named(names: Sequence[str]) -> str:
    if len(names) <= _NAMED:
        return listed(names)
    return f"{', '.join(names[:_NAMED])} and {len(names) - _NAMED} more"


def _line(
    row: LensRow, meant: Meant | None, leans: float, spread: Spread | None, material: str
) -> SizeLine:
    if not row.is_made:
        return SizeLine(row, Sure(0.0, 0.0, True), "not made by the machine")
    if row.measure.thick and row.process.family == "cut":
        # A board is as thick as it is: no figure of the machine acts on that.
        scatter = row.process.scatter_of(row.wanted.value, material)
        return _judged(row, Sure(0.0, scatter, True), meant, leans)
    noise = noise_kind(row)
    sure = sure_of(row.process, slopes_of(row, row.process), row.sent.value, spread, noise)
    return _judged(row, sure, meant, leans)


def noise_kind(row: LensRow) -> NoiseKind:
    """How a size scatters from feature to feature."""
    return (
        "height"
        if row.measure.correction.axes == {"z"}
        else "round"
        if row.measure.correction.round
        else "straight"
    )


def _judged(row: LensRow, sure: Sure, meant: Meant | None, leans: float = 0.0) -> SizeLine:
    """A size with a verdict, by what is to be expected and how sure that is."""
    off = abs(row.difference)
    around = HOLDS_95 * sure.piece + unmet(row)
    if meant is not None and not meant.trouble:
        size = row.expected.value
        inside = meant.low - _SAME <= size <= meant.high + _SAME
        whole = meant.low - _SAME <= size - around and size + around <= meant.high + _SAME
        known = sure.measured or sure.piece > 0  # what nobody knows anything of holds nothing
        verdict = "holds" if whole and known else "likely" if inside else "off"
    elif off < _SAME:
        verdict = "as wanted" if sure.measured else "as wanted, not measured"
    else:
        verdict = "within what is known" if off <= around else "off"
    return SizeLine(row, sure, verdict, meant, leans, beyond(row))


def unmet(row: LensRow) -> float:
    """By how much a height may be off since nothing corrects it, mm: what heights gain above the
    bed, and what lies between whole layers."""
    process = row.process
    if row.measure.correction.axes != {"z"}:
        return 0.0
    layer, high = process.layer, row.sent.value
    between = abs(high - round(high / layer) * layer) if layer > 0 else 0.0
    return abs(process.height_gain) + between


def beyond(row: LensRow) -> str:
    """Where the calibration measured nothing as small or as large as a size, in words; else
    nothing."""
    correction = row.measure.correction
    kinds = {
        "inside": ("hole" if correction.round else "opening", "hole", "opening"),
        "outside": ("peg", "length"),
    }
    measured = [
        ends
        for kind in kinds.get(
            correction.side, ("height",) if correction.axes == {"z"} else ("length", "peg")
        )
        if (ends := row.process.measured.get(kind)) is not None
    ]
    if not measured:
        return ""
    low, high = min(a for a, _ in measured), max(b for _, b in measured)
    size = row.sent.value
    if low - 1e-6 <= size <= high * (1 + 1e-9):
        return ""
    # Shrinkage is a share and goes on as it is; what a small hole loses grows fast below what was
    # measured.
    return (
        f"{'smaller' if size < low else 'larger'} than what was measured, {plain(low, 2)} "
        f"to {plain(high, 2)} mm"
    )


def slopes_of(row: LensRow, process: Process) -> dict[str, float]:
    """By how much the expected size changes with each figure of the process, per unit of the
    figure."""
    correction, slopes = row.measure.correction, dict[str, float]()
    if process.family == "cut":
        # Outlines that lie farther out by a millimetre: by half a kerf they lie farther in.
        out = correction.moved(1.0) / row.share
        if not out:
            return {}
        inside = (
            math.fsum(gain.share for gain in correction.gains if gain.side == "inside") / row.share
        )
        slopes |= {"kerf": -out / 2, "inside": inside, "shrinkage_xy": -row.sent.value / 100}
        wide = max(
            (row.sent.value * row.share * gain.round for gain in correction.gains), default=0.0
        )
        if wide > 0 and process.kind == "laser or knife":
            slopes["hole_small"] = 1 / wide
        return slopes
    if process.family != "print":
        return slopes
    slopes["shrinkage_xy" if correction.axis == "xy" else "shrinkage_z"] = -row.sent.value / 100
    if correction.axes == {"z"}:
        slopes["height_gain"] = 1.0 / row.share
    elif correction.axis == "xy" and not correction.round:
        # Along x it may shrink by more than along y, or by less; a round wall has both.
        slopes["x_and_y"] = row.sent.value / 200
    for gain in correction.gains:
        across = row.sent.value * row.share * gain.round
        constant, small = process.gain_figures(gain.side, straight=across <= 0, lying=gain.lying)
        if across <= 0 and constant in ("hole_gain", "peg_gain"):
            # What stands for it on this process may differ from what it truly is.
            constant = "opening_gain" if gain.side == "inside" else "length_gain"
        slopes[constant] = slopes.get(constant, 0.0) + gain.share / row.share
        if small:
            slopes[small] = slopes.get(small, 0.0) + gain.share / row.share / across
    return slopes
