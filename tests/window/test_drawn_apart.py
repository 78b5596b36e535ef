"""Parts that are drawn apart, or as they lie on a machine, are still where they are: what is picked
on them and measured between them is that of the design."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication

from schablone.core.design.model import Design
from tests.window.hands import Hands
from tests.window.test_shape import settle


def box(name: str, size: tuple[int, int, int], x: int, part: str) -> list[dict]:
    wide, high, by = (f"{length} mm" for length in size)
    outline = {"kind": "rectangle", "name": "edge", "width": wide, "height": high, "x": f"{x} mm"}
    return [
        {"kind": "sketch", "name": f"{name}_outline", "shapes": [outline]},
        {"kind": "extrude", "name": name, "sketch": f"{name}_outline", "by": by, "part": part},
    ]


@pytest.fixture
def apart(qtbot, window) -> Hands:
    """A base of 100 × 40 × 4 mm and a lid of 60 × 30 × 6 mm beside it, seen from a corner."""
    steps = [*box("base", (100, 40, 4), 0, "part"), *box("cover", (60, 30, 6), 90, "lid"),
             {"kind": "hole", "name": "bore", "diameter": "5 mm"}]  # fmt: skip
    printer = window.session.process.name
    design = {"steps": steps, "parts": [{"name": "part"}, {"name": "lid"}], "process": printer}
    window.session.take(Design.model_validate(design), None)
    settle(qtbot, window)
    hands = Hands(qtbot, window)
    hands.click("Draw the parts apart, to see what lies within")
    view = window.shape.view
    view.look("corner")
    qtbot.waitUntil(lambda: view._turning is None or view._turning.state().value == 0)
    view.fit()
    qtbot.waitUntil(lambda: view.is_refined)
    return hands


def seen_at(window, part: str, point: tuple[float, float, float]) -> QPoint:
    """The pixel at which a point of a part is drawn: by how far its box is drawn from where it
    is."""
    view = window.shape.view
    drawn = next(one for one in view.parts if one.name == part).shape.bounds()[0]
    true = next(one for one in view.given if one.name == part).shape.bounds()[0]
    spot = np.array([point]) + (drawn - true)
    x, y = view.camera.project(spot, view.width(), view.height())[0]
    return QPoint(round(x), round(y))


def test_a_hole_is_bored_where_its_face_was_clicked(apart: Hands, window, qtbot) -> None:
    drawn = next(one for one in window.shape.view.parts if one.name == "lid")
    assert drawn.shape.bounds()[0][0] > 100  # it is drawn to the right of where it is
    apart.click("Bore")
    apart.click("pick a face")
    apart.click_at(window.shape.view, seen_at(window, "lid", (110, 7, 6)))
    settle(qtbot, window)
    bore = window.session.design.step("bore")
    assert (bore.face, bore.x, bore.y) == ("cover/end", "110 mm", "7 mm")
    (lid,) = [one for one in window.part.report["parts"] if one["name"] == "lid"]
    assert lid["volume"] == pytest.approx(60 * 30 * 6 - math.pi * 2.5**2 * 6)
    # Its dimension stands at the hole, as that is drawn.
    window.shape.choose("step", "bore")
    qtbot.waitUntil(lambda: bool(window.shape.view.figures))
    view = window.shape.view
    (figure,) = [one for one in view._placed_figures() if one.path == "diameter"]
    spot = view.camera.project(np.array([figure.at]), view.width(), view.height())[0]
    hole = seen_at(window, "lid", (110, 7, 6))
    assert math.dist(spot, (hole.x(), hole.y())) < 40


def test_what_is_measured_between_them_is_that_of_the_design(apart: Hands, window, qtbot) -> None:
    view = window.shape.view
    window.questions.measure()
    apart.click_at(view, seen_at(window, "lid", (120, -15, 6)))
    apart.until("corner of")
    # Drawn nearer to each other meanwhile: the corners are those that are seen.
    slider = apart.find("from together to apart")
    slider.setValue(slider.maximum() // 2)
    apart.click_at(view, seen_at(window, "part", (50, -20, 4)))
    qtbot.waitUntil(lambda: window.questions.gauge.reading != "")
    assert window.questions.gauge.reading.startswith(f"{math.sqrt(70**2 + 5**2 + 2**2):.3f} mm")
    view.grab()
    apart.press(Qt.Key.Key_Escape)


def test_a_part_that_lies_on_its_side_is_picked_where_it_is(apart: Hands, window, qtbot) -> None:
    view = window.shape.view
    apart.click("Draw the parts apart, to see what lies within")
    view.lay("lid", "left")
    qtbot.waitUntil(lambda: view.is_refined)
    apart.click("Bore")
    apart.click("pick a face")
    # On its left side its top looks to the left or to the right, and is seen from there.
    lid = next(one for one in view.parts if one.name == "lid")
    middle = lid.placing.there((100, 5, 6))
    assert lid.placing.back(middle) == pytest.approx((100, 5, 6))
    for turn in (-90.0, 90.0):
        view.see_from(replace(view.camera, turn=turn, height=10.0))
        QApplication.processEvents()
        x, y = view.camera.project(np.array([middle]), view.width(), view.height())[0]
        there = view.face_at(x, y)
        if there is not None and view.describe(there)["name"] == "cover/end":
            apart.click_at(view, QPoint(round(x), round(y)))
            break
    settle(qtbot, window)
    bore = window.session.design.step("bore")
    assert (bore.face, bore.x, bore.y) == ("cover/end", "100 mm", "5 mm")
