"""Flat drawings as numbers: closed outlines of lines and arcs, and the regions that they
enclose."""

from .curves import Curve, EllipticArc, Segment
from .loops import Loop
from .regions import OutlinesCross, Region, regions_of

__all__ = ["Curve", "EllipticArc", "Loop", "OutlinesCross", "Region", "Segment", "regions_of"]
