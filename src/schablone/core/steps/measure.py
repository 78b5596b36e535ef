"""Measure: a figure read off the part, for formulas to use as ``name.value``."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from ..kernel import measuring
from ..kernel.body import Body
from ..kernel.figures import CannotBe
from ..kernel.frame import Vector
from ..kernel.naming import FaceName
from ..kernel.spots import is_spot, place_of, say_spot, steps_named
from ..model import Identifier, OneLine
from ..process.model import NO_MATERIAL
from ..quantity import ANGLE, AREA, LENGTH, MASS, VOLUME, Kind, grams_if_known
from ..words import say_name, sentence
from .base import Standing, Step
from .sentence import ChoicePiece, PartPiece, PlacePiece, Sentence, SentencePiece, Words
from .workshop import StepError, Workshop

What = Literal[
    "distance", "angle", "radius", "clearance", "x", "y", "z", "volume", "surface", "mass", "centre"
]
_KINDS: dict[str, Kind] = {"volume": VOLUME, "surface": AREA, "mass": MASS, "angle": ANGLE}
_BETWEEN = ("distance", "angle")


class Measure(Step):
    """Reads a figure off the part as it is at this step, always as it is wanted."""

    order = 70
    title = "Measure"
    purpose = "Read a distance, angle, volume or mass off the part"
    also = "distance volume mass length"
    looks_around = True
    places = ("first", "second")

    kind: Literal["measure"] = "measure"
    what: What = "distance"
    first: OneLine = ""
    second: OneLine = ""
    along: Literal["straight", "x", "y", "z"] = "straight"
    other: Identifier | Literal[""] = ""
    part: Identifier = "part"

    def measures(self) -> Mapping[str, Kind]:
        if self.what == "centre":
            return {"x": LENGTH, "y": LENGTH, "z": LENGTH}
        return {"value": _KINDS.get(self.what, LENGTH)}

    def needs(self) -> tuple[str, ...]:
        used = {
            "distance": ("first", "second"),
            "angle": ("first", "second"),
            "radius": ("first",),
        }.get(self.what, ())
        return tuple(
            dict.fromkeys(step for where in used for step in steps_named(str(getattr(self, where))))
        )

    @classmethod
    def likely(cls, before: Standing) -> Mapping[str, object]:
        # What there is one of need not be chosen.
        others = [part for part in before.parts if part != before.part]
        return {**super().likely(before), "other": others[0] if len(others) == 1 else ""}

    def sentence(self) -> Sentence:
        words = {
            "distance": "the distance",
            "angle": "the angle",
            "radius": "the radius",
            "clearance": "the clearance",
            "x": "the extent along x",
            "y": "the extent along y",
            "z": "the extent along z",
            "volume": "the volume",
            "surface": "the surface",
            "mass": "the mass",
            "centre": "the centre of mass",
        }
        pieces: list[SentencePiece] = [Words("measure"), ChoicePiece("what", words)]
        if self.what in _BETWEEN:
            spots = self.what == "distance"
            pieces += [
                Words("from"),
                PlacePiece("first", spots=spots),
                Words("to"),
                PlacePiece("second", spots=spots),
            ]
        if self.what == "distance":
            words = {"straight": "straight", "x": "along x", "y": "along y", "z": "along z"}
            pieces.append(ChoicePiece("along", words))
        if self.what == "radius":
            pieces += [Words("of"), PlacePiece("first")]
        elif self.what == "clearance":
            pieces += [Words("to the part"), PartPiece("other")]
        names = [f"{self.name}.{figure}" for figure in self.measures()]
        listed = f"{', '.join(names[:-1])} and {names[-1]}" if len(names) > 1 else names[0]
        return (tuple(pieces), (Words(f"use it as {listed}"),))

    def measure(self, shop: Workshop) -> dict[str, float]:
        if self.what == "centre":
            return dict(
                zip("xyz", self._body(shop, self.part, "part").figures().centre, strict=True)
            )
        return {"value": self._one(shop)}

    def _one(self, shop: Workshop) -> float:
        if self.what in ("distance", "angle", "radius"):
            return self._of_faces(shop)
        body = self._body(shop, self.part, "part")
        if self.what == "clearance":
            if self.other in ("", self.part):
                known = [name for name in shop.bodies if name != self.part]
                raise StepError(
                    "No other part is chosen.",
                    "Choose the part that it must be clear of.",
                    "other",
                    known,
                    asks=not self.other,
                )
            return measuring.clearance(body, self._body(shop, self.other, "other"))
        figures = body.figures()
        if self.what in ("x", "y", "z"):
            axis = "xyz".index(self.what)
            return figures.bounds[1][axis] - figures.bounds[0][axis]
        if self.what == "surface":
            return figures.area
        if self.what != "mass":
            return figures.volume
        mass = grams_if_known(figures.volume, shop.densities[self.part])
        if mass is None:
            what = shop.materials[self.part]
            of = "what it is made of" if what == NO_MATERIAL else what
            hint = "Choose a process, or give the part a material or a density."
            raise StepError(f"Nobody knows how dense {of} is.", hint, "part")
        return mass

    def _of_faces(self, shop: Workshop) -> float:
        if self.what == "distance":
            return length_along(*self.ends(shop.bodies, shop.flat_faces()), self.along)
        first, name = self._face(shop.bodies, self.first, "first", shop.flat_faces())
        if self.what == "radius":
            return self._told(lambda: measuring.radius(first, name), "first")
        second, other_name = self._face(shop.bodies, self.second, "second", shop.flat_faces())
        return self._told(lambda: measuring.angle(first, name, second, other_name), "second")

    def ends(self, bodies: Mapping[str, Body], known: Sequence[str] = ()) -> tuple[Vector, Vector]:
        """The two points, mm, that a distance is measured between: the spots, or the nearest points
        of faces.

        Raises:
            StepError: where a spot or face is not there.
        """
        ends: list[tuple[Body, FaceName | Vector]] = []
        for where in ("first", "second"):
            place = str(getattr(self, where))
            if not is_spot(place):
                ends.append(self._face(bodies, place, where, known))
            elif (there := place_of(bodies, place)) is not None:
                ends.append(there)
            else:
                raise StepError(
                    f"The {say_spot(place)} is not there any more.", "Pick another spot.", where
                )
        (a, one), (b, two) = ends
        if not isinstance(one, FaceName) and not isinstance(two, FaceName):
            return one, two
        try:
            return measuring.nearest(a, one, b, two)
        except CannotBe as error:
            raise StepError(error.what, error.hint, "second") from None

    @staticmethod
    def _told(read: Callable[[], float], where: str) -> float:
        try:
            return read()
        except CannotBe:
            raise
        except ValueError as error:
            text = str(error)
            raise StepError(sentence(text), "Pick another face.", where) from None

    @staticmethod
    def _body(shop: Workshop, part: str, where: str) -> Body:
        body = shop.bodies.get(part)
        if body is None:
            raise StepError(
                f"There is no part “{say_name(part)}” yet that could be measured.",
                "Move this step down.",
                where,
            )
        return body

    def _face(
        self, bodies: Mapping[str, Body], place: str, where: str, known: Sequence[str]
    ) -> tuple[Body, FaceName]:
        try:
            name = FaceName.read(place)
        except ValueError:
            raise StepError(
                "No face is chosen.", "Pick one in the view.", where, known, asks=not place
            ) from None
        for body in bodies.values():
            if name in body.names():
                return body, name
        raise StepError(
            f"The face “{name.words()}” is not there any more.", "Pick another face.", where, known
        )


def length_along(a: Vector, b: Vector, along: str) -> float:
    """The distance between two points, mm, or how far apart they are along an axis."""
    return (
        math.dist(a, b)
        if along == "straight"
        else abs(b["xyz".index(along)] - a["xyz".index(along)])
    )
