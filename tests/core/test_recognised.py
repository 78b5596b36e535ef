"""Faces written as splines are taken for the planes, cylinders, cones and balls that they are."""

from __future__ import annotations

import math
import os
import signal

import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepBuilderAPI import BRepBuilderAPI_NurbsConvert
from OCP.BRepPrimAPI import BRepPrimAPI_MakeTorus
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopAbs import TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS_Shape
from scipy.integrate import quad

from schablone.core.design import Design
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.kernel.occ.exchange import step_of
from schablone.core.kernel.occ.face_facts import PLANE, facts_of
from schablone.core.kernel.occ.reading import read_step, step_in
from schablone.core.kernel.occ.recognised import recognised
from schablone.core.kernel.occ.solids import Solid
from schablone.core.packed import packed
from schablone.core.process import LensView, neutral
from schablone.core.solids.ties import Tie
from tests.core.plain_parts import (
    Faces,
    as_solid,
    ball,
    box,
    cone,
    cut,
    cylinder,
    fuse,
    plain,
    rounded,
    volume,
)
from tests.core.test_give_sizes import foot

PLATE = box(0, 0, 0, 40, 30, 10)
SHAPES = {
    "hole": lambda: cut(PLATE, cylinder((20, 15, -1), (0, 0, 1), 4, 20)),
    "blind hole": lambda: cut(PLATE, cylinder((20, 15, 4), (0, 0, 1), 4, 20)),
    "round edges": lambda: rounded(PLATE, 3, lambda edge: True),
    "peg": lambda: fuse(PLATE, cylinder((20, 15, 9), (0, 0, 1), 6, 12)),
    "cone": lambda: fuse(PLATE, cone((20, 15, 10), 8, 4, 6)),
    "tip": lambda: fuse(PLATE, cone((20, 15, 10), 8, 0, 6)),
    "half ball": lambda: fuse(PLATE, ball((20, 15, 10), 6)),
    "dent": lambda: cut(PLATE, ball((20, 15, 12), 6)),
    "whole ball": lambda: ball((3, 4, 5), 6),
    "slanted hole": lambda: cut(PLATE, cylinder((20, 15, -9), (0.3, 0.1, 1), 6, 40)),
    "crossing": lambda: fuse(
        cylinder((0, 0, 0), (0, 0, 1), 10, 40), cylinder((-20, 0, 20), (1, 0.3, 0.2), 6, 60)
    ),
    "hollow": lambda: cut(PLATE, box(5, 5, 3, 20, 10, 4)),
    "scale foot": foot,
}


def as_splines(shape: TopoDS_Shape) -> TopoDS_Shape:
    """The same solid, all its faces and edges splines."""
    found = BRepBuilderAPI_NurbsConvert(shape, True).Shape()
    return TopExp_Explorer(found, TopAbs_SOLID).Current()


def kinds(shape: TopoDS_Shape) -> list[str]:
    return [one.kind if one is not None else "free" for one in plain(shape).surfaces]


@pytest.mark.parametrize("name", SHAPES)
def test_a_solid_of_splines_is_taken_for_what_it_is(name: str) -> None:
    shape = SHAPES[name]()
    data = step_of([("part", as_solid(as_splines(shape)))])
    found = step_in(data)
    assert "written as splines that are flat or round" in found.words
    assert sorted(kinds(found.shape)) == sorted(kinds(shape))
    assert volume(found.shape, 1e-9) == pytest.approx(volume(shape, 1e-9), rel=1e-8)
    assert Solid(found.shape, ()).is_valid()
    # What is measured on it comes to the same as of the solid without splines.
    got, wanted = as_solid(found.shape), as_solid(shape)
    assert got.figures.area == pytest.approx(wanted.figures.area, rel=1e-6)
    for a, b in zip(got.figures.bounds, wanted.figures.bounds, strict=True):
        assert a == pytest.approx(b, abs=2e-4)


def test_what_is_no_such_surface_stays_a_spline() -> None:
    ring = BRepPrimAPI_MakeTorus(20, 5).Shape()
    half = BRepAlgoAPI_Common(ring, box(-40, 0, -40, 80, 80, 80)).Shape()
    shape = TopExp_Explorer(half, TopAbs_SOLID).Current()
    splines = as_splines(shape)
    found, count = recognised(splines)
    assert count == 2  # its flat ends
    assert kinds(found).count("free") == len(kinds(found)) - 2
    assert volume(found, 1e-9) == pytest.approx(math.pi**2 * 20 * 25, rel=1e-7)


def test_a_solid_without_splines_is_left_alone() -> None:
    shape = SHAPES["hole"]()
    assert recognised(shape) == (shape, 0)


def test_a_hole_of_splines_gets_a_size() -> None:
    """Its diameter can be changed, which of a spline nobody could."""
    shape = SHAPES["hole"]()
    data = step_of([("part", as_solid(as_splines(shape)))])
    faces = Faces(plain(read_step(data)))
    bore = faces.one(lambda s: s.kind == "cylinder")
    others = faces.all(lambda s: s.kind == "plane")
    ties = [Tie(kind="pin", of=tuple(others)), Tie(kind="diameter", of=(bore,), formula="12 mm")]
    design = Design.model_validate(
        {
            "steps": [
                {"kind": "imported", "name": "foot", "file": "a.step", "data": packed(data)},
                {"kind": "give_sizes", "name": "fit", "ties": [t.model_dump() for t in ties]},
            ]
        }
    )
    found = rebuild(design, LensView("wanted", neutral()), Memory())
    assert not [p for p in found.problems if p.severity == "error"], found.problems
    wanted = 40 * 30 * 10 - math.pi * 36 * 10
    assert found.figures["part"].volume == pytest.approx(wanted, rel=1e-9)


def test_where_cylinders_cross_volumes_are_exact() -> None:
    """Crossing at right angles through the middle, thin through thick: a closed formula is only
    known for equal ones (Archimedes), 16/3 r³."""
    one = cylinder((0, 0, -20), (0, 0, 1), 6, 40)
    other = cylinder((-20, 0, 0), (1, 0, 0), 6, 40)
    both = Solid(fuse(one, other), ())
    assert both.volume == pytest.approx(2 * math.pi * 36 * 40 - 16 / 3 * 216, rel=1e-7)
    slanted = Solid(SHAPES["crossing"](), ())
    assert slanted.volume == pytest.approx(volume(slanted.shape, 1e-10), rel=1e-9)


@pytest.mark.parametrize("ends", ["dies", "fails"])
def test_a_solid_is_read_all_the_same_where_looking_at_its_splines_fails(ends, monkeypatch) -> None:
    def ill(shape: TopoDS_Shape) -> tuple[TopoDS_Shape, int]:
        if ends == "dies":
            os.kill(os.getpid(), signal.SIGSEGV)
        raise RuntimeError("the kernel gave up")

    monkeypatch.setattr("schablone.core.kernel.occ.reading.recognised", ill)
    deep = {"dies": 7.0, "fails": 9.0}[ends]
    data = step_of([("part", as_solid(as_splines(box(0, 0, 0, 20, 10, deep))))])
    found = step_in(data)
    assert found.words == ""
    assert set(kinds(found.shape)) == {"free"}
    assert volume(found.shape, 1e-9) == pytest.approx(200 * deep, rel=1e-9)


def test_a_flat_face_that_a_ring_stands_in_is_measured_exactly() -> None:
    """A ring upright in a block: the edges of the flat face are splines. What stands out of the
    block, by the segments of circles that a ring is made of, summed up by scipy."""
    big, small, low = 12.0, 3.0, 4.0

    def segment(radius: float) -> float:
        """Of a circle, what lies above a line beside its middle."""
        if radius <= low:
            return 0.0
        return radius**2 * math.acos(low / radius) - low * math.sqrt(radius**2 - low**2)

    def across(y: float) -> float:
        s = math.sqrt(small**2 - y**2)
        return segment(big + s) - segment(big - s)

    above, _ = quad(across, -small, small, epsabs=1e-12, epsrel=1e-12)
    ring = BRepPrimAPI_MakeTorus(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 1, 0)), big, small).Shape()
    found = Solid(fuse(box(-30, -20, low - 40, 60, 40, 40), ring), ())
    assert found.volume == pytest.approx(60 * 40 * 40 + above, rel=1e-9)

    def covered(y: float) -> float:
        """How wide the ring is on the flat face, on both sides."""
        s = math.sqrt(small**2 - y**2)
        return 2 * (math.sqrt((big + s) ** 2 - low**2) - math.sqrt((big - s) ** 2 - low**2))

    cover, _ = quad(covered, -small, small, epsabs=1e-12)
    level = [one for one in map(facts_of, found.faces()) if one.row[2] == PLANE]
    areas = [one.area for one in level if abs(one.row[3][2] - low) < 1e-9]
    assert math.fsum(areas) == pytest.approx(60 * 40 - cover, rel=1e-9)
