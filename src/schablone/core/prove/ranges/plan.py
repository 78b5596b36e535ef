"""What a range run builds, in the order in which faults are likely to be found: as published, the
presets and variants, each end, all ends in pairs, both sides of every turn, then evenly all over.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass

from scipy.stats import qmc

from ...design.evaluate import table_of
from ...words import say_name
from .allowed import Point, Sheets, Span
from .covering import covering_pairs
from .turns import Watch, turns_of

#: At so many turns of a size both sides are built.
_MOST_TURNS = 10
#: So many rows of the size table are built; in pairs with everything else, so many.
_MOST_ROWS, _MOST_PAIRED = 60, 8
#: Where the even filling begins.
_SEED = 20


@dataclass(frozen=True, slots=True)
class Plan:
    """The points, and in words what was left out of all there are."""

    points: tuple[Point, ...]
    notes: tuple[str, ...] = ()


def plan(sheets: Sheets, builds: int) -> Plan:
    """All points that must be built, and as many more, spread evenly, as it takes to come to so
    many builds. The same design gives the same plan."""
    allowed, notes = sheets.allowed, list[str]()
    points: dict[Point, None] = {}

    def put(point: Point | None) -> None:
        if point is not None and sheets.is_allowed(point):
            points.setdefault(point)

    points.setdefault(allowed.as_published)
    rows = _some(allowed.rows, _MOST_ROWS)
    if len(rows) < len(allowed.rows):
        notes.append(f"{len(rows)} of {len(allowed.rows)} variants are built at least")
    for point, what in _by_name(sheets, rows):
        put(point)
        if point not in points:
            notes.append(f"{what} lies outside of the limits, and is not built")
    for span, share in itertools.product(allowed.spans, (0.0, 1.0)):
        which = "smallest" if share == 0 else "largest"
        put(sheets.placed({span.name: share}, rows[0], allowed.processes[0].name, which))
    for point in _in_pairs(sheets):
        put(point)
    watch = Watch(allowed.design)
    for span in allowed.spans:
        turns, count = turns_of(sheets, watch, span, allowed.as_published, _MOST_TURNS)
        if len(turns) < count:
            notes.append(
                f"Of {count} values of {say_name(span.name)} at which a count or a condition "
                f"changes, {len(turns)} are built on both sides"
            )
        for turn, value in itertools.product(turns, (0, 1)):
            at = turn.above if value else turn.below
            put(allowed.as_published.with_values({span.name: at}, "beside a turn"))
    for point in itertools.islice(_evenly(sheets), 4 * max(builds, 1)):
        if len(points) >= builds or not allowed.spans:
            break
        put(point)
    return Plan(tuple(points), tuple(notes))


def _by_name(sheets: Sheets, rows: tuple[str, ...]) -> Iterator[tuple[Point, str]]:
    """What is offered by its name, with words: other machines, ready-made sizes, variants."""
    allowed = sheets.allowed
    for machine in allowed.processes[1:]:
        at = Point(allowed.as_published.values, allowed.rows[0], machine.name, "another machine")
        yield at, f"The design as it is, on {machine.name},"
    for point in _presets(sheets):
        yield point, f"“{point.why}” on {point.process}"
    for row in rows[1:]:
        yield sheets.variant(row, allowed.processes[0].name), f"The variant “{row}”"


def _some(rows: tuple[str, ...], most: int) -> tuple[str, ...]:
    if len(rows) <= most:
        return rows
    return tuple(rows[round(k * (len(rows) - 1) / (most - 1))] for k in range(most))


def _presets(sheets: Sheets) -> Iterator[Point]:
    """What ready-made files are written for, on every machine."""
    allowed = sheets.allowed
    for preset, machine in itertools.product(allowed.design.publish.presets, allowed.processes):
        table = table_of(allowed.design, machine, preset.sizes)
        values = {
            name: table.cells[name].asked.value for name in preset.sizes if name in table.cells
        }
        point = Point(allowed.as_published.values, allowed.rows[0], machine.name, preset.name)
        yield point.with_values(values, preset.name)


def _in_pairs(sheets: Sheets) -> Iterator[Point]:
    """Every two of all ends, some variants and the machines together in some build."""
    allowed = sheets.allowed
    rows = _some(allowed.rows, _MOST_PAIRED)
    machines = [machine.name for machine in allowed.processes]
    levels = [2] * len(allowed.spans) + [len(rows), len(machines)]
    if not allowed.spans:
        return
    for chosen in covering_pairs(levels):
        shares = {
            span.name: float(level) for span, level in zip(allowed.spans, chosen, strict=False)
        }
        row, machine = rows[chosen[-2]], machines[chosen[-1]]
        point = sheets.placed(shares, row, machine, "ends in pairs")
        if point is not None:  # else the limits leave nothing there
            yield point


def _evenly(sheets: Sheets) -> Iterator[Point]:
    """Points that fill the whole range evenly (Sobol's sequence, scrambled by a fixed seed)."""
    allowed = sheets.allowed
    spread: list[Span] = list(allowed.spans)
    if not spread:
        return
    sobol = qmc.Sobol(len(spread) + 2, rng=_SEED)
    while True:
        for shares in sobol.random(64).tolist():
            row = allowed.rows[int(shares[-1] * len(allowed.rows))]
            machine = allowed.processes[int(shares[-2] * len(allowed.processes))]
            placed = {span.name: share for span, share in zip(spread, shares, strict=False)}
            point = sheets.placed(placed, row, machine.name, "all over")
            if point is not None:
                yield point
