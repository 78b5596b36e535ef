"""The faces of a plain solid that nobody tied: they would stay where they are when sizes change.
Each with the tie that most likely was forgotten."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ..kernel.frame import add
from ..kernel.naming import FaceName
from ..kernel.surfaces import Surface
from .equations import TieError
from .recognise import LEVEL, SAME, say_plain_face, say_round, sided, sine
from .settle import Held
from .states import LEANS, RADII
from .ties import EDGE, Tie

#: For so many faces the likely tie is looked for.
_FIRST = 8


@dataclass(frozen=True, slots=True)
class Loose:
    """A face that can still move: its name, its other names where it has several pieces, how it can
    move in words, and the ties that would hold it, with words for them (none where nothing likely
    is found)."""

    face: FaceName
    pieces: tuple[FaceName, ...]
    how: str
    ties: tuple[Tie, ...] = ()
    words: str = ""


def left_behind(ready: Held) -> list[Loose]:
    """All faces that can still move, each with what would most likely hold it; kept with the ties,
    since picks change nothing of it."""
    known = ready.__dict__.get("_left_behind")
    if known is None:
        known = ready.__dict__["_left_behind"] = _left_behind(ready)
    return known


def _left_behind(ready: Held) -> list[Loose]:
    plain = ready.plain
    loose, ways = set(ready.loose), _ways(ready)
    left = []
    for k in sorted(loose):
        if k >= len(plain.surfaces):
            first = len(plain.surfaces)
            names = tuple(
                name for name, rep in zip(ready.rounds, ready.same[first:], strict=True) if rep == k
            )
            left.append(Loose(names[0], names, "its radius is open"))
            continue
        pieces = tuple(plain.names[n] for n in range(len(plain.names)) if ready.same[n] == k)
        # What is listed first is looked at first: that of many is asked again as these are tied.
        ties, words = _likely(ready, k, loose) if len(left) < _FIRST else ((), "")
        left.append(Loose(pieces[0], pieces, _how(ways.get(k, set())), ties, words))
    return left


def _ways(ready: Held) -> dict[int, set[str]]:
    """What of each face can still change, by its number."""
    ways: dict[int, set[str]] = {}
    for which in {w for mode in ready.modes for w in mode.ways}:
        freedom = ready.layout.freedoms[which]
        ways.setdefault(freedom.surface, set()).add(freedom.way)
    return ways


def _how(ways: set[str]) -> str:
    """How a face can still move, in words."""
    said = []
    if ways - {*LEANS, *RADII}:
        said.append("shift")
    if ways & set(LEANS):
        said.append("lean")
    if ways & set(RADII):
        said.append("grow")
    return " and ".join(said)


def _likely(ready: Held, k: int, loose: set[int]) -> tuple[tuple[Tie, ...], str]:
    """The ties that would hold a face, the first that leave it nothing free."""
    surface = ready.surfaces[k]
    if surface is None:
        return (), ""
    tries = _for_flat if surface.kind == "plane" else _for_round
    for ties, words in tries(ready, k, surface, loose):
        try:
            equations = [one for tie in ties for one in ready.equations(tie)]
        except TieError:
            continue
        if ready.holds_still(equations, k):
            return tuple(sided(ready.plain, tie) for tie in ties), words
    # Nothing that is held is near it: it may be the one to begin with.
    return (Tie(kind="pin", of=(str(ready.plain.names[k]),)),), "pin it"


def _said(ready: Held, k: int) -> str:
    return say_plain_face(ready.plain, ready.plain.names[k])


def _parallel(one: Surface, other: Surface) -> bool:
    return sine(one.way, other.way) < LEVEL


def _flats(ready: Held, loose: set[int]) -> list[tuple[int, Surface]]:
    """The flat faces that are held."""
    return [
        (n, s)
        for n, s in enumerate(ready.plain.surfaces)
        if s is not None and s.kind == "plane" and ready.same[n] == n and n not in loose
    ]


def _near(ready: Held, k: int, others: Sequence[tuple[int, Surface]]) -> list[int]:
    """Other faces by how near they are, those first that have a neighbour in common."""
    surface = ready.surfaces[k]
    assert surface is not None
    beside = ready.plain.skeleton.beside
    mine = beside[k]

    def far(pair: tuple[int, Surface]) -> tuple[bool, float]:
        number, other = pair
        gap = abs(float(np.dot(np.subtract(other.at, surface.at), other.way)))
        return not (mine & beside[number]), gap

    return [number for number, _ in sorted(others, key=far)]


def _for_flat(
    ready: Held, k: int, surface: Surface, loose: set[int]
) -> Iterator[tuple[tuple[Tie, ...], str]]:
    name = str(ready.plain.names[k])
    flats = _flats(ready, loose)
    level = [(n, s) for n, s in flats if _parallel(surface, s)]
    for n, other in level:
        if abs(float(np.dot(np.subtract(other.at, surface.at), other.way))) < SAME:
            tie = Tie(kind="flush", of=(str(ready.plain.names[n]), name))
            yield (tie,), f"flush with {_said(ready, n)}"
    for n in _near(ready, k, [(n, s) for n, s in level])[:4]:
        tie = Tie(of=(str(ready.plain.names[n]), name))
        yield (tie,), f"keep its distance to {_said(ready, n)}"
    # A slope is held by an edge of it: that keeps its distance to a face along it.
    for n, other in flats:
        if n not in ready.plain.skeleton.beside[k]:
            continue
        way = np.cross(surface.way, other.way)
        for m, third in flats:
            if (
                m != n
                and abs(float(np.dot(way, third.way))) < LEVEL
                and not _parallel(other, third)
            ):
                edge = EDGE.join((name, str(ready.plain.names[n])))
                words = f"keep its edge at {_said(ready, m)}"
                yield (Tie(of=(str(ready.plain.names[m]), edge)),), words


def _for_round(
    ready: Held, k: int, surface: Surface, loose: set[int]
) -> Iterator[tuple[tuple[Tie, ...], str]]:
    name = str(ready.plain.names[k])
    grows = _grows(ready, k, name)
    others = [
        (n, s)
        for n, s in enumerate(ready.plain.surfaces)
        if s is not None and s.is_round and ready.same[n] == n and n != k and n not in loose
    ]
    for n, other in others:
        aside = sine(add(other.at, surface.at, -1.0), other.way)
        if _parallel(surface, other) and aside < SAME:
            tie = Tie(kind="concentric", of=(str(ready.plain.names[n]), name))
            yield (tie, *grows), f"concentric with {say_round(other)}"
    flats = [
        (n, s)
        for n, s in _flats(ready, loose)
        if abs(float(np.dot(s.way, surface.way))) < LEVEL or surface.kind != "cylinder"
    ]
    near = _near(ready, k, flats)
    for i, a in enumerate(near[:6]):
        one = Tie(of=(str(ready.plain.names[a]), name))
        yield (
            (one, *grows),
            f"keep its distance to {_said(ready, a)}",
        )
        for b in near[i + 1 : 8]:
            two = Tie(of=(str(ready.plain.names[b]), name))
            both = f"{_said(ready, a)} and {_said(ready, b)}"
            yield (one, two, *grows), f"keep its distances to {both}"


def _grows(ready: Held, k: int, name: str) -> tuple[Tie, ...]:
    """What holds its radius, where that is open."""
    free = {ready.layout.freedoms[w].way for mode in ready.modes for w in mode.ways
            if ready.layout.freedoms[w].surface == k}  # fmt: skip
    return (Tie(kind="radius", of=(name,)),) if "radius" in free else ()
