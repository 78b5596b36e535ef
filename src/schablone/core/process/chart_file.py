"""Charts of bends as text, as machine builders and shops hand them out: one bend a line, lengths in
mm, or in the unit that stands behind the name of their column, and angles in degrees, under a head
that names the columns."""

from __future__ import annotations

import csv
import io

from pydantic import ValidationError

from ..problem import Problem, SchabloneError
from ..words import say_name, say_validation
from .bending import allowance, set_back
from .known import Bend
from .readings_file import INCH

#: Words that stand over a column, and the field that they mean; one of the last three says how long
#: the bend is on the blank.
_HEADS = {
    "material": "material", "thickness": "thickness", "t": "thickness", "radius": "radius",
    "inside radius": "radius", "inner radius": "radius", "r": "radius", "angle": "angle",
    "springs back": "springs_back", "spring-back": "springs_back", "springback": "springs_back",
    "die": "die", "die width": "die", "v": "die",
    "deduction": "deduction", "bend deduction": "deduction", "allowance": "allowance",
    "bend allowance": "allowance", "k": "k", "k-factor": "k", "k factor": "k",
}  # fmt: skip
_LENGTHS = ("deduction", "allowance", "k")
#: Columns that hold no length, and what makes millimetres of one.
_NO_LENGTHS = ("material", "angle", "springs_back", "k")
_UNITS = {"": 1.0, "mm": 1.0, "cm": 10.0, "in": INCH, "inch": INCH, "inches": INCH, '"': INCH}
_MOST = 500


def read_chart(text: str) -> tuple[Bend, ...]:
    """The bends of a chart. Columns: thickness, radius, angle (90 where it is missing), and
    deduction, allowance or k-factor; material, spring-back and die width where they are there.

    Raises:
        SchabloneError: with every finding, by its line.
    """
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) < 2:
        raise SchabloneError(_wrong("there are no bends.", "The first line names the columns."))
    mark = max(";\t,", key=lines[0].count)
    rows = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=mark))
    heads = [_split(cell) for cell in rows[0]]
    fields = [_HEADS.get(head, "") for head, _ in heads]
    missing = [name for name in ("thickness", "radius") if name not in fields]
    if not any(name in fields for name in _LENGTHS):
        missing.append("deduction")
    if missing:
        raise SchabloneError(
            _wrong(
                f"there is no column {' and no column '.join(missing)}.",
                "Columns are thickness, radius, angle and deduction (or allowance, or k-factor).",
            )
        )
    if len(rows) > _MOST + 1:
        raise SchabloneError(
            _wrong(f"there are {len(rows) - 1} bends.", f"One holds {_MOST} at most: divide it.")
        )
    factors = {
        field: _factor(unit) for field, (_, unit) in zip(fields, heads, strict=True)
        if field and field not in _NO_LENGTHS
    }  # fmt: skip
    problems: list[Problem] = []
    bends: list[Bend] = []
    for number, row in enumerate(rows[1:], 2):
        cells = {name: cell.strip() for name, cell in zip(fields, row, strict=False) if name}
        try:
            if any(cell.strip() for cell in row[len(fields) :]):
                raise ValueError("it has more cells than there are columns: commas in its numbers?")
            bends.append(_bend({name: cell for name, cell in cells.items() if cell}, factors))
        except ValidationError as error:
            told = say_validation(error, "process", "bend")
            problems.append(_wrong(f"line {number}: {told[0].what}", told[0].hint))
        except ValueError as error:
            problems.append(_wrong(f"line {number}: {error}.", "Mend the line, or take it out."))
    if problems:
        raise SchabloneError(*problems)
    return tuple(bends)


def _split(cell: str) -> tuple[str, str]:
    """What stands over a column, and the unit behind it: ``thickness (mm)``, ``radius, in``."""
    head, _, unit = cell.casefold().replace("[", "(").replace("]", ")").partition("(")
    if not unit:
        head, _, unit = head.partition(",")
    return head.strip(), unit.strip(" ).")


def _factor(unit: str) -> float:
    """What makes millimetres of a length in a unit."""
    if unit not in _UNITS:
        raise SchabloneError(_wrong(f"lengths are in “{unit}”.", "Known are mm, cm and in."))
    return _UNITS[unit]


def _bend(cells: dict[str, str], factors: dict[str, float]) -> Bend:
    numbers = {
        name: _number(name, cell) * factors.get(name, 1.0)
        for name, cell in cells.items()
        if name != "material"
    }
    for name in ("thickness", "radius"):
        if name not in numbers:
            raise ValueError(f"the {name} is missing")
    angle, radius, thickness = numbers.get("angle", 90.0), numbers["radius"], numbers["thickness"]
    taken = 2 * set_back(angle, radius + thickness)
    if "deduction" in numbers:
        deduction = numbers["deduction"]
    elif "allowance" in numbers:
        deduction = taken - numbers["allowance"]
    elif "k" in numbers:
        deduction = taken - allowance(angle, radius, thickness, numbers["k"])
    else:
        raise ValueError("its deduction is missing")
    more = {name: numbers[name] for name in ("springs_back", "die") if name in numbers}
    return Bend.model_validate(
        {
            "material": cells.get("material", ""),
            "thickness": thickness,
            "radius": radius,
            "angle": angle,
            "deduction": deduction,
            **more,
        }
    )


def _number(name: str, cell: str) -> float:
    try:
        plain = cell.replace(",", ".").replace("−", "-").rstrip("°").removesuffix("mm")
        return float(plain.strip())
    except ValueError:
        raise ValueError(f"“{cell}” is no number for the {say_name(name)}") from None


def _wrong(what: str, hint: str) -> Problem:
    return Problem(area="file", what=f"In the chart {what}", hint=hint)
