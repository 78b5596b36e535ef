"""Bought parts: things that a design must fit, not make.

``model`` is their file, ``resolved`` what it comes to in millimetres, ``thing`` one of them at its
place, ``store`` reads and writes them and has those that ship.
"""

from .model import Anchor, BoughtLength, BoughtPart, Port, ScrewHole
from .resolved import BoughtError, Resolved, look_at_solids_by, outputs_of, resolved
from .store import bought_on_the_shelf, parse_bought, read_bought, write_bought
from .thing import Thing

__all__ = [
    "Anchor",
    "BoughtError",
    "BoughtLength",
    "BoughtPart",
    "Port",
    "Resolved",
    "ScrewHole",
    "Thing",
    "bought_on_the_shelf",
    "look_at_solids_by",
    "outputs_of",
    "parse_bought",
    "read_bought",
    "resolved",
    "write_bought",
]  # fmt: skip
