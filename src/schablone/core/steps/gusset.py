"""A gusset: a triangle of material that stiffens the corner between two flat faces."""

from __future__ import annotations

import math
from typing import Literal

from ..kernel.body import Body
from ..kernel.frame import Frame, Vector, add, as_vector, cross, dot
from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..model import FormulaText, OneLine
from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from ..sketch.regions import Region
from .base import Slot, Step
from .sentence import ChoicePiece, FormulaPiece, PlacePiece, Sentence, Words
from .workshop import Feature, StepError, Workshop, above_zero


class Gusset(Step):
    """A gusset of a thickness with a leg along each of two faces that meet in a corner.

    ``at`` is its place along the corner's edge, measured from the middle of the edge.
    """

    order = 29
    title = "Gusset"
    purpose = "Stiffen the corner between two flat faces"
    also = "bracket stiffen corner triangle web"
    repeatable = True
    asks = "first"
    places = ("first", "second")

    kind: Literal["gusset"] = "gusset"
    first: OneLine = ""
    second: OneLine = ""
    first_leg: FormulaText = "15 mm"
    second_leg: FormulaText = "15 mm"
    thickness: FormulaText = "3 mm"
    at: FormulaText = "0 mm"
    form: Literal["straight", "hollow"] = "straight"

    def slots(self) -> tuple[Slot, ...]:
        return (
            Slot("first_leg", self.first_leg, "leg on the first face"),
            Slot("second_leg", self.second_leg, "leg on the second face"),
            Slot("thickness", self.thickness, "thickness", side="outside", along="normal"),
            Slot("at", self.at, "place along the corner"),
        )

    def sentence(self) -> Sentence:
        return (
            (
                Words("gusset"),
                FormulaPiece("thickness"),
                Words("thick between"),
                PlacePiece("first"),
                Words("and"),
                PlacePiece("second"),
            ),
            (
                Words("with legs of"),
                FormulaPiece("first_leg"),
                Words("and"),
                FormulaPiece("second_leg"),
                ChoicePiece(
                    "form", {"straight": "straight between them", "hollow": "hollowed between them"}
                ),
            ),
            (FormulaPiece("at"), Words("from the middle of the corner")),
        )

    def feature(self, shop: Workshop) -> Feature:
        body, one, first = shop.face(self.first, "first")
        other_body, two, second = shop.face(self.second, "second")
        if body is not other_body:
            raise StepError(
                "The two faces belong to different parts.", "Pick two faces of one part.", "second"
            )
        part = next(name for name, other in shop.bodies.items() if other is body)
        thickness = above_zero(shop.values["thickness"], "thickness", self.thickness, "thickness")
        thickness += shop.view.gain("outside")
        legs = [
            above_zero(
                shop.values[f"{which}_leg"],
                f"leg on the {which} face",
                getattr(self, f"{which}_leg"),
                f"{which}_leg",
            )
            for which in ("first", "second")
        ]
        middle, along = self._corner(body, first, second)
        # Along each face, away from the corner: towards where the other face looks.
        ways = [_within(one, two.normal), _within(two, one.normal)]
        if any(way is None for way in ways):
            raise StepError(
                "The two faces lie level with each other.",
                "Pick two faces that make a corner.",
                "second",
            )
        u, v = (way for way in ways if way is not None)
        plane = Frame(add(middle, along, shop.values["at"]), u, cross(cross(u, v), u))
        length = math.sqrt(dot(plane.y, plane.y))
        plane = Frame(plane.origin, u, as_vector(c / length for c in plane.y))
        tip: XY = (dot(v, plane.x) * legs[1], dot(v, plane.y) * legs[1])
        curves = _triangle((legs[0], 0.0), tip, hollow=self.form == "hollow")
        loop = Loop(curves, "gusset")
        sides = {curve.name: FaceName(self.name, "side", curve.name) for curve in curves}
        names = FaceName(self.name, "start"), FaceName(self.name, "end")
        prism = Prism(plane, Region(loop), -thickness / 2, thickness / 2, *names, sides)
        return Feature("add", part, [prism], frame=plane)

    def _corner(self, body: Body, first: FaceName, second: FaceName) -> tuple[Vector, Vector]:
        """The middle of the edge between two faces, and its direction.

        Raises:
            StepError: where they meet in no straight edge, or in one that sticks out.
        """
        from ..kernel.occ import measure as occ_measure

        corner = occ_measure.corner(body.solid(), first, second)
        if corner is None:
            raise StepError(
                f"{first.words()} and {second.words()} do not meet in a straight edge.",
                "Pick two faces that meet.",
                "second",
            )
        middle, way, sinks = corner
        if not sinks:
            raise StepError(
                "The corner between the two faces sticks out; there is nothing to fill.",
                "Pick two faces of an inner corner.",
                "second",
            )
        return middle, way


def _within(face: Frame, way: Vector) -> Vector | None:
    """A direction laid into a face, of length 1."""
    n = face.normal
    flat = add(way, n, -dot(way, n))
    length = math.sqrt(dot(flat, flat))
    return None if length < 1e-6 else (flat[0] / length, flat[1] / length, flat[2] / length)


def _triangle(a: XY, b: XY, *, hollow: bool) -> tuple[Curve, ...]:
    """From the corner to a, over to b, and back; hollowed by an arc that leaves both faces
    tangentially where the legs are equal, else by the arc through both tips with the sharper of the
    two."""
    corner = (0.0, 0.0)
    if not hollow:
        over: Curve = Segment(a, b, "slope")
    else:
        # Centre on the bisector of a and b, as far out as makes the arc tangent to the face with
        # the shorter leg.
        middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
        across = (b[0] - a[0], b[1] - a[1])
        half = math.hypot(*across) / 2
        out = (across[1] / (2 * half), -across[0] / (2 * half))
        if out[0] * middle[0] + out[1] * middle[1] < 0:
            out = (-out[0], -out[1])
        steps = []
        for tip in (a, b):
            length = math.hypot(*tip)
            way = (tip[0] / length, tip[1] / length)
            # (centre - tip) · way = 0, centre = middle + out * s
            slope = out[0] * way[0] + out[1] * way[1]
            if slope > 1e-9:
                steps.append(
                    ((tip[0] - middle[0]) * way[0] + (tip[1] - middle[1]) * way[1]) / slope
                )
        s = max(steps, default=4 * half)
        centre = (middle[0] + out[0] * s, middle[1] + out[1] * s)
        radius = math.dist(centre, a)
        t0 = math.atan2(a[1] - centre[1], a[0] - centre[0])
        t1 = math.atan2(b[1] - centre[1], b[0] - centre[0])
        if t1 > t0:
            t1 -= math.tau
        over = EllipticArc(centre, radius, radius, t0, t1, "slope")
    return (Segment(corner, a, "first"), over, Segment(b, corner, "second"))
