"""The kinds of step, one module each.

A new kind is a new module here, named as the kind is in files, with one subclass of
:class:`~schablone.core.steps.base.Step`: its data, its sentence, its geometry. It is found by
itself; the file format, the card in the window, the text view and the command line come from it. So
is a module in a folder that the environment variable ``SCHABLONE_STEPS`` names.
"""

from __future__ import annotations

from .base import Step
from .known import FOLDERS, KINDS, AnyStep

__all__ = ["FOLDERS", "KINDS", "AnyStep", "Step"]
