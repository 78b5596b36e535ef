"""Figures of bodies, and what keeps them from being made."""

from __future__ import annotations

from dataclasses import dataclass

from .frame import Vector

#: A wall that ends so low, mm, is all in a printer's first layer.
ONE_LAYER = 0.3


class NothingLeft(ValueError):
    """An operation would leave no material."""


class NoEffect(ValueError):
    """An operation would not touch the body."""


class CannotBe(ValueError):
    """A body cannot be made so by what it is: what is wrong, what to do, and which field of a step
    is to blame."""

    def __init__(self, what: str, hint: str = "", where: str = "") -> None:
        super().__init__(what)
        self.what, self.hint, self.where = what, hint, where


class OnlyTriangles(CannotBe):
    """Exact surfaces are asked of a body that is made of triangles."""

    def __init__(self) -> None:
        super().__init__(
            "This needs exact faces, and the part is a free form made of triangles.",
            "Such a part can be cut, added to, cut off, split, mirrored, moved and repeated. Do "
            "this to what is added to it, before the two are put together.",
        )


def is_kernel_failure(error: Exception) -> bool:
    """Whether the geometry kernel raised this: its failures are a family of their own. Does not
    load the kernel."""
    return type(error).__module__.partition(".")[0] == "OCP"


@dataclass(frozen=True, slots=True)
class Figures:
    """Volume mm³, surface mm², corners of the bounding box mm, centre of mass mm."""

    volume: float
    area: float
    bounds: tuple[Vector, Vector]
    centre: Vector
