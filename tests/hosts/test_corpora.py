"""Files that once led far into a reader, or stumbled there: a value or words, and not for long."""

from __future__ import annotations

import sys
import time

import pytest

from tests.conftest import TOP

sys.path.insert(0, str(TOP / "benchmarks"))
import guided


@pytest.mark.parametrize("target", sorted(guided.TARGETS))
def test_every_kept_file_gives_a_value_or_words(target: str) -> None:
    feed = guided.feeder(target)
    paths = sorted((TOP / "tests" / "corpora" / target).iterdir())
    assert len(paths) > 1
    for path in paths:
        begun = time.process_time()
        feed(path.read_bytes())
        assert time.process_time() - begun < 20, path.name
