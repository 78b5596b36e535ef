"""Meshes of kernel solids.

Edges are divided once, so that neighbouring faces share their points and the mesh is closed. Flat
faces are cut by ear clipping, cylinders and other walls between two lines by a zipper; only what is
neither goes to the kernel's general mesher, and then the whole body does.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy
from OCP.BRepGProp import BRepGProp
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools_WireExplorer
from OCP.GCPnts import GCPnts_TangentialDeflection
from OCP.GeomAbs import GeomAbs_Cylinder, GeomAbs_Plane
from OCP.gp import gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.IMeshTools import (
    IMeshTools_MeshAlgoType,
    IMeshTools_MeshAlgoType_Delabella,
    IMeshTools_MeshAlgoType_Watson,
    IMeshTools_Parameters,
)
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_REVERSED, TopAbs_WIRE
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

from ...sketch.curves import WIDEST_STEP
from ..mesh import Floats, Mesh
from ..triangles import triangulate
from .history import faces_around
from .rehearsal import has_threads
from .solids import Solid, faces_of

#: The widest angle, radians, between neighbouring triangles of free surfaces where they are only
#: looked at.
_FOR_LOOKING = 0.4
#: A face of so little area, mm², may have no triangles.
_NOTHING = 1e-6


class _NotSimple(Exception):
    """A face that neither ear clipping nor the zipper can do."""


def mesh_of(solid: Solid, tolerance: float) -> Mesh:
    """The mesh of a solid, chords within ``tolerance`` mm."""
    edges = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(solid.shape, TopAbs_EDGE, edges)
    try:
        return _Own(solid, edges, tolerance).mesh()
    except _NotSimple:
        return _general(solid, edges, tolerance)


def _edge_lines(edges: TopTools_IndexedMapOfShape, tolerance: float) -> list[Floats]:
    """Points along every edge, ends included; an edge without extent gives an empty array."""
    lines: list[Floats] = []
    for i in range(edges.Extent()):
        edge = TopoDS.Edge_s(edges.FindKey(i + 1))
        if BRep_Tool.Degenerated_s(edge):
            lines.append(np.empty((0, 3)))
            continue
        curve = BRepAdaptor_Curve(edge)
        points = GCPnts_TangentialDeflection(curve, WIDEST_STEP, tolerance)
        values = [points.Value(k + 1) for k in range(points.NbPoints())]
        lines.append(np.array([(p.X(), p.Y(), p.Z()) for p in values]))
    return lines


class _Own:
    def __init__(self, solid: Solid, edges: TopTools_IndexedMapOfShape, tolerance: float) -> None:
        self.solid, self.edges = solid, edges
        self.lines = _edge_lines(edges, tolerance)
        self.numbers: dict[tuple[float, ...], int] = {}
        self.points: list[list[float]] = []
        self.edge_points = [self._numbered(line) for line in self.lines]
        self.places = np.array(self.points)

    def _numbered(self, line: Floats) -> list[int]:
        found = []
        for point, key in zip(line.tolist(), map(tuple, np.round(line, 6).tolist()), strict=True):
            if key not in self.numbers:
                self.numbers[key] = len(self.points)
                self.points.append(point)
            found.append(self.numbers[key])
        return found

    def mesh(self) -> Mesh:
        triangles, face_of, normals = [], [], []
        for index, shape in enumerate(self.solid.faces()):
            face = TopoDS.Face_s(shape)
            surface = BRepAdaptor_Surface(face)
            flip = face.Orientation() == TopAbs_REVERSED
            if surface.GetType() == GeomAbs_Plane:
                found, corners = self.flat(face, surface, flip)
            elif surface.GetType() == GeomAbs_Cylinder:
                found, corners = self.cylinder(face, surface, flip)
            else:
                raise _NotSimple
            triangles.append(found)
            normals.append(corners)
            face_of.append(np.full(len(found), index, dtype=np.int32))
        lines, between = _named_edges(self.solid, self.edges, self.lines)
        return Mesh(
            self.places,
            np.concatenate(triangles).astype(np.int32),
            np.concatenate(face_of),
            np.concatenate(normals).astype(np.float32),
            self.solid.names,
            lines,
            between,
        )

    def rings(self, face: TopoDS_Shape) -> list[list[int]]:
        """Point numbers round each wire of a face."""
        rings = []
        wires = TopExp_Explorer(face, TopAbs_WIRE)
        while wires.More():
            ring: list[int] = []
            walk = BRepTools_WireExplorer(TopoDS.Wire_s(wires.Current()), TopoDS.Face_s(face))
            while walk.More():
                edge = walk.Current()
                line = self.edge_points[self.edges.FindIndex(edge) - 1]
                ring += (line[::-1] if edge.Orientation() == TopAbs_REVERSED else line)[:-1]
                walk.Next()
            rings.append(ring)
            wires.Next()
        return rings

    def flat(
        self, face: TopoDS_Shape, surface: BRepAdaptor_Surface, flip: bool
    ) -> tuple[NDArray[np.int32], Floats]:
        axes = surface.Plane().Position()
        x, y = axes.XDirection(), axes.YDirection()
        basis = np.array([(x.X(), x.Y(), x.Z()), (y.X(), y.Y(), y.Z())])
        normal = np.cross(basis[0], basis[1]) * (-1.0 if flip else 1.0)
        rings = self.rings(face)
        points = self.places
        flat = [points[ring] @ basis.T for ring in rings]
        areas = [
            abs(np.sum(r[:, 0] * np.roll(r[:, 1], -1) - r[:, 1] * np.roll(r[:, 0], -1)))
            for r in flat
        ]
        order = np.argsort(areas)[::-1]
        local = triangulate([flat[i] for i in order])
        numbers = np.concatenate([rings[i] for i in order])
        triangles = numbers[local[:, ::-1] if flip else local]
        return triangles, np.broadcast_to(normal, (len(triangles), 3, 3))

    def cylinder(
        self, face: TopoDS_Shape, surface: BRepAdaptor_Surface, flip: bool
    ) -> tuple[NDArray[np.int32], Floats]:
        """A cylinder face between a lower and an upper line that both run round it in one
        direction."""
        axes = surface.Cylinder().Position()
        origin, up = axes.Location(), axes.Direction()
        o, n = np.array([origin.X(), origin.Y(), origin.Z()]), np.array([up.X(), up.Y(), up.Z()])
        x = axes.XDirection()
        ex = np.array([x.X(), x.Y(), x.Z()])
        ey = np.cross(n, ex)
        if not axes.Direct():  # left-handed: the kernel's normal points to the axis
            flip = not flip
        chains = self.chains(face, n)
        if len(chains) != 2:
            raise _NotSimple
        points = self.places
        ordered = []
        for chain, turn in chains:
            d = points[chain] - o
            angle = np.unwrap(np.arctan2(d @ ey, d @ ex))
            if turn < 0:
                chain, angle = chain[::-1], angle[::-1]
            if np.any(np.diff(angle) <= 0):
                raise _NotSimple
            ordered.append((np.array(chain), angle, float(np.mean(d @ n))))
        ordered.sort(key=lambda item: item[2])
        (low, low_angle, low_height), (high, high_angle, high_height) = ordered
        if high_height - low_height < 1e-9:
            raise _NotSimple
        turns = round((low_angle[0] - high_angle[0]) / (2 * np.pi))
        high_angle = high_angle + turns * 2 * np.pi
        if abs(low_angle[0] - high_angle[0]) > 0.01 or abs(low_angle[-1] - high_angle[-1]) > 0.01:
            raise _NotSimple
        triangles = np.array(_zip(low, low_angle, high, high_angle))
        d = points[triangles] - o
        radial = d - (d @ n)[..., None] * n
        radial /= np.linalg.norm(radial, axis=-1, keepdims=True)
        if flip:
            return triangles[:, ::-1], -radial[:, ::-1]
        return triangles, radial

    def chains(self, face: TopoDS_Shape, up: Floats) -> list[tuple[list[int], int]]:
        """The lines of a cylinder face that are not upright, joined, each with the way it turns
        (±1)."""
        chains: list[list[int]] = []
        for ring in self._ring_edges(face):
            current: list[int] = []
            joined: list[list[int]] = []
            for line, upright in ring:
                if upright:
                    if current:
                        joined.append(current)
                    current = []
                else:
                    current = [*current[:-1], *line] if current else list(line)
            if current:
                if joined and not ring[0][1] and joined[0][0] == current[-1]:
                    joined[0] = [*current[:-1], *joined[0]]
                else:
                    joined.append(current)
            chains += joined
        result = []
        for chain in chains:
            if len(chain) < 2:
                raise _NotSimple
            axis = self.places[chain]
            middle = axis.mean(axis=0)
            if chain[0] == chain[-1]:
                swept = _turned(axis - middle, up)
            else:
                swept = self._turn_about_axis(face, axis, up)
            if abs(swept) < 1e-12:
                raise _NotSimple
            result.append((chain, 1 if swept > 0 else -1))
        return result

    @staticmethod
    def _turn_about_axis(face: TopoDS_Shape, line: Floats, up: Floats) -> float:
        origin = BRepAdaptor_Surface(TopoDS.Face_s(face)).Cylinder().Position().Location()
        d = line - np.array([origin.X(), origin.Y(), origin.Z()])
        return _turned(d, up)

    def _ring_edges(self, face: TopoDS_Shape) -> list[list[tuple[list[int], bool]]]:
        rings = []
        wires = TopExp_Explorer(face, TopAbs_WIRE)
        axis = BRepAdaptor_Surface(TopoDS.Face_s(face)).Cylinder().Axis().Direction()
        up = np.array([axis.X(), axis.Y(), axis.Z()])
        while wires.More():
            ring = []
            walk = BRepTools_WireExplorer(TopoDS.Wire_s(wires.Current()), TopoDS.Face_s(face))
            while walk.More():
                edge = walk.Current()
                line = self.edge_points[self.edges.FindIndex(edge) - 1]
                if edge.Orientation() == TopAbs_REVERSED:
                    line = line[::-1]
                d = self.places[line[-1]] - self.places[line[0]]
                upright = len(line) == 2 and math.dist(d, (d @ up) * up) < 1e-6 * max(
                    1.0, math.hypot(*d)
                )
                ring.append((line, bool(upright)))
                walk.Next()
            rings.append(ring)
            wires.Next()
        return rings


def _turned(line: Floats, up: Floats) -> float:
    """Twice the area that a line (n, 3) sweeps about the origin, seen against an axis."""
    (ax, ay, az), (bx, by, bz) = line[:-1].T, line[1:].T
    x, y, z = ay @ bz - az @ by, az @ bx - ax @ bz, ax @ by - ay @ bx
    return float(x * up[0] + y * up[1] + z * up[2])


def _zip(
    low: NDArray[np.int64], a: Floats, high: NDArray[np.int64], b: Floats
) -> list[tuple[int, int, int]]:
    """Triangles between two lines whose points are ordered by angle."""
    i = j = 0
    triangles = []
    while i < len(low) - 1 or j < len(high) - 1:
        if j == len(high) - 1 or (i < len(low) - 1 and a[i + 1] <= b[j + 1] + 1e-12):
            triangles.append((int(low[i]), int(low[i + 1]), int(high[j])))
            i += 1
        else:
            triangles.append((int(low[i]), int(high[j + 1]), int(high[j])))
            j += 1
    return triangles


def _named_edges(
    solid: Solid, edges: TopTools_IndexedMapOfShape, lines: list[Floats]
) -> tuple[tuple[Floats, ...], tuple[tuple[int, int], ...]]:
    """The edges to be drawn, each with the numbers of its two faces; seams of one face, and of
    pieces of one, are left out."""
    faces, owners = TopTools_IndexedMapOfShape(), faces_around(solid.shape)
    TopExp.MapShapes_s(solid.shape, TopAbs_FACE, faces)
    drawn, between = [], []
    for i, line in enumerate(lines):
        around = owners.FindFromKey(edges.FindKey(i + 1))
        beside = {faces.FindIndex(face) - 1 for face in (around.First(), around.Last())}
        if len(line) and len(beside) == 2:
            a, b = sorted(beside)
            if solid.names[a] == solid.names[b]:
                continue  # pieces of one surface that go on into each other
            drawn.append(line)
            between.append((a, b))
    return tuple(drawn), tuple(between)


def _general(solid: Solid, edges: TopTools_IndexedMapOfShape, tolerance: float) -> Mesh:
    """The kernel's own mesher over all faces.

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
        nets = [_net_of(TopoDS.Face_s(shape)) for shape in faces_of(copy)]
        if all(net is not None for net in nets):
            return _joined(solid, edges, [net for net in nets if net is not None], tolerance)
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


def _net_of(face: TopoDS_Face) -> tuple[Floats, NDArray[np.int64]] | None:
    """Points (n, 3) and triangles (m, 3) that the kernel put on a face; None where it put none."""
    location = TopLoc_Location()
    net = BRep_Tool.Triangulation_s(face, location)
    if net is None or not net.NbTriangles():
        return (
            (np.empty((0, 3)), np.empty((0, 3), dtype=np.int64)) if _area(face) < _NOTHING else None
        )
    points = np.array([(p.X(), p.Y(), p.Z()) for p in map(net.Node, range(1, net.NbNodes() + 1))])
    if not location.IsIdentity():
        place = location.Transformation()
        moved = [gp_Pnt(*p).Transformed(place) for p in points.tolist()]
        points = np.array([(p.X(), p.Y(), p.Z()) for p in moved])
    triangles = (
        np.array([net.Triangle(k).Get() for k in range(1, net.NbTriangles() + 1)], dtype=np.int64)
        - 1
    )
    return points, triangles[:, [0, 2, 1]] if face.Orientation() == TopAbs_REVERSED else triangles


def _area(face: TopoDS_Face) -> float:
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, found)
    return float(found.Mass())


def _joined(
    solid: Solid,
    edges: TopTools_IndexedMapOfShape,
    nets: Sequence[tuple[Floats, NDArray[np.int64]]],
    tolerance: float,
) -> Mesh:
    """One mesh of those of all faces."""
    corners, triangles, face_of, normals = [], [], [], []
    count = 0
    for index, (points, mine) in enumerate(nets):
        corners.append(points)
        triangles.append(mine + count)
        normals.append(_smooth(points, mine)[mine])
        face_of.append(np.full(len(mine), index, dtype=np.int32))
        count += len(points)
    # Neighbouring faces share the points of their edges, so that the mesh is closed.
    everything = np.concatenate(corners)
    _, first, number = np.unique(
        np.round(everything, 6), axis=0, return_index=True, return_inverse=True
    )
    merged = number.reshape(-1)[np.concatenate(triangles)]
    whole = (
        (merged[:, 0] != merged[:, 1])
        & (merged[:, 1] != merged[:, 2])
        & (merged[:, 2] != merged[:, 0])
    )
    lines, between = _named_edges(solid, edges, _edge_lines(edges, tolerance))
    return Mesh(
        everything[first],
        merged[whole].astype(np.int32),
        np.concatenate(face_of)[whole],
        np.concatenate(normals)[whole].astype(np.float32),
        solid.names,
        lines,
        between,
    )


def _smooth(points: Floats, triangles: NDArray[np.int64]) -> Floats:
    """Unit normals (n, 3) at the points of one face: those of the triangles around each, by their
    areas."""
    a, b, c = (points[triangles[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    summed = np.zeros_like(points)
    for k in range(3):
        np.add.at(summed, triangles[:, k], across)
    length = np.linalg.norm(summed, axis=1, keepdims=True)
    found: Floats = summed / np.maximum(length, 1e-30)
    return found
