"""Folded sheets close whatever is done to them, or say why not: looked at with other libraries."""

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import Point, Polygon

from schablone.core.design import Design
from schablone.core.design.rebuild import rebuild
from schablone.core.kernel.body import Body
from schablone.core.process import LensView, Process, shipped_processes
from schablone.core.prove import findings
from tests.conftest import of_kind
from tests.core.test_folding import BA, built, flange, folded, lines, machine, row

LASER = next(p for p in shipped_processes() if p.name == "Laser Uhu · sheet metal")


def told(design: Design) -> list[str]:
    return [p.what for p in built(design).problems if p.severity == "error"]


def look_closely(body: Body, *, blank: bool = True) -> None:
    """That the solid, its triangles and its blank are sound, and their volumes what is said."""
    said, solid, mesh = body.figures(), body.solid(), body.mesh(0.01)
    assert solid.is_valid()
    assert solid.volume == pytest.approx(said.volume, rel=1e-6)
    theirs = trimesh.Trimesh(mesh.points, mesh.triangles, process=True)
    # Flanges whose corners touch have four triangles at that edge, and are closed all the same.
    _, at_edge = np.unique(np.sort(theirs.edges, axis=1), axis=0, return_counts=True)
    assert (at_edge % 2 == 0).all()
    assert theirs.is_watertight or at_edge.max() > 2
    assert theirs.volume == pytest.approx(said.volume, abs=0.02 * said.area)
    if body.folded is not None and blank:
        region = body.folded.blank.region
        assert Polygon(region.outer.points(0.01), [h.points(0.01) for h in region.holes]).is_valid


def bored(x: str, y: str = "0 mm", across: str = "3 mm") -> list[dict]:
    """A round hole cut in the blank."""
    hole = {"kind": "circle", "name": "bore", "diameter": across, "x": x, "y": y}
    return [
        {"kind": "sketch", "name": "spot", "plane": "base/end", "shapes": [hole]},
        {"kind": "blank_cut", "name": "cut", "sketch": "spot"},
    ]


@pytest.mark.parametrize("way", ["up", "down"])
@pytest.mark.parametrize("edge", ["right", "left", "top", "bottom"])
def test_a_hole_that_lies_within_a_bend(way, edge):
    side = {"right": (48, 0), "left": (-48, 0), "top": (0, 28), "bottom": (0, -28)}[edge]
    rim = flange(edge, height="30 mm", way=way)
    body = built(folded(rim, *bored(f"{side[0]} mm", f"{side[1]} mm"))).bodies["part"]
    whole = built(folded(rim)).bodies["part"]
    # The share that the circle has of the strip is what it takes of the ring.
    ring = math.pi / 2 * 2 * (3 + 1) * math.pi * 1.5**2 / BA
    assert whole.figures().volume - body.figures().volume == pytest.approx(ring, rel=1e-9)
    look_closely(body)


@pytest.mark.parametrize("relief", ["none", "square", "round", "torn"])
def test_an_edge_next_to_a_curved_side_is_freed(relief):
    """On the straight side of a slot nothing falls back beside the flange."""
    slot = {"kind": "slot", "name": "edge", "length": "60 mm", "width": "30 mm"}
    design = Design.model_validate(
        {
            "name": "Tongue",
            "steps": [
                {"kind": "sketch", "name": "outline", "shapes": [slot]},
                {"kind": "sheet", "name": "base", "sketch": "outline", "thickness": "2 mm"},
                flange("top", height="20 mm", relief=relief, relief_by="formula"),
            ],
        }
    )
    for lens in ("wanted", "sent"):
        body = built(design, lens=lens).bodies["part"]
        look_closely(body)
    wide = {"none": 0.005, "torn": 0.05}.get(relief, 1.0)
    blank = built(design).bodies["part"].folded.blank.region
    there = Polygon(blank.outer.points(0.001))
    for x in (15, -15):  # where the straight side ends, and the bend with it
        beside = math.copysign(abs(x) + wide / 2, x)
        assert not there.contains(Point(beside, 10.5))
        assert there.contains(Point(math.copysign(abs(x) + wide + 0.01, x), 10.5))


def test_where_the_sheet_stands_out_beside_a_flange_it_comes_past():
    """In an inner corner the flange lies beside the sheet all along its blank."""
    corner = {"kind": "rectangle", "name": "arm", "width": "30 mm", "height": "40 mm",
              "x": "35 mm", "y": "50 mm"}  # fmt: skip
    plate = folded()
    steps = list(plate.model_dump()["steps"])
    steps[0]["shapes"] = [*steps[0]["shapes"], corner]
    steps.append(flange("top", height="20 mm", relief="square"))
    design = Design.model_validate({"name": "L", "steps": steps})
    body = built(design).bodies["part"]
    look_closely(body)
    assert findings(design, built(design))[0].holds
    # 20 mm to the plan, less 5 mm set back, and the bend: so long the arm is parted from it.
    blank = Polygon(body.folded.blank.region.outer.points(0.001))
    tip = 30 - 5 + BA + 15
    assert not blank.contains(Point(21, tip - 0.01))
    assert blank.contains(Point(23, tip - 0.01))


def test_reliefs_of_whole_edges_may_be_told_by_formulas():
    assert told(folded(flange("right", relief="square", relief_by="formula"))) == []


def test_a_round_relief_is_as_deep_as_it_is_round():
    shallow = flange(
        "right", extent="centred", width="20 mm", relief="round", relief_by="formula",
        relief_width="3 mm", relief_depth="1 mm",
    )  # fmt: skip
    assert told(folded(shallow)) == [
        "A round relief 3 mm wide goes 1.5 mm beyond the bend at least; it is to go 1 mm (from "
        "“1 mm”)."
    ]


@pytest.mark.parametrize("kind", ["hem", "flange"])
def test_an_edge_that_was_folded_across(kind):
    """Both its halves are met at once, and where the first trims the bend, the second is trimmed
    to the same line."""
    across = {"kind": "fold", "name": "crease_fold", "sketch": "mark", "about": "crease",
              "angle": "30 deg", "line_is": "start"}  # fmt: skip
    edge = {"kind": kind, "name": "rim", "way": "down",
            "edges": [{"how": "around", "of": ["base/side/edge.bottom"]}]}  # fmt: skip
    design = lines(across, edge)
    body = built(design).bodies["part"]
    assert told(design) == []
    assert len(body.folded.bends) == 3
    look_closely(body)


def test_a_hem_beside_a_bend_that_both_cut_back():
    """Where one end of a bend is cut back and the other is not, no edge of no length is left."""
    edges = ("base/side/edge.bottom", "rim/left_end")
    hem = {
        "kind": "hem", "name": "hem", "way": "up",
        "edges": [{"how": "around", "of": [edge]} for edge in edges],
    }  # fmt: skip
    body = built(folded(flange("right", height="10 mm"), hem, t="1 mm")).bodies["part"]
    assert len(body.folded.bends) == 3
    for panel in body.folded.panels:
        assert all(curve.length > 1e-3 for curve in panel.region.outer.curves)


def test_a_sheet_that_would_hang_by_a_point_is_refused():
    """A hole that only just touches where a bend starts, which is 5 mm inside of the edge."""
    hole = {"kind": "hole", "name": "bore", "face": "base/end", "x": "41 mm", "diameter": "8 mm"}
    (wrong,) = told(folded(hole, flange("right", height="30 mm")))
    assert wrong == "The outline of base would touch itself at x 45, y 0 mm on the blank."


class TestCutByABeam:
    """Reliefs that are one cut, on a machine whose cut is 0.14 mm wide."""

    def sheet(self, relief: str, *more: dict, lens: str = "sent", cutter: Process = LASER):
        rim = flange("right", height="30 mm", extent="centred", width="20 mm", relief=relief)
        design = folded(rim, *more)
        view = LensView(lens, machine(row(2.0, 3.0)), cutters=(("part", cutter),))
        return design, rebuild(design, view)

    def test_a_torn_relief_is_still_there_when_it_is_sent(self):
        _, made = self.sheet("torn")
        (prism,) = made.bodies["part"].prisms
        sent = Polygon(prism.region.outer.points(0.001))
        kerf = LASER.kerf_in("Steel", 2.0)
        assert kerf > 0.05  # wider than the slit itself
        beside = 10 + kerf / 2 + 0.025
        assert not sent.contains(Point(47, beside))
        assert sent.contains(Point(47, beside + 0.03))
        assert sent.contains(Point(47, beside - 0.03))

    def test_holes_of_blanks_that_a_beam_does_not_get_into_are_told(self):
        tiny = {"kind": "hole", "name": "bore", "face": "base/end", "diameter": "0.05 mm"}
        for lens in ("wanted", "sent", "expected"):
            told = {f.name: f for f in findings(*self.sheet("square", tiny, lens=lens))}
            place = told["Laser Uhu · sheet metal gets into every place"]
            assert not place.holds
            assert "does not get into" in place.why


EDGES = ("left", "right", "top", "bottom")


@st.composite
def sheets(draw) -> Design:
    """A sheet with a flange, and two more things done to it at figures at which much touches."""
    thick = draw(st.sampled_from((1, 2, 3)))
    name_of = iter(("rim", "second", "third"))

    def edge_work() -> dict:
        edges = draw(st.lists(st.sampled_from((*EDGES, "tip", "end")), min_size=1, max_size=3))
        of = {"tip": "rim/tip", "end": "rim/left_end"}
        rules = [{"how": "around", "of": [of.get(e, f"base/side/edge.{e}")]} for e in set(edges)]
        return of_kind(
            draw(st.sampled_from(("flange", "flange", "hem"))),
            next(name_of),
            edges=rules,
            way=draw(st.sampled_from(("up", "down"))),
        )

    def leg() -> dict:
        return {
            "height": draw(st.sampled_from(("10 mm", "15 mm", "20 mm"))),
            "angle": draw(st.sampled_from(("90 deg", "45 deg", "120 deg"))),
            "lies": draw(st.sampled_from(("within", "beyond", "starts"))),
            "relief": draw(st.sampled_from(("none", "square", "round", "torn"))),
            "corners": draw(st.sampled_from(("open", "meeting"))),
            "extent": draw(st.sampled_from(("whole", "centred", "from_to"))),
            "width": "20 mm",
            "begin": "0 mm",
            "end": "20 mm",
        }

    def cut() -> dict:
        spots = st.sampled_from((-48, -30, -10, 0, 10, 30, 48))
        return {
            "kind": "blank_cut", "name": next(name_of), "sketch": "spot",
            "of": (draw(spots), draw(spots) * 0.6, draw(st.sampled_from((2, 5, 10)))),
        }  # fmt: skip

    steps = [flange(draw(st.sampled_from(EDGES)), **leg())]
    next(name_of)
    for _ in range(2):
        step = edge_work() if draw(st.booleans()) else cut()
        if step["kind"] == "flange":
            step |= leg()
        if step["kind"] == "blank_cut":
            x, y, across = step.pop("of")
            first, second = bored(f"{x} mm", f"{y} mm", f"{across} mm")
            first["name"] = step["sketch"] = f"spot_{step['name']}"
            steps += [first, {**second, **step}]
        else:
            steps.append(step)
    return folded(*steps, t=f"{thick} mm")


@given(design=sheets())
def test_whatever_is_done_to_a_sheet_closes_or_is_told(design):
    process = machine(*(row(float(t), 3.0) for t in (1, 2, 3)))
    for lens in ("wanted", "sent"):
        made = built(design, process, lens)
        for problem in made.problems:
            assert "our fault" not in problem.text
        checks = {one.name: one.holds for one in findings(design, made)}
        if not checks["The part is solid"]:  # two flanges that touch along a line in space
            assert not checks["Nothing is in the way while it is folded"]
            continue
        for body in made.bodies.values():
            look_closely(body, blank=checks["Every blank is one flat piece"])
