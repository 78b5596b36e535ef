"""Flat parts as they are drawn for machines that cut: nothing lies on anything else, nothing is
left out."""

from __future__ import annotations

import io
import math
from itertools import combinations, pairwise

import ezdxf
import pytest
from shapely import union_all
from shapely.geometry import LineString, Polygon, box
from shapely.ops import polygonize

from schablone.core.design import Design, read_design
from schablone.core.design.rebuild import Rebuilt, rebuild
from schablone.core.kernel.flat_cuts import cuts_of
from schablone.core.practice import Measurable, features_of_file
from schablone.core.practice.caliper import Caliper
from schablone.core.practice.cutting import Laser, Router
from schablone.core.process import LensView, Process, neutral, shipped_processes
from schablone.core.process.calibrate import calibrate, slopes
from schablone.core.process.known import Material
from schablone.core.process.model import MachineKind
from schablone.core.process.readings import MadePiece, Reading
from schablone.core.process.sure import HOLDS_95, sure_of
from schablone.core.process.taking_over import calibrated_cut
from schablone.core.prove.from_a_sheet import from_a_sheet
from schablone.core.publish.exports import export
from schablone.core.publish.flat_layout import laid_out
from schablone.core.publish.pieces import pieces_of
from tests.conftest import TOP
from tests.parts.making import circle, cut, extrude, rectangle, sketch, step

WANTED = LensView("wanted", neutral())


def machine(name: str) -> Process:
    return next(process for process in shipped_processes() if process.name.startswith(name))


def built(steps: list[dict], view: LensView = WANTED) -> Rebuilt:
    found = rebuild(Design.model_validate({"name": "board", "steps": steps}), view)
    assert found.whole, [p.text for p in found.problems]
    return found


def areas_by_layer(data: bytes) -> dict[str, list[Polygon]]:
    """What the outlines on each layer of a DXF file enclose, read and put together by other
    libraries."""
    lines: dict[str, list[LineString]] = {}
    for entity in ezdxf.read(io.StringIO(data.decode())).modelspace():
        kind, layer = entity.dxftype(), entity.dxf.layer
        if kind == "LINE":
            lines.setdefault(layer, []).append(
                LineString([entity.dxf.start.vec2, entity.dxf.end.vec2])
            )
        elif kind in ("ARC", "CIRCLE", "ELLIPSE", "SPLINE"):
            lines.setdefault(layer, []).append(
                LineString([p.vec2 for p in entity.flattening(0.0005)])
            )
    return {
        layer: list(polygonize(union_all(each, grid_size=1e-6))) for layer, each in lines.items()
    }


BOARD = [sketch("o", rectangle("edge", "100 mm", "60 mm")), extrude("board", "o", "18 mm")]
#: A pocket from above, a rebate along an edge from below, and a hole.
WORKED = [
    *BOARD,
    sketch("p", rectangle("grip", "40 mm", "20 mm", "-20 mm"), plane="board/end"),
    extrude("grip_cut", "p", "7 mm", mode="cut", direction="down"),
    sketch("r", rectangle("strip", "12 mm", "60 mm", "44 mm"), plane="ground"),
    extrude("rebate", "r", "5 mm", mode="cut"),
    step("hole", "bore", face="board/end", diameter="8 mm", x="20 mm"),
]  # fmt: skip


def test_pockets_are_told_by_depth_and_face() -> None:
    body = built(WORKED).bodies["part"]
    found = cuts_of(body)
    assert [len(region.holes) for region in found.outlines] == [1]
    assert {(p.face, p.depth): p.region.area for p in found.pockets} == {
        ("upper", 7.0): pytest.approx(800),
        ("lower", 5.0): pytest.approx(720),
    }
    assert not found.missed
    # Two ways to the volume: what the sheet has less what is cut.
    sheet = sum(region.area for region in found.outlines) * 18
    assert sheet - sum(p.region.area * p.depth for p in found.pockets) == pytest.approx(
        body.figures().volume
    )


def test_a_part_that_is_cut_from_both_faces_is_drawn_from_both() -> None:
    design = Design.model_validate({"name": "board", "steps": WORKED})
    pieces = pieces_of(design, rebuild(design, WANTED), ".dxf")
    first, second = laid_out(pieces)
    assert (first.register, second.register) == (False, True)
    layers = areas_by_layer(export(pieces, "a.dxf"))
    assert set(layers) == {"OUTSIDE", "INSIDE", "POCKET 7", "POCKET 5", "REGISTER"}
    (outline,), (upper,), (lower,) = layers["OUTSIDE"], layers["POCKET 7"], layers["POCKET 5"]
    known = max(layers["REGISTER"], key=lambda area: area.area)
    # Where the rebate lies is seen mirrored from below: its distance to the left edge is what it
    # was to the right.
    assert outline.bounds[2] - upper.bounds[2] == pytest.approx(50)
    assert lower.bounds[0] - known.bounds[0] == pytest.approx(0)
    text = [
        e.dxf.text
        for e in ezdxf.read(io.StringIO(export(pieces, "a.dxf").decode()))
        .modelspace()
        .query("TEXT")
    ]
    assert any("turned over" in line for line in text)
    assert any("pockets 5 mm deep" in line for line in text)


def test_a_part_with_pockets_below_only_is_turned_over() -> None:
    design = Design.model_validate({"name": "board", "steps": [*BOARD, *WORKED[4:6]]})
    pieces = pieces_of(design, rebuild(design, WANTED), ".dxf")
    (laid,) = laid_out(pieces)
    assert [(p.face, p.depth) for p in laid.pockets] == [("upper", 5.0)]
    assert "POCKET 5" in areas_by_layer(export(pieces, "a.dxf"))


def test_undercuts_and_slopes_are_told_with_their_place() -> None:
    slot = [
        sketch("s", rectangle("t", "20 mm", "4 mm", "0 mm", "9 mm"), plane="front"),
        cut("groove", "s"),
    ]
    (undercut,) = cuts_of(built([*BOARD, *slot]).bodies["part"]).missed
    assert "between 7 and 11 mm" in undercut
    assert "x 0, y 0" in undercut
    leaning = extrude("board", "o", "18 mm", sides="leaning", lean="10 deg")
    assert "not upright" in cuts_of(built([BOARD[0], leaning]).bodies["part"]).missed[0]
    (finding,) = from_a_sheet(built([*BOARD, *slot], LensView("wanted", machine("Router"))))
    assert not finding.holds
    assert "undercut" in finding.why


def test_every_side_that_leans_is_told_by_name_also_as_it_is_sent() -> None:
    """A bevel cut upright at half of its height has the same volume: by that it is not seen."""
    worked = {
        "the bevel of lean": {"kind": "chamfer", "name": "lean", "by": "2 mm"},
        "the round of lean": {"kind": "fillet", "name": "lean", "radius": "2 mm"},
    }
    for which, lean in worked.items():
        lean["edges"] = [{"how": "around", "of": ["board/end"]}]
        (missed,) = cuts_of(built([*BOARD, lean]).bodies["part"]).missed
        assert missed.startswith(f"sides that are not upright ({which} and 3 more)")
        for lens in ("sent", "expected"):
            (problem,) = built([*BOARD, lean], LensView(lens, machine("Router"))).problems
            assert problem.severity == "warning"
            assert f"not upright ({which}" in problem.what
    # What a cut leaves of upright sides is no fault of the part.
    view = LensView("expected", machine("Laser Specht").with_(taper=2.0))
    for steps in (BOARD, WORKED):
        left = built(steps, view)
        assert all("kerf" in problem.what for problem in left.problems)  # of 18 mm it has none
        assert not any("not upright" in finding.why for finding in from_a_sheet(left))


def test_a_laser_cuts_no_pockets() -> None:
    for name, holds in (("Router", True), ("Laser", False)):
        (finding,) = from_a_sheet(built(WORKED, LensView("wanted", machine(name))))
        assert finding.holds is holds, finding.why
    assert from_a_sheet(built(WORKED, LensView("wanted", machine("Printer Amsel")))) == []


@pytest.mark.parametrize("lens", ["wanted", "sent"])
def test_the_boards_of_the_hive_box_lie_apart_and_are_whole(lens: str) -> None:
    design = read_design(TOP / "demo" / "hive-box.schablone")
    found = rebuild(design, design.seen(lens, machine("Router")))
    pieces = pieces_of(design, found, ".dxf")
    sheet = laid_out(pieces)
    boxes = [box(*laid.bounds()) for laid in sheet]
    assert all(a.intersection(b).area == 0 for a, b in combinations(boxes, 2))
    assert len({laid.title for laid in sheet}) == len(found.bodies) == 4
    for piece in pieces:
        cuts = cuts_of(piece.body)
        thick = min(b - a for a, b in zip(*piece.body.figures().bounds, strict=True))
        left = sum(r.area for r in cuts.outlines) * thick - sum(
            p.region.area * p.depth for p in cuts.pockets
        )
        assert left == pytest.approx(piece.body.figures().volume, rel=1e-6)
        assert not cuts.missed
    # Four blind grips, and a rebate in each of the two boards that carry the frames.
    pockets = [p for laid in sheet for p in laid.pockets]
    assert len(pockets) == 6
    layers = areas_by_layer(export(pieces, "a.dxf"))
    drawn = [
        area.area for layer, areas in layers.items() if layer.startswith("POCKET") for area in areas
    ]
    assert sorted(drawn) == pytest.approx(sorted(p.region.area for p in pockets), rel=1e-5)


def test_a_plain_plate_alone_stays_where_it_is_drawn() -> None:
    steps = [
        sketch(
            "o", rectangle("edge", "40 mm", "20 mm", "100 mm"), circle("hole", "6 mm", "100 mm")
        ),
        extrude("p", "o", "3 mm"),
    ]
    design = Design.model_validate({"name": "plate", "steps": steps})
    pieces = pieces_of(design, rebuild(design, WANTED), ".dxf")
    layers = areas_by_layer(export(pieces, "a.dxf"))
    assert set(layers) == {"OUTSIDE", "INSIDE"}
    assert layers["OUTSIDE"][0].bounds == pytest.approx((80, -10, 120, 10))
    assert b"<text" not in export(pieces, "a.svg")


def across(board: Polygon, x: float) -> tuple[list[tuple[float, float]], list[tuple[float, float]]]:
    """What stands and what is open along an upright line across a board, as spans from bottom to
    top."""
    low, high = board.bounds[1], board.bounds[3]
    cut_ = board.intersection(LineString([(x, low - 1), (x, high + 1)]))
    fingers = sorted(
        (part.bounds[1], part.bounds[3])
        for part in getattr(cut_, "geoms", [cut_])
        if part.length > 1
    )
    notches = [(a[1], b[0]) for a, b in pairwise(fingers)]
    return fingers, notches


@pytest.mark.parametrize("seed", [2, 6])
@pytest.mark.parametrize("kind", ["router", "laser or knife"])
def test_a_practice_machine_makes_the_hive_box_and_its_joints_come_out(
    kind: MachineKind, seed: int
) -> None:
    """Learned from one test piece, the boards are cut from the file on other days; each finger is
    held against its notch. Its pockets are no work for a laser, which is told."""
    maker: Router | Laser = Router.of(seed) if kind == "router" else Laser.of(seed)
    caliper, cutter = Caliper.of(seed), 6.0 if kind == "router" else 0.0
    coupon = read_design(TOP / "demo" / "cutting-coupon.schablone")
    blank = Process(
        name="R",
        kind=kind,
        material=Material(name="Spruce", density=0.45),
        cutter=cutter,
        stock=machine("Router").stock,
    )
    plain = rebuild(coupon, coupon.seen("sent", neutral()))
    features = features_of_file(export(pieces_of(coupon, plain), "c.dxf"), "c.dxf")
    read = caliper.readings(maker.make(features, 1, 1), 3, seed)
    piece = MadePiece(
        tuple(Reading(f.kind, f.size, v, f.label, f.axis) for f, values in read for v in values),
        "day 1",
        caliper.closed(),
    )
    process = calibrated_cut(
        blank, calibrate([piece], kind, cutter=cutter), "day 1", "Spruce", 18.0
    )

    design = read_design(TOP / "demo" / "hive-box.schablone")
    box_ = rebuild(design, design.seen("sent", process))
    assert box_.whole
    (made,) = from_a_sheet(box_)
    assert made.holds == (kind == "router")
    boards = areas_by_layer(export(pieces_of(design, box_), "box.dxf"))["OUTSIDE"]
    assert len(boards) == 4
    fingers, notches = [], []
    for board in boards:
        for x in (board.bounds[0] + 9, board.bounds[2] - 9):
            stand, open_ = across(board, x)
            # Those at the ends of a board are cut free on one side by its edge.
            fingers += [Measurable("length", b - a, 0.0, 0.0, "y") for a, b in stand[1:-1]]
            notches += [Measurable("opening", b - a, 0.0, 0.0, "y") for a, b in open_]
    assert len(fingers) >= 12
    wide, narrow = (maker.make(one, 40, 41 + k) for k, one in enumerate((notches, fingers)))
    gaps = [hole.size - finger.size for hole in wide for finger in narrow]
    ways = {
        name: slopes("opening", 23.0, "y", kind).get(name, 0)
        - slopes("length", 23.0, "y", kind).get(name, 0)
        for name in ("kerf", "inside", "shrinkage_xy")
    }
    around = HOLDS_95 * math.hypot(
        sure_of(process, ways, 23.0, process.spread_in("Spruce", 18.0), "straight").piece, 0.02
    )
    assert around < 0.3
    # The design leaves no gap between them: what is to be expected is none.
    assert sum(abs(gap) <= around for gap in gaps) >= 0.93 * len(gaps)
