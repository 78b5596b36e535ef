"""Somebody opens an edition, and their machine is not in the list: they add it, measure a small
piece, and see where the caliper is held."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLineEdit

from schablone.core.process import shipped_processes
from schablone.core.process.told_apart import gap_within
from tests.window.hands import Hands
from tests.window.test_editions_by_hand import edition_of


@pytest.fixture
def adjust(qtbot, application, slide, tmp_path):
    process = next(p for p in shipped_processes() if p.name == slide.process)
    edition_of(slide, process, tmp_path / "one.zip")
    found = application.open_adjust_window(tmp_path / "one.zip")
    found.show()
    QApplication.setActiveWindow(found)
    qtbot.waitUntil(found.is_settled)
    return found


def test_a_machine_is_added_measured_and_used(qtbot, application, adjust) -> None:
    hands = Hands(qtbot, adjust)
    hands.click("Yours is not here? Add it …")
    mine = Hands(qtbot, adjust.new_machine)
    QApplication.setActiveWindow(adjust.new_machine)
    assert not mine.find("Measure it …").isEnabled()
    mine.click("what your machine is called")
    QApplication.clipboard().setText("Printer Amsel · PETG")
    mine.press(Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    mine.until("There is a machine called “Printer Amsel · PETG” already.")
    mine.retype("what your machine is called", "Star")
    mine.press(Qt.Key.Key_Return)
    mine.until("Calibrate Star")
    qtbot.waitUntil(lambda: bool(adjust.new_machine.page.sheet.features))
    mine.click("Make it there and measure")
    qtbot.waitUntil(lambda: adjust.new_machine.page.found is not None)
    mine.click("Use these figures")
    hands.until("Star is one of your machines now.")
    assert adjust.process.name == "Star"
    hands.until("By your own figures: it shrinks")
    kept = next(p for p in application.library.own_processes() if p.name == "Star")
    assert len(kept.pieces) == 1
    assert kept.spread is not None
    assert kept.hole_gain == adjust.process.hole_gain
    # Fits lie as far apart as this machine can tell, and grow with the size.
    assert kept.fits == adjust.process.fits
    assert kept.fits.reference == 10
    assert kept.fits.sliding - kept.fits.push >= 2 * gap_within(kept)
    # The figures of the machine that it is like were a guess, and no state to go back to.
    assert all(not state.date for state in kept.history)
    qtbot.waitUntil(adjust.is_settled)
    adjust.hide()


def test_one_can_be_used_as_guessed_and_says_that_nothing_is_measured(
    qtbot, application, adjust
) -> None:
    Hands(qtbot, adjust).click("Yours is not here? Add it …")
    mine = Hands(qtbot, adjust.new_machine)
    QApplication.setActiveWindow(adjust.new_machine)
    mine.click("what your machine is called")
    mine.type("Star")
    mine.click("Not now: use it as guessed")
    qtbot.waitUntil(lambda: adjust.process.name == "Star")
    (kept,) = application.library.own_processes()
    assert (kept.known, kept.pieces, kept.spread, kept.history) == ({}, (), None, ())
    adjust.hide()


def test_the_picture_follows_the_field_that_has_the_keyboard(qtbot, adjust) -> None:
    hands = Hands(qtbot, adjust)
    qtbot.waitUntil(lambda: bool(adjust.caliper.pages))
    hands.click("Width of the hive inside", QLineEdit)
    hands.until("Width of the hive inside: where to hold the caliper")
    (drawn,) = adjust.caliper.picture.page["dimensions"]
    assert drawn["words"]["text"] == "width 372"
    hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    hands.type("300 mm")
    hands.press(Qt.Key.Key_Return)
    qtbot.waitUntil(
        lambda: adjust.caliper.pages["width"]["dimensions"][0]["words"]["text"] == "width 300"
    )
    hands.click("Height of the slide", QLineEdit)
    hands.until("Height of the slide: where to hold the caliper")
    adjust.hide()
