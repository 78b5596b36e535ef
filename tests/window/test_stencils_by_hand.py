"""Stencils by keyboard and pointer: from the shelf onto the part, changed, opened, made."""

from __future__ import annotations

import math

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QListWidget, QTableWidget

from schablone.app.make_stencil_window import MakeStencilWindow
from schablone.app.stencil_window import StencilWindow
from schablone.core.files import LARGEST
from schablone.core.reuse import read_stencil, stencils_on_the_shelf
from tests.window.hands import Hands
from tests.window.test_journeys import Maker, maker
from tests.window.test_shape import settle
from tests.window.test_together_by_hand import PLATE, plate

__all__ = ["maker", "plate"]

CTRL = Qt.KeyboardModifier.ControlModifier


def shown(kind: type):
    return next(
        one for one in QApplication.topLevelWidgets() if isinstance(one, kind) and one.isVisible()
    )


def from_the_shelf(maker: Maker, word: str, name: str) -> Hands:
    """The shelf, with a stencil chosen by a word."""
    in_front = Hands(maker.qtbot, maker.window)
    in_front.press("a")
    in_front.type("stencil")
    in_front.press(Qt.Key.Key_Return)
    maker.qtbot.wait(100)
    hands = Hands(maker.qtbot, shown(StencilWindow))
    hands.type(word)  # the keyboard is where one looks for it
    hands.until(name)
    hands.until("Put it in")
    return hands


def test_what_is_shown_of_the_design_follows_it(plate: Maker, monkeypatch) -> None:
    session = plate.window.session
    grip, vent = (
        next(one for one in stencils_on_the_shelf() if word in one.said.casefold())
        for word in ("hand grip", "vent")
    )
    session.edit(lambda d: d.model_copy(update={"stencils": (grip,)}), "a grip")
    shelf = from_the_shelf(plate, "hand grip", "Hand grip")
    listed = shelf.find("stencils of the design and of the shelf", QListWidget)
    shelf.click_at(listed.viewport(), listed.visualItemRect(listed.item(1)).center())
    assert shelf.says("Change for …")
    other = grip.model_copy(update={"note": "For wet hands.", "edition": "9"})
    session.edit(lambda d: d.model_copy(update={"stencils": (other,)}), "another edition")
    shelf.until("For wet hands.")
    # One that could not be read again is not kept.
    with monkeypatch.context() as tight:
        tight.setitem(LARGEST, "stencil", 20)
        shelf.click("For other designs")
        assert shelf.says("MB are read")
        assert not session.library.is_own_stencil(other.name)
    # It is changed for another, which is shown then; and taken back, that is gone.
    shown(StencilWindow).swap_for(vent)
    assert shelf.says(vent.said)
    assert shelf.says("Change for …")
    session.undo()
    session.undo()
    session.undo()
    assert not session.design.stencils
    assert not shelf.says("Change for …")
    assert shelf.says("Put it in")


def test_each_size_is_shown_by_what_it_changes(plate: Maker) -> None:
    shelf = from_the_shelf(plate, "hand grip", "Hand grip")
    shelf.until("Choose a size to see in the picture what it changes.")
    picture = shelf.find("the stencil from above")
    table = shelf.find("what the stencil asks for", QTableWidget)

    def drawn() -> str:
        return picture.accessibleDescription()

    shelf.click_at(table.viewport(), table.visualItemRect(table.item(0, 0)).center())
    plate.qtbot.waitUntil(lambda: drawn() == "dashed: another value of length")
    # Down to the next one by the keyboard.
    shelf.press(Qt.Key.Key_Down)
    plate.qtbot.waitUntil(lambda: drawn() == "dashed: another value of width")
    # Another stencil begins anew.
    shelf.retype("words to look for stencils by", "label slot")
    plate.qtbot.waitUntil(lambda: not drawn())
    slot_table = shelf.find("what the stencil asks for", QTableWidget)
    shelf.click_at(slot_table.viewport(), slot_table.visualItemRect(slot_table.item(2, 0)).center())
    plate.qtbot.waitUntil(lambda: "hatched" in drawn() and "depth" in drawn())
    shown(StencilWindow).close()


def listed(shelf: Hands) -> list[str]:
    found = shelf.find("stencils of the design and of the shelf", QListWidget)
    return [found.item(row).text() for row in range(found.count())]


def slot(length: float, width: float) -> float:
    return math.pi * width**2 / 4 + (length - width) * width


def hover(maker: Maker, x: float, y: float, z: float) -> None:
    view = maker.window.shape.view
    QTest.mouseMove(maker.window.windowHandle(), view.mapTo(maker.window, maker.at(x, y, z)))
    maker.qtbot.wait(150)


def typed(maker: Maker, chip: str, text: str) -> None:
    maker.hands.click(chip)
    maker.figure(text)
    settle(maker.qtbot, maker.window)


def grip(maker: Maker) -> None:
    """A hand grip, 60 by 28 mm, at 5, −3 on top of the plate."""
    shelf = from_the_shelf(maker, "grip hole", "Hand grip")
    shelf.click("Put it in")
    maker.hands.until("Click where Hand grip goes")
    hover(maker, 5, -3, 10)
    maker.hands.press("1")  # a view from above: the tool stays
    maker.qtbot.wait(400)
    hover(maker, 5, -3, 10)
    maker.pick(5, -3, 10)
    maker.hands.until("as it is drawn")
    typed(maker, "length: 110 mm", "60 mm")


@pytest.mark.nightly
def test_a_grip_from_the_shelf(plate: Maker, tmp_path) -> None:
    maker, hands, window = plate, plate.hands, plate.window
    grip(maker)
    assert maker.volume() == pytest.approx(PLATE - 10 * slot(60, 28), rel=1e-9)
    # What it cannot be is said where it stands, and the last good part stays.
    for bad in ("0 mm", "-5 mm", "3 kg", "hand_grip.length"):
        typed(maker, "length: 60 mm", bad)
        if window.session.design.step("hand_grip").given[0].formula == "60 mm":
            hands.press(Qt.Key.Key_Escape)  # refused while it was typed
            continue
        hands.until("This is the last good part")
        hands.press(Qt.Key.Key_Z, CTRL)
        settle(maker.qtbot, window)
    assert maker.volume() == pytest.approx(PLATE - 10 * slot(60, 28), rel=1e-9)
    # It says by how much it goes over the edge, where it does: 60 mm about x = 15 end at 45.
    typed(maker, "x on the face: 5 mm", "15 mm")
    hands.click("Open the checks")
    hands.until("goes 5 mm over the edge")
    hands.click("Shape")
    hands.press(Qt.Key.Key_Z, CTRL)
    settle(maker.qtbot, window)
    # Tied to the plate: as long as half of its face along x.
    typed(maker, "length: 60 mm", "hand_grip.host.along/2")
    assert maker.volume() == pytest.approx(PLATE - 10 * slot(40, 28), rel=1e-9)
    hands.choose("as it is drawn", "mirrored")
    settle(maker.qtbot, window)
    assert maker.volume() == pytest.approx(PLATE - 10 * slot(40, 28), rel=1e-9)
    design = maker.save(tmp_path / "gripped.schablone")
    step = design.step("hand_grip")
    assert (step.x, step.y, step.face, step.part) == ("5 mm", "-3 mm", "extrude/end", "part")
    assert [stencil.name for stencil in design.stencils] == ["hand_grip"]
    # It was used once: so it stands first on the shelf.
    again = from_the_shelf(maker, "", "Hand grip")
    words = listed(again)
    assert words[words.index("ON THE SHELF") + 1] == "Hand grip\nused once"
    assert words[words.index("IN THE DESIGN") + 1] == "Hand grip\nput in once"
    again.window.close()


def test_turned_before_it_is_placed_and_given_up(plate: Maker) -> None:
    maker, hands, window = plate, plate.hands, plate.window
    shelf = from_the_shelf(maker, "keyhole", "Keyhole hanger")
    shelf.click("Put it in")
    hands.until("Click where Keyhole hanger goes")
    hands.press(Qt.Key.Key_Escape)
    assert window.shape.view.tool is None
    assert len(window.session.design.steps) == 2
    shelf = from_the_shelf(maker, "keyhole", "Keyhole hanger")
    shelf.click("Put it in")
    hover(maker, -20, 10, 10)
    hands.press("r")
    maker.pick(-20, 10, 10)
    hands.until("as it is drawn")
    step = window.session.design.steps[-1]
    assert (step.x, step.y, step.turn) == ("-20 mm", "10 mm", "90 deg")
    # A head of 10 mm across and a neck of 5.5 mm that goes 12 mm on, of which half the head is one.
    assert maker.volume() < PLATE - 10 * math.pi * 25
    hands.press(Qt.Key.Key_Z, CTRL)
    settle(maker.qtbot, window)
    assert window.session.design.stencils == ()


def test_opened_worked_at_and_closed(plate: Maker) -> None:
    maker, hands, window = plate, plate.hands, plate.window
    grip(maker)
    before = maker.volume()
    hands.choose("more about hand_grip", "Open it here")
    settle(maker.qtbot, window)
    hands.until("HAND GRIP, OPENED")
    assert maker.volume() == pytest.approx(before, rel=1e-9)
    window.shape.steps.area.verticalScrollBar().setValue(10_000)
    hands.click("Close the stencil again")
    settle(maker.qtbot, window)
    hands.until("hand grip is as it was")
    assert maker.volume() == pytest.approx(before, rel=1e-9)
    hands.choose("more about hand_grip", "Unpack into plain steps")
    settle(maker.qtbot, window)
    assert maker.volume() == pytest.approx(before, rel=1e-9)
    assert window.session.design.stencils == ()
    assert window.session.design.step("hand_grip").kind == "plane"


def test_made_of_steps_kept_and_put_in_again(plate: Maker, tmp_path) -> None:
    maker, hands, window = plate, plate.hands, plate.window
    maker.step("hole")
    maker.pick(20, 10, 10)
    typed(maker, "diameter: 5 mm", "6 mm")
    hands.choose("more about hole", "Make a stencil of it …")
    make = Hands(maker.qtbot, shown(MakeStencilWindow))
    make.until("top of extrude")
    # What is changed while the window stands open is changed in the stencil.
    Hands(maker.qtbot, window)
    typed(maker, "diameter: 6 mm", "7 mm")
    before = maker.volume()
    make = Hands(maker.qtbot, shown(MakeStencilWindow))
    make.retype("what the stencil is called", "Peg hole")
    make.until("Nothing: it is the same everywhere")
    path = tmp_path / "peg.stencil"
    shown(MakeStencilWindow).save_to(path)
    make.until("peg.stencil written")
    assert read_stencil(path).title == "Peg hole"
    make.click("Onto the shelf")
    settle(maker.qtbot, window)
    assert maker.volume() == pytest.approx(before, rel=1e-9)
    assert [step.kind for step in window.session.design.steps] == ["sketch", "extrude", "stencil"]
    shelf = from_the_shelf(maker, "peg", "Peg hole")
    shelf.click("Put it in")
    maker.pick(-20, -10, 10)
    hands.until("as it is drawn")
    assert maker.volume() == pytest.approx(before - math.pi * 12.25 * 10, rel=1e-9)
    # Off the shelf again.
    shelf = from_the_shelf(maker, "peg", "Peg hole")
    found = shelf.find("stencils of the design and of the shelf", QListWidget)
    item = found.item(listed(shelf).index("ON THE SHELF") + 1)
    shelf.click_at(found.viewport(), found.visualItemRect(item).center())
    shelf.click("Take away")
    assert not window.session.library.is_own_stencil("peg_hole")
    shelf.window.close()


def test_what_cannot_be_a_stencil_is_said(plate: Maker) -> None:
    maker, window = plate, plate.window
    maker.step("hollow")
    maker.pick(10, 5, 10)
    maker.hands.press(Qt.Key.Key_Escape)
    make_window = window.beside.make_stencil([window.session.design.steps[-1].name])
    make = Hands(maker.qtbot, make_window)
    make.until("reaches further than where it stands")
    assert not make.find("Onto the shelf").isEnabled()
    make_window.close()


def test_files_of_stencils_good_and_bad(plate: Maker, tmp_path) -> None:
    maker, window = plate, plate.window
    shelf = from_the_shelf(maker, "", "Clasp pocket")
    opened = shown(StencilWindow)
    path = tmp_path / "own.stencil"
    opened.save_to(path)
    shelf.until("own.stencil written")
    opened.open_file(path)
    assert listed(shelf)[:2] == ["FROM A FILE", "Clasp pocket\nfittings"]
    path.write_text('{"format": "schablone stencil", "version": 1, "name": "x", "steps": []}')
    opened.open_file(path)
    shelf.until("steps")
    path.write_bytes(b"\0\1")
    opened.open_file(path)
    shelf.until("own.stencil")
    # A damaged one on the shelf keeps nothing else from being there.
    drawer = window.session.library.own_stencils.folder
    drawer.mkdir(parents=True, exist_ok=True)
    (drawer / "bad.stencil").write_text("{")
    window.session.library.read_own()
    assert len(window.session.library.stencils()) == len(stencils_on_the_shelf())
    assert any("bad.stencil" in problem.what for problem in window.session.library.problems)
    opened.close()


def test_its_faces_belong_to_it_and_carry_other_steps(plate: Maker) -> None:
    maker, hands, window = plate, plate.hands, plate.window
    shelf = from_the_shelf(maker, "label", "Label slot")
    shelf.click("Put it in")
    hands.press("1")
    maker.qtbot.wait(400)
    maker.pick(0, 0, 10)
    hands.until("as it is drawn")
    maker.pick(38, 20, 10)
    assert window.shape.chosen_step == "extrude"
    maker.pick(10, 0, 8.8)  # its floor
    assert window.shape.chosen_step == "label_slot"
    before = maker.volume()
    maker.step("hole")
    maker.pick(10, 0, 8.8)
    assert maker.volume() == pytest.approx(before - math.pi * 2.5**2 * 8.8, rel=1e-9)
    # What carries others is not deleted from under them.
    hands.choose("more about label_slot", "Delete")
    settle(maker.qtbot, window)
    assert window.session.design.step("label_slot") is not None
    hands.until("is still used: hole")
