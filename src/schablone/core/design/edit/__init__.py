"""Edits: small functions from a design to a new design. None changes what it is given.

All raise :class:`~schablone.core.formula.FormulaError` with words where the edit is not possible.
"""

from __future__ import annotations

from .formulas import get_path, is_asked, map_formulas, map_step, with_steps_renamed
from .parts import add_part, cut_by, make_by, make_of, put_screws
from .rows import choose_row, put_cell, put_size_table, rename_row
from .sizes import (
    add_size,
    change_size,
    delete_size,
    move_group,
    move_size,
    put_size,
    rename_group,
    rename_size,
    set_formula,
    users_of,
)
from .steps import (
    change_step,
    delete_step,
    free_name,
    group_steps,
    move_step,
    put_step,
    rename_step_everywhere,
    would_break,
)

__all__ = [
    "add_part",
    "add_size",
    "change_size",
    "change_step",
    "choose_row",
    "cut_by",
    "delete_size",
    "delete_step",
    "free_name",
    "get_path",
    "group_steps",
    "is_asked",
    "make_by",
    "make_of",
    "map_formulas",
    "map_step",
    "move_group",
    "move_size",
    "move_step",
    "put_cell",
    "put_screws",
    "put_size",
    "put_size_table",
    "put_step",
    "rename_group",
    "rename_row",
    "rename_size",
    "rename_step_everywhere",
    "set_formula",
    "users_of",
    "with_steps_renamed",
    "would_break",
]
