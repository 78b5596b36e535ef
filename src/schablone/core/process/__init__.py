"""Machines with their materials and measured habits, and the lenses through which a design is
seen."""

from .known import Material
from .lens import LENSES, Lens, LensView
from .model import Process, neutral
from .store import read_process, shipped_processes

__all__ = [
    "LENSES",
    "Lens",
    "LensView",
    "Material",
    "Process",
    "neutral",
    "read_process",
    "shipped_processes",
]
