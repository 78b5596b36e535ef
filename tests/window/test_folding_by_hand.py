"""A folded part from an empty sheet, by keyboard and pointer; its blank and its machine on the
screen."""

from __future__ import annotations

import math

import pytest
from PySide6.QtCore import QPoint, Qt

from schablone.core.design import read_design
from tests.conftest import TOP
from tests.window.hands import Hands
from tests.window.test_journeys import Maker, maker
from tests.window.test_shape import settle

__all__ = ["maker"]


def test_a_bracket_from_an_empty_sheet_to_its_blank(maker: Maker, tmp_path) -> None:
    hands, window = maker.hands, maker.window
    maker.draw(key=Qt.Key.Key_R)
    maker.tap(0, 0)
    maker.figure("80 mm")
    maker.figure("40 mm")
    maker.leave()
    maker.step("sheet")
    assert maker.volume() == pytest.approx(80 * 40 * 1)
    maker.step("flange")
    hands.until("Pick an edge")
    maker.pick(40, 0, 1)
    hands.press(Qt.Key.Key_Escape)
    # A millimetre of radius where the machine has no chart, its bend by DIN 6935.
    k = 0.65 / 2
    ring = math.pi / 4 * (2**2 - 1) * 40
    assert maker.volume() == pytest.approx(78 * 40 + 18 * 40 + ring)
    hands.until("Blank of")
    assert hands.says(f"{78 + math.pi / 2 * (1 + k) + 18:.2f} × 40 mm".replace(".00", ""))
    maker.change("20 mm", "30 mm")
    assert maker.volume() == pytest.approx(78 * 40 + 28 * 40 + ring)
    # What the pointer is on in the part is lit on the blank, and the other way.
    hands.hover_at(window.shape.view, maker.at(40, 0, 15))
    assert any("flange/outside" in face or "flange/inside" in face for face in blank(window).lit)
    drawing = blank(window)
    hands.hover_at(drawing, QPoint(drawing.width() - 24, drawing.height() // 2))
    assert drawing.lit
    # On its way to flat: the slider by its keys, the part by its box.
    slider = hands.find("from flat to folded")
    slider.setFocus()
    hands.press(Qt.Key.Key_Home)
    flat = 78 + math.pi / 2 * (1 + k) + 28
    maker.qtbot.waitUntil(lambda: reach(window) == pytest.approx((flat, 1), abs=0.2))
    hands.press(Qt.Key.Key_End)
    maker.qtbot.waitUntil(lambda: reach(window) == pytest.approx((80, 30), abs=1e-3))
    hands.click_at(window.shape.view, QPoint(12, 12))  # beside the part: the view has the keyboard
    hands.press(Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    assert not hands.says("Blank of")
    design = maker.save(tmp_path / "bracket.schablone")
    assert [step.kind for step in design.steps] == ["sketch", "sheet", "flange"]


def test_a_lap_that_follows_the_stock(maker: Maker, tmp_path) -> None:
    """A line drawn on the sheet, what lies beyond it lifted by the thickness; another stock."""
    hands, window = maker.hands, maker.window
    maker.draw(key=Qt.Key.Key_R)
    maker.tap(0, 0)
    maker.figure("90 mm")
    maker.figure("40 mm")
    maker.leave()
    maker.step("sheet")
    maker.change("thickness: stock(1 mm)", "board = 1 mm")
    maker.step("sketch")
    hands.until("An empty sheet")
    hands.click("Line")
    maker.tap(15, -15)
    maker.tap(15, 15)
    maker.leave()
    maker.step("lap")
    maker.change("height of the offset: 2 mm", "board")
    settle(maker.qtbot, window)
    assert reach(window) == pytest.approx((90, 2), abs=1e-3)
    hands.click_at(hands.value_of("board"), hands.value_of("board").rect().center())
    maker.figure("1.5 mm")
    settle(maker.qtbot, window)
    assert reach(window) == pytest.approx((90, 3), abs=1e-3)
    design = maker.save(tmp_path / "lap.schablone")
    assert [step.kind for step in design.steps] == ["sketch", "sheet", "sketch", "offset_bend"]


def reach(window) -> tuple[float, float]:
    """How long and how high what is shown is."""
    points = window.shape.view.parts[0].shape.points
    size = points.max(axis=0) - points.min(axis=0)
    return float(size[0]), float(size[2])


def blank(window):
    return window.shape.blank.drawing


def test_the_machine_that_cuts_the_blank_is_chosen_on_a_card(qtbot, window) -> None:
    hands = Hands(qtbot, window)
    window.session.take(read_design(TOP / "demo" / "frame-spacer.schablone"), None)
    settle(qtbot, window)
    cut = "Blank cut by"
    hands.choose("more about back", "Part", cut, "Not said: the blank is sent as it must come out")
    settle(qtbot, window)
    hands.press(Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)  # Sent
    settle(qtbot, window)
    assert window.part.report["lens"] == "sent"
    bare = window.shape.blank.facts.text().partition(" mm")[0]
    hands.choose("more about back", "Part", cut, "Laser Uhu · sheet metal")
    settle(qtbot, window)
    hands.until("with the kerf of Laser Uhu")
    wide, high = (float(one) for one in bare.split(" × "))
    cut_size = window.shape.blank.facts.text().partition(" mm")[0].split(" × ")
    assert [float(one) for one in cut_size] == pytest.approx([wide + 0.14, high + 0.14], abs=0.02)


def test_a_folding_machine_is_calibrated_and_every_blank_follows(qtbot, window) -> None:
    hands = Hands(qtbot, window)
    window.calibrate(window.session.library.process("Folding machine Star · sheet"))
    hands.until("Bend test strips")
    hands.click("Bend and measure")
    hands.until("A right angle takes")
    before = window.session.library.process("Folding machine Star · sheet").bends
    # A slipped point is told, and nothing is taken over.
    table = window.bending.table
    cell = table.visualItemRect(table.item(0, 3)).center()
    hands.click_at(table.viewport(), cell, double=True)
    hands.type("508.3")
    hands.press(Qt.Key.Key_Return)
    hands.until("come of a blank of about")
    assert not hands.find("Take over into the chart").isEnabled()
    hands.click_at(table.viewport(), cell, double=True)
    hands.type("50.8")
    hands.press(Qt.Key.Key_Return)
    hands.until("A right angle takes")
    # Another sheet of the same rack: both are told, and both are taken over.
    hands.find("sheet that the strips are cut from").setFocus()
    hands.press(Qt.Key.Key_Down)
    hands.click("Bend and measure")
    qtbot.waitUntil(lambda: len(window.bending.found) == 2)
    assert table.rowCount() == 8
    hands.click("Take over into the chart")
    after = window.session.library.process("Folding machine Star · sheet").bends
    assert [row.known.strips for row in after[-2:]] == [4, 4]
    assert after[-2].thickness < 1.1 < 1.4 < after[-1].thickness
    assert len(after) >= len(before)
    # A figure typed later, of one bend, leaves what was measured of the others.
    window.edit_process(window.session.library.process("Folding machine Star · sheet"))
    hands.until("BENDS")
    bends = window.editor.lists["bends"].table
    last = bends.rowCount() - 1
    column = next(k for k in range(7) if bends.horizontalHeaderItem(k).text() == "deduction")
    bends.scrollToBottom()
    cell = bends.visualItemRect(bends.item(last, column)).center()
    hands.click_at(bends.viewport(), cell, double=True)
    hands.type("2.9")
    hands.press(Qt.Key.Key_Return)
    hands.click("Take over")
    typed = window.session.library.process("Folding machine Star · sheet").bends
    assert typed[-1].deduction == 2.9
    assert typed[-1].known is None
    assert [row.known for row in typed[:-1]] == [row.known for row in after[:-1]]
    settle(qtbot, window)
