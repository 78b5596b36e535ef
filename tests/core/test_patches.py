"""Whole patches of free surfaces measured in one go, against the kernel's own integration and
search."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from OCP.Bnd import Bnd_Box
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps
from OCP.TopoDS import TopoDS

from schablone.core.design import Design
from schablone.core.design.rebuild import rebuild
from schablone.core.kernel.occ import Solid
from schablone.core.kernel.occ.patch import patch_of
from schablone.core.process import LensView, neutral
from tests.conftest import examples, of_kind


def wire(
    radius: float, rise: float, turns: float, across: float, *more: dict[str, object]
) -> Solid:
    path = {
        "x": f"{radius!r} mm * cos(turned)",
        "y": f"{radius!r} mm * sin(turned)",
        "z": f"{rise!r} mm * turned / (1 turn)",
    }
    steps = [
        {**of_kind("sweep", "wire", wire=f"{across!r} mm", last=f"{turns!r} turn"), **path},
        *more,
    ]
    found = rebuild(
        Design.model_validate({"name": "wire", "steps": steps}), LensView("wanted", neutral())
    )
    assert found.whole, found.problems
    return found.bodies["part"].solid()


def by_kernel(solid: Solid) -> tuple[float, float, list[float]]:
    volume, area, box = GProp_GProps(), GProp_GProps(), Bnd_Box()
    BRepGProp.VolumeProperties_s(solid.shape, volume, 1e-9, False, False)
    BRepGProp.SurfaceProperties_s(solid.shape, area, 1e-9)
    BRepBndLib.AddOptimal_s(solid.shape, box, False, False)
    low, high = box.CornerMin(), box.CornerMax()
    p = volume.CentreOfMass()
    corners = [c for corner in (low, high) for c in (corner.X(), corner.Y(), corner.Z())]
    return volume.Mass(), area.Mass(), [*corners, p.X(), p.Y(), p.Z()]


@given(st.floats(8, 40), st.floats(4, 20), st.floats(0.2, 1.6), st.floats(0.5, 3))
@examples(12)
def test_they_come_to_what_the_kernel_comes_to(radius, rise, turns, across) -> None:
    solid = wire(radius, rise, turns, across)
    assert (
        sum(patch_of(TopoDS.Face_s(face)) is not None for face in solid.faces())
        == len(solid.names) - 2
    )
    volume, area, places = by_kernel(solid)
    assert solid.volume == pytest.approx(volume, rel=1e-6)
    assert solid.figures.area == pytest.approx(area, rel=1e-6)
    low, high = solid.figures.bounds
    assert [*low, *high, *solid.figures.centre] == pytest.approx(places, abs=2e-5)
    length = turns * math.hypot(math.tau * radius, rise)
    assert solid.volume == pytest.approx(math.pi * across**2 / 4 * length, rel=2e-6)  # Pappus


def test_what_is_cut_off_is_left_to_the_kernel() -> None:
    block = {"kind": "rectangle", "name": "edge", "width": "8 mm", "height": "6 mm", "x": "15 mm"}
    cut = [
        {"kind": "sketch", "name": "outline", "shapes": [block], "lift": "-5 mm"},
        {"kind": "extrude", "name": "away", "sketch": "outline", "mode": "cut", "by": "12 mm"},
    ]
    solid = wire(15.0, 10.0, 2.2, 2.0, *cut)
    whole = [patch_of(TopoDS.Face_s(face)) is not None for face in solid.faces()]
    assert any(whole)
    assert not all(whole)
    volume, area, places = by_kernel(solid)
    assert (solid.volume, solid.figures.area) == (
        pytest.approx(volume, rel=1e-6),
        pytest.approx(area, rel=1e-6),
    )
    assert [*solid.figures.bounds[0], *solid.figures.bounds[1]] == pytest.approx(
        places[:6], abs=2e-5
    )
