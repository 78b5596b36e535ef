"""What lies apart from a tool is set aside while a boolean is worked out: the same comes of it."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.kernel.frame import Frame
from schablone.core.kernel.occ.aside import Aside, set_aside
from schablone.core.kernel.occ.booleans import joined_shapes
from schablone.core.kernel.occ.combine import combine, solid_of
from schablone.core.kernel.occ.solids import Solid
from schablone.core.kernel.occ.tool_shapes import shape_of
from schablone.core.kernel.prism import Prism
from tests.conftest import examples

from .test_seated import TOP, by_name, disc, measured, prism, rectangle

GROUND = Frame((0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0))
#: What stands in each field of a board: a bore, a blind hole, a post, a pocket with a post in it.
FIELDS = ("bore", "blind", "post", "pocket")


def field(kind: str, x: float, y: float) -> list[tuple[str, Prism]]:
    """What is done to a board 10 mm thick in a field 12 mm wide."""
    name = f"{kind} {x:g} {y:g}"
    return {
        "bore": [("cut", prism(GROUND, disc(x, y, 4), -1.0, 11.0, name))],
        "blind": [("cut", prism(TOP, rectangle(x, y, 4, 3), -3.0, 1.0, name))],
        "post": [("add", prism(TOP, disc(x, y, 5), 0.0, 6.0, name))],
        "pocket": [
            ("cut", prism(TOP, rectangle(x, y, 8, 8), -5.0, 1.0, name)),
            ("add", prism(TOP, disc(x, y, 3), -5.0, 2.0, f"{name} post")),
        ],
    }[kind]


def board(columns: int = 6, rows: int = 4, kinds: tuple[str, ...] = FIELDS) -> Solid:
    """A board full of fields, 14 mm apart."""
    wide, deep = 14.0 * columns + 10, 14.0 * rows + 10
    found = solid_of([prism(GROUND, rectangle(0, 0, wide, deep), 0.0, 10.0, "board")])
    for k in range(columns * rows):
        x = 14.0 * (k % columns - (columns - 1) / 2)
        y = 14.0 * (k // columns - (rows - 1) / 2)
        for operation, tool in field(kinds[k % len(kinds)], x, y):
            found = combine(found, operation, [tool])
    return found


BOARD = board()


def aside_for(solid: Solid, operation: str, tool: Prism) -> Aside | None:
    return set_aside(solid, operation, [shape_of(tool)])


def the_same(found: Solid, slow: Solid) -> None:
    assert found.is_valid() == slow.is_valid()
    volume, area, centre = measured(slow)
    for mine in (measured(found), (found.volume, found.figures.area, found.figures.centre)):
        assert mine[0] == pytest.approx(volume, rel=1e-9)
        assert mine[1] == pytest.approx(area, rel=1e-9)
        assert mine[2] == pytest.approx(centre, abs=1e-7)
    low, high = found.figures.bounds
    assert (*low, *high) == pytest.approx((*slow.figures.bounds[0], *slow.figures.bounds[1]))
    mine, other = by_name(found), by_name(slow)
    assert mine == pytest.approx(other, rel=1e-7)


@examples(40)
@given(
    st.sampled_from(["add", "cut"]),
    st.floats(-50, 50),
    st.floats(-35, 35),
    st.floats(1, 40),
    st.floats(1, 12),
    st.sampled_from([(-12.0, 20.0), (-2.0, 5.0), (4.0, 14.0), (9.0, 30.0)]),
)
def test_with_it_or_without_it_the_same_comes_of_it(operation, x, y, wide, deep, heights):
    tool = prism(GROUND, rectangle(x, y, wide, deep), *heights)
    try:
        slow = joined_shapes(BOARD, operation, [shape_of(tool)])
    except ValueError:
        return
    aside = aside_for(BOARD, operation, tool)
    if aside is None:
        return
    found = aside.put_back(joined_shapes(aside.rest, operation, [shape_of(tool)]))
    if found is not None:
        the_same(found, slow)


@pytest.mark.parametrize(
    ("what", "operation", "tool", "least"),
    [
        ("an ear at the side", "add", prism(GROUND, rectangle(47, 0, 20, 9), 2.0, 8.0), 60),
        ("a notch in the side", "cut", prism(GROUND, rectangle(47, 7, 5, 6), -1.0, 11.0), 60),
        ("a groove across the top", "cut", prism(TOP, rectangle(0, 0, 200, 3), -2.0, 9.0), 60),
        ("a bar over some fields", "add", prism(TOP, rectangle(0, 21, 60, 1.5), -1.0, 3.0), 40),
        ("a groove below", "cut", prism(GROUND, rectangle(0, 0, 200, 3), -1.0, 2.0), 60),
    ],
)
def test_most_of_a_board_is_set_aside(what, operation, tool, least):
    aside = aside_for(BOARD, operation, tool)
    assert aside is not None, what
    assert len(aside.faces) >= least
    assert aside.rest.is_valid()
    whole = aside.put_back(joined_shapes(aside.rest, operation, [shape_of(tool)]))
    assert whole is not None
    the_same(whole, joined_shapes(BOARD, operation, [shape_of(tool)]))
    the_same(whole, combine(BOARD, operation, [tool]))


def test_the_rest_is_the_board_without_its_fields():
    aside = aside_for(BOARD, "add", prism(GROUND, rectangle(52, 0, 12, 9), 2.0, 8.0))
    assert aside is not None
    assert aside.rest.volume == pytest.approx(94 * 66 * 10, rel=1e-12)
    assert aside.rest.volume + aside.volume == pytest.approx(BOARD.volume, rel=1e-12)
    assert len(aside.rest.names) == 6


def test_what_falls_apart_is_left_to_the_boolean():
    saw = prism(GROUND, rectangle(0, 0, 200, 2), -1.0, 11.0)
    aside = aside_for(BOARD, "cut", saw)
    assert aside is not None
    assert aside.put_back(joined_shapes(aside.rest, "cut", [shape_of(saw)])) is None
    the_same(combine(BOARD, "cut", [saw]), joined_shapes(BOARD, "cut", [shape_of(saw)]))


def test_what_something_else_passes_through_stays_with_it():
    """A hook that stands on the board reaches down through a bore without touching it: cut through,
    it must not be in what fills the bore."""
    bored = board(8, 3, ("blind",))
    bored = combine(bored, "cut", [prism(GROUND, disc(0, 0, 6), -1.0, 11.0, "bore")])
    bored = combine(bored, "add", [prism(TOP, rectangle(0, 7, 2, 2), 0.0, 5.0, "foot")])
    bored = combine(bored, "add", [prism(TOP, rectangle(0, 3.5, 2, 9), 3.0, 5.0, "arm")])
    hooked = combine(bored, "add", [prism(GROUND, rectangle(0, 0, 2, 2), -5.0, 14.0, "pin")])
    cutter = prism(GROUND, rectangle(0, 0, 30, 1), -4.0, -3.0)
    aside = aside_for(hooked, "cut", cutter)
    assert aside is not None
    assert not any("bore" in str(name) or "pin" in str(name) for name in aside.names)
    the_same(combine(hooked, "cut", [cutter]), joined_shapes(hooked, "cut", [shape_of(cutter)]))


def test_what_does_not_fit_in_any_more_is_not_put_back():
    tool = prism(GROUND, rectangle(47, 0, 20, 9), 2.0, 8.0)
    aside = aside_for(BOARD, "add", tool)
    assert aside is not None
    made = joined_shapes(aside.rest, "add", [shape_of(tool)])
    assert aside.put_back(made) is not None
    for k in range(len(aside.gaps)):
        fewer = (*aside.gaps[:k], *aside.gaps[k + 1 :])
        assert replace(aside, gaps=fewer).put_back(made) is None
    assert replace(aside, faces=aside.faces[1:], names=aside.names[1:]).put_back(made) is None
    assert replace(aside, volume=aside.volume + 0.01).put_back(made) is None
    lifted = solid_of([prism(GROUND, rectangle(0, 0, 94, 66), 0.0, 10.5, "board")])
    assert aside.put_back(lifted) is None
