"""What is typed about a machine and not taken over yet is there when somebody comes back, or is
asked about: readings of a test piece, figures of a process."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QTableWidget

from schablone.app.library import Library
from schablone.core.process.store import write_process
from schablone.worker import talk
from tests.window.hands import Hands

ZEISIG, AMSEL = "Printer Zeisig · PLA", "Printer Amsel · PETG"
STAR, SPECHT = "Folding machine Star · sheet", "Laser Specht · birch plywood"
HERE_STILL = "What was measured before and not taken over is here still"


@pytest.fixture
def hands(qtbot, window) -> Hands:
    found = Hands(qtbot, window)
    found.click("Process")
    return found


def type_in(hands: Hands, table: QTableWidget, row: int, column: int, text: str) -> None:
    table.scrollToItem(table.item(row, column))
    cell = table.visualItemRect(table.item(row, column)).center()
    hands.click_at(table.viewport(), cell, double=True)
    hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    hands.type(text)
    hands.press(Qt.Key.Key_Return)


def texts(hands: Hands) -> list[str]:
    """The readings that are seen."""
    sheet = hands.find("readings", QTableWidget)
    return [sheet.item(row, 1).text() for row in range(3)]


def test_readings_stay_until_they_are_taken_over(qtbot, hands: Hands, window) -> None:
    hands.click(f"Measure what {ZEISIG} does")
    sheet = hands.wait_for("readings", QTableWidget)
    qtbot.waitUntil(lambda: sheet.rowCount() > 3)
    for row, text in enumerate(("19.93", "29,9", "39.x")):
        type_in(hands, sheet, row, 1, text)
    hands.retype("what the closed caliper shows", "0.02")
    hands.click("‹ Processes")
    # Another machine has nothing of it.
    hands.click(f"Measure what {AMSEL} does")
    qtbot.waitUntil(lambda: sheet.rowCount() > 3)
    assert texts(hands) == ["", "", ""]
    assert not hands.says(HERE_STILL)
    hands.click("‹ Processes")
    hands.click(f"Measure what {ZEISIG} does")
    hands.until(HERE_STILL)
    assert texts(hands) == ["19.93", "29,9", "39.x"]
    assert hands.find("what the closed caliper shows").text() == "0.02"
    # It lies on disk as well: the program may have been killed.
    data = window.session.library.data
    again = Library(data.parent / "config", data).readings.of(ZEISIG, "printing-coupon")
    assert list(again["rows"].values()) == [["19.93", "", ""], ["29,9", "", ""], ["39.x", "", ""]]
    # Another program beside this one keeps its own there, too.
    beside = Library(data.parent / "config", data).readings
    beside.keep(STAR, "strips", {"rows": {"0": ["1"]}})
    type_in(hands, sheet, 0, 2, "19.95")
    assert beside.of(STAR, "strips")
    assert ["19.93", "19.95", ""] in beside.of(ZEISIG, "printing-coupon")["rows"].values()
    beside.keep(STAR, "strips", {})
    # Whole and taken over, it is in the process: nothing of it comes back as if it were new.
    hands.click("Make it there and measure")
    qtbot.waitUntil(lambda: "39.x" not in texts(hands) and window.calibration.found is not None)
    hands.click("Use these figures")
    hands.until(f"{ZEISIG} is calibrated")
    hands.click("‹ Processes")
    hands.click(f"Measure what {ZEISIG} does")
    qtbot.waitUntil(lambda: sheet.rowCount() > 3)
    assert texts(hands) == ["", "", ""]
    assert not (data / "readings.json").read_text().count("rows")


def test_strips_stay_until_they_are_taken_over(qtbot, hands: Hands, window) -> None:
    window.calibrate(window.session.library.process(STAR))
    hands.until("Bend test strips")
    table = hands.find("measured strips", QTableWidget)
    type_in(hands, table, 1, 3, "50.8")
    qtbot.waitUntil(lambda: bool(window.session.library.readings.of(STAR, "strips")))
    # Strips of another sheet leave those alone in which something is measured.
    hands.find("sheet that the strips are cut from").setFocus()
    hands.press(Qt.Key.Key_Down)
    assert [table.item(row, 3).text() for row in range(table.rowCount())].count("50.8") == 1
    hands.click("‹ Processes")
    window.calibrate(window.session.library.process(STAR))
    hands.until(HERE_STILL)
    assert [table.item(row, 3).text() for row in range(table.rowCount())].count("50.8") == 1


def test_strips_are_of_the_sheet_that_was_chosen_when_they_came(
    qtbot, hands: Hands, window
) -> None:
    """Another material chosen afterwards makes nothing of them."""
    star = window.session.library.process(STAR)
    first, *_ = star.stock
    steel = first.with_(name="Steel 1", material="Steel")
    window.session.library.keep_process(star.with_(stock=(first, steel)), star)
    window.calibrate(window.session.library.process(STAR))
    hands.click("Bend and measure")
    hands.until("A right angle takes")
    (alone,) = window.bending.found
    for back in (False, True):
        if back:
            hands.click("‹ Processes")
            window.calibrate(window.session.library.process(STAR))
            hands.until(HERE_STILL)
        hands.find("sheet that the strips are cut from").setFocus()
        hands.press(Qt.Key.Key_Down)
        assert window.bending.sheet.material == "Steel"
        assert [one.material for one in window.bending.found] == [first.material]
        assert window.bending.found[0].k.value == pytest.approx(alone.k.value)
    table = window.bending.table
    type_in(hands, table, table.rowCount() - 1, 3, "40")
    hands.until(f"Strip {table.rowCount()} is not filled in yet, and left out.")


def test_readings_of_one_stock_are_not_taken_for_those_of_another(qtbot, hands, window) -> None:
    """A kerf is that of the sheet that the piece was cut from, also after a look at another."""
    laser = window.session.library.process(SPECHT)
    window.calibrate(laser)
    page = window.calibration
    qtbot.waitUntil(lambda: page.sheet.rowCount() > 0)
    type_in(hands, page.sheet, 0, 1, "59.9")
    left = window.session.library.readings
    qtbot.waitUntil(lambda: bool(left.of(SPECHT, page.piece.left_as)))
    stock = hands.find("stock that the test piece is cut from")
    stock.setFocus()
    hands.press(Qt.Key.Key_Down)
    qtbot.waitUntil(lambda: page.sheet.rowCount() > 0)
    assert page.piece.stock == laser.stock[1]
    assert page.sheet.texts() == {}
    assert not page.meaning.save.isEnabled()
    # On coming back it is the stock of which something is measured.
    hands.click("‹ Processes")
    window.calibrate(laser)
    hands.until(HERE_STILL)
    assert page.piece.stock == laser.stock[0]
    assert [texts[0] for texts in page.sheet.texts().values()] == ["59.9"]


def test_what_a_practice_machine_measured_is_not_put_onto_another_piece(
    qtbot, hands, window
) -> None:
    window.calibrate(window.session.library.process(SPECHT))
    page = window.calibration
    qtbot.waitUntil(lambda: page.sheet.rowCount() > 0)
    hands.click("Make it there and measure")
    page.make.stock.setFocus()
    hands.press(Qt.Key.Key_Down)  # before it is done
    qtbot.waitUntil(lambda: page.sheet.rowCount() > 0)
    answered: list[object] = []
    window.worker.ask_file(talk.Features(path="nowhere"), lambda answer, _: answered.append(answer))
    qtbot.waitUntil(lambda: bool(answered))  # the worker has said all that came before
    assert (page.sheet.texts(), page.closed.text()) == ({}, "")


def test_typed_figures_stay_or_are_asked_about(hands, window, answering, tmp_path, monkeypatch):
    asked, answers = answering

    def figure(row: int) -> str:
        return hands.find("figures of the process", QTableWidget).item(row, 1).text()

    hands.click(f"Change the figures of {ZEISIG}")
    type_in(hands, hands.wait_for("figures of the process", QTableWidget), 0, 1, "0.45")
    hands.click("‹ Processes")
    hands.click(f"Change the figures of {ZEISIG}")
    assert figure(0) == "0.45"
    hands.click("‹ Processes")
    answers += ["Stay here", "Throw it away"]
    hands.click(f"Change the figures of {AMSEL}")
    assert asked == [f"What was typed of “{ZEISIG}” is not taken over."]
    assert hands.says(ZEISIG)
    assert figure(0) == "0.45"
    hands.click("‹ Processes")
    hands.click(f"Change the figures of {AMSEL}")
    assert figure(0) != "0.45"
    type_in(hands, hands.find("figures of the process", QTableWidget), 0, 1, "0.37")
    # The window does not close over it; taken over, it goes on.
    window.session.take(window.session.design, window.session.path)
    answers += ["Stay here"]
    assert not window.close()
    answers += ["Take it over"]
    hands.click("‹ Processes")
    hands.click(f"Change the figures of {ZEISIG}")
    assert window.session.library.process(AMSEL).shrinkage_xy == pytest.approx(0.37)
    # What was measured is not thrown away by one click.
    hands.click("‹ Processes")
    hands.click(f"Change the figures of {AMSEL}")
    answers += ["Stay here", "Take them away"]
    hands.click("Take your own figures away")
    assert asked[-1] == f"Your own figures of “{AMSEL}” are gone for good then."
    assert window.session.library.is_own(AMSEL)
    # Nor by a file of the same name; one that is as it is kept asks nothing.
    own = window.session.library.process(AMSEL)
    file, theirs = tmp_path / "amsel.json", own.with_(hole_gain=-0.31)
    file.write_text(write_process(theirs), "utf8")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))
    hands.click("‹ Processes")
    answers.insert(0, "Stay here")
    hands.click("Take a process file into your library")
    assert asked[-1].startswith(f"“{AMSEL}” is in your library, with figures of your own: figures")
    assert window.session.library.process(AMSEL) == own
    answers.insert(0, "Take those of the file")
    for _ in range(2):
        hands.click("Take a process file into your library")
        assert window.session.library.process(AMSEL) == theirs
    hands.click(f"Change the figures of {AMSEL}")
    hands.click("Take your own figures away")
    assert not window.session.library.is_own(AMSEL)


def test_a_machine_is_not_called_as_another_one(hands: Hands, window) -> None:
    library = window.session.library
    mine = library.process(AMSEL).with_(name="Mine", hole_gain=-0.2)
    other = mine.with_(name="Other", hole_gain=-0.4)
    library.keep_process(other)
    window.edit_process(mine)
    hands.retype("name of the process", "Other")
    hands.click("Keep these figures as your own")
    hands.until("There is a machine called “Other” already. Choose another name.")
    assert library.process("Other") == other
    hands.retype("name of the process", "Third")
    hands.click("Keep these figures as your own")
    hands.until("Third is kept as your own.")
    assert library.process("Third").hole_gain == -0.2
