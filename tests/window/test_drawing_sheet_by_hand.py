"""The drawing sheet, put right by hands: through the window's events, by what is seen on it."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QFileDialog

from schablone.app.drawing_sheet import SheetWindow
from schablone.app.drawing_sheet.canvas import Chosen, SheetCanvas
from schablone.core.design import edit
from tests.window.conftest import wait_until_settled
from tests.window.hands import Hands
from tests.window.test_shape import settle

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def opened(qtbot, window) -> tuple[Hands, SheetWindow]:
    """The sheet of the demo design, opened from where editions are written."""
    hands = Hands(qtbot, window)
    hands.click("Publish …")
    hands.click("Drawing sheet …")
    found = window.findChild(SheetWindow)
    QApplication.setActiveWindow(found)
    qtbot.waitUntil(found.is_settled)
    yield Hands(qtbot, found), found
    found.close()


def grab(hands: Hands, canvas: SheetCanvas, size: str, by: QPoint) -> None:
    """Drag the words of a size."""
    spot = canvas.box_of(Chosen("dimension", size)).center().toPoint()
    hands.drag_at(canvas, spot, by)


def placed(window, size: str):
    sheet = window.session.design.publish.sheet
    return next((one for one in sheet.dimensions if one.size == size), None)


def is_drawn(found: SheetWindow, size: str) -> bool:
    return size in [one["size"] for one in found.pages[0]["dimensions"]]


def test_a_size_is_dragged_nudged_listed_and_let_go(qtbot, window, opened) -> None:
    hands, found = opened
    canvas = found.canvas
    hands.until("slide, 1:2")
    before = next(d for d in found.pages[0]["dimensions"] if d["size"] == "width")
    grab(hands, canvas, "width", QPoint(0, 40))
    qtbot.waitUntil(lambda: placed(window, "width") is not None)
    moved = placed(window, "width")
    # Forty pixels further out, in mm on paper: away from the view, wherever that lies.
    assert abs(abs(moved.out - before["out"]) - 40 / canvas._scale) < 0.2
    assert abs(moved.along - before["along"]) < 0.2
    hands.until("width is in hand")
    hands.press(Qt.Key.Key_Right)
    qtbot.waitUntil(lambda: abs(placed(window, "width").along - moved.along - 2.0) < 1e-6)
    hands.press(Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: placed(window, "width").view == "list")
    qtbot.waitUntil(lambda: "width" in found.pages[0]["listed"] or len(found.pages) > 1)
    hands.until("In the list by hand: width.")
    for _ in range(3):
        hands.press(Qt.Key.Key_Z, CTRL)
    qtbot.waitUntil(lambda: placed(window, "width") is None)
    qtbot.waitUntil(lambda: is_drawn(found, "width"))
    # By keys alone: the next thing in hand, and back where it finds its place.
    canvas.setFocus()
    hands.press(Qt.Key.Key_PageDown)
    hands.press(Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    first = found.pages[0]["dimensions"][0]["size"]
    qtbot.waitUntil(lambda: placed(window, first) is not None)
    hands.press(Qt.Key.Key_Backspace)
    qtbot.waitUntil(lambda: placed(window, first) is None)


def test_paper_cuts_and_a_view_moved(qtbot, window, opened) -> None:
    hands, found = opened
    hands.click("seen from the front")
    qtbot.waitUntil(lambda: "cut 1" in [view["name"] for view in found.pages[0]["views"]])
    hands.click("where cut A lies")
    hands.type("height")
    hands.press(Qt.Key.Key_Return)
    hands.until("it meets no material")
    # The last good sheet stays, and the way out is said.
    assert found.pages
    hands.until("leave the place empty for its middle")
    hands.click("Back to the middle")
    qtbot.waitUntil(lambda: not found.trouble.isVisible())
    hands.click("Remove the cut")
    qtbot.waitUntil(lambda: not window.session.design.publish.sheet.cuts)
    qtbot.waitUntil(lambda: "cut 1" not in [view["name"] for view in found.pages[0]["views"]])
    box = found.canvas.box_of(Chosen("view", "top"))
    hands.drag_at(found.canvas, QPoint(int(box.left()) + 4, int(box.top()) + 4), QPoint(0, 12))
    qtbot.waitUntil(lambda: bool(window.session.design.publish.sheet.views))
    hands.click("Let everything find its place")
    qtbot.waitUntil(lambda: not window.session.design.publish.sheet.views)
    hands.press(Qt.Key.Key_Z, CTRL)
    qtbot.waitUntil(lambda: bool(window.session.design.publish.sheet.views))


def test_it_follows_the_design_and_is_written(qtbot, window, opened, tmp_path, monkeypatch) -> None:
    hands, found = opened
    path = tmp_path / "sheet"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), "DXF (*.dxf)"))
    hands.click("Write the sheet …")
    hands.until("Wrote sheet.dxf")
    assert b"VISIBLE" in (tmp_path / "sheet.dxf").read_bytes()
    window.session.edit(lambda d: edit.set_formula(d, "width", "300 mm"), "narrower")
    settle(qtbot, window)
    qtbot.waitUntil(
        lambda: "width 300" in [d["words"]["text"] for d in found.pages[0]["dimensions"]]
    )
    # A design that cannot be built leaves the last good sheet.
    window.session.edit(lambda d: edit.set_formula(d, "width", "wdth"), "a slip")
    qtbot.waitUntil(lambda: found.trouble.isVisible())
    assert is_drawn(found, "width")
    window.session.undo()
    qtbot.waitUntil(lambda: not found.trouble.isVisible())
    wait_until_settled(qtbot, window)
