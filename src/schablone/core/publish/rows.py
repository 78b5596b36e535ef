"""What shares a file lies beside each other, in rows."""

from __future__ import annotations

import math
from collections.abc import Sequence

#: The room between what lies beside each other, mm.
GAP = 12.0


def in_rows(
    boxes: Sequence[tuple[float, float, float, float]], longest: float
) -> list[tuple[float, float]]:
    """By how much each box (left, low, right, high; mm) is moved so that none lies on another: from
    left to right from 0, 0 on, in rows that end before ``longest``."""
    places = []
    x = y = tall = 0.0
    for left, low, right, high in boxes:
        if x > 0 and x + right - left > longest:
            x, y, tall = 0.0, y + tall + GAP, 0.0
        places.append((x - left, y - low))
        x += right - left + GAP
        tall = max(tall, high - low)
    return places


def square_row(boxes: Sequence[tuple[float, float, float, float]]) -> float:
    """How long rows are, mm, so that they make up about a square."""
    room = math.fsum((right - left + GAP) * (high - low + GAP) for left, low, right, high in boxes)
    return max(math.sqrt(room), *(right - left for left, _, right, _ in boxes))
