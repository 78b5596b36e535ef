"""Rounded edges of a solid without history: which of its faces they are, and how they stand on each
other."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..surfaces import Surface
from .skeleton import Skeleton


@dataclass(frozen=True, slots=True)
class Rounding:
    """A rounded edge: its face, the two faces that it leads over between, its radius, mm, and the
    number of the edge in the solid without it. A corner where several meet has neither."""

    face: int
    between: tuple[int, int] | None
    radius: float
    edge: int = -1


def roundings_of(skeleton: Skeleton) -> list[Rounding]:
    """The faces that lead smoothly from one face over to another: parts of cylinders between two
    faces, parts of rings about round ones, and what lies where such meet."""
    roundings: dict[int, Rounding] = {}
    for k, face in enumerate(skeleton.faces):
        surface = face.surface
        if surface is None or surface.kind not in ("cylinder", "ring"):
            continue
        beside = _smoothly_beside(skeleton, k)
        if len(beside) == 2 and _leads_over(skeleton, surface, beside):
            radius = surface.radius if surface.kind == "cylinder" else surface.second
            roundings[k] = Rounding(k, (beside[0], beside[1]), radius)
    edges = frozenset(roundings)
    for k, face in enumerate(skeleton.faces):
        around, surface = skeleton.beside[k], face.surface
        if k in roundings or len(around) < 2 or (surface is not None and surface.kind == "plane"):
            continue
        if all(b in edges for b in around):
            roundings[k] = Rounding(k, None, surface.radius if surface is not None else 0.0)
    return list(roundings.values())


def _smoothly_beside(skeleton: Skeleton, face: int) -> list[int]:
    """The faces that a face goes on into along its length: where a rounding only ends at another
    one, that is none."""
    beside: list[int] = []
    for number in skeleton.faces[face].edges:
        edge = skeleton.edges[number]
        if not edge.smooth or len(edge.faces) != 2 or not runs_along(skeleton, face, number):
            continue
        other = edge.faces[0] if edge.faces[1] == face else edge.faces[1]
        if other not in beside:
            beside.append(other)
    return beside


def runs_along(skeleton: Skeleton, face: int, edge: int) -> bool:
    """Whether an edge runs along a rounding, and not across it: along a cylinder's axis, about a
    ring's."""
    surface, one = skeleton.faces[face].surface, skeleton.edges[edge]
    if surface is None or surface.kind not in ("cylinder", "ring"):
        return False
    if surface.kind == "cylinder":
        return one.straight
    heights = [surface.along(p)[2] for p in (*(skeleton.corners[c] for c in one.ends), one.middle)]
    return bool(max(heights) - min(heights) < 1e-6 * max(1.0, surface.radius))


def _leads_over(skeleton: Skeleton, surface: Surface, beside: Sequence[int]) -> bool:
    """Whether a round face leads from one of two faces over to the other, and does not only end
    both, as the end of a slot does."""
    one, other = (skeleton.faces[k].surface for k in beside)
    if one is None or other is None:
        return False
    if surface.kind == "cylinder":
        if one.kind == other.kind == "plane":
            return float(np.linalg.norm(np.cross(one.way, other.way))) > 1e-6
        return {one.kind, other.kind} <= {"plane", "cylinder"} and one.kind != other.kind
    return "plane" in (one.kind, other.kind) or one.kind != other.kind


def uppermost(skeleton: Skeleton, roundings: Sequence[Rounding]) -> list[list[Rounding]]:
    """Of all roundings, in groups that go on into each other, those groups on which no other
    stands: what was rounded last."""
    groups = chains(skeleton, roundings)
    of = {one.face: n for n, group in enumerate(groups) for one in group}
    stood_on = {
        of[k]
        for n, group in enumerate(groups)
        for one in group
        for k in one.between or ()
        if k in of and of[k] != n
    }
    return [group for n, group in enumerate(groups) if n not in stood_on]


def chains(skeleton: Skeleton, roundings: Sequence[Rounding]) -> list[list[Rounding]]:
    """Roundings that end at each other, together: they are made in one go."""
    ends: dict[int, set[int]] = {one.face: set() for one in roundings}
    for number, edge in enumerate(skeleton.edges):
        if len(edge.faces) == 2 and all(k in ends for k in edge.faces):
            a, b = edge.faces
            if not runs_along(skeleton, a, number) and not runs_along(skeleton, b, number):
                ends[a].add(b)
                ends[b].add(a)
    left = {one.face: one for one in roundings}
    groups: list[list[Rounding]] = []
    while left:
        todo, group = [next(iter(left))], list[Rounding]()
        while todo:
            face = todo.pop()
            if face in left:
                group.append(left.pop(face))
                todo += ends[face]
        groups.append(group)
    return groups


def by_face(roundings: Iterable[Rounding]) -> Mapping[int, Rounding]:
    """Roundings by the number of their face."""
    return {one.face: one for one in roundings}
