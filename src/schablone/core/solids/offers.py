"""The ties that faces which were picked can have, each with what it measures now."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ..kernel.surfaces import Surface
from .equations import PARALLEL, TieError
from .recognise import sided
from .settle import Held
from .ties import EDGE, Tie, named


@dataclass(frozen=True, slots=True)
class Offer:
    """A tie that is possible: in words, what it measures now (mm or radians; None where nothing),
    and the numbers of the ties that it would repeat: then it can only be read off."""

    tie: Tie
    words: str
    now: float | None = None
    repeats: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class _Pick:
    place: str
    surface: Surface | None
    rounded: bool = False

    @property
    def flat(self) -> bool:
        return EDGE not in self.place and self._kind == "plane"

    @property
    def round(self) -> bool:
        return self.rounded or (self._kind not in ("", "plane") and EDGE not in self.place)

    @property
    def line(self) -> bool:
        """Whether it has an axis or is an edge."""
        return EDGE in self.place or self._kind in ("cylinder", "cone", "ring")

    @property
    def _kind(self) -> str:
        return self.surface.kind if self.surface is not None else ""


def offers(ready: Held, places: Sequence[str]) -> list[Offer]:
    """What places that were picked can be tied by, the likeliest first."""
    picks = [_pick(ready, place) for place in places]
    offered = []
    for tie, words in _tries(picks):
        tie = sided(ready.plain, tie)
        if tie.kind == "pin":
            offered.append(Offer(tie, words))
            continue
        try:
            equations = ready.equations(tie)
        except TieError:
            continue
        again = None if ready.would_free(tie) else ready.repeated_by(equations)
        if again is not None and tie.measures is None:
            continue
        if again is not None:
            tie = tie.model_copy(update={"reads": True})
        now = equations[0].now if tie.measures is not None else None
        offered.append(Offer(tie, words, now, again or ()))
    return offered


def _pick(ready: Held, place: str) -> _Pick:
    names = named(place)
    if len(names) == 1 and names[0] in ready.plain.roundings:
        return _Pick(place, None, rounded=True)
    number = ready.plain.place.get(names[0])
    return _Pick(place, ready.plain.surfaces[number] if number is not None else None)


def _tries(picks: Sequence[_Pick]) -> Iterator[tuple[Tie, str]]:
    """All that may be tried, whether it is possible or not."""
    of = tuple(pick.place for pick in picks)
    if len(picks) == 2:
        yield from _between(picks, of)
    if all(pick.round for pick in picks) and picks:
        if len(picks) == 1 and not picks[0].rounded:
            yield Tie(kind="diameter", of=of), "diameter"
        yield Tie(kind="radius", of=of), "radius"
        if len(picks) > 1:
            yield Tie(kind="equal", of=of), "equal"
    if len(picks) == 1 and picks[0].surface is not None and picks[0].surface.kind == "cone":
        yield Tie(kind="angle", of=of), "angle of the tip"
    if len(picks) > 1:
        if all(pick.flat for pick in picks):
            yield Tie(kind="flush", of=of), "flush"
        if all(pick.line for pick in picks):
            yield Tie(kind="concentric", of=of), "on one axis"
    yield from _mirrored(picks, of)
    if all(pick.surface is not None for pick in picks) and picks:
        faces = tuple(dict.fromkeys(face for place in of for face in place.split(EDGE)))
        yield Tie(kind="pin", of=faces), "pin: never moves"


def _between(picks: Sequence[_Pick], of: tuple[str, ...]) -> Iterator[tuple[Tie, str]]:
    yield Tie(of=of), "distance"
    if not all(pick.flat for pick in picks):
        for axis in "xyz":
            yield Tie(of=of, along=axis), f"distance along {axis}"  # type: ignore[arg-type]
    one, other = (pick.surface for pick in picks)
    if one is None or other is None or "ball" in (one.kind, other.kind):
        return
    if EDGE in of[0] or EDGE in of[1]:
        return
    if float(np.linalg.norm(np.cross(one.way, other.way))) > PARALLEL:
        yield Tie(kind="angle", of=of), "angle"


def _mirrored(picks: Sequence[_Pick], of: tuple[str, ...]) -> Iterator[tuple[Tie, str]]:
    """What was picked last is the mirror: one flat face, or two."""
    if len(picks) == 4 and picks[2].flat and picks[3].flat:
        yield (
            Tie(kind="symmetric", of=of[:2], about=of[2:]),
            "symmetric about the middle of the last two",
        )
    if len(picks) == 3 and picks[2].flat:
        yield Tie(kind="symmetric", of=of[:2], about=of[2:]), "symmetric about the last"
        if picks[1].flat:
            yield Tie(kind="symmetric", of=of[:1], about=of[1:]), "in the middle of the last two"


def as_formula(tie: Tie, now: float) -> str:
    """What a tie measures, as it is typed."""
    if tie.kind == "angle":
        return f"{round(math.degrees(now), 6):.10g} deg"
    return f"{round(now, 6):.10g} mm"
