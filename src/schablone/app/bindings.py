"""The bindings to Qt, set right for what is made with them.

What Qt calls of ours, such as ``paintEvent``: an error in it is told, and ends nothing. Until
Python 3.12 an error that C code raises stays half made until somebody catches it, and the bindings
(Shiboken 6.8 to 6.12) end the process over one that comes out of an overridden method like that: a
division by zero while something was drawn took the window away. Caught and raised again it is
whole, and goes the way of all others (:mod:`~schablone.app.guard`).

What is imported: the bindings put an ``__import__`` of their own in place, which looks through the
source of each module for whether it wants names of Qt spelled otherwise. None here does, and with
it a start takes a twentieth longer: Python's own is put back.

It is so from when this module is loaded on, in all classes that are made later: so it is loaded
before all else that has to do with Qt, but not before what has not.
"""

from __future__ import annotations

import builtins
import functools
import sys
from collections.abc import Callable
from importlib import import_module
from types import FunctionType, ModuleType
from typing import Any

#: What Qt calls beside what ends with ``Event``.
_CALLED = frozenset(
    {"event", "eventFilter", "sizeHint", "minimumSizeHint", "hasHeightForWidth", "heightForWidth",
     "paint"}
)  # fmt: skip


def _load() -> ModuleType:
    """The bindings, and Python's own way to import as before."""
    plain = builtins.__import__
    loaded = import_module("shiboken6.Shiboken")
    builtins.__import__ = plain
    return loaded


_Object: Any = _load().Object


def is_called_by_qt(name: str) -> bool:
    """Whether a method of that name is one that Qt calls."""
    return name.endswith("Event") or name in _CALLED


def _settle(cls: type[Any], /, **more: Any) -> None:
    super(_Object, cls).__init_subclass__(**more)
    for name, method in list(vars(cls).items()):
        if isinstance(method, FunctionType) and is_called_by_qt(name):
            setattr(cls, name, _settled(method))


def _settled(method: Callable[..., Any]) -> Callable[..., Any]:
    @functools.wraps(method)
    def call(*given: Any) -> Any:
        try:
            return method(*given)
        except BaseException:
            raise

    return call


if sys.version_info < (3, 12):
    _Object.__init_subclass__ = classmethod(_settle)
