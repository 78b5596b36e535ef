"""Ways of looking at the part: measuring by picking, the part before, see-through, small pictures,
words."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QAbstractButton, QApplication

from schablone.app.demo import demo_designs
from schablone.app.places import step_deeds
from schablone.app.view3d.ground import ground_under, spacing_for
from schablone.core.design import edit as edits
from schablone.core.design import read_design
from schablone.core.design.model import Check, Design
from schablone.core.steps.closed_shapes import Disc, Rectangle
from schablone.core.steps.extrude import Extrude
from schablone.core.steps.sketch import Sketch
from tests.conftest import of_kind, plate
from tests.window.hands import Hands
from tests.window.test_shape import settle

HIVE_BOX = next(demo for demo in demo_designs() if demo.stem == "hive-box")


def pixel(view, at) -> QPoint:
    x, y = view.camera.project(np.array([at], dtype=float), view.width(), view.height())[0]
    return QPoint(round(x), round(y))


@pytest.fixture
def drilled(qtbot, window):
    bore = of_kind("hole", "bore", face="plate/end", diameter="8 mm", x="wide / 4")
    window.session.take(plate(bore, sizes={"wide": "100 mm"}), None)
    settle(qtbot, window)
    window.shape.view.look("top")
    window.shape.view.fit()
    QApplication.processEvents()
    return window


def test_a_distance_is_picked_kept_as_a_note_and_used(qtbot, drilled) -> None:
    window, view = drilled, drilled.shape.view
    window.questions.measure()
    assert "Pick a corner" in window.shape.bar.ask.text()
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=pixel(view, (50, 20, 4)))
    assert "corner of" in window.shape.bar.ask.text()
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=pixel(view, (25, 0, 4)))
    qtbot.waitUntil(lambda: window.questions.gauge.reading != "")
    # From the corner (50, 20) to the middle of the hole at (25, 0), both on the top.
    assert window.questions.gauge.reading.startswith("32.016 mm")
    assert "x 25, y 20" in window.questions.gauge.reading
    view.grab()
    qtbot.keyClick(view, Qt.Key.Key_Return)
    assert window.shape.view.tool is None
    settle(qtbot, window)
    assert any(figure.text == "note = 32.016 mm" and figure.to for figure in view.figures)
    window.session.make_size("far", "note.value")
    settle(qtbot, window)
    assert window.session.table.cells["far"].wanted.value == pytest.approx(np.hypot(25, 20))
    window.session.edit(lambda d: edits.set_formula(d, "wide", "80 mm"), "narrower")
    settle(qtbot, window)
    # it follows the hole
    assert window.session.table.cells["far"].wanted.value == pytest.approx(np.hypot(30, 20))
    assert any(figure.text == "note = 36.056 mm" for figure in view.figures)


def test_what_is_measured_follows_the_part(qtbot, drilled) -> None:
    window, view = drilled, drilled.shape.view
    gauge = window.questions.gauge
    window.questions.measure()
    for at in ((50, 20, 4), (25, 0, 4)):
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=pixel(view, at))
    qtbot.waitUntil(lambda: gauge.reading.startswith("32.016 mm"))
    window.session.edit(lambda d: edits.set_formula(d, "wide", "80 mm"), "narrower")
    qtbot.waitUntil(lambda: gauge.reading.startswith("36.056 mm"))
    assert "36.056 mm" in window.shape.bar.ask.text()
    assert gauge.picked[1].at == pytest.approx((20, 0, 4), abs=1e-5)
    window.session.edit(lambda d: edits.delete_step(d, "bore"), "no hole")
    qtbot.waitUntil(lambda: gauge.picked == [])
    assert (gauge.reading, gauge.ends) == ("", None)
    assert "not there any more" in window.shape.bar.ask.text()


def test_measuring_is_given_up_and_air_is_told(qtbot, drilled) -> None:
    window, view = drilled, drilled.shape.view
    window.questions.measure()
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(3, 3))
    assert "Nothing is there" in window.shape.bar.ask.text()
    assert not window.questions.keep_measure()
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert view.tool is None
    assert window.shape.bar.ask.text() == ""


def test_between_two_faces_it_is_the_least_distance(qtbot, drilled) -> None:
    window = drilled
    window.questions.measure()
    answers = []
    window.questions.gauge.take = lambda reading, a, b: answers.append(reading)
    window.questions.gauge.wanted.emit("bore/wall", "plate/side/edge.right")
    qtbot.waitUntil(lambda: bool(answers))
    assert answers == ["21 mm"]  # 50 - 25 - 4


def test_the_part_before_the_edit_is_laid_over(qtbot, drilled) -> None:
    window, view = drilled, drilled.shape.view
    old = window.part.known["part"]
    window.session.edit(lambda d: edits.set_formula(d, "wide", "60 mm"), "x")
    settle(qtbot, window)
    assert view.before == [old]
    without = view.grab().toImage()
    window.shape.bar.toggle_before()
    assert view.grab().toImage() != without
    window.session.take(plate(), None)
    settle(qtbot, window)
    assert view.before == []  # another design has no before


def test_a_part_is_seen_through_and_hidden(qtbot, drilled) -> None:
    window, view = drilled, drilled.shape.view
    bar = window.shape.bar
    solid = view.grab().toImage()
    bar._look_at("part", "seen through", {"part": "part", "lid": "lid"})
    assert view.clear == {"part"}
    assert view.grab().toImage() != solid
    bar._look_at("part", "hidden", {"part": "part", "lid": "lid"})
    assert (view.clear, view.hidden) == (frozenset(), {"part"})
    bar._look_at("lid", "alone", {"part": "part", "lid": "lid"})
    assert view.hidden == {"part"}
    bar._look_at("", "all", {"part": "part", "lid": "lid"})
    assert view.hidden == frozenset()
    window.session.edit(lambda d: edits.group_steps(d, ("plate",), "Base"), "group")
    titles = {"part": "part", "lid": "lid"}
    assert bar._groups(titles) == {"Base": ["part"]}
    bar._look_at_all(["part"], "alone", titles)
    assert view.hidden == {"lid"}
    bar._look_at_all(["part"], "seen through", titles)
    assert view.clear == {"part"}


def test_resting_on_a_step_shows_what_it_made(qtbot, drilled) -> None:
    window = drilled
    window.shape.steps.pointed.emit("bore")
    qtbot.waitUntil(window.questions.glance.isVisible)
    assert "1 of its faces" in window.questions.glance.said.text()
    window.shape.steps.pointed.emit("")
    assert not window.questions.glance.isVisible()


def test_steps_are_grouped_folded_switched_and_dissolved(qtbot, drilled) -> None:
    window, panel = drilled, drilled.shape.steps
    window.session.edit(lambda d: edits.group_steps(d, ("bore",), "Holes"), "group")
    (head,) = panel.heads
    assert head.accessibleName() == "steps Holes, open"
    panel.fold("Holes")
    qtbot.waitUntil(lambda: not panel.cards["bore"].isVisibleTo(panel))
    panel.choose("bore")  # what is chosen is never folded away
    assert panel.cards["bore"].isVisibleTo(panel)
    whole = window.part.report["parts"][0]["volume"]
    panel.heads[0].switch(False)
    settle(qtbot, window)
    assert window.part.report["parts"][0]["volume"] == pytest.approx(whole + np.pi * 16 * 4)
    assert "### Holes" in window.files.show_words().text()
    panel.heads[0]._name_it("")
    assert panel.heads == []
    window.session.undo()
    window.session.undo()
    settle(qtbot, window)
    assert window.part.report["parts"][0]["volume"] == pytest.approx(whole)


def test_material_changes_the_mass(qtbot, drilled) -> None:
    window = drilled
    volume = 16000 - np.pi * 16 * 4
    hands = Hands(qtbot, window)
    hands.choose("more about plate", "Part", "Material", "Oak")
    settle(qtbot, window)
    assert f"{volume * 0.70 / 1000:.1f} g of Oak" in window.foot.figures.text()

    def another(text: str) -> None:
        hands.choose("more about plate", "Part", "Material", "Another …")
        hands.type(text)
        hands.press(Qt.Key.Key_Return)
        settle(qtbot, window)

    another("cherry 0.58")
    assert f"{volume * 0.58 / 1000:.1f} g of cherry" in window.foot.figures.text()
    another("cherry wood")
    assert "Type a name and a density" in window.foot.said.whole()


def test_the_design_in_words_is_compared_and_saved(qtbot, drilled, tmp_path) -> None:
    window = drilled
    window.files.save_to(tmp_path / "a.schablone")
    words = window.files.show_words()
    assert "Plate" in words.page.toPlainText()
    window.session.edit(lambda d: edits.set_formula(d, "wide", "80 mm"), "x")
    window.session.edit(lambda d: edits.delete_step(d, "bore"), "y")
    words.compare_saved()
    text = words.page.toPlainText()
    assert "-20 mm" in text
    assert "not there" in text
    words.save_to(tmp_path / "words.html")
    words.save_to(tmp_path / "words.md")
    assert "<table>" in (tmp_path / "words.html").read_text()
    assert "| **wide** | 100 mm | 80 mm | -20 mm |" in (tmp_path / "words.md").read_text()
    (tmp_path / "bad.schablone").write_text("{")
    words.compare_file(tmp_path / "bad.schablone")
    assert "bad.schablone" in words.said.text()
    # What was saved meanwhile is what it is compared with, and what it is called now.
    words.compare_saved()
    window.session.edit(lambda d: d.with_(name="Board"), "name")
    assert words.windowTitle() == "Board, in words"
    window.files.save_to(tmp_path / "a.schablone")
    assert "-20 mm" not in words.page.toPlainText()
    words.compare_with(None)
    assert "Sizes" in words.page.toPlainText()


def test_some_members_are_left_out_on_the_card(qtbot, drilled) -> None:
    window = drilled
    before = window.part.report["parts"][0]["volume"]
    window.shape.steps.add_step("row")
    card = window.shape.steps.cards["row"]
    card.put("span", "60 mm")
    card.put("margin", "0 mm")
    settle(qtbot, window)
    card = window.shape.steps.cards["row"]
    step_deeds.edit_omitted(card)
    from schablone.app.widgets.formula_edit import FormulaEdit

    editor = card.findChildren(FormulaEdit)[-1]
    editor.line.setText("nmber == 2")
    assert not editor.commit()
    assert "no size “nmber”" in editor.said.text()
    editor.line.setText("number > 1")
    assert editor.commit()
    settle(qtbot, window)
    assert window.part.report["parts"][0]["volume"] == pytest.approx(before)  # one hole is left
    assert "omit" in window.shape.steps.cards["row"].chips


def test_own_screws_are_added_and_used(qtbot, drilled, answering) -> None:
    from schablone.app.screws_window import ScrewsWindow

    window = drilled
    for _ in range(2):  # the one that stands open is used
        window.beside.show_screws()
    (screws,) = window.findChildren(ScrewsWindow)
    screws.add_row()
    at = screws.table.rowCount() - 1
    for column, text in enumerate(("3.5", "3,7 mm", "3.9", "x", "chipboard screws")):
        screws.table.item(at, column).setText(text)
    assert not screws.take_over()
    assert screws.wrong.text() == "Type a length in each of the first four cells."
    assert (screws.table.currentRow(), screws.table.currentColumn()) == (at, 3)
    screws.table.item(at, 3).setText("3.8")
    assert not screws.take_over()
    assert "from fine to coarse" in screws.wrong.text()
    screws.table.item(at, 3).setText("4.2")
    # What is typed and not taken over is asked about.
    answering[1].append("Stay here")
    assert not screws.close()
    assert answering[0] == ["The rows that were typed are not taken over."]
    assert screws.take_over()
    window.session.undo()
    assert screws.table.rowCount() == at
    window.session.redo()
    assert screws.table.item(at, 3).text() == "4.2"
    assert screws.close()
    window.shape.sizes._make("bore_for_it", "screw_hole(3.5 mm)")
    assert window.session.table.cells["bore_for_it"].wanted.value == pytest.approx(3.9)
    window.shape.sizes._make("usual", "screw_hole_fine(4 mm)")
    assert window.session.table.cells["usual"].wanted.value == pytest.approx(4.3)


def test_the_map_shows_how_far_faces_will_lie_off(qtbot, drilled) -> None:
    window, view = drilled, drilled.shape.view
    amsel = window.session.library.process("Printer Amsel · PETG")
    window.session.use_process(amsel)
    settle(qtbot, window)
    assert not window.shape.bar.off.isVisible()
    window.session.look_through("expected")
    settle(qtbot, window)
    window.shape.bar.off.click()
    qtbot.waitUntil(lambda: bool(view.off))
    names = [face["name"] for face in view.parts[0].faces]
    # half of the hole gain
    assert view.off["part"][names.index("bore/wall")] == pytest.approx(0.09, abs=5e-3)
    view.grab()
    window.session.look_through("wanted")
    settle(qtbot, window)
    assert view.off == {}


def test_what_lights_up_is_what_a_line_of_sight_meets(qtbot, window) -> None:
    """The face under the pointer is read off a picture of numbers; rays tell the same, but for
    pixels that an edge runs through."""
    window.files.open_path(HIVE_BOX)
    settle(qtbot, window)
    view = window.shape.view
    view.repaint()
    agree = met = 0
    for x in range(12, view.width(), 23):
        for y in range(12, view.height(), 23):
            by_ray = view.face_at(x + 0.5, y + 0.5)
            met += by_ray is not None
            agree += view.hover.face_under(x, y) == by_ray
    total = len(range(12, view.width(), 23)) * len(range(12, view.height(), 23))
    assert met > 100
    assert agree / total > 0.97


def test_a_sketch_without_a_step_is_seen(qtbot, window) -> None:
    """What was drawn is in the view before anything is made of it, and that of the chosen step
    after."""
    window.files.new()
    settle(qtbot, window)
    window.session.edit(
        lambda design: edits.put_step(
            design, Sketch(name="disc", shapes=(Disc(name="rim", diameter="20 mm"),))
        ),
        "draw",
    )
    settle(qtbot, window)
    (shown,) = window.shape.view.sketches
    points = np.concatenate(shown.lines)
    assert np.hypot(points[:, 0], points[:, 1]) == pytest.approx(10)
    window.shape.steps.add_step("extrude")
    settle(qtbot, window)
    assert [sketch.name for sketch in window.shape.view.sketches] == ["disc"]  # it is its own
    window.shape.steps.choose("")
    assert window.shape.view.sketches == ()


@pytest.mark.parametrize(
    ("length", "spacing"),
    [(0, 0.1), (9, 1), (12, 1), (12.1, 2), (50, 5), (120, 10), (372, 50), (2400, 200)],
)
def test_the_ground_is_ruled_in_round_numbers(length: float, spacing: float) -> None:
    assert spacing_for(length) == pytest.approx(spacing)


def test_the_ground_reaches_beyond_what_stands_on_it() -> None:
    lines = np.array(ground_under(np.array([-33.0, -8.0, 2.0]), np.array([90.0, 8.0, 12.0])))
    assert lines[:, :, :2].min(axis=(0, 1)).tolist() == [-60, -40]
    assert lines[:, :, :2].max(axis=(0, 1)).tolist() == [120, 40]
    assert lines[:, :, 2] == pytest.approx(2.0, abs=0.05)
    assert (lines[:, :, 2] < 2.0).all()  # what stands on it hides it


def test_what_is_still_to_be_chosen_is_asked_calmly(qtbot, window) -> None:
    """A step that waits for a pick is no error: nothing turns grey, the part stays, the card says
    what to do."""
    shown = window.shape.view.parts
    window.shape.steps.add_step("hole")
    settle(qtbot, window)
    assert not window.shape.view.grey
    assert window.shape.view.parts == shown
    assert not window.shape.notice.isVisible()
    card = window.shape.steps.cards["hole"]
    assert not card.wrong.isVisibleTo(card)
    assert "Pick a flat face" in card.aside.text()
    assert window.shape.bar.ask.text() == "Pick a flat face (Esc gives up)"


def test_an_edge_that_is_hidden_is_picked_on_purpose_only(qtbot, window) -> None:
    """A block seen from a corner: its upright edge at the back lies behind two faces, and is
    reached with the key that steps to what lies behind."""
    outline = Rectangle(name="edge", width="40 mm", height="40 mm")
    block = Design(
        steps=(
            Sketch(name="outline", shapes=(outline,)),
            Extrude(name="block", sketch="outline", by="40 mm"),
        )
    )
    window.session.take(block, None)
    settle(qtbot, window)
    view = window.shape.view
    view.look("corner")
    _, _, towards = view.camera.axes()
    back = [-20.0 if towards[axis] > 0 else 20.0 for axis in (0, 1)]
    at = pixel(view, [*back, 20.0])
    faces = view.describe(view.face_at(at.x(), at.y()))
    assert faces  # something lies before it
    hidden = {"left" if back[0] < 0 else "right", "bottom" if back[1] < 0 else "top"}
    view.ask_for("Pick an edge", "edge")
    assert view.edge_at(at.x(), at.y()) is None
    view.pointer.last = QPointF(at)
    view.hover.look_behind()
    found = view.edge_at(at.x(), at.y())
    assert found is not None
    assert {name.rpartition(".")[2] for name in view.edge_faces(found)} == hidden
    # An edge in front is taken at once.
    view.hover.look_in_front()
    front = pixel(view, [-back[0], -back[1], 20.0])
    seen = view.edge_at(front.x(), front.y())
    assert seen is not None
    assert {name.rpartition(".")[2] for name in view.edge_faces(seen)}.isdisjoint(hidden)


def type_a_number(session, tied: str):
    """Where a step said ``outside(width)`` it now says what width is; the step, the slot, and
    that."""
    step = next(s for s in session.design.steps if any(x.formula == tied for x in s.slots()))
    slot = next(x for x in step.slots() if x.formula == tied)
    value = session.design.size("width").formula
    session.edit(
        lambda d: edits.change_step(d, step.name, slot.path, f"outside({value})"), "a typed number"
    )
    return step, slot, value


def test_what_is_looked_at_below_the_checks_stays_where_it_is(qtbot, window) -> None:
    session, hands = window.session, Hands(qtbot, window)
    _, slot, value = type_a_number(session, "outside(width)")
    checks = tuple(Check(name=f"Wide enough {i}", formula=f"width > {i} mm") for i in range(20))
    session.edit(lambda d: d.model_copy(update={"checks": checks}), "checks")
    settle(qtbot, window)
    hands.click("Open the checks")
    qtbot.waitUntil(window.is_finished)
    hands.scroll_to(f"{slot.label}: {value} is width", window.prove)
    hands.scroll_to("Tie it", window.prove)

    def at() -> QPoint:
        return hands.find("Tie it").mapTo(window, QPoint(0, 0))

    before = at()
    session.edit(lambda d: d.model_copy(update={"checks": checks[:12]}), "fewer checks")
    settle(qtbot, window)
    qtbot.waitUntil(window.is_finished)
    qtbot.waitUntil(lambda: at() == before)


@pytest.mark.parametrize("wide", [1280, 1024])
def test_no_word_above_the_part_is_cut_off(qtbot, window, wide: int) -> None:
    window.session.take(read_design(HIVE_BOX), None)
    settle(qtbot, window)
    window.resize(wide, 760)
    bar = window.shape.bar
    for lens in ("wanted", "expected"):
        window.session.look_through(lens)
        settle(qtbot, window)
        seen = [one for one in bar.findChildren(QAbstractButton) if one.isVisible()]
        assert len(seen) >= 7
        for one in seen:
            assert one.width() >= one.sizeHint().width(), one.text()
            assert bar.rect().contains(one.geometry().translated(one.parentWidget().pos()))


def test_a_loose_number_is_shown_and_tied(qtbot, window) -> None:
    session, hands = window.session, Hands(qtbot, window)
    tied = "outside(width)"
    step, slot, value = type_a_number(session, tied)
    settle(qtbot, window)
    volume = window.part.report["parts"][0]["volume"]
    hands.click("Open the checks")
    page = window.prove
    qtbot.waitUntil(lambda: page.loose.isVisible())
    qtbot.waitUntil(window.is_finished)  # checks that come later push down what stands below them
    hands.scroll_to(f"{slot.label}: {value} is width", page)
    hands.scroll_to("Tie it", page)
    hands.click("Tie it")
    settle(qtbot, window)
    now = session.design.step(step.name)
    assert next(x for x in now.slots() if x.path == slot.path).formula == tied
    assert window.part.report["parts"][0]["volume"] == pytest.approx(volume, rel=1e-12)
    qtbot.waitUntil(lambda: not page.loose.isVisible())
    # What stays when the size changes is shown on the part.
    session.undo()
    settle(qtbot, window)
    qtbot.waitUntil(lambda: page.loose.isVisible())
    qtbot.waitUntil(window.is_finished)
    hands.scroll_to("What follows width, and what stays", page)
    hands.click("What follows width, and what stays")
    qtbot.waitUntil(lambda: "stay" in window.foot.said.whole())
    assert window.shape.isVisible()
