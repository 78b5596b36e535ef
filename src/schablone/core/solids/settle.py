"""Where the faces of a plain solid lie when its ties hold: what is free, what repeats, what cannot
be.

What varies is moved as little as can be, so that what no tie asks for stays where it is; equations
that have nothing in common are solved apart from each other.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from ..kernel.frame import as_vector
from ..kernel.naming import FaceName
from ..kernel.occ.plain import PlainSolid
from ..kernel.surfaces import Surface
from .equations import Equation, TieError
from .rows import RANK, reduced, repeated
from .states import LEANS, RADII, Freedom, Layout, State, changed_surfaces, ways_of
from .ties import Tie
from .tying import Row, Tying

Floats = NDArray[np.float64]

#: The step of derivatives along the imaginary axis: so small that it leaves no error.
_STEP = 1e-20
#: When equations hold, mm; after so many steps of Newton's method they do not.
HOLDS, _STEPS = 1e-10, 40
#: Changes of numbers that are below this are none.
_STILL = 1e-11
#: Into how many parts a way to new values is cut at most.
_FINEST = 256


@dataclass(frozen=True)
class Mode:
    """One way in which the part can still move though all ties hold: how far each freedom goes, and
    the surfaces that move."""

    ways: Mapping[int, float]
    surfaces: tuple[int, ...]


class NotHeld(ValueError):
    """Ties that cannot hold together, by number."""

    def __init__(self, ties: Collection[int]) -> None:
        super().__init__("they cannot hold together")
        self.ties = tuple(sorted(ties))


@dataclass(frozen=True)
class Settled:
    """The surfaces of the sharp solid that have changed, by number, and the radii of roundings that
    have, by name."""

    surfaces: Mapping[int, Surface]
    radii: Mapping[FaceName, float]
    state: State


@dataclass(frozen=True)
class Held:
    """A plain solid with its ties, ready to be settled for any values of them.

    ``problems`` says by number which ties tie nothing as they are; ``measured`` what each one
    measures on the solid as it is, mm or radians.
    """

    plain: PlainSolid
    ties: tuple[Tie, ...]
    surfaces: tuple[Surface | None, ...]
    rounds: tuple[FaceName, ...]
    same: tuple[int, ...]
    pinned: frozenset[int]
    layout: Layout
    rows: tuple[Row, ...]
    problems: Mapping[int, TieError]
    measured: Mapping[int, float]
    pins: Mapping[int, frozenset[int]] = field(default_factory=dict)
    leaning: frozenset[int] = frozenset()
    growing: frozenset[int] = frozenset()

    def with_ties(self, ties: tuple[Tie, ...]) -> Held:
        """The same where ties have only other formulas and names; what was worked out is kept."""
        if ties == self.ties:
            return self
        known = (self.modes, self.repeats)
        assert known is not None
        other = object.__new__(Held)
        other.__dict__.update({**self.__dict__, "ties": ties})
        return other

    # Derivatives

    @cached_property
    def start(self) -> State:
        """The state in which nothing has moved."""
        return State(self.layout, np.zeros(len(self.layout.freedoms)))

    def _residuals(
        self, rows: Sequence[Row], state: State, values: Mapping[int, float] = MappingProxyType({})
    ) -> Floats:
        """How far all is from holding, with ties at values by number; others hold what each of
        their equations measured at the start."""
        residuals = [
            part
            for row in rows
            for part in (
                *row.equation.first(state, values.get(row.tie, row.equation.now)),
                *row.equation.rest(state),
            )
        ]
        shape = state.values.shape[:-1]
        return np.array([np.broadcast_to(np.asarray(part), shape) for part in residuals])

    def jacobian(self, rows: Sequence[Row], values: Floats, columns: Sequence[int]) -> Floats:
        """How residuals change with some of what varies, (residuals, columns)."""
        tried = np.tile(values.astype(complex), (len(columns), 1))
        tried[np.arange(len(columns)), list(columns)] += 1j * _STEP
        residuals = self._residuals(rows, State(self.layout, tried))
        return np.asarray(residuals.imag / _STEP)

    @cached_property
    def rates(self) -> tuple[Floats, dict[int, slice]]:
        """How all residuals change at the start, (residuals, freedoms), and where those of each
        row are, by its place among the rows."""
        places, at = {}, 0
        for k, row in enumerate(self.rows):
            count = sum(_lengths(row, self.start))
            places[k] = slice(at, at + count)
            at += count
        columns = range(len(self.layout.freedoms))
        if not self.rows or not columns:
            return np.zeros((at, len(columns))), places
        return self.jacobian(self.rows, self.start.values, columns), places

    @cached_property
    def parts(self) -> list[tuple[list[Row], list[int]]]:
        """Rows and columns that have to do with each other, apart from all others."""
        of_surface: dict[int, list[int]] = {}
        for k, freedom in enumerate(self.layout.freedoms):
            of_surface.setdefault(freedom.surface, []).append(k)
        group: dict[int, int] = {k: k for k in of_surface}

        def root(k: int) -> int:
            while group[k] != k:
                group[k] = group[group[k]]
                k = group[k]
            return k

        for row in self.rows:
            mine = [k for k in row.equation.surfaces if k in group]
            for k in mine[1:]:
                group[root(k)] = root(mine[0])
        rows: dict[int, list[Row]] = {}
        for row in self.rows:
            mine = [k for k in row.equation.surfaces if k in group]
            rows.setdefault(root(mine[0]) if mine else -1, []).append(row)
        columns: dict[int, list[int]] = {}
        for k in of_surface:
            columns.setdefault(root(k), []).extend(of_surface[k])
        return [(rows.get(k, []), sorted(columns.get(k, []))) for k in {*rows, *columns}]

    # Solving

    def settled(self, values: Mapping[int, float]) -> Settled:
        """The solid with ties at values, by number, in mm and radians; others hold what is
        measured.

        Raises:
            NotHeld: where they cannot hold together.
        """
        varied = np.zeros(len(self.layout.freedoms))
        for rows, columns in self.parts:
            self._settle_part(rows, columns, values, varied)
        varied[np.abs(varied) < _STILL] = 0.0
        return self.at(State(self.layout, varied))

    def at(self, state: State) -> Settled:
        """What has changed in a state."""
        changed = changed_surfaces(state)
        count = len(self.surfaces) - len(self.rounds)
        surfaces = {
            k: _as_piece(self.surfaces[rep], changed[rep], self.surfaces[k])
            for k, rep in enumerate(self.same[:count])
            if rep in changed
        }
        radii = {
            name: changed[rep].radius
            for name, rep in zip(self.rounds, self.same[count:], strict=True)
            if rep in changed
        }
        return Settled(surfaces, radii, state)

    def _settle_part(
        self,
        rows: Sequence[Row],
        columns: Sequence[int],
        values: Mapping[int, float],
        varied: Floats,
    ) -> None:
        mine = {row.tie: values[row.tie] for row in rows if row.tie in values}
        start = {tie: self.measured[tie] for tie in mine}
        off = self._residuals(rows, self.start, mine).astype(float)
        if float(np.abs(off).max(initial=0.0)) < _STILL:
            return
        done, step = 0.0, 1.0
        while done < 1.0:
            share = min(1.0, done + step)
            before = varied.copy()
            now = {tie: start[tie] + (mine[tie] - start[tie]) * share for tie in mine}
            if self._newton(rows, columns, varied, now):
                done = share
                continue
            varied[:] = before
            step /= 2
            if step < 1 / _FINEST:
                raise NotHeld({row.tie for row in rows if row.tie >= 0} & self._changed(mine))

    def _changed(self, mine: Mapping[int, float]) -> set[int]:
        changed = {k for k, v in mine.items() if abs(v - self.measured[k]) > _STILL}
        return (
            changed
            | {t for k in changed for t in self.repeats.get(k, ())}
            | {k for k, others in self.repeats.items() if changed & set(others)}
        )

    def _newton(
        self,
        rows: Sequence[Row],
        columns: Sequence[int],
        varied: Floats,
        values: Mapping[int, float],
    ) -> bool:
        for _ in range(_STEPS):
            off = self._residuals(rows, State(self.layout, varied), values).astype(float)
            if float(np.abs(off).max(initial=0.0)) < HOLDS:
                return True
            if not columns:
                return False
            rates = self.jacobian(rows, varied, columns)
            step = np.linalg.lstsq(rates, off, rcond=RANK)[0]
            step[np.abs(step) < _STILL / 10] = 0.0
            if float(np.abs(step).max(initial=0.0)) > 1e3 * self.layout.size:
                return False
            varied[list(columns)] -= step
        return False

    # What is free, what repeats

    @cached_property
    def modes(self) -> list[Mode]:
        """All that can still move: one mode for each freedom that is left."""
        modes = []
        for rows, columns in self.parts:
            modes += self._modes_of(rows, columns)
        return modes

    def _modes_of(self, rows: Sequence[Row], columns: Sequence[int]) -> list[Mode]:
        if not columns:
            return []
        whole, places = self.rates
        number = {id(row): k for k, row in enumerate(self.rows)}
        mine = [n for row in rows for n in range(*places[number[id(row)]].indices(len(whole)))]
        if not mine:
            return [self._mode({k: 1.0}) for k in columns]
        rest, pivots = reduced(whole[np.ix_(mine, list(columns))])
        modes = []
        for k in (k for k in range(len(columns)) if k not in pivots):
            ways = {columns[k]: 1.0}
            for row, pivot in enumerate(pivots):
                if abs(rest[row, k]) > 1e-9:
                    ways[columns[pivot]] = -float(rest[row, k])
            modes.append(self._mode(ways))
        return modes

    def _mode(self, ways: Mapping[int, float]) -> Mode:
        moved = {self.layout.freedoms[k].surface for k in ways}
        return Mode(ways, tuple(sorted(moved)))

    @cached_property
    def loose(self) -> tuple[int, ...]:
        """Surfaces that no tie keeps from moving."""
        return tuple(sorted({k for mode in self.modes for k in mode.surfaces}))

    @cached_property
    def _whole(self) -> Held:
        """The same with nothing pinned: pins are rows there, as all else."""
        layout = Layout.of(
            self.surfaces, {k for k, rep in enumerate(self.same) if rep != k},
            self.leaning, self.growing, self.layout.size, self._only_radii,
        )  # fmt: skip
        return Held(
            self.plain, self.ties, self.surfaces, self.rounds, self.same, frozenset(), layout,
            self.rows, self.problems, self.measured,
        )  # fmt: skip

    @cached_property
    def _lines(self) -> dict[int, tuple[Floats, Floats]]:
        """What each tie asks for, as rows over all freedoms: what it is about, and what goes with
        that."""
        whole = self._whole
        rates, places = whole.rates
        lines: dict[int, tuple[list[Floats], list[Floats]]] = {}
        for k, row in enumerate(self.rows):
            count, _ = _lengths(row, whole.start)
            first, rest = lines.setdefault(row.tie, ([], []))
            mine = rates[places[k]]
            first.extend(mine[:count])
            rest.extend(mine[count:])
        fixed = {self.same[k] for k in self.plain.fixed}
        for tie, pinned in (*self.pins.items(), (-1, fixed)):
            first, rest = lines.setdefault(tie, ([], []))
            columns = np.eye(len(whole.layout.freedoms))
            (first if tie >= 0 else rest).extend(
                columns[k] for k, f in enumerate(whole.layout.freedoms) if f.surface in pinned
            )
        wide = (-1, len(whole.layout.freedoms))
        return {
            tie: (np.reshape(first, wide), np.reshape(rest, wide))
            for tie, (first, rest) in lines.items()
        }

    @cached_property
    def repeats(self) -> dict[int, tuple[int, ...]]:
        """The ties that say what others say already, each with those."""
        return repeated(self._lines)

    def repeated_by(self, equations: Sequence[Equation]) -> tuple[int, ...] | None:
        """The ties that say already what some more equations would say; None where these say
        something new."""
        whole = self._whole
        columns = range(len(whole.layout.freedoms))
        rows = [Row(len(self.ties), one) for one in equations]
        rates = whole.jacobian(rows, whole.start.values, columns)
        first: list[Floats] = []
        rest: list[Floats] = []
        at = 0
        for row in rows:
            count, more = _lengths(row, whole.start)
            first.extend(rates[at : at + count])
            rest.extend(rates[at + count : at + count + more])
            at += count + more
        wide = (-1, len(columns))
        lines = {**self._lines, len(self.ties): (np.reshape(first, wide), np.reshape(rest, wide))}
        return repeated(lines).get(len(self.ties))

    def equations(self, tie: Tie) -> list[Equation]:
        """What one more tie would ask for.

        Raises:
            TieError: where it ties nothing as it is.
        """
        return Tying(self.plain, self.ties).equations(tie, self.start)

    def would_free(self, tie: Tie) -> bool:
        """Whether one more tie would let a radius grow or a face lean that stays as it is now."""
        tying = Tying(self.plain, (*self.ties, tie))
        tying.free()
        known = set(self.layout.freedoms)
        new = {
            Freedom(k, way)
            for faces, ways in ((tying.leaning, LEANS), (tying.growing, RADII))
            for k in faces - self.pinned
            for way in ways
        }
        possible = {f for f in new if self.surfaces[f.surface] is not None
                    and f.way in ways_of(self.surfaces[f.surface])}  # type: ignore[arg-type]  # fmt: skip
        return bool(possible - known)

    @cached_property
    def _ways(self) -> Floats:
        """All modes as rows, (modes, freedoms)."""
        ways = np.zeros((len(self.modes), len(self.layout.freedoms)))
        for k, mode in enumerate(self.modes):
            ways[k, list(mode.ways)] = list(mode.ways.values())
        return ways

    def holds_still(self, equations: Sequence[Equation], surface: int) -> bool:
        """Whether some more equations, each of which says something new, would leave a surface
        nothing free."""
        ways = self._ways
        rows = [Row(len(self.ties), one) for one in equations]
        columns = range(len(self.layout.freedoms))
        asked = self.jacobian(rows, self.start.values, columns) @ ways.T
        rest, pivots = reduced(asked)
        if len(pivots) < len(equations):
            return False
        free = [k for k in range(len(ways)) if k not in pivots]
        mine = [k for k, f in enumerate(self.layout.freedoms) if f.surface == surface]
        moved = ways[free][:, mine] - rest[:, free].T @ ways[pivots][:, mine]
        return float(np.abs(moved).max(initial=0.0)) <= 1e-9

    @property
    def _only_radii(self) -> range:
        count = len(self.surfaces)
        return range(count - len(self.rounds), count)


def _lengths(row: Row, state: State) -> tuple[int, int]:
    """How many numbers a row asks to be zero: what it is about, and what goes with it."""
    equation = row.equation
    return len(equation.first(state, equation.now)), len(equation.rest(state))


def _as_piece(before: Surface | None, now: Surface, piece: Surface | None) -> Surface:
    """The new state of a surface of which there are several pieces, by the axes of one of them."""
    assert before is not None
    assert piece is not None
    if piece is before or piece == before:
        return now
    way = np.array(now.way)
    away = float((np.array(piece.at) - np.array(before.at)) @ np.array(before.way))
    sign = 1.0 if float(np.dot(piece.way, before.way)) > 0 else -1.0
    if now.kind == "plane":
        at = np.array(piece.at) - float((np.array(piece.at) - np.array(now.at)) @ way) * way
    else:
        at = np.array(now.at) + away * way
    x = np.array(piece.x) - float(np.array(piece.x) @ way) * way
    return piece.with_(
        at=as_vector(map(float, at)),
        way=as_vector(map(float, sign * way)),
        x=as_vector(map(float, x / np.linalg.norm(x))),
        radius=now.radius,
        second=now.second,
    )


def held(plain: PlainSolid, ties: Sequence[Tie]) -> Held:
    """Make ties ready. Those that tie nothing as they are, are left out and told in
    ``problems``."""
    tying = Tying(plain, tuple(ties))
    tying.take()
    return Held(
        plain, tying.ties, tying.surfaces, tying.rounds, tying.same, tying.pinned,
        tying.layout(tying.pinned), tuple(tying.rows), tying.problems, tying.measured, tying.pins,
        frozenset(tying.leaning), frozenset(tying.growing),
    )  # fmt: skip


def readings(ready: Held, state: State) -> dict[int, float]:
    """What ties that only read off come to, by number, mm or radians, with the surfaces in a state:
    measured anew there."""
    tying = Tying(ready.plain, ready.ties)
    by_number = {}
    for k, tie in enumerate(ready.ties):
        if tie.reads and tie.measures is not None:
            try:
                by_number[k] = tying.equations(tie, state)[0].now
            except TieError:
                continue
    return by_number
