"""What a process knows of a bend: read off its chart, between its rows, or said to be a guess."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from .bending import allowance, k_of_deduction, usual_k
from .known import Bend, BendKnown
from .model import Process
from .sure import holds_95

#: Thicknesses and radii that differ by less are the same, mm.
_SAME = 1e-6
#: A radius is that of a tool within this share of the thickness.
_ONE_TOOL = 0.05
#: From this angle on, degrees, an edge is folded over.
_FOLDED_OVER = 150.0


@dataclass(frozen=True, slots=True)
class BendFigures:
    """A bend as it comes off: inside radius and k-factor; by how much it springs back, degrees; how
    wide the die is, mm, 0 where nobody knows. ``chart``: it is read off the process's chart;
    ``remark`` says what is to be known of that, where there is something; ``known`` how well it was
    measured, None where it was typed."""

    radius: float
    k: float
    springs_back: float = 0.0
    die: float = 0.0
    chart: bool = False
    remark: str = ""
    known: BendKnown | None = None

    def length(self, angle: float, thickness: float) -> float:
        """How long the bend is on the blank, mm."""
        return allowance(angle, self.radius, thickness, self.k)

    def within(self, angle: float) -> tuple[float, float] | None:
        """Within how much a leg comes out, mm, and the angle, degrees, in 95 of 100 bends by an
        angle; None where nobody has measured it."""
        row = self.known
        if row is None:
            return None
        factor = holds_95(row.freedom)
        return factor * row.of_leg(angle)[1], factor * row.of_angle(angle)[1]

    @property
    def least_flange(self) -> float:
        """How far a flange must reach beyond the middle of its bend to lie on the die, mm; 0 where
        that is not known. Half of the die and a tenth of it to hold on to."""
        return 0.6 * self.die


def bend_figures(
    process: Process, material: str, thickness: float, angle: float, radius: float | None = None
) -> BendFigures:
    """The figures of a bend of a sheet by an angle in degrees, with an inside radius in mm where
    that is asked for, else that of the machine's usual tool, which is the first in its chart.

    Between two rows of the chart the k-factor lies on the straight line. Where the chart has
    nothing of this material, the usual k-factor of DIN 6935 is taken, and the remark says so.
    """
    usual = _figures(process, material, thickness, angle, None)
    if radius is None or (usual.chart and abs(radius - usual.radius) < _SAME):
        return usual
    return _figures(process, material, thickness, angle, radius)


def _figures(
    process: Process, material: str, thickness: float, angle: float, radius: float | None
) -> BendFigures:
    rows = [row for row in process.bends if row.material in (material, "")]
    # What is folded right over is made with other tools than a bend: rows of the one say little of
    # the other.
    over = abs(angle) >= _FOLDED_OVER
    rows = [row for row in rows if (row.angle >= _FOLDED_OVER) == over] or rows
    if not rows:
        r = thickness if radius is None else radius
        what = f"Nothing is known of bends in {material or 'this material'} on {process.name}"
        if not process.bends:
            what = f"{process.name} has no chart of bends"
        return BendFigures(
            r,
            usual_k(r, thickness),
            remark=f"{what}: the k-factor is taken as {usual_k(r, thickness):.3g} (DIN 6935, not "
            "measured).",
        )
    levels = sorted({row.thickness for row in rows})
    below = [level for level in levels if level <= thickness + _SAME]
    above = [level for level in levels if level >= thickness - _SAME]
    remark = ""
    if not below or not above:
        nearest = (below or above)[-1 if below else 0]
        if abs(nearest - thickness) > 0.15 * thickness:
            remark = (
                f"The chart of {process.name} has no bend of {thickness:.4g} mm; that of "
                f"{nearest:.4g} mm is taken."
            )
        below = above = [nearest]
    low = _of_level(rows, below[-1], angle, radius)
    high = _of_level(rows, above[0], angle, radius)
    share = (
        (thickness - below[-1]) / (above[0] - below[-1]) if above[0] - below[-1] > _SAME else 0.0
    )

    def between(a: float, b: float) -> float:
        return a + (b - a) * share

    return BendFigures(
        between(low.radius, high.radius) if radius is None else radius,
        between(low.k, high.k),
        between(low.springs_back, high.springs_back),
        between(low.die, high.die) if low.die and high.die else low.die or high.die,
        True,
        remark or low.remark or high.remark,
        (low if share < 0.5 else high).known,
    )


def _of_level(
    rows: Sequence[Bend], thickness: float, angle: float, radius: float | None
) -> BendFigures:
    """The same for a thickness that the chart has."""
    mine = [row for row in rows if abs(row.thickness - thickness) < _SAME]
    wanted = mine[0].radius if radius is None else radius
    radii = sorted({row.radius for row in mine})
    below = [r for r in radii if r <= wanted + _SAME]
    above = [r for r in radii if r >= wanted - _SAME]
    remark = ""
    nearest = min(radii, key=lambda r: abs(r - wanted))
    if abs(nearest - wanted) <= _ONE_TOOL * thickness:
        below = above = [nearest]
    if not below or not above:
        remark = (
            f"No tool in the chart bends {thickness:.4g} mm to a radius of {wanted:.4g} mm; the "
            f"k-factor of {nearest:.4g} mm is taken."
        )
        below = above = [nearest]
    a, b = (
        _at_angle([row for row in mine if abs(row.radius - r) < _SAME], angle)
        for r in (below[-1], above[0])
    )
    share = (wanted - below[-1]) / (above[0] - below[-1]) if above[0] - below[-1] > _SAME else 0.0
    return BendFigures(
        wanted,
        a.k + (b.k - a.k) * share,
        a.springs_back + (b.springs_back - a.springs_back) * share,
        a.die + (b.die - a.die) * share,
        True,
        remark,
        (a if share < 0.5 else b).known,
    )


def _at_angle(rows: Sequence[Bend], angle: float) -> BendFigures:
    """The same for a tool that the chart has, between its angles; springing back goes with the
    angle."""
    known = sorted(
        (row.angle, k_of_deduction(row.angle, row.radius, row.thickness, row.deduction), row)
        for row in {row.angle: row for row in rows}.values()
    )
    turn = abs(angle)
    below = [one for one in known if one[0] <= turn + _SAME] or known[:1]
    above = [one for one in known if one[0] >= turn - _SAME] or known[-1:]
    (a, k, row), (b, other, there) = below[-1], above[0]
    share = (turn - a) / (b - a) if b - a > _SAME else 0.0
    per_degree = (row.springs_back / row.angle) * (1 - share) + (
        there.springs_back / there.angle
    ) * share
    return BendFigures(
        row.radius,
        k + (other - k) * share,
        per_degree * turn,
        row.die,
        True,
        known=(row if share < 0.5 else there).known,
    )
