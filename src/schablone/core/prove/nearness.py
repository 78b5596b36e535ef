"""What lies next to what: for parts and bought things that are near each other how far apart they
are, whether they touch, are pressed together, or run into each other."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Literal

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from ..design.model import Design
from ..design.rebuild import Rebuilt
from ..formula import FormulaError
from ..kernel.frame import Vector, as_vector
from ..kernel.mesh import Mesh
from ..kernel.second import manifold_of
from ..quantity import LENGTH, plain
from ..words import say_name
from .finding import Finding

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

#: Farther apart than this nothing is told, mm.
FAR = 10.0
#: Chord tolerance of the meshes that are compared, mm; what lies nearer than this touches.
_CHORDS, TOUCHES = 0.03, 0.005
#: What is driven in by no more than this is a fit and no mistake, mm.
_PRESSED = 0.1

Floats = NDArray[np.float64]
How = Literal["apart", "touching", "pressed", "into", "unknown"]


#: What keeps a check from holding: what cannot be told counts as wrong.
_WRONG = ("into", "unknown")


@dataclass(frozen=True, slots=True)
class Neighbours:
    """Two things: how they lie to each other, by how many mm they are apart or driven into each
    other, and where, None where nobody asked."""

    first: str
    second: str
    how: How
    gap: float
    at: Vector | None = None

    def words(self) -> str:
        """``cages 2 and lower half: 7 mm apart``."""
        far = plain(self.gap, 3)
        told = {
            "apart": f"{far} mm apart",
            "touching": "touch each other",
            "pressed": f"pressed together, by {far} mm",
            "into": f"run into each other, by {far} mm",
            "unknown": "cannot be compared, since the mesh of one is not closed",
        }[self.how]
        return f"{self.first} and {self.second}: {told}"


def neighbours(
    design: Design,
    built: Rebuilt,
    meshes: Mapping[str, Mesh] | None = None,
    alive: Callable[[], bool] = lambda: True,
    *,
    far: float | None = None,
    placed: bool = True,
) -> list[Neighbours]:
    """All pairs that are nearer than ``far`` mm (:data:`FAR`, or the least gap that the design asks
    for where that is more), the nearest first; ``placed`` with where that is.
    ``meshes`` are those of parts that are known already. Boxes are looked at first; distances are
    those of meshes, exact but for chords."""
    titles = {part.name: part.title or say_name(part.name) for part in design.parts}
    known = meshes or {}
    if far is None:
        far = max(FAR, _least_or_none(design, built))
    listed = [
        _Solid(titles.get(name, name), known.get(name) or body.mesh(_CHORDS))
        for name, body in built.bodies.items()
    ]
    listed += [
        _Solid(say_name(thing.name), thing.body.mesh(_CHORDS))
        for things in built.things.values()
        for thing in things
    ]
    pairs = []
    for one, other in itertools.combinations(listed, 2):
        if not alive():
            break
        if np.maximum(one.low - other.high, other.low - one.high).max() > far:
            continue
        pair = _between(one, other, far, placed=placed)
        if pair is not None:
            pairs.append(pair)
    order = {"unknown": 0, "into": 0, "pressed": 1, "touching": 2, "apart": 3}
    return sorted(pairs, key=lambda pair: (order[pair.how], pair.gap))


class _Solid:
    """A part or a thing as it is compared; what is dear is made at first use."""

    def __init__(self, name: str, mesh: Mesh) -> None:
        self.name, self.mesh = name, mesh
        self.low, self.high = mesh.points.min(axis=0), mesh.points.max(axis=0)

    @cached_property
    def solid(self) -> Manifold | None:
        return manifold_of(self.mesh)

    @cached_property
    def spots(self) -> Floats:
        """Corners and middles of triangles and of their sides."""
        mesh = self.mesh
        corners = mesh.points[mesh.triangles].astype(np.float64)
        return np.concatenate([mesh.points, corners.mean(axis=1), corners[:, :2].mean(axis=1)])

    @cached_property
    def tree(self) -> cKDTree:
        from scipy.spatial import cKDTree  # here: the window is up before it is loaded

        return cKDTree(self.spots)


def _between(one: _Solid, other: _Solid, far: float, *, placed: bool) -> Neighbours | None:
    def told(how: How, gap: float) -> Neighbours:
        return Neighbours(one.name, other.name, how, gap, _where(one, other) if placed else None)

    a, b = one.solid, other.solid
    if a is None or b is None:
        return told("unknown", 0.0)
    gap = float(a.min_gap(b, far))
    if gap >= far:
        return None
    if gap > TOUCHES:
        return told("apart", gap)
    shared = np.minimum(one.high, other.high) - np.maximum(one.low, other.low)
    common = a ^ b if shared.min() > TOUCHES else None
    surface = float(common.surface_area()) if common is not None else 0.0
    # What two things have in common is a thin skin where they are pressed together.
    deep = 2 * float(common.volume()) / surface if common is not None and surface > 0 else 0.0
    if common is None or deep <= TOUCHES:
        return told("touching", 0.0)
    box = common.bounding_box()
    middle = as_vector((box[k] + box[k + 3]) / 2 for k in range(3))
    how: How = "pressed" if deep <= _PRESSED else "into"
    return Neighbours(one.name, other.name, how, deep, middle)


def _where(one: _Solid, other: _Solid) -> Vector:
    """About where two are nearest: halfway between spots of theirs that are."""
    few, many = sorted((one, other), key=lambda solid: len(solid.spots))
    near = np.all((few.spots > many.low - FAR) & (few.spots < many.high + FAR), axis=1)
    mine = few.spots[near] if near.any() else few.spots
    far, which = many.tree.query(mine)
    k = int(np.argmin(np.asarray(far)))
    there = many.spots[int(np.asarray(which)[k])]
    return as_vector(float(c) for c in (mine[k] + there) / 2)


def failing_neighbours(
    design: Design, built: Rebuilt, meshes: Mapping[str, Mesh] | None = None
) -> list[Neighbours]:
    """Only those that keep :func:`fits_together` from holding, or may: what lies farther apart than
    is asked is not looked for."""
    far = max(2 * TOUCHES, _least_or_none(design, built))
    return neighbours(design, built, meshes, far=far, placed=False)


def fits_together(design: Design, built: Rebuilt, pairs: list[Neighbours]) -> list[Finding]:
    """Whether nothing runs into a bought part, and everything that does not touch keeps the least
    gap that the design asks for. Sent shapes are scaled and lie beside each other otherwise; they
    are not looked at."""
    if built.view.lens != "wanted":
        return []
    bought = {say_name(thing.name) for things in built.things.values() for thing in things}
    findings = []
    if bought:
        into = [p for p in pairs if p.how in _WRONG and (p.first in bought or p.second in bought)]
        title = "Nothing runs into what is bought"
        if into:
            hint = "Make room for it, or move it: a pocket, a larger gap, another place."
            findings.append(Finding(title, False, f"{into[0].words()}.", hint))
        else:
            findings.append(Finding(title, True, f"{len(bought)} of them at their places"))
    if design.least_gap.strip():
        findings.append(_least_gap(design, built, pairs))
    return findings


def _least_gap(design: Design, built: Rebuilt, pairs: list[Neighbours]) -> Finding:
    try:
        least = _least_of(design, built)
    except FormulaError as error:
        return Finding("Everything keeps its least gap", False, error.what, error.hint)
    title = f"What does not touch is {plain(least, 3)} mm apart at least"
    near = [p for p in pairs if p.how in _WRONG or (p.how == "apart" and p.gap < least - 1e-6)]
    if near:
        more = f" (and {len(near) - 1} more)" if len(near) > 1 else ""
        return Finding(title, False, f"{near[0].words()}{more}.", "Move one of them.")
    nearest = next((p for p in pairs if p.how == "apart"), None)
    return Finding(title, True, f"nearest: {nearest.words()}" if nearest else "nothing is near")


def _least_of(design: Design, built: Rebuilt) -> float:
    """The least gap that the design asks for, mm.

    Raises:
        FormulaError: where it has no value.
    """
    return built.table.compile(design.least_gap, LENGTH).value(built.table.env()).value


def _least_or_none(design: Design, built: Rebuilt) -> float:
    """The same, 0 where none is asked for, or what is asked has no value: its check says so."""
    try:
        return _least_of(design, built) if design.least_gap.strip() else 0.0
    except FormulaError:
        return 0.0
