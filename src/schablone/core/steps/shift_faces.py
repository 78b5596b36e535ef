"""Move faces of a part along their normals: thicker here, a wider hole there."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from ..kernel.body import Body
from ..model import FormulaText, OneLine
from .base import Slot, Step
from .fillet import changed
from .sentence import ChoicePiece, FacesPiece, FormulaPiece, Sentence, Words
from .shell import part_of_faces
from .workshop import Feature, Workshop, above_zero


class ShiftFaces(Step):
    """Moves faces outwards or inwards by a distance; what lies beside them follows."""

    order = 57
    title = "Shift faces"
    purpose = "Move chosen faces outwards or inwards by a size"
    also = "offset push pull thicken widen"
    asks = "faces+face"
    face_lists = ("faces",)

    kind: Literal["shift_faces"] = "shift_faces"
    faces: Annotated[tuple[OneLine, ...], Field(max_length=50)] = ()
    by: FormulaText = "1 mm"
    to: Literal["outwards", "inwards"] = "outwards"

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        return (Slot("by", self.by, "distance"),)

    def sentence(self) -> Sentence:
        return (
            (
                Words("shift"),
                FacesPiece("faces"),
                FormulaPiece("by"),
                ChoicePiece(
                    "to", {"outwards": "out of the material", "inwards": "into the material"}
                ),
            ),
        )

    def feature(self, shop: Workshop) -> Feature:
        by = above_zero(shop.values["by"], "distance", self.by, "by")
        part, names = part_of_faces(shop, self.faces, "No face is chosen to be moved.")
        sign = 1.0 if self.to == "outwards" else -1.0

        def change(body: Body) -> Body:
            from ..kernel.occ import change as occ_change

            solid = body.solid()
            made = changed(
                body,
                lambda size: occ_change.shifted(solid, names, sign * size),
                by,
                self.by,
                "distance",
                "by",
                "faces",
            )
            lifted = {
                name: body.frames[name].lifted(sign * by) for name in names if name in body.frames
            }
            return replace(made, frames={**body.frames, **lifted})

        return Feature("add", part, change=change)
