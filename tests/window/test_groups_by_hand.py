"""The headings of groups of steps and of sizes: folded, renamed, dissolved by hand and by key."""

import pytest
from PySide6.QtCore import QPoint, Qt

from schablone.core.design import edit
from tests.window.hands import Hands

CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def hands(qtbot, window) -> Hands:
    first = [step.name for step in window.session.design.steps[:2]]
    window.session.edit(lambda design: edit.group_steps(design, first, "base"), "group")
    return Hands(qtbot, window)


def on(hands: Hands, words: str, *, double: bool = False) -> None:
    head = hands.wait_for(words)
    hands.click_at(head, QPoint(40, head.height() // 2), double=double)


def groups(window) -> list[str]:
    return [step.group for step in window.session.design.steps[:3]]


def test_a_click_folds_and_another_opens(window, hands) -> None:
    plate = window.shape.steps.cards[window.session.design.steps[1].name]
    on(hands, "steps base, open")
    hands.wait_for("steps base, folded")
    assert not plate.isVisible()
    hands.qtbot.wait(500)  # two clicks one after the other, and no double click
    on(hands, "steps base, folded")
    hands.wait_for("steps base, open")
    assert plate.isVisible()


def test_two_clicks_ask_for_another_name_and_fold_nothing(window, hands) -> None:
    on(hands, "steps base, open", double=True)
    hands.qtbot.waitUntil(
        lambda: hands.focus is not None and "new name" in hands.focus.accessibleName()
    )
    hands.press(Qt.Key.Key_A, CONTROL)
    hands.type("bottom")
    hands.press(Qt.Key.Key_Return)
    hands.wait_for("steps bottom, open")
    assert groups(window) == ["bottom", "bottom", ""]
    hands.press(Qt.Key.Key_Z, CONTROL)
    hands.wait_for("steps base, open")


def test_by_key(window, hands) -> None:
    on(hands, "steps base, open")
    hands.wait_for("steps base, folded")
    hands.press(Qt.Key.Key_Return)  # the heading has the keyboard still
    hands.wait_for("steps base, open")
    hands.press(Qt.Key.Key_F2)
    hands.press(Qt.Key.Key_A, CONTROL)
    hands.type("foot")
    hands.press(Qt.Key.Key_Return)
    hands.wait_for("steps foot, open")
    assert groups(window) == ["foot", "foot", ""]


def test_from_its_menu(window, hands) -> None:
    names = [step.name for step in window.session.design.steps[:2]]
    head = hands.wait_for("steps base, open")
    menu = head.menu()
    acts = {action.text(): action for action in menu.actions()}
    acts["Switch all off"].trigger()
    assert [window.session.design.step(name).on for name in names] == [False, False]
    assert "Switch all on" in [action.text() for action in head.menu().actions()]
    acts["Dissolve the group"].trigger()
    assert groups(window) == ["", "", ""]


def test_a_group_of_sizes_is_renamed(window, hands) -> None:
    on(hands, "group Plate", double=True)
    hands.press(Qt.Key.Key_A, CONTROL)
    hands.type("Outer <b>")
    hands.press(Qt.Key.Key_Return)
    hands.wait_for("group Outer <b>")
    assert {size.group for size in window.session.design.sizes} >= {"Outer <b>", "Passages"}
    hands.press(Qt.Key.Key_Z, CONTROL)
    hands.wait_for("group Plate")
