"""The map: where a design holds over two of its sizes, all others as published."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ...quantity import COUNT, TRUTH
from .allowed import Point, Sheets, Span, rounded

#: In so many steps each size is gone through; one more than a power of two, for what is painted
#: coarsely first.
STEPS = 16


@dataclass(frozen=True, slots=True)
class Place:
    """A place of a map: its numbers along both sizes, how many places around it stand for it until
    they are built themselves, and the point there; None where the limits leave nothing."""

    i: int
    j: int
    stride: int
    point: Point | None


def values_along(span: Span, steps: int = STEPS) -> list[float]:
    """The values of a size on a map; fewer where it is a count."""
    if span.kind in (COUNT, TRUTH):
        low, high = round(span.low), round(span.high)
        steps = min(steps, max(high - low, 1))
        values = [float(round(low + (high - low) * k / steps)) for k in range(steps + 1)]
    else:
        values = [
            rounded(span, span.low, span.high, span.low + (span.high - span.low) * k / steps)
            for k in range(steps + 1)
        ]
    return list(dict.fromkeys(values))


def map_over(sheets: Sheets, across: str, up: str) -> Iterator[Place]:
    """The places of a map, so that its whole is seen coarsely first and ever finer."""
    spans = sheets.allowed.span(across), sheets.allowed.span(up)
    xs, ys = (values_along(span) for span in spans)
    done: set[tuple[int, int]] = set()
    stride = STEPS
    while stride >= 1:
        for i in _every(len(xs), stride):
            for j in _every(len(ys), stride):
                if (i, j) not in done:
                    done.add((i, j))
                    values = {across: xs[i], up: ys[j]}
                    point = sheets.allowed.as_published.with_values(values, "on a map")
                    allowed = sheets.is_allowed(point)
                    yield Place(i, j, stride, point if allowed else None)
        stride //= 2


def _every(count: int, stride: int) -> list[int]:
    """Every so many of some, the last one with them."""
    return list(dict.fromkeys([*range(0, count, stride), count - 1]))
