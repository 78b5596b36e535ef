"""The practice machines that ship, by name. What they do is for nobody to read but them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from .caliper import Caliper, Made
from .cutting import Laser, Router
from .features import Measurable
from .folding import FlatStrip, FoldingMachine, Gauge
from .printing import FilamentPrinter, ResinPrinter


class Maker(Protocol):
    """What makes a piece on a day, out of the features of a file."""

    @property
    def formats(self) -> tuple[str, ...]:
        """The endings of the files that it takes."""
        ...

    def make(self, features: list[Measurable], day: int, piece: int) -> list[Made]:
        """The piece, feature by feature."""
        ...


@dataclass(frozen=True, slots=True)
class PracticeMachine:
    """A simulated machine with its caliper. ``kind`` is that of the processes it stands in for."""

    name: str
    kind: str
    maker: Maker
    caliper: Caliper

    def make(
        self,
        features: list[Measurable],
        piece: int,
        day: int = 1,
        layer: float = 0.0,
        through: float = 0.0,
    ) -> list[Made]:
        """Make a piece with the features of a file on a day; a printer in layers, a machine that
        cuts from stock of so many millimetres, where they are given."""
        maker = self.maker
        if layer > 0 and isinstance(maker, FilamentPrinter | ResinPrinter):
            maker = replace(maker, layer=layer)
        if through > 0 and isinstance(maker, Laser | Router):
            maker = replace(maker, through=through)
        return maker.make(features, day, piece)

    def measure(
        self, piece: Sequence[Made], times: int, seed: int
    ) -> list[tuple[Measurable, tuple[float, ...]]]:
        """Readings of everything on a piece, mm, each so many times."""
        return self.caliper.readings(piece, times, seed)


def machines() -> tuple[PracticeMachine, ...]:
    """The practice machines that ship."""
    return (
        PracticeMachine(
            "Practice printer Fink", "filament print", FilamentPrinter.of(3), Caliper.of(3)
        ),
        PracticeMachine(
            "Practice printer Gimpel", "filament print", FilamentPrinter.of(8), Caliper.of(8, 0.02)
        ),
        PracticeMachine(
            "Practice printer Girlitz", "resin print", ResinPrinter.of(5), Caliper.of(5)
        ),
        PracticeMachine("Practice laser Kleiber", "laser or knife", Laser.of(4), Caliper.of(4)),
        PracticeMachine("Practice router Ammer", "router", Router.of(6), Caliper.of(6, 0.02)),
    )


#: The practice machines that fold, each with its seed among the many.
FOLDERS = {"Practice folder Drossel": 4, "Practice folder Zaunkönig": 9}


def practise_bending(
    strips: Sequence[FlatStrip], name: str, thickness: float, piece: int, times: int
) -> tuple[list[tuple[FlatStrip, float, list[tuple[float, float, float]]]], float]:
    """Let a folding machine bend the strips of a drawing, and measure them: for each the strip as
    it was drawn, its thickness, and legs and angle so many times; and the inside radius by a
    gauge, mm.

    Raises:
        KeyError: where there is no such machine.
    """
    maker, gauge = FoldingMachine.of(FOLDERS[name]), Gauge()
    made = []
    for number, strip in enumerate(strips):
        bent = maker.bend(strip, thickness, strip.angle, 100 * piece + number)
        seed = 100 * piece + number
        made.append((strip, gauge.thick(bent, seed), gauge.read(bent, times, seed)))
    return made, round(maker.inside_radius(thickness), 1)


def machine(name: str) -> PracticeMachine:
    """A practice machine by its name.

    Raises:
        KeyError: where there is none.
    """
    return {one.name: one for one in machines()}[name]


def machines_for(kind: str) -> tuple[str, ...]:
    """The names of those that stand in for a kind of process."""
    if kind == "folding":
        return tuple(FOLDERS)
    return tuple(one.name for one in machines() if one.kind == kind)
