"""What somebody who made an edition tells about it, as a file (``.report``): what they chose, on
which machine, what they measured, and whether it fits."""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field, field_validator

from ..design.model import Design, EditionNumber
from ..json_model import parse_model
from ..model import FormulaText, Frozen, Identifier, OneLine, Paragraphs
from ..process.model import FIGURES, Process
from ..process.sure import HOLDS_95
from ..prove.size_report import SizeLine
from .changes import called
from .choices import Choice

#: How files of reports end.
REPORT = ".report"
#: So many sizes are asked for, and so many pictures taken, each of so many bytes at most.
MOST_ASKED, MOST_PICTURES, LARGEST_PICTURE = 8, 4, 600_000

#: What is known of a machine: figures, and a kerf for each material and thickness.
MOST_FIGURES = 600
#: So much is told of the material of a kerf.
_LONGEST = 300

_Length = Annotated[float, Field(ge=-100_000, le=100_000, allow_inf_nan=False)]
_Day = Annotated[str, Field(pattern=r"^([0-9]{4}-[0-9]{2}-[0-9]{2})?$")]


class Machine(Frozen):
    """What it was made on: the process by its name, its kind and material, the day it was
    calibrated on (empty where it never was), and its figures in the units of a process file."""

    name: OneLine
    kind: OneLine = ""
    material: OneLine = ""
    calibrated: OneLine = ""
    figures: Annotated[dict[OneLine, float], Field(max_length=MOST_FIGURES)] = {}


class Measured(Frozen):
    """A size that was measured, all mm: as it was wanted, as it was expected to come off the
    machine, give or take ``sure`` for 95 of 100 pieces (0 where nobody knows), and as it was
    measured. ``low`` and ``high`` are where it still is as it is meant, where that is said. ``on``
    is the name of the machine that it was made on; empty where that is the report's."""

    size: Identifier
    label: OneLine = ""
    on: OneLine = ""
    wanted: _Length
    expected: _Length
    sure: Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)] = 0.0
    measured: _Length
    low: _Length | None = None
    high: _Length | None = None

    @property
    def is_as_meant(self) -> bool | None:
        """Whether it is within its tolerance or its class; None where neither is said."""
        if self.low is None or self.high is None:
            return None
        return self.low <= self.measured <= self.high


class Report(Frozen):
    """One make of an edition. ``who`` may be empty, and tells one person's machine from another's
    of the same name. ``others`` are the machines of parts that were not made on ``machine``."""

    format: Literal["schablone report"] = "schablone report"
    version: Literal[1] = 1
    edition: OneLine = ""
    title: OneLine = ""
    number: EditionNumber | Literal[""] = ""
    date: _Day = ""
    who: OneLine = ""
    values: Annotated[dict[Identifier, FormulaText], Field(max_length=5000)] = {}
    machine: Machine | None = None
    others: Annotated[tuple[Machine, ...], Field(max_length=50)] = ()
    measured: Annotated[tuple[Measured, ...], Field(max_length=200)] = ()
    fits: Literal["", "yes", "almost", "no"] = ""
    words: Paragraphs = ""
    pictures: Annotated[tuple[str, ...], Field(max_length=MOST_PICTURES)] = ()

    @field_validator("pictures")
    @classmethod
    def _are_pictures(cls, texts: tuple[str, ...]) -> tuple[str, ...]:
        for text in texts:
            if len(text) > LARGEST_PICTURE * 4 // 3 + 4:
                raise ValueError(f"a picture is larger than {LARGEST_PICTURE // 1000} kB")
            try:
                data = base64.b64decode(text, validate=True)
            except binascii.Error:
                raise ValueError("a picture cannot be read") from None
            if not data.startswith((b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff")):
                raise ValueError("a picture is neither PNG nor JPEG")
        return texts

    def made_on(self, one: Measured) -> Machine | None:
        """The machine that a size was made on; None where nobody knows."""
        if self.machine is not None and one.on in ("", self.machine.name):
            return self.machine
        return next((other for other in self.others if other.name == one.on), None)

    def picture(self, at: int) -> bytes:
        """One of its pictures, PNG or JPEG."""
        return base64.b64decode(self.pictures[at])


def write_report(report: Report) -> str:
    """The text of a file."""
    return json.dumps(report.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n"


def parse_report(text: str, origin: str) -> Report:
    """Read a report.

    Raises:
        SchabloneError: says what is wrong and where in the file.
    """
    return parse_model(Report, text, origin, "a report about an edition", REPORT)


def machine_of(process: Process) -> Machine:
    """What a report says of a process."""
    figures = {
        name: float(value)
        for name in FIGURES[process.kind]
        if isinstance(value := getattr(process, name), int | float) and not isinstance(value, bool)
    }
    for kerf in process.kerfs:
        of = f" {kerf.material}" if kerf.material else ""
        figures[f"kerf in {kerf.thickness:g} mm{of}"[:_LONGEST]] = kerf.kerf
    return Machine(
        name=process.name,
        kind=process.kind,
        material=process.material.name,
        calibrated=process.date,
        figures=figures,
    )


def asked_back(design: Design, lines: Sequence[SizeLine]) -> list[SizeLine]:
    """The sizes that whoever makes an edition is asked to measure: those with a tolerance or a fit,
    then those that may be adjusted; where there are none, the others. Only what a caliper can find
    on the part."""
    adjusted = {item.size for item in design.publish.adjust}
    # A size that is several measures of one machine's parts is asked for once.
    once: dict[tuple[str, str], SizeLine] = {}
    for line in lines:
        if _can_be_measured(line):
            once.setdefault((line.row.name, line.row.process.name), line)
    made = list(once.values())
    told = [line for line in made if line.meant is not None and not line.meant.trouble]
    more = [line for line in made if line not in told and line.row.name in adjusted]
    return ([*told, *more] or made)[:MOST_ASKED]


def _can_be_measured(line: SizeLine) -> bool:
    """Whether a caliper finds it: between two faces, not from one to an axis. What is printed in
    layers has heights, which are on no side of the material; what is cut has not."""
    correction = line.row.measure.correction
    is_height = correction.axes == {"z"} and line.row.process.family == "print"
    return (
        line.row.is_made
        and line.bent != "angle"
        and (correction.side in ("inside", "outside") or is_height)
    )


def measured_as(design: Design, line: SizeLine, measured: float) -> Measured:
    """A reading of a size, mm, beside what was said of it."""
    names = {item.size: called(item) for item in design.publish.adjust}
    meant = line.meant if line.meant is not None and not line.meant.trouble else None
    return Measured(
        size=line.row.name,
        label=names.get(line.row.name, ""),
        on=line.row.process.name,
        wanted=line.row.wanted.value,
        expected=line.row.expected.value,
        sure=HOLDS_95 * line.sure.piece,
        measured=measured,
        low=meant.low if meant else None,
        high=meant.high if meant else None,
    )


def report_of(
    choice: Choice, process: Process, others: Sequence[Process] = (), **said: object
) -> Report:
    """A report about what was made by a choice, on a process and, of parts that have one of their
    own, on ``others``; ``said`` are its other fields."""
    return Report(
        edition=choice.edition,
        title=choice.title,
        number=choice.number,
        values=choice.values,
        machine=machine_of(process),
        others=tuple(machine_of(other) for other in others),
        **said,  # type: ignore[arg-type]
    )
