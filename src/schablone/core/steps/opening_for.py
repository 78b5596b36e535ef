"""Opening for: what the ports of a placed part need, cut outwards from it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from ..bought import Thing
from ..bought.resolved import PortAt, rectangle
from ..kernel.frame import Frame, as_vector, dot
from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..kernel.second import walls_along
from ..kernel.tools import Leaned, ToNext, Tool
from ..model import FormulaText, OneLine
from ..quantity import ANGLE
from ..sketch.regions import Region
from .around_things import AroundThings, disc, known_of, opening
from .base import Slot
from .choosing import sides_of
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    PortPiece,
    Sentence,
    SentencePiece,
    StepPiece,
    Words,
)
from .workshop import Feature, StepError, Workshop, above_zero

if TYPE_CHECKING:
    from manifold3d import Manifold

#: How far beyond a wall its opening goes, mm.
_BEYOND = 0.5


class OpeningFor(AroundThings):
    """Cuts an opening outwards from a port of each bought part that a step placed."""

    order = 83
    title = "Opening for a port"
    purpose = "An opening in the wall for a plug, a display or a switch"
    also = "cutout window slot hole connector port plug display"

    kind: Literal["opening_for"] = "opening_for"
    port: OneLine = ""
    reaches: Literal["next", "all", "by"] = "next"
    far: FormulaText = "10 mm"
    lead: FormulaText = "0 deg"

    def slots(self) -> tuple[Slot, ...]:
        slots = [Slot("lead", self.lead, "widening outwards", ANGLE)] * (self.reaches != "all")
        if self.reaches == "by":
            slots.insert(0, Slot("far", self.far, "how far outwards"))
        return tuple(slots)

    def sentence(self) -> Sentence:
        reaches: list[SentencePiece] = [
            ChoicePiece(
                "reaches",
                {
                    "next": "outwards through the next wall",
                    "all": "outwards through everything",
                    "by": "outwards by",
                },
            )
        ]
        if self.reaches == "by":
            reaches.append(FormulaPiece("far"))
        if self.reaches != "all":
            reaches += [Words("widening by"), FormulaPiece("lead")]
        return (
            (
                Words("opening for"),
                PortPiece("port", "of"),
                Words("of"),
                StepPiece("of", ("place",)),
            ),
            tuple(reaches),
        )

    def feature(self, shop: Workshop) -> Feature:
        tools: list[Tool] = []
        lead = self._lead(shop)
        seen = self.seen_walls(shop) if lead and self.reaches == "next" else None
        # Openings on one line are one opening through all walls on it, under one number.
        numbers: dict[tuple[object, ...], int] = {}
        for thing in self.things(shop):
            for port in self._ports(thing):
                frame = thing.motion.frame(port.frame)
                number = numbers.setdefault(_line_of(frame, port), len(numbers) + 1)
                tools += self._opening(shop, thing, port, number, lead, seen)
        return Feature("cut", self.part, tools)

    def _ports(self, thing: Thing) -> list[PortAt]:
        ports = known_of(thing).ports
        mine = [port for port in ports if self.port in ("", port.name)]
        if not mine:
            raise StepError(
                f"{thing.part.said} has no port “{self.port}”."
                if ports
                else f"{thing.part.said} has no ports.",
                "Choose another." if ports else "Give it one where it is described.",
                "port",
                [port.name for port in ports],
            )
        return mine

    def _opening(
        self,
        shop: Workshop,
        thing: Thing,
        port: PortAt,
        number: int,
        lead: float,
        seen: Manifold | None,
    ) -> list[Tool]:
        frame = thing.motion.frame(port.frame)
        plain = (
            disc((0.0, 0.0), port.width)
            if port.is_round
            else Region(
                rectangle(-port.width / 2, -port.height / 2, port.width / 2, port.height / 2)
            )
        )
        regions = opening(plain, lambda length: length + 2 * port.clearance, shop.view)
        far = shop.reach(self.part)
        if self.reaches == "by":
            far = above_zero(shop.values["far"], "length of the opening", self.far, "far")
        tools: list[Tool] = []
        for region in regions:
            sides = {
                curve: FaceName(self.name, "side", face.element).of_member(number)
                for curve, face in sides_of(region, self.name).items()
            }
            inner = FaceName(self.name, "inner").of_member(number)
            outer = FaceName(self.name, "outer").of_member(number)
            prism = Prism(frame, region, 0.0, far, inner, outer, sides)
            if self.reaches == "next":
                tools.append(ToNext(prism))
                if lead:
                    tools.append(Leaned(self._in_the_wall(seen, prism), -lead))
            else:
                tools.append(Leaned(prism, -lead) if lead else prism)
        return tools

    def _lead(self, shop: Workshop) -> float:
        lead = shop.values["lead"] if self.reaches != "all" else 0.0
        if not 0 <= lead <= 60:
            raise StepError(
                f"The opening widens by {lead:g}°; it must lie from 0° to 60°.",
                f"Change “{self.lead}”.",
                "lead",
            )
        return lead

    def _in_the_wall(self, seen: Manifold | None, prism: Prism) -> Prism:
        """As much of an opening as lies in the next wall, seen along its middle, and a little more:
        there it widens."""
        way = prism.frame.normal
        walls = walls_along(seen, prism.frame.origin, way, prism.high)
        # Seen from within the material the first wall is where it ends.
        walls = [0.0, *walls] if len(walls) % 2 else walls
        if not walls:
            raise StepError(
                "There is no wall before the port that the opening could widen in.",
                "Turn the part so that the port faces a wall, or let the opening go by a length.",
                "lead",
            )
        begins, ends = walls[:2]
        beyond = min([_BEYOND, *((walls[2] - ends) / 2 for _ in walls[2:3])])
        return replace(
            prism, frame=prism.frame.moved(as_vector(begins * c for c in way)),
            high=ends - begins + beyond,
        )  # fmt: skip


def _line_of(frame: Frame, port: PortAt) -> tuple[object, ...]:
    """What tells openings apart that go on for ever: their axis, its way, and their size."""
    n, o = frame.normal, frame.origin
    along = dot(o, n)
    foot = [round(o[i] - along * n[i], 6) + 0.0 for i in range(3)]
    way = [round(c, 6) + 0.0 for c in (*n, *frame.x)]
    return (*foot, *way, port.width, port.height, port.clearance, port.is_round)
