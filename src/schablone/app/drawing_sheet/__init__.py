"""The drawing sheet in a window of its own: looked at, put right by hand, written to a file."""

from .window import SheetWindow

__all__ = ["SheetWindow"]
