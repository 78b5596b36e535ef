"""A solid from elsewhere: read from a STEP file, or made of a mesh, kept in the design."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..kernel.tools import ForeignMesh, ForeignSolid
from ..model import FormulaText, Identifier, OneLine
from ..packed import LONGEST, begins_with, unpacked
from ..words import sentence
from .base import Slot, Step
from .sentence import ChoicePiece, FormulaPiece, Sentence, Words
from .workshop import Feature, Remark, StepError, Workshop


class Imported(Step):
    """A solid without history. Its faces are numbered as the file has them; other steps can stand
    on them."""

    order = 28
    title = "Solid from a file"
    purpose = "A solid read from a STEP file or a mesh, added or cut"
    also = "step stl 3mf obj mesh import file"
    repeatable = True

    kind: Literal["imported"] = "imported"
    file: OneLine = ""
    data: Annotated[str, Field(max_length=LONGEST)] = ""
    mode: Literal["add", "cut", "common"] = "add"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    z: FormulaText = "0 mm"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    @property
    def is_free_form(self) -> bool:
        """Whether it is a free form made of triangles, which has no exact faces."""
        from ..kernel.kept_mesh import MARK

        return begins_with(self.data, MARK)

    def slots(self) -> tuple[Slot, ...]:
        return tuple(
            Slot(axis, getattr(self, axis), axis, along=f"part {axis}") for axis in ("x", "y", "z")
        )

    def sentence(self) -> Sentence:
        words = self.file or "no file yet"
        return (
            (
                ChoicePiece(
                    "mode", {"add": "add", "cut": "cut", "common": "keep only what lies within"}
                ),
                Words(f"the solid of {words},"),
            ),
            (
                Words("moved by x"),
                FormulaPiece("x"),
                Words("y"),
                FormulaPiece("y"),
                Words("z"),
                FormulaPiece("z"),
            ),
        )

    def feature(self, shop: Workshop) -> Feature:
        if not self.data:
            raise StepError(
                "No file is chosen.", "Choose one: File, Import a solid.", "file", asks=True
            )
        from ..kernel.motion import Motion
        from ..kernel.tools import placed

        try:
            tool, mended = _read(unpacked(self.data), self.name)
        except ValueError as error:
            text = str(error)
            raise StepError(
                sentence(text), "Write the file anew and import it again.", "file"
            ) from None
        by = (shop.values["x"], shop.values["y"], shop.values["z"])
        return Feature(
            self.mode,
            self.part,
            [placed(tool, Motion.move(by))],
            remarks=(Remark(mended, "", "file"),) if mended else (),
        )


def _read(data: bytes, step: str) -> tuple[ForeignSolid, str]:
    """What a file holds as a tool, and what of it was mended, in words.

    Raises:
        ValueError: where it is damaged.
    """
    from ..kernel.kept_mesh import MARK, kept_mesh

    if data.startswith(MARK):
        kept = kept_mesh(data)
        flat = tuple((number + 1, frame) for number, frame in kept.flat.items())
        return ForeignMesh(data, step, kept.faces, flat, kept.box), ""
    from ..kernel.occ.reading import described, step_in

    faces, frames, box = described(data)
    return ForeignSolid(data, step, faces, frames, box), step_in(data).words
