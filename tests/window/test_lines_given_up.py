"""Escape in a line of text leaves all as it was: nothing that was typed is taken later, and nothing
else is closed by it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit

from tests.window.hands import Hands
from tests.window.test_shape import settle


def test_a_name_is_given_up_or_taken(qtbot, window) -> None:
    hands, before = Hands(qtbot, window), window.session.design
    hands.choose("more about passage_hole", "Rename")
    hands.until("new name of passage_hole")
    hands.type("something")
    hands.press(Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not hands.says("new name of passage_hole"))
    assert hands.says("Passage hole")
    hands.click("Dowel bore")
    settle(qtbot, window)
    assert window.session.design == before
    # The same way it is taken: by leaving it.
    hands.choose("more about passage_hole", "Rename")
    hands.until("new name of passage_hole")
    hands.type("bee door")
    hands.click("Dowel bore")
    hands.until("Bee door")
    assert window.session.design.step("bee_door") is not None
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hands.until("Passage hole")
    assert window.session.design == before
    # A press on its own card ends the line as well, and is answered.
    hands.choose("more about passage_hole", "Rename")
    hands.until("new name of passage_hole")
    hands.type("bee door")
    hands.choose("more about passage_hole", "Rename")
    hands.until("new name of bee_door")


def test_a_note_is_given_up(qtbot, window) -> None:
    hands, before = Hands(qtbot, window), window.session.design
    hands.choose("more about passage_hole", "Note …")
    hands.until("note on passage_hole")
    hands.type("for bees")
    hands.press(Qt.Key.Key_Escape)
    hands.click("Dowel bore")
    settle(qtbot, window)
    assert window.session.design == before


def test_a_note_is_gone_on_with(qtbot, window) -> None:
    hands = Hands(qtbot, window)
    for more in ("for bees", " and drones"):
        hands.choose("more about passage_hole", "Note …")
        hands.until("note on passage_hole")
        hands.type(more)
        hands.press(Qt.Key.Key_Return)
        settle(qtbot, window)
    assert window.session.design.step("passage_hole").note == "for bees and drones"


def test_a_line_that_holds_something_gives_it_back(qtbot, window) -> None:
    hands, before = Hands(qtbot, window), window.session.design
    hands.click("Publish …")
    hands.until("Write edition 1.0 …")
    hands.scroll_to("title", window.publish)
    line = hands.find("title", QLineEdit)
    stood = line.text()
    type_over(hands, "Another one")
    assert line.text() == "Another one"
    hands.press(Qt.Key.Key_Escape)
    assert line.text() == stood
    hands.press(Qt.Key.Key_Tab)
    settle(qtbot, window)
    assert window.session.design == before
    type_over(hands, "Another one")
    hands.press(Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.session.design.publish.title == "Another one")


def type_over(hands: Hands, text: str) -> None:
    hands.click("title", QLineEdit)
    hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    hands.type(text)
