"""A plain solid is given sizes by keyboard and pointer: faces picked, also hidden ones, tied,
tried, forgotten ones found before anything changes."""

from __future__ import annotations

import math

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from schablone.core.kernel.occ.exchange import step_of
from tests.core.plain_parts import as_solid, box, cut, cylinder
from tests.window.test_journeys import Maker, maker
from tests.window.test_shape import settle

__all__ = ["maker"]

CTRL = Qt.KeyboardModifier.ControlModifier
HOLE = math.pi * 4**2


@pytest.fixture
def read_in(maker: Maker, tmp_path) -> Maker:
    """A plate with a hole, out of a STEP file, and a step that gives it sizes."""
    shape = cut(box(0, 0, 0, 40, 30, 10), cylinder((20, 15, -1), (0, 0, 1), 4, 20))
    path = tmp_path / "plate.step"
    path.write_bytes(step_of([("plate", as_solid(shape))]))
    maker.window.files.import_step(path)
    settle(maker.qtbot, maker.window)
    maker.hands.press("f")
    maker.qtbot.wait(200)
    maker.step("give it sizes")
    maker.hands.until("Pick faces or edges of the part")
    maker.hands.until("would stay where they are")
    return maker


def hover(maker: Maker, x: float, y: float, z: float) -> None:
    view = maker.window.shape.view
    QTest.mouseMove(maker.window.windowHandle(), view.mapTo(maker.window, maker.at(x, y, z)))
    maker.qtbot.wait(120)


def pick(maker: Maker, *spots: tuple[float, float, float]) -> None:
    for spot in spots:
        maker.pick(*spot)
    maker.qtbot.wait(250)


def pin(maker: Maker, *spots: tuple[float, float, float]) -> None:
    pick(maker, *spots)
    maker.hands.until("pin: never moves")
    maker.hands.click("pin: never moves")
    settle(maker.qtbot, maker.window)
    maker.qtbot.wait(200)


def reach(maker: Maker, *words: str) -> None:
    """Click on what bears a name that begins so and holds the rest."""

    def there() -> list[str]:
        return [
            one
            for one in maker.hands.all_words()
            if one.startswith(words[0]) and all(word in one for word in words)
        ]

    maker.qtbot.waitUntil(lambda: bool(there()))
    maker.hands.click(there()[0])


LEFT, FRONT, TOP = (0, 15, 5), (10, 0, 5), (8, 22, 10)
#: The edges that the top has in common with what cannot be seen from here.
RIGHT_EDGE, BACK_EDGE = (40, 12, 10), (12, 30, 10)


def test_from_a_file_to_sizes(read_in: Maker) -> None:
    maker, hands, window = read_in, read_in.hands, read_in.window
    assert hands.says("Begin with a face that never moves")
    pin(maker, LEFT, FRONT)
    hands.until("One tie")
    # What lies behind: Space steps from the top to the bottom.
    hover(maker, *TOP)
    for steps in range(1, 5):
        for _ in range(steps):
            hands.press(Qt.Key.Key_Space)
            maker.qtbot.wait(100)
        hands.click_at(window.shape.view, maker.at(*TOP))
        maker.qtbot.wait(250)
        if hands.says("bottom face"):
            break
        hands.press(Qt.Key.Key_Escape)
        hover(maker, TOP[0], TOP[1] + 1, TOP[2])  # elsewhere, what is seen is meant again
        hover(maker, *TOP)
    assert hands.says("bottom face")
    hands.until("pin: never moves")
    hands.click("pin: never moves")
    settle(maker.qtbot, window)
    # Two picks, and a size made on the spot.
    pick(maker, LEFT, RIGHT_EDGE)
    hands.until("40 mm")
    hands.click("distance: type it as a size")
    maker.figure("wide = 50 mm")
    settle(maker.qtbot, window)
    assert maker.volume() == pytest.approx((50 * 30 - HOLE) * 10, rel=1e-9)
    assert window.session.design.size("wide").formula == "50 mm"
    # It follows the size; the hole stays where it was, and that was said before.
    hands.until("can shift")
    hands.until("hole ø 8")
    # The likely tie in one click.
    reach(maker, "keep its distances to")
    settle(maker.qtbot, window)

    # A diameter, held first, then typed.
    pick(maker, (20 + 4 * math.sqrt(0.5), 15 + 4 * math.sqrt(0.5), 8.5))
    hands.until("diameter")
    hands.click("Hold the diameter as it is, and no size")
    settle(maker.qtbot, window)
    assert maker.volume() == pytest.approx((50 * 30 - HOLE) * 10, rel=1e-9)
    reach(maker, "Diameter of", "held")
    maker.figure("bore = 9 mm")
    settle(maker.qtbot, window)
    assert maker.volume() == pytest.approx((50 * 30 - math.pi * 4.5**2) * 10, rel=1e-9)
    # Undone one by one, through the window.
    hands.press(Qt.Key.Key_Z, CTRL)
    settle(maker.qtbot, window)
    hands.press(Qt.Key.Key_Escape)
    hands.press(Qt.Key.Key_Escape)
    hands.until("Steps")
    assert not hands.says("Ties of")


def test_what_cannot_be_is_said_at_its_tie_and_loses_nothing(read_in: Maker) -> None:
    maker, hands, window = read_in, read_in.hands, read_in.window
    pin(maker, LEFT, FRONT)
    pick(maker, LEFT, RIGHT_EDGE)
    hands.until("distance")
    hands.click("distance: type it as a size")
    maker.figure("40 mm")
    settle(maker.qtbot, window)
    before = maker.volume()
    for bad, words in (
        ("20 mm", "run into each other"),
        ("-4 mm", "zero or more"),
        ("10 mm/0", ""),
        ("3 kg", ""),
    ):
        reach(maker, "Distance from", ": ")
        hands.press(Qt.Key.Key_A, CTRL)
        maker.figure(bad)
        settle(maker.qtbot, window)
        if not words:
            hands.press(Qt.Key.Key_Escape)  # refused while it was typed
            settle(maker.qtbot, window)
            continue
        hands.until(words)
        # The last good part is still to be seen.
        assert window.shape.view.parts
        hands.press(Qt.Key.Key_Z, CTRL)
        settle(maker.qtbot, window)
        assert maker.volume() == pytest.approx(before)
    # One too many is offered to be read off.
    pick(maker, LEFT, RIGHT_EDGE)
    hands.until("It follows already from")
    hands.click("Measure it, not set it")
    settle(maker.qtbot, window)
    hands.until("use it as give_sizes.distance")
    assert window.part.report["measured"]["give_sizes.distance"] == pytest.approx(40)


def test_picks_are_let_go_and_ties_removed(read_in: Maker) -> None:
    maker, hands, window = read_in, read_in.hands, read_in.window
    pick(maker, LEFT)
    hands.until("left face")
    pick(maker, LEFT)  # the same again lets it go
    hands.until("Pick faces or edges of the part")
    pick(maker, LEFT, FRONT)
    hands.until("angle")
    hands.press(Qt.Key.Key_Escape)
    hands.until("Pick faces or edges of the part")
    pin(maker, LEFT)
    reach(maker, "remove: ")
    settle(maker.qtbot, window)
    hands.until("Begin with a face that never moves")
    assert window.session.design.step("give_sizes").ties == ()
    # The step may go while it is tied: back to the steps.
    hands.press(Qt.Key.Key_Z, CTRL)
    hands.press(Qt.Key.Key_Z, CTRL)
    hands.press(Qt.Key.Key_Z, CTRL)
    settle(maker.qtbot, window)
    hands.until("Steps")


def test_a_face_wiggles_and_comes_back(read_in: Maker) -> None:
    maker, window = read_in, read_in.window
    pin(maker, LEFT, FRONT)
    known = {id(part) for part in window.shape.view.parts}
    reach(maker, "See how", "face")
    maker.qtbot.waitUntil(lambda: not known & {id(part) for part in window.shape.view.parts})
    maker.qtbot.waitUntil(lambda: known == {id(part) for part in window.shape.view.parts})
    assert maker.volume() == pytest.approx((40 * 30 - HOLE) * 10, rel=1e-9)
