"""Files that once led far into a reader, or stumbled there: a value or words, and not for long."""

from __future__ import annotations

import sys
from collections.abc import Callable

import pytest

from tests.conftest import TOP

sys.path.insert(0, str(TOP / "benchmarks"))
import guided

#: So many functions may one file have called. What is counted is the same on every machine, however
#: slow it is today; the longest, a drawing that cannot be solved, takes 2 million.
MOST_CALLS = 8_000_000


def calls(feed: Callable[[bytes], None], data: bytes) -> int:
    """How many functions are called while this is read."""
    count = 0

    def called(_frame: object, event: str, _what: object) -> None:
        nonlocal count
        count += event in ("call", "c_call")

    sys.setprofile(called)
    try:
        feed(data)
    finally:
        sys.setprofile(None)
    return count


@pytest.mark.parametrize("target", sorted(guided.TARGETS))
def test_every_kept_file_gives_a_value_or_words(target: str) -> None:
    feed = guided.feeder(target)
    paths = sorted((TOP / "tests" / "corpora" / target).iterdir())
    assert len(paths) > 1
    for path in paths:
        assert calls(feed, path.read_bytes()) < MOST_CALLS, path.name
