"""A solid from elsewhere: read from a STEP file, or made of a mesh, kept in the design."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..kernel.tools import ForeignSolid as ImportedTool
from ..model import FormulaText, Identifier, OneLine
from ..packed import LONGEST, unpacked
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
        from ..kernel.occ.reading import described, step_in
        from ..kernel.tools import placed

        try:
            data = unpacked(self.data)
            faces, flat, box = described(data)
            mended = step_in(data).words
        except ValueError as error:
            text = str(error)
            raise StepError(
                f"{text[:1].upper()}{text[1:]}.", "Write the file anew and import it again.", "file"
            ) from None
        by = (shop.values["x"], shop.values["y"], shop.values["z"])
        return Feature(
            self.mode,
            self.part,
            [placed(ImportedTool(data, self.name, faces, flat, box), Motion.move(by))],
            remarks=(Remark(mended, "", "file"),) if mended else (),
        )
