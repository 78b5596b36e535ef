"""From an empty sheet to a part, by keyboard and pointer only; each ends with a saved file whose
figures are checked by hand."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from schablone.core.design.file import read_design
from tests.window.hands import Hands
from tests.window.test_shape import settle

SHIFT = Qt.KeyboardModifier.ShiftModifier
CTRL = Qt.KeyboardModifier.ControlModifier


class Maker:
    """Hands that make a part, and eyes that see where things are on the paper and in the view."""

    def __init__(self, qtbot, window, hands: type[Hands] = Hands) -> None:
        self.qtbot, self.window = qtbot, window
        self.hands = hands(qtbot, window)
        self.hands.menu("File", "New")

    # On the paper

    def draw(self, tool: str = "", key: Qt.Key | None = None) -> None:
        """The paper of a new sketch, and a tool by its button or its key."""
        self.hands.click("Draw an outline")
        self.hands.until("An empty sheet")
        if key is not None:
            self.hands.press(key, SHIFT)
        else:
            self.hands.click(tool)

    def spot(self, x: float, y: float) -> QPoint:
        """Where a place on the paper, mm, is seen."""
        return self.window.shape.board.paper.to_screen((x, y)).toPoint()

    def tap(self, x: float, y: float, *, more: bool = False) -> None:
        """Click on the paper."""
        paper = self.window.shape.board.paper
        modifier = SHIFT if more else Qt.KeyboardModifier.NoModifier
        self.hands.click_at(paper, self.spot(x, y), modifier=modifier)
        self.qtbot.wait(20)

    def hover(self, x: float, y: float) -> None:
        """Move the pointer over the paper."""
        paper = self.window.shape.board.paper
        place = paper.mapTo(self.window, self.spot(x, y))
        QTest.mouseMove(self.window.windowHandle(), place)
        self.qtbot.wait(60)

    def figure(self, text: str) -> None:
        """Type a number or a formula, and Enter."""
        self.hands.type(text)
        self.hands.press(Qt.Key.Key_Return)
        self.qtbot.wait(30)

    def leave(self) -> None:
        """Give up the tool, and go back to the part."""
        for _ in range(3):
            self.hands.press(Qt.Key.Key_Escape)
        self.hands.press(Qt.Key.Key_Return, CTRL)
        settle(self.qtbot, self.window)

    # Steps

    def step(self, words: str) -> None:
        """Add a kind of step by what it is called."""
        self.hands.press("a")
        self.hands.type(words)
        self.hands.press(Qt.Key.Key_Return)
        settle(self.qtbot, self.window)

    def change(self, shown: str, text: str) -> None:
        """Click on a formula that is seen, and type another."""
        self.hands.click(shown)
        self.figure(text)
        settle(self.qtbot, self.window)

    def at(self, x: float, y: float, z: float) -> QPoint:
        """Where a place of the part is seen."""
        view = self.window.shape.view
        ((u, v),) = view.camera.project([(x, y, z)], view.width(), view.height()).tolist()
        return QPointF(u, v).toPoint()

    def pick(self, x: float, y: float, z: float) -> None:
        """Click on the part."""
        self.hands.click_at(self.window.shape.view, self.at(x, y, z))
        settle(self.qtbot, self.window)
        self.qtbot.wait(100)  # cards come to rest

    # The end

    def volume(self) -> float:
        report = self.window.part.report
        assert report["whole"], report["problems"]
        return sum(part["volume"] for part in report["parts"])

    def save(self, path: Path):
        """Save, and read what the file holds."""
        assert self.window.files.save_to(path)
        print(f"{path.stem}: {self.hands.strokes} keys and clicks")
        return read_design(path)


@pytest.fixture
def maker(qtbot, window) -> Maker:
    return Maker(qtbot, window)


def test_a_turned_bushing(maker, tmp_path) -> None:
    maker.draw("Rectangle")
    maker.tap(10, 0)
    maker.figure("5 mm")
    maker.figure("20 mm")
    maker.hands.press(Qt.Key.Key_Escape)
    maker.tap(10, 10)  # its left side
    maker.tap(0, 15, more=True)  # and the y axis
    maker.hands.click("distance")
    maker.figure("6 mm")
    maker.leave()
    maker.step("turn")
    assert maker.volume() == pytest.approx(math.pi * (11**2 - 6**2) * 20)
    design = maker.save(tmp_path / "bushing.schablone")
    assert [step.kind for step in design.steps] == ["sketch", "revolve"]


@pytest.mark.nightly
def test_a_hollow_box_with_posts_and_tapering_pilot_holes(maker, tmp_path) -> None:
    hands = maker.hands
    maker.draw(key=Qt.Key.Key_R)
    maker.tap(0, 0)
    maker.figure("80 mm")
    maker.figure("50 mm")
    maker.leave()
    maker.step("extrude")
    maker.change("10 mm", "30 mm")
    maker.step("hollow")
    maker.pick(10, 5, 30)
    hands.press(Qt.Key.Key_Escape)
    walls = 80 * 50 * 30 - 76 * 46 * 28

    def at_the_corners() -> None:
        maker.step("grid")
        hands.click("more …")
        maker.qtbot.wait(100)
        hands.choose("about where it is", "going on from where it is")
        settle(maker.qtbot, maker.window)
        for field, text in (
            ("count along x: 3", "2"),
            ("pitch along x: 10 mm", "-60 mm"),
            ("pitch along y: 10 mm", "-30 mm"),
        ):
            hands.click(field)
            maker.figure(text)
            settle(maker.qtbot, maker.window)  # words of what does not fit yet come and go

    assert maker.volume() == pytest.approx(walls)
    # A post on the floor, with a hole that narrows from its top, then the same at all corners.
    maker.step("sketch")
    hands.press("c")
    maker.tap(30, 15)
    maker.figure("8 mm")
    maker.leave()
    hands.press("1")  # the walls hide the floor but from above
    hands.choose("the ground", "a face, picked in the view")
    maker.pick(5, 5, 2)
    maker.step("extrude")
    maker.change("10 mm", "12 mm")
    at_the_corners()
    maker.step("hole")
    maker.pick(30, 15, 14)
    hands.click("more …")
    maker.qtbot.wait(100)  # it is scrolled into view
    hands.choose("plain", "narrowing to ø")
    settle(maker.qtbot, maker.window)
    hands.choose("through", "to a depth of")
    settle(maker.qtbot, maker.window)
    at_the_corners()
    narrowing = math.pi * 5 / 12 * (5**2 + 5 * 3 + 3**2)
    post = math.pi * 4**2 * 12
    assert maker.volume() == pytest.approx(walls + 4 * (post - narrowing))
    design = maker.save(tmp_path / "box.schablone")
    assert [step.kind for step in design.steps][-4:] == ["extrude", "grid", "hole", "grid"]


def test_a_plate_with_constraints_only_and_four_dimensions(maker, tmp_path) -> None:
    """Four lines and a hole drawn roughly; told what must hold, and four figures."""
    hands, board = maker.hands, maker.window.shape.board
    maker.draw("Line")
    for spot in ((-21, -20), (25, -20), (25, 19), (-21, 19), (-21, -20)):
        maker.tap(*spot)
    hands.press(Qt.Key.Key_Escape)
    hands.press(Qt.Key.Key_Escape)
    hands.click("Circle")
    maker.tap(7, 8)
    maker.tap(12, 8)
    hands.press(Qt.Key.Key_Escape)
    hands.press(Qt.Key.Key_Escape)

    def tell(words: str, *spots: tuple[float, float], figure: str = "") -> None:
        for number, spot in enumerate(spots):
            maker.tap(*spot, more=number > 0)
        hands.click(words)
        if figure:
            maker.figure(figure)
        else:
            maker.qtbot.wait(60)
        hands.press(Qt.Key.Key_Escape)

    tell("in one line", (-21, 5), (0, 30))  # its left side lies on the y axis
    tell("mirrored", (0, -20), (0, 20), (-20, 0))  # its corners, about the x axis
    tell("lies on it", (5, 10), (-20, 0))  # the middle of the hole, on the x axis
    tell("length", (12, -20), figure="60 mm")
    tell("length", (60, 5), figure="36 mm")
    (circle,) = (e for e in board.desk.drawing.curves if e.kind == "circle")
    tell("diameter", board.desk.curves[circle.name][0].at(1.0), figure="8 mm")
    tell("distance", board.desk.xy(circle.centre), (0, 9), figure="12 mm")
    assert board.panel.state.text() == "Settled: nothing can move."
    maker.leave()
    maker.step("extrude")
    assert maker.volume() == pytest.approx((60 * 36 - math.pi * 16) * 10)
    (low, high) = maker.window.part.report["parts"][0]["bounds"]
    assert [*low, *high] == pytest.approx([0, -18, 0, 60, 18, 10], abs=1e-9)
    design = maker.save(tmp_path / "plate.schablone")
    drawing = design.steps[0].drawing
    assert sorted(rule.formula for rule in drawing.dimensions) == [
        "12 mm",
        "36 mm",
        "60 mm",
        "8 mm",
    ]


def test_a_size_made_on_the_spot(maker, tmp_path) -> None:
    maker.draw("Rectangle")
    maker.tap(0, 0)
    maker.figure("long = 60 mm")
    maker.figure("deep = long/3")
    maker.leave()
    maker.step("extrude")
    maker.change("10 mm", "thick = 5 mm")
    assert maker.volume() == pytest.approx(60 * 20 * 5)
    design = maker.save(tmp_path / "spot.schablone")
    assert {size.name: design.formula_of(size) for size in design.sizes} == {
        "long": "60 mm",
        "deep": "long/3",
        "thick": "5 mm",
    }


def test_a_fillet_on_a_picked_edge_and_an_earlier_size_changed(maker, tmp_path) -> None:
    hands = maker.hands
    maker.draw(key=Qt.Key.Key_R)
    maker.tap(0, 0)
    maker.figure("long = 60 mm")
    maker.figure("40 mm")
    maker.leave()
    maker.step("extrude")
    maker.step("round")
    maker.pick(30, -20, 5)
    hands.press(Qt.Key.Key_Escape)
    radius = 2.0
    gone = (1 - math.pi / 4) * radius**2 * 10
    assert maker.volume() == pytest.approx(60 * 40 * 10 - gone)
    hands.click("60 mm")
    maker.figure("90 mm")
    settle(maker.qtbot, maker.window)
    assert maker.volume() == pytest.approx(90 * 40 * 10 - gone)
    design = maker.save(tmp_path / "fillet.schablone")
    assert design.formula_of(design.size("long")) == "90 mm"


def test_a_strip_in_few_keys(maker, tmp_path) -> None:
    """Names typed while the stroke is under way become sizes as they are drawn; kinds of step are
    found by their first letters; a row is told in one formula. At most 45 keys and clicks."""
    hands = maker.hands
    maker.draw(key=Qt.Key.Key_R)
    maker.tap(0, 0)
    maker.hover(45, 10)
    maker.figure("length")
    maker.figure("wide")
    hands.press(Qt.Key.Key_Return, CTRL)
    settle(maker.qtbot, maker.window)
    maker.step("e")
    maker.step("h")
    maker.pick(0, 0, 10)
    maker.step("ro")
    maker.change("span: 100 mm", "le")  # completed to length
    design = maker.window.session.design
    sizes = {size.name: design.formula_of(size) for size in design.sizes}
    assert sizes == {"length": "90 mm", "wide": "20 mm"}
    bore = math.pi * 2.5**2 * 10
    # As many as fit, one every 10 mm, 10 mm free at each end: 8 of them on 90 mm.
    assert maker.volume() == pytest.approx(90 * 20 * 10 - 8 * bore)
    maker.change("90 mm", "150 mm")
    assert maker.volume() == pytest.approx(150 * 20 * 10 - 14 * bore)
    design = maker.save(tmp_path / "strip.schablone")
    assert design.formula_of(design.size("length")) == "150 mm"
    assert hands.strokes <= 45


def test_from_figure_to_figure_by_tab(maker) -> None:
    """On a card, on the paper and on the part: Tab takes over what was typed and opens the next."""
    hands, window = maker.hands, maker.window
    maker.draw(key=Qt.Key.Key_R)
    maker.tap(0, 0)
    maker.figure("60 mm")
    maker.figure("40 mm")
    hands.press(Qt.Key.Key_Escape)
    hands.press(Qt.Key.Key_Escape)
    hands.click("length of line 1: 60 mm")
    hands.type("70 mm")
    hands.press(Qt.Key.Key_Tab)
    hands.type("50 mm")
    hands.press(Qt.Key.Key_Return)
    # A double click on a figure edits it, whatever is in hand.
    hands.press("l")
    paper = window.shape.board.paper
    paper.repaint()
    box = next(item.box for item in paper._labels if item.rule.formula == "70 mm")
    hands.click_at(paper, box.center().toPoint(), double=True)
    hands.type("80 mm")
    hands.press(Qt.Key.Key_Return)
    drawing = window.session.design.steps[0].drawing
    assert [rule.formula for rule in drawing.dimensions] == ["80 mm", "50 mm"]
    assert len(list(drawing.curves)) == 4  # and no line was begun by it
    maker.leave()
    maker.step("extrude")
    maker.step("hole")
    maker.pick(10, 10, 10)
    hands.click("diameter: 5 mm")
    hands.type("6 mm")
    hands.press(Qt.Key.Key_Tab)
    hands.type("12 mm")
    hands.press(Qt.Key.Key_Tab, SHIFT)
    hands.type("7 mm")
    hands.press(Qt.Key.Key_Return)
    settle(maker.qtbot, window)
    hole = window.session.design.step("hole")
    assert (hole.diameter, hole.x) == ("7 mm", "12 mm")
    assert maker.volume() == pytest.approx(80 * 50 * 10 - math.pi * 3.5**2 * 10)
