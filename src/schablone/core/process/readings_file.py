"""Readings out of a spreadsheet: a row for each feature, in millimetres or in inches."""

from __future__ import annotations

from ..formula.typed import typed_number
from ..problem import Problem, SchabloneError
from ..quantity import plain

INCH = 25.4
#: Readings of one feature lie no farther apart, as a share.
_ALIKE = 0.2


def _number(text: str) -> float | None:
    """A reading in a cell, in the unit of its table; some write that behind each."""
    return typed_number(text.strip().removesuffix("mm"))


def read_readings(text: str, name: str, rows: int) -> list[list[str]]:
    """The readings of so many features, mm, row by row; apart by comma, semicolon or tab. A header
    row names the unit.

    Raises:
        SchabloneError: where it has another count of rows, a unit that is not known here, or commas
            of which nobody can say what they are.
    """
    lines = [line for line in text.splitlines() if line.strip()]
    mark = next((m for m in ("\t", ";") if any(m in line for line in lines)), ",")
    cells = [[cell.strip() for cell in line.split(mark)] for line in lines]
    if mark == "," and _are_decimal([_figures(row) for row in cells], name):
        cells = [[",".join(_figures(row))] if _figures(row) else row for row in cells]
    unit = 1.0
    if cells and not any(_number(cell) is not None for cell in cells[0]):
        unit = _unit_of(" ".join(cells.pop(0)).lower(), name)
    numbers = [_figures(row) for row in cells]
    if len(numbers) != rows:
        raise _not_taken(name, f"{name} has {len(numbers)} rows, there are {rows} features.")
    if unit != 1.0:
        numbers = [[plain((_number(cell) or 0.0) * unit, 4) for cell in row] for row in numbers]
    return numbers


def _figures(row: list[str]) -> list[str]:
    """The cells of a row that are numbers."""
    return [cell for cell in row if _number(cell) is not None]


def _are_decimal(rows: list[list[str]], name: str) -> bool:
    """Whether the commas of a table stand in its numbers and not between them: no number has a
    point, and what stands before and after them are no two readings of one feature.

    Raises:
        SchabloneError: where they may be either.
    """
    parted = [row for row in rows if len(row) > 1]
    if not parted or not all(cell.isdigit() for row in rows for cell in row):
        return False
    if all(len(row) <= 2 for row in rows) and any(_differ(*row) for row in parted):
        return True
    what = f"In {name} a comma may stand in a number or between two (“{','.join(parted[0])}”)."
    raise _not_taken(name, what, "Write points, or part the readings by semicolons.")


def _differ(one: str, other: str) -> bool:
    """Whether two figures are too far from each other to be readings of one feature."""
    a, b = float(one), float(other)
    return abs(a - b) > _ALIKE * max(a, b)


def _unit_of(head: str, name: str) -> float:
    if "mm" in head:
        return 1.0
    if any(unit in head for unit in ("cm", "µm")):
        what = f"{name} is neither in millimetres nor in inches (“{head[:60]}”)."
        raise _not_taken(name, what)
    return INCH if any(unit in head for unit in ("inch", "in]", "(in)")) else 1.0


def _not_taken(name: str, what: str, hint: str = "Nothing was taken over.") -> SchabloneError:
    return SchabloneError(Problem(area="file", name=name, what=what, hint=hint))
