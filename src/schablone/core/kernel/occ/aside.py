"""Holes, pockets and bosses that lie apart from a tool, set aside while a boolean is worked out.

A boolean costs time for every face of a part, also for those that the tool never comes near: a lid
with a hundred vents takes ten times as long as one without. What hangs on the rest of a part by
inner outlines of flat faces only, and lies in another place than the tool, can be left out and put
back afterwards: with C for what it encloses, (S ∪ C) op T is the same as (S op T) ∪ C where C and T
have nothing in common, and so for what stands out. Whether it is so is told by boxes, on the safe
side; the volume at the end must be what it must be.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepTopAdaptor import BRepTopAdaptor_FClass2d
from OCP.ElSLib import ElSLib
from OCP.gp import gp_Pnt2d
from OCP.TopAbs import TopAbs_IN, TopAbs_SHELL, TopAbs_SOLID, TopAbs_VERTEX
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import (
    TopoDS,
    TopoDS_Face,
    TopoDS_Shape,
    TopoDS_Wire,
)
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from ..naming import FaceName
from .face_boxes import roomy_box
from .face_facts import PLANE, facts_of, run_both_ways
from .history import count_of
from .outlines import drawn_with, wires_of
from .solids import Made, Solid, enclosed_by

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]

#: So far, mm, what is set aside must lie from a tool, and from everything that it does not hang on.
_APART = 1e-3
#: With fewer faces to be set aside the boolean is done at once.
_WORTH = 16
#: Planes are the same up to this: mm, and the length of the difference of unit normals.
_LEVEL, _LEANS = 1e-7, 1e-9
#: By what share volumes may differ from what they must be.
_SAME = 1e-9


@dataclass(frozen=True, slots=True)
class _Gap:
    """An outline that was taken from a flat face, as the face is drawn, and that face."""

    wire: TopoDS_Wire
    face: TopoDS_Face


@dataclass(frozen=True)
class Aside:
    """The ``rest`` of a solid, the faces that were set aside with their names, the outlines that
    were taken from faces of the rest, and how much more volume, mm³, the whole has than the
    rest."""

    rest: Solid
    faces: tuple[TopoDS_Shape, ...]
    names: tuple[FaceName, ...]
    gaps: tuple[_Gap, ...]
    volume: float

    def put_back(self, made: Solid) -> Solid | None:
        """What became of the rest, with everything that was set aside; None where it does not fit
        in any more."""
        if count_of(made.shape, TopAbs_SOLID) != 1 or count_of(made.shape, TopAbs_SHELL) != 1:
            return None
        faces = made.faces()
        wires: dict[int, list[TopoDS_Wire]] = {}
        level = _Level(faces)
        for gap in self.gaps:
            home = level.home(gap)
            if home is None:
                return None
            wires.setdefault(home[0], []).append(home[1])
        for number, more in wires.items():
            face = TopoDS.Face_s(faces[number])
            faces[number] = drawn_with(face, [*wires_of(face), *more])
        whole = Solid(enclosed_by([*faces, *self.faces]), (*made.names, *self.names))
        must = made.volume + self.volume
        fits = abs(whole.volume - must) <= _SAME * max(must, made.volume)
        return whole if fits and run_both_ways(whole.faces()) else None


class _Level:
    """Faces of a solid in which outlines are to be put back, found by their planes."""

    def __init__(self, faces: Sequence[TopoDS_Shape]) -> None:
        self.faces = faces
        rows = [facts_of(face).row for face in faces]
        self.flat = np.array([row[2] == PLANE for row in rows])
        self.at = np.array([row[3] for row in rows])
        self.way = np.array([row[4] for row in rows])
        self._told: dict[int, BRepTopAdaptor_FClass2d] = {}
        self._levels: dict[int, list[int]] = {}

    def home(self, gap: _Gap) -> tuple[int, TopoDS_Wire] | None:
        """The number of the face that an outline lies on, and the outline as that face must have
        it; None where there is none, or more than one."""
        key = hash(gap.face)
        if key not in self._levels:
            _, _, _, at, way, _ = facts_of(gap.face).row
            away = np.abs((self.at - np.array(at)) @ np.array(way))
            leans = np.linalg.norm(self.way - np.array(way), axis=1)
            flats = np.nonzero(self.flat & (away < _LEVEL) & (leans < _LEANS))[0]
            self._levels[key] = flats.tolist()
        homes = self._levels[key]
        if len(homes) > 1:
            homes = [number for number in homes if self._holds(number, gap.wire)]
        if len(homes) != 1:
            return None
        # Both look the same way; drawn the other way round, a face has its outlines turned.
        turned = gap.face.Orientation() != self.faces[homes[0]].Orientation()
        return homes[0], TopoDS.Wire_s(gap.wire.Reversed()) if turned else gap.wire

    def _holds(self, number: int, wire: TopoDS_Wire) -> bool:
        face = TopoDS.Face_s(self.faces[number])
        if number not in self._told:
            self._told[number] = BRepTopAdaptor_FClass2d(face, _LEVEL)
        corner = TopoDS.Vertex_s(TopExp_Explorer(wire, TopAbs_VERTEX).Current())
        plane = facts_of(face).plane
        place = gp_Pnt2d(*ElSLib.Parameters_s(plane, BRep_Tool.Pnt_s(corner)))
        return bool(self._told[number].Perform(place) == TopAbs_IN)


def set_aside(solid: Solid, operation: str, made: Sequence[Made]) -> Aside | None:
    """What of a solid lies apart from the tools of a boolean; None where that is not worth while,
    or not so simple."""
    if operation not in ("add", "cut") or len(solid.names) < _WORTH:
        return None
    if count_of(solid.shape, TopAbs_SOLID) != 1 or count_of(solid.shape, TopAbs_SHELL) != 1:
        return None
    faces = solid.faces()
    hanging = _hanging(faces)
    if hanging is None:
        return None
    boxes = np.array([roomy_box(shape) for shape, _ in made])
    gone = hanging.apart(boxes)
    if int(gone.sum()) < _WORTH:
        return None
    gaps: list[_Gap] = []
    left: list[TopoDS_Shape] = []
    for number in np.nonzero(~gone)[0].tolist():
        face = TopoDS.Face_s(faces[number])
        taken = [
            wire
            for wire, beside in zip(facts_of(face).inner, hanging.beside[number], strict=True)
            if gone[beside].any()
        ]
        gaps += [_Gap(wire, face) for wire in taken]
        left.append(_without(face, taken) if taken else face)
    names = [name for name, away in zip(solid.names, gone.tolist(), strict=True) if not away]
    aside = np.nonzero(gone)[0].tolist()
    rest = Solid(enclosed_by(left), tuple(names))
    if not run_both_ways(left):
        return None
    return Aside(
        rest, tuple(faces[k] for k in aside), tuple(solid.names[k] for k in aside), tuple(gaps),
        solid.volume - rest.volume,
    )  # fmt: skip


def only_near(solid: Solid, shape: TopoDS_Shape) -> Solid:
    """A solid without what can be set aside of it for a shape: where they meet it is the same."""
    aside = set_aside(solid, "cut", [(shape, [])])
    return solid if aside is None else aside.rest


@dataclass(frozen=True, slots=True)
class _Hanging:
    """The faces of a solid in groups that hang on each other by inner outlines only: the group of
    each face (n,); for each face the faces beside each of its inner outlines; which group hangs on
    which face; and the boxes (n, 3) around faces and groups."""

    group: Ints
    beside: Sequence[Sequence[Ints]]
    hangs: NDArray[np.bool_]
    low: Floats
    high: Floats
    group_low: Floats
    group_high: Floats

    def apart(self, boxes: Floats) -> NDArray[np.bool_]:
        """Which faces (n,) can be set aside for tools within boxes (t, 2, 3): those of groups that
        no tool comes near, nor anything else but the faces that they hang on, with all that hangs
        on them. What all others hang on stays."""
        size = (self.group_high - self.group_low).prod(axis=1)
        stays: NDArray[np.bool_] = np.any(
            _meets(self.group_low, self.group_high, boxes[:, 0], boxes[:, 1]), axis=1
        )
        stays[int(np.argmax(size))] = True
        # Faces that come near a group without being what it hangs on, be it by another.
        close = _meets(self.group_low, self.group_high, self.low, self.high) & ~self._above()
        while True:
            kept = stays[self.group]
            # A group stays with any that hangs on it, and where something that stays comes near.
            on = np.zeros_like(stays)
            np.logical_or.at(on, self.group, self.hangs[stays].any(axis=0))
            more = stays | on | (close & kept).any(axis=1)
            if (more == stays).all():
                return ~kept
            stays = more

    def _above(self) -> NDArray[np.bool_]:
        """What each group hangs on, with what that hangs on, and so on: (groups, n)."""
        above = self.hangs
        while True:
            more = above.copy()
            for number, on in enumerate(above):
                more[number] |= above[np.unique(self.group[on])].any(axis=0)
            if (more == above).all():
                return above
            above = more


def _meets(low: Floats, high: Floats, others_low: Floats, others_high: Floats) -> NDArray[np.bool_]:
    """Which boxes (a, 3) come near which others (b, 3): (a, b)."""
    near = (low[:, None] - _APART <= others_high) & (high[:, None] + _APART >= others_low)
    meets: NDArray[np.bool_] = np.all(near, axis=2)
    return meets


def _hanging(faces: Sequence[TopoDS_Shape]) -> _Hanging | None:
    """How the faces of a solid hang on each other; None where all of them go on into each other."""
    facts = [facts_of(face) for face in faces]
    count = len(facts)
    # Every edge lies between two faces: which they are, and whether it is in an inner outline.
    around: dict[int, list[int]] = {}
    for k, one in enumerate(facts):
        for edge in one.outer_edges:
            around.setdefault(edge, []).append(k)
    pairs = [(run[0], other) for run in around.values() for other in run[1:]]
    beside: list[list[Ints]] = []
    hung: list[tuple[int, Ints]] = []
    for k, one in enumerate(facts):
        mine = []
        for edges in one.inner_edges:
            if any(edge not in around for edge in edges):
                return None  # in inner outlines on both sides
            others = sorted({other for edge in edges for other in around[edge]})
            pairs += [(others[0], other) for other in others[1:]]
            mine.append(np.array(others, dtype=np.intp))
            hung.append((k, mine[-1]))
        beside.append(mine)
    if not hung:
        return None
    a, b = np.array(pairs, dtype=np.intp).reshape(-1, 2).T
    graph = coo_array((np.ones(len(a), dtype=bool), (a, b)), shape=(count, count))
    groups, numbers = connected_components(graph, directed=False)
    group: Ints = numbers.astype(np.intp)
    if groups == 1:
        return None
    hangs = np.zeros((groups, count), dtype=bool)
    for k, on in hung:
        hangs[group[on], k] = True
    hangs[group, np.arange(count)] = True
    boxes = np.array([one.box for one in facts])
    low, high = boxes[:, 0], boxes[:, 1]
    group_low, group_high = np.full((groups, 3), math.inf), np.full((groups, 3), -math.inf)
    np.minimum.at(group_low, group, low)
    np.maximum.at(group_high, group, high)
    return _Hanging(group, beside, hangs, low, high, group_low, group_high)


def _without(face: TopoDS_Face, taken: Sequence[TopoDS_Wire]) -> TopoDS_Face:
    """A face without some of its outlines."""
    gone = {hash(wire) for wire in taken}
    return drawn_with(face, [wire for wire in wires_of(face) if hash(wire) not in gone])
