"""Figures of bodies, and what keeps them from being made."""

from __future__ import annotations

from dataclasses import dataclass

from .frame import Vector


class NothingLeft(ValueError):
    """An operation would leave no material."""


class NoEffect(ValueError):
    """An operation would not touch the body."""


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
