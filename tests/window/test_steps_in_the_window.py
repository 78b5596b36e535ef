"""Each kind of step made, edited and undone through the window."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication

from schablone.app.places import step_deeds
from schablone.app.places.step_drag import MOVED_STEP
from schablone.app.view3d.section import cut_face
from schablone.core.steps import KINDS
from schablone.core.steps.selecting import EdgeRule
from tests.conftest import of_kind, plate
from tests.core.every_step import BOARD
from tests.window.test_shape import settle, type_formula

#: For each kind: what is picked for it, the chip that is edited, what is typed, and by how much the
#: volume changes.
WAYS = {
    "fillet": ({"edges": EdgeRule(how="upright", of=("plate",))}, "radius", "5 mm"),
    "chamfer": ({"edges": EdgeRule(how="around", of=("plate/end",))}, "by", "0.5 mm"),
    "shell": ({"faces": "plate/end"}, "wall", "1.5 mm"),
    "hole": ({"face": "plate/end"}, "diameter", "7 mm"),
    "cut_off": ({}, "at", "-10 mm"),
    "row": ({"of": "bore"}, "pitch", "20 mm"),
    "grid": ({"of": "bore"}, "rows", "3"),
    "ring": ({"of": "bore"}, "count", "4"),
    "mirror": ({"of": "bore"}, "", ""),
    "extrude": ({"sketch": "peg"}, "by", "12 mm"),
    "revolve": ({"sketch": "peg"}, "by", "120 deg"),
    "sweep": ({"last": "90 deg"}, "wire", "2 mm"),
    "draft": ({"faces": "plate/side/edge.left"}, "angle", "10 deg"),
    "lead": ({"sketch": "peg", "way": "points"}, "points.1.z", "20 mm"),
    "rib": ({"sketch": "line"}, "thickness", "3 mm"),
    "gusset": ({"first": "plate/end", "second": "wall/side/foot.right"}, "first_leg", "10 mm"),
    "trail": ({"of": "bore", "path": "line"}, "count", "3"),
    "copy": ({"other": "part"}, "x", "120 mm"),
    "split": ({"other": "lid"}, "", ""),
    "sheet": ({"sketch": "flat", "part": "tray"}, "thickness", "2 mm"),
    "flange": ({"edges": EdgeRule(of=("base/side/pan.right",))}, "height", "30 mm"),
    "hem": ({"edges": EdgeRule(of=("base/side/pan.right",))}, "length", "12 mm"),
    "fold": ({"sketch": "crease", "about": "run", "part": "tray"}, "angle", "45 deg"),
    "offset_bend": ({"sketch": "crease", "about": "run", "part": "tray"}, "height", "5 mm"),
    "blank_cut": ({"sketch": "window", "part": "tray"}, "", ""),
    "sheet_mark": ({"sketch": "window", "part": "tray"}, "", ""),
    "shift_faces": ({"faces": "plate/end"}, "by", "2 mm"),
    "plane": ({"face": "plate/end"}, "", ""),
    "place": ({"thing": "board", "where": "face", "face": "plate/end"}, "", ""),
    "pocket_for": ({"of": "sunk"}, "gap", "1 mm"),
    "posts_for": ({"of": "held", "across": "3 mm", "bore": "1 mm"}, "across", "4 mm"),
    "opening_for": ({"of": "sunk", "reaches": "by"}, "far", "3 mm"),
    "strap_over": ({"of": "held"}, "thick", "3 mm"),
}


#: What else must be there for some kinds.
_FOOT = {"kind": "rectangle", "name": "foot", "x": "-40 mm", "width": "4 mm", "height": "30 mm"}
_ENDS = [
    {"kind": "point", "name": "a", "x": 6, "y": 0},
    {"kind": "point", "name": "b", "x": 40, "y": 10},
]
_LINE = {"kind": "line", "name": "run", "start": "a", "end": "b"}
_PAN = {"kind": "rectangle", "name": "pan", "width": "60 mm", "height": "40 mm", "x": "150 mm"}
_FLAT = {"kind": "sketch", "name": "flat", "shapes": [_PAN]}
_BASE = {"kind": "sheet", "name": "base", "sketch": "flat", "thickness": "1 mm", "part": "tray"}
_CREASE = [
    {"kind": "point", "name": "a", "x": 150, "y": -10},
    {"kind": "point", "name": "b", "x": 150, "y": 10},
]
_ROUND = {"kind": "circle", "name": "c", "diameter": "9 mm", "x": "150 mm"}
_DRAWN = {"kind": "sketch", "name": "crease", "drawing": {"elements": [*_CREASE, _LINE]}}
_WINDOW = {"kind": "sketch", "name": "window", "shapes": [_ROUND]}
#: What is folded stands beside the plate, in a part of its own.
FOLDED = {
    "sheet": [_FLAT],
    "flange": [_FLAT, _BASE],
    "hem": [_FLAT, _BASE],
    "fold": [_FLAT, _BASE, _DRAWN],
    "offset_bend": [_FLAT, _BASE, _DRAWN],
    "blank_cut": [_FLAT, _BASE, _WINDOW],
    "sheet_mark": [_FLAT, _BASE, _WINDOW],
}
_SUNK = {"kind": "place", "name": "sunk", "thing": "board", "where": "face", "face": "plate/end",
         "x": "-20 mm", "lift": "-3 mm"}  # fmt: skip
_HELD = {**_SUNK, "name": "held", "lift": "5 mm"}
MORE = {
    **FOLDED,
    "pocket_for": [_SUNK],
    "opening_for": [_SUNK],
    "posts_for": [_HELD],
    "strap_over": [_HELD],
    "gusset": [
        {"kind": "sketch", "name": "wall_foot", "plane": "plate/end", "shapes": [_FOOT]},
        {"kind": "extrude", "name": "wall", "sketch": "wall_foot", "by": "25 mm"},
    ],
    "rib": [
        {"kind": "sketch", "name": "line", "lift": "4 mm", "drawing": {"elements": [*_ENDS, _LINE]}}
    ],
    "trail": [{"kind": "sketch", "name": "line", "drawing": {"elements": [*_ENDS, _LINE]}}],
}


@pytest.fixture
def drilled(qtbot, window, request):
    """A plate with a hole that can be repeated and a sketch that can be raised."""
    kind = request.node.callspec.params.get("kind", "") if hasattr(request.node, "callspec") else ""
    bore = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "4 mm", "x": "6 mm"}
    peg = of_kind(
        "sketch",
        "peg",
        plane="front",
        shapes=[{"kind": "circle", "name": "round", "diameter": "6 mm", "x": "20 mm", "y": "2 mm"}],
    )
    second = {"copy": "lid", **dict.fromkeys(FOLDED, "tray")}.get(kind)
    parts = [{"name": name} for name in ("part", second) if name]
    window.session.take(plate(bore, peg, *MORE.get(kind, []), parts=parts, bought=[BOARD]), None)
    settle(qtbot, window)
    return window


def volume(window) -> float:
    return sum(part["volume"] for part in window.part.report["parts"])


@pytest.mark.parametrize("kind", sorted(WAYS))
def test_made_edited_and_undone(qtbot, drilled, kind) -> None:
    window, (picks, chip, formula) = drilled, WAYS[kind]
    before = volume(window)
    window.shape.steps.add_step(kind)
    window.shape.stop_picking()
    name = window.session.design.steps[-1].name
    card = window.shape.steps.cards[name]
    for path, picked in picks.items():
        if path == "other" and kind == "split":
            card._set_new_part(path)
        elif path in ("edges", "faces"):
            card.add_pick(path, picked)
        elif getattr(card.step, path) != picked:
            card.put(path, picked)
    if kind == "revolve":
        card.put("extent", "by")
    settle(qtbot, window)
    assert window.part.report["whole"], window.part.report["problems"]
    assert card.wrong.text() == ""
    changed = volume(window)
    assert abs(changed - before) > 1e-3 or kind in ("split", "sheet_mark", "place", "plane")
    if kind == "split":
        bore = math.pi * 4 * 4  # the hole lies beyond the plane
        halves = [part["volume"] for part in window.part.report["parts"]]
        assert halves == pytest.approx([(before + bore) / 2, (before - bore) / 2], rel=1e-6)
    if chip:
        card = window.shape.steps.cards[name]
        card.edit(chip)
        type_formula(qtbot, card.editors[chip], formula)
        settle(qtbot, window)
        assert window.part.report["whole"], window.part.report["problems"]
        assert abs(volume(window) - changed) > 1e-3
    while window.session.design.step(name) is not None:
        window.session.undo()
    settle(qtbot, window)
    assert volume(window) == pytest.approx(before)


def test_every_kind_is_tried() -> None:
    # A stencil is chosen from the shelf first: it has tests of its own.
    elsewhere = {
        "sketch",
        "measure",
        "imported",
        "move",
        "combine",
        "loft",
        "stencil",
        "give_sizes",
    }
    assert set(WAYS) | elsewhere == set(KINDS)


def test_a_step_is_found_by_typing(qtbot, drilled) -> None:
    panel = drilled.shape.steps
    panel.open_add_menu()
    qtbot.keyClicks(panel.finder.line, "rep aro")
    assert panel.finder.list.count() == 1
    qtbot.keyClick(panel.finder.line, Qt.Key.Key_Return)
    assert drilled.session.design.steps[-1].kind == "ring"
    panel.open_add_menu()
    qtbot.keyClicks(panel.finder.line, "xyzzy")
    qtbot.keyClick(panel.finder.line, Qt.Key.Key_Return)
    assert drilled.session.design.steps[-1].kind == "ring"
    panel.finder.close()


def test_an_edge_is_picked_in_the_view_and_said_in_words(qtbot, drilled) -> None:
    window, view = drilled, drilled.shape.view
    window.shape.steps.add_step("fillet")
    view.look("top")
    view.fit()
    QApplication.processEvents()
    x, y = view.camera.project(np.array([[50.0, 5.0, 4.0]]), view.width(), view.height())[0]
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))
    settle(qtbot, window)
    (rule,) = window.session.design.step("fillet").edges
    assert rule.how == "between"
    assert "plate/side/edge.right" in rule.of
    assert "right side of plate" in window.shape.steps.cards["fillet"].chips["edges"].text()
    assert window.shape.stop_picking()


def test_values_are_tried_and_one_is_kept(qtbot, window) -> None:
    window.shape.sizes.choose("width")
    window.questions.try_values()
    strip = window.shape.strip
    qtbot.waitUntil(lambda: len(strip.cards) == 5)
    assert [card.why for card in strip.cards] == [
        "smallest",
        "where a count changes",
        "now",
        "where a count changes",
        "largest",
    ]
    more = strip.cards[3]
    assert more.formula == "374 mm"
    assert "passages 27" in more.toolTip()
    window.shape.steps.choose("passage_hole")
    view = window.shape.view
    assert [figure.text for figure in view.figures if "passage" in figure.text]
    mass = window.foot.figures.text()
    qtbot.mouseClick(more, Qt.MouseButton.LeftButton)
    assert window.shape.view.parts[0] is more.parts[0]
    # Dimensions of the part as it is do not stand on another, whose size and mass are told.
    assert not view.figures
    assert "374 × 38 × 4 mm" in window.foot.figures.text()
    # Measuring is done on the part as it is.
    window.questions.measure()
    assert not strip.isVisible()
    assert view.parts[0].key == window.part.known["slide"].key
    assert view.figures
    assert window.foot.figures.text() == mass
    window.shape.sizes.choose("width")
    window.questions.try_values()
    qtbot.waitUntil(lambda: len(strip.cards) == 5)
    more = strip.cards[3]
    qtbot.mouseClick(more, Qt.MouseButton.LeftButton)
    assert view.tool is None
    strip.close_strip()  # none of them: all is as it was
    assert window.session.design.size("width").formula == "372 mm"
    assert window.shape.view.parts[0].key == window.part.known["slide"].key
    window.questions.try_values()
    qtbot.waitUntil(lambda: len(strip.cards) == 5)
    strip.cards[3].kept.emit(strip.cards[3].formula)
    assert window.session.design.size("width").formula == "374 mm"
    assert not strip.isVisible()
    settle(qtbot, window)


def test_what_follows_a_size_is_lit_up_and_said(qtbot, window) -> None:
    window.shape.sizes.choose("board")
    window.questions.ask_follows()
    qtbot.waitUntil(lambda: "faces move" in window.foot.said.whole())
    assert "1 stay" in window.foot.said.whole()
    assert "plate/end" in window.shape.view.marked_faces
    assert "plate/start" not in window.shape.view.marked_faces
    window.shape.sizes.choose("")
    window.questions.ask_follows()
    assert "Choose a size" in window.foot.said.whole()


def test_the_build_is_walked_through_and_worked_at(qtbot, window) -> None:
    whole = volume(window)
    window.session.work_at("plate")
    settle(qtbot, window)
    assert volume(window) == pytest.approx(372 * 38 * 4)
    assert "Working at step 2, plate" in window.shape.steps.at_words.text()
    assert "later than the step" in window.shape.steps.cards["dowel_pair"].aside.text()
    assert window.header.verdict.text() == "all 10 hold up to here"
    # What is proved is the whole design.
    window.go("prove")
    settle(qtbot, window)
    assert volume(window) == pytest.approx(whole)
    assert window.header.verdict.text() == "all 10 hold"
    window.go("shape")
    window.session.work_at("plate")
    settle(qtbot, window)
    # what later steps work out is there
    assert window.session.design.size("spacing").formula == "passage_row.pitch"
    assert window.session.table.cells["spacing"].wanted.value == pytest.approx(13)
    window.shape.walk(1)
    settle(qtbot, window)
    assert window.session.until == "passage_hole"
    window.shape.walk(10)
    settle(qtbot, window)
    assert window.session.until == ""
    assert volume(window) == pytest.approx(whole)
    assert not window.shape.steps.at_step.isVisible()


def test_a_step_is_dragged_and_what_would_break_is_said_first(qtbot, window) -> None:
    cards = window.shape.steps.cards
    data = QMimeData()
    data.setData(MOVED_STEP, b"plate")
    where = (data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    event = QDragEnterEvent(QPoint(9, 9), Qt.DropAction.MoveAction, *where)
    QApplication.sendEvent(cards["outline"], event)
    assert "“plate” builds on “outline”, which would come after it" in cards["outline"].aside.text()
    data.setData(MOVED_STEP, b"dowel_bore")
    QApplication.sendEvent(
        cards["passage_hole"], QDragEnterEvent(QPoint(9, 9), Qt.DropAction.MoveAction, *where)
    )
    assert "Puts dowel bore here" in cards["passage_hole"].aside.text()
    QApplication.sendEvent(
        cards["passage_hole"], QDropEvent(QPointF(9, 9), Qt.DropAction.MoveAction, *where)
    )
    assert [s.name for s in window.session.design.steps][2] == "dowel_bore"
    settle(qtbot, window)
    assert window.part.report["whole"]


def test_a_measure_is_made_used_and_undone(qtbot, drilled) -> None:
    window = drilled
    window.shape.steps.add_step("measure")
    card = window.shape.steps.cards["measure"]
    card.put("what", "x")
    settle(qtbot, window)
    window.shape.sizes._make("half", "measure.value / 2")
    settle(qtbot, window)
    assert window.session.table.cells["half"].wanted.value == pytest.approx(50)
    assert window.shape.sizes.rows["half"].value.text() == "50 mm"
    window.session.edit(
        lambda d: d.with_(
            steps=(
                d.steps[0].with_(shapes=(d.steps[0].shapes[0].with_(width="60 mm"),)),
                *d.steps[1:],
            )
        ),
        "narrower",
    )
    settle(qtbot, window)
    qtbot.waitUntil(lambda: window.shape.sizes.rows["half"].value.text() == "30 mm")
    while window.session.can_undo:
        window.session.undo()
    settle(qtbot, window)
    assert window.session.design.size("half") is None


def test_dimensions_are_shown_on_the_part_and_changed_there(qtbot, window) -> None:
    view = window.shape.view
    window.shape.steps.choose("plate")
    QApplication.processEvents()
    view.grab()
    texts = {figure.path: figure.text for figure in view.figures}
    assert texts["by"] == "board = 4 mm"
    assert texts["drawing.dimensions.0.formula"] == "outside(width) = 372 mm"
    at = next(f.at for f in view.figures if f.path == "by")
    assert at == pytest.approx((186, -19, 2))
    qtbot.mouseClick(
        view, Qt.MouseButton.LeftButton, pos=view.box_of("plate", "by").center().toPoint()
    )
    type_formula(qtbot, window.shape.figures.field.edit, "board + 2 mm")
    settle(qtbot, window)
    assert window.part.report["parts"][0]["bounds"][1][2] == pytest.approx(6)
    assert next(f.text for f in view.figures if f.path == "by") == "board + 2 mm = 6 mm"
    window.shape.figures.toggle()
    assert view.figures == []


def test_a_solid_is_imported_through_the_window(qtbot, drilled, tmp_path) -> None:
    window = drilled
    before = volume(window)
    window.files.export_to(tmp_path / "plate.step")
    qtbot.waitUntil((tmp_path / "plate.step").exists)
    window.files.import_step(tmp_path / "plate.step")
    card = window.shape.steps.cards["solid"]
    card.put("z", "10 mm")
    settle(qtbot, window)
    assert window.part.report["whole"], window.part.report["problems"]
    assert volume(window) == pytest.approx(2 * before, rel=1e-3)
    (tmp_path / "words.step").write_text("no solid at all")
    window.files.import_step(tmp_path / "words.step")
    assert "no STEP file" in window.strip.said.text()
    window.session.undo()
    window.session.undo()
    settle(qtbot, window)
    assert volume(window) == pytest.approx(before)


def test_a_part_of_its_own_is_moved_and_cut_from_the_other(qtbot, drilled) -> None:
    window = drilled
    before = volume(window)
    window.shape.steps.add_step("extrude")
    card = window.shape.steps.cards["extrude"]
    card.put("sketch", "peg")
    step_deeds.to_new_part(card, "Pin")
    window.shape.steps.add_step("move")
    assert window.session.design.step("move").part == "pin"
    window.shape.steps.cards["move"].edit("x")
    type_formula(qtbot, window.shape.steps.cards["move"].editors["x"], "-5 mm")
    window.shape.steps.add_step("combine")
    card = window.shape.steps.cards["combine"]
    card.put("part", "part")
    card.put("other", "pin")
    settle(qtbot, window)
    assert window.part.report["whole"], window.part.report["problems"]
    assert {part["name"] for part in window.part.report["parts"]} == {"part", "pin"}
    assert window.part.report["parts"][0]["volume"] < before
    assert window.part.report["parts"][1]["bounds"][0][0] == pytest.approx(20 - 3 - 5)
    while window.session.can_undo:
        window.session.undo()
    settle(qtbot, window)
    assert volume(window) == pytest.approx(before)


def test_a_loft_between_two_sketches(qtbot, window) -> None:
    window.files.new()
    settle(qtbot, window)
    for side, lift in (("20 mm", "0 mm"), ("10 mm", "30 mm")):
        window.shape.steps.add_step("sketch")
        window.shape.stop_drawing()
        name = window.session.design.steps[-1].name
        card = window.shape.steps.cards[name]
        card.put("lift", lift)
        step_deeds.add_shape(card, "rectangle")
        for field in ("width", "height"):
            window.shape.steps.cards[name].put(f"shapes.0.{field}", side)
    window.shape.steps.add_step("loft")
    settle(qtbot, window)
    assert volume(window) == pytest.approx(7000)
    card = window.shape.steps.cards["sketch_2"]
    card.edit("lift")
    type_formula(qtbot, card.editors["lift"], "60 mm")
    settle(qtbot, window)
    assert volume(window) == pytest.approx(14000)
    window.session.undo()
    settle(qtbot, window)
    assert volume(window) == pytest.approx(7000)


def test_the_picture_is_cut_open_and_parts_are_hidden(qtbot, window) -> None:
    view, bar = window.shape.view, window.shape.bar
    view.look("top")
    QApplication.processEvents()

    def under() -> dict | None:
        """What the pointer is on over a place of the plate without a hole."""
        at = view.face_at(
            *view.camera.project(np.array([[2.0, 2.0, 4.0]]), view.width(), view.height())[0]
        )
        return None if at is None else view.describe(at)

    assert under()["name"] == "plate/end"
    bar.cut_open(2)
    assert view.section == (2, pytest.approx(2.0), 1.0)
    assert view.sight.ray(view.width() / 2, view.height() / 2)[0][2] == pytest.approx(
        2.0
    )  # what is looked at begins at the cut
    filled = cut_face(view.parts[0].shape, 2, 2.0)
    across = np.cross(filled[:, 1] - filled[:, 0], filled[:, 2] - filled[:, 0])
    holes = (26 * 16 + 2 * 3.1**2) * np.pi
    assert np.linalg.norm(across, axis=1).sum() / 2 == pytest.approx(372 * 38 - holes, rel=2e-3)
    bar.slider.setValue(1000)
    assert "z = 4 mm" in bar.where.text()
    bar.cut_open(None)
    assert view.section is None
    offered = [entry.text() for entry in bar.parts.menu().actions()[0].menu().actions()]
    # One part alone is not hidden.
    assert offered == ["shown", "seen through", "as it lies on its machine"]
    titles = {"slide": "Entrance slide", "lid": "Lid"}
    bar.show_parts(titles)
    bar._look_at("slide", "hidden", titles)
    assert view.hidden == {"slide"}
    assert under() is None
    view.grab()
    bar._look_at("slide", "shown", titles)
    assert under()["name"] == "plate/end"


def test_what_an_edit_moved_glows_for_a_moment(qtbot, window) -> None:
    view = window.shape.view
    window.session.edit(
        lambda d: d.with_(
            sizes=tuple(s.with_(formula="5 mm") if s.name == "board" else s for s in d.sizes)
        ),
        "board",
    )
    settle(qtbot, window)
    assert ("slide", "plate/end") in view._glowing
    assert ("slide", "plate/start") not in view._glowing
    view.grab()
    qtbot.waitUntil(lambda: not view._glowing)
