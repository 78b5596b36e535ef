"""The sheet of paper through the real window: drawn, constrained, dragged, at odds, undone."""

from __future__ import annotations

import io
import math
from pathlib import Path

import ezdxf
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QApplication

from schablone.app.paper.dimensions import give_formula
from schablone.app.paper.tools import TOOLS
from schablone.core.words import say_name
from tests.window.hands import Hands
from tests.window.test_shape import settle


@pytest.fixture
def board(qtbot, window):
    """An empty sheet of a new design, with a width that can be used."""
    window.files.new()
    settle(qtbot, window)
    window.shape.steps.add_step("sketch")
    found = window.shape.board
    found.paper.grid_on = False
    return found


def at(board, x: float, y: float) -> QPoint:
    return board.paper.to_screen((x, y)).toPoint()


def click(qtbot, board, *places: tuple[float, float]) -> None:
    for x, y in places:
        qtbot.mouseMove(board.paper, at(board, x, y))
        qtbot.mouseClick(board.paper, Qt.MouseButton.LeftButton, pos=at(board, x, y))


def type_into(qtbot, board, text: str) -> None:
    """Type while a stroke is under way; the first key opens the field."""
    qtbot.keyClicks(board.paper, text[0])
    field = board.paper.number.edit
    assert field is not None
    qtbot.keyClicks(field.line, text[1:])
    qtbot.keyClick(field.line, Qt.Key.Key_Return)


def idle(board) -> None:
    """Escape until nothing is under way, and stay on the sheet."""
    while board.paper.tool is not None or board.paper.stroke.snaps:
        board.paper.escape()


def choose(board, *names: str) -> None:
    board.desk.choose(list(names))
    QApplication.processEvents()


def accept(board, kind: str) -> None:
    offer = next(o for o, _ in board.panel.offers if o.kind == kind)
    board.panel.accept(offer)
    QApplication.processEvents()


def kinds(board) -> list[str]:
    return [c.kind for c in board.desk.drawing.curves]


def test_lines_go_on_are_level_by_themselves_and_close(qtbot, board) -> None:
    qtbot.keyClick(board.paper, Qt.Key.Key_L)
    click(qtbot, board, (0, 0), (40, 0.2), (40.2, 25), (0, 0))
    drawing = board.desk.drawing
    assert kinds(board) == ["line"] * 3
    assert len(list(drawing.points)) == 2  # the third corner is the origin itself
    assert [c.kind for c in drawing.constraints] == ["horizontal", "vertical"]
    assert board.desk.freedoms == 2
    assert len(board.desk.arrangement.faces) == 1


def test_a_number_or_a_new_size_is_typed_while_drawing(qtbot, window, board) -> None:
    qtbot.keyClick(board.paper, Qt.Key.Key_L)
    click(qtbot, board, (0, 0))
    qtbot.mouseMove(board.paper, at(board, 20, 0))
    type_into(qtbot, board, "25.4 mm")
    (line,) = board.desk.drawing.curves
    assert board.desk.curves[line.name][0].length == pytest.approx(25.4)
    idle(board)
    choose(board, line.name)
    board.paper.edit_dimension(board.desk.drawing.dimensions[0].name)
    field = board.paper.number.edit
    field.line.setText("sill = 1 in")
    field.commit()
    assert window.session.design.size("sill").formula == "1 in"
    assert board.desk.drawing.dimensions[0].formula == "sill"
    window.session.edit(
        lambda d: d.with_(sizes=(d.sizes[0].with_(formula="80 mm"),)), "sill = 80 mm"
    )
    assert board.desk.curves[line.name][0].length == pytest.approx(80)


def test_declining_what_is_offered_at_the_pointer(qtbot, board) -> None:
    qtbot.keyClick(board.paper, Qt.Key.Key_L)
    click(qtbot, board, (5, 5))
    qtbot.mouseMove(board.paper, at(board, 40, 5.2))
    qtbot.waitUntil(
        lambda: "level" in board.paper.snap.words
    )  # the pointer moves when the screen says so
    qtbot.keyClick(board.paper, Qt.Key.Key_Space)
    qtbot.mouseClick(board.paper, Qt.MouseButton.LeftButton, pos=at(board, 40, 5.2))
    assert board.desk.drawing.constraints == ()


def test_the_slides_outline_from_nothing_to_settled_and_into_a_conflict_and_back(
    qtbot, window, board
) -> None:
    qtbot.keyClick(board.paper, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    click(qtbot, board, (0, 0), (30, 12))
    idle(board)
    names = [c.name for c in board.desk.drawing.curves]
    assert board.desk.freedoms == 2
    assert "2 ways" in board.panel.state.text()
    for name, size in ((names[0], "60 mm"), (names[1], "24 mm")):
        choose(board, name)
        accept(board, "distance")
        row = board.panel.rows[board.desk.drawing.dimensions[-1].name]
        assert row.editor is not None  # it waits for a formula at once
        row.editor.line.setText(size)
        row.editor.commit()
    assert board.panel.state.text() == "Settled: nothing can move."
    # One more that says the same is read off; one that says something else is at odds.
    choose(board, names[2])
    accept(board, "distance")
    read = board.desk.drawing.dimensions[-1]
    assert read.reads
    give_formula(board.desk, read.name, "70 mm")
    qtbot.waitUntil(lambda: "cannot hold together" in board.panel.trouble.text())
    assert "70 mm" in board.panel.trouble.text()
    board.files.write_dialog()  # what is at odds is not drawn as it was asked for
    assert "Nothing is written" in window.foot.said.whole()
    assert {read.name} < board.desk.at_odds
    board.panel.rows[read.name].instead.click()
    qtbot.waitUntil(lambda: board.panel.trouble.text() == "")
    assert board.desk.drawing.dimensions[-1].reads
    window.session.undo()
    window.session.undo()
    qtbot.waitUntil(lambda: board.panel.trouble.text() == "")
    window.shape.stop_drawing()
    window.shape.steps.add_step("extrude")
    settle(qtbot, window)
    assert "60 × 24 × 10 mm" in window.foot.figures.text()


def test_dragging_moves_what_is_loose_and_is_one_undo(qtbot, window, board) -> None:
    board.paper.take("rectangle")
    click(qtbot, board, (0, 0), (30, 12))
    idle(board)
    corner = next(
        p.name for p in board.desk.drawing.points if p.xy == pytest.approx((30, 12), abs=0.5)
    )
    x0, y0 = board.desk.xy(corner)
    paper = board.paper
    qtbot.mousePress(paper, Qt.MouseButton.LeftButton, pos=at(board, x0, y0))
    for share in (0.3, 0.7, 1.0):
        QApplication.processEvents()
        paper.mouseMoveEvent(_move(paper, at(board, x0 + 14 * share, y0 + 6 * share)))
    qtbot.mouseRelease(paper, Qt.MouseButton.LeftButton, pos=at(board, x0 + 14, y0 + 6))
    assert board.desk.xy(corner) == pytest.approx((x0 + 14, y0 + 6), abs=0.5)
    assert board.desk.drawing.constraints
    window.session.undo()
    assert board.desk.xy(corner) == pytest.approx((x0, y0), abs=1e-6)


def _move(paper, where: QPoint):
    from PySide6.QtCore import QEvent
    from PySide6.QtGui import QMouseEvent

    return QMouseEvent(
        QEvent.Type.MouseMove,
        QPointF(where),
        paper.mapToGlobal(QPointF(where)),
        Qt.MouseButton.NoButton,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )


def test_every_tool_draws_what_it_says(qtbot, board) -> None:
    strokes = {
        "circle": [(10, 10), (14, 10)],
        "circle_through": [(30, 0), (34, 3), (30, 7)],
        "ellipse": [(-40, 20), (-30, 20), (-40, 26)],
        "arc_through": [(40, 20), (52, 20), (46, 26)],
        "arc": [(-30, -20), (-20, -20), (-30, -10)],
        "slot": [(20, -25), (40, -25), (30, -20)],
        "polygon": [(-50, -30), (-44, -30)],
        "point": [(3, -31)],
        "formula": [(55, -28)],
    }
    for name, places in strokes.items():
        before = len(board.desk.drawing.elements)
        board.paper.take(name)
        click(qtbot, board, *places)
        assert len(board.desk.drawing.elements) > before, name
    board.paper.take("curve")
    click(qtbot, board, (-20, 30), (0, 34), (20, 30))
    qtbot.keyClick(board.paper, Qt.Key.Key_Return)
    assert {"circle", "ellipse", "arc", "line", "spline", "formula"} <= set(kinds(board))
    assert not board.desk.trouble


def test_a_stroke_outlives_the_point_that_it_began_at(qtbot, board) -> None:
    board.paper.take("point")
    click(qtbot, board, (20, 10))
    board.paper.take("ellipse")
    click(qtbot, board, (20, 10))
    qtbot.keyClick(board.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not board.desk.drawing.elements
    click(qtbot, board, (30, 10), (20, 16))
    (ellipse,) = board.desk.drawing.curves
    assert board.desk.drawing.element(ellipse.centre).xy == pytest.approx((20, 10), abs=0.5)


LINE_UP = [(20.0, 15.0), (40.0, 15.0), (60.0, 15.0)]


@pytest.mark.parametrize(
    ("tool", "places", "says"),
    [
        *((tool.name, [(20.0, 15.0)] * 2, "You clicked there already")
          for tool in TOOLS if len(tool.asks) > 1),
        ("rectangle", LINE_UP, "no width or no height"),
        ("rectangle_about", LINE_UP, "no width or no height"),
        ("slot", LINE_UP, "Click beside its axis"),
        ("ellipse", LINE_UP, "Click beside its axis"),
        ("arc", LINE_UP, "goes round by nothing"),
    ],
)  # fmt: skip
def test_clicks_that_draw_nothing_are_told_and_the_stroke_waits(
    qtbot, window, board, tool, places, says
) -> None:
    hands = Hands(qtbot, window)
    before = board.desk.drawing
    board.paper.take(tool)
    for x, y in places:
        hands.click_at(board.paper, at(board, x, y))
    hands.until(says)
    assert board.desk.drawing == before
    if len(places) > 2:  # and goes on from where it was
        hands.click_at(board.paper, at(board, 30, 40))
        assert kinds(board)


def test_a_circle_about_the_origin_may_be_smaller_than_what_is_snapped_to(
    qtbot, window, board
) -> None:
    hands = Hands(qtbot, window)
    hands.press(Qt.Key.Key_C)
    near = 6 / board.paper.scale  # within reach of the origin
    for x in (0.0, near):
        hands.click_at(board.paper, at(board, x, 0))
    assert kinds(board) == ["circle"]
    assert board.desk.curves["circle_1"][0].rx == pytest.approx(near, rel=0.1)
    assert not board.desk.trouble


def test_an_arc_ends_at_a_point_only_where_that_is_as_far_from_its_centre(
    qtbot, window, board
) -> None:
    hands = Hands(qtbot, window)
    board.paper.take("point")
    for x, y in ((30, 30), (0, 25.2)):
        hands.click_at(board.paper, at(board, x, y))
    for third, ends in (((30, 30), "point_3"), ((0, 25.2), "point_2")):
        board.paper.take("arc")
        for x, y in ((0, 0), (25, 0), third):
            hands.click_at(board.paper, at(board, x, y))
        arc = next(c for c in board.desk.drawing.curves if c.kind == "arc")
        assert (arc.centre, arc.end == ends) == ("origin", ends == "point_2")
        x, y = board.desk.xy(arc.end)
        assert math.hypot(x, y) == pytest.approx(25, rel=0.03)
        assert board.desk.xy("point_1") == pytest.approx((30, 30), abs=0.3)  # and stays there
        hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def test_what_crosses_has_no_distance_yet(qtbot, window, board) -> None:
    hands = Hands(qtbot, window)
    hands.press(Qt.Key.Key_C)
    for x, y in ((20, 5), (35, 5)):
        hands.click_at(board.paper, at(board, x, y))
    idle(board)
    before = board.desk.drawing
    hands.click_at(board.paper, at(board, 20, 20))
    hands.click_at(board.paper, at(board, 45, 0), modifier=Qt.KeyboardModifier.ShiftModifier)
    hands.click("distance from circle 1 to the x axis")
    hands.until("Circle 1 and the x axis cross: drag one clear of the other first.")
    assert board.desk.drawing == before


def test_two_chosen_lines_are_offered_what_fits_and_shown_what_would_move(qtbot, board) -> None:
    board.paper.take("line")
    click(qtbot, board, (0, 0), (30, 4))
    board.paper.escape()
    click(qtbot, board, (0, 20), (25, 31))
    idle(board)
    names = [c.name for c in board.desk.drawing.curves]
    choose(board, *names)
    offered = {o.kind for o, _ in board.panel.offers}
    assert {"parallel", "perpendicular", "equal"} <= offered
    parallel = next(o for o, _ in board.panel.offers if o.kind == "parallel")
    moved = board.desk.would_move(board.panel._with(parallel)[0])
    (a,), (b,) = (moved[name] for name in names)
    ux, uy, vx, vy = (
        a.end[0] - a.start[0],
        a.end[1] - a.start[1],
        b.end[0] - b.start[0],
        b.end[1] - b.start[1],
    )
    assert ux * vy - uy * vx == pytest.approx(0, abs=1e-6)
    accept(board, "parallel")
    assert [c.kind for c in board.desk.drawing.constraints][-1] == "parallel"


def test_wiggling_comes_back_to_where_it_was(qtbot, board) -> None:
    board.paper.take("rectangle")
    click(qtbot, board, (5, 5), (30, 12))
    board.paper.escape()
    before = board.desk.settled.x.copy()
    qtbot.keyClick(board.paper, Qt.Key.Key_W)
    qtbot.waitUntil(lambda: abs(board.desk.settled.x - before).max() > 0.1)
    qtbot.waitUntil(lambda: not board.desk._ticking.isActive())
    assert board.desk.settled.x == pytest.approx(before)


def test_copying_pasting_and_removing(qtbot, window, board) -> None:
    board.paper.take("rectangle")
    click(qtbot, board, (5, 5), (30, 12))
    idle(board)
    for key in (Qt.Key.Key_A, Qt.Key.Key_C, Qt.Key.Key_V):
        qtbot.keyClick(board.paper, key, Qt.KeyboardModifier.ControlModifier)
    assert len(list(board.desk.drawing.curves)) == 8
    qtbot.keyClick(board.paper, Qt.Key.Key_Delete)
    assert len(list(board.desk.drawing.curves)) == 4
    window.session.undo()
    window.session.undo()
    assert len(list(board.desk.drawing.curves)) == 4


def test_regions_are_chosen_by_clicking(qtbot, window, board) -> None:
    board.paper.take("rectangle")
    click(qtbot, board, (-30, -10), (30, 10))
    board.paper.escape()
    board.paper.take("line")
    click(qtbot, board, (0, -20), (0, 20))
    window.shape.stop_drawing()
    window.shape.steps.add_step("extrude")
    settle(qtbot, window)
    window.shape.choose_regions("extrude")
    click(qtbot, board, (-15, 3))
    board.paper.escape()
    board.paper.escape()
    settle(qtbot, window)
    assert window.part.report["parts"][0]["volume"] == pytest.approx(30 * 20 * 10, rel=0.02)
    assert "only between" in " ".join(
        str(p) for line in window.session.design.step("extrude").sentence() for p in line
    )


def test_an_edge_of_the_part_is_brought_in_and_followed(qtbot, window) -> None:
    window.shape.steps.add_step("sketch")
    name = window.session.design.steps[-1].name
    board = window.shape.board
    window.session.edit(
        lambda d: d.with_(steps=(*d.steps[:-1], d.steps[-1].with_(plane="plate/end"))), "plane"
    )
    board.paper.take("circle")
    click(qtbot, board, (0, 0), (4, 0))
    settle(qtbot, window)
    qtbot.waitUntil(lambda: bool(board.paper.under.edges))
    board.paper.fit()
    board.begin_bringing()
    click(qtbot, board, (186, 2))
    assert [e.kind for e in board.desk.drawing.curves] == ["circle", "line"]
    board.paper.escape()
    edge = [c.name for c in board.desk.drawing.curves][-1]
    window.session.edit(
        lambda d: d.with_(sizes=(d.sizes[0].with_(formula="300 mm"), *d.sizes[1:])), "width"
    )
    settle(qtbot, window)
    qtbot.waitUntil(lambda: abs(board.desk.curves[edge][0].start[0] - 150) < 1e-6)
    assert (
        window.session.design.step(name).needs()[-1] == "outline"
        or "plate" in window.session.design.step(name).needs()
    )


def test_outlines_from_dxf_and_back(qtbot, board, tmp_path: Path) -> None:
    document = ezdxf.new("R2010", units=4)
    document.modelspace().add_lwpolyline([(0, 0), (30, 0), (30, 20), (0, 20)], close=True)
    document.modelspace().add_text("a title")
    text = io.StringIO()
    document.write(text)
    path = tmp_path / "plate.dxf"
    path.write_text(text.getvalue())
    said = []
    board.desk.said.connect(said.append)
    board.files.read_from(path)
    assert len(list(board.desk.drawing.curves)) == 4
    assert "1 × text" in said[-1]
    board.files.write_to(tmp_path / "again.svg")
    assert (tmp_path / "again.svg").read_text().count("<path") == 4
    path.write_bytes(path.read_bytes()[:200])
    board.files.read_from(path)
    assert "no outlines" in said[-1]
    assert len(list(board.desk.drawing.curves)) == 4


def test_three_hundred_elements_stay_orderly_and_answer(qtbot, window, board) -> None:
    from schablone.core.sketch.pen import Pen

    pen = Pen(board.desk.drawing)
    for k in range(75):
        pen.rectangle((10 * (k % 15), 10 * (k // 15)), (10 * (k % 15) + 6, 10 * (k // 15) + 6))
    board.desk.put(pen.drawing, "many")
    board.paper.fit()
    QApplication.processEvents()
    assert board.desk.freedoms == 300
    assert board.panel.state.text() == "Loose: it can still move in 300 ways."
    assert len(board.desk.arrangement.faces) == 75
    board.paper.grab()
    assert board.paper._signs == []  # signs only of what is pointed at


def test_an_offset_copy_is_held_at_a_typed_distance(qtbot, window, board) -> None:
    board.paper.take("rectangle")
    click(qtbot, board, (-20, -10), (20, 10))
    idle(board)
    choose(board, *[c.name for c in board.desk.drawing.curves])
    freedoms = board.desk.freedoms
    board.rework.offset()
    field = board.paper.number.edit
    field.line.setText("rim = 3 mm")
    field.commit()
    assert window.session.design.size("rim") is not None
    assert len(list(board.desk.drawing.curves)) == 8
    assert board.desk.freedoms == freedoms
    assert {d.formula for d in board.desk.drawing.dimensions} == {"rim"}
    assert len(board.desk.arrangement.faces) == 2
    window.session.undo()
    assert len(list(board.desk.drawing.curves)) == 4
    for inwards in ("-5 mm + 2 mm", "-3 mm", "2 mm - 5 mm"):
        choose(board, *[c.name for c in board.desk.drawing.curves])
        board.rework.offset_by(inwards)
        assert not board.desk.trouble
        corners = [board.desk.xy(p.name) for p in board.desk.drawing.points]
        for axis in (0, 1):
            outer, inner = corners[:4], corners[4:]
            across = [max(p[axis] for p in of) - min(p[axis] for p in of) for of in (outer, inner)]
            assert across[0] - across[1] == pytest.approx(6, abs=1e-6), inwards
        window.session.undo()
    choose(board, board.desk.drawing.curves.__next__().name)
    board.rework.offset_by("3 mm")
    assert "that close" in window.foot.said.whole()


def test_an_offset_copy_beside_a_curve_by_formula(qtbot, board) -> None:
    board.paper.take("formula")
    click(qtbot, board, (20, 20))
    board.paper.take("circle")
    click(qtbot, board, (-40, -20), (-30, -20))
    idle(board)
    choose(board, "circle_1")
    board.rework.offset_by("3 mm")
    first, second = (c for c in board.desk.drawing.curves if c.kind == "circle")
    assert second.radius - first.radius == pytest.approx(3)


def test_a_slot_goes_where_it_is_asked_and_a_circle_does_not_turn_inside_out(
    qtbot, window, board
) -> None:
    hands = Hands(qtbot, window)

    def draw(key: Qt.Key, *places: tuple[float, float]) -> None:
        hands.press(key)
        for x, y in places:
            hands.click_at(board.paper, at(board, x, y))
        hands.press(Qt.Key.Key_Escape)
        hands.press(Qt.Key.Key_Escape)

    hands.click_at(board.paper, at(board, 60, 40))  # the keys are for the sheet
    draw(Qt.Key.Key_S, (-1, -20), (12, -35), (8, -18))
    slot, radius = board.desk.drawing, board.desk.curves["arc_2"][0].rx
    far = next(c.end for c in slot.curves if c.name == "arc_2")
    x, y = slot.by_name[far].xy
    hands.click_at(board.paper, at(board, x, y))
    hands.click_at(board.paper, at(board, 0, 0), modifier=Qt.KeyboardModifier.ShiftModifier)
    hands.click(f"{say_name(far)} and the origin lie upright with each other")
    assert not board.desk.trouble
    assert board.desk.drawing.by_name[far].x == pytest.approx(0, abs=1e-6)
    assert len(board.desk.arrangement.faces) == 1
    assert board.desk.curves["arc_2"][0].rx == pytest.approx(radius, rel=1e-3)  # it went as a whole

    draw(Qt.Key.Key_C, (30, 12), (34, 12))
    ring = board.desk.drawing
    name = next(c.name for c in ring.curves if c.kind == "circle")
    middle = ring.by_name[name].centre
    hands.click_at(board.paper, at(board, 30, 12))
    hands.click(f"{say_name(middle)} stays where it is")
    hands.press(Qt.Key.Key_Escape)
    hands.click_at(board.paper, at(board, 26, 12))
    hands.click_at(board.paper, at(board, 50, 0), modifier=Qt.KeyboardModifier.ShiftModifier)
    hands.click(f"distance from {say_name(name)} to the x axis")
    hands.type("14 mm")
    hands.press(Qt.Key.Key_Return)
    hands.until(f"Nothing would be left of {say_name(name)}: these cannot hold together")
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: not board.desk.trouble)
