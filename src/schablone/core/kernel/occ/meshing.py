"""Meshes of kernel solids.

Flat faces, cylinders and cones get their triangles one by one (:mod:`.face_nets`). Where a part has
any other face, the kernel's general mesher does the whole of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.gp import gp_Pnt
from OCP.IMeshTools import (
    IMeshTools_MeshAlgoType,
    IMeshTools_MeshAlgoType_Delabella,
    IMeshTools_MeshAlgoType_Watson,
    IMeshTools_Parameters,
)
from OCP.TopAbs import TopAbs_REVERSED
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape

from ...sketch.curves import WIDEST_STEP
from ..mesh import FINE, Floats, Lines, Mesh
from ..threads import has_threads
from .edge_lines import line_of
from .face_nets import Net, NotSimple, net_of
from .history import edges_beside
from .kept import KeptByShape
from .round_walls import moved_out
from .solids import Solid, area_of, faces_of

_EMPTY = Net(
    np.empty((0, 3)), np.empty((0, 3), dtype=np.int32), np.empty((0, 3, 3), dtype=np.float32)
)
#: The widest angle, radians, between neighbouring triangles of free surfaces where they are only
#: looked at.
_FOR_LOOKING = 0.4
#: A face of so little area, mm², may have no triangles.
_NOTHING = 1e-6
#: What the kernel's own mesher made of whole solids: who checks one and who shows it ask alike.
_KEPT: KeptByShape[list[Net]] = KeptByShape(
    64_000_000, lambda nets: 500 + sum(net.size for net in nets)
)


def mesh_of(solid: Solid, tolerance: float) -> Mesh:
    """The mesh of a solid, chords within ``tolerance`` mm."""
    one_by_one = _by_faces(solid, tolerance)
    if one_by_one is not None:
        return one_by_one
    general = _KEPT.get(solid.shape, tolerance, lambda: _general(solid, tolerance))
    mesh = _joined(solid, general, tolerance)
    if tolerance > FINE:
        return mesh  # to be looked at
    points = moved_out(mesh.points, mesh.triangles, mesh.face_of, list(solid.faces()))
    return replace(mesh, points=points)


def _by_faces(solid: Solid, tolerance: float) -> Mesh | None:
    """The mesh of faces that each have triangles of their own; None where one is of another kind,
    or they leave a gap."""
    try:
        nets = [net_of(TopoDS.Face_s(face), tolerance) for face in solid.faces()]
    except NotSimple:
        return None
    mesh = _joined(solid, nets, tolerance)
    return mesh if mesh.is_closed() else None


def _joined(solid: Solid, nets: Sequence[Net], tolerance: float) -> Mesh:
    """One mesh of those of all faces, which share the points of their edges."""
    everything = np.concatenate([net.points for net in nets])
    starts = np.cumsum([0, *(len(net.points) for net in nets)])[:-1]
    rows = np.concatenate([net.triangles + start for net, start in zip(nets, starts, strict=True)])
    _, first, number = np.unique(
        np.round(everything, 6), axis=0, return_index=True, return_inverse=True
    )
    merged = number.reshape(-1)[rows]
    whole = (
        (merged[:, 0] != merged[:, 1])
        & (merged[:, 1] != merged[:, 2])
        & (merged[:, 2] != merged[:, 0])
    )
    counts = [len(net.triangles) for net in nets]
    return Mesh(
        everything[first],
        merged[whole].astype(np.int32),
        np.repeat(np.arange(len(nets), dtype=np.int32), counts)[whole],
        np.concatenate([net.normals for net in nets])[whole],
        solid.names,
        Lines(lambda: _edges_drawn(solid, tolerance)),
    )


def _edges_drawn(
    solid: Solid, tolerance: float
) -> tuple[tuple[Floats, ...], tuple[tuple[int, int], ...]]:
    """The edges to be drawn, each with the numbers of its two faces; seams of one face, and of
    pieces of one, are left out."""
    drawn, between = [], []
    for edge, beside in edges_beside(solid.shape):
        a, b = min(beside), max(beside)
        if solid.names[a] == solid.names[b]:
            continue  # a seam, or pieces of one surface that go on into each other
        line = line_of(edge, tolerance)
        if len(line):
            drawn.append(line)
            between.append((a, b))
    return tuple(drawn), tuple(between)


def _general(solid: Solid, tolerance: float) -> list[Net]:
    """The triangles of all faces by the kernel's own mesher.

    Its Delabella triangulation is some ten times faster than its usual one, which takes over where
    it leaves a face out.

    Raises:
        ValueError: where a face cannot be made a mesh.
    """
    for way in (IMeshTools_MeshAlgoType_Delabella, IMeshTools_MeshAlgoType_Watson):
        # The mesher keeps what it makes on faces and edges, which other solids may have in common
        # with this one: it gets its own.
        copy = BRepBuilderAPI_Copy(solid.shape, False, False).Shape()
        _triangulate(copy, tolerance, way)
        nets = [_put_on(TopoDS.Face_s(shape)) for shape in faces_of(copy)]
        if all(net is not None for net in nets):
            return [net for net in nets if net is not None]
    lost = next(name for name, net in zip(solid.names, nets, strict=True) if net is None)
    raise ValueError(f"the {lost.words()} cannot be made a mesh")


def _triangulate(shape: TopoDS_Shape, tolerance: float, way: IMeshTools_MeshAlgoType) -> None:
    """Have the kernel put triangles on all faces. The least size of a triangle keeps it from
    splitting free surfaces far below what the tolerance asks for."""
    wanted = IMeshTools_Parameters()
    wanted.MeshAlgo = way
    wanted.Deflection, wanted.Angle = tolerance, WIDEST_STEP if tolerance <= 0.02 else _FOR_LOOKING
    wanted.DeflectionInterior, wanted.AngleInterior = 2 * tolerance, 2 * wanted.Angle
    wanted.MinSize = min(10 * tolerance, 0.3)
    wanted.InParallel = has_threads()
    BRepMesh_IncrementalMesh(shape, wanted)


def _put_on(face: TopoDS_Face) -> Net | None:
    """The triangles that the kernel put on a face; None where it put none."""
    location = TopLoc_Location()
    net = BRep_Tool.Triangulation_s(face, location)
    if net is None or not net.NbTriangles():
        return _EMPTY if area_of(face) < _NOTHING else None
    points = np.array([(p.X(), p.Y(), p.Z()) for p in map(net.Node, range(1, net.NbNodes() + 1))])
    if not location.IsIdentity():
        place = location.Transformation()
        moved = [gp_Pnt(*p).Transformed(place) for p in points.tolist()]
        points = np.array([(p.X(), p.Y(), p.Z()) for p in moved])
    triangles = (
        np.array([net.Triangle(k).Get() for k in range(1, net.NbTriangles() + 1)], dtype=np.int32)
        - 1
    )
    if face.Orientation() == TopAbs_REVERSED:
        triangles = triangles[:, [0, 2, 1]]
    return Net(points, triangles, _smooth(points, triangles)[triangles].astype(np.float32))


def _smooth(points: Floats, triangles: NDArray[np.int32]) -> Floats:
    """Unit normals (n, 3) at the points of one face: those of the triangles around each, by their
    areas."""
    a, b, c = (points[triangles[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    summed = np.zeros_like(points)
    for k in range(3):
        np.add.at(summed, triangles[:, k], across)
    length = np.linalg.norm(summed, axis=1, keepdims=True)
    normals: Floats = summed / np.maximum(length, 1e-30)
    return normals
