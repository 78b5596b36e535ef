"""What has an anchor on a flat face, and what is asked of the part there."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Literal

from ..kernel.chords import NotOnFace, room_on
from ..kernel.frame import Frame, Vector
from ..kernel.motion import Motion
from ..kernel.spots import steps_named
from ..model import FormulaText, Identifier, OneLine
from ..quantity import ANGLE, LENGTH, Kind
from ..words import say_name
from .base import Slot, Step
from .choosing import point_of
from .sentence import ChoicePiece, FormulaPiece, PointPiece, SentencePiece, StepPiece, Words
from .workshop import Host, Outlines, StepError, Workshop

#: What can be asked of the host, as ``host.along`` in a stencil: the extents of its face along the
#: anchor's x and y, through the anchor; the distances from it to the edge of the face, back along
#: x, along x, back along y and along y; and how thick the part is under it.
ASKED = ("along", "across", "left", "right", "near", "far", "thickness")


class Anchored(Step):
    """What has an anchor on a flat face: at x and y of it, or at a point of a sketch, seen straight
    from above; its x is that of the face, turned."""

    places = ("face",)
    refers = ("sketch",)

    part: Identifier = "part"
    face: OneLine = ""
    where: Literal["here", "point"] = "here"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    sketch: Identifier | Literal[""] = ""
    point: OneLine = ""
    turn: FormulaText = "0 deg"

    def needs(self) -> tuple[str, ...]:
        named = [*steps_named(self.face)]
        if self.where == "point" and self.sketch:
            named.append(self.sketch)
        return tuple(dict.fromkeys(named))

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        """Where its x and y stand, half way to the anchor: dragged there, it moves."""
        frame = frame_of(self.face)
        if frame is None or self.where != "here" or not {"x", "y"} <= values.keys():
            return []
        x, y = values["x"], values["y"]
        return [("x", frame.at(x / 2, y)), ("y", frame.at(x, y / 2))]

    def slots(self) -> tuple[Slot, ...]:
        turn = Slot("turn", self.turn, "turned by", ANGLE)
        if self.where == "point":
            return (turn,)
        x = Slot("x", self.x, "x on the face", along="x")
        return (x, Slot("y", self.y, "y on the face", along="y"), turn)

    def host(self, shop: Workshop) -> Host:
        """Where it sits.

        Raises:
            StepError: where there is no such face on its part, or no such point.
        """
        body, frame, name = shop.face(self.face, "face")
        if shop.bodies.get(self.part) is not body:
            part = next(part for part, one in shop.bodies.items() if one is body)
            raise StepError(
                f"The {name.words()} is a face of the part “{say_name(part)}”, and this works on "
                f"“{say_name(self.part)}”.",
                "Pick a face of that part, or choose the other part.",
                "face",
            )
        x, y = self._spot(shop, frame)
        at, turn = frame, shop.values["turn"]
        if turn != 0:
            at = Motion.turn(frame.origin, frame.normal, turn).frame(frame)
        return Host(self.part, name, Frame(frame.at(x, y), at.x, at.y))

    def _spot(self, shop: Workshop, frame: Frame) -> tuple[float, float]:
        """Where the anchor lies, in the face's own x and y."""
        if self.where == "here":
            return shop.values["x"], shop.values["y"]
        drawing, spot = point_of(shop, self.sketch, self.point)
        u, v, _ = frame.coordinates(drawing.frame.at(*spot))
        return u, v

    def room(self, shop: Workshop, asked: tuple[str, ...]) -> dict[str, float]:
        """What is asked of the part around the anchor, mm.

        Raises:
            StepError: where the anchor lies beside the face.
        """
        host = self.host(shop)
        try:
            room = room_on(shop.bodies[host.part], host.face, host.frame)
        except NotOnFace as error:
            raise StepError(
                f"The anchor lies beside the {host.face.words()}: {error}.",
                "Move it onto the face.",
                "x",
            ) from None
        return {name: getattr(room, name) for name in asked}


class AskHost(Anchored):
    """What a stencil asks of the part that it is put into, read off as the part is before it. No
    kind of its own: it stands before the step that puts the stencil in, in a design that is opened
    for building."""

    asked: tuple[str, ...] = ()

    def measures(self) -> Mapping[str, Kind]:
        return dict.fromkeys(self.asked, LENGTH)

    def measure(self, shop: Workshop) -> dict[str, float]:
        return self.room(shop, self.asked)


def say_where(step: Anchored) -> tuple[SentencePiece, ...]:
    """Where the anchor lies, for the sentence."""
    where = ChoicePiece("where", {"here": "at x", "point": "at point"})
    turn = (Words("turned by"), FormulaPiece("turn"))
    if step.where == "here":
        return (where, FormulaPiece("x"), Words("y"), FormulaPiece("y"), *turn)
    return (
        where, PointPiece("point", "sketch"), Words("of"), StepPiece("sketch", ("sketch",)), *turn,
    )  # fmt: skip
