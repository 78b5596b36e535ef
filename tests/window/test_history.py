"""What can be undone, and what is forgotten for want of room."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from schablone.app import history
from schablone.app.history import History
from schablone.core.design import edit
from tests.conftest import plate


def named(number: int):
    return plate().with_(name=f"state {number}")


@given(st.lists(st.sampled_from(["put", "undo", "redo"]), max_size=40))
def test_it_is_a_list_with_a_place_in_it(does: list[str]) -> None:
    kept, states, at = History(named(0)), [named(0)], 0
    for number, what in enumerate(does, 1):
        if what == "put":
            kept.put(named(number), f"edit {number}")
            states = [*states[: at + 1], named(number)]
            at += 1
        elif what == "undo":
            assert bool(kept.undo()) == (at > 0)
            at = max(0, at - 1)
        else:
            assert bool(kept.redo()) == (at + 1 < len(states))
            at = min(at + 1, len(states) - 1)
        assert kept.design == states[at]
        assert bool(kept.can_undo) == (at > 0)
        assert bool(kept.can_redo) == (at + 1 < len(states))


def test_a_drag_is_one_step() -> None:
    kept = History(named(0))
    for number in (1, 2, 3):
        kept.put(named(number), "drag", "this drag")
    kept.settle()
    kept.put(named(4), "drag", "this drag")
    assert kept.undo() == "drag"
    assert kept.design == named(3)
    kept.undo()
    assert kept.design == named(0)


def test_what_is_the_same_takes_no_room_and_the_first_states_go(monkeypatch) -> None:
    monkeypatch.setattr(history, "MOST", 200_000)
    large = plate().with_(note="x" * 15_000)
    kept = History(large)
    # The long note is in every state, and there once.
    for number in range(300):
        kept.put(edit.set_formula(kept.design, "width", f"{90 + number % 7} mm"), "width")
    assert not kept.let_go
    for number in range(40):
        kept.put(kept.design.with_(note=str(number) * 7_500), "note")
    assert kept.let_go
    count = 0
    while kept.undo():
        count += 1
    assert 10 <= count <= 30  # some 200 000 / 15 000, and the short ones before
