"""A kind that one module outside of the program brings, from the list of steps to a built file. Run
by test_a_kind_of_ones_own.py in a process whose environment names the module's folder."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication

from schablone.cli.main import main
from schablone.core.design import Design, read_design
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import rebuild
from schablone.core.design.text import design_text
from schablone.core.process import LensView, Process, neutral
from schablone.core.process.known import Material
from schablone.core.steps import KINDS
from tests.conftest import plate
from tests.window.test_shape import settle, type_formula

PLATE = 100 * 40 * 4


def test_it_is_found_added_picked_edited_repeated_saved_and_built(
    qtbot, window, tmp_path, capsys
) -> None:
    window.session.take(plate(), None)
    settle(qtbot, window)
    panel, view = window.shape.steps, window.shape.view
    panel.open_add_menu()
    qtbot.keyClicks(panel.finder.line, "nipp")  # by another word than its title
    assert panel.finder.list.count() == 1
    assert not panel.finder.list.item(0).icon().isNull()
    qtbot.keyClick(panel.finder.line, Qt.Key.Key_Return)
    # It asks for its face, which is picked in the view.
    view.look("top")
    view.fit()
    QApplication.processEvents()
    x, y = view.camera.project(np.array([[30.0, 5.0, 4.0]]), view.width(), view.height())[0]
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))
    settle(qtbot, window)
    assert window.session.design.step("stud").face == "plate/end"
    card = panel.cards["stud"]
    card.edit("diameter")
    type_formula(qtbot, card.editors["diameter"], "6 mm")
    settle(qtbot, window)
    assert window.part.report["whole"], window.part.report["problems"]
    (part,) = window.part.report["parts"]
    assert part["volume"] == pytest.approx(PLATE + math.pi * 9 * 3)
    assert [path for path, _ in window.part.report["anchors"]["stud"]] == ["diameter"]
    panel.add_step("row")
    row = window.session.design.steps[-1]
    window.session.edit(
        lambda design: _set(design, row.name, of="stud", how="count", span="60 mm", count="3"),
        "row of studs",
    )
    settle(qtbot, window)
    assert window.part.report["whole"], window.part.report["problems"]
    assert window.part.report["parts"][0]["volume"] == pytest.approx(PLATE + 3 * math.pi * 9 * 3)
    path = tmp_path / "studs.schablone"
    window.session.save(path)
    assert read_design(path) == window.session.design
    assert "stud ø `6 mm` on top of plate" in design_text(read_design(path), neutral())
    assert main(["build", str(path), "--json"]) == 0
    built = json.loads(capsys.readouterr().out)
    assert built["parts"][0]["volume"] == pytest.approx(PLATE + 3 * math.pi * 9 * 3)


def _set(design: Design, name: str, **changes: str) -> Design:
    steps = tuple(step.with_(**changes) if step.name == name else step for step in design.steps)
    return design.model_copy(update={"steps": steps})


def test_its_diameter_is_corrected_like_any_other() -> None:
    stud = {"kind": "stud", "name": "stud", "face": "plate/end", "diameter": "outside(pin)"}
    design = plate(stud, sizes={"pin": "6 mm"})
    machine = Process(name="P", material=Material(name="stuff", density=1.0), peg_gain=0.1)
    built = rebuild(design, LensView("wanted", machine))
    (measure,) = measures_of(design, built).of["pin"]
    assert (measure.correction.side, measure.correction.round) == ("outside", True)
    assert KINDS["stud"].repeatable
