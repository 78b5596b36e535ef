"""Bought parts are described in their window: what is typed of one stays with it."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMessageBox, QPushButton, QTableWidget

from schablone.app.bought_window import BoughtWindow
from schablone.core.bought import bought_on_the_shelf
from schablone.core.design import Design, Size
from schablone.core.design.bought_edit import put_bought
from schablone.core.quantity import plain
from tests.window.hands import Hands


def test_what_is_typed_of_bought_parts_stays_with_them(qtbot, window, monkeypatch) -> None:
    """A look at another part, an undo or a close loses nothing of it unasked."""
    board = next(part for part in bought_on_the_shelf() if part.name == "circuit_board")
    room = Size(name="room", formula="circuit_board.length + 2 mm")
    design = put_bought(Design(sizes=(room,)), board)[0]
    window.session.edit(lambda _: design, "a board")
    Hands(qtbot, window).menu("Design", "Bought parts …")
    bought = next(one for one in window.findChildren(BoughtWindow))
    hands = Hands(qtbot, bought)

    def choose(words: str) -> None:
        (item, *_) = bought.list.findItems(words, Qt.MatchFlag.MatchExactly)
        bought.list.scrollToItem(item)
        hands.click_at(bought.list.viewport(), bought.list.visualItemRect(item).center())

    first = board.said
    assert hands.find("called: typed").text() == first
    # Changed, left, looked at again; a price with a comma, in a currency of its own.
    hands.retype("price: typed", "12,50")
    hands.retype("currency: typed", "CHF")
    hands.retype("in formulas: typed", "no name")
    other = next(part for part in bought_on_the_shelf() if part.outline.kind == "cylinder")
    choose(other.said)
    assert hands.find("called: typed").text() == other.said
    lies = hands.find("along x, not upright")
    hands.click_at(lies, QPoint(10, lies.height() // 2))
    choose(f"{first}, changed")
    assert hands.find("currency: typed").text() == "CHF"
    assert not hands.find("Change it in the design", QPushButton).isEnabled()
    hands.retype("in formulas: typed", "1pcb")
    hands.until("“in formulas” is “1pcb”; a name has letters")
    hands.retype("in formulas: typed", "pcb")
    hands.retype("height of the outline", "2e6 mm")
    hands.until("comes to more than 1 km")
    hands.retype("height of the outline", "20 mm")
    hands.retype("mass, g: typed", "0,02 kg")
    hands.click("Change it in the design")
    (mine,) = window.session.design.bought
    assert (mine.name, mine.price, mine.currency, mine.mass) == ("pcb", 12.5, "CHF", 20)
    assert window.session.design.size("room").formula == "pcb.length + 2 mm"
    hands.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hands.until("Change it in the design")
    assert hands.find("price: typed").text() == plain(board.price)
    # The window asks before what was typed elsewhere is lost.
    choose(f"{other.said}, changed")
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()))
    for one in (bought, window):
        one.close()
        assert bought.isVisible()
        assert window.isVisible()
    assert asked == 2 * [
        f"What was typed of “{other.said}” is neither in the design nor on the shelf."
    ]
    hands.click("Keep on the shelf")
    hands.until(f"{other.said} is on the shelf now.")
    kept = next(one for one in window.session.library.bought() if one.name == other.name)
    assert kept.outline.lies != other.outline.lies
    # A new one of the same name does not take its place unasked.
    hands.click("New")
    hands.retype("in formulas: typed", other.name)
    hands.click("Keep on the shelf")
    assert asked[-1].startswith(f"“{other.said}” is on the shelf, as you made it.")
    assert kept in window.session.library.bought()
    hands.click("Off the shelf, or the design")
    choose(other.said)
    # Off the shelf again, then as it ships; out of the design where nothing places it.
    hands.click("Off the shelf, or the design")
    assert not window.session.library.is_own_bought(other.name)
    assert not hands.find("Off the shelf, or the design").isEnabled()
    choose(first)
    hands.click("Off the shelf, or the design")
    assert window.session.design.bought == ()
    bought.close()
    assert len(asked) == 3


def test_two_of_one_name_are_told(qtbot, window) -> None:
    Hands(qtbot, window).menu("Design", "Bought parts …")
    (bought,) = window.findChildren(BoughtWindow)
    hands = Hands(qtbot, bought)
    hands.click("New")
    table = hands.find("dimensions", QTableWidget)
    for row in range(2):
        spot = table.visualRect(table.model().index(row, 0)).center()
        hands.click_at(table.viewport(), spot, double=True)
        hands.type("wide")
        hands.press(Qt.Key.Key_Return)
    hands.until("“the part”: two dimensions are called “wide”.")
    assert not hands.find("Into the design", QPushButton).isEnabled()
