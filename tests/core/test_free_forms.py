"""Meshes that are free forms: kept as triangles, named, cut and added to, sent; what needs exact
faces is refused in words. Volumes by hand, meshes read back by another library."""

from __future__ import annotations

import io
import math

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from matplotlib.tri import LinearTriInterpolator, Triangulation

from schablone.core.design import Design
from schablone.core.design.model import DrawingSheet
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.kernel.figures import CannotBe
from schablone.core.kernel.kept_mesh import kept_mesh
from schablone.core.kernel.mesh_booleans import put_together
from schablone.core.kernel.mesh_pieces import touching
from schablone.core.kernel.meshed import Meshed
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.operations import Applied
from schablone.core.packed import packed, unpacked
from schablone.core.problem import SchabloneError
from schablone.core.process import neutral
from schablone.core.prove.checks import solid_parts
from schablone.core.publish.drawing_sheet.sides import sides_of
from schablone.core.publish.exports import export
from schablone.core.publish.pieces import pieces_of
from schablone.core.sketch.curves import EllipticArc
from schablone.core.solids.from_mesh import part_of_mesh
from schablone.core.steps.measure import Measure
from tests.conftest import examples
from tests.core.free_forms import (
    DEEP,
    WIDE,
    bottom,
    built,
    imported,
    kept,
    stl,
    top,
    volume_of_wavy,
    wavy,
)

WHOLE = volume_of_wavy()


def volume(found, part: str = "part") -> float:
    assert not found.problems, found.problems
    return found.figures[part].volume


def assert_sound(found) -> None:
    """It closes, and both ways to its volume agree."""
    one = solid_parts(found)
    assert one.holds, one.why


def face(found, way: tuple[float, float, float]) -> str:
    """The flat face of the stone that looks along a direction."""
    frames = found.bodies["part"].frames
    return next(
        str(name)
        for name, frame in frames.items()
        if name.step == "stone" and math.dist(frame.normal, way) < 1e-9
    )


def hole(**fields: str) -> dict[str, object]:
    return {"kind": "hole", "name": "bore", "face": bottom(built()), "diameter": "6 mm", **fields}


def raised(name: str = "boss", **fields: str) -> list[dict[str, object]]:
    """A square of 10 mm in the middle of the bottom, and what is raised from it."""
    square = {"kind": "rectangle", "name": "r", "width": "10 mm", "height": "10 mm"}
    return [
        {"kind": "sketch", "name": f"{name}_sketch", "plane": bottom(built()), "shapes": [square]},
        {"kind": "extrude", "name": name, "sketch": f"{name}_sketch", **fields},
    ]


def test_it_is_taken_for_what_it_is() -> None:
    found = part_of_mesh(stl(wavy()), "wavy.stl")
    assert "five flat faces on which something can stand" in found.words
    assert "a free form" in found.words
    assert "60 × 40 × 21.71 mm" in found.words
    stone = built()
    assert volume(stone) == pytest.approx(WHOLE, rel=1e-9)
    names = {str(name) for name in stone.bodies["part"].names()}
    assert names == {"stone/free", *(f"stone/face/{k}" for k in range(1, 6))}
    ground = stone.bodies["part"].frames
    assert {round(f.origin[2], 6) for f in ground.values() if f.normal[2] < -0.99} == {0.0}


def test_a_ball_has_no_face_to_stand_on_and_is_taken_all_the_same() -> None:
    ball = trimesh.creation.icosphere(subdivisions=4, radius=20)
    found = part_of_mesh(ball.export(file_type="stl"), "ball.stl")
    assert "no flat face is large enough" in found.words
    mesh = kept_mesh(found.data)
    assert mesh.faces == 1
    assert not mesh.flat


@given(
    x=st.floats(-24, 24), y=st.floats(-14, 14), wide=st.floats(1, 9), deep=st.floats(0.5, 15),
    down=st.booleans(),
)  # fmt: skip
@examples(25)
def test_a_blind_hole_or_a_boss_changes_the_volume_by_its_own(x, y, wide, deep, down) -> None:
    ground = bottom(built())
    if down:
        step = hole(
            x=f"{x} mm", y=f"{y} mm", diameter=f"{wide} mm", extent="depth", depth=f"{deep} mm"
        )
        steps, by = [step], -math.pi * wide**2 / 4 * deep
    else:
        circle = {"kind": "circle", "name": "c", "diameter": f"{wide} mm",
                  "x": f"{x} mm", "y": f"{y} mm"}  # fmt: skip
        steps = [
            {"kind": "sketch", "name": "s", "plane": ground, "shapes": [circle]},
            {"kind": "extrude", "name": "boss", "sketch": "s", "by": f"{deep} mm"},
        ]
        by = math.pi * wide**2 / 4 * deep
    after = built(*steps)
    assert volume(after) == pytest.approx(WHOLE + by, abs=2e-3 * abs(by) + 1e-6)
    assert_sound(after)


def test_a_bore_goes_right_through_and_its_wall_has_a_name() -> None:
    after = built(hole(extent="through"))
    # What it takes is the block under the disc: means of heights over a fine grid of spots.
    a, b, c = top().transpose(1, 0, 2)
    spots = np.arange(-3, 3, 0.05) + 0.025
    grid = np.array([(x, y) for x in spots for y in spots])
    disc = grid[np.hypot(*grid.T) < 3] + [WIDE / 2, DEEP / 2]
    corners, at = np.unique(np.concatenate([a, b, c]), axis=0, return_inverse=True)
    surface = Triangulation(corners[:, 0], corners[:, 1], at.reshape(3, -1).T)
    height = LinearTriInterpolator(surface, corners[:, 2])(*disc.T)
    assert WHOLE - volume(after) == pytest.approx(float(height.mean()) * 9 * math.pi, rel=2e-4)
    assert "bore/wall" in {str(name) for name in after.bodies["part"].names()}


def test_what_is_cut_up_to_the_next_face_stops_there() -> None:
    """A slot right across, 4 mm over the bottom: from below, the first wall is the floor of it."""
    side = face(built(), (0.0, -1.0, 0.0))
    slot = {"kind": "rectangle", "name": "r", "width": "30 mm", "height": "4 mm", "y": "-4 mm"}
    steps = [
        {"kind": "sketch", "name": "s", "plane": side, "shapes": [slot]},
        {"kind": "extrude", "name": "slot", "sketch": "s", "mode": "cut", "extent": "through"},
    ]
    slotted = volume(built(*steps))
    assert slotted == pytest.approx(WHOLE - 30 * 4 * DEEP, rel=1e-6)
    after = built(*steps, *raised("pit", mode="cut", extent="next", direction="down"))
    frames = after.bodies["part"].frames
    low = min(f.origin[2] for n, f in frames.items() if n.step == "slot" and f.normal[2] < -0.9)
    other = min(f.origin[2] for n, f in frames.items() if n.step == "slot" and f.normal[2] > 0.9)
    assert slotted - volume(after) == pytest.approx(100 * min(low, other), rel=1e-6)


def test_what_is_added_up_to_the_next_face_fills_as_far() -> None:
    steps = raised("pit", mode="cut", by="6 mm", direction="down")
    assert volume(built(*steps)) == pytest.approx(WHOLE - 600, rel=1e-6)
    narrow = {"kind": "rectangle", "name": "r", "width": "4 mm", "height": "4 mm"}
    post = [
        {"kind": "sketch", "name": "p", "plane": bottom(built()), "shapes": [narrow]},
        {"kind": "extrude", "name": "post", "sketch": "p", "extent": "next", "direction": "down"},
    ]
    assert volume(built(*steps, *post)) == pytest.approx(WHOLE - 600 + 16 * 6, rel=1e-6)


def test_cut_off_split_mirrored_and_put_together_again() -> None:
    ground = bottom(built())
    less = built({"kind": "cut_off", "name": "c", "plane": ground, "at": "-5 mm"})
    assert volume(less) == pytest.approx(WHOLE - 5 * WIDE * DEEP, rel=1e-9)
    parts = [{"name": "part"}, {"name": "rest"}]
    side = face(built(), (1.0, 0.0, 0.0))
    split = {"kind": "split", "name": "c", "plane": side, "at": "-22 mm", "other": "rest"}
    both = built(split, parts=parts)
    assert volume(both) + volume(both, "rest") == pytest.approx(WHOLE, rel=1e-9)
    again = {"kind": "combine", "name": "again", "mode": "add", "other": "rest"}
    assert volume(built(split, again, parts=parts)) == pytest.approx(WHOLE, rel=1e-9)
    apart = {"kind": "combine", "name": "again", "mode": "common", "other": "rest"}
    (problem,) = built(split, apart, parts=parts).problems
    assert "Nothing would be left" in problem.what
    twice = built({"kind": "mirror", "name": "m", "what": "part", "plane": side})
    assert volume(twice) == pytest.approx(2 * WHOLE, rel=1e-9)
    assert_sound(twice)
    assert any(name.member == (2,) for name in twice.bodies["part"].names())


def test_moved_scaled_copied_and_repeated() -> None:
    large = built({"kind": "move", "name": "m", "how": "scale", "factor": "2"})
    assert volume(large) == pytest.approx(8 * WHOLE, rel=1e-9)
    turned = built({"kind": "move", "name": "m", "angle": "30 deg", "axis": "x", "x": "7 mm"})
    assert volume(turned) == pytest.approx(WHOLE, rel=1e-9)
    copy = {"kind": "copy", "name": "c", "other": "part", "x": "100 mm", "part": "b"}
    both = built(copy, parts=[{"name": "part"}, {"name": "b"}])
    assert volume(both, "b") == pytest.approx(WHOLE, rel=1e-9)
    row = {"kind": "row", "name": "r", "of": "bore", "how": "count", "count": "3",
           "pitch": "12 mm", "span": "36 mm", "along": "x", "margin": "0 mm"}  # fmt: skip
    bored = hole(extent="depth", depth="5 mm")
    assert volume(built(bored, row)) == pytest.approx(WHOLE - 3 * math.pi * 9 * 5, rel=1e-5)


def test_steps_that_need_exact_faces_say_so() -> None:
    ground = bottom(built())
    ends = [face(built(), (1.0, 0.0, 0.0)), face(built(), (-1.0, 0.0, 0.0))]
    for step in (
        {"kind": "shell", "name": "f", "faces": [ground], "wall": "2 mm"},
        {"kind": "shift_faces", "name": "f", "faces": [ground], "by": "1 mm"},
        {"kind": "draft", "name": "f", "faces": [ground], "angle": "2 deg", "hinge": "ground"},
        {"kind": "fillet", "name": "f", "edges": [{"how": "around", "of": [ground]}]},
        {"kind": "measure", "name": "f", "what": "radius", "first": ground},
        {"kind": "give_sizes", "name": "f", "ties": [
            {"kind": "pin", "of": [ground]},
            {"kind": "distance", "of": ends, "formula": "61 mm"}]},
    ):  # fmt: skip
        after = built(step)
        (problem,) = after.problems
        assert "free form made of triangles" in problem.what, step
        assert problem.hint
        assert after.figures["part"].volume == pytest.approx(WHOLE, rel=1e-9)


def test_what_is_measured_on_it() -> None:
    one, other = face(built(), (1.0, 0.0, 0.0)), face(built(), (-1.0, 0.0, 0.0))
    for what, wanted in (("distance", WIDE), ("angle", 0.0)):
        step = {"kind": "measure", "name": "m", "what": what, "first": one, "second": other}
        found = built(step, sizes=[{"name": "read", "formula": "m.value"}])
        assert not found.problems
        assert found.table.env().values["read"] == pytest.approx(wanted, abs=1e-5)
    free = {"kind": "measure", "name": "m", "what": "distance", "first": one}
    (problem,) = built({**free, "second": "stone/free"}).problems
    assert "no flat face" in problem.what
    clear = {"kind": "measure", "name": "m", "what": "clearance", "other": "b"}
    copy = {"kind": "copy", "name": "c", "other": "part", "x": "61.5 mm", "part": "b"}
    found = built(copy, clear, parts=[{"name": "part"}, {"name": "b"}],
                  sizes=[{"name": "read", "formula": "m.value"}])  # fmt: skip
    assert not found.problems
    assert found.table.env().values["read"] == pytest.approx(1.5, abs=1e-5)


def test_what_is_measured_in_another_lens_is_what_is_there() -> None:
    """A part is stretched before it is sent, and so is what lies between its faces."""
    one, other = face(built(), (1.0, 0.0, 0.0)), face(built(), (-1.0, 0.0, 0.0))
    machine = PRINTER.with_(first_layer=0.0)
    for lens, wanted in (("wanted", WIDE), ("sent", WIDE / 0.995)):
        bodies = built(lens=lens, machine=machine).bodies
        ends = Measure(name="gauge", first=one, second=other).ends(bodies)
        assert math.dist(*ends) == pytest.approx(wanted, abs=1e-5)
        low, high = bodies["part"].box()  # the second way
        assert math.dist(*ends) == pytest.approx(high[0] - low[0], abs=1e-5)


PRINTER = neutral().with_(
    name="Test printer", kind="filament print", shrinkage_xy=0.5, shrinkage_z=0.2,
    hole_gain=-0.1, first_layer=0.3,
)  # fmt: skip


def test_it_is_stretched_for_shrinkage_and_its_lower_edges_bevelled() -> None:
    sent = built(lens="sent", machine=PRINTER.with_(first_layer=0.0))
    assert volume(sent) == pytest.approx(WHOLE / (0.995**2 * 0.998), rel=1e-9)
    bevelled = built(lens="sent", machine=PRINTER, bevel_first_layer=True)
    by, wide, deep = 0.3, WIDE / 0.995, DEEP / 0.995
    # Its upright walls lose a triangle all round, counted twice at each corner.
    gone = 2 * (wide + deep) * by**2 / 2 - 4 * by**3 / 3
    assert volume(sent) - volume(bevelled) == pytest.approx(gone, rel=1e-6)
    assert "first_layer/bevel" in {str(name) for name in bevelled.bodies["part"].names()}


def test_a_bore_in_it_is_corrected_as_any_other() -> None:
    bored = hole(extent="depth", depth="8 mm", diameter="inside(6 mm)")
    sent = volume(built(lens="sent", machine=PRINTER.with_(first_layer=0.0)))
    after = volume(built(bored, lens="sent", machine=PRINTER.with_(first_layer=0.0)))
    # 6 mm are wanted, holes come out 0.1 mm smaller and all of it shrinks.
    assert sent - after == pytest.approx(math.pi / 4 * (6.1 / 0.995) ** 2 * 8 / 0.998, rel=1e-4)


def test_files_of_it_are_closed_and_step_says_why_not() -> None:
    found = built(hole(extent="depth", depth="8 mm"))
    whole = Design.model_validate({"name": "Stone", "steps": [], "parts": [{"name": "part"}]})
    pieces = pieces_of(whole, found)
    mesh = trimesh.load(io.BytesIO(export(pieces, "a.stl")), file_type="stl")
    assert mesh.is_watertight
    assert mesh.volume == pytest.approx(WHOLE - math.pi * 9 * 8, rel=1e-5)
    assert export(pieces, "a.3mf")[:2] == b"PK"
    with pytest.raises(SchabloneError, match="triangles") as told:
        export(pieces, "a.step")
    assert "STL or 3MF" in str(told.value)
    with pytest.raises(SchabloneError, match="none of sheet"):
        export(pieces, "a.dxf")


def test_it_is_drawn_with_what_is_seen_and_hidden() -> None:
    found = built(hole(extent="depth", depth="8 mm"))
    drawn = sides_of(found.bodies["part"], DrawingSheet(), found.table)
    sides = {side.name: side for side in drawn}
    low, high = found.bodies["part"].box()
    assert sides["front"].wide == pytest.approx(high[0] - low[0], abs=0.05)
    assert sides["front"].high == pytest.approx(high[2] - low[2], abs=0.05)
    # From the front the hole's floor and both of its sides.
    upright = [c for c in sides["front"].hidden if c.start[0] == pytest.approx(c.end[0])]
    assert sorted(round(c.start[0], 2) for c in upright) == [27.0, 33.0]
    # From above its rim and its floor lie on each other, behind the top.
    rims = [curve for curve in sides["top"].hidden if isinstance(curve, EllipticArc)]
    assert [(round(rim.rx, 3), rim.is_full) for rim in rims] == [(3.0, True)]
    assert not [curve for curve in sides["top"].seen if isinstance(curve, EllipticArc)]
    assert {"front", "top", "picture"} <= sides.keys()


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda d: d[:-7], "cut off"),
        (lambda d: d[:40], "damaged"),
        (lambda d: d.replace(b"face 5400", b"face 5401"), "cut off"),
        (lambda d: d[:400] + b"\xff\xff\xff\x7f" * 3 + d[412:], "not there"),
        (lambda d: d[: len(d) - 14] + b"\x03\xff\xff\xff\x7f" + d[len(d) - 9 :], "not there"),
        (lambda d: d[: len(d) - 15] + d[len(d) - 30 : len(d) - 15], "does not close"),
    ],
)
def test_a_damaged_one_is_told(spoil, words) -> None:
    data = packed(spoil(unpacked(kept())))
    design = Design.model_validate(
        {"steps": [{"kind": "imported", "name": "stone", "file": "w.stl", "data": data}]}
    )
    (problem,) = rebuild(design, design.seen("wanted", neutral()), Memory()).problems
    assert words in problem.what
    assert problem.hint


def test_a_solid_becomes_triangles_where_a_free_form_is_added_to_it() -> None:
    plate = [
        {"kind": "sketch", "name": "s", "shapes": [
            {"kind": "rectangle", "name": "r", "width": "100 mm", "height": "80 mm"}]},
        {"kind": "extrude", "name": "plate", "sketch": "s", "by": "5 mm", "part": "b"},
        {"kind": "combine", "name": "both", "mode": "add", "other": "part", "part": "b"},
    ]  # fmt: skip
    found = built({"kind": "move", "name": "m", "x": "-30 mm", "y": "-20 mm", "z": "5 mm"}, *plate,
                  parts=[{"name": "part"}, {"name": "b"}])  # fmt: skip
    assert volume(found, "b") == pytest.approx(100 * 80 * 5 + WHOLE, rel=1e-6)
    names = {str(name) for name in found.bodies["b"].names()}
    assert {"plate/end", "stone/free"} <= names
    assert_sound(found)


def test_many_triangles_take_the_room_of_many_results(monkeypatch) -> None:
    """So that an afternoon of edits of a large mesh does not fill the memory."""
    monkeypatch.setattr("schablone.core.design.built._TRIANGLES", 500)
    memory = Memory(40)
    for depth in range(1, 9):
        step = hole(extent="depth", depth=f"{depth} mm")
        design = Design.model_validate({"steps": [imported(), step]})
        found = rebuild(design, design.seen("wanted", neutral()), memory)
        assert not found.problems
    # Each body counts for eleven: of ten that were made, three are kept.
    kept_bodies = [one for one in memory.results.values() if isinstance(one, Applied)]
    assert 1 <= len(kept_bodies) <= 3
    memory.forget_half()
    assert len([one for one in memory.results.values() if isinstance(one, Applied)]) <= 1
    # What was forgotten is made again.
    again = rebuild(design, design.seen("wanted", neutral()), memory)
    assert volume(again) == pytest.approx(WHOLE - math.pi * 9 * 8, rel=1e-5)


def test_what_touches_it_along_a_line_only_is_told() -> None:
    """A bar beside it, whose edge lies on one of its own."""
    bar = {"kind": "rectangle", "name": "r", "width": "10 mm", "height": "10 mm",
           "x": f"{WIDE / 2 + 5} mm"}  # fmt: skip
    steps = [
        {"kind": "sketch", "name": "s", "plane": bottom(built()), "shapes": [bar]},
        {"kind": "extrude", "name": "bar", "sketch": "s", "by": "10 mm"},
    ]
    (problem,) = built(*steps).problems
    assert "touch" in problem.what
    assert "web" in problem.hint
    # Pushed into it, or standing apart from it, it is one part.
    for shift, wanted in ((4.0, 1000.0), (6.0, 1000.0)):
        moved = [{**steps[0], "shapes": [{**bar, "x": f"{WIDE / 2 + shift} mm"}]}, steps[1]]
        assert volume(built(*moved)) == pytest.approx(WHOLE + wanted, rel=1e-6)


def test_a_mirror_image_in_a_plane_that_it_touches_along_an_edge_is_told() -> None:
    slanted = {"kind": "move", "name": "m", "angle": "30 deg", "axis": "y"}
    mirror = {"kind": "mirror", "name": "twice", "what": "part", "plane": "side"}
    problems = built(slanted, mirror).problems
    assert any("touch" in problem.what for problem in problems), problems


def test_the_library_is_asked_nothing_of_what_does_not_close() -> None:
    mesh = kept_mesh(unpacked(kept()))
    names = tuple(FaceName("stone", "face", str(k)) for k in range(mesh.faces))
    whole = Meshed(mesh.points, mesh.triangles, mesh.face_of, names)
    hole_in_it = Meshed(mesh.points, mesh.triangles[1:], mesh.face_of[1:], names)
    assert touching(whole) is None
    for operation in ("add", "cut", "common"):
        with pytest.raises(CannotBe, match="do not close"):
            put_together(whole, operation, [hole_in_it])
