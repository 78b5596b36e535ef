"""The full check of a solid that looks at one of many alike faces."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.gp import gp_Trsf, gp_Vec
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Shape

from schablone.core.kernel.occ import validity
from schablone.core.kernel.occ.combine import combine
from schablone.core.kernel.occ.kept import as_drawn
from schablone.core.kernel.occ.outlines import drawn_with, wires_of
from schablone.core.kernel.occ.solids import Solid, enclosed_by
from schablone.core.kernel.occ.sound_faces import at_fault
from schablone.core.kernel.prism import Prism

from .test_aside import GROUND
from .test_seated import block, disc, prism, rectangle


def holes(count: int, size: float) -> list[Prism]:
    return [
        prism(GROUND, (rectangle(x, y, size, 2) if k % 2 else disc(x, y, 2)), -1.0, 11.0, f"h{k}")
        for k in range(count)
        for x, y in [(6.0 * (k % 8) - 21, 6.0 * (k // 8) - 12)]
    ]


@pytest.fixture(scope="module")
def perforated() -> Solid:
    return combine(block(), "cut", holes(32, 3.0))


def is_moved(face: TopoDS_Shape) -> bool:
    return as_drawn(face)[1] is not None


def elsewhere(face: TopoDS_Shape) -> TopoDS_Shape:
    place = gp_Trsf()
    place.SetTranslation(gp_Vec(0.3, 0, 0))
    return face.Moved(TopLoc_Location(place))


def test_what_is_sound_is_found_so_by_both(perforated, monkeypatch):
    assert sum(map(is_moved, perforated.faces())) >= 32 // 2 * (1 + 4)
    assert BRepCheck_Analyzer(perforated.shape).IsValid()
    monkeypatch.setattr(validity, "_WORTH", 1)  # not by asking the kernel about the whole
    assert perforated.is_valid()


@pytest.mark.parametrize(
    "spoil",
    [
        lambda faces, k: faces[:k] + faces[k + 1 :],
        lambda faces, k: [*faces[:k], faces[k].Reversed(), *faces[k + 1 :]],
        lambda faces, k: [*faces[:k], elsewhere(faces[k]), *faces[k + 1 :]],
        lambda faces, k: [*faces, faces[k]],
    ],
    ids=["one is missing", "one is inside out", "one is elsewhere", "one is there twice"],
)
def test_what_does_not_close_is_found(perforated, spoil: Callable):
    faces = list(perforated.faces())
    for k in (0, next(k for k, face in enumerate(faces) if is_moved(face)), len(faces) - 1):
        spoiled = spoil(faces, k)
        shape = enclosed_by(spoiled)
        assert not validity.is_valid(shape, spoiled)


def test_holes_that_run_into_each_other_are_found():
    """Put in unseen, each as if it were alone."""
    apart = combine(block(), "cut", holes(32, 3.0))
    faces = list(apart.faces())
    wide = combine(block(), "cut", holes(32, 5.9))
    assert wide.is_valid()
    # The flat faces of one with the walls of the other: their edges are not the same.
    mixed = [f for f in faces if not is_moved(f)] + [f for f in wide.faces() if is_moved(f)]
    assert not validity.is_valid(enclosed_by(mixed), mixed)
    assert len(faces) == len(wide.faces())


def test_a_hole_that_was_lifted_off_its_face_is_found(perforated):
    """Of holes that are alike one is looked at; one that lies higher than it is another."""
    face = max((f for f in map(TopoDS.Face_s, perforated.faces())), key=lambda f: len(wires_of(f)))
    wires = wires_of(face)
    moved = [wire for wire in wires if is_moved(wire)]
    assert len(moved) > 16
    assert at_fault({0: face}, [0]) == []
    up = gp_Trsf()
    up.SetTranslation(gp_Vec(0, 0, 0.3))
    lifted = [
        TopoDS.Wire_s(w.Moved(TopLoc_Location(up))) if w.IsSame(moved[-1]) else w for w in wires
    ]
    spoiled = drawn_with(face, lifted)
    assert not BRepCheck_Analyzer(spoiled).IsValid()
    assert at_fault({0: spoiled}, [0]) == [0]
