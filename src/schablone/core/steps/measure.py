"""Measure: a figure read off the part, for formulas to use as ``name.value``."""

from __future__ import annotations

from typing import Literal

from ..kernel.naming import FaceName
from ..model import Identifier, Line
from ..quantity import AREA, LENGTH, MASS, VOLUME, Kind
from .base import ChoicePiece, Piece, PlacePiece, Sentence, Step, StepError, Words, Workshop

What = Literal["distance", "x", "y", "z", "volume", "surface", "mass"]
_KINDS: dict[str, Kind] = {"volume": VOLUME, "surface": AREA, "mass": MASS}


class Measure(Step):
    """Reads a figure off the part as it is at this step, always as it is wanted."""

    order = 70
    title = "Measure"
    purpose = "Read a distance, a volume or a mass off the part, for formulas to use"
    places = ("first", "second")

    kind: Literal["measure"] = "measure"
    what: What = "distance"
    first: Line = ""
    second: Line = ""
    part: Identifier = "part"

    def measured_kind(self) -> Kind:
        return _KINDS.get(self.what, LENGTH)

    def needs(self) -> tuple[str, ...]:
        return super().needs() if self.what == "distance" else ()

    def sentence(self) -> Sentence:
        words = {
            "distance": "the distance", "x": "the extent along x", "y": "the extent along y", "z": "the extent along z",
            "volume": "the volume", "surface": "the surface", "mass": "the mass",
        }  # fmt: skip
        pieces: list[Piece] = [Words("measure"), ChoicePiece("what", words)]
        if self.what == "distance":
            pieces += [Words("from"), PlacePiece("first"), Words("to"), PlacePiece("second")]
        return (tuple(pieces), (Words(f"use it as {self.name}.value"),))

    def measure(self, shop: Workshop) -> float:
        if self.what == "distance":
            first, name, one = self._face(shop, self.first, "first")
            second, other_name, other = self._face(shop, self.second, "second")
            from ..kernel import occ_measure

            return occ_measure.distance(first.solid(), name, second.solid(), other_name) if one != other else 0.0
        body = shop.bodies.get(self.part)
        if body is None:
            raise StepError("There is no part yet that could be measured.", "Move this step down.", "part")
        figures = body.figures()
        if self.what in ("x", "y", "z"):
            axis = "xyz".index(self.what)
            return figures.bounds[1][axis] - figures.bounds[0][axis]
        if self.what == "surface":
            return figures.area
        # Densities are in g/cm³.
        return figures.volume * (shop.view.process.material.density / 1000 if self.what == "mass" else 1.0)

    def _face(self, shop: Workshop, place: str, where: str):  # type: ignore[no-untyped-def]
        try:
            name = FaceName.read(place)
        except ValueError:
            raise StepError("No face is chosen.", "Pick one in the view.", where, shop.flat_faces()) from None
        for body in shop.bodies.values():
            if name in body.names():
                return body, name, place
        raise StepError(
            f"The face “{name.words()}” is not there any more.", "Pick another face.", where, shop.flat_faces()
        )
