"""What is known of single faces, kept with them: most steps leave most faces of a part as they
are."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import cached_property

from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepGProp import BRepGProp, BRepGProp_Domain, BRepGProp_Face, BRepGProp_Vinert
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import (
    GeomAbs_BezierCurve,
    GeomAbs_BSplineCurve,
    GeomAbs_Cone,
    GeomAbs_Cylinder,
    GeomAbs_OtherCurve,
    GeomAbs_Plane,
    GeomAbs_Sphere,
    GeomAbs_SurfaceOfExtrusion,
    GeomAbs_Torus,
)
from OCP.gp import gp_Pln, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FORWARD, TopAbs_REVERSED
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Wire

from ..frame import Vector, add, as_vector, dot
from .endless import endless
from .face_boxes import exact_box, roomy_box
from .kept import KeptByShape, as_drawn
from .outlines import wires_of
from .patch import Patch, patch_of
from .trimmed import Measured, measured

#: What a face is: a plane, a cylinder, or something else.
PLANE, CYLINDER, OTHER = 1, 2, 0
#: The row of a face in a :class:`.face_table.FaceTable`: its box, what it is, a point and a
#: direction, and its radius.
Row = tuple[Vector, Vector, int, Vector, Vector, float]
#: To what share free faces are measured.
_MEASURED = 1e-7
_SPLINES = (GeomAbs_BSplineCurve, GeomAbs_BezierCurve, GeomAbs_OtherCurve)
_PLAIN = (
    GeomAbs_Plane,
    GeomAbs_Cylinder,
    GeomAbs_Cone,
    GeomAbs_Sphere,
    GeomAbs_Torus,
    GeomAbs_SurfaceOfExtrusion,
)


class FaceFacts:
    """What is known of a face as it looks, each thing found when it is first asked for."""

    def __init__(self, face: TopoDS_Face) -> None:
        self.face = face

    @cached_property
    def is_free(self) -> bool:
        """Whether it is a free surface: those the kernel's plain formulas measure badly, all others
        exactly."""
        if self._before is not None:
            return self._before[0].is_free
        return endless(self.face).GetType() not in _PLAIN

    @cached_property
    def box(self) -> tuple[Vector, Vector]:
        """A box along the axes that holds it, mm, perhaps somewhat too large."""
        return roomy_box(self.face)

    @cached_property
    def exact_box(self) -> tuple[Vector, Vector]:
        """The box along the axes around it, mm."""
        return exact_box(self.face, self._patch)

    @cached_property
    def row(self) -> Row:
        """Where it lies: its box, whether it is a plane or a cylinder, a point of the plane or the
        axis, the plane's normal, outwards, or the direction of the axis, and the radius, mm."""
        low, high = self.box
        surface = endless(self.face)
        if surface.GetType() == GeomAbs_Plane:
            axes = surface.Plane().Position()
            # The normal of a left-handed frame is turned; so is that of a face seen from behind.
            turned = (self.face.Orientation() == TopAbs_REVERSED) != (not axes.Direct())
            kind, sign, radius = PLANE, -1.0 if turned else 1.0, 0.0
        elif surface.GetType() == GeomAbs_Cylinder:
            axes = surface.Cylinder().Position()
            kind, sign, radius = CYLINDER, 1.0, surface.Cylinder().Radius()
        else:
            return low, high, OTHER, (0.0, 0.0, 0.0), (0.0, 0.0, 1.0), 0.0
        at, way = axes.Location(), axes.Direction()
        normal = (sign * way.X(), sign * way.Y(), sign * way.Z())
        return low, high, kind, (at.X(), at.Y(), at.Z()), normal, radius

    @cached_property
    def plane(self) -> gp_Pln:
        """The plane that it lies in, where it is flat, in the coordinates that it is drawn in."""
        return endless(self.face).Plane()

    @cached_property
    def inner(self) -> tuple[TopoDS_Wire, ...]:
        """The inner outlines of a flat face, as it is drawn; none where it is of another kind."""
        wires = wires_of(self.face)
        if len(wires) < 2 or self.row[2] != PLANE:
            return ()
        outer = BRepTools.OuterWire_s(self.face)
        return tuple(wire for wire in wires if not wire.IsSame(outer))

    @cached_property
    def inner_edges(self) -> tuple[tuple[int, ...], ...]:
        """The keys of the edges of each inner outline: equal for an edge of two faces."""
        return tuple(_keys(wire) for wire in self.inner)

    @cached_property
    def outer_edges(self) -> tuple[int, ...]:
        """The keys of all its other edges."""
        inner = {edge for edges in self.inner_edges for edge in edges}
        return tuple(edge for edge in _keys(self.face) if edge not in inner)

    @cached_property
    def runs(self) -> tuple[tuple[int, bool], ...]:
        """The keys of the edges that it runs along, each with whether it does so the way the edge
        was drawn; those without extent are left out."""
        runs, each = [], TopExp_Explorer(self.face, TopAbs_EDGE)
        while each.More():
            edge = TopoDS.Edge_s(each.Current())
            if not BRep_Tool.Degenerated_s(edge):
                runs.append((hash(edge), edge.Orientation() == TopAbs_FORWARD))
            each.Next()
        return tuple(runs)

    @cached_property
    def cone(self) -> tuple[float, Vector]:
        """Volume, mm³, and first moments, mm⁴, of the cone that it makes with the origin, counted
        outwards: those of all faces of a solid come to those of the solid."""
        _, _, kind, at, way, _ = self.row
        if kind == PLANE:  # a cone over the middle of a flat face, as high as its plane lies
            volume = dot(at, way) * self.area / 3
            x, y, z = self.centre
            return volume, (0.75 * volume * x, 0.75 * volume * y, 0.75 * volume * z)
        if self._patch is not None:
            volume, moments, _ = self._patch.figures
            return volume, (float(moments[0]), float(moments[1]), float(moments[2]))
        if self._measured is not None:
            return self._measured.volume, self._measured.moments
        face, sides = BRepGProp_Face(self.face), BRepGProp_Domain(self.face)
        if self._takes_care:
            inertia = BRepGProp_Vinert(face, sides, gp_Pnt(), _MEASURED)
        else:
            inertia = BRepGProp_Vinert(face, sides, gp_Pnt())
        volume, centre = inertia.Mass(), inertia.CentreOfMass()
        return volume, (volume * centre.X(), volume * centre.Y(), volume * centre.Z())

    @cached_property
    def area(self) -> float:
        """mm²."""
        if self._before is not None:
            return self._before[0].area
        if self._patch is not None:
            return self._patch.figures[2]
        if self._measured is not None:
            return self._measured.area
        return float(self._surface.Mass())

    @cached_property
    def centre(self) -> Vector:
        """The centre of its area, mm."""
        if self._before is not None:
            known, shift = self._before
            return add(known.centre, shift)
        if self._measured is not None:
            return self._measured.centre
        p = self._surface.CentreOfMass()
        return p.X(), p.Y(), p.Z()

    @cached_property
    def _surface(self) -> GProp_GProps:
        surface = GProp_GProps()
        if self._takes_care:
            BRepGProp.SurfaceProperties_s(self.face, surface, _MEASURED)
        else:
            BRepGProp.SurfaceProperties_s(self.face, surface)
        return surface

    @cached_property
    def _before(self) -> tuple[FaceFacts, Vector] | None:
        """What is known of it where it was drawn, and how far it was moved since, mm; None where it
        was not moved."""
        plain, shift = as_drawn(self.face)
        return (facts_of(plain), as_vector(shift.tolist())) if shift is not None else None

    @cached_property
    def _patch(self) -> Patch | None:
        return patch_of(self.face) if self.is_free else None

    @cached_property
    def _measured(self) -> Measured | None:
        """What it comes to by our own sums, where the kernel is slow at it or goes wrong."""
        return measured(self.face) if self._takes_care else None

    @cached_property
    def _takes_care(self) -> bool:
        """Whether the kernel's plain formulas measure it badly: free faces, and those that end in
        splines, as where two cylinders meet, or something led along a path meets a plane."""
        return self.is_free or self._ends_in_spline()

    def _ends_in_spline(self) -> bool:
        if self._before is not None:
            return self._before[0]._takes_care
        edges = TopExp_Explorer(self.face, TopAbs_EDGE)
        while edges.More():
            edge = TopoDS.Edge_s(edges.Current())
            if not BRep_Tool.Degenerated_s(edge) and BRepAdaptor_Curve(edge).GetType() in _SPLINES:
                return True
            edges.Next()
        return False


def run_both_ways(faces: Sequence[TopoDS_Shape]) -> bool:
    """Whether each edge lies between two faces, or on both sides of one, that run along it in
    opposite directions, as those of a solid do."""
    forward: Counter[int] = Counter()
    backward: Counter[int] = Counter()
    for face in faces:
        for edge, is_forward in facts_of(face).runs:
            (forward if is_forward else backward)[edge] += 1
    return forward == backward and all(times == 1 for times in forward.values())


def _keys(shape: TopoDS_Shape) -> tuple[int, ...]:
    keys, each = [], TopExp_Explorer(shape, TopAbs_EDGE)
    while each.More():
        keys.append(hash(each.Current()))
        each.Next()
    return tuple(keys)


#: Of so many faces at most, those that were asked about last.
_KEPT: KeptByShape[FaceFacts] = KeptByShape(6_000, lambda _: 1)


def facts_of(face: TopoDS_Shape) -> FaceFacts:
    """What is known of a face; the two sides of one are told apart."""
    turned = face.Orientation() == TopAbs_REVERSED
    return _KEPT.get(face, turned, lambda: FaceFacts(TopoDS.Face_s(face)))
