"""The hanging hook drawn from nothing with the mouse, and constrained until it is settled."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QApplication, QLineEdit

from schablone.core.design import edit
from tests.window.test_paper import accept, board, choose, click, idle  # noqa: F401 (board is a fixture)
from tests.window.test_shape import settle


def stroke(qtbot, board, tool: str, *places: tuple[float, float]) -> str:  # noqa: F811
    """Draw with a tool; the name of the new curve."""
    board.paper.take(tool)
    click(qtbot, board, *places)
    idle(board)
    return [c.name for c in board.desk.drawing.curves][-1]


def fill(board, words: str, text: str) -> None:  # noqa: F811
    """Type into a field of the chosen curve."""
    field = [f for f in board.panel.findChildren(QLineEdit) if f.accessibleName() == words][-1]
    field.setText(text)
    field.editingFinished.emit()
    QApplication.processEvents()


def measure(board, kind: str, formula: str, *of: str) -> None:  # noqa: F811
    choose(board, *of)
    accept(board, kind)
    row = board.panel.rows[board.desk.drawing.dimensions[-1].name]
    row.editor.line.setText(formula)
    row.editor.commit()
    QApplication.processEvents()


def test_the_hooks_outline_is_drawn_and_settled(qtbot, window, board) -> None:  # noqa: F811
    window.session.edit(lambda d: edit.add_size(d, "mouth", "26 mm"), "mouth")
    board.paper.scale, board.paper.origin = (
        4.0,
        QPointF(board.paper.width() / 2, board.paper.height() * 0.7),
    )
    spiral = stroke(qtbot, board, "formula", (0, 0))
    choose(board, spiral)
    for words, text in (
        ("turned from", "180 deg"),
        ("turned to", "360 deg"),
        ("radius", "mouth/2 + 10 mm * (turned - 180 deg) / (360 deg)"),
    ):
        fill(board, f"{words} of {spiral}", text)
    inner = stroke(qtbot, board, "line", (18, 0), (22, 70))
    outer = stroke(qtbot, board, "line", (36, 70), (33, 6))
    crown = stroke(qtbot, board, "arc_through", (36, 70), (22, 70), (29, 77))
    bow = stroke(qtbot, board, "arc_through", (-19, 4), (33, 6), (6, -24))
    tip = stroke(qtbot, board, "arc_through", (-13, 0), (-19, 4), (-17, 7))
    known = board.desk.drawing.by_name
    middle, hub = known[crown].centre, known[bow].centre
    for pair in (
        (inner, spiral),
        (inner, crown),
        (crown, outer),
        (outer, bow),
        (bow, tip),
        (tip, spiral),
    ):
        choose(board, *pair)
        accept(board, "tangent")
    choose(board, inner, outer)
    accept(board, "parallel")
    choose(board, hub, "x_axis")
    accept(board, "on")
    measure(board, "upright", "70 mm", "origin", middle)
    measure(board, "distance", "12 mm", known[spiral].end, outer)
    measure(board, "radius", "3 mm", tip)
    assert board.panel.state.text() == "Settled: nothing can move."
    assert len(board.desk.arrangement.faces) == 1
    window.session.edit(lambda d: edit.set_formula(d, "mouth", "40 mm"), "mouth = 40 mm")
    assert not board.desk.trouble
    assert board.desk.xy(known[spiral].start) == pytest.approx((-20, 0), abs=1e-6)
    window.shape.stop_drawing()
    window.shape.steps.add_step("extrude")
    settle(qtbot, window)
    assert window.part.report["whole"]
