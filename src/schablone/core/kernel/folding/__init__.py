"""Folded sheets: panels joined by bends, kept on their blank, and what is done to them.

``sheet`` is the value and all that follows from it; ``flanges``, ``along_line`` and ``cuts`` make
another one of it; ``tools`` puts what steps cut to it, in space.
"""

from .along_line import Fold, folded_along
from .cuts import cut_blank, marked
from .flanges import Corner, Leg, flanged
from .parts import CannotFold, Relief, Turn, sheet
from .sheet import Bend, Folded, Panel, half_bent
from .tools import with_tools

__all__ = [
    "Bend", "CannotFold", "Corner", "Fold", "Folded", "Leg", "Panel", "Relief", "Turn",
    "cut_blank", "flanged", "folded_along", "half_bent", "marked", "sheet", "with_tools",
]  # fmt: skip
