"""Stencils made of steps of a design: what becomes open, what cannot, and that nothing moves."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import Design
from schablone.core.design import edit as edits
from schablone.core.design.evaluate import table_of
from schablone.core.design.rebuild import rebuild
from schablone.core.design.stencil_anchor import Anchorage
from schablone.core.design.stencil_edit import put_in
from schablone.core.design.stencil_make import Draft, replaced, stencil_of
from schablone.core.formula.errors import FormulaError
from schablone.core.kernel.frame import Frame
from schablone.core.process import LensView, neutral
from tests.conftest import examples
from tests.core.test_stencils import MEMORY, WANTED, board, volume

POCKET = (
    {"kind": "sketch", "name": "rim", "plane": "board/end",
     "shapes": [{"kind": "slot", "name": "s", "length": "long", "width": "half", "x": "left",
                 "y": "10 mm"}]},
    {"kind": "extrude", "name": "pocket", "sketch": "rim", "mode": "cut", "by": "6 mm",
     "direction": "down"},
    {"kind": "hole", "name": "bore", "face": "pocket/end", "diameter": "half/4", "x": "left",
     "y": "10 mm"},
    {"kind": "row", "name": "bores", "of": "bore", "span": "long", "pitch": "9 mm",
     "margin": "6 mm"},
    {"kind": "fillet", "name": "soft", "radius": "1 mm",
     "edges": [{"how": "between", "of": ["pocket/side/s.top", "board/end"]}]},
)  # fmt: skip
SIZES = {"long": "40 mm", "half": "long/2", "left": "wide/10", "apart": "wide/4"}


def host(*more: dict, sizes: dict | None = None) -> Design:
    return board(*POCKET, *more, sizes={**SIZES, **(sizes or {})})


def draft(design: Design, *names: str, **more) -> Draft:
    return stencil_of(design, names, table_of(design, neutral()), **more)


def test_what_it_needs_from_outside_becomes_open():
    found = draft(host(), "pocket", "bores", "soft", called="Round pocket")
    assert found.cannot == ()
    assert found.also == ("rim", "bore")
    assert found.anchor == Anchorage("board/end", "left", "10 mm")
    # What follows from others that it asks for as well goes on following from them.
    assert [(one.name, one.value, one.open) for one in found.asked] == [
        ("long", "40 mm", True), ("half", "20 mm", False),
    ]  # fmt: skip
    assert found.stencil.name == "round_pocket"
    assert found.stencil.size("half").formula == "long/2"


def test_open_or_not_is_chosen():
    found = draft(host(), "pocket", "bores", opens={"long": False, "half": True})
    assert {size.name: size.open for size in found.stencil.sizes} == {"long": False, "half": True}
    assert found.stencil.size("long").formula == "40 mm"


@examples(15)
@given(left=st.integers(-50, 50), long=st.integers(28, 60), x=st.integers(-30, 30),
       used=st.booleans())  # fmt: skip
def test_put_where_its_steps_were_nothing_moves(left, long, x, used):
    extra = {"kind": "hole", "name": "extra", "face": "pocket/end", "diameter": "1 mm",
             "x": "left", "y": "12 mm"}  # fmt: skip
    design = host(*([extra] if used else []), sizes={"left": f"{left} mm", "long": f"{long} mm"})
    before = volume(design)
    for anchor in (None, Anchorage("board/end", f"{x} mm", "-7 mm"), Anchorage("board/end")):
        made = draft(design, "pocket", "bores", "soft", anchor=anchor)
        assert made.cannot == ()
        after = replaced(design, made)
        assert volume(after) == pytest.approx(before, rel=1e-12)
        assert [step.name for step in after.steps][2] == "soft"
        for wide in ("180 mm", "230 mm"):
            assert volume(after, {"wide": wide}) == pytest.approx(
                volume(design, {"wide": wide}), rel=1e-12
            )


def test_a_sketch_that_is_named_and_not_used_stays_behind():
    hole = {"kind": "hole", "name": "h", "face": "board/end", "diameter": "4 mm",
            "sketch": "outline"}  # fmt: skip
    made = draft(board(hole), "h")
    assert (made.cannot, made.also) == ((), ())
    assert made.stencil.steps[0].sketch == ""


def test_it_goes_into_another_part():
    made = draft(host(), "pocket", called="Pocket").stencil
    other = Design.model_validate({
        "parts": [{"name": "lid"}],
        "steps": [
            {"kind": "sketch", "name": "o", "plane": "side",
             "shapes": [{"kind": "rectangle", "name": "r", "width": "90 mm", "height": "70 mm"}]},
            {"kind": "extrude", "name": "slab", "sketch": "o", "by": "15 mm", "part": "lid"},
        ]})  # fmt: skip
    found = put_in(other, made, name="it", part="lid", face="slab/end", turn="30 deg")
    built = rebuild(found, WANTED, MEMORY)
    assert built.problems == []
    slot = math.pi * 100 + 20 * 20
    assert built.figures["lid"].volume == pytest.approx(90 * 70 * 15 - 6 * slot, rel=1e-9)


def test_outputs_of_other_steps_become_open_too():
    row = {"kind": "row", "name": "others", "of": "bore", "how": "count", "count": "3",
           "span": "long", "margin": "6 mm"}  # fmt: skip
    design = board(*POCKET[:3], row, {
        "kind": "hole", "name": "many", "face": "board/end", "diameter": "others.count*1 mm",
        "x": "apart"}, sizes=SIZES)  # fmt: skip
    found = draft(design, "many")
    assert found.anchor == Anchorage("board/end", "apart", "0 mm")
    (asked,) = found.asked
    assert (asked.name, asked.formula, asked.value) == ("others_count", "others.count", "3")
    assert volume(replaced(design, found)) == pytest.approx(volume(design), rel=1e-12)


def test_edges_with_other_faces_ask_for_them():
    design = host({"kind": "fillet", "name": "edge", "radius": "2 mm", "edges": [
        {"how": "between", "of": ["board/end", "board/side/r.left"]}]})  # fmt: skip
    found = draft(design, "pocket", "edge", anchor=Anchorage("board/end", "left", "10 mm"))
    assert found.cannot == ()
    assert list(found.faces.values()) == ["board/side/r.left"]
    assert volume(replaced(design, found)) == pytest.approx(volume(design), rel=1e-12)


@pytest.mark.parametrize(
    ("more", "names", "words"),
    [
        ({"kind": "shell", "name": "s", "faces": ["board/end"]}, ("s",), "reaches further"),
        ({"kind": "mirror", "name": "m", "of": "pocket", "plane": "side"}, ("m",),
         "plane of the design"),
        ({"kind": "row", "name": "r", "what": "part", "how": "on"}, ("r",), "whole part"),
        ({"kind": "hole", "name": "h", "face": "board/end", "diameter": "nosuch"}, ("h",),
         "no value"),
        ({"kind": "hole", "name": "h", "face": "board/end", "diameter": "1 mm +"}, ("h",),
         "cannot be read"),
        ({"kind": "hole", "name": "h", "face": "board/end",
          "diameter": 'from_row(long, "a")'}, ("h",), "size table"),
        ({"kind": "measure", "name": "m"}, (), "No steps"),
    ],
)  # fmt: skip
def test_what_cannot_be_open_is_said(more, names, words):
    table = {"columns": ["long"], "rows": [{"name": "a", "cells": {"long": "3 mm"}}]}
    design = Design.model_validate({**host(more).model_dump(), "table": table})
    found = draft(design, *names)
    assert found.stencil is None
    assert words in " ".join(found.cannot)


def test_a_row_along_other_axes_than_those_of_its_face_is_said():
    on_side = {"kind": "hole", "name": "h", "face": "board/side/r.right", "diameter": "2 mm"}
    row = {"kind": "row", "name": "r", "of": "h", "how": "on", "along": "y", "pitch": "9 mm"}
    design = board(on_side, row)
    frames = {"board/side/r.right": Frame((100.0, 0, 0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))}
    assert "axes of the design" in " ".join(draft(design, "r", frames=frames).cannot)
    assert "is not there" in " ".join(draft(design, "r", frames={}).cannot)


def test_what_uses_a_step_itself_must_come_along():
    design = host({"kind": "row", "name": "more", "of": "pocket", "how": "on", "count": "2",
                   "pitch": "60 mm"})  # fmt: skip
    made = draft(design, "pocket")
    with pytest.raises(FormulaError, match="more"):
        replaced(design, made)
    # Formulas that ask its steps go on asking them.
    design = edits.add_size(host(), "count", "bores.count + 1")
    after = replaced(design, draft(design, "bores", "pocket", called="it"))
    assert after.size("count").formula == "it.bores.count + 1"
    assert rebuild(after, LensView("wanted", neutral()), MEMORY).table.cells["count"]
