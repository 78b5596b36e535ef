"""Ready-made files of several parts: by trimesh, ezdxf and shapely, on what was written."""

import io
import itertools
import math

import ezdxf
import numpy as np
import pytest
import trimesh
from shapely.geometry import Polygon
from shapely.ops import polygonize

from schablone.core.design import Design
from schablone.core.design.rebuild import rebuild
from schablone.core.editions import make_edition
from schablone.core.editions.ready import plans_of, ready_files
from schablone.core.process import Process, shipped_processes
from schablone.core.process.known import Stock
from schablone.core.publish.edition import read_edition_bytes
from tests.conftest import of_kind
from tests.core.test_own_processes import box_with_lid

PRINTER = Process.model_validate(
    {"name": "Small printer", "material": {"name": "PETG", "density": 1.27}, "bed": (70, 110, 100)}
)
LASER = Process.model_validate(
    {
        "name": "Laser", "kind": "laser or knife", "material": {"name": "ply", "density": 0.7},
        "bed": (300, 200, 20), "kerfs": [{"thickness": 3, "kerf": 0.2}],
    }
)  # fmt: skip


def boxes(widths: str = "30 mm", many: int = 1, **process: str) -> Design:
    """A box of 10 mm and lids of 3 mm, both standing on the same place, as they are designed."""
    steps: list[dict] = []
    for part, height in (("box", "10 mm"), ("lid", "3 mm")):
        shape = {"kind": "rectangle", "name": "edge", "width": "wide", "height": "2*wide"}
        steps += [
            {"kind": "sketch", "name": f"{part}_outline", "shapes": [shape]},
            of_kind("extrude", f"{part}_plate", sketch=f"{part}_outline", by=height, part=part),
        ]  # fmt: skip
    return Design.model_validate(
        {
            "sizes": [{"name": "wide", "formula": widths, "low": "10 mm", "high": "40 mm"}],
            "steps": steps,
            "parts": [{"name": "box"}, {"name": "lid", "count": str(many), **process}],
            "publish": {
                "adjust": [{"size": "wide"}], "author": "A",
                "presets": [{"name": "Usual"}, {"name": "Half", "sizes": {"wide": "15 mm"}}],
            },
        }
    )  # fmt: skip


def written(design: Design, process: Process) -> dict[str, bytes]:
    built = rebuild(design, design.seen("sent", process, [process, LASER]))
    return ready_files(design, built, process, "Usual", plans_of(design, built))


def solids(data: bytes, kind: str) -> list[trimesh.Trimesh]:
    found = trimesh.load(io.BytesIO(data), file_type=kind, force="mesh")
    return list(found.split(only_watertight=True))


def names(files: dict[str, bytes]) -> list[str]:
    return sorted(path.rpartition("/")[2] for path in files)


class TestBeds:
    def test_each_bed_has_room_and_nothing_lies_on_another(self):
        files = written(boxes(many=3), PRINTER)
        # 30 by 60 mm: with 5 mm to the edge and 6 mm between, two lie on one bed only if they do
        # not stand beside each other.
        beds = {n: d for n, d in files.items() if n.endswith(".stl")}
        assert len(beds) == 2
        volumes = []
        for name, data in beds.items():
            there = solids(data, "stl")
            again = solids(files[name.replace(".stl", ".3mf")], "3mf")
            for one in there:
                low, high = one.bounds
                assert low[2] == pytest.approx(0, abs=1e-6)
                assert (low[:2] >= 5 - 1e-3).all()
                assert (high[:2] <= np.array(PRINTER.bed[:2]) - 5 + 1e-3).all()
                volumes += [one.volume] * (3 if "3-times" in name else 1)
            assert sorted(o.volume for o in again) == pytest.approx(
                sorted(o.volume for o in there), rel=1e-6
            )
            for a, b in itertools.combinations(there, 2):
                gap = np.maximum(a.bounds[0] - b.bounds[1], b.bounds[0] - a.bounds[1])[:2].max()
                assert gap >= 6 - 1e-3
        assert sorted(volumes) == pytest.approx(sorted([5400.0] * 3 + [18000.0]), rel=1e-6)
        assert "usual-bed-1.3mf" in names(files)
        assert "usual.step" in names(files)

    def test_what_lies_on_one_bed_is_one_file(self):
        wide = PRINTER.model_copy(update={"bed": (220.0, 110.0, 100.0)})
        files = written(boxes(many=3), wide)
        assert names(files) == ["usual.3mf", "usual.step", "usual.stl"]
        assert len(solids(next(d for n, d in files.items() if n.endswith(".stl")), "stl")) == 4

    def test_up_to_the_edge_where_it_must_be(self):
        tight = PRINTER.model_copy(update={"bed": (33.0, 63.0, 100.0)})
        files = written(boxes(), tight)
        assert len([n for n in files if n.endswith(".3mf")]) == 2

    def test_one_part_stays_as_it_is_designed(self):
        alone = boxes()
        alone = alone.model_copy(update={"steps": alone.steps[:2], "parts": alone.parts[:1]})
        files = written(alone, PRINTER)
        assert names(files) == ["usual.3mf", "usual.step", "usual.stl"]
        (one,) = solids(next(d for n, d in files.items() if n.endswith(".stl")), "stl")
        assert one.bounds[0] == pytest.approx([-15, -30, 0], abs=1e-6)


class TestSheets:
    def outlines(self, data: bytes) -> list[Polygon]:
        space = ezdxf.read(io.StringIO(data.decode("utf8"))).modelspace()
        lines = [
            [(line.dxf.start.x, line.dxf.start.y), (line.dxf.end.x, line.dxf.end.y)]
            for line in space.query("LINE")
        ]
        return list(polygonize(lines))

    @pytest.mark.parametrize("size", [(400.0, 130.0), (75.0, 75.0)])
    def test_boards_of_one_thickness_share_sheets(self, size):
        stock = Stock(name="birch 3", material="", nominal=3.0, measured=3.0, size=size)
        laser = LASER.model_copy(update={"stock": (stock,)})
        files = written(boxes(many=4), laser)
        drawn = [(n, d) for n, d in files.items() if n.endswith(".dxf") and "3-mm" in n]
        lids = [self.outlines(data) for _, data in drawn]
        times = 1 if size[0] > 300 else 2
        assert sum(map(len, lids)) * times == 4
        assert len(drawn) == 1  # sheets that are alike are cut from one file
        for name, there in zip((n for n, _ in drawn), lids, strict=True):
            assert ("sheet-1-2-times" in name) == (times > 1)
            for one in there:
                assert one.area == pytest.approx(30.2 * 60.2, rel=1e-9)  # half a kerf all round
                x0, y0, x1, y1 = one.bounds
                assert min(x0, y0) >= 5 - 0.1
                assert x1 <= size[0] - 5 + 0.1
                assert y1 <= size[1] - 5 + 0.1
            for a, b in itertools.combinations(there, 2):
                assert a.distance(b) >= 2.9


def test_what_finds_no_room_is_left_out_and_told_never_laid_in_each_other():
    # A board of 30 by 60 mm fits this bed, and not with the half kerf that is added all round.
    tight = LASER.model_copy(update={"bed": (30.0, 60.0, 20.0)})
    edition = read_edition_bytes(make_edition(boxes(), [tight], lambda *_: b"picture"))
    ready = [n for n in edition.members if n.startswith("ready/")]
    assert ready
    assert not any("usual" in n for n in ready)
    assert "Usual on Laser: " in edition.members["README.md"].decode()


def test_each_machine_gets_what_it_makes():
    files = written(boxes(many=2, process="Laser"), PRINTER)
    cut = [n for n in files if n.endswith((".dxf", ".svg"))]
    printed = [n for n in files if n.endswith((".stl", ".3mf"))]
    assert len(cut) == 2
    assert names(dict.fromkeys(printed, b"")) == ["usual.3mf", "usual.stl"]
    assert len(solids(files[printed[0]], printed[0].rpartition(".")[2])) == 1
    assert len(TestSheets().outlines(next(files[n] for n in cut if n.endswith(".dxf")))) == 2


def test_an_edition_is_the_same_twice_and_tells_how_far_it_is():
    heard: list[tuple[str, int, int]] = []

    def at(what: str, done: int, of: int) -> None:
        heard.append((what, done, of))

    design = boxes(many=3)
    pair = [make_edition(design, [PRINTER], lambda *_: b"picture", at=at) for _ in range(2)]
    assert pair[0] == pair[1]
    assert heard[:3] == [
        ("Usual on Small printer", 0, 3), ("Half on Small printer", 1, 3),
        ("the page and its pictures", 2, 3),
    ]  # fmt: skip
    edition = read_edition_bytes(pair[0])
    page = edition.members["README.html"].decode()
    assert ">3MF bed 2, 3 times</a>" in page
    assert ">3MF</a>" in page  # the half size lies on one bed
    assert edition.members["drawing.pdf"].startswith(b"%PDF")
    assert 'href="drawing.pdf"' in page


def test_a_box_and_its_lid_on_two_machines_are_an_edition():
    known = shipped_processes()
    printer = known[0].model_copy(update={"name": "Printer"})
    edition = read_edition_bytes(make_edition(box_with_lid(), [printer, LASER], lambda *_: b"p"))
    ready = [n for n in edition.members if n.startswith("ready/printer")]
    assert {n.rpartition(".")[2] for n in ready} == {"3mf", "stl", "dxf", "svg", "step"}
    area = sum(p.area for p in TestSheets().outlines(
        next(edition.members[n] for n in ready if n.endswith(".dxf"))
    ))  # fmt: skip
    assert math.isclose(area, 20.2**2, rel_tol=1e-9)
