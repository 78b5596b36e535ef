"""Editions as they are written: ``making`` puts the whole together, ``ready`` the ready-made files,
parts laid on beds and sheets."""

from .making import Progress, make_edition

__all__ = ["Progress", "make_edition"]
