"""Whether stencils sit well: within their face, not into other openings, not out on the other side;
and by how much not."""

from __future__ import annotations

from collections.abc import Callable

from ..design.built import Rebuilt, Seat
from ..design.model import Design
from ..kernel.seating import Slip, slips
from ..steps.stencil import PutIn
from ..words import say_name
from .finding import Finding

#: What was found by the key of a seat: looking takes longer than most edits may.
_LOOKED_AT: dict[tuple[str, bool], tuple[Slip, ...]] = {}
_MOST_KEPT = 2_000


def seats(
    design: Design, built: Rebuilt, alive: Callable[[], bool] = lambda: True
) -> list[Finding]:
    """For each stencil that is put in, or repeated, how it sits; as long as anybody wants to
    know."""
    findings = []
    for name, seat in built.seats.items():
        if not alive():
            break
        findings.append(_said(name, seat, _looked(seat, _may_go_over(design, name))))
    return findings


def _may_go_over(design: Design, name: str) -> bool:
    """Whether a stencil may go over the edge of its face; of a repeat that which it repeats."""
    step = design.step(name)
    while step is not None and not isinstance(step, PutIn):
        step = design.step(step.carries())
    stencil = design.stencil(step.stencil) if step is not None else None
    return stencil is not None and stencil.stays == "over an edge"


def _looked(seat: Seat, over: bool) -> tuple[Slip, ...]:
    key = (seat.key, over)
    if key not in _LOOKED_AT:
        while len(_LOOKED_AT) > _MOST_KEPT:
            _LOOKED_AT.pop(next(iter(_LOOKED_AT)))
        _LOOKED_AT[key] = tuple(slips(seat.body, seat.face, seat.frames, seat.deeds, over))
    return _LOOKED_AT[key]


def _said(name: str, seat: Seat, sits: tuple[Slip, ...]) -> Finding:
    title = f"“{say_name(name)}” sits well"
    if not sits:
        return Finding(title, True, f"on the {seat.face.words()}", area="step", place=name)
    told = "; ".join(_slip(slip, seat) for slip in sits[:3])
    more = f" (and {len(sits) - 3} more)" if len(sits) > 3 else ""
    return Finding(
        title, False, f"It {told}{more}.", "Move it, or make it smaller.", False, "step", name
    )


def _slip(slip: Slip, seat: Seat) -> str:
    other = f"the {slip.face.words()}" if slip.face is not None else "something"
    by = f"{slip.by:.3g} mm" if slip.by >= 0.01 else "a little"
    if slip.how == "over":
        return f"goes {by} over the edge of the {seat.face.words()}, at {other}"
    if slip.how == "out":
        return f"comes out of {other}, by {by}"
    return f"meets {other}, by {by}"
