"""Hollowing: walls of a thickness inwards, by the kernel's offset, or piece by piece where that
fails.

Piece by piece every face that keeps its wall is made thick by itself: a flat one as a prism of its
region, a curved one as the kernel's simple offset of that one face. Where two flat faces meet in an
inner corner, their prisms go on beyond it as far as the walls cross. What of the part lies in none
of the pieces is the hollow. Either way the outcome is measured: spots of the new faces must lie as
far from the outside as the wall is thick.
"""

from __future__ import annotations

import math
import random
from collections.abc import Iterable, Mapping, Sequence
from functools import partial

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepOffset import BRepOffset_MakeOffset, BRepOffset_Skin
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakeThickSolid
from OCP.GeomAbs import GeomAbs_Intersection, GeomAbs_Plane
from OCP.gp import gp_Pnt
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Face, TopoDS_Shape

from ...sketch.curves import Segment
from ...sketch.loops import Loop
from ...sketch.offsetting import moved_all_round
from ...sketch.regions import Region
from ..figures import is_kernel_failure
from ..frame import Frame, Vector, add, as_vector, dot
from ..naming import FaceName
from ..prism import Prism
from .booleans import joined_shapes
from .change import KernelEdge, NotMade, edges_of, room_of, unless_it_dies
from .endless import endless
from .face_facts import facts_of
from .flat_sections import region_of
from .history import Named, listed
from .measure import normals_beside, sinks
from .meshing import mesh_of
from .prisms import prism_shape
from .solids import Solid, faces_of, in_order, is_free

#: How far a wall may be from what is asked, mm, and at how many spots that is looked at.
_OFF, _SPOTS = 6e-3, 40
#: By what share of the wall pieces are led over each other where they do not come out edge to edge.
_OVER = 0.02
#: The most faces that are made thick one by one: a hundred plain ones take seconds. A free one
#: takes as long as many.
_MOST_PIECES, _FREE_COUNTS = 300, 120
#: How many pieces are taken away in one boolean.
_AT_ONCE = 6
#: Chord tolerance of the mesh that spots are taken from, mm.
_CHORD = 5e-3


def hollowed(
    solid: Solid,
    open_faces: Iterable[FaceName],
    wall: float,
    step: str,
    others: Mapping[FaceName, float] | None = None,
    *,
    quick: bool = False,
) -> Solid:
    """A shell with walls inwards, open at some faces; ``others`` are faces with walls of their own.
    ``quick`` only tries the kernel's own way.

    The new inner faces are named after those outside.

    Raises:
        NotMade: where the wall does not fit.
    """
    opened = set(open_faces)
    walls = {name: (others or {}).get(name, wall) for name in set(solid.names) - opened}
    for way in (
        (_by_offset,)
        if quick or not is_tried_in_pieces(solid)
        else (_by_offset, _by_pieces, partial(_by_pieces, over=_OVER))
    ):
        try:
            hollow = unless_it_dies(solid, partial(way, solid, opened, walls, wall, step))
            if is_as_thick(solid, hollow, walls, step):
                return hollow
        except Exception as error:
            if not isinstance(error, (ValueError, RuntimeError)) and not is_kernel_failure(error):
                raise
    raise NotMade("the wall does not fit")


def is_tried_in_pieces(solid: Solid) -> bool:
    """Whether a solid has so few faces that they are made thick one by one where the kernel's own
    way fails."""
    return sum(_FREE_COUNTS if is_free(face) else 1 for face in solid.faces()) <= _MOST_PIECES


def _by_offset(
    solid: Solid, opened: set[FaceName], walls: Mapping[FaceName, float], wall: float, step: str
) -> Solid:
    """The kernel's own way."""
    maker = BRepOffset_MakeOffset()
    maker.Initialize(
        solid.shape, -wall, 1e-4, BRepOffset_Skin, False, False, GeomAbs_Intersection, True, False
    )
    for face, name in zip(solid.faces(), solid.names, strict=True):
        if name in opened:
            maker.AddFace(TopoDS.Face_s(face))
        elif walls[name] != wall:
            maker.SetOffsetOnFace(TopoDS.Face_s(face), -walls[name])
    maker.MakeThickSolid()
    if not maker.IsDone():
        raise NotMade("the wall does not fit")
    named: Named = []
    for face, name in zip(solid.faces(), solid.names, strict=True):
        if name not in opened:
            named.append((face, name))
        else:
            named += [(piece, name) for piece in listed(maker.Modified(face))]
        named += [(piece, name.made_by(step, "inside")) for piece in listed(maker.Generated(face))]
    return in_order(maker.Shape(), named)


def _by_pieces(
    solid: Solid,
    opened: set[FaceName],
    walls: Mapping[FaceName, float],
    wall: float,
    step: str,
    over: float = 0.0,
) -> Solid:
    del wall
    pieces: list[tuple[TopoDS_Shape, Named]] = []
    for face, name in zip(solid.faces(), solid.names, strict=True):
        if name not in opened:
            pieces.append(
                _thick(TopoDS.Face_s(face), name.made_by(step, "inside"), walls[name], over)
            )
    pieces += _beyond_corners(solid, walls, step)
    hollow = solid
    # All at once would also meet every piece with every other; one by one takes the part apart as
    # often.
    for k in range(0, len(pieces), _AT_ONCE):
        hollow = joined_shapes(hollow, "cut", pieces[k : k + _AT_ONCE])
        if hollow.is_empty():
            raise NotMade("the wall does not fit")
    return joined_shapes(
        solid, "cut", [(hollow.shape, list(zip(hollow.faces(), hollow.names, strict=True)))]
    )


def _thick(
    face: TopoDS_Face, name: FaceName, wall: float, over: float
) -> tuple[TopoDS_Shape, Named]:
    """A face made thick inwards. Only what lies inside bears the name; the rest is cut away
    again."""
    surface = endless(face)
    if surface.GetType() == GeomAbs_Plane:
        region, frame = region_of(face)
        # A little over its edge, so that nothing is left between it and what is used up beside it.
        region = moved_all_round(region, over * wall)[0] if over else region
        if dot(frame.normal, facts_of(face).row[4]) < 0:
            return prism_shape(_slab(frame, region, 0.0, wall, name))
        return prism_shape(_slab(frame, region, -wall, 0.0, name))
    # A rounding narrower than the wall is used up before: what is left lies under its neighbours'
    # walls.
    deep = min(wall, room_of(face, -wall) * (1 - max(1e-3, over)))
    maker = BRepOffsetAPI_MakeThickSolid()
    maker.MakeThickSolidBySimple(face, -deep)
    if not maker.IsDone() or maker.Shape().IsNull():
        raise NotMade("a face cannot be made thick")
    shape = maker.Shape()
    return shape, [(piece, name) for piece in faces_of(shape)]


def _slab(frame: Frame, region: Region, low: float, high: float, name: FaceName) -> Prism:
    return Prism(
        frame,
        region,
        low,
        high,
        name,
        name,
        {c.name: name for loop in region.loops for c in loop.curves},
    )


def _beyond_corners(
    solid: Solid, walls: Mapping[FaceName, float], step: str
) -> list[tuple[TopoDS_Shape, Named]]:
    """Strips that carry flat walls on beyond straight inner corners, to where they cross."""
    corners = []
    for edge in edges_of(solid):
        beside = normals_beside(edge) if walls.keys() >= set(edge.between) else None
        if beside is None or abs(dot(*beside)) > 1 - 1e-9 or not sinks(edge):
            continue
        ends, (a, b) = _ends(edge), zip(edge.between, beside, strict=True)
        for (mine, way), (theirs, other_way) in ((a, b), (b, a)):
            strip = _strip(
                ends, way, other_way, walls[mine], walls[theirs], mine.made_by(step, "inside")
            )
            corners.append(prism_shape(strip))
    return corners


def _strip(
    ends: tuple[Vector, Vector],
    mine: Vector,
    theirs: Vector,
    wall: float,
    other: float,
    name: FaceName,
) -> Prism:
    """The prism under the continuation of a flat face beyond an inner corner: away from where the
    other face looks."""
    a, b = ends
    length = math.dist(a, b)
    way = as_vector((q - p) / length for p, q in zip(a, b, strict=True))
    into = add(theirs, mine, -dot(theirs, mine))
    size = math.sqrt(dot(into, into))
    into = (-into[0] / size, -into[1] / size, -into[2] / size)
    # Walls that cross at an angle reach farther than they are thick.
    cosine = max(-0.95, min(0.95, dot(mine, theirs)))
    reach = (other + wall * abs(cosine)) / math.sqrt(1 - cosine * cosine)
    frame = Frame(a, way, into)
    grow = max(wall, other)
    corners = [(-grow, 0.0), (length + grow, 0.0), (length + grow, reach), (-grow, reach)]
    loop = Loop(
        tuple(Segment(corners[k], corners[(k + 1) % 4], f"s{k}") for k in range(4)), "strip"
    )
    if dot(frame.normal, mine) > 0:
        return _slab(frame, Region(loop), -wall, 0.0, name)
    return _slab(frame, Region(loop), 0.0, wall, name)


def _ends(edge: KernelEdge) -> tuple[Vector, Vector]:
    curve = BRepAdaptor_Curve(edge.edge)
    a, b = curve.Value(curve.FirstParameter()), curve.Value(curve.LastParameter())
    return (a.X(), a.Y(), a.Z()), (b.X(), b.Y(), b.Z())


def is_as_thick(
    solid: Solid, hollow: Solid, walls: Mapping[FaceName, float], step: str, spots: int = _SPOTS
) -> bool:
    """Whether spots of the inner faces of a hollowed solid lie as far from the outside as its walls
    are to be thick, mm, and no wall is thinner anywhere."""
    if hollow.is_empty() or not hollow.is_closed():
        return False
    if not 0 < hollow.volume < solid.volume * (1 - 1e-9):
        return False
    inner = [
        k for k, name in enumerate(hollow.names) if name.step == step and name.role == "inside"
    ]
    if not inner:
        return False
    thinnest = min(walls.values())
    outside = _together(
        [face for face, name in zip(solid.faces(), solid.names, strict=True) if name in walls]
    )
    right = 0
    sampled = sample(hollow, inner, spots)
    for spot in sampled:
        away = distance_to(outside, spot)
        if away < thinnest - _OFF:
            return False
        right += any(abs(away - wall) <= _OFF for wall in set(walls.values()))
    # Beside inner corners that stay sharp the outside is farther away than the wall is thick.
    return right >= 0.5 * len(sampled)


def sample(solid: Solid, faces: Sequence[int], count: int) -> list[Vector]:
    """Spots, (n, 3), mm, spread over some faces by their area, well within them; the same each
    time."""
    mesh = mesh_of(solid, _CHORD)
    wanted = set(faces)
    chosen = [k for k, face in enumerate(mesh.face_of.tolist()) if face in wanted]
    a, b, c = (mesh.points[mesh.triangles[chosen, k]] for k in range(3))
    areas = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    dice = random.Random(1)
    picked = dice.choices(range(len(chosen)), weights=areas.tolist(), k=count)
    spots: list[Vector] = []
    for k in picked:
        u, v = dice.random(), dice.random()
        u, v = (1 - u, 1 - v) if u + v > 1 else (u, v)
        x, y, z = (a[k] + (b[k] - a[k]) * u + (c[k] - a[k]) * v).tolist()
        spots.append((x, y, z))
    return spots


def _together(faces: Sequence[TopoDS_Shape]) -> TopoDS_Shape:
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for face in faces:
        builder.Add(compound, face)
    return compound


def distance_to(shape: TopoDS_Shape, spot: Vector) -> float:
    """How far a spot is from a shape, mm."""
    distance = BRepExtrema_DistShapeShape(BRepBuilderAPI_MakeVertex(gp_Pnt(*spot)).Vertex(), shape)
    return float(distance.Value()) if distance.IsDone() else math.inf


__all__ = ["hollowed", "is_as_thick", "sample"]
