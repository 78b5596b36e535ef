"""Sketch solving against scipy.optimize.least_squares on the same equations with a dense numerical
Jacobian."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from itertools import pairwise

import numpy as np
from scipy.optimize import least_squares
from shapely.geometry import LineString
from shapely.ops import polygonize, unary_union

from schablone.core.sketch.arrangement import arrange
from schablone.core.sketch.curves import Bezier
from schablone.core.sketch.drag import Drag
from schablone.core.sketch.drawing import Drawing
from schablone.core.sketch.pen import Pen
from schablone.core.sketch.solve import solve
from schablone.core.sketch.system import System, drawing_at


def strip(cells: int) -> tuple[Drawing, dict[str, float]]:
    """A strip of cells: two rails, rungs between them, a circle in each that touches the rail; all
    constrained.

    For ``cells`` cells it has 4 curves and 8 constraints and dimensions a cell, and is one cluster.
    """
    pen = Pen(Drawing())
    low, high = pen.point((0.0, 0.0)), pen.point((0.0, 12.0))
    values: dict[str, float] = {}
    first = pen.line(low, high)
    pen.hold("vertical", first)
    for k in range(cells):
        right, top = pen.point((10.0 * (k + 1), 0.3)), pen.point((10.0 * (k + 1), 12.2))
        bottom, upper, rung = pen.line(low, right), pen.line(high, top), pen.line(right, top)
        pen.hold("horizontal", bottom)
        pen.hold("parallel", bottom, upper)
        pen.hold("perpendicular", bottom, rung)
        circle = pen.circle((10.0 * k + 5, 4.0), 3.0)
        pen.hold("tangent", bottom, circle)
        centre = pen.drawing.by_name[circle].centre
        for measured, value in (
            (pen.measure("distance", bottom, formula="1 mm"), 9.0 + 0.1 * (k % 7)),
            (pen.measure("radius", circle, formula="1 mm"), 2.5 + 0.05 * (k % 5)),
            (pen.measure("distance", centre, rung, formula="1 mm"), 4.5),
        ):
            values[measured] = value
        low, high = right, top
    return pen.drawing, values


def _median(run: Callable[[], object], times: int) -> float:
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        taken.append((time.perf_counter() - start) * 1000)
    return statistics.median(taken)


def _targets(system: System, values: dict[str, float]) -> np.ndarray:
    wanted = system.targets.copy()
    for d in system.drawing.dimensions:
        wanted[system.dimension_rows[d.name]] = system.target(d, values[d.name])
    return wanted


def run(say: Callable[..., None]) -> None:
    drawing, values = strip(29)
    system = System(drawing)
    found = solve(system, values)
    print(
        f"sketch of {len(list(drawing.curves))} curves with "
        f"{len(drawing.rules)} constraints and dimensions"
    )
    settled = System(drawing_at(system, found.x))
    x = settled.start
    settled.targets = _targets(settled, values)
    name = drawing.element(next(drawing.curves).name).end
    ix, iy = settled.xy(name)
    drag = Drag(settled, x, [name])
    steps = iter(np.linspace(0.1, 40, 4000))

    def ours() -> None:
        drag.to(0.5 * next(steps), next(steps))

    free = settled.columns

    def baseline(most: int | None = None) -> None:
        wish = x.copy()
        wish[[ix, iy]] += (0.4, 0.8)

        def off(v: np.ndarray) -> np.ndarray:
            whole = x.copy()
            whole[free] = v
            pull = np.array([whole[ix] - wish[ix], whole[iy] - wish[iy]]) * 1e-2
            return np.concatenate([settled.residuals(whole), pull])

        least_squares(off, x[free], method="trf", jac="2-point", xtol=1e-9)

    say("one drag step in it", _median(ours, 101), _median(baseline, 3), "least_squares")
    drawing, values = strip(72)
    rng = np.random.default_rng(1)
    system = System(drawing)
    rough = system.start + rng.normal(0, 0.4, len(system.start)) * system.free
    rough_drawing = drawing_at(system, rough)

    def solved() -> None:
        assert solve(System(rough_drawing), values).holds

    wanted = _targets(system, values)

    def solved_plainly() -> None:
        system.targets = wanted

        def off(v: np.ndarray) -> np.ndarray:
            whole = rough.copy()
            whole[system.columns] = v
            return system.residuals(whole)

        least_squares(off, rough[system.columns], method="trf", jac="2-point")

    print(
        f"sketch of {len(list(drawing.curves))} curves with "
        f"{len(drawing.rules)} constraints and dimensions"
    )
    say(
        "solved from a rough drawing, equations made",
        _median(solved, 7),
        _median(solved_plainly, 1),
        "least_squares",
    )
    regions_of_splines(say)


def regions_of_splines(say: Callable[..., None]) -> None:
    """A wavy outline with wavy lines across, drawn by cubic curves: what is found at every stroke,
    one of them moved each time, against unions of its chords."""

    def wave(ends: tuple[complex, complex], pieces: int, name: str) -> list[Bezier]:
        spots = [ends[0] + (ends[1] - ends[0]) * k / pieces for k in range(pieces)] + [ends[1]]
        found = []
        for k, (a, d) in enumerate(pairwise(spots)):
            up = 0.3j * (d - a) * (-1) ** k
            four = np.array((a, a + (d - a) / 3 + up, a + 2 * (d - a) / 3 + up, d))
            found.append(Bezier.of(np.stack((four.real, four.imag), 1), name))
        return found

    corners = [0j, 200 + 0j, 200 + 120j, 120j]
    rim = [c for k in range(4) for c in wave((corners[k], corners[(k + 1) % 4]), 8, f"rim_{k}")]

    def drawn(moved: float) -> list[Bezier]:
        lines = [
            wave((25 * k + 20 - 20j, 25 * k + 20 + (moved if k == 3 else 0) + 140j), 6, f"line_{k}")
            for k in range(7)
        ]
        return [*rim, *(c for line in lines for c in line)]

    moves = iter(np.linspace(0.1, 8, 200))

    def ours() -> None:
        assert len(arrange(drawn(float(next(moves)))).faces) >= 8

    def chords() -> None:
        lines = [LineString([*c.points(0.01), c.end]) for c in drawn(float(next(moves)))]
        assert len(list(polygonize(unary_union(lines)))) >= 8

    print(f"regions of {len(drawn(1.0))} cubic curves")
    say("regions after one curve moved", _median(ours, 15), _median(chords, 15), "shapely's chords")
