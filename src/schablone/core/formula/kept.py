"""Answers about formulas that are kept: many of short ones; of long ones as many as their texts
together are no longer than a bound, so that what is kept has a bound in memory and not only in
number."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from functools import lru_cache
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")

#: A formula is short up to so many characters. What is kept of one takes some twenty times its text
#: for each function: some 80 MB at most for all.
SHORT = 100
_MANY = 20_000
#: So many characters of long formulas are kept for each function.
_LONG = 500_000


def kept(function: Callable[P, T]) -> Callable[P, T]:
    """Remember what a function of a formula's text, its first argument, gave last."""
    short = lru_cache(maxsize=_MANY)(function)
    long = _Long(function)

    def answer(*args: P.args, **kwargs: P.kwargs) -> T:
        if len(args[0]) <= SHORT:  # type: ignore[arg-type]
            return short(*args, **kwargs)  # type: ignore[arg-type]
        return long.answer(*args)  # type: ignore[return-value]

    answer.__doc__, answer.__name__ = function.__doc__, function.__name__
    return answer


class _Long:
    """What was given for long formulas, the longest unused forgotten first. Asked for the same by
    two threads at once it may be worked out twice."""

    def __init__(self, function: Callable[..., object]) -> None:
        self.function = function
        self._answers: OrderedDict[tuple[object, ...], object] = OrderedDict()
        self._length = 0
        self._lock = threading.Lock()

    def answer(self, *args: object) -> object:
        with self._lock:
            if args in self._answers:
                self._answers.move_to_end(args)
                return self._answers[args]
        made = self.function(*args)
        with self._lock:
            if args not in self._answers:
                self._length += _length_of(args)
            self._answers[args] = made
            while self._length > _LONG and len(self._answers) > 1:
                gone, _ = self._answers.popitem(last=False)
                self._length -= _length_of(gone)
        return made


def _length_of(args: tuple[object, ...]) -> int:
    text = args[0]
    assert isinstance(text, str)
    return len(text)
