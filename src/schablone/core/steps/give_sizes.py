"""Give a plain solid sizes: pins, distances, radii, angles between its faces, and what lies flush,
on one axis, alike or symmetric."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ..kernel.body import Body
from ..kernel.frame import Frame, Vector, add, as_vector, dot
from ..kernel.naming import FaceName
from ..kernel.surfaces import Surface
from ..model import Identifier
from ..process.lying import lies
from ..quantity import Kind
from ..solids.ties import MEASURED, Tie, say_tie_place
from ..words import listed, say_name
from .base import Slot, Standing, Step
from .sentence import FormulaPiece, Sentence, SentencePiece, TiesPiece, Words
from .span import Span, between
from .workshop import Feature, Outlines, Remark, StepError, Workshop

if TYPE_CHECKING:
    from ..kernel.occ import Solid
    from ..solids.settle import Held

_KEPT_OF_EACH = 4


class GiveSizes(Step):
    """Moves the faces of a part that has no history, so that its ties hold. What nobody ties stays
    where it is; rounded edges follow the faces beside them."""

    order = 29
    title = "Give it sizes"
    purpose = "Distances, radii and angles of a plain solid become sizes"
    also = "tie pin direct solid adjust distance faces without history"
    asks: ClassVar[str] = "ties"

    kind: Literal["give_sizes"] = "give_sizes"
    part: Identifier = "part"
    ties: Annotated[tuple[Tie, ...], Field(max_length=300)] = ()

    def only_prisms(self) -> bool:
        return False

    @classmethod
    def likely(cls, before: Standing) -> Mapping[str, object]:
        return {"part": before.part}

    def needs(self) -> tuple[str, ...]:
        faces = (face for tie in self.ties for face in tie.faces())
        named = (face.split("/")[0] for face in faces)
        return tuple(dict.fromkeys(name for name in named if name and name != self.name))

    def with_step_renamed(self, old: str, new: str) -> Step:
        ties = tuple(tie.with_step_renamed(old, new) for tie in self.ties)
        renamed = super().with_step_renamed(old, new)
        return renamed.model_copy(update={"ties": ties}) if ties != self.ties else renamed

    def slots(self) -> tuple[Slot, ...]:
        return tuple(
            Slot(
                f"ties.{k}.formula",
                tie.formula,
                label_of(tie),
                tie.measures,
                tie.side,
                f"part {tie.axis}" if tie.axis else "",
                round=tie.kind == "diameter",
                bored=tie.bored,
            )
            for k, tie in enumerate(self.ties)
            if tie.measures is not None and tie.formula and not tie.reads
        )

    def measures(self) -> Mapping[str, Kind]:
        return {
            tie.name: tie.measures
            for tie in self.ties
            if tie.reads and tie.name and tie.measures is not None
        }

    def sentence(self) -> Sentence:
        lines: list[tuple[SentencePiece, ...]] = [(Words(_counted(self.ties)), TiesPiece("ties"))]
        for k, tie in enumerate(self.ties):
            lines.append(tuple(_pieces(k, tie)))
        return tuple(lines)

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        spots = []
        for k, tie in enumerate(self.ties):
            path = f"ties.{k}.formula"
            if tie.kind != "distance" or path not in values:
                continue
            one, other = (frame_of(place) for place in tie.of)
            if one is not None and other is not None:
                # Halfway to the other face, straight over the middle of the first.
                across = dot(add(other.origin, one.origin, -1.0), one.normal)
                spots.append((path, one.at(0.0, 0.0, across / 2)))
        return spots

    def spans(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[Span]:
        spans = []
        for path, middle in self.figure_spots(values, drawings, frame_of):
            one = frame_of(self.ties[int(path.split(".")[1])].of[0])
            assert one is not None
            span = between(path, one.origin, add(middle, add(middle, one.origin, -1.0)), one.x)
            if span is not None:
                spans.append(span)
        return spans

    # Geometry

    def feature(self, shop: Workshop) -> Feature:
        body = shop.bodies.get(self.part)
        if body is None:
            raise StepError(
                f"There is no part “{say_name(self.part)}” yet whose faces could be tied.",
                "Move this step down, or choose another part.",
                "part",
            )
        if not self.ties:
            return Feature("add", self.part)
        from ..solids.restated import Refused, restated

        ready, values = self._ready(body, shop)
        try:
            solved = restated(ready, values)
        except Refused as error:
            raise StepError(error.what, error.hint, self._where(error.tie)) from None
        remarks = tuple(
            Remark(f"{what}.", hint, self._where(tie)) for tie, what, hint in solved.notes
        )
        made = solved.change.solid

        def change(before: Body) -> Body:
            if made is before.solid():
                return before
            return Body((), made, _frames(before, solved.planes))

        return Feature("add", self.part, change=change, remarks=remarks)

    def measure(self, shop: Workshop) -> dict[str, float]:
        """The figures that ties read off, in mm and degrees."""
        body = shop.bodies.get(self.part)
        if body is None:
            raise StepError(
                f"There is no part “{say_name(self.part)}” yet to read off.",
                "Move this step down.",
                "part",
            )
        from ..solids.restated import Refused, settled_in_words
        from ..solids.settle import readings

        ready, values = self._ready(body, shop)
        try:
            state = settled_in_words(ready, values).state
        except Refused as error:
            raise StepError(error.what, error.hint, self._where(error.tie)) from None
        read = readings(ready, state)
        return {
            self.ties[k].name: math.degrees(v) if self.ties[k].kind == "angle" else v
            for k, v in read.items()
            if self.ties[k].name
        }

    def _ready(self, body: Body, shop: Workshop) -> tuple[Held, dict[int, float]]:
        ready = ready_of(body, self.ties)
        return ready, self._values(shop, ready)

    def _values(self, shop: Workshop, ready: Held) -> dict[int, float]:
        """The values of ties with a formula, in mm and radians, with the machine's gains where it
        is looked at what comes off it.

        Raises:
            StepError: where one is none.
        """
        by_face: dict[int, float] = {}
        for slot in self.slots():
            k = int(slot.path.split(".")[1])
            tie, value = self.ties[k], shop.values[slot.path]
            if tie.kind == "angle":
                by_face[k] = math.radians(value)
                continue
            least = 0.0 if tie.kind == "distance" else 1e-9
            if value < least:
                raise StepError(
                    f"The {label_of(tie)} is {value:.4g} mm (from “{tie.formula}”); it must be "
                    + ("above zero." if least else "zero or more."),
                    f"Make “{tie.formula}” larger.",
                    slot.path,
                )
            if tie.side:
                across = value if tie.kind == "diameter" else 0.0
                value += shop.view.gain(tie.side, across, lying=_lies(tie, shop))
                if value <= 0:
                    raise StepError(
                        f"The {label_of(tie)} closes up altogether on this machine.",
                        "Make it larger.",
                        slot.path,
                    )
            by_face[k] = value
        return by_face

    def _where(self, tie: int) -> str:
        return f"ties.{tie}.formula" if 0 <= tie < len(self.ties) else "ties"


def ready_of(body: Body, ties: tuple[Tie, ...]) -> Held:
    """The ties of a part, made ready; kept with its solid, since an edit mostly changes values
    only.

    Raises:
        StepError: where the part is a folded sheet.
    """
    from ..kernel.occ.plain import plain_of
    from ..solids.settle import held

    if body.folded is not None:
        raise StepError(
            "The faces of a folded sheet follow its blank.", "Change its steps instead.", "part"
        )
    solid: Solid = body.solid()
    known: dict[tuple[Tie, ...], Held] = solid.__dict__.setdefault("_held", {})
    tied = tuple(tie.model_copy(update={"formula": "", "name": ""}) if not _frees(tie) else
                 tie.model_copy(update={"formula": "0", "name": ""}) for tie in ties)  # fmt: skip
    ready = known.get(tied)
    if ready is None:
        while len(known) >= _KEPT_OF_EACH:
            known.pop(next(iter(known)))
        ready = known[tied] = held(plain_of(solid), tied)
    return ready.with_ties(ties)


def _frees(tie: Tie) -> bool:
    """Whether it makes a difference to what may move that a tie has a formula."""
    return tie.kind == "angle" and bool(tie.formula)


def _lies(tie: Tie, shop: Workshop) -> bool:
    way = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}.get(tie.bored)
    return way is not None and lies(way, shop.view.up)


def _frames(before: Body, planes: Mapping[FaceName, Surface]) -> dict[FaceName, Frame]:
    """The frames of flat faces, moved with them: where steps that stand on them count from."""
    frames = dict(before.frames)
    for name, plane in planes.items():
        frame = before.frames.get(name)
        if frame is None:
            continue
        off = dot(add(plane.at, frame.origin, -1.0), plane.way)
        level = dot(plane.way, frame.normal) > 1 - 1e-15
        frames[name] = frame.lifted(off) if level else _leaned(frame, plane.at, plane.way)
    return frames


def _leaned(frame: Frame, at: Vector, normal: Vector) -> Frame:
    """A frame turned onto a plane that leans otherwise."""
    n = np.array(normal)
    x = np.array(frame.x) - float(np.dot(frame.x, n)) * n
    x = x / np.linalg.norm(x)
    origin = np.array(frame.origin)
    origin = origin + float((np.array(at) - origin) @ n) * n
    y = np.cross(n, x)
    return Frame(*(as_vector(map(float, v)) for v in (origin, x, y)))


def label_of(tie: Tie) -> str:
    """What a tie measures, in a word or two."""
    return say_name(tie.name) if tie.name else tie.kind


def _pieces(k: int, tie: Tie) -> list[SentencePiece]:
    """A tie as a line of the sentence."""
    places = [say_tie_place(place) for place in tie.of]
    few = places if len(places) < 4 else [*places[:3], f"{len(places) - 3} more"]
    all_of_it = listed(few)
    value: SentencePiece = FormulaPiece(f"ties.{k}.formula")
    if tie.measures is not None and (tie.reads or not tie.formula):
        value = Words("read off" if tie.reads else "held as it is")
    match tie.kind:
        case "pin":
            return [Words(f"pin {all_of_it}")]
        case "distance":
            along = "" if tie.along == "straight" else f" along {tie.along}"
            return [Words(f"{places[0]} to {places[-1]}{along}"), value]
        case "radius" | "diameter":
            sign = "ø" if tie.kind == "diameter" else "radius"
            return [Words(f"{all_of_it}: {sign}"), value]
        case "angle":
            return [Words(f"angle of {' and '.join(places)}"), value]
        case "symmetric":
            about = [say_tie_place(place) for place in tie.about]
            middle = "the middle of " if len(about) > 1 else ""
            return [Words(f"{' and '.join(places)} symmetric about {middle}{' and '.join(about)}")]
    words = {"flush": "flush", "concentric": "on one axis", "equal": "equal"}
    return [Words(f"{all_of_it} {words[tie.kind]}")]


_MANY = {
    "distance": "distances", "radius": "radii", "diameter": "diameters", "angle": "angles",
    "flush": "flush", "concentric": "on one axis", "equal": "equal", "symmetric": "symmetric",
}  # fmt: skip


def _counted(ties: tuple[Tie, ...]) -> str:
    """What there is of ties, in a few words."""
    if not ties:
        return "no ties yet: every face stays where it is"
    counts: Counter[str] = Counter(tie.kind for tie in ties)
    pinned = sum(len(tie.of) for tie in ties if tie.kind == "pin")
    said = [f"{pinned} face{'s' * (pinned != 1)} pinned"] if pinned else []
    for kind, many in _MANY.items():
        if count := counts[kind]:
            said.append(f"{count} {kind if count == 1 and kind in MEASURED else many}")
    return ", ".join(said)
