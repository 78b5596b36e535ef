"""A step that ends the worker. Run by test_a_kind_of_ones_own.py in a process whose environment
names the folder of its kind."""

from __future__ import annotations

import pytest

from schablone.core.design import edit
from schablone.core.steps import KINDS
from tests.conftest import plate
from tests.window.test_shape import settle

VOLUME = 100 * 40 * 4


def test_it_is_left_out_and_told_and_everything_else_is_there(qtbot, window) -> None:
    design = edit.put_step(plate(), KINDS["ender"](name="deep"))
    window.session.take(design, None)
    settle(qtbot, window)
    (part,) = window.part.report["parts"]
    assert part["volume"] == pytest.approx(VOLUME)
    told = [p for p in window.part.report["problems"] if p["name"] == "deep"]
    assert "ended the geometry kernel twice" in told[0]["what"]
    assert not window.part.report["whole"]
    # Every edit tries it again; with another depth it is no harm any more.
    window.session.edit(lambda d: edit.change_step(d, "deep", "depth", "7 mm"), "depth")
    settle(qtbot, window)
    assert "ended the geometry kernel" in window.part.report["problems"][0]["what"]
    window.session.edit(lambda d: edit.change_step(d, "deep", "depth", "3 mm"), "depth")
    settle(qtbot, window)
    assert window.part.report["whole"]
    assert not [p for p in window.part.report["problems"] if p["severity"] == "error"]
