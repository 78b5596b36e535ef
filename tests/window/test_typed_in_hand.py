"""What is typed when something else is asked for, and fields that two clicks open."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMessageBox

from schablone.core.design import read_design
from tests.window.hands import Hands
from tests.window.test_paper import at, board  # noqa: F401

CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def hands(qtbot, window) -> Hands:
    return Hands(qtbot, window)


@pytest.fixture
def file(window, tmp_path):
    path = tmp_path / "slide.schablone"
    assert window.files.save_to(path)
    return path


def begin_width(hands: Hands, text: str, *, double: bool = False) -> None:
    value = hands.value_of("width")
    hands.click_at(value, value.rect().center(), double=double)
    hands.type(text)


def test_what_is_typed_is_saved(window, hands, file) -> None:
    begin_width(hands, "373 mm")
    hands.press(Qt.Key.Key_S, CONTROL)
    assert read_design(file).size("width").formula == "373 mm"
    assert hands.focus is not None  # the keyboard is somewhere
    hands.press(Qt.Key.Key_Z, CONTROL)
    assert window.session.design.size("width").formula == "372 mm"


def test_a_note_that_is_typed_is_saved(window, hands, file) -> None:
    window.shape.sizes.rows["width"].open_details()
    hands.retype("note of width", "as wide as the box")
    hands.press(Qt.Key.Key_S, CONTROL)
    assert read_design(file).size("width").note == "as wide as the box"
    hands.type(" inside")  # and is typed on
    hands.press(Qt.Key.Key_S, CONTROL)
    assert read_design(file).size("width").note == "as wide as the box inside"


def test_what_is_wrong_is_not_saved_and_stays(window, hands, file) -> None:
    before = file.read_bytes()
    begin_width(hands, "373 mm +")
    hands.press(Qt.Key.Key_S, CONTROL)
    assert "Not saved, what is being typed is not right yet." in window.foot.said.whole()
    assert file.read_bytes() == before
    assert hands.focus.text() == "373 mm +"


def test_a_window_is_not_closed_over_what_is_typed(window, hands, file, monkeypatch) -> None:
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()) or 0)
    begin_width(hands, "373 mm")
    assert not window.close()
    assert "has changes that are not saved" in asked[-1]
    hands.press(Qt.Key.Key_S, CONTROL)
    begin_width(hands, "1 +")
    assert not window.close()
    assert asked[-1].startswith("What is being typed is not right yet.")


def test_two_clicks_open_a_value_with_all_of_it_chosen(qtbot, window, hands) -> None:
    begin_width(hands, "374 mm", double=True)
    assert hands.focus.text() == "374 mm"
    hands.press(Qt.Key.Key_Escape)
    card = window.shape.steps.cards["plate"]
    hands.click_at(card, QPoint(60, 14))
    qtbot.waitUntil(lambda: "by" in card.chips and card.chips["by"].isVisible())
    chip = card.chips["by"]
    hands.click_at(chip, chip.rect().center(), double=True)
    qtbot.waitUntil(lambda: hands.focus is not None and hasattr(hands.focus, "is_just_open"))
    hands.type("5 mm")
    assert hands.focus.text() == "5 mm"


def test_two_clicks_on_a_dimension_open_it(qtbot, board, hands) -> None:  # noqa: F811
    hands.press(Qt.Key.Key_C)
    for x in (20, 35):
        hands.click_at(board.paper, at(board, x, 20))
    hands.press(Qt.Key.Key_Escape)
    hands.press(Qt.Key.Key_Escape)
    hands.click_at(board.paper, at(board, 35, 20))
    hands.click("radius of circle 1")
    qtbot.waitUntil(lambda: len(board.desk.drawing.dimensions) == 1)  # sizes are worked out first
    hands.press(Qt.Key.Key_Return)
    (rule,) = board.desk.drawing.dimensions
    hands.click(rule.formula, double=True)
    qtbot.waitUntil(lambda: hasattr(hands.focus, "is_just_open"))
    hands.type("12 mm")
    hands.press(Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: board.desk.drawing.dimensions[0].formula == "12 mm")
