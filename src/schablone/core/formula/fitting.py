"""How many fit? The three questions that hide in it, worked out once.

All lengths are in one unit, whichever. Counts come out of a floor or ceiling that forgives rounding
errors of one part in 10⁹ (:data:`TOLERANCE`): three items of 0.1 in fit into 0.3 in.
"""

import math
from dataclasses import dataclass

#: Relative tolerance of floor, ceil and comparisons: far above the rounding of a chain of formulas,
#: far below anything a workshop can measure.
TOLERANCE = 1e-9


def floor(x: float) -> float:
    """The whole number at or below ``x``, where ``x`` a hair below a whole number counts as that
    number."""
    near = round(x)
    return float(near) if abs(x - near) <= TOLERANCE * max(1.0, abs(x)) else float(math.floor(x))


def ceil(x: float) -> float:
    """The whole number at or above ``x``, with the same forgiveness."""
    return -floor(-x)


@dataclass(frozen=True, slots=True)
class Spacing:
    """Items in a row: how many, how far from one to the next, and what stays free at each end."""

    count: float
    pitch: float
    margin: float


def most_that_fit(span: float, item: float, gap: float, margin: float) -> Spacing:
    """(a) Items of a given width with a fixed gap, centred, at least ``margin`` free at each end.

    n items have n − 1 gaps between them: n·item + (n − 1)·gap ≤ span − 2·margin. There is never
    room left for one more. The margin returned is what is really left.

    Raises:
        ValueError: if item and gap together are not above zero.
    """
    pitch = item + gap
    if pitch <= 0:
        raise ValueError("item and gap together must be above zero")
    count = max(0.0, floor((span - 2 * margin + gap) / pitch))
    return Spacing(count, pitch, left_at_ends(span, item, gap, count))


def left_at_ends(span: float, item: float, gap: float, count: float) -> float:
    """What is free at each end of a centred row of ``count`` items."""
    return (span - count * item - max(0.0, count - 1) * gap) / 2


def spaced_at_most(span: float, item: float, spacing: float, margin: float) -> Spacing:
    """(b) Items from margin to margin, the pitch never above ``spacing``: as few as keep to that.

    Raises:
        ValueError: if the spacing is not above zero or the margins leave no room.
    """
    room = span - 2 * margin - item
    if spacing <= 0:
        raise ValueError("the spacing must be above zero")
    if room < -TOLERANCE * max(1.0, abs(span)):
        raise ValueError("the margins leave no room")
    gaps = ceil(max(0.0, room) / spacing)
    if gaps == 0:
        return Spacing(1.0, 0.0, (span - item) / 2)
    return Spacing(gaps + 1, room / gaps, margin)


def given_count(span: float, item: float, count: float, margin: float) -> Spacing:
    """A given count from margin to margin. A single item stands in the middle.

    Raises:
        ValueError: if the margins leave no room for them.
    """
    if count <= 1:
        return Spacing(max(0.0, count), 0.0, (span - item) / 2)
    room = span - 2 * margin - item
    if room <= 0:
        raise ValueError("the margins leave no room")
    return Spacing(count, room / (count - 1), margin)


def fewest_pieces(span: float, longest: float, gap: float) -> float:
    """How few pieces fill ``span`` with ``gap`` between them so that none is longer than
    ``longest``.

    n pieces are (span − (n − 1)·gap) / n long, which is at most ``longest`` from (span + gap) /
    (longest + gap) on.

    Raises:
        ValueError: if the longest piece and the gap are not above zero together, or there is
        nothing to fill.
    """
    if longest <= 0 or longest + gap <= 0:
        raise ValueError("the longest piece must be above zero, and with the gap, too")
    if span <= 0:
        raise ValueError("there must be a length to fill")
    return max(1.0, ceil((span + gap) / (longest + gap)))


def piece_length(span: float, count: float, gap: float) -> float:
    """(c) Length of each of ``count`` pieces that fill ``span`` with ``gap`` between them.

    Raises:
        ValueError: if there are no pieces or the gaps leave nothing.
    """
    if count < 1:
        raise ValueError("there must be at least one piece")
    length = (span - (count - 1) * gap) / count
    if length <= 0:
        raise ValueError("the gaps leave nothing for the pieces")
    return length
