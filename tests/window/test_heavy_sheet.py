"""Sizes that take long to work out: the window lives on, and shows no value that is not of now."""

from __future__ import annotations

import time

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from schablone.app.places.sizes_panel import MOST_ROWS
from schablone.app.sheet_work import SheetWork, Wish
from schablone.core.design import edit
from schablone.core.design.evaluate import TableKeeper
from schablone.core.design.facing import facing
from schablone.core.design.model import Size
from schablone.core.kernel.naming import speaking_of
from schablone.core.process import neutral
from schablone.core.steps.sentence import say_place
from tests.conftest import plate

#: Some seconds of sums, each beside a size that they go over.
MANY = 8


def heavy(terms: int):
    design = plate()
    sums = "+".join(["i"] * 10)
    sizes = [Size(name="terms", formula=str(terms))] + [
        Size(name=f"total_{k}", formula=f"sum(i in 1..terms: {sums}) + {k}") for k in range(MANY)
    ]
    return design.with_(sizes=(*design.sizes, *sizes))


def total(terms: int, k: int) -> float:
    return 10 * terms * (terms + 1) / 2 + k


def test_the_window_lives_on_and_values_are_those_of_now(qtbot, window) -> None:
    session = window.session
    session.take(heavy(3), None)
    assert session.table.cells["total_2"].wanted.value == total(3, 2)
    told: list[float] = []
    session.changed.connect(lambda: told.append(session.table.cells["total_1"].wanted.value))
    beats = [time.perf_counter()]
    timer = QTimer(interval=5)
    timer.timeout.connect(lambda: beats.append(time.perf_counter()))
    timer.start()
    session.edit(lambda d: edit.set_formula(d, "terms", "90000"), "terms")
    assert session.is_working_out
    # What is seen meanwhile is the state before, and is told to be.
    assert session.table.cells["total_1"].wanted.value == total(3, 1)
    assert "being worked out" in window.foot.said.whole()
    # A second edit meanwhile: only what is wanted last is told.
    session.edit(lambda d: edit.set_formula(d, "terms", "80000"), "terms")
    qtbot.waitUntil(lambda: not session.is_working_out)
    QApplication.processEvents()
    timer.stop()
    assert told
    assert set(told) == {total(80_000, 1)}
    assert session.table.cells["total_7"].wanted.value == total(80_000, 7)
    assert "being worked out" not in window.foot.said.whole()
    # The window was drawn and answered in between: no beat waited for the whole of the work.
    assert len(beats) > 2
    session.undo()
    session.undo()
    qtbot.waitUntil(lambda: not session.is_working_out)
    assert session.table.cells["total_2"].wanted.value == total(3, 2)


def test_what_is_said_of_faces_goes_by_the_design_in_hand(qtbot, monkeypatch) -> None:
    said: list[str] = []
    monkeypatch.setattr(TableKeeper, "table", lambda *_: said.append(say_place("plate/end")))
    with speaking_of(facing(plate())):
        wanted = say_place("plate/end")
        SheetWork().prepare(Wish(plate(), neutral()))
    assert said == [wanted]
    with speaking_of({}):
        assert wanted != say_place("plate/end")


def test_of_very_many_sizes_those_that_are_looked_for_are_seen(qtbot, window) -> None:
    many = tuple(Size(name=f"s{k}", formula=f"{k} mm", note="odd" * (k % 2)) for k in range(400))
    window.session.take(plate().with_(sizes=(*plate().sizes, *many)), None)
    panel = window.shape.sizes
    assert len(panel.rows) == MOST_ROWS
    assert f"and {400 + len(plate().sizes) - MOST_ROWS} more" in panel.left_out.text()
    assert "s377" not in panel.rows
    qtbot.keyClicks(panel.finder, "s37")
    assert set(panel.rows) == {"s37", *(f"s37{k}" for k in range(10))}
    assert not panel.left_out.isVisible()
    panel.finder.clear()
    # One that is chosen elsewhere has a row, wherever it stands.
    panel.choose("s399")
    assert panel.rows["s399"].isVisible()
    assert len(panel.rows) == MOST_ROWS + 1
    window.session.edit(lambda d: edit.set_formula(d, "s399", "7 mm"), "s399")
    # On a slow machine so many sizes are worked out beside the window.
    qtbot.waitUntil(lambda: panel.rows["s399"].value.text() == "7 mm")
