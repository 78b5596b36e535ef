"""Whether the geometry kernel shares its work among threads of its own."""

from __future__ import annotations

_has_threads = True


def has_threads() -> bool:
    """Whether it may."""
    return _has_threads


def do_without_threads() -> None:
    """Let this process do without: a copy of one has none of the threads that were there, and where
    a process works for each processor, threads only get in each other's way."""
    global _has_threads
    _has_threads = False
