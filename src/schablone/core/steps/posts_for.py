"""Posts for: columns under the holes of what was placed, with pilot holes for its screws."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from ..bought import Thing
from ..bought.resolved import HoleAt, rectangle
from ..kernel.body import Body
from ..kernel.frame import Frame, as_vector, cross, dot
from ..kernel.naming import FaceName
from ..kernel.operations import apply
from ..kernel.prism import Prism
from ..kernel.second import walls_along
from ..kernel.tools import Revolved, ToNext, Tool
from ..model import FormulaText
from ..sketch.curves import Segment
from ..sketch.loops import Loop
from ..sketch.regions import Region
from .around_things import AroundThings, disc, known_of, plan_of
from .base import Slot
from .choosing import sides_of, with_gains
from .sentence import ChoicePiece, FormulaPiece, Sentence, SentencePiece, StepPiece, Words
from .workshop import COVER, Feature, StepError, Workshop, above_zero

if TYPE_CHECKING:
    from manifold3d import Manifold

#: How far below the top of a post walls are looked for, mm.
_BELOW = 0.05


class PostsFor(AroundThings):
    """Raises a column under each hole of a bought part up to its underside, with a pilot hole, and
    ties it to a wall where that is wanted."""

    order = 82
    title = "Posts for a bought part"
    purpose = "Columns under its holes, with pilot holes that may narrow"
    also = "standoff boss pillar screw mount support"

    kind: Literal["posts_for"] = "posts_for"
    down: Literal["next", "by"] = "next"
    height: FormulaText = "5 mm"
    across: FormulaText = "6 mm"
    pilot: Literal["none", "straight", "narrowing"] = "straight"
    bore: FormulaText = "2.5 mm"
    tip: FormulaText = "2 mm"
    depth: FormulaText = "8 mm"
    tie: Literal["none", "x", "y"] = "none"
    block: FormulaText = "4 mm"
    within: FormulaText = "25 mm"

    def slots(self) -> tuple[Slot, ...]:
        slots = [Slot("across", self.across, "diameter of a post", side="outside", round=True)]
        if self.down == "by":
            slots.append(Slot("height", self.height, "height of a post"))
        if self.pilot != "none":
            slots += [
                Slot("bore", self.bore, "pilot hole", side="inside", round=True),
                Slot("depth", self.depth, "depth of the pilot hole"),
            ]
        if self.pilot == "narrowing":
            slots.append(Slot("tip", self.tip, "pilot hole at its tip", side="inside", round=True))
        if self.tie != "none":
            slots += [
                Slot("block", self.block, "width of the tie", side="outside"),
                Slot("within", self.within, "how far a wall may be away"),
            ]
        return tuple(slots)

    def sentence(self) -> Sentence:
        down: tuple[SentencePiece, ...] = (
            ChoicePiece("down", {"next": "down to the part", "by": "down by"}),
            *((FormulaPiece("height"),) if self.down == "by" else ()),
        )
        pilot: list[SentencePiece] = [
            ChoicePiece(
                "pilot",
                {
                    "none": "without a hole",
                    "straight": "with a pilot hole ø",
                    "narrowing": "with a pilot hole that narrows, ø",
                },
            )
        ]
        if self.pilot != "none":
            pilot.append(FormulaPiece("bore"))
            if self.pilot == "narrowing":
                pilot += [Words("to"), FormulaPiece("tip")]
            pilot += [Words("deep"), FormulaPiece("depth")]
        tie: list[SentencePiece] = [
            ChoicePiece(
                "tie",
                {
                    "none": "standing alone",
                    "x": "tied to the wall along its x, by a block of",
                    "y": "tied to the wall along its y, by a block of",
                },
            )
        ]
        if self.tie != "none":
            tie += [
                FormulaPiece("block"),
                Words("where that is no further than"),
                FormulaPiece("within"),
            ]
        return (
            (
                Words("posts under the holes of"),
                StepPiece("of", ("place",)),
                Words("ø"),
                FormulaPiece("across"),
                *down,
            ),
            tuple(pilot),
            tuple(tie),
        )

    def feature(self, shop: Workshop) -> Feature:
        things = self.things(shop)
        across = above_zero(shop.values["across"], "diameter of a post", self.across, "across")
        if self.pilot != "none":
            bore = above_zero(shop.values["bore"], "pilot hole", self.bore, "bore")
            if bore >= across:
                raise StepError(
                    f"The pilot hole of {bore:.4g} mm leaves nothing of a post of {across:.4g} mm.",
                    f"Make “{self.across}” larger or “{self.bore}” smaller.",
                    "bore",
                )
        added: list[Tool] = []
        ties: list[Tool] = []
        cut: list[Tool] = []
        count = 0
        seen = self.seen_walls(shop) if self.tie != "none" else None
        for thing in things:
            holes = known_of(thing).holes
            if not holes:
                raise StepError(
                    f"{thing.part.said} has no holes that posts could stand under.",
                    "Give it holes where it is described, or use a pocket.",
                    "of",
                )
            for hole in holes:
                count += 1
                frame = self._mouth(thing, hole)
                added += self._post(shop, frame, across, count)
                if self.tie != "none":
                    ties += self._tie(shop, thing, frame, count, seen)
                if self.pilot != "none":
                    cut.append(self._pilot(shop, frame, bore, count))
        if not added:
            return Feature("add", self.part, [])
        if self.tie != "none" and not ties:
            raise StepError(
                f"No wall is as near as {shop.values['within']:.4g} mm to a post, outwards along "
                f"its {self.tie}.",
                f"Make “{self.within}” larger, tie them along the other way, or let them stand "
                "alone.",
                "within",
            )

        def change(body: Body) -> Body:
            made = apply(body, "add", [*added, *ties]).body
            return apply(made, "cut", cut).body if cut else made

        return Feature("add", self.part, change=change)

    def _mouth(self, thing: Thing, hole: HoleAt) -> Frame:
        """Where the axis of a hole meets the thing's underside, its normal up."""
        plan = plan_of(thing)
        axis = thing.motion.vector((0.0, 0.0, 1.0))
        if abs(dot(axis, thing.up)) < 1 - 1e-9:
            raise StepError(
                f"The holes of {thing.part.said} do not go down to what it lies on.",
                "Place it by its underside or its top.",
                "of",
            )
        at = thing.motion.point((*hole.at, 0.0))
        x, y, _ = plan.frame.coordinates(at)
        return Frame(plan.frame.at(x, y), plan.frame.x, plan.frame.y)

    def _named(self, region: Region, role: str, number: int) -> dict[str, FaceName]:
        return {
            curve: FaceName(self.name, role, face.element).of_member(number)
            for curve, face in sides_of(region, self.name).items()
        }

    def _post(self, shop: Workshop, frame: Frame, across: float, number: int) -> list[Tool]:
        deep = shop.reach(self.part)
        if self.down == "by":
            deep = above_zero(shop.values["height"], "height of a post", self.height, "height")
        tools: list[Tool] = []
        for region in with_gains((disc((0.0, 0.0), across),), "add", shop.view):
            top = FaceName(self.name, "top").of_member(number)
            foot = FaceName(self.name, "foot").of_member(number)
            prism = Prism(frame, region, -deep, 0.0, foot, top, self._named(region, "post", number))
            tools.append(ToNext(prism) if self.down == "next" else prism)
        return tools

    def _tie(
        self, shop: Workshop, thing: Thing, frame: Frame, number: int, seen: Manifold | None
    ) -> list[Tool]:
        """A block from the axis of a post outwards to the next wall, as high as the post where that
        has a height, else as the thing is lifted; none where no wall is near."""
        wide = above_zero(shop.values["block"], "width of the tie", self.block, "block")
        plan = plan_of(thing)
        x, y, _ = plan.frame.coordinates(frame.origin)
        way = plan.frame.x if self.tie == "x" else plan.frame.y
        if (x if self.tie == "x" else y) < 0:
            way = as_vector(-c for c in way)
        # Looked for just below what lies on the post.
        most = shop.values["within"]
        most = above_zero(most, "how far a wall may be away", self.within, "within")
        if not walls_along(seen, frame.at(0.0, 0.0, -_BELOW), way, most):
            return []
        high = shop.values["height"] if self.down == "by" else self._room_below(shop, frame)
        side = cross(plan.frame.normal, way)
        # The block is drawn in a plane that looks outwards: across it, and downwards.
        start = Frame(frame.origin, side, plan.frame.normal)
        region = Region(rectangle(-wide / 2, -high, wide / 2, 0.0))
        if dot(start.normal, way) < 0:
            start = replace(start, x=as_vector(-c for c in side))
        far = FaceName(self.name, "wall_end").of_member(number)
        near = FaceName(self.name, "post_end").of_member(number)
        prism = Prism(
            start, region, 0.0, shop.reach(self.part), near, far, self._named(region, "tie", number)
        )
        return [ToNext(prism)]

    def _room_below(self, shop: Workshop, frame: Frame) -> float:
        """How far below a place the part begins, mm."""
        body = shop.bodies.get(self.part)
        low = 0.0
        if body is not None:
            corners = body.figures().bounds
            ends = [
                dot((x - frame.origin[0], y - frame.origin[1], z - frame.origin[2]), frame.normal)
                for x in (corners[0][0], corners[1][0])
                for y in (corners[0][1], corners[1][1])
                for z in (corners[0][2], corners[1][2])
            ]
            low = min(ends)
        if low >= -1e-6:
            raise StepError(
                "There is nothing below these holes that a post could stand on.",
                "Lift what is placed, or let posts go down by a height.",
                "down",
            )
        return -low

    def _pilot(self, shop: Workshop, frame: Frame, bore: float, number: int) -> Tool:
        deep = above_zero(shop.values["depth"], "depth of the pilot hole", self.depth, "depth")
        gain = shop.view.gain("inside", bore)
        names = {
            role: FaceName(self.name, role).of_member(number)
            for role in ("pilot", "pilot_floor", COVER)
        }
        if self.pilot == "straight":
            (region,) = with_gains((disc((0.0, 0.0), bore),), "cut", shop.view)
            sides = dict.fromkeys((c.name for c in region.outer.curves), names["pilot"])
            return Prism(frame, region, -deep, 0.0, names["pilot_floor"], names[COVER], sides)
        tip = above_zero(shop.values["tip"], "pilot hole at its tip", self.tip, "tip") + gain
        wide = bore + gain
        if tip >= wide:
            raise StepError(
                f"The tip of {tip:.4g} mm is no narrower than the mouth of {wide:.4g} mm.",
                f"Make “{self.tip}” smaller.",
                "tip",
            )
        # The half section: x out from the axis, y up along it.
        corners = [(0.0, -deep), (tip / 2, -deep), (wide / 2, 0.0), (0.0, 0.0)]
        roles = ["pilot_floor", "pilot", COVER, ""]
        loop = Loop(
            tuple(
                Segment(p, corners[(k + 1) % 4], roles[k] or "axis") for k, p in enumerate(corners)
            )
        )
        upright = Frame(frame.origin, frame.x, frame.normal)
        sides = {role: names[role] for role in roles if role}
        return Revolved(
            upright, Region(loop), (0.0, 0.0), (0.0, 1.0), 0.0, 360.0,
            names["pilot"], names["pilot"], sides,
        )  # fmt: skip
