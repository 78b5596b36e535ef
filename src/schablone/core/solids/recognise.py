"""What a plain solid has: equal holes, rows and rings of them, faces on one plane, axes on one
line, what lies symmetrically; as words, each with the tie that would keep it so."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernel.frame import Vector, add, cross, dot
from ..kernel.naming import FaceName
from ..kernel.occ.plain import PlainSolid
from ..kernel.surfaces import Surface
from ..quantity import plain as said
from ..words import number_word
from .ties import Tie

Floats = NDArray[np.float64]

#: How far lengths may differ and be equal, mm; directions, as sines.
SAME, LEVEL = 1e-5, 1e-6

_WORDS = {
    ("cylinder", False): ("hole", "holes"),
    ("cylinder", True): ("round outside", "round outsides"),
    ("cone", False): ("countersink", "countersinks"),
    ("cone", True): ("cone", "cones"),
    ("ball", False): ("hollow", "hollows"),
    ("ball", True): ("ball", "balls"),
    ("ring", False): ("groove", "grooves"),
    ("ring", True): ("ring", "rings"),
}


@dataclass(frozen=True, slots=True)
class Found:
    """Something that faces have in common: in words, the faces, and the ties that would keep it
    (none where it is only worth knowing)."""

    words: str
    faces: tuple[FaceName, ...]
    ties: tuple[Tie, ...] = ()


@dataclass(frozen=True)
class _Round:
    name: FaceName
    surface: Surface

    @property
    def alike(self) -> tuple[object, ...]:
        s = self.surface
        return s.kind, s.solid, round(s.radius / SAME), round(s.second / LEVEL)


def recognised(plain: PlainSolid) -> list[Found]:
    """All that is found, what has the most faces first; kept with the solid."""
    known = plain.__dict__.get("_recognised")
    if known is None:
        known = plain.__dict__["_recognised"] = _recognised(plain)
    return known


def _recognised(plain: PlainSolid) -> list[Found]:
    rounds = _rounds(plain)
    relations = [*_equal(rounds), *_roundings(plain), *_on_one_axis(rounds), *_on_one_plane(plain)]
    relations += _symmetric(plain, rounds)
    return sorted(relations, key=lambda one: -len(one.faces))


def _rounds(plain: PlainSolid) -> list[_Round]:
    """The round faces, of several pieces of one the first."""
    rounds: list[_Round] = []
    for name, surface in zip(plain.names, plain.surfaces, strict=True):
        if surface is None or not surface.is_round:
            continue
        if not any(_one_axis(surface, r.surface) and r.alike == _Round(name, surface).alike and
                   _touch(plain, name, r.name) for r in rounds):  # fmt: skip
            rounds.append(_Round(name, surface))
    return rounds


def sine(one: Vector, other: Vector) -> float:
    """The sine of the angle between two directions; of a length and a direction, how far the one
    reaches across the other."""
    return math.hypot(*cross(one, other))


def _touch(plain: PlainSolid, one: FaceName, other: FaceName) -> bool:
    return plain.place[other] in plain.skeleton.beside[plain.place[one]]


def _one_axis(one: Surface, other: Surface) -> bool:
    if sine(one.way, other.way) > LEVEL:
        return False
    return sine(add(other.at, one.at, -1.0), one.way) < SAME


def say_round(surface: Surface, count: int = 1) -> str:
    """Round faces in words, with their size: ``four holes ø 6.5``."""
    one, many = _WORDS[surface.kind, surface.solid]
    if surface.kind == "cone":
        size = f"of {math.degrees(2 * abs(surface.second)):.4g}°"
    elif surface.kind == "ring":
        size = f"of radius {said(round(surface.second, 4))}"
    else:
        size = f"ø {said(round(2 * surface.radius, 4))}"
    return f"{one} {size}" if count == 1 else f"{number_word(count)} equal {many} {size}"


#: Which way flat faces look, by axis and sense.
_SIDES = (("left", "right"), ("front", "back"), ("bottom", "top"))


def say_plain_face(plain: PlainSolid, name: FaceName) -> str:
    """A face in words, with its size where it is round, and where it looks where it is flat: ``hole
    ø 6.5 (face 12 of foot)``, ``left face 21 of foot``."""
    if name in plain.roundings:
        return f"rounded edge ({name.words()})"
    number = plain.place.get(name)
    surface = plain.surfaces[number] if number is not None else None
    if surface is None:
        return name.words()
    if surface.is_round:
        return f"{say_round(surface)} ({name.words()})"
    for (low, high), c in zip(_SIDES, surface.way, strict=True):
        if abs(c) > 1 - 1e-9:
            return (
                f"{high if c > 0 else low} {name.words()}" if name.role == "face" else name.words()
            )
    return name.words()


def _equal(rounds: Sequence[_Round]) -> Iterable[Found]:
    groups: dict[tuple[object, ...], list[_Round]] = {}
    for one in rounds:
        groups.setdefault(one.alike, []).append(one)
    for group in groups.values():
        if len(group) < 2:
            continue
        names = tuple(one.name for one in group)
        words = say_round(group[0].surface, len(group)) + _arranged(group)
        ties = () if group[0].surface.kind in ("cone",) else (_tie("equal", names),)
        yield Found(words, names, ties)


def _arranged(group: Sequence[_Round]) -> str:
    """How equal things are arranged, in words: in even steps, or around a circle."""
    points = np.array([_foot(one.surface, group[0].surface) for one in group])
    if len(points) < 3:
        return ""
    middle = points.mean(axis=0)
    away = points - middle
    _, sizes, ways = np.linalg.svd(away)
    if len(sizes) > 1 and sizes[1] < SAME:
        order = np.sort(away @ ways[0])
        steps = np.diff(order)
        if float(np.ptp(steps)) < SAME:
            return f", in a row {said(round(float(steps[0]), 4))} mm apart"
        return ", in a line"
    far = np.linalg.norm(away, axis=1)
    if float(np.ptp(far)) < SAME and _even(away, ways):
        return f", even around a circle ø {said(round(2 * float(far[0]), 4))}"
    return ""


def _even(away: Floats, ways: Floats) -> bool:
    angles = np.sort(np.arctan2(away @ ways[1], away @ ways[0]))
    steps = np.diff([*angles, angles[0] + 2 * math.pi])
    return float(np.ptp(steps)) < 1e-5


def _foot(surface: Surface, about: Surface) -> Floats:
    """Where the axis of a surface passes the plane in which another one has its own point."""
    at, way = np.array(surface.at), np.array(about.way)
    if surface.kind in ("ball", "ring"):
        return at
    return np.asarray(at - float((at - np.array(about.at)) @ way) * way)


def _roundings(plain: PlainSolid) -> Iterable[Found]:
    groups: dict[int, list[FaceName]] = {}
    for name, one in plain.roundings.items():
        if one.between is not None:
            groups.setdefault(round(one.radius / SAME), []).append(name)
    for key, names in groups.items():
        size = said(round(key * SAME, 4))
        words = f"{number_word(len(names))} rounded edges of radius {size}"
        if len(names) == 1:
            words = f"a rounded edge of radius {size}"
        yield Found(words, tuple(names), (_tie("equal", names),) if len(names) > 1 else ())


def _on_one_axis(rounds: Sequence[_Round]) -> Iterable[Found]:
    left = [one for one in rounds if one.surface.kind in ("cylinder", "cone", "ring")]
    while left:
        first, *left = left
        mine = [one for one in left if _one_axis(first.surface, one.surface)]
        left = [one for one in left if one not in mine]
        if mine:
            group = [first, *mine]
            names = tuple(one.name for one in group)
            listed = ", ".join(say_round(one.surface) for one in group[:3])
            more = f" and {len(group) - 3} more" if len(group) > 3 else ""
            yield Found(f"on one axis: {listed}{more}", names, (_tie("concentric", names),))


def _on_one_plane(plain: PlainSolid) -> Iterable[Found]:
    groups: dict[tuple[int, ...], list[FaceName]] = {}
    for name, surface in zip(plain.names, plain.surfaces, strict=True):
        if surface is not None and surface.kind == "plane":
            high = float(np.dot(surface.at, surface.way))
            key = (*(round(c / 1e-5) for c in surface.way), round(high / 1e-4))
            groups.setdefault(key, []).append(name)
    for names in groups.values():
        if len(names) > 1:
            words = f"{number_word(len(names))} faces on one plane"
            yield Found(words, tuple(names), (_tie("flush", names),))


def _symmetric(plain: PlainSolid, rounds: Sequence[_Round]) -> Iterable[Found]:
    """Pairs of equal round faces that lie symmetrically in the middle of the part."""
    for pair in outer_pairs(plain):
        one, other = (plain.surfaces[plain.place[name]] for name in pair)
        assert one is not None
        assert other is not None
        way = one.way
        middle = (dot(one.at, way) + dot(other.at, way)) / 2
        seen: set[FaceName] = set()
        for k, a in enumerate(rounds):
            for b in rounds[:k]:
                if a.alike != b.alike or {a.name, b.name} & seen:
                    continue
                if _is_mirrored(a.surface, b.surface, way, middle):
                    seen |= {a.name, b.name}
                    tie = Tie(kind="symmetric", of=(str(b.name), str(a.name)),
                              about=tuple(map(str, pair)))  # fmt: skip
                    words = f"{say_round(a.surface, 2)} that lie symmetrically in the middle"
                    yield Found(words, (b.name, a.name), (tie,))


def _is_mirrored(one: Surface, other: Surface, way: Vector, middle: float) -> bool:
    if abs(dot(one.way, way)) > LEVEL:
        return False
    image = add(one.at, way, -2 * (dot(one.at, way) - middle))
    if math.dist(image, one.at) < SAME:
        return False
    away = add(other.at, image, -1.0)
    if one.kind in ("ball", "ring"):
        return math.hypot(*away) < SAME
    return sine(one.way, other.way) <= LEVEL and sine(away, other.way) < SAME


def outer_pairs(plain: PlainSolid) -> list[tuple[FaceName, FaceName]]:
    """The pairs of flat faces that the part ends in, one behind the other: its width, its depth,
    its height."""
    pairs = []
    for axis in range(3):
        ends: dict[int, tuple[float, FaceName]] = {}
        for name, surface in zip(plain.names, plain.surfaces, strict=True):
            if surface is None or surface.kind != "plane" or abs(surface.way[axis]) < 1 - 1e-9:
                continue
            side = 1 if surface.way[axis] > 0 else -1
            high = side * surface.at[axis]
            if side not in ends or high > ends[side][0]:
                ends[side] = high, name
        if len(ends) == 2 and ends[1][0] + ends[-1][0] > SAME:
            pairs.append((ends[-1][1], ends[1][1]))
    return pairs


def _tie(kind: str, names: Iterable[FaceName]) -> Tie:
    return Tie(kind=kind, of=tuple(str(name) for name in names))  # type: ignore[arg-type]


def sided(plain: PlainSolid, tie: Tie) -> Tie:
    """A tie with the side of the material and the axis of the part that its length lies on, as they
    are now."""
    try:
        side, axis = _side_of(plain, tie)
    except ValueError:
        return tie
    bored = _bored(plain, tie) if tie.kind == "diameter" else ""
    if bored:
        axis = "y" if bored == "x" else "x"
    return tie.model_copy(update={"side": side, "axis": axis, "bored": bored})


def _bored(plain: PlainSolid, tie: Tie) -> str:
    """The axis of the part along which a round face runs."""
    number = plain.place.get(FaceName.read(tie.of[0])) if tie.of else None
    surface = plain.surfaces[number] if number is not None else None
    if surface is None or surface.kind not in ("cylinder", "cone", "ring"):
        return ""
    return next((a for a, c in zip("xyz", surface.way, strict=True) if abs(c) > 1 - 1e-9), "")


def _side_of(plain: PlainSolid, tie: Tie) -> tuple[str, str]:
    surfaces = [
        plain.surfaces[plain.place[name]]
        for place in tie.of
        if " | " not in place and (name := FaceName.read(place)) in plain.place
    ]
    if tie.kind in ("radius", "diameter") and surfaces and surfaces[0] is not None:
        round_ = surfaces[0]
        if tie.kind == "radius":
            return "", ""
        return ("outside" if round_.solid else "inside"), ""
    if tie.kind != "distance" or len(tie.of) != 2:
        return "", ""
    axis = tie.along if tie.along != "straight" else _axis_of(surfaces)
    if len(surfaces) == 2 and all(s is not None and s.kind == "plane" for s in surfaces):
        one, other = surfaces
        assert one is not None
        assert other is not None
        if float(np.dot(one.way, other.way)) < 0:
            away = np.array(other.at) - np.array(one.at)
            return ("inside" if float(away @ np.array(one.way)) > 0 else "outside"), axis
    return "", axis


def _axis_of(surfaces: Sequence[Surface | None]) -> str:
    """The axis of the part that a distance from a flat face lies along."""
    flat = next((s for s in surfaces if s is not None and s.kind == "plane"), None)
    if flat is None:
        return ""
    return next((a for a, c in zip("xyz", flat.way, strict=True) if abs(c) > 1 - 1e-9), "")
