"""Plates with whatever stands on them and is cut from them at round figures, so that much of it
touches, lies flush or coincides: each is built of meshes by another library as well, and both come
to the same volume. What is sent of it has no gaps."""

from __future__ import annotations

import math
from dataclasses import dataclass

import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from manifold3d import Manifold, OpType

from schablone.core.design.rebuild import rebuild
from schablone.core.process import LensView, neutral
from schablone.core.publish.exports import stl
from schablone.core.publish.pieces import pieces_of
from tests.conftest import plate

TALL, SIDES = 4.0, 360
#: A circle's radius, larger by what makes a polygon of so many sides as large as it.
ROUND = math.sqrt(math.tau / SIDES / math.sin(math.tau / SIDES))


@dataclass(frozen=True)
class Thing:
    """Something ``round`` or not at a place of the plate: ``by`` above it, or into it, or all the
    way through where that is none; alone, mirrored, or so many in a column."""

    what: str
    round: bool
    at: tuple[int, int]
    size: tuple[int, int]
    by: int
    copies: str
    pitch: int

    def steps(self, name: str) -> list[dict]:
        x, y = (f"{c} mm" for c in self.at)
        if self.what == "hole":
            depth = {"extent": "depth", "depth": f"{self.by} mm"} if self.by else {}
            place = {"face": "plate/end", "x": x, "y": y, "diameter": f"{self.size[0]} mm"}
            made = [{"kind": "hole", "name": name, **place, **depth}]
        else:
            wide, high = (f"{size} mm" for size in self.size)
            shape = (
                {"kind": "circle", "diameter": wide}
                if self.round
                else {"kind": "rectangle", "width": wide, "height": high}
            )
            drawn = {"kind": "sketch", "name": f"{name}_drawn", "plane": "plate/end"}
            cut = {"mode": "cut", "direction": "down"} if self.what == "pocket" else {}
            raised = {"kind": "extrude", "name": name, "sketch": f"{name}_drawn", **cut}
            made = [
                {**drawn, "shapes": [{**shape, "name": "s", "x": x, "y": y}]},
                {**raised, "by": f"{self.by or 1} mm"},
            ]
        if self.copies == "mirrored":
            made.append({"kind": "mirror", "name": f"{name}_too", "of": name, "plane": "side"})
        elif self.copies != "alone":
            row = {"columns": "1", "rows": self.copies, "row_pitch": f"{self.pitch} mm"}
            made.append({"kind": "grid", "name": f"{name}_too", "of": name, **row})
        return made

    def put_to(self, body: Manifold) -> Manifold:
        """The same by the other library."""
        tools = Manifold.batch_boolean([self._one(x, y) for x, y in self._places()], OpType.Add)
        return body + tools if self.what == "boss" else body - tools

    def _places(self) -> list[tuple[float, float]]:
        x, y = self.at
        if self.copies == "alone":
            return [(x, y)]
        if self.copies == "mirrored":
            return [(x, y), (-x, y)]
        count = int(self.copies)
        return [(x, y + (k - (count - 1) / 2) * self.pitch) for k in range(count)]

    def _one(self, x: float, y: float) -> Manifold:
        deep = self.by or (100 if self.what == "hole" else 1)
        low, tall = (TALL, deep) if self.what == "boss" else (TALL - deep, deep)
        if self.round or self.what == "hole":
            radius = self.size[0] / 2 * ROUND
            return Manifold.cylinder(tall, radius, radius, SIDES).translate((x, y, low))
        return Manifold.cube((*self.size, tall)).translate(
            (x - self.size[0] / 2, y - self.size[1] / 2, low)
        )


FIVES = st.sampled_from(range(-40, 41, 5))
THINGS = st.builds(
    Thing,
    st.sampled_from(("boss", "pocket", "hole")),
    st.booleans(),
    st.tuples(FIVES, st.sampled_from((-10, -5, 0, 5, 10))),
    st.tuples(st.sampled_from((2, 4, 5, 10, 20)), st.sampled_from((5, 10, 20, 40))),
    st.sampled_from((0, 1, 2, 4)),
    st.sampled_from(("alone", "alone", "mirrored", "2", "3", "5")),
    st.sampled_from((5, 10)),
)
#: Posts in a column that cross each other just where the side of a bar meets them.
POSTS = [
    Thing("boss", False, (35, 10), (30, 5), 1, "alone", 5),
    Thing("boss", True, (40, 5), (10, 10), 4, "5", 5),
]


def compared(things: list[Thing]) -> None:
    design = plate(*(step for k, one in enumerate(things) for step in one.steps(f"f{k}")))
    built = rebuild(design, LensView("wanted", neutral()))
    if not built.whole:  # what only touches is refused in words
        assert all(problem.text for problem in built.problems)
        return
    other = Manifold.cube((100.0, 40.0, TALL)).translate((-50.0, -20.0, 0.0))
    for one in things:
        other = one.put_to(other)
    volume = built.figures["part"].volume
    assert volume == pytest.approx(other.volume(), rel=2e-4)
    sent = trimesh.load_mesh(
        trimesh.util.wrap_as_stream(stl(pieces_of(design, built, ".stl"))), file_type="stl"
    )
    assert sent.is_watertight
    assert sent.volume == pytest.approx(volume, rel=1e-3)


@given(st.lists(THINGS, min_size=1, max_size=5))
def test_both_come_to_the_same(things: list[Thing]) -> None:
    compared(things)


def test_a_wall_that_others_divide_half_way_up_is_closed() -> None:
    compared(POSTS)
