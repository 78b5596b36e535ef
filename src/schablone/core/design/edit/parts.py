"""Edits of parts: what makes them, of what, and how they are screwed together."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from ...formula import FormulaError
from ...formula.parse import check_name
from ..model import Design, Part, ScrewRow
from .formulas import checked


def add_part(design: Design, title: str) -> tuple[Design, str]:
    """Add a part of this title; also its name."""
    name = "_".join(title.split()).lower()
    check_name(name)
    if any(part.name == name for part in design.parts):
        raise FormulaError(f"There is a part “{name}” already.", None, "Choose another name.")
    return design.model_copy(
        update={"parts": (*design.parts, Part(name=name, title=title.strip()))}
    ), name


def put_screws(design: Design, rows: Sequence[tuple[float, float, float, float, str]]) -> Design:
    """State clearance holes beside those of the standard: nominal, fine, medium, coarse in mm, and
    where from.

    Raises:
        FormulaError: where one is no screw.
    """
    screws = tuple(
        checked(partial(ScrewRow, nominal=n, fine=f, medium=m, coarse=c, source=source))
        for n, f, m, c, source in rows
    )
    return design.model_copy(update={"screws": screws})


def make_of(design: Design, part: str, material: str, density: float | None = None) -> Design:
    """State what a part is made of; an empty material is that of the process."""
    changes = {"material": material, "density": density}
    parts = tuple(
        checked(partial(p.with_, **changes)) if p.name == part else p for p in design.parts
    )
    return design.model_copy(update={"parts": parts})


def make_by(design: Design, part: str, process: str) -> Design:
    """State by which process a part is made; an empty name is that of the design."""
    parts = tuple(p.with_(process=process) if p.name == part else p for p in design.parts)
    return design.model_copy(update={"parts": parts})


def cut_by(design: Design, part: str, process: str) -> Design:
    """State by which process the blank of a folded part is cut; an empty name says nothing."""
    parts = tuple(p.with_(cut_by=process) if p.name == part else p for p in design.parts)
    return design.model_copy(update={"parts": parts})
