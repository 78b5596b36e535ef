"""STEP files as exporters of other libraries wrote them, against closed formulas of what is in
them: four libraries, of which two know nothing of the geometry kernel."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from OCP.BRep import BRep_Builder
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
from OCP.gp import gp_Pnt
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shell, TopoDS_Solid

from schablone.core.design import Design
from schablone.core.design.rebuild import Rebuilt, rebuild
from schablone.core.kernel.frame import add
from schablone.core.kernel.occ.exchange import step_of
from schablone.core.kernel.occ.mending import solid_in
from schablone.core.kernel.occ.plain import changed, plain_of
from schablone.core.kernel.occ.reading import read_step
from schablone.core.kernel.occ.solids import area_of, faces_of
from schablone.core.packed import packed
from schablone.core.process import LensView, neutral
from schablone.core.prove import findings
from tests.core.plain_parts import as_solid

FILES = Path(__file__).with_name("foreign_step")

#: A box of 36 × 26 × 6 mm with a ball of 2 mm led all over it (Steiner's formula).
ROUNDED = 36 * 26 * 6 + 4 * (36 * 26 + 26 * 6 + 6 * 36) + 4 * math.pi * 68 + 32 / 3 * math.pi
FLANGE = 10 * math.pi * (30**2 - 8**2 - 4 * 3**2)
CONE_AND_BALL = 20 / 3 * math.pi * (12**2 + 12 * 4 + 4**2) + 2 / 3 * math.pi * 4**3

#: Of each file: the volume in mm³, how many faces, and what is said of it.
WRITTEN = {
    "angle-of-loose-faces": ((40 * 5 + 5 * 25) * 12, 8, "Its faces were loose"),
    "flange": (FLANGE, 8, ""),
    "flange-written-again": (FLANGE, 8, ""),
    "hexagon-of-loose-faces": (600 * math.sqrt(3) * 10, 8, "Its faces were loose"),
    "plain-box": (10**3, 6, ""),
    "ring-in-metres": (2 * math.pi**2 * 20 * 5**2, 1, ""),
    "rounded-box": (ROUNDED, 26, ""),
    "square-hole": (20**3 - 6 * 6 * 20, 10, ""),
    "tip": (CONE_AND_BALL, 3, ""),
    "two-bars": (10 * 10 * 5, 6, "The file has 2 solids"),
}


def built(data: bytes) -> tuple[Design, Rebuilt]:
    step = {"kind": "imported", "name": "solid", "file": "a.step", "data": packed(data)}
    design = Design.model_validate({"steps": [step]})
    return design, rebuild(design, LensView("wanted", neutral()))


def test_there_are_ten() -> None:
    there = {path.stem for path in FILES.glob("*.step")}
    assert there == {*WRITTEN, "seam-left-out"}
    assert len(WRITTEN) == 10


@pytest.mark.parametrize("name", WRITTEN)
def test_it_is_read_as_it_was_meant(name: str) -> None:
    volume, faces, said = WRITTEN[name]
    design, found = built((FILES / f"{name}.step").read_bytes())
    told = [problem.what for problem in found.problems]
    assert len(told) == (1 if said else 0)
    assert all(said in what for what in told)
    assert found.whole
    body = found.bodies["part"]
    assert found.figures["part"].volume == pytest.approx(volume, rel=1e-9)
    assert body.mesh(0.02).volume() == pytest.approx(volume, rel=5e-3)
    assert len(body.solid().faces()) == faces
    assert all(one.holds for one in findings(design, found))


def test_a_wall_of_two_rims_without_a_seam_is_told_and_holds_no_check() -> None:
    """A cylinder's outline must run along a seam between its rims; the exporter left that out."""
    design, found = built((FILES / "seam-left-out.step").read_bytes())
    (problem,) = found.problems
    assert "the outline of face 7 does not close" in problem.what
    assert "may be wrong" in problem.what
    assert not all(one.holds for one in findings(design, found))


def test_faces_that_look_the_wrong_way_are_turned() -> None:
    shape = BRepPrimAPI_MakeBox(10.0, 20.0, 30.0).Shape()
    builder, shell, solid = BRep_Builder(), TopoDS_Shell(), TopoDS_Solid()
    builder.MakeShell(shell)
    for k, face in enumerate(faces_of(shape)):
        builder.Add(shell, face.Reversed() if k in (1, 4) else face)
    builder.MakeSolid(solid)
    builder.Add(solid, shell)
    found = solid_in(solid)
    assert found is not None
    assert "looked the wrong way" in found.words
    assert as_solid(found.shape).volume == pytest.approx(6000, rel=1e-12)


def test_loose_faces_one_within_the_other_are_no_solid_that_is_guessed_at() -> None:
    """The inner ones may be a hollow, or a part of their own."""
    builder, loose = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(loose)
    inner = BRepPrimAPI_MakeBox(gp_Pnt(2, 2, 2), 4.0, 4.0, 4.0).Shape()
    for face in (*faces_of(BRepPrimAPI_MakeBox(10.0, 10.0, 10.0).Shape()), *faces_of(inner)):
        builder.Add(loose, face)
    assert solid_in(loose) is None


@pytest.mark.parametrize("name", ["flange", "square-hole", "ring-in-metres"])
def test_its_faces_can_be_given_sizes(name: str) -> None:
    volume, _, _ = WRITTEN[name]
    plain = plain_of(as_solid(read_step((FILES / f"{name}.step").read_bytes())))
    wanted = {"flange": 8, "square-hole": 0, "ring-in-metres": 20}[name]
    k, surface = next(
        (k, s) for k, s in enumerate(plain.surfaces) if s is not None and s.radius == wanted
    )
    by = 0.25
    if surface.kind == "plane":
        moved = surface.with_(at=add(surface.at, surface.way, by))
    else:
        moved = surface.with_(radius=surface.radius - by)
    more = {
        "plane": by * area_of(plain.skeleton.faces[k].shape),
        "cylinder": math.pi * (8**2 - (8 - by) ** 2) * 10,
        "ring": -volume * by / 20,
    }
    found = changed(plain, {k: moved}, {})
    assert found.solid.volume == pytest.approx(volume + more[surface.kind], rel=1e-9)


def test_what_is_larger_than_a_house_is_told_and_not_meshed() -> None:
    _, found = built(step_of([("barn", as_solid(BRepPrimAPI_MakeBox(30e3, 2e3, 1e3).Shape()))]))
    (problem,) = found.problems
    assert "30.08 m across" in problem.what
    assert "another unit" in problem.what
