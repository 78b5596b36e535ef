"""A plain solid with its ties at values: the change itself, and words for what cannot be, with the
largest value that works."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from ..formula import names_in
from ..kernel.naming import FaceName
from ..kernel.occ.plain import CannotChange, Changed, changed
from ..kernel.surfaces import Surface
from ..words import capital, listed
from .equations import TieError
from .recognise import say_plain_face
from .settle import Held, NotHeld, Settled, held, readings
from .ties import Tie, say_tie

#: How often the largest value that works is looked for, halving.
_TRIALS = 14


@dataclass(frozen=True)
class Restated:
    """The solid after the change, the planes of its flat faces that moved, what is read off, by the
    number of the tie, mm or radians, and what a person should know: the number of the tie (−1 for
    none), what, and what to do."""

    change: Changed
    planes: Mapping[FaceName, Surface]
    read: Mapping[int, float]
    notes: tuple[tuple[int, str, str], ...]


class Refused(ValueError):
    """A change that cannot be made: what is wrong, what to do, and at which tie."""

    def __init__(self, what: str, hint: str, tie: int = -1) -> None:
        super().__init__(what)
        self.what, self.hint, self.tie = what, hint, tie


def restated(ready: Held, values: Mapping[int, float]) -> Restated:
    """The solid with ties at values, by their numbers, in mm and radians.

    Raises:
        Refused: says why it cannot be.
    """
    for k, error in ready.problems.items():
        raise Refused(error.what, error.hint, k)
    settled = settled_in_words(ready, values)
    try:
        change = changed(ready.plain, settled.surfaces, settled.radii)
    except CannotChange as error:
        raise _said(ready, values, error) from None
    notes = [*_repeated(ready), *_vanished(ready, change)]
    planes = {
        name: settled.surfaces[k]
        for name, k in ready.plain.place.items()
        if k in settled.surfaces and settled.surfaces[k].kind == "plane"
    }
    return Restated(change, planes, readings(ready, settled.state), tuple(notes))


def settled_in_words(ready: Held, values: Mapping[int, float]) -> Settled:
    """Where the faces lie with ties at values, by their numbers, in mm and radians.

    Raises:
        Refused: where the ties cannot hold together.
    """
    try:
        return ready.settled(values)
    except NotHeld as error:
        raise _at_odds(ready, values, error) from None
    except TieError as error:
        raise Refused(error.what, error.hint) from None


def _at_odds(ready: Held, values: Mapping[int, float], error: NotHeld) -> Refused:
    """Words for ties that cannot hold together: the one that says what others say already, and what
    these make it."""
    mine = [k for k in error.ties if k in ready.repeats] or [
        k for k in ready.repeats if set(ready.repeats[k]) & set(error.ties)
    ]
    if not mine:
        names = ", ".join(f"“{say_tie(ready.ties[k])}”" for k in error.ties[:4])
        return Refused(
            f"These cannot hold together: {names}.",
            "Change one of them, or leave one out.",
            error.ties[0] if error.ties else -1,
        )
    k = mine[0]
    others = [say_tie(ready.ties[n]) for n in ready.repeats[k]]
    given = f"by {listed(others)}" if others else "by what is pinned"
    rest = tuple(t.model_copy(update={"reads": True}) if n == k else t
                 for n, t in enumerate(ready.ties))  # fmt: skip
    free = held(ready.plain, rest)
    try:
        made = readings(free, free.settled({n: v for n, v in values.items() if n != k}).state)[k]
        unit = ready.ties[k].measures
        wanted = values.get(k, ready.measured.get(k, 0.0))
        told = (
            f": these make it {say_measure(ready.ties[k], made)}, "
            f"and it is to be {say_measure(ready.ties[k], wanted)}"
            if unit is not None
            else ""
        )
    except (NotHeld, KeyError):
        told = ""
    return Refused(
        f"{capital(say_tie(ready.ties[k]))} is given already {given}{told}.",
        "Let it be read off instead, or leave one of them out.",
        k,
    )


def _repeated(ready: Held) -> list[tuple[int, str, str]]:
    """What repeats, and happens to agree."""
    return [
        (
            k,
            f"{capital(say_tie(ready.ties[k]))} says again what "
            + (listed([say_tie(ready.ties[n]) for n in others]) if others else "is pinned")
            + (" says" if len(others) == 1 else " say" if others else ""),
            "Let it be read off instead, or leave it out.",
        )
        for k, others in ready.repeats.items()
    ]


def _vanished(ready: Held, change: Changed) -> list[tuple[int, str, str]]:
    vanished = []
    if change.used_up:
        names = listed([name.words() for name in change.used_up])
        goes = "is" if len(change.used_up) == 1 else "are"
        vanished.append((-1, f"{capital(names)} {goes} used up by the change", ""))
    if change.inverted:
        names = listed([name.words() for name in change.inverted])
        looks = "looks" if len(change.inverted) == 1 else "look"
        vanished.append((-1, f"{capital(names)} {looks} the other way now", ""))
    return vanished


def _said(ready: Held, values: Mapping[int, float], error: CannotChange) -> Refused:
    """Words for a change that cannot be made, with the tie that is to blame and how far it may
    go."""
    what = _about(ready, error)
    for k in _driving(ready, values):
        most = largest(ready, values, k)
        if most is None:
            continue
        tie, wanted = ready.ties[k], values[k]
        size = f"“{tie.formula}”" if tie.formula and names_in(tie.formula) else say_tie(tie)
        way = "at most" if most < wanted else "at least"
        return Refused(
            f"With {size} at {say_measure(tie, wanted)}, {what}.",
            f"Here it can be {way} {say_measure(tie, most)}.",
            k,
        )
    return Refused(f"{capital(what)}.", "Change fewer sizes at once, or tie what is near.")


def _about(ready: Held, error: CannotChange) -> str:
    faces = [say_plain_face(ready.plain, name) for name in error.faces[:4]]
    return error.what.replace("{faces}", listed(faces) or "the part")


def _driving(ready: Held, values: Mapping[int, float]) -> list[int]:
    """The ties that are not at what is measured, the farthest first."""
    far = {k: abs(v - ready.measured[k]) for k, v in values.items() if k in ready.measured}
    return sorted((k for k in far if far[k] > 1e-9), key=lambda k: -far[k])


def largest(ready: Held, values: Mapping[int, float], tie: int) -> float | None:
    """The value, mm or degrees, nearest to the wanted one up to which a tie can go with the others
    as they are, from what is measured on; None where that does not help."""
    low, high = ready.measured[tie], values[tie]

    def works(value: float) -> bool:
        try:
            settled = ready.settled({**values, tie: value})
            changed(ready.plain, settled.surfaces, settled.radii)
        except (NotHeld, CannotChange, TieError):
            return False
        return True

    if not works(low):
        return None
    for _ in range(_TRIALS):
        middle = (low + high) / 2
        low, high = (middle, high) if works(middle) else (low, middle)
    # What people are told has two decimals, on the side that works.
    step = 1e-2 if ready.ties[tie].kind != "angle" else math.radians(1e-2)
    told = (math.floor(low / step) if high > low else math.ceil(low / step)) * step
    return told if works(told) else low


# Words


def say_measure(tie: Tie, value: float) -> str:
    """A value of a tie, mm or radians, with its unit."""
    return f"{math.degrees(value):.4g}°" if tie.kind == "angle" else f"{value:.6g} mm"
