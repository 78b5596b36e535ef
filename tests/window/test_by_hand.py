"""Ways of a new user, by keyboard and pointer only, from an empty sheet to a part whose figures are
checked."""

from __future__ import annotations

import math

import pytest
from PySide6.QtCore import QPoint, Qt

from schablone.core.design import edit
from schablone.core.design.evaluate import table_of
from schablone.core.design.file import read_design
from schablone.core.design.rebuild import rebuild
from schablone.core.process import LensView, neutral
from tests.window.hands import Hands, said_by
from tests.window.test_shape import settle

SIZES = {
    "length": "120 mm", "wide": "30 mm", "thick": "4 mm", "edge": "6 mm", "bolt": "m",
    "gap": "2*edge", "far": "length - edge",
    "half": "length/2", "many": "5", "turn": "30 deg",
}  # fmt: skip
SIZES["bolt"] = "5 mm"


@pytest.fixture
def hands(qtbot, window) -> Hands:
    found = Hands(qtbot, window)
    found.menu("File", "New")
    return found


def test_ten_sizes_typed_one_after_the_other(qtbot, window, hands, tmp_path) -> None:
    """At eighty characters a second, Enter after each: no key is lost, and none is taken for a
    command."""
    hands.click("Type sizes")
    for name, formula in SIZES.items():
        hands.type(f"{name} = {formula}")
        hands.press(Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: len(window.session.design.sizes) == len(SIZES))
    design = window.session.design
    assert {size.name: design.formula_of(size) for size in design.sizes} == SIZES
    assert not design.steps
    assert hands.focus is not None
    assert hands.focus.accessibleName() == "new size: name = formula"
    assert window.files.save_to(tmp_path / "sizes.schablone")
    kept = read_design(tmp_path / "sizes.schablone")
    values = table_of(kept, neutral()).cells
    assert values["half"].wanted.value == 60
    assert values["far"].wanted.value == 114
    assert values["gap"].wanted.value == 12


@pytest.mark.parametrize(("formula", "at_hand", "steps", "becomes"), [
    ("8 mm", 6, 5, "13 mm"),  # its text grows by a letter on the way
    ("12 mm", 6, 100, "112 mm"),
    ("103 mm", 20, -8, "95 mm"),
])  # fmt: skip
def test_a_value_follows_the_hand_while_its_text_grows(
    hands, window, formula: str, at_hand: int, steps: int, becomes: str
) -> None:
    hands.click("Type sizes")
    hands.type(f"wide = {formula}")
    hands.press(Qt.Key.Key_Return)
    for moves in (4, 1):  # and where the hand is faster than the window
        hands.drag_at(hands.value_of("wide"), QPoint(at_hand, 8), QPoint(7 * steps, 0), moves)
        assert window.session.design.size("wide").formula == becomes
        hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert window.session.design.size("wide").formula == formula


@pytest.mark.parametrize("start", ["Draw an outline", "Begin from an example"])
def test_an_empty_design_offers_its_starts(qtbot, window, hands, start: str) -> None:
    hands.click(start)
    if start == "Draw an outline":
        qtbot.waitUntil(lambda: window.shape.is_drawing)
        assert [step.kind for step in window.session.design.steps] == ["sketch"]
    else:
        assert window.stack.currentWidget() is window.learn
    assert not hands.says("Nothing here yet")


def test_a_strip_with_a_row_of_holes(qtbot, window, hands, tmp_path) -> None:
    """Sizes, an outline whose figures are typed while the stroke is under way, a hole put where it
    is clicked, a row; then another length. What comes out is checked against plate less
    cylinders."""
    hands.click("Type sizes")
    for line in ("length = 120 mm", "wide = 30 mm", "thick = 4 mm"):
        hands.type(line)
        hands.press(Qt.Key.Key_Return)
    hands.click("Draw an outline")
    qtbot.waitUntil(lambda: hands.says("An empty sheet"))
    hands.click("Rectangle")
    paper = hands.find("sheet of paper")
    hands.click_at(paper, paper.rect().center())
    # Each letter is also a command of the sheet: here it begins a formula.
    for figure in ("length", "wide"):
        hands.type(figure)
        hands.press(Qt.Key.Key_Return)
    drawing = window.session.design.steps[0].drawing
    assert [rule.formula for rule in drawing.dimensions] == ["length", "wide"]
    hands.press(Qt.Key.Key_Escape)
    hands.press(Qt.Key.Key_Escape)  # once more than there is to give up: it stays
    assert window.shape.is_drawing
    hands.press(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    hands.press("a")
    hands.type("extrude")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    hands.click("10 mm")
    hands.type("thick")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    assert volume(window) == pytest.approx(120 * 30 * 4)
    assert "thick" in said_by(hands.focus)  # the keyboard stays at what was typed
    hands.press("a")
    hands.type("hole")
    hands.press(Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: hands.says("Pick"))
    view = hands.find("The part. Arrow keys turn it, + and - zoom, F fits it.")
    hands.click_at(view, view.rect().center() - QPoint(0, 20))
    settle(qtbot, window)
    hole = window.session.design.step("hole")
    assert hole.face == "extrude/end"
    assert (hole.x, hole.y) != ("0 mm", "0 mm")  # where it was clicked, and not in the corner
    assert volume(window) == pytest.approx(120 * 30 * 4 - BORE)
    hands.press("a")
    hands.type("row")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    hands.click("100 mm")
    hands.type("0.6*length")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.part.report["whole"], window.part.report["problems"]
    few = (120 * 30 * 4 - volume(window)) / BORE
    assert few == pytest.approx(round(few))
    assert few >= 3
    window.session.edit(lambda design: edit.set_formula(design, "length", "180 mm"), "length")
    settle(qtbot, window)
    many = (180 * 30 * 4 - volume(window)) / BORE
    assert many == pytest.approx(round(many))
    assert many > few
    assert window.files.save_to(tmp_path / "strip.schablone")
    kept = read_design(tmp_path / "strip.schablone")
    built = rebuild(kept, LensView("wanted", neutral()))
    (figures,) = built.figures.values()
    assert figures.volume == pytest.approx(volume(window))
    assert hands.strokes <= 130  # of them 90 letters of names and sizes


#: A hole of 5 mm through 4 mm.
BORE = math.pi * 2.5**2 * 4


def volume(window) -> float:
    (part,) = window.part.report["parts"]
    return part["volume"]


def test_every_command_is_found_by_typing_what_it_does(qtbot, window, hands) -> None:
    hands.press(Qt.Key.Key_F1)
    hands.type("lens sent")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.session.lens == "sent"
    hands.press(Qt.Key.Key_F1)
    hands.type("undo")
    hands.press(Qt.Key.Key_Return)  # there is nothing to undo: it stays open, and nothing happens
    assert hands.find("find a command").isVisible()
    hands.press(Qt.Key.Key_Escape)
    assert not any("find a command" in text for one in hands.seen() for text in said_by(one))
    hands.press(Qt.Key.Key_F1)
    hands.type("xyzzy")
    assert "No command is called that. Kinds of step are found with A." in said_by(
        hands.find("commands")
    )
    hands.press(Qt.Key.Key_Escape)


def test_undo_right_after_enter_undoes_the_edit(qtbot, window) -> None:
    """Enter goes on to the next size's line; Ctrl+Z there still means what was just typed."""
    hands = Hands(qtbot, window)
    before = window.session.design
    hands.size("width").setFocus()
    hands.type("380 mm")
    hands.press(Qt.Key.Key_Return)
    assert window.session.design != before
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.design == before
    assert window.shape.sizes.rows["width"].value.text() == "372 mm"
    # Where something was typed it is the letters that are undone.
    hands.type("5")
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.design == before
    assert window.session.can_redo
    hands.press(Qt.Key.Key_Escape)
    settle(qtbot, window)


def test_a_letter_is_a_command_only_where_no_text_can_be_meant(qtbot, window) -> None:
    """Among the sizes it looks for one, among the steps for a kind; a digit begins a formula."""
    hands = Hands(qtbot, window)
    before = window.session.design
    row = hands.size("board")
    row.setFocus()
    hands.type("dow")  # D and W would draw and work at a step
    assert hands.focus.text() == "dow"
    assert hands.focus.accessibleName() == "find a size"
    hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    hands.press(Qt.Key.Key_Delete)
    hands.size("board").setFocus()
    hands.type("7 mm")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.session.design.formula_of(window.session.design.size("board")) == "7 mm"
    window.session.undo()
    assert window.session.design == before
    settle(qtbot, window)
    window.shape.steps.choose("plate")
    qtbot.wait(60)
    hands.find("length: board").setFocus()
    hands.type("fill")
    assert hands.focus.accessibleName() == "find a kind of step"
    assert hands.focus.text() == "fill"
    hands.press(Qt.Key.Key_Escape)
    hands.find("length: board").setFocus()
    hands.type("2*board")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.session.design.step("plate").by == "2*board"


def test_a_click_beside_everything_lets_go(qtbot, window) -> None:
    hands = Hands(qtbot, window)
    view = hands.find("The part. Arrow keys turn it, + and - zoom, F fits it.")
    hands.press("1")
    hands.click_at(view, view.rect().center())
    assert window.shape.steps.chosen == "plate"
    assert hands.says("Plate")
    hands.click_at(view, QPoint(30, 60))
    assert window.shape.steps.chosen == ""
    assert window.shape.view.marked_faces == frozenset()
