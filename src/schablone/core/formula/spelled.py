"""How an answer comes about, spelled out with its numbers: ``(372 − 2·14 + 5) / (8 + 5) = 26.85, so
26``."""

from __future__ import annotations

from collections.abc import Callable

from ..quantity import plain
from . import fitting
from .errors import FormulaError
from .parse import parse
from .rewrite import walk
from .tree import Call
from .value_table import ValueTable
from .written import written


def most_that_fit(span: float, item: float, gap: float, margin: float) -> str:
    """Why so many fit. Lengths in mm."""
    row = fitting.most_that_fit(span, item, gap, margin)
    quotient = (span - 2 * margin + gap) / row.pitch
    above = f"{plain(span)} − 2·{plain(margin)} + {plain(gap)}"
    return (
        f"({above}) / ({plain(item)} + {plain(gap)}) = {plain(quotient, 2)}, so {plain(row.count)}"
    )


def left_at_ends(span: float, item: float, gap: float, count: float) -> str:
    """What a centred row leaves free at each end."""
    taken = count * item + max(0.0, count - 1) * gap
    return (
        f"({plain(span)} − {plain(taken)}) / 2 = "
        f"{plain(fitting.left_at_ends(span, item, gap, count))} mm"
    )


def fewest_spaced(span: float, spacing: float, margin: float, item: float = 0.0) -> str:
    """Why so few are enough."""
    quotient = (span - 2 * margin - item) / spacing
    less = f" − {plain(item)}" if item else ""
    count = fitting.spaced_at_most(span, item, spacing, margin).count
    gaps = f"so {plain(count - 1)} gaps" if count > 1 else "so no gap"
    return (
        f"({plain(span)} − 2·{plain(margin)}{less}) / {plain(spacing)} = "
        f"{plain(quotient, 2)}, {gaps}"
    )


def even_pitch(span: float, count: float, margin: float, item: float = 0.0) -> str:
    """The pitch of a given count from margin to margin."""
    pitch = fitting.given_count(span, item, count, margin).pitch
    less = f" − {plain(item)}" if item else ""
    return f"({plain(span)} − 2·{plain(margin)}{less}) / ({plain(count)} − 1) = {plain(pitch)} mm"


def fewest_pieces(span: float, longest: float, gap: float) -> str:
    """Why so few pieces are enough."""
    quotient = (span + gap) / (longest + gap)
    count = fitting.fewest_pieces(span, longest, gap)
    return (
        f"({plain(span)} + {plain(gap)}) / ({plain(longest)} + {plain(gap)}) = "
        f"{plain(quotient, 2)}, so {plain(count)}"
    )


def piece_length(span: float, count: float, gap: float) -> str:
    """The length of pieces with gaps between."""
    length = fitting.piece_length(span, count, gap)
    return (
        f"({plain(span)} − {plain(max(0.0, count - 1))}·{plain(gap)}) / {plain(count)} = "
        f"{plain(length)} mm"
    )


_SPELLED: dict[str, Callable[..., str]] = {
    "most_that_fit": most_that_fit,
    "left_at_ends": left_at_ends,
    "fewest_spaced": fewest_spaced,
    "even_pitch": even_pitch,
    "fewest_pieces": fewest_pieces,
    "piece_length": piece_length,
}


def spelled(text: str, table: ValueTable) -> str:
    """The first of the fitting functions in a formula with its numbers, or an empty string."""
    try:
        calls = [
            node
            for node, _ in walk(parse(text))
            if isinstance(node, Call) and node.function in _SPELLED
        ]
        if not calls:
            return ""
        values = [table.compile(written(arg)).value(table.env()).value for arg in calls[0].args]
        return _SPELLED[calls[0].function](*values)
    except (FormulaError, ValueError, ZeroDivisionError):
        return ""
