"""Edits of the size table: its rows, its columns, its cells."""

from __future__ import annotations

from ...formula import FormulaError
from ...formula.errors import did_you_mean
from ...formula.parse import parse
from ...formula.rewrite import columns_in
from ...formula.rewrite import rename_row as rewrite_row
from ..model import Design, SizeTable
from .formulas import checked, map_formulas


def rename_row(design: Design, old: str, new: str) -> Design:
    """Rename a row of the size table, also in the formulas that read it."""
    if not new.strip():
        raise FormulaError("A variant needs a name.", None, "Type one, such as Hummel 10.")
    if '"' in new or "”" in new:
        raise FormulaError("The name of a variant cannot contain quotes.", None, "Leave them out.")
    if old == new:
        return design
    if design.table.row(new) is not None:
        raise FormulaError(f"There is a variant “{new}” already.", None, "Choose another name.")
    design = map_formulas(design, lambda text: rewrite_row(text, old, new))
    rows = tuple(
        row.model_copy(update={"name": new}) if row.name == old else row
        for row in design.table.rows
    )
    current = new if design.table.current == old else design.table.current
    return put_size_table(
        design, design.table.model_copy(update={"rows": rows, "current": current})
    )


def readers_of(design: Design, column: str) -> list[str]:
    """Users of a size that read it as a column of the size table."""
    readers: list[str] = []

    def note(text: str) -> str:
        try:
            if column in columns_in(text):
                readers.append(f"“{text}”")
        except FormulaError:
            pass
        return text

    map_formulas(design, note)
    return readers[:3]


def put_size_table(design: Design, table: SizeTable) -> Design:
    """Give the design another size table; its columns must be sizes and its cells readable.

    Raises:
        FormulaError: names the row and column of what cannot be used.
    """
    known = [size.name for size in design.sizes]
    for column in table.columns:
        if column not in known:
            raise FormulaError(
                f"There is no size “{column}” for a column.", None, did_you_mean(column, known)
            )
    for row in table.rows:
        for column, text in row.cells.items():
            if column not in table.columns:
                raise FormulaError(
                    f"Row “{row.name}” has a cell for “{column}”, which is no column."
                )
            try:
                parse(text)
            except FormulaError as error:
                raise FormulaError(
                    f"Row “{row.name}”, {column}: {error.what}", None, error.hint
                ) from None
    if table.current and table.row(table.current) is None:
        table = table.model_copy(update={"current": ""})
    changed: Design = checked(lambda: design.with_(table=table))
    return changed


def put_cell(design: Design, row: str, column: str, formula: str) -> Design:
    """Change one cell of the size table."""
    parse(formula)
    rows = tuple(
        old.model_copy(update={"cells": {**old.cells, column: formula.strip()}})
        if old.name == row
        else old
        for old in design.table.rows
    )
    return design.model_copy(update={"table": design.table.model_copy(update={"rows": rows})})


def choose_row(design: Design, row: str) -> Design:
    """Put a row of the size table into force, or none (an empty name)."""
    if row and design.table.row(row) is None:
        raise FormulaError(
            f"The size table has no row “{row}”.",
            None,
            did_you_mean(row, [r.name for r in design.table.rows]),
        )
    return design.model_copy(update={"table": design.table.model_copy(update={"current": row})})


def without_column(table: SizeTable, column: str) -> SizeTable:
    rows = tuple(
        row.model_copy(update={"cells": {k: v for k, v in row.cells.items() if k != column}})
        for row in table.rows
    )
    return table.model_copy(
        update={"columns": tuple(c for c in table.columns if c != column), "rows": rows}
    )
