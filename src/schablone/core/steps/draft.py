"""Lean faces: the slope that lets a part leave its mould, or a wall stand wider at its foot."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..kernel.body import Body
from ..model import FormulaText, OneLine
from ..quantity import ANGLE
from .base import Slot, Step
from .sentence import FacesPiece, FormulaPiece, PlacePiece, Sentence, Words
from .shell import part_of_faces
from .workshop import Feature, StepError, Workshop


class Draft(Step):
    """Leans flat or round faces inwards by an angle, hinged where they meet a plane or flat
    face."""

    order = 55
    title = "Lean faces"
    purpose = "A draft: faces that lean inwards by an angle"
    also = "slope taper lean mould"
    asks = "faces+face"
    face_lists = ("faces",)
    places = ("hinge",)

    kind: Literal["draft"] = "draft"
    faces: Annotated[tuple[OneLine, ...], Field(max_length=200)] = ()
    angle: FormulaText = "2 deg"
    hinge: OneLine = "ground"

    def slots(self) -> tuple[Slot, ...]:
        return (Slot("angle", self.angle, "angle", ANGLE),)

    def only_prisms(self) -> bool:
        return False

    def sentence(self) -> Sentence:
        return (
            (Words("lean"), FacesPiece("faces"), Words("inwards by"), FormulaPiece("angle")),
            (Words("hinged at"), PlacePiece("hinge", planes=True)),
        )

    def feature(self, shop: Workshop) -> Feature:
        angle = shop.values["angle"]
        if not 0 < abs(angle) <= 45:
            raise StepError(
                f"The angle is {angle:g}° (from “{self.angle}”); it "
                "must lie within 45°, and not be 0.",
                f"Change “{self.angle}”.",
                "angle",
            )
        part, names = part_of_faces(shop, self.faces, "No face is chosen that should lean.")
        plane = shop.plane(self.hinge, "hinge")
        if plane.normal[2] < 0 and abs(plane.normal[2]) > 0.999:
            plane = plane.turned_over()

        def change(body: Body) -> Body:
            from ..kernel.occ import change as occ_change

            try:
                solid = occ_change.leaned(body.solid(), names, angle, plane)
            except occ_change.NotMade as error:
                raise StepError(
                    f"The faces cannot lean by {angle:g}° (from “{self.angle}”): {error}.",
                    "Lean them less, or choose others.",
                    "angle",
                ) from None
            # What leans lies elsewhere now; what stands on it is told that it is gone.
            return Body(
                (), solid, {name: frame for name, frame in body.frames.items() if name not in names}
            )

        return Feature("add", part, change=change)
