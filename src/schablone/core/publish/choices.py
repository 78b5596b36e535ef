"""What somebody chose in an edition, kept as a small file (``.choice``): the sizes that they set,
and their machine. It is opened again in the same edition, or in a later one: then what changed for
it is told. Nothing of it is changed silently."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from ..design.evaluate import table_of
from ..design.model import Adjustable, Design, EditionNumber
from ..design.offered import with_edition_limits
from ..formula.value_table import ValueTable
from ..json_model import parse_model
from ..model import FormulaText, Frozen, Identifier, OneLine
from ..problem import Problem, SchabloneError
from ..process.model import Process
from ..quantity import say
from .changes import called

#: How files of choices end.
CHOICE = ".choice"


class Choice(Frozen):
    """``values`` are formulas by size, those only that were set; ``process`` is the machine by its
    name, ``made_by`` those of parts of their own. ``edition`` is the id of the edition, ``title``
    and ``number`` are as it was when this was saved."""

    format: Literal["schablone choice"] = "schablone choice"
    version: Literal[1] = 1
    edition: OneLine = ""
    title: OneLine = ""
    number: EditionNumber | Literal[""] = ""
    values: Annotated[dict[Identifier, FormulaText], Field(max_length=5000)] = {}
    process: OneLine = ""
    made_by: Annotated[dict[Identifier, OneLine], Field(max_length=200)] = {}


def choice_of(
    design: Design,
    values: Mapping[str, str],
    process: Process,
    made_by: Mapping[str, str] | None = None,
) -> Choice:
    """What is chosen in the edition of a design."""
    return Choice(
        edition=design.publish.id,
        title=design.title,
        number=design.publish.number,
        values=dict(values),
        process=process.name,
        made_by=dict(made_by or {}),
    )


def write_choice(choice: Choice) -> str:
    """The text of a file."""
    return json.dumps(choice.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n"


def parse_choice(text: str, origin: str) -> Choice:
    """Read a choice.

    Raises:
        SchabloneError: says what is wrong and where in the file.
    """
    return parse_model(Choice, text, origin, "a choice of an edition", CHOICE)


@dataclass(frozen=True, slots=True)
class Taken:
    """A choice in an edition: the values that are set there, and in words what is not as it was.
    ``outside`` are sizes whose value this edition does not allow: it stays what was chosen, and
    nothing is made of it until somebody sets it."""

    values: Mapping[str, str]
    notes: tuple[str, ...]
    outside: tuple[str, ...]


def edition_name(title: str, number: str) -> str:
    """An edition in words: ``Entrance slide 1.2``."""
    return f"{title} {number}".strip()


def take_choice(choice: Choice, design: Design, process: Process) -> Taken:
    """Take a choice up in an edition of a design, made by a process.

    Raises:
        SchabloneError: where it was saved with an edition of another design.
    """
    publish = design.publish
    sources = {source.id: source for source in publish.adapted_from if source.id}
    title = design.title
    notes = []
    if choice.edition in sources and choice.edition != publish.id:
        source = sources[choice.edition]
        notes.append(f"saved with “{source.title}”, which this was adapted from")
    elif choice.edition != publish.id or (not publish.id and choice.title != title):
        what = (
            f"This choice was saved with “{choice.title or 'another design'}”; this is “{title}”."
        )
        raise SchabloneError(
            Problem(area="file", name=title, what=what, hint="Open it with its own edition.")
        )
    elif choice.number and publish.history:
        notes += _since(choice, design)
    names = {name: item.size for item in publish.adjust for name in item.formerly}
    names |= {item.size: item.size for item in publish.adjust}
    values: dict[str, str] = {}
    for name, formula in choice.values.items():
        if name not in names:
            notes.append(f"“{name}” can no longer be adjusted; yours was {formula}")
        else:
            values.setdefault(names[name], formula)
    limited = with_edition_limits(design)
    table = table_of(limited, process, values)
    outside = {item.size: why for item in publish.adjust if (why := why_not(table, item))}
    notes += outside.values()
    return Taken(values, tuple(notes), tuple(outside))


def _since(choice: Choice, design: Design) -> list[str]:
    """What became another in the editions since, for what the choice did not set."""
    publish = design.publish
    now = publish.history[-1]
    if choice.number == now.number:
        return []
    title = design.title
    saved = edition_name(title, choice.number)
    if as_order(choice.number) > as_order(now.number):
        return [f"saved with {saved}, which is newer than this edition, {now.number}"]
    notes = [f"saved with {saved}; this is {now.number}"]
    then = next((one for one in publish.history if one.number == choice.number), None)
    if then is None:
        return notes
    for item in publish.adjust:
        names = (item.size, *item.formerly)
        if any(name in choice.values for name in names):
            continue
        before = next((then.values[name] for name in names if name in then.values), None)
        value = now.values.get(item.size, "")
        if before is None:
            notes.append(f"“{called(item)}” is new, {value} as published")
        elif before != value:
            notes.append(f"“{called(item)}” is {value} as published; it was {before}")
    return notes


def as_order(number: str) -> tuple[int, ...]:
    """The number of an edition as something that can be compared."""
    return tuple(int(part) for part in number.split(".")) if number else (0, 0)


def why_not(table: ValueTable, item: Adjustable) -> str:
    """Why the value that somebody chose for a size is not allowed, in words; empty where it is."""
    cell = table.cells.get(item.size)
    if cell is not None and cell.held_at:
        most = "at least" if cell.held_at == "low" else "at most"
        return f"“{called(item)}” may be {most} {say(cell.wanted)}; it is {say(cell.asked)}"
    for problem in table.problems:
        if problem.area == "size" and problem.name == item.size and problem.severity == "error":
            return f"“{called(item)}”: {problem.text}"
    return "" if cell is not None else f"“{called(item)}” has no value"
