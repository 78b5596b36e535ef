"""Whether a folded sheet closes: outlines that cross and touch themselves nowhere, and bends that
start and end exactly where their panels go on.

Each change of a sheet works on a few outlines and knows what it does to these. This looks at all of
it afterwards, by other means, so that nothing is shown of which no solid and no blank comes.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from ...quantity import say_spot
from ...sketch.combining import combined
from ...sketch.mapping import Mapping2D
from ...sketch.regions import Region
from ...words import capital
from .outline import JOINT, trouble_of
from .parts import CannotFold
from .sheet import Folded

#: Ends of joints agree as far as this, mm.
_AGREE = 1e-5


def closes(folded: Folded) -> bool:
    """Whether a sheet closes: a solid and a blank come of it."""
    try:
        refuse_open(folded)
    except CannotFold:
        return False
    return True


def refuse_open(folded: Folded) -> None:
    """Refuse a sheet that does not close.

    Raises:
        CannotFold: says which panel or bend, and where.
    """
    for panel in folded.panels:
        _refuse_crossing(panel.region, panel.title)
    for bend in folded.bends:
        for region in bend.regions:
            _refuse_crossing(region, bend.title)
        pinches = combined(bend.regions[:1], "add", bend.regions[1:]).pinches
        if pinches:
            raise CannotFold(
                f"Two strips of {bend.title} would touch at {say_spot(*pinches[0][0])} on the "
                "blank, and only in a point.",
                "Move what is cut there, or make it larger or smaller.",
            )
    for number, bend in enumerate(folded.bends):
        on = folded.panels[bend.parent].region
        hanging = folded.panels[folded.hanging_on(number)].region
        own = bend.to_own()
        for region, end, v in ((on, "s", 0.0), (hanging, "e", bend.length)):
            joint = f"{JOINT}{number}{end}"
            one, other = _spans([region], joint, own, v), _spans(bend.regions, joint, own, v)
            if one is None or other is None or not _agree(one, other):
                raise CannotFold(
                    f"{capital(bend.title)} and the panel that it "
                    f"{'starts' if end == 's' else 'ends'} at would not go over into each other.",
                    "Make the bends of this corner in one step, or leave more room between them.",
                )


def _refuse_crossing(region: Region, title: str) -> None:
    if trouble := trouble_of(region):
        raise CannotFold(
            f"The outline of {title or 'the sheet'} would {trouble}.",
            "Move what meets there, make it larger or smaller, or leave more room beside it.",
        )


def _spans(
    regions: Iterable[Region], joint: str, own: Mapping2D, v: float
) -> list[tuple[float, float]] | None:
    """From where to where along a bend outlines have its joint, in order and those that go on put
    together; None where one lies elsewhere."""
    spans = []
    for s0, s1, off in _joints(regions, joint, own, v):
        if off > _AGREE:
            return None
        spans.append((min(s0, s1), max(s0, s1)))
    spans.sort()
    whole: list[tuple[float, float]] = []
    for low, high in spans:
        if whole and low < whole[-1][1] - _AGREE:
            return None  # twice the same
        if whole and low < whole[-1][1] + _AGREE:
            whole[-1] = whole[-1][0], high
        else:
            whole.append((low, high))
    return whole


def _joints(
    regions: Iterable[Region], joint: str, own: Mapping2D, v: float
) -> Iterator[tuple[float, float, float]]:
    """Where along a bend its joint starts and ends, and how far off it lies."""
    for region in regions:
        for loop in region.loops:
            for curve in loop.curves:
                if curve.name.partition(".")[0] == joint:
                    (v0, s0), (v1, s1) = own.point(curve.start), own.point(curve.end)
                    yield s0, s1, max(abs(v0 - v), abs(v1 - v))


def _agree(one: Sequence[tuple[float, float]], other: Sequence[tuple[float, float]]) -> bool:
    return len(one) == len(other) > 0 and all(
        abs(a - c) < _AGREE and abs(b - d) < _AGREE
        for (a, b), (c, d) in zip(one, other, strict=True)
    )
