"""Parts that lie on a side while they are printed: shrinkage, holes, roofs and beds follow that."""

from __future__ import annotations

import math

import pytest

from schablone.core.design import Design
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.kernel.motion import Motion
from schablone.core.process import LensView, neutral
from schablone.core.process.lying import SIDES, turn_of, upright_axis, upwards
from schablone.core.prove.checks import beds
from schablone.core.publish.pieces import pieces_of

MACHINE = neutral().with_(
    name="Test printer", kind="filament print", shrinkage_xy=0.5, shrinkage_z=0.2,
    hole_gain=-0.1, lying_hole_gain=-0.4, bed=(250.0, 210.0, 45.0),
)  # fmt: skip


def block(down: str = "bottom", form: str = "plain") -> Design:
    """40 × 20 × 30 mm on the ground, with a hole of 8 mm down from the top, and one of 6 mm into
    the front, drawn as a circle."""
    return Design.model_validate(
        {
            "name": "Block",
            "sizes": [{"name": "bore", "formula": "8 mm"}, {"name": "across", "formula": "6 mm"}],
            "parts": [{"name": "part", "down": down}],
            "steps": [
                {"kind": "sketch", "name": "o", "shapes": [
                    {"kind": "rectangle", "name": "r", "width": "40 mm", "height": "20 mm"}]},
                {"kind": "extrude", "name": "body", "sketch": "o", "by": "30 mm"},
                {"kind": "hole", "name": "down", "face": "body/end", "diameter": "bore",
                 "extent": "depth", "depth": "10 mm", "form": form},
                {"kind": "sketch", "name": "c", "plane": "front", "shapes": [
                    {"kind": "circle", "name": "d", "diameter": "across", "y": "8 mm"}]},
                {"kind": "extrude", "name": "into", "sketch": "c", "mode": "cut",
                 "extent": "through"},
            ],
        }
    )  # fmt: skip


def seen(lens: str, down: str, **more: str):
    design = block(down, **more)
    found = rebuild(design, design.seen(lens, MACHINE), Memory())
    assert found.whole, found.problems
    return found


def sizes(found) -> list[float]:
    low, high = found.figures["part"].bounds
    return [b - a for a, b in zip(low, high, strict=True)]


@pytest.mark.parametrize("down", SIDES)
def test_the_axis_that_stands_upright_shrinks_as_layers_do(down):
    level, upright = 1 / 0.995, 1 / 0.998
    wanted = [length * level for length in (40, 20, 30)]
    up = {"bottom": 2, "top": 2, "front": 1, "back": 1, "left": 0, "right": 0}[down]
    wanted[up] *= upright / level
    assert sizes(seen("sent", down)) == pytest.approx(wanted)


@pytest.mark.parametrize(("down", "bore", "across"), [
    ("bottom", 8 - 0.1, 6 - 0.4),  # the one from the top stands, that in the front lies
    ("top", 8 - 0.1, 6 - 0.4),
    ("front", 8 - 0.4, 6 - 0.1),
    ("back", 8 - 0.4, 6 - 0.1),
    ("left", 8 - 0.4, 6 - 0.4),
])  # fmt: skip
def test_holes_that_lie_close_as_lying_holes(down, bore, across):
    found = seen("expected", down)
    lost = math.pi / 4 * (bore**2 * 10 + across**2 * 20)
    assert found.figures["part"].volume == pytest.approx(40 * 20 * 30 - lost, rel=1e-6)
    # The second way: what is said of the sizes comes to the same.
    design = block(down)
    measures = measures_of(design, found).of
    for size, whole, comes in (("bore", 8.0, bore), ("across", 6.0, across)):
        (one,) = measures[size]
        view = found.view_of("part")
        assert view.of(whole, whole, one.correction) == pytest.approx(comes)


@pytest.mark.parametrize("down", SIDES)
def test_the_turn_brings_what_points_upwards_up(down):
    axis, degrees = turn_of(down)
    way = tuple(float(k == axis) for k in range(3))
    turned = Motion.turn((0.0, 0.0, 0.0), way, degrees).vector(upwards(down))
    assert turned == pytest.approx((0.0, 0.0, 1.0), abs=1e-12)
    assert abs(upwards(down)[upright_axis(down)]) == 1


@pytest.mark.parametrize("down", SIDES)
def test_files_for_printers_hold_it_as_it_lies(down):
    found = seen("wanted", down)
    (piece,) = pieces_of(block(down), found, ".stl")
    points = piece.body.mesh().points
    long, deep, high = points.max(axis=0) - points.min(axis=0)
    up = upright_axis(down)
    assert high == pytest.approx((40, 20, 30)[up])
    flat = {0: [20, 30], 1: [30, 40], 2: [20, 40]}[up]
    assert sorted((long, deep)) == pytest.approx(flat)
    assert points[:, 2].min() == pytest.approx(0, abs=1e-9)
    (other,) = pieces_of(block(down), found, ".step")
    assert sizes(found) == pytest.approx([40, 20, 30])
    assert other.body is found.bodies["part"]


def test_a_roof_points_upwards_as_it_is_printed():
    # Lying on its front, the hole from the top lies, and its roof points to the back: +y.
    for down, axis, sign in (("front", 1, 1), ("back", 1, -1), ("left", 0, 1), ("right", 0, -1)):
        found = seen("wanted", down, form="pointed")
        names = {"down"}
        mesh = found.bodies["part"].mesh(0.01)
        mine = [k for k, name in enumerate(mesh.faces) if name.step in names]
        inside = mesh.points[mesh.triangles[[f in mine for f in mesh.face_of]].ravel()]
        reach = sign * inside[:, axis]
        assert reach.max() == pytest.approx(4 * math.sqrt(2))
        assert reach.min() == pytest.approx(-4, abs=0.02)
    # As it is drawn it stands, and needs none.
    plain = seen("wanted", "bottom", form="pointed").figures["part"].volume
    assert plain == pytest.approx(24_000 - math.pi * (16 * 10 + 9 * 20))


def test_two_parts_that_lie_differently():
    design = block("front")
    outline, body = design.steps[:2]
    twin = (
        outline.model_copy(update={"name": "o2"}),
        body.model_copy(update={"name": "body2", "sketch": "o2", "part": "twin"}),
    )
    both = design.model_copy(
        update={
            "steps": (*design.steps, *twin),
            "parts": (*design.parts, design.parts[0].with_(name="twin", down="bottom")),
        }
    )
    found = rebuild(both, both.seen("sent", MACHINE), Memory())
    assert found.whole, found.problems
    low, high = found.figures["twin"].bounds
    assert high[2] - low[2] == pytest.approx(30 / 0.998)
    assert sizes(found) == pytest.approx([40 / 0.995, 20 / 0.998, 30 / 0.995])


def test_what_is_too_high_may_lie():
    tall = block()
    steps = list(tall.steps)
    steps[1] = steps[1].model_copy(update={"by": "60 mm"})
    for down, fits in (("bottom", False), ("front", True), ("left", True)):
        design = tall.model_copy(
            update={"steps": tuple(steps), "parts": (tall.parts[0].with_(down=down),)}
        )
        found = rebuild(design, design.seen("wanted", MACHINE), Memory())
        (finding,) = beds(found)
        assert finding.holds is fits, (down, finding)


def test_what_is_cut_lies_flat_however_it_is_said_to_lie():
    cutter = neutral().with_(kind="laser or knife")
    view = LensView("sent", cutter, lying=(("part", "front"),)).of_part("part")
    assert view.up == 2
