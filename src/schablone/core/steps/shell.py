"""Hollow a part: walls of a thickness, open at chosen faces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from ..kernel.body import Body
from ..kernel.naming import FaceName, step_renamed
from ..model import FormulaText, Frozen, OneLine
from .base import Slot, Step
from .fillet import changed
from .selecting import from_shape
from .sentence import FacesPiece, FormulaPiece, ListPiece, Sentence, SentencePiece, Words
from .workshop import Feature, StepError, Workshop, above_zero


class OwnWall(Frozen):
    """Faces whose walls are of another thickness than the rest."""

    faces: Annotated[tuple[OneLine, ...], Field(max_length=50)] = ()
    wall: FormulaText = "4 mm"


class Shell(Step):
    """Hollows a part from inside; the outside stays. Some walls may be of a thickness of their
    own."""

    order = 54
    title = "Hollow"
    purpose = "Leave only walls of a thickness, open at some faces"
    also = "thin wall empty box"
    asks = "faces+face"
    face_lists = ("faces",)

    kind: Literal["shell"] = "shell"
    faces: Annotated[tuple[OneLine, ...], Field(max_length=50)] = ()
    wall: FormulaText = "2 mm"
    walls: Annotated[tuple[OwnWall, ...], Field(max_length=20)] = ()

    def slots(self) -> tuple[Slot, ...]:
        others = (
            Slot(f"walls.{i}.wall", own.wall, f"wall {i + 1}") for i, own in enumerate(self.walls)
        )
        return (Slot("wall", self.wall, "wall"), *others)

    def needs(self) -> tuple[str, ...]:
        own = [face.split("/")[0] for wall in self.walls for face in wall.faces]
        return tuple(dict.fromkeys([*super().needs(), *own]))

    def with_step_renamed(self, old: str, new: str) -> Step:
        walls = tuple(
            wall.model_copy(
                update={"faces": tuple(step_renamed(face, old, new) for face in wall.faces)}
            )
            for wall in self.walls
        )
        renamed = super().with_step_renamed(old, new)
        return renamed.model_copy(update={"walls": walls}) if walls != self.walls else renamed

    def only_prisms(self) -> bool:
        return False

    def sentence(self) -> Sentence:
        lines: list[tuple[SentencePiece, ...]] = [
            (
                Words("hollow it, walls of"),
                FormulaPiece("wall"),
                Words("open at"),
                FacesPiece("faces"),
            )
        ]
        for i in range(len(self.walls)):
            lines.append(
                (
                    Words("but of"),
                    FormulaPiece(f"walls.{i}.wall"),
                    Words("at"),
                    FacesPiece(f"walls.{i}.faces"),
                )
            )
        return (*lines, (ListPiece("walls", "wall of its own", OwnWall()),))

    def feature(self, shop: Workshop) -> Feature:
        wall = above_zero(shop.values["wall"], "wall", self.wall, "wall")
        part, names = part_of_faces(shop, self.faces, "No face is chosen where it is open.")
        others: dict[FaceName, float] = {}
        for i, own in enumerate(self.walls):
            where = f"walls.{i}.wall"
            thick = above_zero(shop.values[where], "wall", own.wall, where)
            mine, faces = part_of_faces(
                shop, own.faces, "No face is chosen for a wall of its own.", f"walls.{i}.faces"
            )
            if mine != part:
                raise StepError(
                    "The faces belong to different parts.",
                    "Pick faces of one part.",
                    f"walls.{i}.faces",
                )
            others |= dict.fromkeys(faces, thick)

        def change(body: Body) -> Body:
            from ..kernel.occ import hollow as occ_hollow

            solid = body.solid()
            only = (
                " It has so many faces, or free ones, that its walls are only tried all in one go."
            )
            made = changed(
                body,
                lambda size: occ_hollow.hollowed(
                    solid, names, size, self.name, others, quick=size != wall
                ),
                wall,
                self.wall,
                "wall",
                "wall",
                "faces",
                besides="" if occ_hollow.is_tried_in_pieces(solid) else only,
            )
            there = made.names()
            inside = {
                inner: frame.lifted(-others.get(name, wall)).turned_over()
                for name, frame in body.frames.items()
                if (inner := name.made_by(self.name, "inside")) in there
            }
            return replace(made, frames={**made.frames, **inside})

        return Feature("add", part, change=change)


def part_of_faces(
    shop: Workshop, faces: Sequence[str], nothing: str, where: str = "faces"
) -> tuple[str, list[FaceName]]:
    """The part that has some faces, and their names.

    Raises:
        StepError: where none is chosen (in the words of ``nothing``), or one is lost.
    """
    if not faces:
        raise StepError(nothing, "Pick a face in the view.", where, asks=True)
    names: list[FaceName] = []
    for place in faces:
        name = FaceName.read(place)
        known = {face for body in shop.bodies.values() for face in body.names()}
        # A shape of a sketch without the name of an edge means all faces that it raised.
        raised = (
            sorted(face for face in known if from_shape(face, place)) if name not in known else []
        )
        names += raised or [name]
    part = next((p for p, body in shop.bodies.items() if names[0] in body.names()), "")
    lost = [name for name in names if not part or name not in shop.bodies[part].names()]
    if lost:
        raise StepError(
            f"The face “{lost[0].words()}” is not there any more{shop.why_lost(lost[0])}.",
            "Pick another face.",
            where,
            shop.flat_faces(lost[0]),
        )
    return part, names
