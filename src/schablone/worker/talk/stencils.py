"""How stencils look on a board of their own."""

from __future__ import annotations

from typing import Literal

from typing_extensions import TypedDict

from .message import Message


class PictureStencils(Message):
    """How do stencils look from above? Each as the text of its file."""

    do: Literal["picture stencils"] = "picture stencils"
    stencils: tuple[str, ...]


class AreaReport(TypedDict):
    """What a stencil cuts or adds, seen from above."""

    cut: bool
    depth: float
    rings: list[list[tuple[float, float]]]


class StencilReport(TypedDict):
    """How a stencil looks, or what is wrong with it."""

    areas: list[AreaReport]
    trouble: str


class StencilsPictured(Message):
    """How stencils look, in the order in which they were asked for."""

    answer: Literal["stencils pictured"] = "stencils pictured"
    pictures: list[StencilReport]
