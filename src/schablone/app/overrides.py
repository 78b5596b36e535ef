"""What Qt calls of ours, such as ``paintEvent``: an error in it is told, and ends nothing.

Until Python 3.12 an error that C code raises stays half made until somebody catches it, and the
bindings to Qt (Shiboken 6.8 to 6.12) end the process over one that comes out of an overridden
method like that: a division by zero while something was drawn took the window away. Caught and
raised again it is whole, and goes the way of all others (:mod:`~schablone.app.guard`).

It is so from when this module is loaded on, in all classes that are made later: so it is loaded
first (by :mod:`~schablone.app.application`), but not before what has nothing to do with Qt, which
would take twice as long to load with Qt there.
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable
from types import FunctionType
from typing import Any

from shiboken6 import Shiboken

#: What Qt calls beside what ends with ``Event``.
_CALLED = frozenset(
    {"event", "eventFilter", "sizeHint", "minimumSizeHint", "hasHeightForWidth", "heightForWidth",
     "paint"}
)  # fmt: skip
_Object: Any = Shiboken.Object


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
