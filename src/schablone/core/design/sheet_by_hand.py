"""What a hand changes on a drawing sheet: each returns the design with it."""

from __future__ import annotations

from typing import Any

from .model import Design, DrawingSheet, PutByHand, ViewByHand


def with_sheet(design: Design, **changes: Any) -> Design:
    """The drawing sheet with other paper, scale, projection or cuts.

    Raises:
        pydantic.ValidationError: for what is none.
    """
    return _with(design, design.publish.sheet.with_(**changes))


def put(design: Design, where: PutByHand) -> Design:
    """A dimension put somewhere."""
    sheet = design.publish.sheet
    others = tuple(one for one in sheet.dimensions if not _same(one, where.part, where.size))
    return _with(design, sheet.with_(dimensions=(*others, where)))


def let_go(design: Design, part: str, size: str) -> Design:
    """A dimension put where room is found for it again."""
    sheet = design.publish.sheet
    left = tuple(one for one in sheet.dimensions if not _same(one, part, size))
    return _with(design, sheet.with_(dimensions=left))


def move_view(design: Design, part: str, view: str, right: float, up: float) -> Design:
    """A view moved by so much on paper, mm, beyond where it was moved before."""
    sheet = design.publish.sheet
    before = next((one for one in sheet.views if (one.part, one.view) == (part, view)), None)
    moved = ViewByHand(
        part=part,
        view=view,
        right=(before.right if before else 0.0) + right,
        up=(before.up if before else 0.0) + up,
    )
    others = tuple(one for one in sheet.views if one is not before)
    return _with(design, sheet.with_(views=(*others, moved)))


def all_let_go(design: Design) -> Design:
    """Everything where room is found for it again."""
    return with_sheet(design, dimensions=(), views=())


def _same(one: PutByHand, part: str, size: str) -> bool:
    return (one.part, one.size) == (part, size)


def _with(design: Design, sheet: DrawingSheet) -> Design:
    publish = design.publish.model_copy(update={"sheet": sheet})
    return design.model_copy(update={"publish": publish})
