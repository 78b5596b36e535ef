"""Exports, read back by other libraries."""

import io
import itertools
import math
import zipfile
from pathlib import Path

import numpy as np
import pytest
import trimesh
from lxml import etree
from steputils import p21
from svgelements import SVG
from svgelements import Path as SvgPath

from schablone.core.design import Design
from schablone.core.design.rebuild import rebuild
from schablone.core.problem import SchabloneError
from schablone.core.process import Process, neutral
from schablone.core.publish.exports import FORMATS, export
from schablone.core.publish.pieces import pieces_of
from tests.conftest import of_kind, plate, slide_volume


@pytest.fixture
def sent(slide: Design, amsel: Process, build):
    return pieces_of(slide, build(slide, amsel, "sent"))


def sent_size() -> tuple[float, float, float]:
    return (372 - 0.06) / 0.997, (38 - 0.06) / 0.997, 4 / 0.9985


def sent_volume() -> float:
    return slide_volume(*sent_size(), 26, 8.18 / 0.997, 6.38 / 0.997)


def test_stl_is_binary_closed_and_in_millimetres(sent) -> None:
    data = export(sent, "a.stl")
    assert len(data) == 84 + 50 * int.from_bytes(data[80:84], "little")
    mesh = trimesh.load(io.BytesIO(data), file_type="stl")
    assert mesh.is_watertight
    assert mesh.extents == pytest.approx(sent_size(), abs=1e-4)
    assert mesh.volume == pytest.approx(sent_volume(), rel=1e-3)


def test_3mf_has_unit_name_and_material(sent, tmp_path: Path) -> None:
    path = tmp_path / "a.3mf"
    path.write_bytes(export(sent, path.name))
    scene = trimesh.load(path)
    mesh = scene.to_geometry() if hasattr(scene, "to_geometry") else scene
    assert mesh.volume == pytest.approx(sent_volume(), rel=1e-3)
    with zipfile.ZipFile(path) as archive:
        (name,) = [name for name in archive.namelist() if name.endswith(".model")]
        root = etree.fromstring(archive.read(name))
    space = {"m": "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"}
    assert root.get("unit") == "millimeter"
    assert root.xpath("//m:object/@name", namespaces=space) == ["Entrance slide"]
    assert root.xpath("//m:base/@name", namespaces=space) == ["PETG"]


def test_step_has_exact_cylinders_in_millimetres(sent, tmp_path: Path) -> None:
    path = tmp_path / "a.step"
    path.write_bytes(export(sent, path.name))
    file = p21.readfile(str(path))
    kinds = [
        entity.entity.name
        for entity in file.data[0].instances.values()
        if hasattr(entity, "entity")
    ]
    assert kinds.count("CYLINDRICAL_SURFACE") == 28
    assert kinds.count("MANIFOLD_SOLID_BREP") == 1
    radii = {
        round(entity.entity.params[2], 6)
        for entity in file.data[0].instances.values()
        if hasattr(entity, "entity") and entity.entity.name == "CYLINDRICAL_SURFACE"
    }
    assert radii == {round(8.18 / 0.997 / 2, 6), round(6.38 / 0.997 / 2, 6)}
    text = path.read_text()
    assert "SI_UNIT(.MILLI.,.METRE.)" in text
    assert "Entrance slide" in text


def test_dxf_keeps_circles_and_tells_inside_from_outside(sent, tmp_path: Path) -> None:
    path = tmp_path / "a.dxf"
    path.write_bytes(export(sent, path.name))
    drawing = trimesh.load(path)
    assert drawing.extents == pytest.approx(sent_size()[:2], abs=1e-6)
    assert drawing.area == pytest.approx(sent_volume() / sent_size()[2], rel=1e-3)
    text = path.read_text()
    assert text.count("\nCIRCLE\n") == 28
    assert "OUTSIDE" in text
    assert "INSIDE" in text


def test_svg_is_true_to_size(sent) -> None:
    data = export(sent, "a.svg").decode()
    width, height, _ = sent_size()
    assert f'width="{width:.6f}mm"' in data
    (path,) = [
        element
        for element in SVG.parse(io.StringIO(data)).elements()
        if isinstance(element, SvgPath)
    ]
    scale = 96 / 25.4  # svgelements works in pixels of 1/96 inch
    x0, y0, x1, y1 = path.bbox()
    assert ((x1 - x0) / scale, (y1 - y0) / scale) == pytest.approx((width, height), rel=1e-5)
    subpaths = list(path.as_subpaths())
    assert len(subpaths) == 29
    hole = SvgPath(subpaths[1])
    assert hole.length() / scale == pytest.approx(math.pi * 8.18 / 0.997, rel=1e-4)


def test_every_format_takes_a_part_with_a_pocket(build) -> None:
    pocket = of_kind("hole", "pit", face="plate/end", extent="depth", depth="2 mm", diameter="9 mm")
    design = plate(pocket)
    pieces = pieces_of(design, build(design))
    for ending in FORMATS.keys() - {".pdf"}:  # that is the bend sheet, of folded parts only
        assert len(export(pieces, f"a{ending}")) > 300
    mesh = trimesh.load(io.BytesIO(export(pieces, "a.STL")), file_type="stl")
    assert mesh.volume == pytest.approx(16000 - math.pi * 4.5**2 * 2, rel=1e-4)


def test_what_cannot_be_exported_is_told(sent) -> None:
    with pytest.raises(SchabloneError, match="no format"):
        export(sent, "a.doc")
    with pytest.raises(SchabloneError, match="no part to export"):
        export([], "a.stl")


@pytest.mark.parametrize("ending", [".stl", ".3mf"])
def test_parts_that_go_together_lie_apart_on_the_bed(ending: str) -> None:
    """Drawn where they go together, a lid on a box and a pin through both are none in another in
    the file: each stands on the bed on its own place, as it is to lie there."""
    box = {"name": "at", "kind": "rectangle"}
    design = Design.model_validate(
        {
            "parts": [{"name": "box"}, {"name": "lid", "down": "top"}, {"name": "pin"}],
            "steps": [
                {"kind": "sketch", "name": "a", "shapes": [
                    {**box, "width": "60 mm", "height": "40 mm"}]},
                {"kind": "extrude", "name": "box_s", "sketch": "a", "by": "20 mm", "part": "box"},
                {"kind": "sketch", "name": "b", "lift": "15 mm", "shapes": [
                    {**box, "width": "50 mm", "height": "30 mm"}]},
                {"kind": "extrude", "name": "lid_s", "sketch": "b", "by": "9 mm", "part": "lid"},
                {"kind": "sketch", "name": "c", "lift": "-10 mm", "shapes": [
                    {"name": "at", "kind": "circle", "diameter": "8 mm"}]},
                {"kind": "extrude", "name": "pin_s", "sketch": "c", "by": "50 mm", "part": "pin"},
            ],
        }
    )  # fmt: skip
    built = rebuild(design, design.seen("sent", neutral()))
    data = export(pieces_of(design, built, ending), f"a{ending}")
    loaded = trimesh.load(io.BytesIO(data), file_type=ending[1:])
    parts = [
        one for mesh in getattr(loaded, "geometry", {"": loaded}).values() for one in mesh.split()
    ]
    assert sorted(np.prod(one.extents[:2]) for one in parts) == pytest.approx(
        [8 * 8, 50 * 30, 60 * 40], rel=1e-3
    )
    for one in parts:
        assert one.is_watertight
        assert one.bounds[0][2] == pytest.approx(0, abs=1e-6)
    for a, b in itertools.combinations([one.bounds[:, :2] for one in parts], 2):
        assert (a[0] > b[1] + 5).any() or (b[0] > a[1] + 5).any()


@pytest.mark.parametrize("chamfered", [False, True])
@pytest.mark.parametrize("diameter", [3.0, 8.0, 18.0])
def test_chords_take_nothing_off_a_round_hole_and_nowhere_two_micrometres(
    diameter: float, chamfered: bool
) -> None:
    """The area of the hole in the file, cut through halfway up, against that of its circle; as a
    prism and by the kernel."""
    steps = [{"kind": "hole", "name": "bore", "face": "plate/end", "diameter": f"{diameter} mm"}]
    if chamfered:
        edge = {"how": "between", "of": ["plate/end", "plate/side/edge.left"]}
        steps.append({"kind": "chamfer", "name": "edge", "edges": [edge]})
    design = plate(*steps)
    built = rebuild(design, design.seen("sent", neutral()))
    mesh = trimesh.load(io.BytesIO(export(pieces_of(design, built), "a.stl")), file_type="stl")
    section = mesh.section(plane_origin=[0, 0, 2], plane_normal=[0, 0, 1])
    flat, _ = section.to_2D()
    (hole,) = flat.polygons_full[0].interiors
    area = abs(sum(a[0] * b[1] - b[0] * a[1] for a, b in itertools.pairwise(hole.coords)) / 2)
    # The file has single-precision numbers.
    assert math.sqrt(4 * area / math.pi) == pytest.approx(diameter, abs=2e-5)
    ring = np.array(hole.coords)[:-1]
    middle, ahead = (ring.max(axis=0) + ring.min(axis=0)) / 2, np.roll(ring, -1, axis=0)
    for places in (ring, (ring + ahead) / 2):
        away = np.linalg.norm(places - middle, axis=1)
        assert 2 * away == pytest.approx(np.full(len(away), diameter), abs=2e-3)
