"""Flat drawings as numbers: closed outlines of lines and arcs, and the regions that they
enclose."""

from .curves import Arc, Curve, Line, Loop
from .regions import OutlinesCross, Region, regions_of

__all__ = ["Arc", "Curve", "Line", "Loop", "OutlinesCross", "Region", "regions_of"]
