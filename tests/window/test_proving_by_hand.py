"""A design is proved over its range by keyboard and pointer: what breaks is read, looked at, ruled
out with a click; a map is painted; what comes out and the review are read."""

from __future__ import annotations

import math
import os
import signal

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor

from schablone.app.places.cause_card import CauseCard
from schablone.core.design import edit
from tests.conftest import plate
from tests.core.test_ranges import hole, ranged
from tests.window.hands import Hands
from tests.window.test_shape import settle

CTRL = Qt.KeyboardModifier.ControlModifier


def breaks():
    """Fails where the hole is wider than 15 mm and b smaller than 20 mm."""
    return ranged(
        {"a": ("8 mm", "4 mm", "20 mm"), "b": ("30 mm", "10 mm", "60 mm")},
        hole("a"),
        checks={"Enough around it": "not (a > 15 mm and b < 20 mm)"},
    )


@pytest.fixture
def hands(qtbot, window) -> Hands:
    window.session.take(breaks(), None)
    settle(qtbot, window)
    found = Hands(qtbot, window)
    found.click("Prove")
    found.click("Whole range")
    found.until("Not proved over its range yet")
    return found


def proved(hands: Hands) -> None:
    hands.click("Build it over its range")
    hands.until("within its range")


def test_what_breaks_is_read_looked_at_and_ruled_out(hands: Hands, window, qtbot) -> None:
    assert hands.says("What may vary: a 4 mm to 20 mm and b 10 mm to 60 mm.")
    proved(hands)
    hands.until("One thing breaks within its range")
    hands.until("Enough around it: not (a > 15 mm and b < 20 mm)")
    card = next(one for one in window.findChildren(CauseCard) if one.isVisible())
    qtbot.waitUntil(lambda: not card.picture.pixmap().isNull())
    before = window.session.design
    # Look at it: the part there, words below it, and nothing edited.
    hands.click("Show it")
    hands.until("With a ")
    qtbot.waitUntil(lambda: "building" not in window.shape.look.where.text())
    assert window.shape.isVisible()
    # What is seen has the wide hole, about 10 mm off the middle.
    points = window.shape.view.parts[0].shape.points
    nearest = min(math.hypot(x - 10, y) for x, y, _ in points.tolist())
    assert 7.5 < nearest < 10.1
    assert window.session.design is before
    hands.press(Qt.Key.Key_Escape)
    assert not window.shape.look.isVisible()
    assert window.session.design is before
    # Rule it out: one edit, proved again by itself, and undone with one key.
    hands.click("Prove")
    link = next(text for text in hands.all_words() if text.startswith("Limit it:"))
    hands.click(link)
    hands.until("It holds over its whole range")
    assert window.session.design != before
    hands.press(Qt.Key.Key_Z, CTRL)
    assert window.session.design == before
    hands.until("One thing breaks within its range")  # known from before
    # Sizes that were looked at can be kept.
    hands.until("Show it")
    hands.click("Show it")
    hands.until("Make these the sizes")
    hands.click("An edit that can be undone")
    table = window.session.table
    assert table.cells["a"].wanted.value > 15
    assert table.cells["b"].wanted.value < 20
    hands.press(Qt.Key.Key_Z, CTRL)
    assert window.session.design == before


def test_a_map_is_painted_and_shows_the_part_where_it_is_clicked(
    hands: Hands, window, qtbot
) -> None:
    page = window.prove.range.side
    hands.click("Build the design all over the map")
    qtbot.waitUntil(lambda: len(page.map.cells) == 17 * 17)
    for (i, j), cell in page.map.cells.items():
        a, b = page.map.across.values[i], page.map.up.values[j]
        assert cell.holds == (not (a > 15 and b < 20))
    assert hands.says("hatched: fails")
    # What is seen: where it fails the ground is another than where it holds.
    picture = page.map.grab().toImage()

    def ground(i: int, j: int) -> QColor:
        spot = page.map._rect(i, j).topLeft().toPoint() + QPoint(3, 3)
        return QColor(picture.pixel(spot))

    assert ground(2, 14).green() > ground(2, 14).red()  # sage
    assert ground(16, 0).red() > ground(16, 0).blue() + 15  # ochre
    spot = page.map.centre_of(16, 0).toPoint()
    hands.hover_at(page.map, spot)
    assert "a 20 mm, b 10 mm: Enough around it" in page.map.accessibleDescription()
    hands.click_at(page.map, spot)
    hands.until("With a 20 mm and b 10 mm")
    assert window.shape.isVisible()
    hands.click("Back to the part as it is (Esc)")
    # By keys as well.
    hands.click("Prove")
    page.map.setFocus()
    for _ in range(3):
        hands.press(Qt.Key.Key_Right)
    hands.press(Qt.Key.Key_Up)
    hands.press(Qt.Key.Key_Return)
    hands.until("With a 7 mm and b 13.12 mm")
    # After an edit nothing is painted before it is known what may vary, and what was looked at of
    # the design before is gone.
    hands.click("Prove")
    paint = hands.find("Build the design all over the map")
    window.session.edit(lambda design: design.model_copy(update={"note": "another"}), "a note")
    assert not paint.isEnabled()
    qtbot.waitUntil(paint.isEnabled)
    hands.click("Shape")
    assert not hands.says("With a 7 mm and b 13.12 mm")


@pytest.mark.nightly
def test_a_run_is_paused_stopped_killed_and_goes_on(hands: Hands, window, qtbot) -> None:
    page = window.prove.range
    hands.click("Build it over its range")
    hands.until(" built")
    qtbot.waitUntil(lambda: page.bar.value() > 5)
    hands.click("Begin no more builds for now")
    paused = -1
    while paused != page.bar.value():  # what was begun is still built
        paused = page.bar.value()
        qtbot.wait(4000)
    assert paused < page.bar.maximum()
    hands.click("Begin no more builds for now")
    qtbot.waitUntil(lambda: page.bar.value() > paused)
    # The process that directs it is killed: it goes on where it was.
    os.kill(window.prove.prover.pid, signal.SIGKILL)
    hands.until("within its range")
    assert page.result is not None
    assert page.result["whole"]
    # An edit of something else keeps what is known; one of the shape does not.
    window.session.edit(lambda design: edit.change_step(design, "plate", "by", "5 mm"), "by 5 mm")
    hands.until("Not proved over its range yet")
    hands.click("Build it over its range")
    qtbot.waitUntil(lambda: page.bar.value() > 3)
    hands.click("What was built is kept")
    qtbot.waitUntil(lambda: not window.prove.prover.is_running)
    assert page.result is not None
    assert not page.result["whole"]
    assert hands.says(f" of {page.result['count']} built")


@pytest.mark.nightly
def test_an_edit_while_it_runs_takes_up_the_new_design(hands: Hands, window, qtbot) -> None:
    page = window.prove.range
    hands.click("Build it over its range")
    qtbot.waitUntil(lambda: page.bar.value() > 3)
    window.session.edit(lambda d: edit.change_size(d, "a", high="14 mm"), "a to 14 mm")
    hands.until("Not proved over its range yet")
    assert hands.says("a 4 mm to 14 mm")
    hands.click("Build it over its range")
    hands.until("It holds over its whole range")


def test_what_is_told_of_a_run_is_of_the_design_and_the_machines_as_they_are(
    hands: Hands, window, qtbot
) -> None:
    proved(hands)
    # Another machine that it is something for is measured: on that it was never built.
    library = window.session.library
    other = next(one for one in library.processes() if one.name == "Printer Zeisig · PLA")
    library.keep_process(other.model_copy(update={"hole_gain": 0.4}))
    window.session.process_changed()
    hands.until("Not proved over its range yet")
    # It is edited from the page of the review while it runs: no word of the run before.
    window.session.edit(lambda d: edit.change_size(d, "a", high="14 mm"), "a to 14 mm")
    hands.until("a 4 mm to 14 mm")
    hands.click("Build it over its range")
    qtbot.waitUntil(lambda: window.prove.range.bar.value() > 3)
    hands.click("Review")
    hands.press(Qt.Key.Key_Z, CTRL)
    read: list[str] = []
    window.prove.prover.ready.connect(lambda _: read.append("ready"))
    qtbot.waitUntil(lambda: "ready" in read)
    qtbot.wait(500)
    shown = window.prove.review.page.toPlainText()
    assert "not proved over its whole range" in shown
    assert "range run was stopped" not in shown


def test_sizes_that_are_kept_are_those_that_were_looked_at_in_another_variant(
    qtbot, window
) -> None:
    rows = [{"name": "one", "cells": {"b": "30 mm"}}, {"name": "two", "cells": {"b": "15 mm"}}]
    table = {"columns": ["b"], "rows": rows, "current": "one"}
    window.session.take(breaks().with_(table=table), None)
    settle(qtbot, window)
    hands = Hands(qtbot, window)
    # In the variant that has b 15 mm it is looked at with 30 mm, as it is in the one chosen now.
    point = {"values": {"a": 6.0, "b": 30.0}, "row": "two", "process": "", "why": ""}
    window.elsewhere.look(point, "With a 6 mm", "")
    hands.click("An edit that can be undone")
    table_now = window.session.table
    assert window.session.design.table.current == "two"
    assert table_now.cells["a"].wanted.value == 6
    assert table_now.cells["b"].wanted.value == 30


def test_a_map_bears_the_names_of_the_sizes_that_it_was_asked_for(hands: Hands, window) -> None:
    side = window.prove.range.side
    hands.click("Build the design all over the map")
    # Other sizes are chosen before the prover has begun.
    side.across.setCurrentIndex(1)
    side.across.activated.emit(1)
    side.up.setCurrentIndex(0)
    side.up.activated.emit(0)
    hands.qtbot.wait(1500)
    assert not side.map.across.values
    assert not side.map.cells
    hands.click("Build the design all over the map")
    hands.qtbot.waitUntil(lambda: len(side.map.cells) > 20)
    assert side.map.across.name == "b"
    assert max(side.map.across.values) == 60


def test_nothing_may_vary(qtbot, window) -> None:
    window.session.take(plate(), None)
    settle(qtbot, window)
    hands = Hands(qtbot, window)
    hands.click("Prove")
    hands.click("Whole range")
    hands.until("Nothing may vary yet")
    assert not window.prove.range.go.isEnabled()


def test_what_comes_out_and_the_review(qtbot, window, tmp_path) -> None:
    hands = Hands(qtbot, window)
    hands.click("Prove")
    hands.click("What comes out")
    hands.until("Of a hundred pieces")
    assert hands.says("sliding on 6 mm")
    # Where a step is not built, nobody knows what its sizes measure.
    window.session.edit(
        lambda d: edit.change_step(d, "dowel_bore", "diameter", "dowel_hole - 7 mm"), "no bore"
    )
    hands.until("Not known as long as steps that use it are not built: dowel_hole.")
    assert hands.says("last good part: 372 × 38 × 4 mm  ·  64.9 g of PETG")
    hands.press(Qt.Key.Key_Z, CTRL)
    hands.until("sliding on 6 mm")
    assert hands.says("know the hole gain of Printer Amsel · PETG")
    hands.click("Go to dowel hole")
    assert window.shape.isVisible()
    assert window.shape.chosen_size == "dowel_hole"
    hands.click("Prove")
    hands.click("Review")
    page = window.prove.review
    qtbot.waitUntil(lambda: "Still open" in page.page.toPlainText())
    shown = page.page.toPlainText()
    assert "not proved over its whole range" in shown
    assert "Drones can pass" in shown
    page.save_to(tmp_path / "review.html")
    saved = (tmp_path / "review.html").read_text("utf8")
    assert saved.count("data:image/png;base64,") == 1
    assert "http" not in saved.partition("<body>")[2].replace("http://www.w3.org", "")
    page.save_to(tmp_path / "none" / "review.md")
    assert "Saved" not in page.said.text()
    window.session.edit(lambda d: edit.change_size(d, "passage", formula="7 mm"), "passage")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: "Drones can pass does not hold" in page.page.toPlainText())
