"""Sizes and size tables as spreadsheet text: CSV, or tab-separated as it is copied and pasted.

Reading takes all or nothing: every finding is told with its line and column, and nothing is taken
over half.
A header may carry a unit for its column, ``width [in]``; cells without a unit then get it.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping, Sequence

from pydantic import ValidationError

from ..formula import FormulaError, parse
from ..formula.errors import did_you_mean
from ..formula.parse import check_name
from ..problem import Problem, SchabloneError
from ..quantity import unit
from ..words import say_validation
from .model import Design, Size, SizeTable, Variant

_HEADER = re.compile(r"^\s*(?P<name>[^\[\]]*?)\s*(?:\[(?P<unit>[^\]]+)\])?\s*$")
_SIZE_COLUMNS = ("name", "formula", "note", "group", "low", "high", "policy", "step", "tolerance")
_BARE = re.compile(r"-?(?:\d+(?:\.\d+)?|\d+/\d+|\d+ +\d+/\d+)")
_MOST_CELLS = 200_000


def _cells(text: str) -> list[list[str]]:
    """Lines of cells; tabs if there are any, else commas or semicolons."""
    first = text.split("\n", 1)[0]
    separator = "\t" if "\t" in first else ";" if first.count(";") > first.count(",") else ","
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=separator))
    except csv.Error as error:
        raise SchabloneError(
            Problem(area="file", what=f"The table cannot be read: {error}.")
        ) from None
    if sum(len(row) for row in rows) > _MOST_CELLS:
        raise SchabloneError(
            Problem(area="file", what=f"The table has more than {_MOST_CELLS:,} cells.")
        )
    return [[cell.strip() for cell in row] for row in rows]


def _at(line: int, column: str, what: str, hint: str = "") -> Problem:
    return Problem(
        area="file",
        name=f"line {line}",
        field=column,
        what=f"Line {line}, {column}: {what}",
        hint=hint,
    )


def _with_unit(cell: str, unit_text: str) -> str:
    """A cell with its column's unit put behind a bare number. Decimal commas of spreadsheets are
    points here."""
    if re.fullmatch(r"-?\d+,\d+", cell):
        cell = cell.replace(",", ".")
    if not unit_text or not _BARE.fullmatch(cell):
        return cell
    # A lone fraction is one number only before inches; before other units it is written as a mixed
    # one.
    lone = "/" in cell and " " not in cell and unit_text not in ("in", "ft", "thou")
    return f"0 {cell} {unit_text}" if lone else f"{cell} {unit_text}"


def write_table(design: Design, separator: str = ",") -> str:
    """The size table as text: a column of names, then one for each size."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, delimiter=separator, lineterminator="\n")
    writer.writerow(["variant", *design.table.columns])
    for row in design.table.rows:
        writer.writerow([row.name, *(row.cells.get(column, "") for column in design.table.columns)])
    return buffer.getvalue()


def read_table(design: Design, text: str) -> SizeTable:
    """A size table from text whose first column names the variants and whose header names sizes.

    Raises:
        SchabloneError: with every finding, by line and column.
    """
    rows = [(line, row) for line, row in enumerate(_cells(text), 1) if any(row)]
    if not rows:
        raise SchabloneError(
            Problem(area="file", what="There is no table.", hint="The first line names the sizes.")
        )
    problems: list[Problem] = []
    columns, units = _header(design, rows[0][1][1:], rows[0][0], problems)
    variants: list[Variant] = []
    seen: dict[str, int] = {}
    for line, row in rows[1:]:
        name = row[0]
        if not name:
            problems.append(_at(line, "column 1", "the variant has no name."))
            continue
        if name in seen:
            problems.append(_at(line, "column 1", f"“{name}” stands in line {seen[name]} already."))
        seen.setdefault(name, line)
        if len(row) > len(columns) + 1 and any(row[len(columns) + 1 :]):
            problems.append(
                _at(
                    line,
                    f"column {len(columns) + 2}",
                    "there are more cells than names in the first line.",
                )
            )
        cells = {}
        for column, unit_text, cell in zip(columns, units, row[1:], strict=False):
            if not cell:
                continue
            try:
                cells[column] = _with_unit(cell, unit_text)
                parse(cells[column])
            except FormulaError as error:
                problems.append(_at(line, column, error.what, error.hint))
        if len(name) > 300:
            problems.append(_at(line, "column 1", "the variant's name is longer than 300."))
            continue
        variants.append(Variant(name=name, cells=cells))
    if problems:
        raise SchabloneError(*problems)
    current = design.table.current if any(v.name == design.table.current for v in variants) else ""
    return SizeTable(columns=tuple(columns), rows=tuple(variants), current=current)


def _header(
    design: Design, cells: Sequence[str], line: int, problems: list[Problem]
) -> tuple[list[str], list[str]]:
    columns: list[str] = []
    units: list[str] = []
    known = [size.name for size in design.sizes]
    for number, cell in enumerate(cells, 2):
        match = _HEADER.match(cell)
        name, unit_text = (match["name"], match["unit"] or "") if match else (cell, "")
        where = f"column {number}"
        if name not in known:
            problems.append(
                _at(line, where, f"there is no size “{name}”.", did_you_mean(name, known))
            )
        elif name in columns:
            problems.append(_at(line, where, f"“{name}” is there twice."))
        if unit_text:
            try:
                unit(unit_text)
            except KeyError:
                problems.append(
                    _at(
                        line,
                        where,
                        f"“{unit_text}” is no unit.",
                        "Units are mm, cm, m, in, ft, deg, g, kg.",
                    )
                )
        columns.append(name)
        units.append(unit_text)
    return columns, units


def write_sizes(design: Design, separator: str = ",") -> str:
    """All sizes as text, with their formulas, notes, groups and limits."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, delimiter=separator, lineterminator="\n")
    writer.writerow(_SIZE_COLUMNS)
    for size in design.sizes:
        writer.writerow([getattr(size, column) for column in _SIZE_COLUMNS])
    return buffer.getvalue()


def read_sizes(text: str) -> tuple[Size, ...]:
    """Sizes from text with a header line of ``name``, ``formula`` and any of the other columns, or
    from two bare columns, name and formula.

    Raises:
        SchabloneError: with every finding, by line and column.
    """
    rows = [(line, row) for line, row in enumerate(_cells(text), 1) if any(row)]
    if not rows:
        raise SchabloneError(
            Problem(
                area="file", what="There are no sizes.", hint="Each line has a name and a formula."
            )
        )
    matches = [_HEADER.match(cell) for cell in rows[0][1]]
    header = [
        (match["name"].casefold(), match["unit"] or "") if match else ("", "") for match in matches
    ]
    if "name" in [name for name, _ in header]:
        rows = rows[1:]
    else:
        header = [("name", ""), ("formula", ""), ("note", "")]
    problems = [
        _at(
            1,
            f"column {number}",
            f"“{name}” is no column of sizes.",
            f"Columns are {', '.join(_SIZE_COLUMNS)}.",
        )
        for number, (name, _) in enumerate(header, 1)
        if name and name not in _SIZE_COLUMNS
    ]
    sizes: list[Size] = []
    seen: dict[str, int] = {}
    for line, row in rows:
        fields, wrong = _fields(line, row, header)
        problems += wrong
        name = fields.get("name", "")
        if name and name in seen:
            problems.append(_at(line, "name", f"“{name}” stands in line {seen[name]} already."))
        seen.setdefault(name, line)
        if not problems:
            size, wrong = _size(line, fields)
            problems += wrong
            sizes += size
    if problems:
        raise SchabloneError(*problems)
    return tuple(sizes)


def _fields(
    line: int, row: Sequence[str], header: Sequence[tuple[str, str]]
) -> tuple[dict[str, str], list[Problem]]:
    """The cells of a line by their columns, and what is wrong with them."""
    fields: dict[str, str] = {}
    problems: list[Problem] = []
    for (column, unit_text), cell in zip(header, row, strict=False):
        try:
            fields[column] = _with_unit(cell, unit_text) if unit_text and cell else cell
            if column in ("formula", "low", "high", "step", "tolerance") and cell:
                parse(fields[column])
            if column == "name" and cell:
                check_name(cell)
        except FormulaError as error:
            problems.append(_at(line, column, error.what, error.hint))
    problems += [
        _at(line, column, "there is none.", "Each line has a name and a formula.")
        for column in ("name", "formula")
        if not fields.get(column)
    ]
    policy = fields.get("policy") or "stop"
    if policy not in ("stop", "refuse"):
        problems.append(_at(line, "policy", f"“{policy}” is no policy.", "It is stop or refuse."))
    return fields, problems


def _size(line: int, fields: Mapping[str, str]) -> tuple[list[Size], list[Problem]]:
    kept = {key: text for key, text in fields.items() if key in _SIZE_COLUMNS}
    try:
        return [Size.model_validate({**kept, "policy": fields.get("policy") or "stop"})], []
    except ValidationError as error:
        trouble = say_validation(error, "file", "")
        return [], [_at(line, problem.field, problem.what) for problem in trouble]
