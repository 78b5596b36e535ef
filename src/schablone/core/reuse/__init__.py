"""Stencils: what is drawn once, kept with an anchor and open sizes, and put into other parts."""

from .model import HERE, HOST, FurtherFace, FurtherPart, Stencil, StencilSize
from .store import SUFFIX, parse_stencil, read_stencil, stencils_on_the_shelf, write_stencil

__all__ = [
    "HERE",
    "HOST",
    "SUFFIX",
    "FurtherFace",
    "FurtherPart",
    "Stencil",
    "StencilSize",
    "parse_stencil",
    "read_stencil",
    "stencils_on_the_shelf",
    "write_stencil",
]
