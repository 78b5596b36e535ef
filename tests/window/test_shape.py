"""Shape, through the real window with mouse and keyboard."""

import os
import signal

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QWheelEvent
from PySide6.QtWidgets import QApplication

from schablone.core.design import edit, read_design, write_design
from tests.conftest import SLIDE, plate
from tests.window.hands import Hands


def settle(qtbot, window) -> None:
    qtbot.waitUntil(window.is_settled)


def type_formula(qtbot, editor, text: str, end=Qt.Key.Key_Return) -> None:
    editor.line.selectAll()
    qtbot.keyClicks(editor.line, text)
    editor.line.completer_.popup().hide()
    if end is not None:
        qtbot.keyClick(editor.line, end)


@pytest.fixture
def hands(qtbot, window) -> Hands:
    return Hands(qtbot, window)


def edit_size(qtbot, window, name: str, text: str, end=Qt.Key.Key_Return):
    """Click on the value of a size and type another formula, as hands do."""
    hands = Hands(qtbot, window)
    value = hands.value_of(name)
    hands.click_at(value, value.rect().center())
    hands.type(text)
    if end is not None:
        hands.press(end)
    return window.shape.sizes.rows[name]


def where_seen(view, words: str) -> QPoint:
    """A place of the view where a face is seen whose words begin so."""
    for grid in (16, 2):
        for y in range(4, view.height(), grid):
            for x in range(4, view.width(), grid):
                at = view.face_at(x, y)
                if at and view.parts[at[0]].faces[at[1]]["words"].startswith(words):
                    return QPoint(x, y)
    raise AssertionError(f"“{words}” is nowhere to be seen")


def width_of_part(window) -> float:
    low, high = window.part.report["parts"][0]["bounds"]
    return high[0] - low[0]


def test_a_size_is_typed_and_everything_follows(qtbot, window) -> None:
    edit_size(qtbot, window, "width", "300 mm")
    assert window.shape.sizes.rows["passages"].value.text() == "21"  # at once, before the geometry
    assert (
        "(300 − 2·14 + 5) / (8 + 5) = 21.31, so 21"
        in window.shape.sizes.rows["passages"].more.text()
    )
    settle(qtbot, window)
    assert width_of_part(window) == pytest.approx(300)
    assert "300 × 38 × 4 mm" in window.foot.figures.text()
    assert not window.session.is_saved
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(qtbot, window)
    assert width_of_part(window) == pytest.approx(372)
    assert window.session.is_saved
    qtbot.keyClick(
        window,
        Qt.Key.Key_Z,
        Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier,
    )
    settle(qtbot, window)
    assert width_of_part(window) == pytest.approx(300)


def test_a_wrong_formula_says_why_and_changes_nothing(qtbot, window, hands) -> None:
    before = window.session.design
    row = edit_size(qtbot, window, "web", "max(5 mm, bord)")
    assert hands.says("Did you mean “board”?")
    assert row.editor.line.span == (10, 14)
    assert window.session.design is before
    for text, said in (
        ("width + web", "round in a circle: web → web"),
        ("margin + 2 deg", "“margin” is a length and “2 deg” is an angle"),
        ("board + 2 mm", "= 6 mm"),
    ):
        hands.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        hands.type(text)
        assert hands.says(said)
    hands.press(Qt.Key.Key_Escape)
    assert window.session.design is before


def test_what_is_wrong_with_a_new_size_is_marked_in_its_own_text(qtbot, window) -> None:
    line = window.shape.sizes.new.line
    text = "lip = margin + 2 deg"
    qtbot.keyClicks(line, text)
    assert "“margin” is a length and “2 deg” is an angle" in window.shape.sizes.new.said.text()
    assert text[slice(*line.span)] == "margin + 2 deg"
    # It belongs to the design that it was typed for.
    window.session.take(plate(), None)
    settle(qtbot, window)
    assert window.shape.sizes.new.line.text() == ""


def test_names_complete_while_typing(qtbot, window, hands) -> None:
    edit_size(qtbot, window, "web", "boa")
    # Nothing more can be meant: the completion is taken over with the same key.
    assert window.session.design.formula_of(window.session.design.size("web")) == "board"
    edit_size(qtbot, window, "web", "2*boa")
    assert hands.focus.text() == "2*board"  # more may follow here
    hands.type(" + 1 mm")
    hands.press(Qt.Key.Key_Return)
    assert window.session.design.formula_of(window.session.design.size("web")) == "2*board + 1 mm"


def test_a_size_is_made_on_the_spot(qtbot, window, hands) -> None:
    hands.click("new size: name = formula")
    hands.type("lip = 2 mm")
    assert hands.says("makes the size “lip”")
    hands.press(Qt.Key.Key_Return)
    assert window.session.design.size("lip").formula == "2 mm"
    edit_size(qtbot, window, "board", "wall = 5 mm")
    assert window.session.design.size("wall").formula == "5 mm"
    assert window.session.design.size("board").formula == "wall"
    settle(qtbot, window)
    assert window.part.report["parts"][0]["bounds"][1][2] == pytest.approx(5)


def test_dragging_a_value_changes_it_in_one_undo(qtbot, window, hands) -> None:
    hands.drag_at(hands.value_of("width"), QPoint(20, 8), QPoint(72, 0))
    settle(qtbot, window)
    assert width_of_part(window) == pytest.approx(382, abs=1)
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.design.size("width").formula == "372 mm"
    assert not window.session.can_undo


def test_a_size_past_its_limit_is_held_and_says_so(qtbot, window, hands) -> None:
    edit_size(qtbot, window, "width", "9 m")
    settle(qtbot, window)
    assert width_of_part(window) == pytest.approx(600)
    assert hands.says("held at 600 mm")
    # Not inside its limits, and 600 mm is longer than the bed: 180 mm over.
    hands.until("8 of 10 hold")
    assert window.session.design.size("width").formula == "9 m"


def test_sizes_are_found_renamed_and_not_lost(qtbot, window) -> None:
    sizes = window.shape.sizes
    qtbot.keyClicks(sizes.finder, "dowel")
    visible = [name for name, row in sizes.rows.items() if row.isVisible()]
    assert visible == ["dowel", "dowel_hole", "gauge"]
    sizes.finder.clear()
    sizes.choose("passage")
    row = sizes.rows["passage"]
    row.open_details()
    name = row.details.fields["name"]
    name.setText("opening")
    name.editingFinished.emit()
    assert window.session.design.step("passage_hole").diameter == "inside(opening)"
    sizes.rows["opening"].delete()
    assert "still used by" in window.foot.said.whole()
    assert window.session.design.size("opening") is not None


def test_what_is_said_goes_with_the_next_edit(qtbot, window, hands) -> None:
    row = window.shape.sizes.rows["width"]
    row.open_details()
    details = row.details
    hands.retype("name of width", "2 wide")
    hands.press(Qt.Key.Key_Return)
    assert details.trouble.isVisible()
    assert details.trouble.text() == window.foot.said.whole()
    details.trouble.hide()
    window.session.edit(lambda design: edit.add_size(design, "spare", "4 mm", ""), "new size")
    window.session.undo()
    assert window.foot.said.whole() == "Undone: new size."
    assert not details.trouble.isVisible()  # that is nothing wrong with a size
    window.session.edit(lambda design: edit.add_size(design, "other", "4 mm", ""), "new size")
    assert window.foot.said.whole() == ""
    window.session.undo()


def test_steps_are_edited_in_their_sentence(qtbot, window, hands) -> None:
    hands.click("extrude outline by board upwards")  # on the formula in its middle: it opens there
    hands.type("board + 1 mm")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.part.report["parts"][0]["bounds"][1][2] == pytest.approx(5)
    hands.click("length: board + 1 mm")
    hands.type("3")
    hands.press(Qt.Key.Key_Return)
    assert hands.says("a length is wanted")
    hands.press(Qt.Key.Key_Escape)
    hands.choose("upwards", "downwards")
    settle(qtbot, window)
    assert window.session.design.step("plate").direction == "down"


def test_the_last_good_part_stays_greyed_with_the_reason(qtbot, window, hands) -> None:
    shown = window.shape.view.parts
    hands.click("hole ø dowel_hole in top of plate through")
    hands.click("y on the face: gauge")
    hands.type("height")
    hands.press(Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.shape.view.grey
    assert window.shape.view.parts == shown
    assert hands.says("last good part")
    assert hands.says("breaks out of the top of plate")
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(qtbot, window)
    assert not window.shape.view.grey
    assert not hands.says("last good part")


def test_steps_are_added_picked_and_deleted(qtbot, window, hands) -> None:
    view = window.shape.view
    view.setFocus()
    hands.press("1")
    hands.press("a")
    hands.type("hole")
    hands.press(Qt.Key.Key_Return)
    hands.until("Pick a flat face (Esc gives up)")
    qtbot.wait(100)  # the line above the part has pushed it down
    top = view.camera.project([[100.0, 3.0, 4.0]], view.width(), view.height())[0]
    hands.click_at(view, QPoint(round(top[0]), round(top[1])))
    settle(qtbot, window)
    assert window.session.design.step("hole").face == "plate/end"
    assert any(face["words"] == "wall of hole" for face in view.parts[0].faces)
    hands.press("a")
    hands.type("row")
    hands.press(Qt.Key.Key_Return)
    assert window.session.design.step("row").of == "hole"
    view.setFocus()
    for kind in ("sketch", "extrude"):
        hands.press("a")
        hands.type(kind)
        hands.press(Qt.Key.Key_Return)
        if kind == "sketch":  # its paper opens
            hands.press(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert window.session.design.step("extrude").sketch == "sketch"
    hands.choose("more about hole", "Delete")
    assert hands.says("still used: row")
    for name in ("extrude", "sketch", "row", "hole"):
        if name == "row":
            hands.choose("more about row", "Rename")
            hands.type("many")
            hands.choose("more about row", "Switch off")  # while the name is still being typed
            name = "many"
        hands.choose(f"more about {name}", "Delete")
    assert write_design(window.session.design) == SLIDE.read_text("utf8")


def test_picking_can_be_given_up_and_round_faces_are_refused(qtbot, window, hands) -> None:
    view = window.shape.view
    hands.click("hole ø inside(passage) in top of plate through")
    hands.click("face: top of plate")
    hands.until("Pick a flat face (Esc gives up)")
    qtbot.wait(100)  # the line above the part has pushed it down
    hands.click_at(view, where_seen(view, "wall"))
    hands.until("not flat")
    hands.press(Qt.Key.Key_Escape)
    assert not hands.says("Pick a flat")


def test_hovering_says_what_the_pointer_is_on(qtbot, window) -> None:
    view = window.shape.view
    view.look("top")
    at = view.camera.project([[0.0, 3.0, 4.0]], view.width(), view.height())[0]
    qtbot.mouseMove(view, QPoint(round(at[0]), round(at[1])))
    qtbot.waitUntil(lambda: "top of plate" in window.foot.pointer.text())
    assert "(step 2)" in window.foot.pointer.text()
    window.shape.sizes.pointed.emit("dowel")
    window.shape.sizes.pointed.emit("dowel_hole")
    assert view.marked_steps == {"dowel_bore"}
    window.shape.steps.pointed.emit("passage_row")
    assert view.marked_steps == {"passage_row", "passage_hole"}


def test_the_view_turns_moves_and_zooms(qtbot, window) -> None:
    view = window.shape.view
    for key, (turn, height) in {"1": (0, 90), "2": (0, 0), "3": (90, 0), "4": (-32, 34)}.items():
        qtbot.keyClick(window, getattr(Qt.Key, f"Key_{key}"))
        assert (view.camera.turn, view.camera.height) == (turn, height)
    middle = view.rect().center()
    before = view.camera
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.mouseMove(view, middle + QPoint(40, 10))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle + QPoint(40, 10))
    assert view.camera.turn != before.turn
    at = QPointF(middle.x() + 50, middle.y() - 30)
    start, towards = view.camera.ray(at.x(), at.y(), view.width(), view.height())
    wheel = QWheelEvent(
        at,
        at,
        QPoint(),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    span = view.camera.span
    QApplication.sendEvent(view, wheel)
    assert view.camera.span < span
    # What was under the pointer still is.
    again = view.camera.project(start + towards * 1e5, view.width(), view.height())[0]
    assert again == pytest.approx([at.x(), at.y()], abs=1e-6)
    qtbot.mousePress(view, Qt.MouseButton.RightButton, pos=middle)
    qtbot.mouseMove(view, middle + QPoint(0, 25))
    qtbot.mouseRelease(view, Qt.MouseButton.RightButton, pos=middle + QPoint(0, 25))
    moved = view.camera.project(start + towards * 1e5, view.width(), view.height())[0]
    assert view.camera.centre != before.centre
    assert len(moved) == 2
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_F)
    shape = view.parts[0].shape
    pixels = view.camera.project(shape.points, view.width(), view.height())
    assert (pixels > 0).all()
    assert (pixels < [view.width(), view.height()]).all()


def test_lenses_tint_and_change_the_part(qtbot, window, hands) -> None:
    lens = hands.find("Lens: wanted, sent or expected")
    hands.click_at(lens, QPoint(138, 15))
    settle(qtbot, window)
    assert window.session.lens == "sent"
    assert width_of_part(window) == pytest.approx((372 - 0.06) / 0.997)
    assert hands.size("dowel_hole").accessibleName().split(", ")[1] == "6.399 mm"
    hands.press(Qt.Key.Key_Right)
    settle(qtbot, window)
    assert window.session.lens == "expected"
    assert width_of_part(window) == pytest.approx(372)
    assert window.session.is_saved  # looking is no edit
    hands.click("Before it is sent: scale for shrinkage")
    settle(qtbot, window)
    assert width_of_part(window) == pytest.approx((372 - 0.06) * 0.997 + 0.06)


def test_a_worker_killed_in_the_middle_loses_nothing(qtbot, window, monkeypatch) -> None:
    heard, say = [], window.foot.say  # what is said fades after a while
    monkeypatch.setattr(window.foot, "say", lambda text: (heard.append(text), say(text)))
    edit_size(qtbot, window, "width", "250 mm")
    os.kill(window.worker.pid, signal.SIGKILL)
    assert window.shape.view.parts  # the picture stays
    qtbot.waitUntil(lambda: any("nothing is lost" in text for text in heard))
    settle(qtbot, window)
    qtbot.waitUntil(lambda: abs(width_of_part(window) - 250) < 1e-6)


@pytest.mark.parametrize("times", [1, 2])
def test_a_worker_killed_while_it_looks_at_the_part_looks_again(qtbot, window, times) -> None:
    """Once, and if it ends at that as well, that is told; the sizes are read off in any case."""
    killed, checks = [], []
    window.part.checked.connect(lambda findings, are_all: checks.append((findings, are_all)))

    def kill(*_: object) -> None:
        if len(killed) < times:
            killed.append(window.worker.pid)
            os.kill(killed[-1], signal.SIGKILL)

    window.worker.rebuilt.connect(kill)
    edit_size(qtbot, window, "width", "250 mm")
    qtbot.waitUntil(lambda: len(killed) > 0)
    qtbot.waitUntil(window.is_finished)
    findings, are_all = checks[-1]
    assert are_all
    ill = [finding["why"] for finding in findings if not finding["holds"]]
    assert ill in ([], ["The geometry kernel ended twice while it looked at the part."])
    assert times == 2 or ill == []


def test_the_sheet_lights_up_counts_and_shows_as_asked(qtbot, window) -> None:
    sizes = window.shape.sizes
    sizes._point("board")
    assert sizes.rows["web"].property("link") == "above"
    sizes._point("web")
    assert sizes.rows["board"].property("link") == "below"
    sizes._point("")
    assert sizes.rows["board"].property("link") == ""
    assert (
        "used 5 times: passages, left over, outline, passage row, dowel pair"
        in sizes.rows["margin"].more.text()
    )
    sizes.show_as("values")
    assert sizes.rows["web"].formula.whole() == ""
    sizes.show_as("formulas")
    assert not sizes.rows["web"].value.isVisible()
    assert sizes.rows["web"].formula.whole() == "max(5 mm, board)"
    sizes.show_as("both")
    window.commands.menus.actions["Design", "Inches as", "fractions to 1/16"].trigger()
    assert sizes.rows["width"].value.text() == "~14 5/8 in"
    window.session.undo()
    sizes.choose("passages")
    sizes.rows["passages"].open_details()
    kinds = sizes.rows["passages"].details.kind
    kinds.setCurrentIndex(kinds.findData("length"))
    kinds.activated.emit(kinds.currentIndex())
    assert "is a count, a length is wanted" in sizes.rows["passages"].wrong.text()


def test_sizes_are_put_elsewhere_by_dragging_and_followed_by_key(qtbot, window) -> None:
    sizes = window.shape.sizes
    data = QMimeData()
    data.setData("application/x-schablone-size", b"dowel")
    buttons = (
        Qt.DropAction.MoveAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    target = sizes.rows["height"]
    QApplication.sendEvent(target, QDragEnterEvent(QPoint(5, 5), *buttons))
    QApplication.sendEvent(target, QDropEvent(QPointF(5, 5), *buttons))
    names = [size.name for size in window.session.design.sizes]
    assert names[:3] == ["width", "dowel", "height"]
    assert window.session.design.size("dowel").group == "Plate"
    window.session.undo()
    assert window.session.is_saved
    sizes.choose("board")
    qtbot.keyClick(sizes.rows["board"], Qt.Key.Key_U)
    assert sizes.chosen == "web"
    qtbot.keyClick(sizes.rows["web"], Qt.Key.Key_U, Qt.KeyboardModifier.ShiftModifier)
    assert sizes.chosen == "board"
    assert "others may adjust it" in sizes.rows["width"].more.text()
    sizes.choose("width")
    sizes.rows["width"].open_details()
    units = sizes.rows["width"].details.units
    units.setCurrentIndex(2)
    units.activated.emit(2)
    assert sizes.rows["width"].value.text() == "14.6457 in"
    assert sizes.rows["height"].value.text() == "38 mm"


def test_sizes_are_copied_to_and_pasted_from_a_spreadsheet(qtbot, window) -> None:
    sizes = window.shape.sizes
    sizes.copy_all()
    before = window.session.design
    sizes.paste()
    assert window.session.design == before
    QApplication.clipboard().setText("width\t250 mm\nlip\t3 mm\n")
    sizes.paste()
    assert window.session.design.size("width").formula == "250 mm"
    assert window.session.design.size("width").high == "600 mm"
    assert window.session.design.size("lip").formula == "3 mm"
    window.session.undo()
    QApplication.clipboard().setText("width\t250 mmm\nlip\t3 mm\n")
    sizes.paste()
    assert "Nothing was taken over. Line 1, formula" in window.strip.said.text()
    assert window.session.design == before


def test_formulas_can_be_tried_where_they_are_learned(qtbot, window) -> None:
    window.go("learn")
    trial = window.learn.trial
    qtbot.keyClicks(trial.line, "most_that_fit(width, 8 mm, 5 mm, 14 mm)")
    trial.line.completer_.popup().hide()
    assert trial.said.text() == "= 26"
    assert window.session.is_saved


def test_the_demo_on_disk_was_not_touched() -> None:
    assert read_design(SLIDE).size("width").formula == "372 mm"


def test_what_is_worth_knowing_is_said_quietly(qtbot, window) -> None:
    """A row that comes to nothing is no trouble: its card says so without the colour of trouble."""
    none = {"kind": "row", "name": "line", "of": "bore", "how": "count", "count": "0"}
    bore = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "5 mm"}
    window.session.take(plate(bore, none), None)
    settle(qtbot, window)
    card = window.shape.steps.cards["line"]
    assert "comes to 0" in card.aside.text()
    assert not card.wrong.isVisible()
