"""What is typed when something else is asked for, and fields that two clicks open."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from schablone.core.design import edit, read_design
from tests.conftest import TOP
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


def begin_width(hands: Hands, text: str, *, double: bool = False, of: str = "width") -> None:
    # A hand moves there and presses once the page has come to rest: words of what is wrong appear.
    hands.hover_at(hands.value_of(of), QPoint(4, 4))
    value = hands.value_of(of)
    hands.click_at(value, value.rect().center(), double=double)
    hands.qtbot.waitUntil(lambda: _name(hands.focus) == f"formula of {of}")
    hands.type(text)


def _name(widget: QWidget | None) -> str:
    return widget.accessibleName() if widget is not None else ""


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


def test_of_what_was_left_wrong_nothing_is_made(window, hands, file, tmp_path, monkeypatch) -> None:
    made = tmp_path / "made.3mf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(made), "3MF (*.3mf)"))
    begin_width(hands, "373 mm +")
    begin_width(hands, "40 mm", of="height")  # somewhere else
    hands.press(Qt.Key.Key_Escape)
    hands.press(Qt.Key.Key_E, CONTROL)
    hands.until("Not exported: something that was typed is not right yet. “373 mm +”: The formula")
    hands.click("All right")
    hands.click("Publish")  # it stands under this page still
    hands.click("Write the edition to a file")
    hands.until("Not published: something that was typed is not right yet. “373 mm +”")
    hands.click("All right")
    assert not made.exists()
    hands.click("Shape")
    hands.press(Qt.Key.Key_S, CONTROL)
    assert "Saved slide.schablone. What is not right yet is not in it: “373 mm +”" in (
        window.foot.said.whole()
    )
    assert read_design(file).size("width").formula == "372 mm"


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


def test_of_two_values_clicked_in_a_row_the_second_is_open(qtbot, hands) -> None:
    for of in ("width", "height"):
        value = hands.value_of(of)
        hands.click_at(value, value.rect().center())
    qtbot.wait(600)
    assert _name(hands.focus) == "formula of height"


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


class TestSizeTable:
    """The size table in its own window."""

    @pytest.fixture
    def table(self, qtbot, window, tmp_path):
        window.files.open_demo(TOP / "demo" / "frame-runner.schablone")
        qtbot.waitUntil(window.is_settled, timeout=30_000)
        assert window.files.save_to(tmp_path / "runner.schablone")
        Hands(qtbot, window).press(Qt.Key.Key_T)
        yield window.files.size_table
        window.files.size_table.hide()

    @pytest.fixture
    def at_it(self, qtbot, table) -> Hands:
        return Hands(qtbot, table)

    def cell(self, table, row: int, column: int) -> QPoint:
        return table.table.visualItemRect(table.table.item(row, column)).center()

    def saved(self, tmp_path):
        return {
            row.name: dict(row.cells)
            for row in read_design(tmp_path / "runner.schablone").table.rows
        }

    def test_typed_from_cell_to_cell_and_saved_at_once(self, table, at_it, tmp_path) -> None:
        at_it.click_at(table.table.viewport(), self.cell(table, 0, 1), double=True)
        at_it.press(Qt.Key.Key_A, CONTROL)
        at_it.type("21 mm")
        at_it.press(Qt.Key.Key_Tab)
        at_it.press(Qt.Key.Key_A, CONTROL)
        at_it.type("22 mm")
        at_it.press(Qt.Key.Key_S, CONTROL)
        assert self.saved(tmp_path)["U 3/4"] == {"depth": "21 mm", "breadth": "22 mm"}
        at_it.press(Qt.Key.Key_Z, CONTROL)
        assert table.table.item(0, 2).text() != "22 mm"
        at_it.press(Qt.Key.Key_Z, CONTROL | Qt.KeyboardModifier.ShiftModifier)
        assert table.table.item(0, 2).text() == "22 mm"

    def test_what_is_typed_outlives_an_edit_elsewhere(self, window, table, at_it) -> None:
        at_it.click_at(table.table.viewport(), self.cell(table, 1, 1), double=True)
        at_it.press(Qt.Key.Key_A, CONTROL)
        at_it.type("27")
        window.session.edit(lambda d: edit.set_formula(d, "screw", "5 mm"), "screw")
        at_it.type(" mm")
        at_it.press(Qt.Key.Key_Return)
        assert window.session.design.table.row("U 1").cells["depth"] == "27 mm"

    def test_what_is_not_right_stays_and_is_not_written(
        self, window, table, at_it, tmp_path, monkeypatch
    ) -> None:
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "sizes.csv"), "")
        )
        at_it.click_at(table.table.viewport(), self.cell(table, 1, 1), double=True)
        at_it.press(Qt.Key.Key_A, CONTROL)
        at_it.type("1 inn")
        at_it.click("Write CSV …")
        at_it.until("Not written. U 1, depth:")
        assert not (tmp_path / "sizes.csv").exists()
        window.session.edit(lambda d: edit.set_formula(d, "screw", "5 mm"), "screw")
        assert table.table.item(1, 1).text() == "1 inn"
        at_it.click_at(table.table.viewport(), self.cell(table, 1, 1), double=True)
        at_it.press(Qt.Key.Key_A, CONTROL)
        at_it.type("1 in")
        at_it.press(Qt.Key.Key_Return)
        assert not table.wrong.isVisible()
        at_it.click("Write CSV …")
        assert "1 in" in (tmp_path / "sizes.csv").read_text("utf8")
