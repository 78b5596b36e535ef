"""Outlines laid one after the other, each at the lowest free place.

Where it is free is told by correlating pictures of outlines (a no-fit raster, so that holes and
bays are used); the place is then made exact by moving the outline down and left as far as its
distance allows.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np
import scipy
import shapely
from numpy.typing import NDArray
from shapely import affinity
from shapely.geometry import Polygon

from .sheets import NEARLY, Layout, Put, Sheet, keep_apart, size_of

#: How many cells a sheet's longer side has at most in the pictures that are correlated.
_CELLS = 420
#: What is done, about in seconds of a usual machine: for a cell of pictures that are correlated,
#: for a place that is looked at, and for a point of the outlines there.
_CELL, _LOOK, _POINT = 2e-8, 5e-5, 2.6e-7


class Nester:
    """Lays outlines one after the other at the lowest free place.

    ``work`` is what was done by now, counted and not timed: who stops by it gets the same on every
    machine.
    """

    def __init__(self, outlines: Sequence[Polygon], sheet: Sheet, fixed: Mapping[int, Put]) -> None:
        self.outlines, self.sheet, self.fixed = tuple(outlines), sheet, fixed
        self.cell = max(sheet.length, sheet.width) / _CELLS
        self.wide, self.high = (
            max(1, math.floor((length - 2 * sheet.margin) / self.cell) + 1)
            for length in (sheet.length, sheet.width)
        )
        self.work = 0.0
        self.turned: dict[tuple[int, float], tuple[Polygon, NDArray[np.float32]]] = {}
        self.spectra: dict[tuple[int, float], NDArray[np.complex64]] = {}
        self.turns: dict[int, tuple[float, ...]] = {}
        #: Equal outlines share their pictures, and their places.
        self.alike = _alike(self.outlines)
        self._fixed_on = 1 + max((put.sheet for put in fixed.values()), default=-1)
        #: Where an outline comes to lie on a sheet that is filled in some way, and the number of
        #: the way in which it is filled then.
        self.known: dict[tuple[int, int], tuple[Put | None, int]] = {}

    def as_laid(self, order: Sequence[int]) -> tuple[int, ...]:
        """The same for all orders that lay equal outlines at equal places."""
        return tuple(self.alike[item] for item in order)

    def laid(
        self,
        order: Sequence[int],
        most: float = math.inf,
        alive: Callable[[], bool] = lambda: True,
    ) -> Layout | None:
        """The layout that comes of laying items one after the other; None, where that would take
        more than ``most`` work, is given up, or one finds no room on a sheet of its own."""
        end = self.work + most
        puts = list(self.fixed.values())
        sheets = [self._begun(number) for number in range(self._fixed_on)]
        # Sheets only get fuller: where no place was for an outline, none will be for its equals.
        first: dict[int, int] = {}
        for item in order:
            alike = self.alike[item]
            for number in range(first.get(alike, 0), len(sheets) + 1):
                if number == len(sheets):
                    sheets.append(_Filled(_EMPTY))
                place = self._looked_up(sheets[number], item)
                if self.work > end or not alive():
                    return None
                if place is not None:
                    first[alike] = number
                    puts.append(replace(place, item=item, sheet=number))
                    break
            else:
                return None
        return Layout(self.sheet, self.outlines, tuple(sorted(puts, key=lambda put: put.item)))

    def _looked_up(self, filled: _Filled, item: int) -> Put | None:
        """The place of an outline on a sheet, which takes it there: looked for only where no sheet
        was filled in just that way before, in another order or earlier in this one."""
        alike = self.alike[item]
        key = filled.state, alike
        if key not in self.known:
            taken, shapes = self._caught_up(filled)
            self.known[key] = self._place(item, shapes, taken), len(self.known) + 1
        place, state = self.known[key]
        if place is not None:
            filled.pending.append(place)
            filled.state = state
        return place

    def _begun(self, number: int) -> _Filled:
        """A sheet with what is put on it by hand."""
        filled = _Filled(-1 - number)
        filled.pending += [put for put in self.fixed.values() if put.sheet == number]
        return filled

    def _caught_up(self, filled: _Filled) -> tuple[_Taken, list[Polygon]]:
        """What lies on a sheet, worked out as far as it was filled by what was known."""
        if filled.taken is None:
            filled.taken = _Taken(self.wide, self.high)
        for put in filled.pending:
            shape = put.placed(self.outlines[put.item])
            filled.shapes.append(shape)
            self._take(filled.taken, shape)
        filled.pending.clear()
        return filled.taken, filled.shapes

    def _take(self, taken: _Taken, shape: Polygon) -> None:
        """Mark the cells whose middles lie nearer to a part than the gap: no point of another may
        come there."""
        margin = self.sheet.margin
        grown = shape.buffer(self.sheet.gap - 1e-9) if self.sheet.gap > 0 else shape.buffer(-1e-9)
        x0, y0, x1, y1 = grown.bounds
        a, b = max(0, math.floor((x0 - margin) / self.cell)), math.ceil((x1 - margin) / self.cell)
        c, d = max(0, math.floor((y0 - margin) / self.cell)), math.ceil((y1 - margin) / self.cell)
        b, d = min(b, self.wide - 1), min(d, self.high - 1)
        if b < a or d < c:
            return
        xs = margin + np.arange(a, b + 1) * self.cell
        ys = margin + np.arange(c, d + 1) * self.cell
        grid_x, grid_y = np.meshgrid(xs, ys, indexing="ij")
        inside = shapely.contains_xy(grown, grid_x, grid_y)
        taken.add(a, c, inside)

    def _picture(self, item: int, turn: float) -> tuple[Polygon, NDArray[np.float32]]:
        """An outline turned, with its lower left at the origin, and the cells that it covers."""
        key = (self.alike[item], turn)
        if key not in self.turned:
            shape = affinity.rotate(self.outlines[item], turn, origin=(0, 0))
            x0, y0, *_ = shape.bounds
            shape = affinity.translate(shape, -x0, -y0)
            wide, high = (math.ceil(length / self.cell) + 1 for length in size_of(shape))
            xs, ys = np.arange(wide) * self.cell, np.arange(high) * self.cell
            grid_x, grid_y = np.meshgrid(xs, ys, indexing="ij")
            picture = shapely.contains_xy(shape.buffer(1e-9), grid_x, grid_y).astype(np.float32)
            # What is thinner than a cell must show as well: its outline is drawn point by point.
            ring = shape.boundary.segmentize(self.cell / 2)
            spots = np.round(shapely.get_coordinates(ring) / self.cell).astype(int)
            picture[spots[:, 0].clip(0, wide - 1), spots[:, 1].clip(0, high - 1)] = 1.0
            self.turned[key] = shape, picture
        return self.turned[key]

    def _turns(self, item: int) -> tuple[float, ...]:
        """The turns by which an outline comes to lie otherwise: of a rectangle half of them."""
        alike = self.alike[item]
        if alike not in self.turns:
            seen: dict[bytes, float] = {}
            for turn in self.sheet.turns:
                shape, _ = self._picture(item, turn)
                exact = shapely.transform(shape, lambda points: np.round(points, 6) + 0.0)
                seen.setdefault(shapely.to_wkb(shapely.normalize(exact)), turn)
            self.turns[alike] = tuple(seen.values())
        return self.turns[alike]

    def _met(self, item: int, turn: float, taken: _Taken) -> NDArray[np.float32]:
        """How many cells that are taken an outline meets with its lower left on each cell: the
        correlation of both, by way of their spectra."""
        key = (self.alike[item], turn)
        if key not in self.spectra:
            _, picture = self._picture(item, turn)
            self.work += _CELL * taken.cells.size
            self.spectra[key] = taken.spectrum_of(picture).conj()
        if not taken.is_known:
            self.work += _CELL * taken.cells.size
        self.work += _CELL * taken.cells.size
        return taken.met(self.spectra[key])

    def _place(self, item: int, shapes: Sequence[Polygon], taken: _Taken) -> Put | None:
        """The lowest free place of an outline over all its turns: farthest to the left, then
        lowest."""
        best: tuple[float, float, Put] | None = None
        room = self.sheet.length - 2 * self.sheet.margin, self.sheet.width - 2 * self.sheet.margin
        for turn in self._turns(item):
            shape, _ = self._picture(item, turn)
            wide, high = size_of(shape)
            across, up = room[0] - wide, room[1] - high
            if across < -NEARLY or up < -NEARLY:
                continue
            across, up = max(across, 0.0), max(up, 0.0)
            a = min(math.floor(across / self.cell + 1e-9), self.wide - 1) + 1
            b = min(math.floor(up / self.cell + 1e-9), self.high - 1) + 1
            met = self._met(item, turn, taken)[:a, :b]
            for x, y in self._spots(np.argwhere(met < 0.5)):
                exact = self._exact(shape, shapes, x, y)
                if exact is None:
                    continue
                put = self._put(item, turn, exact)
                end = exact[0] + wide
                if best is None or (end, exact[1]) < best[:2]:
                    best = end, exact[1], put
                break
        return best[2] if best is not None else None

    def _spots(self, free: NDArray[np.int64]) -> list[tuple[float, float]]:
        """The first free places to try, spread a little: the nearest to the left come first."""
        return [(float(x) * self.cell, float(y) * self.cell) for x, y in free[:400:8]]

    def _put(self, item: int, turn: float, at: tuple[float, float]) -> Put:
        turned = affinity.rotate(self.outlines[item], turn, origin=(0, 0))
        x0, y0, *_ = turned.bounds
        margin = self.sheet.margin
        return Put(item, 0, at[0] + margin - x0, at[1] + margin - y0, turn)

    def _exact(
        self, shape: Polygon, shapes: Sequence[Polygon], x: float, y: float
    ) -> tuple[float, float] | None:
        """A place made exact: at the raster's spot or a little beside it where it is free, then
        moved left and down as far as the gap allows."""
        margin = self.sheet.margin
        tree = shapely.STRtree(shapes) if shapes else None
        points = shapely.get_num_coordinates(shape)

        def free(at: tuple[float, float]) -> bool:
            if at[0] < -NEARLY or at[1] < -NEARLY:
                return False
            self.work += _LOOK + _POINT * points
            moved = affinity.translate(shape, at[0] + margin, at[1] + margin)
            if tree is None:
                return True
            x0, y0, x1, y1 = moved.bounds
            reach = self.sheet.gap + 1e-6
            near = tree.query(shapely.box(x0 - reach, y0 - reach, x1 + reach, y1 + reach))
            beside = sum(shapely.get_num_coordinates(shapes[k]) for k in near)
            self.work += _POINT * (len(near) * points + beside)
            return all(keep_apart(moved, shapes[k], self.sheet.gap - NEARLY / 2) for k in near)

        room = (
            self.sheet.length - 2 * margin - size_of(shape)[0],
            self.sheet.width - 2 * margin - size_of(shape)[1],
        )
        spot = next(
            (
                at
                for dx in (0.0, 1.0, 2.0)
                for dy in (0.0, 1.0, 2.0)
                if (at := (x + dx * self.cell, y + dy * self.cell))[0] <= room[0] + NEARLY
                and at[1] <= room[1] + NEARLY
                and free(at)
            ),
            None,
        )
        if spot is None:
            return None
        for _ in range(3):
            before = spot
            spot = self._slid(spot, (-1.0, 0.0), free)
            spot = self._slid(spot, (0.0, -1.0), free)
            if math.dist(before, spot) < 1e-3:
                break
        return spot

    def _slid(
        self,
        at: tuple[float, float],
        way: tuple[float, float],
        free: Callable[[tuple[float, float]], bool],
    ) -> tuple[float, float]:
        """Moved along a way by up to three cells, as far as it stays free all along."""
        good, step = 0.0, self.cell * 3
        while step > 2e-4:
            there = (at[0] + way[0] * (good + step), at[1] + way[1] * (good + step))
            if free(there):
                good += step
                if good > self.cell * 8:
                    break
            else:
                step /= 2
        return at[0] + way[0] * good, at[1] + way[1] * good


#: The number of the way in which an empty sheet is filled.
_EMPTY = 0


class _Filled:
    """A sheet that is being filled. ``state`` is the number of the way in which it is; ``pending``
    lies on it and is not yet among its ``shapes`` and cells."""

    def __init__(self, state: int) -> None:
        self.state = state
        self.pending: list[Put] = []
        self.shapes: list[Polygon] = []
        self.taken: _Taken | None = None


def _alike(outlines: Sequence[Polygon]) -> dict[int, int]:
    """For each outline the first that is equal to it."""
    seen: dict[bytes, int] = {}
    exact = shapely.to_wkb(shapely.transform(list(outlines), lambda points: points.round(9) + 0.0))
    return {number: seen.setdefault(known, number) for number, known in enumerate(exact)}


class _Taken:
    """The cells of a sheet that are taken, and their spectrum, worked out when it is asked for
    first."""

    def __init__(self, wide: int, high: int) -> None:
        self.cells = np.zeros((wide, high), dtype=np.float32)
        # It loads when it is first used: the window knows this module, too.
        fft = scipy.fft
        # An outline that lies on the sheet reaches beyond its last cell by two at most; what is
        # still farther out would begin from the front again.
        self._shape = [fft.next_fast_len(cells + 2, real=True) for cells in (wide, high)]
        self._spectrum: NDArray[np.complex64] | None = None

    @property
    def is_known(self) -> bool:
        """Whether its spectrum is worked out."""
        return self._spectrum is not None

    def add(self, across: int, up: int, cells: NDArray[np.bool_]) -> None:
        """Take more cells, from one on."""
        wide, high = cells.shape
        there = self.cells[across : across + wide, up : up + high]
        np.maximum(there, cells, out=there)
        self._spectrum = None

    def spectrum_of(self, cells: NDArray[np.float32]) -> NDArray[np.complex64]:
        """The spectrum of what lies on the sheet from its first cell on."""
        spectrum: NDArray[np.complex64] = scipy.fft.rfft2(cells, self._shape)
        return spectrum

    def met(self, turned_over: NDArray[np.complex64]) -> NDArray[np.float32]:
        """The correlation of what is taken with a picture, whose spectrum is given conjugated."""
        if self._spectrum is None:
            self._spectrum = self.spectrum_of(self.cells)
        met: NDArray[np.float32] = scipy.fft.irfft2(self._spectrum * turned_over, self._shape)
        return met
