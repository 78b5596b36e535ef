"""Hollow a part: walls of a thickness, open at chosen faces."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from ..kernel.body import Body
from ..kernel.naming import FaceName
from ..model import FormulaText, Line
from .base import FacesPiece, Feature, FormulaPiece, Sentence, Slot, Step, StepError, Words, Workshop, above_zero
from .fillet import changed


class Shell(Step):
    """Hollows a part from inside; the outside stays."""

    order = 54
    title = "Hollow"
    purpose = "Leave only walls of a thickness, open at some faces"
    face_lists = ("faces",)

    kind: Literal["shell"] = "shell"
    faces: Annotated[tuple[Line, ...], Field(max_length=50)] = ()
    wall: FormulaText = "2 mm"

    def slots(self) -> tuple[Slot, ...]:
        return (Slot("wall", self.wall, "wall"),)

    def only_prisms(self) -> bool:
        return False

    def sentence(self) -> Sentence:
        return ((Words("hollow it, walls of"), FormulaPiece("wall"), Words("open at"), FacesPiece("faces")),)

    def feature(self, shop: Workshop) -> Feature:
        wall = above_zero(shop.values["wall"], "wall", self.wall, "wall")
        part, names = part_of_faces(shop, self.faces, "No face is chosen where it is open.")

        def change(body: Body) -> Body:
            from ..kernel import occ_change

            solid = body.solid()
            return changed(
                body,
                lambda size: occ_change.hollowed(solid, names, size, self.name),
                wall,
                self.wall,
                "wall",
                "wall",
            )

        return Feature("add", part, change=change)


def part_of_faces(shop: Workshop, faces: Sequence[str], nothing: str) -> tuple[str, list[FaceName]]:
    """The part that has some faces, and their names.

    Raises:
        StepError: where none is chosen (in the words of ``nothing``), or one is lost.
    """
    if not faces:
        raise StepError(nothing, "Pick a face in the view.", "faces")
    names = [FaceName.read(name) for name in faces]
    part = next((p for p, body in shop.bodies.items() if names[0] in body.names()), "")
    lost = [name for name in names if not part or name not in shop.bodies[part].names()]
    if lost:
        raise StepError(
            f"The face “{lost[0].words()}” is not there any more.", "Pick another face.", "faces", shop.flat_faces()
        )
    return part, names
