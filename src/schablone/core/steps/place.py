"""Place: bought parts put on points, beside lines or on faces, with height, turn and flip."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from ..bought import BoughtError, BoughtPart, Thing, resolved
from ..bought.thing import placing
from ..kernel.frame import Frame, Vector, as_vector
from ..kernel.motion import Motion
from ..kernel.spots import steps_named
from ..model import FormulaText, Identifier, OneLine
from ..quantity import ANGLE, COUNT
from ..words import say_name
from .base import Slot, Step
from .choosing import point_of, sketch_of
from .repeating import whole
from .revolve import axis_in
from .sentence import (
    AnchorPiece,
    BoughtPiece,
    ChoicePiece,
    FormulaPiece,
    LinePiece,
    PlacePiece,
    PointPiece,
    Sentence,
    SentencePiece,
    StepPiece,
    Words,
)
from .workshop import Feature, StepError, Workshop

_SIDES = {"left": "left", "right": "right"}


class Place(Step):
    """Puts a bought part into the design. It is not made; pockets, posts and openings follow it."""

    order = 80
    title = "Place a bought part"
    purpose = "Put something that is bought on a point, beside a line or on a face"
    also = "insert component layout put cage magnet screw switch board cell fan"
    refers = ("sketch",)
    places = ("face",)

    kind: Literal["place"] = "place"
    thing: Identifier | Literal[""] = ""
    anchor: Identifier = "middle"
    where: Literal["point", "line", "face"] = "point"
    sketch: Identifier | Literal[""] = ""
    point: OneLine = ""
    about: OneLine = ""
    side: Literal["left", "right"] = "left"
    off: FormulaText = "0 mm"
    along: FormulaText = "0 mm"
    face: OneLine = ""
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    lift: FormulaText = "0 mm"
    turn: FormulaText = "0 deg"
    over: Literal["upright", "over"] = "upright"
    many: Literal["one", "row", "grid", "ring"] = "one"
    way: Literal["x", "y"] = "x"
    count: FormulaText = "3"
    pitch: FormulaText = "40 mm"
    rows: FormulaText = "2"
    row_pitch: FormulaText = "40 mm"
    radius: FormulaText = "40 mm"
    begins: Literal["middle", "first"] = "middle"

    def uses_bought(self) -> str:
        return self.thing

    def needs(self) -> tuple[str, ...]:
        if self.where == "face":
            return tuple(dict.fromkeys(steps_named(self.face)))
        return (self.sketch,) if self.sketch else ()

    def works_on(self) -> str:
        return ""

    def slots(self) -> tuple[Slot, ...]:
        slots = []
        if self.where == "line":
            slots += [
                Slot("off", self.off, "distance from the line"),
                Slot("along", self.along, "place along the line"),
            ]
        elif self.where == "face":
            slots += [
                Slot("x", self.x, "x on the face", along="x"),
                Slot("y", self.y, "y on the face", along="y"),
            ]
        slots += [
            Slot("lift", self.lift, "lifted by"),
            Slot("turn", self.turn, "turned by", ANGLE),
        ]
        if self.many != "one":
            slots.append(Slot("count", self.count, "count", COUNT))
        if self.many in ("row", "grid"):
            slots.append(Slot("pitch", self.pitch, "from one to the next"))
        if self.many == "grid":
            slots += [
                Slot("rows", self.rows, "rows", COUNT),
                Slot("row_pitch", self.row_pitch, "from row to row"),
            ]
        elif self.many == "ring":
            slots.append(Slot("radius", self.radius, "radius of the ring"))
        return tuple(slots)

    def sentence(self) -> Sentence:
        where = ChoicePiece(
            "where", {"point": "on point", "line": "beside line", "face": "on the face"}
        )
        first: tuple[SentencePiece, ...] = (
            Words("put"),
            BoughtPiece("thing"),
            Words("with its"),
            AnchorPiece("anchor", "thing"),
        )
        sketch = (Words("of"), StepPiece("sketch", ("sketch",)))
        second: tuple[SentencePiece, ...]
        if self.where == "point":
            second = (where, PointPiece("point", "sketch"), *sketch)
        elif self.where == "line":
            second = (
                where, LinePiece("about", "sketch"), *sketch, Words(","),
                ChoicePiece("side", _SIDES), Words("of it by"), FormulaPiece("off"),
                Words("and along it by"), FormulaPiece("along"),
            )  # fmt: skip
        else:
            second = (
                where, PlacePiece("face"), Words("at x"), FormulaPiece("x"), Words("y"),
                FormulaPiece("y"),
            )  # fmt: skip
        third = (
            Words("lifted by"),
            FormulaPiece("lift"),
            Words("turned by"),
            FormulaPiece("turn"),
            ChoicePiece("over", {"upright": "as it stands", "over": "turned over"}),
        )
        return (first, second, third, self._say_many())

    def _say_many(self) -> tuple[SentencePiece, ...]:
        many = ChoicePiece(
            "many",
            {"one": "once", "row": "in a row of", "grid": "in a grid of", "ring": "in a ring of"},
        )
        begins = ChoicePiece(
            "begins", {"middle": "the point in their middle", "first": "the point under the first"}
        )
        way = ChoicePiece("way", {"x": "along x", "y": "along y"})
        if self.many == "one":
            return (many,)
        if self.many == "row":
            return (
                many, FormulaPiece("count"), way, Words("one every"), FormulaPiece("pitch"),
                Words(","), begins,
            )  # fmt: skip
        if self.many == "grid":
            return (
                many, FormulaPiece("count"), Words("along x, one every"), FormulaPiece("pitch"),
                Words("and"), FormulaPiece("rows"), Words("along y, one every"),
                FormulaPiece("row_pitch"), Words(","), begins,
            )  # fmt: skip
        return (many, FormulaPiece("count"), Words("around it, with a radius of"),
                FormulaPiece("radius"))  # fmt: skip

    def feature(self, shop: Workshop) -> Feature:
        part = self._part(shop)
        there = self._there(shop, part)
        things = tuple(
            Thing(part, self.name, number, there.moved(motion), there.up)
            for number, motion in enumerate(self._members(shop, there.frame), 1)
        )
        return Feature("add", "", things=things)

    def _part(self, shop: Workshop) -> BoughtPart:
        part = shop.bought.get(self.thing)
        if part is None:
            what = f"There is no bought part “{say_name(self.thing)}”."
            raise StepError(
                what if self.thing else "It is not chosen what is put there.",
                "Choose one, or take one from the shelf.",
                "thing",
                sorted(shop.bought),
                asks=not self.thing,
            )
        try:
            known = resolved(part)
        except BoughtError as error:
            raise StepError(error.what, error.hint, "thing") from None
        if self.anchor not in known.anchors:
            raise StepError(
                f"{part.said} has no anchor “{say_name(self.anchor)}”.",
                "Choose another.",
                "anchor",
                list(known.anchors),
            )
        return part

    def _there(self, shop: Workshop, part: BoughtPart) -> _There:
        lift, turn = shop.values["lift"], shop.values["turn"]
        over = self.over == "over"
        if self.where == "face":
            _, frame, _ = shop.face(self.face, "face")
            at = Frame(frame.at(shop.values["x"], shop.values["y"]), frame.x, frame.y)
            return _There(at, placing(part, self.anchor, at, lift, turn, over))
        if self.where == "point":
            drawing, spot = point_of(shop, self.sketch, self.point)
            frame = drawing.frame
            at = Frame(frame.at(*spot), frame.x, frame.y)
            return _There(at, placing(part, self.anchor, at, lift, turn, over))
        return self._beside(shop, part, lift, turn, over)

    def _beside(
        self, shop: Workshop, part: BoughtPart, lift: float, turn: float, over: bool
    ) -> _There:
        """Its side at a distance from a line, its x along the line before it is turned."""
        drawing = sketch_of(shop, self.sketch)
        if not self.about:
            raise StepError(
                "No line is chosen.", "Choose a line of the sketch.", "about",
                [*drawing.lines], asks=True,
            )  # fmt: skip
        (x, y), (dx, dy) = axis_in(drawing, self.about)
        long = math.hypot(dx, dy)
        frame = drawing.frame
        ahead = as_vector((frame.x[i] * dx + frame.y[i] * dy) / long for i in range(3))
        left = as_vector((frame.y[i] * dx - frame.x[i] * dy) / long for i in range(3))
        line = Frame(frame.at(x, y), ahead, left)
        at = Frame(line.at(shop.values["along"], 0.0), ahead, left)
        motion = placing(part, self.anchor, at, lift, turn, over)
        box = resolved(part).box
        beside = [
            line.coordinates(motion.point((sx * box[0] / 2, sy * box[1] / 2, z * box[2])))[1]
            for sx in (-1, 1)
            for sy in (-1, 1)
            for z in (0, 1)
        ]
        off = shop.values["off"]
        by = off - min(beside) if self.side == "left" else -off - max(beside)
        shift = as_vector(left[i] * by for i in range(3))
        return _There(at.moved(shift), Motion.move(shift).after(motion))

    def _members(self, shop: Workshop, at: Frame) -> list[Motion]:
        """Where each of them is, from the place of one."""
        if self.many == "one":
            return [Motion()]
        count = whole(shop.values["count"], "count", self.count, "count")
        if self.many == "ring":
            out = as_vector(at.x[i] * shop.values["radius"] for i in range(3))
            return [
                Motion.turn(at.origin, at.normal, 360.0 * k / count).after(Motion.move(out))
                for k in range(count)
            ]
        across, rows, row_pitch = count, 1, 0.0
        if self.many == "grid":
            rows = whole(shop.values["rows"], "count of rows", self.rows, "rows")
            row_pitch = shop.values["row_pitch"]
        pitch = shop.values["pitch"]
        x, y = (at.x, at.y) if self.many == "grid" or self.way == "x" else (at.y, at.x)
        first = (across - 1) / 2 if self.begins == "middle" else 0.0
        low = (rows - 1) / 2 if self.begins == "middle" else 0.0
        return [
            Motion.move(
                as_vector(
                    x[i] * (a - first) * pitch + y[i] * (b - low) * row_pitch for i in range(3)
                )
            )
            for b in range(rows)
            for a in range(across)
        ]


@dataclass(frozen=True, slots=True)
class _There:
    """Where the first of the things stands: the frame under it, and its own motion."""

    frame: Frame
    motion: Motion

    @property
    def up(self) -> Vector:
        return self.frame.normal

    def moved(self, by: Motion) -> Motion:
        return by.after(self.motion)
