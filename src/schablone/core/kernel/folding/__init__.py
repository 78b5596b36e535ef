"""Folded sheets: panels joined by bends, kept on their blank, and what is done to them.

``sheet`` is the value and all that follows from it; ``flanges`` on ``legs``, ``along_line`` and
``cuts`` make another one of it; ``elsewhere`` finds where they do the same again, ``joined`` makes
one sheet of two; ``tools`` puts what steps cut to it, in space. ``closing`` looks at what came of
it.
"""

from .along_line import Fold, folded_along
from .closing import closes, refuse_open
from .cuts import cut_blank, marked
from .elsewhere import fold_there, leg_there, where_to
from .flanges import CornerForm, flanged
from .joined import joined_sheets
from .legs import Leg
from .parts import CannotFold, Relief, Turn, sheet
from .sheet import Bend, Folded, Panel, half_bent
from .tools import with_tools

__all__ = [
    "Bend", "CannotFold", "CornerForm", "Fold", "Folded", "Leg", "Panel", "Relief", "Turn",
    "closes", "cut_blank", "flanged", "fold_there", "folded_along", "half_bent", "joined_sheets",
    "leg_there", "marked", "refuse_open", "sheet", "where_to", "with_tools",
]  # fmt: skip
