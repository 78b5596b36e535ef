"""Whether the design holds at one point of its range: built as it is wanted, with all checks, and
as it is sent.

What was built is kept by what it follows from, not by the design that it was built of: the steps,
the values of the sizes that they name, the habits of the machine. So an edit of anything else (a
formula that gives the same here, a limit, a check, a note) builds nothing again.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass

from ...design.built import Memory, key_of
from ...design.model import Design
from ...design.opened import opened
from ...design.rebuild import rebuild
from ...formula.functions import FUNCTIONS
from ...formula.value_table import ValueTable
from ...problem import Problem, errors
from ...process.model import Process
from ...quantity import COUNT
from ..checks import (
    STEPS_MADE,
    close_findings,
    made_findings,
    meshes_of,
    own_findings,
    sheet_findings,
)
from ..finding import Finding
from ..materials_known import materials_known
from ..nearness import failing_neighbours
from .allowed import Allowed, Point, Sheets

#: What of a process changes nothing that is built or checked.
_BESIDE = {"history", "pieces", "date", "flow", "cut_speed", "pierce", "set_up", "hour_cost",
           "kilo_cost"}  # fmt: skip
#: What of a design the shape of its parts follows from, its sizes apart.
_SHAPES = {"steps", "parts", "bought", "stencils", "screws", "least_gap", "scale_for_shrinkage",
           "cut_beside_line", "relieve_corners", "bevel_first_layer", "hold_by_tabs"}  # fmt: skip
_NAME = re.compile(r"[^\W\d]\w*")
#: Functions that read columns of the size table.
_READS_TABLE = frozenset(name for name, function in FUNCTIONS.items() if function.columns)
SENT = "What is sent can be made"


@dataclass(frozen=True, slots=True)
class Failure:
    """A check that does not hold at a point: its name, what speaks against it, and where that is.
    ``own``: it is one that the designer wrote."""

    check: str
    why: str
    hint: str = ""
    area: str = "design"
    place: str = ""
    own: bool = False

    @property
    def kind(self) -> tuple[str, str, str]:
        """What failures at several points have in common."""
        return self.check, self.area, self.place


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of a point: what fails there, the counts that the sheet gives, by name, and the
    checks of what is known of machines that do not hold there, with why: that is no fault of the
    design."""

    failures: tuple[Failure, ...]
    counts: tuple[tuple[str, float], ...] = ()
    unsure: tuple[tuple[str, str], ...] = ()

    @property
    def holds(self) -> bool:
        """Whether nothing failed."""
        return not self.failures

    def as_text(self) -> str:
        """As JSON."""
        return json.dumps(asdict(self), ensure_ascii=False)


def outcome_from(text: str) -> Outcome:
    """What :meth:`Outcome.as_text` wrote."""
    data = json.loads(text)
    return Outcome(
        tuple(Failure(**failure) for failure in data["failures"]),
        tuple((str(name), float(value)) for name, value in data["counts"]),
        tuple((str(name), str(why)) for name, why in data["unsure"]),
    )


class Judge:
    """Judges points of one design. ``kept`` gives the text that was kept under a key, ``keep``
    keeps one; ``engine`` is another where the program that builds is."""

    def __init__(
        self,
        allowed: Allowed,
        kept: Callable[[str], str | None] = lambda _: None,
        keep: Callable[[str, str], None] = lambda key, text: None,
        engine: str = "",
    ) -> None:
        self.allowed, self.sheets = allowed, Sheets(allowed)
        self.kept, self.keep, self.engine = kept, keep, engine
        self.memory = Memory()
        self._shape = _shape_of(allowed.design)
        self._names = frozenset(_NAME.findall(self._shape))

    def outcome(self, point: Point) -> Outcome:
        """What comes of a point, built only where nothing is kept of it."""
        design = self.allowed.in_row(point)
        table = self.sheets.at(point)
        key = self.key(point, table)
        text = self.kept(key)
        if text is None:
            text = self._built(design, point)
            self.keep(key, text)
        data = json.loads(text)
        shape = [Failure(**failure) for failure in data["failures"]]
        if data["measured"]:
            table = self.sheets.at(point, data["measured"])
        seen = opened(design)
        own = own_findings(seen, table)
        sheet = sheet_findings(seen, table, table.problems)
        failures = [*_failing(sheet), *shape, *_failing(own)]
        unsure = tuple((name, why) for name, why in data["unsure"])
        return Outcome(tuple(failures), _counts(design, table), unsure)

    def key(self, point: Point, table: ValueTable) -> str:
        """By what the shape at a point is kept."""
        values = [
            (name, repr(cell.wanted.value), repr(cell.sent.value))
            for name, cell in sorted(table.cells.items())
            if "." in name or name in self._names
        ]
        wrong = sorted(str(problem) for problem in table.problems)
        own = self.allowed.design.own_processes()
        others = [_habits(one) for one in self.allowed.known if one.name in own]
        machine = _habits(self.allowed.process(point.process))
        return "shape:" + key_of(self.engine, self._shape, values, wrong, machine, others)

    def _built(self, design: Design, point: Point) -> str:
        machine, given = self.allowed.process(point.process), self.allowed.given(point)
        wanted = rebuild(
            design, design.seen("wanted", machine, self.allowed.known), self.memory, given
        )
        meshes = meshes_of(wanted)
        asked = wanted.things or design.least_gap.strip()
        pairs = failing_neighbours(opened(design), wanted, meshes) if asked else []
        close = close_findings(design, wanted, meshes, pairs=pairs)
        failures = _failing([*made_findings(wanted), *close])
        sent = rebuild(design, design.seen("sent", machine, self.allowed.known), self.memory, given)
        known = {failure.kind for failure in failures}
        failures += [
            one for one in _of_sent(sent.problems, wanted.problems) if one.kind not in known
        ]
        # Steps that cannot be made are told by their problems.
        lies = [finding for finding in made_findings(sent) if finding.name != STEPS_MADE]
        failures += [failure for failure in _failing(lies) if failure.kind not in known]
        materials = materials_known(opened(design), wanted)
        unsure = [(one.name, one.why) for one in materials if not one.holds]
        return json.dumps(
            {
                "failures": [asdict(f) for f in failures],
                "measured": wanted.measured,
                "unsure": unsure,
            },
            ensure_ascii=False,
        )


def _shape_of(design: Design) -> str:
    """What the shape of the parts follows from, sizes apart, as text; the size table where steps
    read it themselves."""
    text = json.dumps(design.model_dump(mode="json", include=_SHAPES), sort_keys=True)
    if not _READS_TABLE.isdisjoint(_NAME.findall(text)):
        text += json.dumps(design.table.model_dump(mode="json", exclude={"current"}))
    return text


def _of_sent(sent: list[Problem], wanted: list[Problem]) -> list[Failure]:
    """What goes wrong only where the machine's corrections are on."""
    told = {problem.text for problem in wanted}
    fresh = [problem for problem in errors(sent) if problem.text not in told]
    if not fresh:
        return []
    first = next((problem for problem in fresh if not problem.waits_for), fresh[0])
    return [Failure(SENT, f"{first.place}: {first.what}", first.hint, first.area, first.name)]


def _failing(findings: list[Finding]) -> list[Failure]:
    return [Failure(f.name, f.why, f.hint, f.area, f.place, f.own) for f in findings if not f.holds]


def _habits(process: Process) -> Mapping[str, object]:
    return process.model_dump(mode="json", exclude=_BESIDE)


def _counts(design: Design, table: ValueTable) -> tuple[tuple[str, float], ...]:
    """What the design counts, its own sizes only: what is within stencils follows from them."""
    return tuple(
        (size.name, table.cells[size.name].wanted.value)
        for size in design.sizes
        if size.name in table.cells and table.cells[size.name].wanted.kind == COUNT
    )
