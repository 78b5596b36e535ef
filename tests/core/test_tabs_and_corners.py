"""Tabs that hold cut parts in their sheet, and inner corners by their kind."""

from __future__ import annotations

import io
import math
from functools import cache
from itertools import pairwise

import ezdxf
import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from pydantic import ValidationError

from schablone.core.design import Design, edit
from schablone.core.design.rebuild import rebuild
from schablone.core.kernel.body import Body
from schablone.core.kernel.flat import moved_off, moved_off_and_relieved, plate_of, relieved
from schablone.core.kernel.frame import as_vector, facing
from schablone.core.kernel.occ.change import edges_of
from schablone.core.kernel.occ.combine import solid_of
from schablone.core.kernel.occ.measure import sinks
from schablone.core.kernel.occ.relief import relieved as relieved_solid
from schablone.core.kernel.tabs import Tabs, held
from schablone.core.practice import features_of_file
from schablone.core.process import Process
from schablone.core.process.known import Material
from schablone.core.prove import findings
from schablone.core.publish.exports import export
from schablone.core.publish.pieces import pieces_of
from schablone.core.sketch.corners import relieved_outline
from schablone.core.sketch.curves import EllipticArc, Segment
from schablone.core.sketch.loops import Loop
from schablone.core.sketch.offsetting import moved_region
from schablone.core.sketch.regions import Region
from schablone.core.sketch.shapes import circle, rectangle
from tests.conftest import examples, of_kind, plate

from .test_seated import polygon, prism

STUFF = Material(name="stuff", density=1.0)


def router(**more: object) -> Process:
    return Process.model_validate(
        {"name": "R", "kind": "router", "material": STUFF, "cutter": 6.0, **more}
    )


def lengths(chains) -> float:
    return math.fsum(curve.length for chain in chains for curve in chain)


class TestOutlines:
    @given(st.integers(0, 12), st.floats(0.5, 8), st.floats(30, 300), st.floats(30, 300))
    def test_what_is_cut_and_what_is_not_make_up_the_outline(self, count, gap, width, height):
        outline = rectangle("edge", 0, 0, width, height)
        found = held(outline, Tabs(count, gap))
        assert lengths(found.chains) + lengths([found.gaps]) == pytest.approx(outline.length)
        assert all(curve.length == pytest.approx(gap) for curve in found.gaps)
        assert len(found.chains) == max(1, len(found.gaps))
        for chain in found.chains:  # each piece hangs together
            for a, b in pairwise(chain):
                assert math.dist(a.end, b.start) < 1e-9

    def test_tabs_are_spread_evenly_and_keep_off_corners(self):
        found = held(rectangle("edge", 0, 0, 100, 60), Tabs(4, 5.0))
        middles = [((c.start[0] + c.end[0]) / 2, (c.start[1] + c.end[1]) / 2) for c in found.gaps]
        assert len(middles) == 4
        for x, y in middles:
            assert min(abs(abs(x) - 50), abs(abs(y) - 30)) < 1e-9  # on a side
            assert not (abs(x) > 50 - 5 and abs(y) > 30 - 5)

    def test_a_round_part_is_held_too(self):
        found = held(circle("disc", 0, 0, 40), Tabs(3, 2.0))
        assert len(found.gaps) == 3
        assert lengths(found.chains) == pytest.approx(math.pi * 40 - 6)

    def test_where_there_is_no_room_there_are_fewer(self):
        assert held(rectangle("edge", 0, 0, 6, 6), Tabs(4, 5.0)).gaps == ()
        assert len(held(rectangle("edge", 0, 0, 60, 6), Tabs(4, 5.0)).gaps) == 4


class TestFiles:
    hole = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "10 mm"}

    def dxf(self, machine: Process, **more: object) -> bytes:
        design = plate(self.hole, **more)
        built = rebuild(design, design.seen("sent", machine))
        return export(pieces_of(design, built), "piece.dxf")

    def outside(self, data: bytes) -> float:
        space = ezdxf.read(io.StringIO(data.decode())).modelspace()
        lines = space.query('LINE[layer=="OUTSIDE"]')
        return math.fsum((line.dxf.start - line.dxf.end).magnitude for line in lines)

    def test_the_cut_is_interrupted_for_the_tab_and_the_cutter(self):
        assert self.outside(self.dxf(router())) == pytest.approx(280)
        data = self.dxf(router(tabs=4, tab_width=5))
        assert self.outside(data) == pytest.approx(280 - 4 * (5 + 6))
        assert (
            len(
                ezdxf.read(io.StringIO(data.decode())).modelspace().query('CIRCLE[layer=="INSIDE"]')
            )
            == 1
        )

    def test_a_design_can_do_without(self):
        assert self.outside(
            self.dxf(router(tabs=4, tab_width=5), hold_by_tabs=False)
        ) == pytest.approx(280)

    def test_a_piece_that_was_held_measures_as_one_that_was_not(self):
        bare, tabbed = (
            features_of_file(self.dxf(machine), "piece.dxf")
            for machine in (router(), router(tabs=4, tab_width=5))
        )
        assert [f.label for f in bare] == [f.label for f in tabbed]

    def test_svg_has_a_path_for_each_piece(self):
        design = plate(self.hole)
        built = rebuild(design, design.seen("sent", router(tabs=4, tab_width=5)))
        text = export(pieces_of(design, built), "piece.svg").decode()
        assert text.count("<path") == 5  # four pieces of the outline, and the hole
        assert text.count("Z") == 1

    def test_too_little_room_is_told(self):
        small = Design.model_validate(
            {
                "steps": [
                    of_kind(
                        "sketch",
                        "o",
                        shapes=[of_kind("rectangle", "edge", width="18 mm", height="18 mm")],
                    ),
                    {"kind": "extrude", "name": "plate", "sketch": "o", "by": "4 mm"},
                ]
            }
        )
        for machine, holds in (
            (router(tabs=4, tab_width=5), False),
            (router(tabs=4, tab_width=1), True),
        ):
            built = rebuild(small, small.seen("wanted", machine))
            (finding,) = (f for f in findings(small, built) if "tabs" in f.name)
            assert finding.holds == holds

    def test_tabs_without_a_width_are_refused(self):
        with pytest.raises(ValidationError, match="width above zero"):
            router(tabs=3)


def cornered() -> Design:
    """A plate of 60 × 60 × 10 mm with a notch of 20 × 10 mm, an opening and a pocket (5 mm deep) of
    16 × 12 mm each."""
    notched = [
        of_kind(
            "sketch",
            "o",
            shapes=[{"kind": "rectangle", "name": "edge", "width": "60 mm", "height": "60 mm"}],
        ),
        {"kind": "extrude", "name": "plate", "sketch": "o", "by": "10 mm"},
        of_kind(
            "sketch",
            "n",
            plane="plate/end",
            shapes=[
                of_kind("rectangle", "notch", width="20 mm", height="20 mm", y="30 mm"),
                of_kind(
                    "rectangle", "opening", width="16 mm", height="12 mm", x="-15 mm", y="-10 mm"
                ),
            ],
        ),
        {"kind": "extrude", "name": "cut", "sketch": "n", "mode": "cut", "extent": "through"},
        of_kind(
            "sketch",
            "p",
            plane="plate/end",
            shapes=[
                of_kind("rectangle", "pocket", width="16 mm", height="12 mm", x="15 mm", y="-10 mm")
            ],
        ),
        of_kind("extrude", "sunk", sketch="p", mode="cut", by="5 mm", direction="down"),
    ]
    return Design.model_validate({"steps": notched})


def volume(lens: str, **more: object) -> float:
    design = cornered()
    built = rebuild(design, design.seen(lens, router(**more)))
    assert built.whole, [p.text for p in built.problems]
    return built.figures["part"].volume


WANTED = 60 * 60 * 10 - 20 * 10 * 10 - 16 * 12 * 10 - 16 * 12 * 5
#: What a round of 3 mm leaves in a corner, mm².
LEFT = (1 - math.pi / 4) * 9


def test_what_a_cutter_leaves_in_corners_that_are_not_relieved():
    # Two corners of the notch and four of the opening, 10 mm deep; four of the pocket, 5 mm deep.
    assert volume("expected") == pytest.approx(WANTED + LEFT * (6 * 10 + 4 * 5))
    assert volume("sent") == pytest.approx(WANTED)


def test_corners_are_relieved_by_their_kind():
    each = WANTED - volume("sent", relief="corner")
    notch = WANTED - volume("sent", relief="corner", relief_openings="none", relief_pockets="none")
    opening = WANTED - volume("sent", relief_openings="corner", relief_pockets="none")
    pocket = WANTED - volume("sent", relief_pockets="corner")
    assert notch == pytest.approx(2 * 10 * opening / (4 * 10))
    # as many corners, half as deep: the floor is left alone
    assert pocket == pytest.approx(opening / 2)
    assert each == pytest.approx(notch + opening + pocket)


def test_a_kind_may_be_relieved_while_another_is_rounded():
    both = volume("sent", relief="corner", relief_openings="radius", relief_pockets="none")
    notch = WANTED - volume("sent", relief="corner", relief_openings="none", relief_pockets="none")
    assert both == pytest.approx(WANTED - notch + LEFT * 4 * 10)


def test_the_relief_on_the_bisector_has_the_area_of_its_closed_formula():
    # A circle of radius r through the corner, its centre on the bisector: each side of the corner
    # cuts a segment of a quarter turn off it, r² (π/4 - 1/2), and both segments are taken away.
    opening = WANTED - volume("sent", relief_openings="corner", relief_pockets="none")
    assert opening / 40 == pytest.approx(2 * 9 * (math.pi / 4 - 1 / 2))


HOWS = ("corner", "along", "radius")


def notched(angle: float, deep: float, wide: float) -> Design:
    """A plate with a notch whose corners open by an angle, and an opening of the same corners."""
    lean = deep / math.tan(math.radians(angle)) if angle != 90 else 0.0
    outline = [
        (-60, -40),
        (60, -40),
        (60, 40),
        (wide / 2 - lean, 40),
        (wide / 2, 40 - deep),
        (-wide / 2, 40 - deep),
        (-wide / 2 + lean, 40),
        (-60, 40),
    ]
    opening = [
        (-wide / 2, -30),
        (wide / 2, -30),
        (wide / 2 - lean, -30 + deep),
        (-wide / 2 + lean, -30 + deep),
    ]
    shapes = [
        of_kind("polyline", name, points=[{"x": f"{x!r} mm", "y": f"{y!r} mm"} for x, y in points])
        for name, points in (("edge", outline), ("opening", opening))
    ]
    steps = [
        {"kind": "sketch", "name": "o", "shapes": shapes},
        {"kind": "extrude", "name": "plate", "sketch": "o", "by": "10 mm"},
    ]
    return Design.model_validate({"steps": steps})


@cache
def pocketed() -> Body:
    """The pocket of :func:`cornered` half over its opening, so that corners of both are divided."""
    design = cornered()
    over = design.step("p").shapes[0].model_copy(update={"x": "-11 mm", "y": "-14 mm"})
    changed = edit.change_step(design, "p", "shapes", (over,))
    (body,) = rebuild(changed, design.seen("wanted", router())).bodies.values()
    return body


class TestInTheOutline:
    """The same corners relieved in the outline and by the kernel's booleans."""

    @pytest.mark.parametrize("how", HOWS)
    @pytest.mark.parametrize("angle", [60.0, 75.0, 90.0, 110.0])
    def test_it_is_what_the_kernel_makes_of_it(self, how, angle):
        body = rebuild(
            design := notched(angle, 20.0, 50.0), design.seen("wanted", router())
        ).bodies["part"]
        plate_, by_kind = plate_of(body), {"notch": how, "opening": how}
        ours = relieved(body, plate_, 6.0, by_kind)
        assert ours.prisms
        solid = relieved_solid(body.solid(), plate_.through, plate_.thickness, 6.0, by_kind)
        theirs = Body((), solid)
        assert ours.figures().volume == pytest.approx(theirs.figures().volume, rel=1e-9)
        mesh = ours.mesh(0.002)
        a, b, c = (mesh.points[mesh.triangles[:, k]].astype(float) for k in range(3))
        enclosed = float((a * np.cross(b, c)).sum()) / 6
        assert enclosed == pytest.approx(ours.figures().volume, rel=1e-4)

    @pytest.mark.parametrize("cutter", [pytest.param(1.0, marks=pytest.mark.nightly), 6.0])
    @pytest.mark.parametrize("pocket", ["none", *HOWS])
    @pytest.mark.parametrize("opening", ["none", *HOWS])
    def test_so_it_is_on_every_level_of_a_pocketed_plate(self, opening, pocket, cutter):
        body = pocketed()
        plate_, how = plate_of(body), {"notch": "corner", "opening": opening, "pocket": pocket}
        ours = moved_off_and_relieved(body, plate_, 0.1, cutter, how).figures()
        theirs = relieved(moved_off(body, plate_, 0.1), plate_, cutter, how).figures()
        assert ours.volume == pytest.approx(theirs.volume, rel=1e-9)
        assert ours.area == pytest.approx(theirs.area, rel=1e-9)

    def test_where_there_is_no_room_the_kernel_does_it(self):
        body = rebuild(design := notched(90.0, 5.0, 50.0), design.seen("wanted", router())).bodies[
            "part"
        ]
        found = relieved(body, plate_of(body), 6.0, {"notch": "corner", "opening": "corner"})
        assert not found.prisms
        assert found.figures().volume < body.figures().volume

    def test_an_inner_corner_beside_a_curve_is_left_to_the_kernel(self):
        outline = Loop(
            (
                Segment((0.0, 0.0), (40.0, 0.0), "a"),
                Segment((40.0, 0.0), (40.0, 20.0), "b"),
                EllipticArc((20.0, 20.0), 20.0, 20.0, 0.0, -math.pi, "c"),
                Segment((0.0, 20.0), (0.0, 0.0), "d"),
            )
        )
        # its corners all point outwards
        assert relieved_outline(outline, 4.0, "corner", opening=False) is outline
        turned = Loop(
            (
                Segment((20.0, 20.0), (10.0, 20.0), "a"),
                EllipticArc((5.0, 20.0), 5.0, 5.0, 0.0, -math.pi, "b"),
                Segment((0.0, 20.0), (0.0, 0.0), "c"),
                Segment((0.0, 0.0), (20.0, 0.0), "d"),
                Segment((20.0, 0.0), (20.0, 20.0), "e"),
            )
        )
        assert relieved_outline(turned, 4.0, "corner", opening=False) is turned

    def test_every_corner_of_many_openings_is_relieved_exactly(self):
        """Each of the n squares loses nothing and gains four corners: the area taken away is that
        of the closed formula."""
        squares = [rectangle(f"s{k}", 12.0 * k, 0, 8, 8) for k in range(40)]
        taken = [
            relieved_outline(loop, 2.0, "corner", opening=True).area - loop.area for loop in squares
        ]
        assert taken == pytest.approx([4 * 2 * (math.pi / 4 - 1 / 2)] * 40)


def test_an_outline_that_falls_apart_keeps_a_name_for_every_side():
    """Two squares joined by a bridge of 2 mm, cut by a laser that takes 3 mm: two pieces. The side
    towards the bridge is made of what lay above it and below it."""
    points = [
        (-20, -5),
        (-10, -5),
        (-10, -1),
        (10, -1),
        (10, -5),
        (20, -5),
        (20, 5),
        (10, 5),
        (10, 1),
        (-10, 1),
        (-10, 5),
        (-20, 5),
    ]
    shape = of_kind(
        "polyline", "edge", points=[{"x": f"{x} mm", "y": f"{y} mm"} for x, y in points]
    )
    steps = [
        {"kind": "sketch", "name": "o", "shapes": [shape]},
        {"kind": "extrude", "name": "plate", "sketch": "o", "by": "4 mm"},
    ]
    design = Design.model_validate({"steps": steps, "cut_beside_line": False})
    machine = Process.model_validate(
        {
            "name": "L",
            "kind": "laser or knife",
            "material": STUFF,
            "kerfs": [{"thickness": 4, "kerf": 3}],
        }
    )
    body = rebuild(design, design.seen("expected", machine)).bodies["part"]
    assert len(body.prisms) == 2
    assert body.solid().counts()[0] == 2 * (5 + 2)
    assert body.figures().volume == pytest.approx(2 * 7 * 7 * 4)
    assert len(body.mesh().triangles)


def test_webs_that_a_cut_takes_away_are_gone():
    """Two holes of 10 mm side, 2 mm apart, cut on the line by a laser that takes 3 mm: they grow
    into one."""
    holes = [
        {"kind": "rectangle", "name": f"h{k}", "width": "10 mm", "height": "10 mm", "x": f"{x} mm"}
        for k, x in enumerate((-6, 6))
    ]
    edge = {"kind": "rectangle", "name": "edge", "width": "60 mm", "height": "40 mm"}
    steps = [
        {"kind": "sketch", "name": "o", "shapes": [edge, *holes]},
        {"kind": "extrude", "name": "plate", "sketch": "o", "by": "4 mm"},
    ]
    design = Design.model_validate({"steps": steps, "cut_beside_line": False})
    machine = Process.model_validate(
        {
            "name": "L",
            "kind": "laser or knife",
            "material": STUFF,
            "kerfs": [{"thickness": 4, "kerf": 3}],
        }
    )
    body = rebuild(design, design.seen("expected", machine)).bodies["part"]
    (prism,) = body.prisms
    assert len(prism.region.holes) == 1
    assert body.figures().volume == pytest.approx((57 * 37 - (22 + 3) * 13) * 4)


def test_a_notch_that_closes_at_its_mouth_becomes_a_hole():
    """A notch with a narrow mouth, moved outwards: the mouth shuts, the room behind it stays."""
    points = [
        (-20, -20),
        (20, -20),
        (20, 20),
        (1, 20),
        (1, 10),
        (8, 10),
        (8, -5),
        (-8, -5),
        (-8, 10),
        (-1, 10),
        (-1, 20),
        (-20, 20),
    ]
    outline = Loop(
        tuple(
            Segment((float(a), float(b)), (float(c), float(d)), f"e{k}")
            for k, ((a, b), (c, d)) in enumerate(zip(points, points[1:] + points[:1], strict=True))
        )
    )
    (moved,) = moved_region(Region(outline), 1.5, [])
    assert moved.outer.area == pytest.approx(43 * 43)
    assert [hole.area for hole in moved.holes] == pytest.approx([13 * 12])


@given(
    st.integers(3, 11).flatmap(
        lambda count: st.tuples(
            st.just(count), st.lists(st.floats(0.2, 1), min_size=count, max_size=count)
        )
    ),
    st.sampled_from([2e-4, 0.05, 1.0, 400.0]),
    st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda way: math.hypot(*way) > 0.1),
)
@examples(30)
def test_the_inner_corners_of_a_star_are_those_that_its_outline_turns_back_at(
    star: tuple[int, list[float]], size: float, way: tuple[float, float, float]
) -> None:
    """However small it is: nothing is tried at some distance from an edge."""
    count, radii = star
    points = [
        (
            size * radius * math.cos(k * math.tau / count),
            size * radius * math.sin(k * math.tau / count),
        )
        for k, radius in enumerate(radii)
    ]
    turns = [
        (b[0] - a[0]) * (c[1] - b[1]) - (b[1] - a[1]) * (c[0] - b[0])
        for a, b, c in zip(points, points[1:] + points[:1], points[2:] + points[:2], strict=True)
    ]
    assume(all(abs(turn) > 1e-3 * size * size for turn in turns))
    straight = as_vector(c / math.hypot(*way) for c in way)
    frame = facing((0.3 * size, -size, 2.0 * size), straight)
    solid = solid_of([prism(frame, polygon(*points), 0.0, size / 3)])
    assert sum(sinks(edge) for edge in edges_of(solid)) == sum(turn < 0 for turn in turns)
