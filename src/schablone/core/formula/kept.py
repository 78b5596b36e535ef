"""Answers about formulas that are kept: many of short ones, few of long ones, so that what is kept
has a bound in memory and not only in number."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")

#: A formula is short up to so many characters. What is kept of one takes some twenty times its text
#: for each function: some 80 MB at most for all.
SHORT = 100
_MANY, _FEW = 20_000, 300


def kept(function: Callable[P, T]) -> Callable[P, T]:
    """Remember what a function of a formula's text, its first argument, gave last."""
    short = lru_cache(maxsize=_MANY)(function)
    long = lru_cache(maxsize=_FEW)(function)

    def answer(*args: P.args, **kwargs: P.kwargs) -> T:
        by = short if len(args[0]) <= SHORT else long  # type: ignore[arg-type]
        return by(*args, **kwargs)  # type: ignore[arg-type]

    answer.__doc__, answer.__name__ = function.__doc__, function.__name__
    return answer
