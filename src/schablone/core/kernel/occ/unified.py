"""Faces that lie on one plane and meet, made one: as they come out of booleans and of other
programs' files."""

from __future__ import annotations

from collections.abc import Sequence

from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.TopoDS import TopoDS_Shape

from .history import listed
from .skeleton import Skeleton, skeleton_of
from .solids import faces_of


def unified(skeleton: Skeleton) -> tuple[Skeleton, tuple[int, ...]]:
    """The solid with each flat face in one piece, and the face there of each face here. Round faces
    stay in the pieces that they have."""
    level = {k for k, face in enumerate(skeleton.faces) if _is_flat(skeleton, k)}
    split = [
        edge
        for edge in skeleton.edges
        if edge.smooth and len(edge.faces) == 2 and set(edge.faces) <= level
    ]
    if not split:
        return skeleton, tuple(range(len(skeleton.faces)))
    maker = ShapeUpgrade_UnifySameDomain(skeleton.shape, True, True, False)
    parting = {id(edge) for edge in split}
    for edge in skeleton.edges:
        if edge.smooth and id(edge) not in parting:
            maker.KeepShape(edge.shape)
    maker.Build()
    history, shape = maker.History(), maker.Shape()
    now = faces_of(shape)
    numbers = []
    for face in skeleton.faces:
        after = listed(history.Modified(face.shape)) or [face.shape]
        numbers.append(_number(now, after))
    if None in numbers:
        return skeleton, tuple(range(len(skeleton.faces)))
    return skeleton_of(shape), tuple(k for k in numbers if k is not None)


def _is_flat(skeleton: Skeleton, face: int) -> bool:
    surface = skeleton.faces[face].surface
    return surface is not None and surface.kind == "plane"


def _number(faces: Sequence[TopoDS_Shape], among: Sequence[TopoDS_Shape]) -> int | None:
    return next((k for k, face in enumerate(faces) if any(face.IsSame(one) for one in among)), None)
