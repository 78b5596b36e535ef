"""Meshes that become plain solids: the same part as the one that was meshed, its faces whole again;
what is no solid is told, what is harmless is mended."""

from __future__ import annotations

import io
import math
import zipfile

import numpy as np
import pytest
import trimesh
from hypothesis import example, given
from hypothesis import strategies as st

from schablone.core.kernel.occ.meshing import mesh_of
from schablone.core.kernel.occ.reading import read_step
from schablone.core.kernel.surfaces import Surface
from schablone.core.packed import unpacked
from schablone.core.problem import SchabloneError
from schablone.core.solids.from_mesh import part_of_mesh
from schablone.core.solids.mesh_flats import flats_of
from schablone.core.solids.mesh_in import NotAMesh, mended, read_net
from schablone.core.solids.mesh_regions import regions_of
from schablone.core.solids.ties import Tie
from schablone.reader import read
from tests.conftest import examples
from tests.core.free_forms import stl
from tests.core.plain_parts import (
    Faces,
    as_solid,
    box,
    bracket,
    build,
    cut,
    cylinder,
    design,
    faces_in,
    fuse,
    plain,
    volume,
)
from tests.core.test_give_sizes import BRACKET, foot


def triangles_of(shape, chord: float = 0.01) -> np.ndarray:
    """The triangles of a part, (n, 3, 3)."""
    mesh = mesh_of(as_solid(shape), chord)
    return np.asarray(mesh.points[mesh.triangles], dtype=float)


def back(data: bytes, name: str = "part.stl"):
    return read_step(part_of_mesh(data, name).data)


SHAPES = {
    "block": (lambda: box(0, 0, 0, 40, 30, 10), 6, 0),
    "hole": (lambda: cut(box(0, 0, 0, 40, 30, 10), cylinder((20, 15, -1), (0, 0, 1), 4, 20)), 6, 2),
    "blind hole": (
        lambda: cut(box(0, 0, 0, 40, 30, 10), cylinder((20, 15, 4), (0, 0, 1), 4, 20)), 7, 2),
    "peg": (lambda: fuse(box(0, 0, 0, 40, 30, 10), cylinder((20, 15, 9), (0, 0, 1), 6, 12)), 7, 2),
    "bracket": (lambda: bracket(**BRACKET), 8, 8),
    "scale foot": (foot, 28, 8),
    "slanted hole": (
        lambda: cut(box(0, 0, 0, 40, 30, 10), cylinder((10, 5, -9), (0.2, 0.3, 1), 3, 40)), 6, 2),
    "hollow": (lambda: cut(box(0, 0, 0, 40, 30, 10), box(5, 5, 3, 20, 10, 4)), 12, 0),
}  # fmt: skip


@pytest.mark.parametrize("name", SHAPES)
def test_a_mesh_becomes_the_part_that_was_meshed(name) -> None:
    make, flat, round_ = SHAPES[name]
    shape = make()
    data = stl(triangles_of(shape))
    net = read_net(data, "part.stl")
    found = regions_of(net, flats_of(net)).regions()
    assert (len(found.surfaces) - found.rounds, found.rounds) == (flat, round_)
    # Binary STL rounds to some seven digits.
    assert found.off < 1e-4
    after = back(data)
    assert volume(after, 1e-9) == pytest.approx(volume(shape, 1e-9), rel=3e-6)
    assert as_solid(after).is_valid()
    words = part_of_mesh(data, "part.stl").words
    assert "triangles" in words
    assert "Mended" not in words


def test_radii_and_places_come_back() -> None:
    shape = cut(box(0, 0, 0, 40, 30, 10), cylinder((12.5, 15, -1), (0, 0, 1), 3.25, 20))
    f = Faces(plain(back(stl(triangles_of(shape)))))
    holes = [s for s in f.solid.surfaces if s is not None and s.is_round]
    for hole in holes:
        assert isinstance(hole, Surface)
        assert hole.radius == pytest.approx(3.25, abs=2e-5)
        assert hole.at[:2] == pytest.approx((12.5, 15), abs=2e-5)
        assert hole.way == pytest.approx((0, 0, math.copysign(1, hole.way[2])))
        assert not hole.solid


def test_it_takes_sizes_as_a_solid_does() -> None:
    after = back(stl(triangles_of(bracket(**BRACKET))))
    bare = design(after, [])
    f = faces_in(bare)

    class Rounded(Faces):
        """Faces of what was rounded by a file."""

        def flat(self, axis: str, at: float, sense: int = 0, **near: float) -> str:
            k = "xyz".index(axis)
            return self.one(
                lambda s: (
                    s.kind == "plane" and abs(s.way[k]) > 1 - 1e-9 and abs(s.at[k] - at) < 1e-4
                )
            )

    g = Rounded(f.solid)
    left, right, low, top = g.flat("x", 0), g.flat("x", 60), g.flat("z", 0), g.flat("z", 36)
    down = f.all(lambda s: s.kind == "cylinder" and abs(s.way[2]) > 0.9)
    across = f.all(lambda s: s.kind == "cylinder" and abs(s.way[0]) > 0.9)
    ties = [
        Tie(kind="pin", of=(left, low)),
        Tie(of=(left, right), formula="width"),
        Tie(of=(low, top), formula="high"),
        Tie(kind="diameter", of=(down[0],), formula="bore"),
        *(Tie(of=(name, top)) for name in across[:1]),
    ]
    built = build(design(after, ties, {"width": "80 mm", "high": "50 mm", "bore": "7 mm"}))
    assert [p.text for p in built.problems if p.severity == "error"] == []
    # One of the two holes in the plate grew, one of the two in the wall went up with the top.
    plate = 80 * 40 * 6 - math.pi * (3.5**2 + 2.5**2) * 6
    wall = 5 * 40 * 44 - 2 * math.pi * 2**2 * 5
    assert built.figures["part"].volume == pytest.approx(plate + wall, rel=3e-6)


def test_formats_and_units() -> None:
    shape = cut(box(0, 0, 0, 40, 30, 10), cylinder((20, 15, -1), (0, 0, 1), 4, 20))
    triangles = triangles_of(shape)
    mesh = trimesh.Trimesh(*_indexed(triangles), process=False)
    wanted = volume(shape)
    for name, data in (
        ("part.obj", mesh.export(file_type="obj").encode()),
        ("part.stl", mesh.export(file_type="stl_ascii").encode()),
        ("PART.STL", mesh.export(file_type="stl")),
        ("part.3mf", _three_mf(mesh, "millimeter", 1.0)),
        ("inches.3mf", _three_mf(mesh, "inch", 25.4)),
        # Built at half its size, turned and moved: that is undone by what it is built with.
        ("built.3mf", _three_mf(mesh, "millimeter", 2.0, "0 2 0 -2 0 0 0 0 2 7 8 9")),
    ):
        assert volume(back(data, name)) == pytest.approx(wanted, rel=1e-5), name


def _indexed(triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    points, number = np.unique(triangles.reshape(-1, 3), axis=0, return_inverse=True)
    return points, number.reshape(-1, 3)


def _three_mf(mesh: trimesh.Trimesh, unit: str, scale: float, built: str = "") -> bytes:
    corners = "".join(f'<vertex x="{x:.9g}" y="{y:.9g}" z="{z:.9g}"/>' for x, y, z in
                      (mesh.vertices / scale).tolist())  # fmt: skip
    faces = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in mesh.faces.tolist())
    way = f' transform="{built}"' if built else ""
    space = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
    model = (
        f'<model unit="{unit}" xmlns="{space}"><resources><object id="1" type="model"><mesh>'
        f"<vertices>{corners}</vertices><triangles>{faces}</triangles>"
        f'</mesh></object></resources><build><item objectid="1"{way}/></build></model>'
    )
    kinds = (
        '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
        '<Default Extension="rels" '
        'ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="model" '
        'ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
    )
    begins = (
        '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
        '<Relationship Target="/3D/3dmodel.model" Id="rel0" '
        'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("[Content_Types].xml", kinds)
        archive.writestr("_rels/.rels", begins)
        archive.writestr("3D/3dmodel.model", model)
    return out.getvalue()


def test_what_is_harmless_is_mended_and_said() -> None:
    clean = triangles_of(cut(box(0, 0, 0, 40, 30, 10), cylinder((20, 15, -1), (0, 0, 1), 4, 20)))
    point = clean[0][0]
    spoilt = np.concatenate([
        clean,
        clean[3:5],  # twice there
        [[point, point, clean[0][1]]],  # without area
    ])  # fmt: skip
    spoilt[7] = spoilt[7][[0, 2, 1]]
    # Corners that a file has rounded apart.
    spoilt[9][1] += 1e-6
    net = mended(spoilt)
    assert net.volume == pytest.approx(mended(clean).volume, rel=1e-6)
    assert net.mended == (
        "3 triangles without area or twice there left out", "1 triangle turned round"
    )  # fmt: skip
    assert "Mended: 3 triangles" in part_of_mesh(stl(spoilt), "part.stl").words
    # An edge that passes a corner of its neighbours is parted there.
    whole_box = triangles_of(box(0, 0, 0, 40, 30, 10))
    a, b, c = whole_box[0]
    middle, beside = (a + b) / 2, whole_box[1:]
    passing = mended(np.array([[a, middle, c], [middle, b, c], *beside]))
    assert passing.volume == pytest.approx(40 * 30 * 10)
    assert passing.mended == ("1 edge parted at corners that lie on them",)
    # All of it inside out is turned as well; a smaller body beside it is left out.
    assert mended(clean[:, [0, 2, 1]]).volume == pytest.approx(mended(clean).volume)
    two = np.concatenate([clean, triangles_of(box(100, 0, 0, 5, 5, 5))])
    assert mended(two).mended == ("1 smaller body left out",)
    assert mended(two).volume == pytest.approx(mended(clean).volume)


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda t: t[1:], "It is not closed: 3 edges with nothing beside, one of them near"),
        (lambda t: t[:0], "part.stl holds no triangles."),
        (lambda t: t * np.nan, "part.stl has corners that lie nowhere."),
        (lambda t: t * [1, 1, 0], "It is not closed: "),
        (lambda t: t * [1, 0, 0], "It has no triangle with an area."),
        (lambda t: t * 1e7, "part.stl has corners that lie nowhere."),
    ],
)
def test_what_is_no_solid_is_told(spoil, words) -> None:
    triangles = spoil(triangles_of(box(0, 0, 0, 40, 30, 10)))
    with pytest.raises(NotAMesh) as told:
        part_of_mesh(stl(triangles), "part.stl")
    assert str(told.value).startswith(words)


def test_one_of_many_corners_is_told_soon() -> None:
    with pytest.raises(NotAMesh, match=r"200,000 are taken"):
        part_of_mesh(stl(np.zeros((200_001, 3, 3))), "huge.stl")


def test_it_comes_through_the_door(tmp_path) -> None:
    path = tmp_path / "part.stl"
    path.write_bytes(stl(triangles_of(bracket(**BRACKET))))
    data, words = read("mesh", path)
    assert "eight flat faces and eight round ones" in words
    assert "60 × 40 × 36 mm" in words
    assert volume(read_step(unpacked(data))) == pytest.approx(volume(bracket(**BRACKET)), rel=3e-6)
    for cut_off in (50, 90, 400):
        path.write_bytes(stl(triangles_of(box(0, 0, 0, 1, 2, 3)))[:cut_off])
        with pytest.raises(SchabloneError) as told:
            read("mesh", path)
        assert "cut off" in str(told.value)
    (tmp_path / "words.obj").write_text("v 1 2\nf 1 2 3\n")
    with pytest.raises(SchabloneError, match="corner is not there"):
        read("mesh", tmp_path / "words.obj")


@given(
    st.floats(8, 60), st.floats(8, 60), st.floats(0.5, 30), st.floats(0.1, 0.45), st.floats(0, 3)
)
@example(15.0, 15.0, 2.0, 0.4375, 0.0)
@example(60.0, 60.0, 0.5, 0.45, 1.0)
@examples(12)
def test_any_plate_with_a_hole_comes_back(wide, deep, thick, share, turn) -> None:
    """Turned about z by any angle, so that no direction is one of the axes; its wall may be shorter
    than its chords are wide, as long as it ends sharply."""
    r = share * min(wide, deep)
    shape = cut(
        box(0, 0, 0, wide, deep, thick), cylinder((wide / 2, deep / 2, -1), (0, 0, 1), r, 99)
    )
    c, s = math.cos(turn), math.sin(turn)
    triangles = triangles_of(shape, 0.02) @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])
    after = back(stl(triangles))
    wanted = (wide * deep - math.pi * r * r) * thick
    assert volume(after, 1e-9) == pytest.approx(wanted, rel=1e-5)
