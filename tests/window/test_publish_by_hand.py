"""What stands in Publish is what is published, whatever was done elsewhere meanwhile."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QPlainTextEdit

from schablone.core.design.edit import set_formula
from schablone.core.design.model import SizeTable, Variant
from tests.window.hands import Hands

CONTROL = Qt.KeyboardModifier.ControlModifier


def put(window, size: str, formula: str) -> None:
    """Somebody sets a size elsewhere."""
    window.session.edit(lambda design: set_formula(design, size, formula), size)


@pytest.fixture
def hands(qtbot, window) -> Hands:
    hands = Hands(qtbot, window)
    hands.click("Publish …")
    hands.until("What others may adjust")
    return hands


def test_values_follow_what_is_edited_elsewhere(hands: Hands, window) -> None:
    hands.until("372 mm,  from 40 mm to 600 mm")
    hands.click("Shape")
    put(window, "width", "300 mm")
    hands.click("Publish")
    hands.until("300 mm,  from 40 mm to 600 mm")
    limited = window.session.design.size("width").with_(low="250 mm")
    window.session.edit(
        lambda design: design.with_(
            sizes=tuple(limited if s.name == "width" else s for s in design.sizes)
        ),
        "limits",
    )
    hands.until("300 mm,  from 250 mm to 600 mm")
    assert hands.find("from: width", QLineEdit).placeholderText() == "250 mm"
    put(window, "board", "5 mm")
    hands.scroll_to("board    5 mm", window.publish)


def test_what_is_undone_is_not_seen_any_more(hands: Hands, window) -> None:
    before = window.session.design.publish
    fields = {
        "called: width": ("width", QLineEdit), "title": ("title", QLineEdit),
        "by": ("author", QLineEdit), "what it is for": ("summary", QPlainTextEdit),
    }  # fmt: skip
    for name, (_, kind) in fields.items():
        hands.click(name, kind)
        hands.press(Qt.Key.Key_A, CONTROL)
        hands.type("Another")
        hands.press(Qt.Key.Key_Tab)
    publish = window.session.design.publish
    assert (publish.title, publish.author, publish.summary) == ("Another",) * 3
    assert publish.adjust[0].label == "Another"
    for _ in fields:
        window.session.undo()
    assert window.session.design.publish == before
    assert hands.find("called: width", QLineEdit).text() == before.adjust[0].label
    assert hands.find("title", QLineEdit).text() == before.title
    assert hands.find("by", QLineEdit).text() == before.author
    assert hands.find("what it is for", QPlainTextEdit).toPlainText() == before.summary


def test_what_could_not_be_read_again_is_not_taken(hands: Hands, window) -> None:
    before = window.session.design
    QApplication.clipboard().setText("long " * 61)
    for name in ("called: width", "title", "by"):
        hands.click(name, QLineEdit)
        hands.press(Qt.Key.Key_A, CONTROL)
        hands.press(Qt.Key.Key_V, CONTROL)
        hands.press(Qt.Key.Key_Tab)
        assert "is longer than 300 characters." in window.foot.said.whole()
        assert window.session.design == before
    hands.click("Prove")
    hands.click("name of a new check")
    hands.press(Qt.Key.Key_V, CONTROL)
    hands.click("web >= 4 mm")
    hands.type("board > 1 mm")
    hands.press(Qt.Key.Key_Return)
    assert "is longer than 300 characters." in window.foot.said.whole()
    assert window.session.design == before


def test_another_design_with_the_same_sizes_is_shown_as_it_is(hands: Hands, window) -> None:
    design = window.session.design
    publish = design.publish.with_(title="Mine", author="Me", licence="MIT", measure_first="All.")
    window.session.take(design.with_(publish=publish), None)
    assert hands.find("title", QLineEdit).text() == "Mine"
    assert hands.find("by", QLineEdit).text() == "Me"
    assert hands.find("licence", QComboBox).currentText() == "MIT"
    assert hands.find("what to measure first", QPlainTextEdit).toPlainText() == "All."


def test_what_is_being_typed_stays_while_something_else_changes(hands: Hands, window) -> None:
    hands.click("title", QLineEdit)
    hands.press(Qt.Key.Key_A, CONTROL)
    hands.type("Half a ti")
    put(window, "width", "301 mm")
    hands.until("301 mm,  from")
    hands.type("tle")
    hands.press(Qt.Key.Key_Tab)
    assert window.session.design.publish.title == "Half a title"
    assert hands.find("by", QLineEdit).hasFocus()


def test_a_ready_made_size_is_what_is_in_force(hands: Hands, window) -> None:
    """With a size table the values are those of the variant; and no two are called alike."""
    session = window.session
    table = SizeTable(
        columns=("width",),
        rows=(Variant(name="Small", cells={"width": "222 mm"}),),
        current="Small",
    )
    session.edit(lambda design: design.with_(table=table), "size table")
    assert session.table.cells["width"].wanted.value == 222
    names = [preset.name for preset in session.design.publish.presets]
    hands.scroll_to("Add the values as they are now", window.publish)
    for _ in range(2):
        hands.click("Add the values as they are now")
    *_, first, second = session.design.publish.presets
    assert first.sizes["width"] == second.sizes["width"] == "222 mm"
    count = len(names)
    assert [first.name, second.name] == [f"Size {count + 1}", f"Size {count + 2}"]
    column = window.publish.says.parentWidget().parentWidget()
    hands.scroll_to(f"Remove Size {count + 1}", column)
    hands.click(f"Remove Size {count + 1}")
    window.publish.says._add_preset()
    assert session.design.publish.presets[-1].name not in (second.name, *names)


def test_a_ready_made_size_that_sets_what_others_may_not_is_told(hands: Hands, window) -> None:
    hands.click("width")
    hands.until("“Hummel 10” sets “width”, which others may not adjust.")
    assert not window.publish.write.isEnabled()
