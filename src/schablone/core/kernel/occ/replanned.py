"""What meets where after faces of a solid have gone on other surfaces: its corners, and what the
change uses up."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..frame import as_vector
from ..surfaces import Condition, Meridian, Surface, contact_of, met
from .curves_between import NEAR, NotCarried
from .skeleton import Skeleton

Floats = NDArray[np.float64]


@dataclass
class Plan:
    """What meets where after the change: corners that became one, edges that became one or are
    gone, faces that are gone."""

    skeleton: Skeleton
    surfaces: list[Surface | None]
    changed: set[int]
    corner_of: list[int] = field(default_factory=list)
    edge_of: list[int | None] = field(default_factory=list)
    gone: list[int] = field(default_factory=list)
    #: Faces beside a corner or an edge that stands for several.
    around: list[set[int]] = field(default_factory=list)
    beside: list[list[int]] = field(default_factory=list)
    points: dict[int, Floats] = field(default_factory=dict)

    def point(self, corner: int) -> Floats:
        """Where a corner lies after the change, mm."""
        return self.points.get(corner, self.skeleton.corners[corner])

    def ends(self, edge: int) -> tuple[int, int]:
        """The corners at which an edge begins and ends."""
        a, b = self.skeleton.edges[edge].ends
        return self.corner_of[a], self.corner_of[b]


def planned(skeleton: Skeleton, new: Mapping[int, Surface]) -> Plan:
    """What meets where with the faces of some numbers on new surfaces.

    Raises:
        NotCarried: where faces do not meet any more; it names them.
    """
    surfaces = [new.get(k, face.surface) for k, face in enumerate(skeleton.faces)]
    changed = {k for k, surface in new.items() if surface != skeleton.faces[k].surface}
    plan = Plan(
        skeleton,
        surfaces,
        changed,
        list(range(len(skeleton.corners))),
        list(range(len(skeleton.edges))),
        [],
        [set(one) for one in skeleton.around],
        [list(edge.faces) for edge in skeleton.edges],
    )
    _place_corners(plan, range(len(skeleton.corners)))
    _use_up(plan)
    return plan


# Corners


def _place_corners(plan: Plan, corners: Sequence[int] | range) -> None:
    for corner in corners:
        if plan.around[corner] & plan.changed or corner in plan.points:
            plan.points[corner] = _corner(plan, corner)


def _corner(plan: Plan, corner: int) -> Floats:
    """Where a corner lies after the change."""
    skeleton = plan.skeleton
    start = skeleton.corners[corner]
    faces = sorted(plan.around[corner] - set(plan.gone))
    conditions: list[Condition] = []
    carried: list[Floats] = []
    for k in faces:
        old, surface = skeleton.faces[k].surface, plan.surfaces[k]
        if old is None or surface is None:
            continue  # on a free surface a corner stays where it is: that is looked at below
        conditions.append(surface)
        if surface.is_round and k in plan.changed:
            carried.append(old.carried(start, surface))
    conditions += _regular(plan, corner)
    seams = _seams(plan, corner, faces)
    if carried:
        start = np.mean(carried, axis=0)
    point, off = met(start, [*conditions, *seams.values()])
    if off > NEAR and len(seams) > 1:
        # Seams that met in one corner need not do so any more: one of them is turned to the other.
        point, off = met(start, [*conditions, next(iter(seams.values()))])
        for k in list(seams)[1:]:
            _turn_seam(plan, k, point)
        seams = dict(list(seams.items())[:1])
    conditions += seams.values()
    worst = max((abs(c.distance(point)[0]) for c in conditions), default=off)
    free = any(skeleton.faces[k].surface is None for k in faces)
    if worst > NEAR or (free and float(np.linalg.norm(point - skeleton.corners[corner])) > NEAR):
        raise NotCarried("{faces} do not meet in one corner any more", faces)
    return point


def _seams(plan: Plan, corner: int, faces: Sequence[int]) -> dict[int, Meridian]:
    """The faces whose seams a corner lies on."""
    by_face: dict[int, Meridian] = {}
    for k in faces:
        surface = plan.surfaces[k]
        if surface is None or not surface.is_round or surface.kind == "ring":
            continue
        seams = plan.skeleton.faces[k].seams
        if any(corner in plan.skeleton.edges[edge].ends for edge in seams):
            by_face[k] = Meridian(surface)
    return by_face


def _turn_seam(plan: Plan, face: int, point: Floats) -> None:
    """Turn a round face about its axis so that its seam passes a point."""
    surface = plan.surfaces[face]
    assert surface is not None
    u, v, _ = surface.along(point)
    far = math.hypot(u, v)
    if far > NEAR:
        x = (u * np.array(surface.x) + v * np.array(surface.y)) / far
        plan.surfaces[face] = surface.with_(x=as_vector(x))
        plan.changed.add(face)


def _regular(plan: Plan, corner: int) -> list[Condition]:
    """The planes of contact of surfaces that only touch at a corner."""
    extra: list[Condition] = []
    for k in plan.around[corner]:
        for edge in plan.skeleton.faces[k].edges:
            one = plan.skeleton.edges[edge]
            if one.smooth and corner in one.ends and k == one.faces[0]:
                a, b = (plan.surfaces[f] for f in one.faces)
                contact = contact_of(a, b) if a is not None and b is not None else None
                if contact is not None:
                    extra.append(contact)
    return extra


# What is used up


def _use_up(plan: Plan) -> None:
    """Leave out narrow flat faces that the change turns inside out, one after the other, so that
    their neighbours meet."""
    for _ in range(len(plan.skeleton.faces)):
        turned = _turned_edges(plan)
        if not turned:
            return
        strip = next((s for s in _strips(plan, turned) if _try_without(plan, *s)), None)
        if strip is None:
            return


def _turned_edges(plan: Plan) -> dict[int, bool]:
    """Straight edges that run the other way after the change, or have shrunk to nothing (True)."""
    turned = {}
    for number, edge in enumerate(plan.skeleton.edges):
        if plan.edge_of[number] != number or not edge.straight:
            continue
        a, b = plan.ends(number)
        if a not in plan.points and b not in plan.points:
            continue
        was = plan.skeleton.corners[edge.ends[1]] - plan.skeleton.corners[edge.ends[0]]
        now = plan.point(b) - plan.point(a)
        turn = _turn_of(plan, number)
        far = float(np.linalg.norm(now))
        if far < 10 * NEAR:
            turned[number] = True
        elif float(now @ was) * turn < 0:
            turned[number] = False
    return turned


def _turn_of(plan: Plan, number: int) -> float:
    """Whether the line that two planes have in common still runs the same way: 1, else −1."""
    faces = plan.skeleton.edges[number].faces
    if len(faces) != 2:
        return 1.0
    old = [plan.skeleton.faces[k].surface for k in faces]
    now = [plan.surfaces[k] for k in faces]
    if any(s is None or s.kind != "plane" for s in (*old, *now)):
        return 1.0
    was, new = (
        np.cross(np.array(pair[0].way), np.array(pair[1].way))  # type: ignore[union-attr]
        for pair in (old, now)
    )
    return 1.0 if float(was @ new) >= 0 else -1.0


def _strips(plan: Plan, turned: Mapping[int, bool]) -> list[tuple[int, tuple[int, int], list[int]]]:
    """Flat faces all of whose edges but two have turned or shrunk: the face, these two, the
    others."""
    strips = []
    for k, face in enumerate(plan.skeleton.faces):
        surface = plan.surfaces[k]
        if k in plan.gone or surface is None or surface.kind != "plane" or len(face.loops) != 1:
            continue
        alive = list(
            dict.fromkeys(e for e in (plan.edge_of[edge] for edge in face.edges) if e is not None)
        )
        short = [edge for edge in alive if edge in turned]
        long = [edge for edge in alive if edge not in turned]
        if len(long) != 2 or not short or len(alive) > 4:
            continue
        flat = all(turned[edge] for edge in short)
        a, b = (next((f for f in plan.beside[edge] if f != k), None) for edge in long)
        if a is None or b is None or a == b:
            continue
        if flat or not _level(plan.surfaces[a], plan.surfaces[b]):
            strips.append((k, (long[0], long[1]), short))
    return strips


def _level(one: Surface | None, other: Surface | None) -> bool:
    """Whether two surfaces are parallel planes, which never meet."""
    if one is None or other is None or one.kind != "plane" or other.kind != "plane":
        return one is None or other is None
    return float(np.linalg.norm(np.cross(np.array(one.way), np.array(other.way)))) < 1e-9


def _try_without(plan: Plan, face: int, long: tuple[int, int], short: list[int]) -> bool:
    """Leave a face out; False, and nothing done, where its neighbours do not meet then."""
    kept = {name: deepcopy(value) for name, value in vars(plan).items() if name != "skeleton"}
    plan.gone.append(face)
    for edge in short:
        a, b = plan.ends(edge)
        plan.edge_of = [None if e == edge else e for e in plan.edge_of]
        plan.corner_of = [a if c == b else c for c in plan.corner_of]
        plan.around[a] |= plan.around[b]
        plan.around[a].discard(face)
    first, second = long
    others = [f for e in long for f in plan.beside[e] if f != face]
    plan.edge_of = [first if e == second else e for e in plan.edge_of]
    plan.beside[first] = others
    for number, corners in enumerate(plan.around):
        corners.discard(face)
        if plan.corner_of[number] == number and face in plan.skeleton.around[number]:
            plan.points[number] = plan.skeleton.corners[number]
    try:
        _place_corners(
            plan,
            [c for c in plan.points if plan.corner_of[c] == c],
        )
    except NotCarried:
        vars(plan).update(kept)
        return False
    return True
