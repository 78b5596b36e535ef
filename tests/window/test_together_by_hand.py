"""Bought parts from the shelf to their place, what lies next to what, and the way to the workshop,
by keyboard and pointer."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QObject, QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox

from schablone.app.bars_page import BarsPage
from schablone.app.bought_window import BoughtWindow
from schablone.app.layout_window import LayoutWindow
from schablone.app.reading import look_at_solid
from schablone.core.bought import bought_on_the_shelf, resolved
from schablone.core.design import Design, Size, edit, read_design
from schablone.core.design.rebuild import rebuild
from schablone.core.process import LensView, neutral
from schablone.core.publish.exports import export
from schablone.core.publish.pieces import pieces_of
from schablone.core.sketch.drawing import Dimension
from tests.conftest import TOP, of_kind
from tests.conftest import plate as a_plate
from tests.core.test_ready_files import boxes
from tests.window.conftest import strays
from tests.window.hands import Hands
from tests.window.test_journeys import Maker, maker
from tests.window.test_shape import settle

__all__ = ["maker"]

PLATE = 80 * 50 * 10
BOARD = "Circuit board with four holes, 52 × 30 × 11 mm"


def typed(maker: Maker, chip: str, text: str) -> None:
    maker.hands.click(chip)
    maker.figure(text)
    settle(maker.qtbot, maker.window)


@pytest.fixture
def plate(maker: Maker) -> Maker:
    maker.draw(key=Qt.Key.Key_R)
    maker.tap(0, 0)
    maker.figure("80 mm")
    maker.figure("50 mm")
    maker.leave()
    maker.step("extrude")
    assert maker.volume() == pytest.approx(PLATE)
    return maker


def test_a_board_from_the_shelf_on_posts_that_follow_it(plate: Maker, tmp_path) -> None:
    maker, hands, window = plate, plate.hands, plate.window
    maker.step("place a bought")
    hands.choose("pick a bought part", "Circuit board", BOARD)
    hands.choose("on point", "on the face")
    settle(maker.qtbot, window)
    hands.click("pick a face")
    maker.pick(0, 0, 10)
    typed(maker, "lifted by: 0 mm", "6 mm")
    assert maker.volume() == pytest.approx(PLATE)  # it is not made
    (shown,) = [part for part in window.shape.view.parts if part.up is not None]
    low, high = shown.shape.bounds()
    assert [*low, *high] == pytest.approx([-26, -15, 16, 26, 15, 27], abs=1e-4)
    # The foot weighs both: the plate at z = 5, the board at z = 21.5.
    (part,), (thing,) = window.part.report["parts"], window.part.report["things"]
    plate_mass, mass = part["volume"] * part["density"] / 1000, thing["mass"]
    assert thing["centre"] == pytest.approx((0, 0, 21.5), abs=1e-6)
    whole = plate_mass + mass
    hands.until(f"with what is bought {whole:.1f} g")
    hands.until(f"centre 0, 0, {(plate_mass * 5 + mass * 21.5) / whole:.1f}")
    maker.step("posts for")
    # Four columns of 6 mm, 6 mm high, each with a hole of 2.5 mm that goes 8 mm deep.
    posts = 4 * (math.pi * 9 * 6 - math.pi * 1.25**2 * 8)
    assert maker.volume() == pytest.approx(PLATE + posts, rel=1e-6)
    # Lifted higher, the posts go with it.
    hands.click("put circuit board with its middle")
    maker.qtbot.wait(150)
    typed(maker, "lifted by: 6 mm", "9 mm")
    assert maker.volume() == pytest.approx(PLATE + posts + 4 * math.pi * 9 * 3, rel=1e-6)
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(maker.qtbot, window)
    assert maker.volume() == pytest.approx(PLATE + posts, rel=1e-6)
    design = maker.save(tmp_path / "board.schablone")
    assert [part.name for part in design.bought] == ["circuit_board"]
    hands.click("Open the checks")
    hands.until("NEXT TO EACH OTHER")
    hands.until("Touching: ")
    hands.until("Nothing runs into what is bought")


def test_what_lay_next_to_it_goes_with_the_part(maker: Maker) -> None:
    window = maker.window
    session = window.session
    session.take(boxes(), None)
    maker.qtbot.waitUntil(window.is_finished)
    assert strays() == []  # nobody has looked at the checks yet
    maker.hands.click("Open the checks")
    maker.hands.scroll_to("NEXT TO EACH OTHER", window.prove)
    alone = {"steps": session.design.steps[:2], "parts": session.design.parts[:1]}
    session.edit(lambda design: design.model_copy(update=alone), "the lid is left out")
    maker.qtbot.waitUntil(lambda: not window.prove.near.isVisible())
    assert strays() == []


def shown(kind: type) -> object:
    return next(one for one in QApplication.topLevelWidgets() if isinstance(one, kind))


def test_to_the_workshop(plate: Maker, tmp_path) -> None:
    maker, window = plate, plate.window
    plate.hands.menu("Design", "To the workshop …")
    laid = shown(LayoutWindow)
    hands = Hands(maker.qtbot, laid)
    hands.until("1 part on 1 bed")
    hands.until("how many of ")
    hands.retype("how many of part", "3")
    hands.press(Qt.Key.Key_Tab)
    hands.until("3 parts on 1 bed")
    assert window.session.design.parts[0].count == "3"
    # The list is put up anew while a count is being typed: it is typed on.
    hands.retype("how many of part", "1")
    block = window.session.design.steps[-1].name
    window.session.edit(lambda d: edit.change_step(d, block, "by", "11 mm"), "higher")
    hands.until("80 × 50 × 11 mm · PETG")
    hands.type("2")
    hands.press(Qt.Key.Key_Tab)
    maker.qtbot.waitUntil(lambda: window.session.design.parts[0].count == "12")
    window.session.undo()
    hands.until("3 parts on 1 bed")
    maker.qtbot.waitUntil(lambda: "looking" not in laid.said.text())
    # One is dragged to a place where it fits, and stays there; so do the others.
    drawing = hands.find(
        "sheets with parts. Drag a part to put it by hand, R turns it, Delete frees it."
    )
    before = {put[0]: put[2:4] for put in drawing.stock["puts"]}
    frame = drawing._seen.frames[0]

    def drag_first_to(spot: QPointF) -> None:
        put = next(put for put in drawing.stock["puts"] if put[0] == 0)
        middle = drawing._seen.paths[put].boundingRect().center().toPoint()
        hands.drag_at(drawing, middle, spot.toPoint() - middle)

    # What is found while one is in hand does not take it out of the hand.
    middle = drawing._seen.paths[drawing.stock["puts"][0]].boundingRect().center().toPoint()
    QTest.mousePress(drawing, Qt.MouseButton.LeftButton, pos=middle)
    found = {**drawing.stock, "used": 0.5}
    drawing.show_stock(found)
    assert drawing.stock is not found
    QTest.mouseRelease(drawing, Qt.MouseButton.LeftButton, pos=middle)
    assert drawing.stock is found
    # Over the edge it cannot go: the page says so, and it goes back.
    drag_first_to(frame.topRight() + QPoint(-70, 20))
    hands.until("As they were put by hand “part” leaves the sheet. Move one of them.")
    assert {put[0]: put[2:4] for put in drawing.stock["puts"]} == before
    drag_first_to(frame.topRight() + QPoint(-70, 70))
    maker.qtbot.waitUntil(lambda: any(put[5] for put in drawing.stock["puts"]))
    hands.until("3 parts on 1 bed")
    after = {put[0]: put[2:4] for put in drawing.stock["puts"]}
    assert after[0] != before[0]
    assert (after[1], after[2]) == (before[1], before[2])  # the others stay where they lie
    # What is no length is told and changes nothing; a unit may stand with it.
    hands.retype("length in mm", "two kg")
    hands.press(Qt.Key.Key_Tab)
    hands.until("“two kg” cannot be its length: type a length from 1 mm to 100 m")
    assert hands.find("length in mm").text() != "two kg"
    hands.retype("gap in mm", "1/2 in")
    hands.press(Qt.Key.Key_Tab)
    maker.qtbot.waitUntil(lambda: drawing.stock["sheet"][2] == pytest.approx(12.7))
    hands.retype("how many of part", "2 +")
    hands.press(Qt.Key.Key_Tab)
    hands.until("“2 +”: The formula stops in the middle. Finish it.")
    # So many that nobody could look at each bed: those that are alike are drawn, and written, once.
    hands.retype("how many of part", "2001")
    hands.press(Qt.Key.Key_Tab)
    hands.until("2001 parts on")
    maker.qtbot.waitUntil(lambda: "looking" not in laid.said.text())
    assert len(drawing._seen.frames) == len(drawing.stock["alike"]) < drawing.stock["sheets"] / 8
    laid.save_to(tmp_path)
    hands.until(f"{len(drawing.stock['alike'])} files written to")
    hands.retype("how many of part", "3")
    hands.press(Qt.Key.Key_Tab)
    hands.until("3 parts on")
    # A bed that is too small is told.
    hands.retype("length in mm", "6 cm")
    hands.press(Qt.Key.Key_Tab)
    hands.until("the sheet has room for")
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    laid.save_list_to(tmp_path / "parts.csv")
    hands.until("parts.csv written.")
    assert "3,made" in (tmp_path / "parts.csv").read_text()
    laid.close()


def test_two_windows_look_for_a_better_way_and_both_find_it(maker: Maker) -> None:
    window = maker.window
    window.session.take(read_design(TOP / "demo" / "hive-box.schablone"), None)
    settle(maker.qtbot, window)
    for _ in range(2):
        window.activateWindow()
        maker.qtbot.waitUntil(window.isActiveWindow)
        maker.hands.menu("Design", "To the workshop …")
    both = [one for one in QApplication.topLevelWidgets() if isinstance(one, LayoutWindow)]
    assert len(both) == 2
    for one in both:
        maker.qtbot.waitUntil(
            lambda one=one: "4 parts on" in one.said.text() and "looking" not in one.said.text()
        )
        one.close()


def test_a_bought_part_is_described_kept_and_taken(plate: Maker, tmp_path) -> None:
    maker, window = plate, plate.window
    plate.hands.menu("Design", "Bought parts …")
    bought = shown(BoughtWindow)
    hands = Hands(maker.qtbot, bought)
    hands.click("New")
    for field, text in (("called: typed", "Hook plate"), ("in formulas: typed", "hook_plate")):
        hands.retype(field, text)
    hands.retype("length of the outline", "0 mm")
    hands.until("must be above zero")
    assert not hands.find("Into the design").isEnabled()
    hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    hands.type("44 mm")
    hands.click("Keep on the shelf")
    hands.until("Hook plate is on the shelf now.")
    assert any(part.name == "hook_plate" for part in window.session.library.bought())
    hands.click("Into the design")
    assert [part.name for part in window.session.design.bought] == ["hook_plate"]
    hands.until("Change it in the design")
    bought.close()
    window.session.undo()
    assert window.session.design.bought == ()


LAYOUT = {
    "name": "Layout",
    "steps": [
        of_kind("sketch", "layout", drawing={"elements": [
            {"kind": "point", "name": "p", "x": -40.0, "y": 0.0},
            {"kind": "point", "name": "a", "x": 20.0, "y": 30.0},
            {"kind": "point", "name": "b", "x": 80.0, "y": 30.0},
            {"kind": "line", "name": "edge", "start": "a", "end": "b"}]}),
        {"kind": "place", "name": "first", "thing": "circuit_board", "sketch": "layout",
         "point": "p"},
        {"kind": "place", "name": "second", "thing": "circuit_board", "where": "line",
         "sketch": "layout", "about": "edge", "side": "right", "off": "5 mm", "along": "30 mm"},
        {"kind": "sketch", "name": "ground", "shapes": [
            {"kind": "rectangle", "name": "r", "width": "250 mm", "height": "160 mm"}]},
        {"kind": "extrude", "name": "plate", "sketch": "ground", "direction": "down",
         "by": "3 mm"},
        {"kind": "posts_for", "name": "posts", "of": "first", "bore": "2 mm", "depth": "1 mm",
         "down": "by", "height": "1 mm"},
    ],
}  # fmt: skip


def test_bought_parts_go_with_what_they_stand_on_while_it_is_dragged(maker: Maker) -> None:
    board = next(part for part in bought_on_the_shelf() if part.name == "circuit_board")
    design = Design.model_validate({**LAYOUT, "bought": [board.model_dump()]})
    window, hands = maker.window, maker.hands
    window.session.edit(lambda _: design, "a layout")
    settle(maker.qtbot, window)
    window.shape.choose("step", "layout")
    hands.press(Qt.Key.Key_D)
    paper = window.shape.board.paper
    maker.qtbot.waitUntil(lambda: bool(paper.under.held))

    def middle(step: str) -> tuple[float, float]:
        points = np.concatenate(paper.under.seen(step, paper.desk.xy))
        low, high = points.min(axis=0), points.max(axis=0)
        return tuple(((low + high) / 2).tolist())

    assert middle("first") == pytest.approx((-40, 0), abs=0.1)
    before = middle("second")
    seen: list[tuple[float, float]] = []

    class Watching(QObject):
        """Where the board is seen whenever the paper is painted, while nothing is built anew."""

        def eventFilter(self, watched: QObject, event: QEvent) -> bool:
            if event.type() == QEvent.Type.Paint and paper.desk.dragging:
                seen.append(middle("first"))
            return False

    watch = Watching()
    paper.installEventFilter(watch)
    by = maker.spot(-30, 20) - maker.spot(-40, 0)
    # Taken hold of by its outline: the long side, 15 mm from its middle.
    hands.drag_at(paper, maker.spot(-48, 15), by, steps=6)
    assert len(seen) > 3
    assert seen[-1] == pytest.approx((-30, 20), abs=1.0)
    settle(maker.qtbot, window)
    (placed,) = [p for p in window.shape.view.parts if p.name == "bought:first"]
    low, high = placed.shape.bounds()
    assert ((low + high) / 2)[:2] == pytest.approx((-30, 20), abs=1.0)
    assert middle("first") == pytest.approx(((low + high) / 2)[:2], abs=1e-3)
    assert middle("second") == pytest.approx(before, abs=1e-6)
    # A line that turns takes along what stands beside it.
    hands.drag_at(paper, maker.spot(80, 30), maker.spot(20, 90) - maker.spot(80, 30), steps=8)
    turned = middle("second")
    settle(maker.qtbot, window)
    assert middle("second") == pytest.approx(turned, abs=1e-3)
    assert turned[0] > 25  # right of a line that goes up now
    # Taken away, what it held is as it was built last, and nothing fails.
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(maker.qtbot, window)
    assert middle("second") == pytest.approx(before, abs=1e-3)


def test_a_dimension_of_the_layout_is_dragged_on_the_finished_whole(maker: Maker) -> None:
    board = next(part for part in bought_on_the_shelf() if part.name == "circuit_board")
    design = Design.model_validate({**LAYOUT, "bought": [board.model_dump()]})
    drawing = design.steps[0].drawing
    held = [
        Dimension(name="far", kind="distance", of=("p", "y_axis"), formula="40 mm"),
        Dimension(name="up", kind="distance", of=("p", "x_axis"), formula="reach"),
    ]
    moved = drawing.model_copy(
        update={
            "elements": tuple(
                e.model_copy(update={"y": 10.0}) if e.name == "p" else e for e in drawing.elements
            ),
            "dimensions": tuple(held),
        }
    )
    design = design.model_copy(
        update={
            "steps": (design.steps[0].model_copy(update={"drawing": moved}), *design.steps[1:]),
            "sizes": (Size(name="reach", formula="10 mm"),),
        }
    )
    window, hands, view = maker.window, maker.hands, maker.window.shape.view
    window.session.edit(lambda _: design, "a layout")
    settle(maker.qtbot, window)
    window.shape.choose("step", "layout")
    maker.qtbot.waitUntil(lambda: len(view.figures) >= 2)

    def middle() -> tuple[float, float]:
        (placed,) = [p for p in view.parts if p.name == "bought:first"]
        low, high = placed.shape.bounds()
        return tuple(((low + high) / 2)[:2].tolist())

    posts = window.shape.view.parts[0].shape.points[:, :2].mean(axis=0)
    assert middle() == pytest.approx((-40, 10), abs=1e-3)
    seen: list[tuple[float, float]] = []
    view.figure_dragged.connect(lambda *_: seen.append(middle()))

    def drag(path: str, by: int) -> None:
        figure = next(f for f in view.figures if f.path.endswith(path))
        found = partial(view.box_of, figure.step, figure.path)
        maker.qtbot.waitUntil(lambda: found() is not None)
        box = found()
        hands.drag_at(view, box.center().toPoint(), QPoint(7 * by, 0), steps=abs(by))
        settle(maker.qtbot, window)

    paths = [figure.path for figure in view.figures]
    assert len(paths) == 2
    drag(paths[0], 6)
    assert middle() == pytest.approx((-46, 10), abs=1e-3)
    assert len(seen) >= 3
    # The board's posts went with it, and one undo takes all of the drag back.
    assert window.shape.view.parts[0].shape.points[:, :2].mean(axis=0)[0] < posts[0]
    # A dimension that is a size changes that size.
    drag(paths[1], 5)
    assert window.session.design.size("reach").formula == "15 mm"
    assert middle() == pytest.approx((-46, 15), abs=1e-3)
    for wanted in ((-46, 10), (-40, 10)):
        hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        settle(maker.qtbot, window)
        assert middle() == pytest.approx(wanted, abs=1e-3)


def test_bars_and_prices_are_typed_as_people_write_them(qtbot) -> None:
    page = BarsPage()
    page.setWindowTitle("bars")
    page.show()
    hands = Hands(qtbot, page)
    for text, bars in (
        ("2400:7,50, 3000:9", [(2400, 7.5), (3000, 9)]),
        ("2400,3000", [(2400, 1), (3000, 1)]),
        ("2400,5; 8 ft: 12.25", [(2400.5, 1), (8 * 304.8, 12.25)]),
    ):
        hands.retype("lengths of bars", text)
        hands.press(Qt.Key.Key_Tab)
        assert page.wanted().bars == [pytest.approx(bar) for bar in bars]
    for text in ("2400:nan", "-5", "long", "2400:0", "inf"):
        hands.retype("lengths of bars", text)
        assert page.wanted().bars[0][0] == 2400.5  # the design may change meanwhile
        hands.press(Qt.Key.Key_Tab)
        assert hands.says("Lengths are above zero")
        assert page.wanted().bars[0][0] == 2400.5
    page.close()


@pytest.mark.nightly
def test_bars_and_off_cuts_by_hand(maker: Maker, tmp_path) -> None:
    window = maker.window
    window.session.take(read_design(TOP / "demo" / "hive-box.schablone"), None)
    settle(maker.qtbot, window)
    maker.hands.press(
        Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    laid = shown(LayoutWindow)
    hands = Hands(maker.qtbot, laid)
    hands.until("4 parts on 1 sheet")
    hands.until("about 27 min · about 19.84 €")
    hands.until("0 off-cuts …")
    # What is left of this sheet is remembered, and used for the next box.
    hands.click("They are cut")
    hands.until("1 off-cut …")
    assert not hands.find("They are cut").isEnabled()  # once: what is left is not there twice
    (kept,) = window.session.library.off_cuts()
    assert kept.width <= 300
    laid.off_cuts.add("twenty")  # the question for a size is a dialog of its own
    hands.until("“twenty” is no size: type two lengths such as 400 x 180.")
    hands.until("1 off-cut …")
    laid.off_cuts.add("700 x 260")
    hands.until("2 off-cuts …")
    hands.click("Use off-cuts")
    hands.until("3 parts on 1 sheet")
    stocks = hands.find("what the parts are cut or printed from")
    texts = [stocks.itemText(k) for k in range(stocks.count())]
    assert any("off-cut 700 × 260 mm" in text for text in texts)
    # Lengths from bars: the last of what can be chosen.
    hands.click("what the parts are cut or printed from")
    hands.press(Qt.Key.Key_End)
    hands.press(Qt.Key.Key_Return)
    hands.until("1 bar, 75.6 % used")
    hands.retype("lengths of bars", "1000")
    hands.press(Qt.Key.Key_Tab)
    hands.until("2 bars, 90.7 % used")
    hands.click("1 × Front, 408.4 mm")
    hands.until("2 bars, 70.3 % used")
    hands.retype("lengths of bars", "300")
    hands.press(Qt.Key.Key_Tab)
    hands.until("the longest bar has 300 mm")
    hands.retype("lengths of bars", "long")
    hands.press(Qt.Key.Key_Tab)
    hands.until("Lengths are above zero")
    hands.retype("lengths of bars", "1000")
    hands.press(Qt.Key.Key_Tab)
    hands.until("2 bars, 70.3 % used")
    # What was changed meanwhile is known when the sheets are looked at again.
    hands.retype("how many of Front", "2")
    hands.press(Qt.Key.Key_Tab)
    maker.qtbot.waitUntil(lambda: window.session.design.parts[0].count == "2")
    hands.click("what the parts are cut or printed from")
    hands.press(Qt.Key.Key_Home)
    hands.press(Qt.Key.Key_Return)
    maker.qtbot.waitUntil(
        lambda: laid.answer is not None and sum(len(s["items"]) for s in laid.answer.stocks) == 5
    )
    hands.click("what the parts are cut or printed from")
    hands.press(Qt.Key.Key_End)
    hands.press(Qt.Key.Key_Return)
    hands.until("2 bars, 70.3 % used")
    laid.bars.save_to(tmp_path / "bars.csv")
    lines = (tmp_path / "bars.csv").read_text().splitlines()
    assert len(lines) == 1 + 3
    assert sum("Left side" in line for line in lines) == 1


def test_the_corners_of_a_drawn_outline_are_typed(plate: Maker) -> None:
    maker, window = plate, plate.window
    maker.hands.menu("Design", "Bought parts …")
    bought = shown(BoughtWindow)
    hands = Hands(maker.qtbot, bought)
    hands.click("New")
    hands.retype("in formulas: typed", "wedge")
    hands.click("outline", QComboBox)
    hands.press(Qt.Key.Key_Down)
    hands.press(Qt.Key.Key_Down)
    hands.press(Qt.Key.Key_Return)
    hands.until("CORNERS OF THE OUTLINE")
    corners = hands.find("corners of the outline")
    assert corners.rowCount() == 4 + 1

    def area() -> float:
        part = bought._check()
        assert part is not None
        return resolved(part).footprint.area

    def type_in(row: int, column: int, text: str) -> None:
        spot = corners.visualItemRect(corners.item(row, column)).center()
        hands.click_at(corners.viewport(), spot, double=True)
        hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        hands.type(text)
        hands.press(Qt.Key.Key_Return)

    assert area() == pytest.approx(200)
    type_in(2, 0, "20 mm")  # the far corner: 10 mm longer at the top
    assert area() == pytest.approx(250)
    type_in(0, 2, "2 mm")
    assert area() == pytest.approx(250 - (4 - math.pi) / 4 * 4, rel=1e-3)
    type_in(4, 0, "-20 mm")  # a fifth one, its other fields given
    assert corners.rowCount() == 6
    hands.click("Into the design")
    (mine,) = window.session.design.bought
    assert [corner.x for corner in mine.outline.corners][-1] == "-20 mm"
    bought.close()


def test_parts_and_faces_have_colours_and_a_part_is_seen_as_it_lies(plate: Maker) -> None:
    maker, hands, window = plate, plate.hands, plate.window
    view = window.shape.view
    name = window.session.design.steps[-1].name

    def pixels() -> np.ndarray:
        maker.qtbot.waitUntil(lambda: view.is_refined and not view.drawn.is_stale)
        image = view.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        seen = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1, 4)
        return seen[..., :3].copy()  # the picture goes when this ends

    plain = pixels()
    hands.choose(f"more about {name}", "Colour of its faces", "Sage")
    settle(maker.qtbot, window)
    faces = pixels()
    assert window.session.design.steps[-1].colour == "sage"
    # Most of what was plywood is green now: more green than red.
    changed = np.abs(faces.astype(int) - plain.astype(int)).sum(axis=2) > 30
    assert changed.mean() > 0.05
    green, red = (faces[changed][:, k].astype(int).mean() for k in (1, 2))
    assert green > red
    hands.choose(f"more about {name}", "Colour of its faces", "That of the lens")
    settle(maker.qtbot, window)
    hands.choose(f"more about {name}", "Part", "Colour", "Brick")
    settle(maker.qtbot, window)
    part = pixels()
    assert window.session.design.parts[0].colour == "brick"
    red = part[changed][:, 2].astype(int).mean()
    assert red > part[changed][:, 1].astype(int).mean() + 20
    # 80 × 50 × 10 mm on its left side stands 80 mm high.
    hands.choose(f"more about {name}", "Part", "Printed", "On its left side")
    settle(maker.qtbot, window)
    low, high = view.bounds()
    assert high - low == pytest.approx((80, 50, 10), abs=1e-4)
    hands.choose("Parts", "part", "as it lies on its machine")
    low, high = view.bounds()
    assert high - low == pytest.approx((10, 50, 80), abs=1e-4)
    hands.choose("Parts", "part", "shown")
    low, high = view.bounds()
    assert high - low == pytest.approx((80, 50, 10), abs=1e-4)


def test_a_solid_becomes_a_bought_part_and_a_damaged_one_is_told(qtbot, window, tmp_path) -> None:
    design = a_plate()
    built = rebuild(design, LensView("wanted", neutral()))
    data = export(pieces_of(design, built, ".step"), "plate.step")
    (tmp_path / "7 plate.step").write_bytes(data)
    (tmp_path / "cut off.step").write_bytes(data[: len(data) // 2])
    (tmp_path / "words.step").write_text("no solid at all")
    bought = window.beside.show_bought()
    bought.open_file(tmp_path / "7 plate.step")
    assert bought.form.described()["name"] == "part_7_plate"
    assert bought.form.picture.known.box == pytest.approx((100, 40, 4))
    for name, told in (("cut off", "STEP file"), ("words", "no STEP file")):
        bought.open_file(tmp_path / f"{name}.step")
        assert told in bought.said.text()
        # What was there stays.
        assert bought.form.described()["name"] == "part_7_plate"
    # The window has not loaded the kernel for it: that is its readers' to do.
    assert look_at_solid.cache_info().misses > 0
    bought.close()


def test_what_was_put_by_hand_goes_with_its_part(maker: Maker) -> None:
    window = maker.window
    printed = boxes().model_copy(update={"process": "Printer Zeisig · PLA"})
    window.session.take(printed, None)
    settle(maker.qtbot, window)
    maker.hands.menu("Design", "To the workshop …")
    laid = shown(LayoutWindow)
    hands = Hands(maker.qtbot, laid)
    hands.until("2 parts on 1 bed")
    maker.qtbot.waitUntil(lambda: "looking" not in laid.said.text())
    drawing = hands.find(
        "sheets with parts. Drag a part to put it by hand, R turns it, Delete frees it."
    )

    def by_hand() -> list[str]:
        return [drawing.stock["items"][put[0]][0] for put in drawing.stock["puts"] if put[5]]

    put = next(put for put in drawing.stock["puts"] if put[0] == 1)
    middle = drawing._seen.paths[put].boundingRect().center().toPoint()
    hands.drag_at(drawing, middle, drawing._seen.frames[0].center().toPoint() - middle)
    maker.qtbot.waitUntil(lambda: by_hand() == [drawing.stock["items"][1][0]])
    (title,) = by_hand()
    # One more of the part before it: it is the third by now.
    first = window.session.design.parts[0].name
    hands.retype(f"how many of {drawing.stock['items'][0][0]}", "2")
    hands.press(Qt.Key.Key_Tab)
    hands.until("3 parts on 1 bed")
    maker.qtbot.waitUntil(lambda: "looking" not in laid.said.text())
    assert by_hand() == [title]
    # The list that is written has what is seen, also while bars are looked at.
    hands.click("what the parts are cut or printed from")
    hands.press(Qt.Key.Key_End)
    hands.press(Qt.Key.Key_Return)
    hands.until("2 × ")
    window.session.edit(
        lambda d: d.model_copy(
            update={"parts": tuple(p.with_(count="5") if p.name == first else p for p in d.parts)}
        ),
        "five",
    )
    hands.until("5 × ")
    assert [row["count"] for row in laid._listed] == [5, 1]
    # Another design begins with nothing put by hand.
    window.session.take(read_design(TOP / "demo" / "hive-box.schablone"), None)
    hands.until("1 × Front")
    assert not any(one.fixed for one in laid.asked.sheets.values())
    assert {name for name, *_ in laid.bars.told["lengths"]} == set(laid.bars.wanted().parts)
    laid.close()
