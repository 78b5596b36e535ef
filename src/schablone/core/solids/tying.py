"""Ties of a plain solid taken apart: which surfaces they are about, what they let vary, and what
they ask for."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np

from ..kernel.naming import FaceName, say_face
from ..kernel.occ.plain import PlainSolid
from ..kernel.surfaces import Surface
from ..words import capital
from .equations import (
    Equation,
    Spot,
    TieError,
    angle,
    coincide,
    cone_angle,
    distance,
    equal,
    radius,
    side_by_side,
    spot_of,
    touching,
)
from .states import Layout, State
from .ties import PLACES, Tie, named, say_tie_place


@dataclass(frozen=True, slots=True)
class Row:
    """An equation with the tie that it comes from; −1 for what holds by how the solid is made."""

    tie: int
    equation: Equation


class Tying:
    """The ties of a solid, taken apart: the surfaces that they are about, what is pinned, what may
    lean or grow, and what each tie asks for.

    ``problems`` says by number which ties tie nothing as they are; ``measured`` what each one
    measures on the solid as it is, mm or radians. ``same`` gives for each surface the first one
    that it is one with; the last surfaces are those of rounded edges, ``rounds`` by name.
    """

    def __init__(self, plain: PlainSolid, ties: tuple[Tie, ...]) -> None:
        self.plain, self.ties = plain, ties
        self.rounds = tuple(plain.roundings)
        known = [*plain.surfaces, *(_as_round(plain.roundings[n].radius) for n in self.rounds)]
        self.surfaces: tuple[Surface | None, ...] = tuple(known)
        self.same = self._same()
        self.problems: dict[int, TieError] = {}
        self.pins: dict[int, frozenset[int]] = {}
        self.leaning: set[int] = set()
        self.growing: set[int] = set()
        self.size = plain.skeleton.size
        self.rows: list[Row] = []
        self.measured: dict[int, float] = {}

    def take(self) -> None:
        """Go through the ties: what they pin, what they free, what they ask for."""
        for k, tie in enumerate(self.ties):
            if tie.kind != "pin" or tie.reads:
                continue
            try:
                self._needs(tie)
                numbers = [n for place in tie.of for n in self._faces(place)]
            except TieError as error:
                self.problems[k] = error
                continue
            self.pins[k] = frozenset(self.same[n] for n in numbers)
        self.free()
        layout = self.layout(())
        start = State(layout, np.zeros(len(layout.freedoms)))
        self.rows = [Row(-1, one) for one in self._structure(start)]
        for k, tie in enumerate(self.ties):
            if tie.kind == "pin":
                continue
            try:
                equations = self.equations(tie, start)
            except TieError as error:
                self.problems[k] = error
                continue
            if tie.measures is not None:
                self.measured[k] = equations[0].now
            if not tie.reads:
                self.rows += [Row(k, one) for one in equations]

    @property
    def fixed(self) -> frozenset[int]:
        """Surfaces that cannot change, whatever is tied."""
        return frozenset(self.same[k] for k in self.plain.fixed)

    @property
    def pinned(self) -> frozenset[int]:
        """These, and those that a tie pins."""
        return self.fixed | {n for mine in self.pins.values() for n in mine}

    def layout(self, pinned: Collection[int]) -> Layout:
        """What varies where some surfaces are pinned."""
        count = len(self.surfaces)
        alike = {k for k, rep in enumerate(self.same) if rep != k}
        return Layout.of(
            self.surfaces, {*pinned, *alike}, self.leaning, self.growing, self.size,
            range(count - len(self.rounds), count),
        )  # fmt: skip

    def _same(self) -> tuple[int, ...]:
        """For each surface the first one that it is one with: faces that go smoothly into each
        other on one and the same surface, rounded edges that go on into each other. Kept with the
        solid."""
        known = self.plain.__dict__.get("_same")
        if known is None:
            known = self.plain.__dict__["_same"] = self._same_now()
        return known

    def _same_now(self) -> tuple[int, ...]:
        same = list(range(len(self.surfaces)))
        for edge in self.plain.skeleton.edges:
            if edge.smooth and len(edge.faces) == 2:
                a, b = sorted(same[k] for k in edge.faces)
                one, other = self.surfaces[a], self.surfaces[b]
                if a != b and one is not None and other is not None and _is_same(one, other):
                    same = [a if k == b else k for k in same]
        first = len(self.surfaces) - len(self.rounds)
        for chain in self.plain.chains:
            numbers = sorted(first + self.rounds.index(name) for name in chain)
            for k in numbers:
                same[k] = numbers[0]
        return tuple(same)

    # Places

    def _faces(self, place: str) -> tuple[int, ...]:
        """The numbers of the surfaces of a place.

        Raises:
            TieError: where it is none of this part.
        """
        faces = []
        for name in _names(place):
            number = self.plain.place.get(name)
            if number is None and name in self.plain.roundings:
                raise TieError(
                    f"The {say_face(str(name))} is a rounded edge: it follows the faces beside it.",
                    "Pick one of these, or give it a radius.",
                )
            if number is None:
                raise TieError(
                    f"The {say_face(str(name))} is not there any more.", "Pick another face."
                )
            faces.append(self.same[number])
        return tuple(faces)

    def _round(self, place: str) -> int:
        """The number of a round face, roundings included."""
        names = _names(place)
        if len(names) == 1 and names[0] in self.plain.roundings:
            k = len(self.surfaces) - len(self.rounds) + self.rounds.index(names[0])
            return self.same[k]
        faces = self._faces(place)
        rounds = [k for k in faces if (s := self.surfaces[k]) is not None and s.is_round]
        return (rounds or faces)[0]

    def _spot(self, place: str) -> Spot:
        return spot_of(self.surfaces, self._faces(place), say_tie_place(place))

    def _needs(self, tie: Tie) -> None:
        least, most = PLACES[tie.kind]
        if len(tie.of) < least:
            what = {1: "a face", 2: "two faces"}[least]
            raise TieError(f"It needs {what}.", "Pick in the view.")
        if len(tie.of) > most:
            raise TieError(f"It ties {most} at most.", "Leave some out.")
        if tie.kind == "symmetric" and not tie.about:
            raise TieError(
                "It needs a flat face in whose plane the mirror stands, or two.",
                "Pick one, or two for the middle between them.",
            )

    # What may lean or grow

    def free(self) -> None:
        """Directions and radii stay as they are, but for those that a tie is about."""
        level: list[tuple[int, ...]] = []
        for tie in self.ties:
            if tie.reads:
                continue
            try:
                self._needs(tie)
                self._free_by(tie, level)
            except (TieError, ValueError):
                continue
        grown = True
        while grown:
            grown = False
            for faces in level:
                mine = set(faces)
                if mine & self.leaning and not mine <= self.leaning:
                    self.leaning |= mine
                    grown = True
        self._free_ends_of_slots()

    def _free_by(self, tie: Tie, level: list[tuple[int, ...]]) -> None:
        if tie.kind in ("radius", "diameter", "equal"):
            self.growing |= {self._round(place) for place in tie.of}
        elif tie.kind == "angle":
            spots = [self._spot(place) for place in tie.of]
            if len(spots) == 1:
                self.growing |= set(spots[0].of)
            elif tie.formula or len(spots[0].of) + len(spots[1].of) == 2:
                self.leaning |= {k for spot in spots for k in spot.of}
        elif tie.kind in ("distance", "flush", "concentric", "symmetric"):
            faces = [k for place in (*tie.of, *tie.about) for k in self._faces(place)]
            level.append(tuple(faces))

    def _free_ends_of_slots(self) -> None:
        """The round end of a slot becomes as wide as its walls are apart."""
        touching_at: dict[int, list[int]] = {}
        for round_, flat in self._touching():
            touching_at.setdefault(round_, []).append(flat)
        for round_, flats in touching_at.items():
            ways = [np.array(self.surfaces[k].way) for k in dict.fromkeys(flats)]  # type: ignore[union-attr]
            if any(
                float(np.linalg.norm(np.cross(a, b))) < 1e-6
                for i, a in enumerate(ways)
                for b in ways[:i]
            ):
                self.growing.add(round_)

    def _touching(self) -> list[tuple[int, int]]:
        """Cylinders and the planes that they go smoothly into, each pair once."""
        pairs = []
        for edge in self.plain.skeleton.edges:
            if not edge.smooth or len(edge.faces) != 2:
                continue
            a, b = (self.same[k] for k in edge.faces)
            one, other = self.surfaces[a], self.surfaces[b]
            if one is None or other is None or a == b:
                continue
            if one.kind == "cylinder" and other.kind == "plane":
                pairs.append((a, b))
            elif other.kind == "cylinder" and one.kind == "plane":
                pairs.append((b, a))
        return list(dict.fromkeys(pairs))

    # Equations

    def _structure(self, start: State) -> list[Equation]:
        """What holds by how the solid is made: faces that go smoothly into each other still do."""
        equations = [touching(round_, flat, start) for round_, flat in self._touching()]
        seen = set()
        for edge in self.plain.skeleton.edges:
            if not edge.smooth or len(edge.faces) != 2:
                continue
            a, b = sorted(self.same[k] for k in edge.faces)
            one, other = self.surfaces[a], self.surfaces[b]
            if one is None or other is None or a == b or (a, b) in seen:
                continue
            seen.add((a, b))
            if one.kind == other.kind == "cylinder":
                equations.append(side_by_side(a, b, start))
        return equations

    def equations(self, tie: Tie, start: State) -> list[Equation]:
        """What a tie asks for.

        Raises:
            TieError: where it ties nothing as it is.
        """
        self._needs(tie)
        if tie.kind in ("radius", "diameter"):
            times = 2.0 if tie.kind == "diameter" else 1.0
            return [
                radius(self._round(place), start, times, say_tie_place(place)) for place in tie.of
            ]
        if tie.kind == "equal":
            first, *others = (self._round(place) for place in tie.of)
            return [equal(first, other, start) for other in others]
        spots = [self._spot(place) for place in tie.of]
        if tie.kind == "distance":
            return [distance(spots[0], spots[1], tie.along, start)]
        if tie.kind == "angle":
            return [self._angle(spots, tie, start)]
        if tie.kind == "symmetric":
            flip = [self._spot(place) for place in tie.about]
            if any(spot.form != "plane" for spot in flip):
                raise TieError("The mirror stands in flat faces only.", "Pick flat ones.")
            return [coincide(spots[0], spots[-1], start, flip)]
        return [coincide(spots[0], other, start) for other in spots[1:]]

    def _angle(self, spots: Sequence[Spot], tie: Tie, start: State) -> Equation:
        if len(spots) > 1:
            return angle(spots[0], spots[1], start)
        surface = self.surfaces[spots[0].of[0]]
        if surface is None or surface.kind != "cone":
            raise TieError(
                "One face alone has an angle only where it is a cone.", "Pick a second one."
            )
        return cone_angle(spots[0].of[0], start)


def _names(place: str) -> tuple[FaceName, ...]:
    """The faces of a place.

    Raises:
        TieError: where it is none.
    """
    try:
        return named(place)
    except ValueError as error:
        what = f"{error}." if place else "A face is missing."
        raise TieError(capital(what), "Pick it anew.") from None


def _as_round(radius_: float) -> Surface:
    return Surface("cylinder", (0.0, 0.0, 0.0), (0.0, 0.0, 1.0), (1.0, 0.0, 0.0), radius_)


def _is_same(one: Surface, other: Surface) -> bool:
    """Whether two surfaces are one and the same."""
    if one.kind != other.kind or abs(one.radius - other.radius) > 1e-6:
        return False
    if abs(one.second) - abs(other.second) > 1e-6 and one.kind != "ball":
        return False
    if one.kind != "ball" and float(np.linalg.norm(np.cross(one.way, other.way))) > 1e-6:
        return False
    away = np.array(other.at) - np.array(one.at)
    if one.kind in ("ball", "ring"):
        return float(np.linalg.norm(away)) < 1e-6
    if one.kind == "plane":
        return abs(float(away @ np.array(one.way))) < 1e-6
    aside = away - float(away @ np.array(one.way)) * np.array(one.way)
    return float(np.linalg.norm(aside)) < 1e-6 and one.kind != "cone"
