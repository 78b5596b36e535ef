"""Readings out of a spreadsheet: a row for each feature, in millimetres or in inches."""

from __future__ import annotations

from ..formula.typed import typed_number
from ..problem import Problem, SchabloneError
from ..quantity import plain

INCH = 25.4


def _number(text: str) -> float | None:
    """A reading in a cell, in the unit of its table; some write that behind each."""
    return typed_number(text.strip().removesuffix("mm"))


def read_readings(text: str, name: str, rows: int) -> list[list[str]]:
    """The readings of so many features, mm, row by row; apart by comma, semicolon or tab. A header
    row names the unit.

    Raises:
        SchabloneError: where it has another count of rows, or a unit that is not known here.
    """
    lines = [line for line in text.splitlines() if line.strip()]
    mark = next((m for m in ("\t", ";") if any(m in line for line in lines)), ",")
    cells = [[cell.strip() for cell in line.split(mark)] for line in lines]
    unit = 1.0
    if cells and not any(_number(cell) is not None for cell in cells[0]):
        unit = _unit_of(" ".join(cells.pop(0)).lower(), name)
    numbers = [[cell for cell in row if _number(cell) is not None] for row in cells]
    if len(numbers) != rows:
        raise _not_taken(name, f"{name} has {len(numbers)} rows, there are {rows} features.")
    if unit != 1.0:
        numbers = [[plain((_number(cell) or 0.0) * unit, 4) for cell in row] for row in numbers]
    return numbers


def _unit_of(head: str, name: str) -> float:
    if "mm" in head:
        return 1.0
    if any(unit in head for unit in ("cm", "µm")):
        what = f"{name} is neither in millimetres nor in inches (“{head[:60]}”)."
        raise _not_taken(name, what)
    return INCH if any(unit in head for unit in ("inch", "in]", "(in)")) else 1.0


def _not_taken(name: str, what: str) -> SchabloneError:
    return SchabloneError(
        Problem(area="file", name=name, what=what, hint="Nothing was taken over.")
    )
