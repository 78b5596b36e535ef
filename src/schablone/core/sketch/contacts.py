"""Where two curves touch or cross, each place told once.

Curves that come nearer to each other than ``near`` touch. All along such a stretch they are the
same place: a line that touches a circle meets it once, however the last digits fall, and where one
of them ends there, the end is the place.
``near`` is well above what a sketch's solver leaves (1e-9 of its size), so that what the solver
holds coincident or tangent is so here, too. Ends that somebody drew are given more ``room``: what
is typed is rounded.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from .crossing import Span, crossings
from .curves import Bezier, EllipticArc, Segment

#: Places between two contacts at which it is asked whether the curves stay together.
_BETWEEN = (0.25, 0.5, 0.75)


@dataclass(frozen=True, slots=True)
class Contact:
    """A place where two curves meet: ``s`` on the first, ``t`` on the second, each from 0 to 1;
    whether one ends there."""

    s: float
    t: float
    ends: bool = False


@lru_cache(maxsize=4096)
def contacts(first: Span, second: Span, near: float, room: float) -> tuple[Contact, ...]:
    """All places where two curves come within ``near`` mm of each other, or a drawn end of one
    within ``room`` mm of the other. Where they lie on one another for a while, both ends of that
    stretch. Kept by what they are: a stroke or a drag leaves most of a drawing as it was."""
    reach = near if first.closed else room, near if second.closed else room
    contacts: list[Contact] = []

    def add(s: float, t: float) -> None:
        fresh = Contact(_snapped(first, s, reach[0]), _snapped(second, t, reach[1]), True)
        if fresh not in contacts:
            contacts.append(fresh)

    for t in (0.0, 1.0):
        s = first.nearest(second.at(t))
        if math.dist(first.at(s), second.at(t)) <= reach[1]:
            add(s, t)
    for s in (0.0, 1.0):
        t = second.nearest(first.at(s))
        if math.dist(second.at(t), first.at(s)) <= reach[0]:
            add(s, t)
    for s, t in crossings(first, second, near):
        s, t = _snapped(first, s, reach[0]), _snapped(second, t, reach[1])
        fresh = Contact(s, t, s in (0.0, 1.0) or t in (0.0, 1.0))
        same = next(
            (
                k
                for k, known in enumerate(contacts)
                if _one_place(first, second, known, fresh, near)
            ),
            None,
        )
        if same is None:
            contacts.append(fresh)
        elif not contacts[same].ends:
            known = contacts[same]
            contacts[same] = Contact((known.s + s) / 2, (known.t + t) / 2)
    return tuple(contacts)


def _snapped(span: Span, t: float, reach: float) -> float:
    """A parameter, or that of the end that it is as good as at."""
    for end in (0.0, 1.0):
        if abs(t - end) < 0.5 and math.dist(span.at(t), span.at(end)) <= reach:
            return end
    return t


def _one_place(first: Span, second: Span, a: Contact, b: Contact, near: float) -> bool:
    """Whether the curves stay together between two contacts."""
    if math.dist(first.at(a.s), first.at(b.s)) <= 2 * near:
        return True
    for share in _BETWEEN:
        p = first.at(a.s + (b.s - a.s) * share)
        if math.dist(second.at(second.nearest(p)), p) > near:
            return False
    return True


def on_one_another(a: Span, b: Span, near: float) -> bool:
    """Whether two curves with the same ends are the same all along."""
    if isinstance(a.curve, Segment) and isinstance(b.curve, Segment):
        return True
    for share in _BETWEEN:
        p = a.at(share)
        if math.dist(b.at(b.nearest(p)), p) > 2 * near:
            return False
    return True


def departure(span: Span, *, at_end: bool, away: float) -> float:
    """The direction, radians, in which a curve lies where it is ``away`` mm from one of its
    ends."""
    here = span.at(1.0 if at_end else 0.0)
    t = _reaching(span, at_end=at_end, away=away)
    there = span.at(t)
    return math.atan2(there[1] - here[1], there[0] - here[0])


def _reaching(span: Span, *, at_end: bool, away: float) -> float:
    """The parameter nearest to an end at which the curve is so far away from it."""
    curve = span.curve
    if isinstance(curve, Segment):
        share = min(1.0, away / max(curve.length, 1e-300))
    elif isinstance(curve, EllipticArc) and curve.is_circular:
        turn = 2 * math.asin(min(1.0, away / (2 * curve.rx)))
        share = min(1.0, turn / abs(curve.t1 - curve.t0))
    else:
        low, high = 0.0, _straight_share(span, at_end=at_end)
        here = span.at(1.0 if at_end else 0.0)
        for _ in range(50):
            middle = (low + high) / 2
            off = math.dist(span.at(1 - middle if at_end else middle), here)
            low, high = (middle, high) if off < away else (low, middle)
        share = high
    return 1 - share if at_end else share


def extent(span: Span, *, at_end: bool) -> float:
    """How far from one of its ends a curve goes before it has turned by more than a sixth of a
    turn, mm."""
    share = _straight_share(span, at_end=at_end)
    return math.dist(span.at(1.0 if at_end else 0.0), span.at(1 - share if at_end else share))


def _straight_share(span: Span, *, at_end: bool) -> float:
    curve = span.curve
    if isinstance(curve, Segment):
        return 1.0
    if isinstance(curve, EllipticArc) and curve.is_circular:
        return min(1.0, math.radians(60) / abs(curve.t1 - curve.t0))
    ts: NDArray[np.float64] = np.linspace(0, 1, 33)
    assert isinstance(curve, Bezier)
    slopes = curve.slope(1 - ts if at_end else ts) * (-1 if at_end else 1)
    sizes = np.linalg.norm(slopes, axis=1)
    usable = sizes > 1e-9 * max(float(sizes.max()), 1e-300)
    turns = np.abs(np.unwrap(np.arctan2(slopes[usable, 1], slopes[usable, 0])))
    turned = np.abs(turns - turns[0])
    past = np.flatnonzero(turned > math.radians(60))
    return float(ts[usable][max(1, past[0] - 1)]) if len(past) else 1.0
