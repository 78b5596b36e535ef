"""What comes of a rebuild, and what is remembered from one to the next."""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from ..bought import Thing
from ..formula.value_table import ValueTable
from ..kernel.body import Body
from ..kernel.figures import Figures
from ..kernel.frame import Frame
from ..kernel.naming import FaceName
from ..kernel.operations import Applied
from ..kernel.seating import Deed
from ..problem import Problem, errors
from ..process.lens import LensView
from ..process.model import Process
from ..quantity import Quantity
from ..steps.workshop import Feature, Outlines

Progress = Callable[[int, int, str], None]

_AS_TEXT = json.JSONEncoder(sort_keys=True, default=str)


def key_of(*parts: object) -> str:
    """A key by which what is made of some data is remembered."""
    return hashlib.sha256(_AS_TEXT.encode(parts).encode("utf8")).hexdigest()


class Cancelled(Exception):
    """The rebuild was given up on request."""


@dataclass(frozen=True, slots=True)
class StepState:
    """What became of a step: ``built``, ``carried`` by a row, ``left out`` by its condition,
    ``off``, ``failed``, ``waits``, or ``later`` than the step that is worked at; and the values of
    its slots."""

    state: str
    values: Mapping[str, Quantity] = field(default_factory=dict)
    by: str = ""


@dataclass(frozen=True, slots=True)
class Seat:
    """Where a stencil was put in, or a repeat of one: into what, on which face, in the frames of
    its anchors, and what it did there. ``key`` is another where any of it is."""

    body: Body
    face: FaceName
    frames: tuple[Frame, ...]
    deeds: tuple[Deed, ...]
    key: str


@dataclass(slots=True)
class Rebuilt:
    """The outcome of a rebuild. ``whole`` says that nothing failed; ``sheets`` holds those of
    processes beside the design's, by their names; ``made_of`` the material of each part; ``things``
    the bought parts at their places, by the step that placed them; ``seats`` where stencils sit, by
    the step that put them in; ``offered`` what could be asked of hosts, and is not, by output."""

    view: LensView
    table: ValueTable
    bodies: dict[str, Body] = field(default_factory=dict)
    steps: dict[str, StepState] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)
    keys: dict[str, str] = field(default_factory=dict)
    drawings: dict[str, Outlines] = field(default_factory=dict)
    measured: dict[str, float] = field(default_factory=dict)
    offered: dict[str, float] = field(default_factory=dict)
    figures: dict[str, Figures] = field(default_factory=dict)
    sheets: dict[str, ValueTable] = field(default_factory=dict)
    made_of: dict[str, str] = field(default_factory=dict)
    features: dict[str, Feature] = field(default_factory=dict)
    things: dict[str, tuple[Thing, ...]] = field(default_factory=dict)
    thing_keys: dict[str, str] = field(default_factory=dict)
    seats: dict[str, Seat] = field(default_factory=dict)

    def view_of(self, part: str) -> LensView:
        """The view with the process that a part is made by."""
        return self.view.of_part(part)

    def by_machine(self) -> list[tuple[Process, dict[str, Body]]]:
        """The bodies by the process that they are made by; that of the design first, also where it
        makes none."""
        machines = {self.view.process.name: (self.view.process, dict[str, Body]())}
        for part, body in self.bodies.items():
            machine = self.view_of(part).process
            machines.setdefault(machine.name, (machine, {}))[1][part] = body
        return list(machines.values())

    @property
    def whole(self) -> bool:
        """Whether nothing is wrong."""
        return not errors(self.problems)


#: A body of so many triangles takes the room of another result.
_TRIANGLES = 35_000


class Memory:
    """Results of steps by key; the longest unused are forgotten first. Those that are free forms of
    many triangles take the room of several."""

    def __init__(self, most: int = 400) -> None:
        self.most = most
        self.results: OrderedDict[str, object] = OrderedDict()
        self.misses = 0
        self._weight = 0

    def get(self, key: str, make: Callable[[], object]) -> object:
        """What was made under a key before, or is made now."""
        if key in self.results:
            self.results.move_to_end(key)
            return self.results[key]
        self.misses += 1
        made = self.results[key] = make()
        self._weight += _weight_of(made)
        self.forget(self.most)
        return made

    def forget_half(self) -> None:
        """Keep those used last, half of what there is."""
        self.forget(self._weight // 2)

    def forget(self, most: int) -> None:
        """Keep so many at most, those used last."""
        while self._weight > most and self.results:
            _, gone = self.results.popitem(last=False)
            self._weight -= _weight_of(gone)


def _weight_of(made: object) -> int:
    """How much room a result takes."""
    body = made.body if isinstance(made, Applied) else made
    meshed = body.meshed if isinstance(body, Body) else None
    return 1 if meshed is None else 1 + len(meshed.triangles) // _TRIANGLES
