"""Solids made with the geometry kernel's own primitives and booleans, as designs read them from
STEP files, and their faces found by where they lie."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeSphere,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Vec
from OCP.GProp import GProp_GProps
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.TopoDS import TopoDS_Shape

from schablone.core.design import Design
from schablone.core.design.rebuild import Memory, Rebuilt, rebuild
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.occ.exchange import step_of
from schablone.core.kernel.occ.plain import PlainSolid, plain_of
from schablone.core.kernel.occ.skeleton import SkeletonEdge, skeleton_of
from schablone.core.kernel.occ.solids import Solid, faces_of
from schablone.core.kernel.surfaces import Surface
from schablone.core.packed import packed
from schablone.core.process.lens import LensView
from schablone.core.process.model import neutral
from schablone.core.solids.ties import Tie


def box(x: float, y: float, z: float, a: float, b: float, c: float) -> TopoDS_Shape:
    return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), a, b, c).Shape()


def cylinder(at: Sequence[float], way: Sequence[float], radius: float, high: float) -> TopoDS_Shape:
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*way)), radius, high).Shape()


def cone(at: Sequence[float], low: float, wide: float, high: float) -> TopoDS_Shape:
    return BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(*at), gp_Dir(0, 0, 1)), low, wide, high).Shape()


def ball(at: Sequence[float], radius: float) -> TopoDS_Shape:
    return BRepPrimAPI_MakeSphere(gp_Pnt(*at), radius).Shape()


def cut(one: TopoDS_Shape, other: TopoDS_Shape) -> TopoDS_Shape:
    return BRepAlgoAPI_Cut(one, other).Shape()


def fuse(one: TopoDS_Shape, other: TopoDS_Shape) -> TopoDS_Shape:
    return BRepAlgoAPI_Fuse(one, other).Shape()


def whole(shape: TopoDS_Shape) -> TopoDS_Shape:
    """Faces on one plane in one piece."""
    maker = ShapeUpgrade_UnifySameDomain(shape, True, True, False)
    maker.Build()
    return maker.Shape()


def raised(points: Sequence[tuple[float, float]], y: float, wide: float) -> TopoDS_Shape:
    """An outline in x and z raised along y."""
    maker = BRepBuilderAPI_MakePolygon()
    for x, z in points:
        maker.Add(gp_Pnt(x, y, z))
    maker.Close()
    face = BRepBuilderAPI_MakeFace(maker.Wire()).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(0, wide, 0)).Shape()


def rounded(
    shape: TopoDS_Shape, radius: float, which: Callable[[SkeletonEdge], bool]
) -> TopoDS_Shape:
    maker = BRepFilletAPI_MakeFillet(shape)
    for edge in skeleton_of(shape).edges:
        if which(edge) and (len(edge.faces) > 1 or edge.degenerate):
            maker.Add(radius, edge.shape)
    maker.Build()
    return maker.Shape()


def volume(shape: TopoDS_Shape, to: float = 0.0) -> float:
    found = GProp_GProps()
    if to:
        BRepGProp.VolumeProperties_s(shape, found, to, False, False)
    else:
        BRepGProp.VolumeProperties_s(shape, found)
    return float(found.Mass())


def as_solid(shape: TopoDS_Shape) -> Solid:
    count = len(faces_of(shape))
    return Solid(shape, tuple(FaceName("foot", "face", str(k + 1)) for k in range(count)))


def plain(shape: TopoDS_Shape) -> PlainSolid:
    return plain_of(as_solid(shape))


class Faces:
    """The faces of a plain solid by where they lie."""

    def __init__(self, solid: PlainSolid) -> None:
        self.solid = solid

    def all(self, which: Callable[[Surface], bool]) -> list[str]:
        return [
            str(name)
            for name, s in zip(self.solid.names, self.solid.surfaces, strict=True)
            if s is not None and which(s)
        ]

    def one(self, which: Callable[[Surface], bool]) -> str:
        (found,) = self.all(which)
        return found

    def flat(self, axis: str, at: float, sense: int = 0, **near: float) -> str:
        """The flat face square to an axis at a height; where several are, the one whose middle is
        near somewhere."""
        k = "xyz".index(axis)

        def is_it(s: Surface) -> bool:
            return (
                s.kind == "plane"
                and abs(s.way[k]) > 1 - 1e-9
                and (not sense or s.way[k] * sense > 0)
                and abs(s.at[k] - at) < 1e-6
                and all(abs(s.at["xyz".index(a)] - v) < 2 for a, v in near.items())
            )

        return self.one(is_it)

    def round(self, radius: float, **near: float) -> str:
        return self.one(
            lambda s: (
                s.kind in ("cylinder", "ball")
                and abs(s.radius - radius) < 1e-6
                and all(abs(s.at["xyz".index(a)] - v) < 1e-6 for a, v in near.items())
            )
        )


@lru_cache(maxsize=32)
def _packed(data: bytes) -> str:
    return packed(data)


def design(
    shape: TopoDS_Shape,
    ties: Sequence[Tie],
    sizes: dict[str, str] | None = None,
    more: Sequence[dict] = (),
) -> Design:
    """A design that reads a solid and gives it sizes."""
    data = _packed(step_of([("foot", as_solid(shape))]))
    return Design.model_validate(
        {
            "sizes": [{"name": n, "formula": f} for n, f in (sizes or {}).items()],
            "steps": [
                {"kind": "imported", "name": "foot", "file": "foot.step", "data": data},
                {"kind": "give_sizes", "name": "fit", "ties": [t.model_dump() for t in ties]},
                *more,
            ],
        }
    )


def faces_in(found: Design) -> Faces:
    """The faces of the solid that a design reads, before it is given sizes."""
    built = rebuild(found, LensView("wanted", neutral()), until="foot")
    return Faces(plain_of(built.bodies["part"].solid()))


def build(
    found: Design, memory: Memory | None = None, view: LensView | None = None, **given: float
) -> Rebuilt:
    formulas = {name: f"{value!r} mm" for name, value in given.items()}
    return rebuild(found, view or LensView("wanted", neutral()), memory or Memory(), formulas)


def texts(built: Rebuilt, severity: str = "error") -> list[str]:
    return [problem.text for problem in built.problems if problem.severity == severity]


def farthest(one: TopoDS_Shape, other: TopoDS_Shape) -> float:
    """How far the corners of each of two solids lie from the nearest of the other at most, mm."""
    points = [np.array(skeleton_of(shape).corners) for shape in (one, other)]
    apart = np.linalg.norm(points[0][:, None] - points[1][None], axis=2)
    return float(max(apart.min(axis=0).max(), apart.min(axis=1).max()))


# Parts with sizes, made twice: once as they are read, once with other sizes


def bracket(
    width: float, depth: float, plate: float, wall: float, high: float, bore: float, pitch: float
) -> TopoDS_Shape:
    """A plate with two holes, and a wall with two more."""
    shape = fuse(box(0, 0, 0, width, depth, plate), box(0, 0, plate, wall, depth, high - plate))
    for y in (depth / 2 - pitch / 2, depth / 2 + pitch / 2):
        shape = cut(shape, cylinder((wall + 20, y, -1), (0, 0, 1), bore / 2, plate + 2))
        shape = cut(shape, cylinder((-1, y, high - 8), (1, 0, 0), 2, wall + 2))
    return whole(shape)


def block(
    size: float, flange: float, thick: float, high: float, bore: float, soft: float
) -> TopoDS_Shape:
    """A square flange with a round boss on it, its foot rounded, a bore with a countersink through
    both."""
    shape = fuse(
        box(-flange / 2, -flange / 2, 0, flange, flange, thick),
        cylinder((0, 0, 0), (0, 0, 1), size / 2, high),
    )
    deep = (size / 2 - 2 - bore / 2) / math.tan(math.radians(40))
    shape = cut(shape, cylinder((0, 0, -1), (0, 0, 1), bore / 2, high + 2))
    shape = cut(shape, cone((0, 0, high - deep), bore / 2, size / 2 - 2, deep))
    return rounded(
        shape, soft,
        lambda e: e.circle and abs(e.middle[2] - thick) < 1e-6
        and abs(math.hypot(*e.middle[:2]) - size / 2) < 1e-6,
    )  # fmt: skip


def slotted(
    long: float, wide: float, thick: float, slot: float, across: float, soft: float
) -> TopoDS_Shape:
    """A plate with round corners and a soft rim, and a slot with round ends."""
    shape = box(-long / 2, -wide / 2, 0, long, wide, thick)
    shape = cut(shape, box(-slot / 2, -across / 2, -1, slot, across, thick + 2))
    for x in (-slot / 2, slot / 2):
        shape = cut(shape, cylinder((x, 0, -1), (0, 0, 1), across / 2, thick + 2))
    shape = whole(shape)
    shape = rounded(
        shape, 6, lambda e: e.straight and abs(e.middle[2] - thick / 2) < 1e-6
        and abs(abs(e.middle[0]) - long / 2) < 1e-6,
    )  # fmt: skip
    return rounded(
        shape, soft, lambda e: abs(e.middle[2] - thick) < 1e-6
        and (abs(e.middle[0]) > slot / 2 + across or abs(e.middle[1]) > across),
    )  # fmt: skip
