"""The closed shapes that a sketch holds, each with its formulas, its outline and its line of a
sentence."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ..model import FormulaText, Frozen, Identifier
from ..quantity import ANGLE, LENGTH
from ..sketch import shapes
from ..sketch.lettering import LONGEST_TEXT, lettering
from ..sketch.loops import Loop
from .base import Slot
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    PointsPiece,
    SentencePiece,
    TextPiece,
    Words,
)


class ClosedShape(Frozen):
    """A closed shape of a sketch. ``fields`` lists its formulas: name, words, what it measures
    along."""

    fields: ClassVar[tuple[tuple[str, str, str], ...]] = ()
    name: Identifier

    def loop(self, values: dict[str, float]) -> Loop:
        raise TypeError(f"{type(self).__name__} has no outline")

    def loops(self, values: dict[str, float]) -> tuple[Loop, ...]:
        """All outlines of the shape; most have one."""
        return (self.loop(values),)

    def line(self, at: str) -> tuple[SentencePiece, ...]:
        raise TypeError(f"{type(self).__name__} has no sentence")

    def slots(self, at: str) -> list[Slot]:
        """Formulas of the shape; ``at`` is its path in the sketch."""
        slots = []
        for name, label, along in self.fields:
            formula = getattr(self, name)
            measures = along.removeprefix("=")
            kind = ANGLE if along == "angle" else LENGTH
            side = "outline" if along.startswith("=") else ""
            slots.append(
                Slot(
                    f"{at}.{name}",
                    formula,
                    f"{label} of {self.name}",
                    kind,
                    side,
                    measures if kind == LENGTH else "",
                )
            )
        return slots


class Rectangle(ClosedShape):
    """A rectangle about its middle."""

    fields = (
        ("width", "width", "=x"),
        ("height", "height", "=y"),
        ("x", "x", "x"),
        ("y", "y", "y"),
        ("turn", "turn", "angle"),
    )
    kind: Literal["rectangle"] = "rectangle"
    width: FormulaText = "20 mm"
    height: FormulaText = "10 mm"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    turn: FormulaText = "0 deg"

    def loop(self, values: dict[str, float]) -> Loop:
        return shapes.rectangle(
            self.name, values["x"], values["y"], values["width"], values["height"], values["turn"]
        )

    def line(self, at: str) -> tuple[SentencePiece, ...]:
        return (
            Words(f"rectangle {self.name},"),
            FormulaPiece(f"{at}.width"),
            Words("by"),
            FormulaPiece(f"{at}.height"),
            Words("about x"),
            FormulaPiece(f"{at}.x"),
            Words("y"),
            FormulaPiece(f"{at}.y"),
        )


class Disc(ClosedShape):
    """A circle about its middle."""

    fields = (("diameter", "diameter", "=x"), ("x", "x", "x"), ("y", "y", "y"))
    kind: Literal["circle"] = "circle"
    diameter: FormulaText = "10 mm"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"

    def loop(self, values: dict[str, float]) -> Loop:
        return shapes.circle(self.name, values["x"], values["y"], values["diameter"])

    def line(self, at: str) -> tuple[SentencePiece, ...]:
        return (
            Words(f"circle {self.name}, ø"),
            FormulaPiece(f"{at}.diameter"),
            Words("about x"),
            FormulaPiece(f"{at}.x"),
            Words("y"),
            FormulaPiece(f"{at}.y"),
        )


class SlotShape(ClosedShape):
    """A slot about its middle; the length is over all."""

    fields = (
        ("length", "length", "=x"),
        ("width", "width", "=y"),
        ("x", "x", "x"),
        ("y", "y", "y"),
        ("turn", "turn", "angle"),
    )
    kind: Literal["slot"] = "slot"
    length: FormulaText = "20 mm"
    width: FormulaText = "5 mm"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    turn: FormulaText = "0 deg"

    def loop(self, values: dict[str, float]) -> Loop:
        return shapes.slot(
            self.name, values["x"], values["y"], values["length"], values["width"], values["turn"]
        )

    def line(self, at: str) -> tuple[SentencePiece, ...]:
        return (
            Words(f"slot {self.name},"),
            FormulaPiece(f"{at}.length"),
            Words("long,"),
            FormulaPiece(f"{at}.width"),
            Words("wide, about x"),
            FormulaPiece(f"{at}.x"),
            Words("y"),
            FormulaPiece(f"{at}.y"),
            Words("turned by"),
            FormulaPiece(f"{at}.turn"),
        )


class Vertex(Frozen):
    """A corner of a polyline."""

    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"


class Polyline(ClosedShape):
    """A closed line through points."""

    kind: Literal["polyline"] = "polyline"
    points: Annotated[tuple[Vertex, ...], Field(max_length=500)] = ()

    def slots(self, at: str) -> list[Slot]:
        return [
            Slot(
                f"{at}.points.{i}.{axis}",
                getattr(point, axis),
                f"{axis} of point {i + 1} of {self.name}",
                LENGTH,
                "",
                axis,
            )
            for i, point in enumerate(self.points)
            for axis in ("x", "y")
        ]

    def loop(self, values: dict[str, float]) -> Loop:
        points = [
            (values[f"points.{i}.x"], values[f"points.{i}.y"]) for i in range(len(self.points))
        ]
        return shapes.polyline(self.name, points)

    def line(self, at: str) -> tuple[SentencePiece, ...]:
        return (Words(f"closed line {self.name} through"), PointsPiece(f"{at}.points"))


class Lettering(ClosedShape):
    """A line of text about the middle of its baseline; the height is that of the capitals."""

    fields = (
        ("height", "height", "y"),
        ("x", "x", "x"),
        ("y", "y", "y"),
        ("turn", "turn", "angle"),
    )
    kind: Literal["text"] = "text"
    text: Annotated[str, Field(max_length=LONGEST_TEXT)] = "Hummelhof"
    face: Literal["regular", "medium", "semibold"] = "medium"
    height: FormulaText = "8 mm"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    turn: FormulaText = "0 deg"

    def loops(self, values: dict[str, float]) -> tuple[Loop, ...]:
        loops = lettering(self.text, values["height"], self.name, self.face)
        return tuple(
            shapes.placed(loop, values["x"], values["y"], values["turn"]) for loop in loops
        )

    def line(self, at: str) -> tuple[SentencePiece, ...]:
        return (
            Words(f"text {self.name}"),
            TextPiece(f"{at}.text"),
            Words("in"),
            ChoicePiece(
                f"{at}.face", {"regular": "regular", "medium": "medium", "semibold": "bold"}
            ),
            FormulaPiece(f"{at}.height"),
            Words("high, about x"),
            FormulaPiece(f"{at}.x"),
            Words("y"),
            FormulaPiece(f"{at}.y"),
            Words("turned by"),
            FormulaPiece(f"{at}.turn"),
        )


AnyShape = Annotated[
    Rectangle | Disc | SlotShape | Polyline | Lettering, Field(discriminator="kind")
]
SHAPES: tuple[type[ClosedShape], ...] = (Rectangle, Disc, SlotShape, Polyline, Lettering)
