"""Bought parts at their places, and the room that is made for them, by hand-worked transforms and
by geometry of another library."""

import math
import random

import numpy as np
import pytest
import trimesh
from manifold3d import Manifold, Mesh

from schablone.core.bought import BoughtPart, bought_on_the_shelf, parse_bought, resolved
from schablone.core.bought.thing import placing
from schablone.core.design import Design
from schablone.core.design.bought_edit import forget_bought, put_bought, swap_bought
from schablone.core.design.rebuild import rebuild
from schablone.core.kernel.frame import Frame
from schablone.core.kernel.mesh import Mesh as OurMesh
from schablone.core.problem import SchabloneError
from schablone.core.process import LensView, neutral, shipped_processes
from schablone.core.publish.pieces import pieces_of
from tests.conftest import of_kind
from tests.core.every_step import BOARD

SHELF = {part.name: part for part in bought_on_the_shelf()}


def block(*steps: dict, **more: object) -> Design:
    """A block of 120 × 80 × 20 mm with its middle on the origin, and a layout drawn on its top."""
    rect = {"kind": "rectangle", "name": "edge", "width": "120 mm", "height": "80 mm"}
    layout = {"elements": [
        {"kind": "point", "name": "spot", "x": 10.0, "y": -5.0},
        {"kind": "point", "name": "low", "x": -50.0, "y": -30.0},
        {"kind": "point", "name": "high", "x": 50.0, "y": -30.0},
        {"kind": "line", "name": "wall", "start": "low", "end": "high"}]}  # fmt: skip
    first = [
        {"kind": "sketch", "name": "o", "shapes": [rect]},
        {"kind": "extrude", "name": "block", "sketch": "o", "by": "20 mm"},
        {"kind": "sketch", "name": "layout", "plane": "block/end", "drawing": layout},
    ]
    return Design.model_validate(
        {"name": "Case", "steps": [*first, *steps], "bought": [BOARD], **more}
    )


def put(**more: object) -> dict:
    return {
        "kind": "place", "name": "boards", "thing": "board", "sketch": "layout", "point": "spot",
        **more,
    }  # fmt: skip


def built(design: Design, lens: str = "wanted", process=None):
    found = rebuild(design, LensView(lens, process or neutral()))
    assert found.whole, [problem.what for problem in found.problems]
    return found


def net(mesh: OurMesh) -> Manifold:
    return Manifold(Mesh(mesh.points.astype(np.float32), mesh.triangles.astype(np.uint32)))


def box_of(thing) -> list[float]:
    low, high = thing.body.figures().bounds
    return [*low, *high]


class TestPlacing:
    def test_on_a_point(self):
        (thing,) = built(block(put(lift="3 mm"))).things["boards"]
        assert box_of(thing) == pytest.approx([2, -10, 23, 18, 0, 27])

    def test_turned_by_a_quarter_and_over(self):
        (thing,) = built(block(put(turn="90 deg", over="over"))).things["boards"]
        assert box_of(thing) == pytest.approx([5, -13, 20, 15, 3, 24])
        assert thing.is_over
        # Its plug looks along x before, to the left of where it went after a quarter turn.
        (port,) = thing.resolved.ports
        assert thing.motion.frame(port.frame).normal == pytest.approx((0, 1, 0), abs=1e-12)

    def test_by_another_anchor_it_stands_on_that_side(self):
        part = BoughtPart.model_validate(
            {**BOARD, "anchors": [{"name": "end", "x": "8 mm", "z": "2 mm", "towards": "right"}]}
        )
        motion = placing(part, "end", Frame((0.0, 0.0, 0.0)), 0.0, 0.0, over=False)
        corners = [motion.point((x, y, z)) for x in (-8, 8) for y in (-5, 5) for z in (0, 4)]
        low = [min(c[k] for c in corners) for k in range(3)]
        high = [max(c[k] for c in corners) for k in range(3)]
        assert (low, high) == (pytest.approx([-2, -5, 0]), pytest.approx([2, 5, 16]))

    @pytest.mark.parametrize(("side", "y"), [("left", (-26, -16)), ("right", (-44, -34))])
    def test_beside_a_line(self, side, y):
        more = {"where": "line", "about": "wall", "side": side, "off": "4 mm", "along": "30 mm"}
        (thing,) = built(block(put(**more))).things["boards"]
        assert box_of(thing) == pytest.approx([-28, y[0], 20, -12, y[1], 24])
        (turned,) = built(block(put(**more, turn="90 deg"))).things["boards"]
        near = {"left": box_of(turned)[1], "right": -box_of(turned)[4]}[side]
        assert near == pytest.approx({"left": -26, "right": 34}[side])

    def test_in_a_grid_and_in_a_ring(self):
        grid = built(block(put(many="grid", count="3", pitch="20 mm", rows="2", row_pitch="12 mm")))
        spots = [thing.frame().origin[:2] for thing in grid.things["boards"]]
        assert spots == [
            pytest.approx((10 + 20 * (a - 1), -5 + 12 * (b - 0.5)))
            for b in (0, 1)
            for a in (0, 1, 2)
        ]
        ring = built(block(put(many="ring", count="4", radius="15 mm")))
        spots = [thing.frame().origin[:2] for thing in ring.things["boards"]]
        assert spots[1] == pytest.approx((10, 10), abs=1e-9)
        assert [thing.name for thing in ring.things["boards"]] == [
            "boards", "boards 2", "boards 3", "boards 4",
        ]  # fmt: skip

    def test_any_turn_and_flip_against_matrices(self):
        """The same by rotation matrices written out here."""
        rng = random.Random(7)
        for _ in range(200):
            turn, lift, over = rng.uniform(-360, 360), rng.uniform(-5, 30), rng.random() < 0.5
            part = BoughtPart.model_validate(BOARD)
            motion = placing(part, "middle", Frame((3.0, -2.0, 7.0)), lift, turn, over)
            a = math.radians(turn)
            z = np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]])
            p = np.array([rng.uniform(-8, 8), rng.uniform(-5, 5), rng.uniform(0, 4)])
            q = np.array([p[0], -p[1], 4 - p[2]]) if over else p
            wanted = z @ q + [3, -2, 7 + lift]
            assert motion.point(tuple(p)) == pytest.approx(wanted.tolist(), abs=1e-12)

    def test_its_dimensions_are_values(self):
        design = block(put(), sizes=[{"name": "inner", "formula": "board.length + 2*board.pitch"}])
        assert built(design).table.cells["inner"].wanted.value == pytest.approx(40)


class TestRoom:
    def pocket(self, **more: object) -> dict:
        return {"kind": "pocket_for", "name": "nest", "of": "boards", "gap": "0.5 mm", **more}

    def test_pockets_follow_200_random_moves(self):
        rng = random.Random(3)
        for k in range(200):
            more = {
                "lift": f"{rng.uniform(-15, -6)!r} mm", "turn": f"{rng.uniform(0, 360)!r} deg",
                "over": rng.choice(["upright", "over"]), "where": "face", "face": "block/end",
                "x": f"{rng.uniform(-30, 30)!r} mm", "y": f"{rng.uniform(-20, 20)!r} mm",
            }  # fmt: skip
            found = built(block(put(**more), self.pocket()))
            (thing,) = found.things["boards"]
            body = found.bodies["part"]
            deep = -float(more["lift"][:-3])
            assert body.figures().volume == pytest.approx(120 * 80 * 20 - 17 * 11 * deep, abs=1e-6)
            if k % 10 == 0:  # the other library agrees that nothing touches, and how near it is
                part = net(body.mesh())
                assert (part ^ net(thing.body.mesh())).volume() < 1e-3
                assert part.min_gap(net(thing.body.mesh()), 5.0) < 1e-3  # it stands on the floor
                lifted = net(thing.body.mesh()).translate([0, 0, 0.1])
                assert part.min_gap(lifted, 5.0) == pytest.approx(0.1, abs=1e-3)

    def test_a_fit_from_the_process_and_what_is_sent(self):
        router = next(p for p in shipped_processes() if p.kind == "router")
        design = block(put(lift="-8 mm"), self.pocket(fit="sliding"))
        view = LensView("sent", router, scaled=False, relieved=False)
        region = rebuild(design, view).bodies["part"]
        clearance = [router.fits.clearance("sliding", length) for length in (16, 10)]
        wide, deep = (
            router.send_inside(length + more, straight=True)
            for length, more in zip((16, 10), clearance, strict=True)
        )
        block_area = region.figures().volume
        assert block_area == pytest.approx(120 * 80 * 20 - wide * deep * 8, rel=2e-3)

    def test_posts_stand_under_the_holes_and_end_on_the_part(self):
        posts = {
            "kind": "posts_for", "name": "posts", "of": "boards", "across": "5 mm",
            "bore": "2 mm", "depth": "4 mm",
        }  # fmt: skip
        body = built(block(put(lift="6 mm"), posts)).bodies["part"]
        column, hole = math.pi * 2.5**2 * 6, math.pi * 4
        assert body.figures().volume == pytest.approx(192_000 + 2 * (column - hole), rel=1e-7)
        assert body.figures().bounds[1][2] == pytest.approx(26)
        # They follow the thing: turned by a quarter they stand one behind the other.
        turned = built(block(put(lift="6 mm", turn="90 deg"), posts)).bodies["part"]
        tops = [frame.origin for name, frame in turned.frames.items() if name.role == "top"]
        assert sorted(top[1] for top in tops) == pytest.approx([-11, 1])

    def test_a_post_is_tied_to_the_wall(self):
        wall = [
            of_kind("sketch", "w", plane="block/end", shapes=[
                {"kind": "rectangle", "name": "r", "width": "4 mm", "height": "60 mm",
                 "x": "40 mm"},
                {"kind": "rectangle", "name": "l", "width": "4 mm", "height": "60 mm",
                 "x": "-40 mm"}]),
            {"kind": "extrude", "name": "wall", "sketch": "w", "by": "30 mm"},
        ]  # fmt: skip
        posts = {
            "kind": "posts_for", "name": "posts", "of": "boards", "across": "5 mm",
            "pilot": "none", "tie": "x", "block": "3 mm", "down": "by", "height": "6 mm",
        }  # fmt: skip
        mesh = built(block(*wall, put(lift="6 mm"), posts)).bodies["part"].mesh()
        solid = trimesh.Trimesh(mesh.points, mesh.triangles)
        # Between the right post (x = 16) and the wall (x = 38) there is material now.
        inside = solid.contains([(30, -5, 23), (30, -5, 27), (30, -8, 23)])
        assert inside.tolist() == [True, False, False]
        # The wall is 22 mm from its post: where it may be 21 mm away, there is none.
        near = {**posts, "within": "21 mm"}
        (finding,) = rebuild(
            block(*wall, put(lift="6 mm"), near), LensView("wanted", neutral())
        ).problems
        assert "No wall is as near as 21 mm" in finding.what

    @pytest.mark.parametrize("lead", [5, 10, 30])
    def test_an_opening_through_the_next_wall_widens_in_it(self, lead):
        wall = [
            {"kind": "sketch", "name": "w", "plane": "block/end", "shapes": [
                {"kind": "rectangle", "name": "r", "width": "4 mm", "height": "60 mm",
                 "x": "40 mm"}]},
            {"kind": "extrude", "name": "wall", "sketch": "w", "by": "30 mm"},
        ]  # fmt: skip
        slot = {
            "kind": "opening_for", "name": "slot", "of": "boards", "port": "plug",
            "lead": f"{lead} deg",
        }  # fmt: skip
        plain = built(block(*wall, put(lift="6 mm"))).bodies["part"].figures().volume
        found = built(block(*wall, put(lift="6 mm"), slot)).bodies["part"].figures().volume
        # From 6.6 × 2.6 mm at the inner side, each side leans outwards: ∫ (w + 2ts)(h + 2ts) dt.
        s, w, h, t = math.tan(math.radians(lead)), 6.6, 2.6, 4.0
        assert plain - found == pytest.approx(
            w * h * t + (w + h) * s * t**2 + 4 / 3 * s**2 * t**3, rel=1e-5
        )

    def test_an_opening_cannot_widen_where_there_is_no_wall(self):
        slot = {
            "kind": "opening_for", "name": "slot", "of": "boards", "port": "plug", "lead": "5 deg",
        }  # fmt: skip
        found = rebuild(block(put(lift="6 mm"), slot), LensView("wanted", neutral()))
        assert any("no wall before the port" in problem.what for problem in found.problems)

    def test_an_opening_goes_through_the_next_wall_only(self):
        case = [
            put(lift="-12 mm"), self.pocket(),
            {"kind": "opening_for", "name": "slot", "of": "boards", "port": "plug"},
        ]  # fmt: skip
        plain = built(block(*case[:2])).bodies["part"].figures().volume
        found = built(block(*case)).bodies["part"]
        # From the port at x = 18 outwards: half a millimetre of air, then 41.5 mm of the block.
        assert plain - found.figures().volume == pytest.approx(6.6 * 2.6 * (60 - 18.5), rel=1e-6)

    def test_every_wall_on_the_line_of_two_ports_is_opened(self):
        """Two boards behind each other, each in a pocket of its own: the port of the first looks
        through the wall between, that of the second through the outer one."""
        row = put(lift="-12 mm", many="row", count="2", pitch="30 mm", point="spot")
        slot = {"kind": "opening_for", "name": "slot", "of": "boards", "port": "plug"}
        plain = built(block(row, self.pocket())).bodies["part"].figures().volume
        found = built(block(row, self.pocket(), slot))
        # The middles stand at −5 and 25: walls of 30 − 17 = 13 mm and 60 − 33.5 = 26.5 mm.
        taken = plain - found.bodies["part"].figures().volume
        assert taken == pytest.approx(6.6 * 2.6 * (13 + 26.5), rel=1e-6)
        assert not found.problems

    def test_a_strap_holds_it(self):
        strap = {
            "kind": "strap_over", "name": "strap", "of": "boards", "width": "6 mm",
            "thick": "2 mm", "leg": "3 mm", "gap": "0.5 mm", "above": "0.2 mm",
        }  # fmt: skip
        found = built(block(put(), strap))
        body, (thing,) = found.bodies["part"], found.things["boards"]
        # A bar of 17 × 6 × 2 mm, and two legs of 3 × 6 mm that are 4.2 mm high.
        assert body.figures().volume - 192_000 == pytest.approx(17 * 6 * 2 + 2 * 3 * 6 * 4.2)
        assert (net(body.mesh()) ^ net(thing.body.mesh())).volume() < 1e-3

    def test_a_thicker_wall_moves_nothing_inside(self):
        sizes = [{"name": "thick", "formula": "20 mm"}]
        steps = [put(where="face", face="block/start", lift="-10 mm"), self.pocket()]
        for thick in ("20 mm", "34 mm"):
            design = block(*steps, sizes=[{**sizes[0], "formula": thick}])
            (thing,) = built(design).things["boards"]
            assert box_of(thing)[5] == pytest.approx(10)


class TestShelf:
    def test_every_one_makes_sense_and_is_written_as_it_was(self):
        assert len(SHELF) >= 12
        for part in SHELF.values():
            known = resolved(part)
            low, high = trimesh_box(part)
            assert [b - a for a, b in zip(low, high, strict=True)] == pytest.approx(
                list(known.box), rel=1e-2
            )
            assert part.sort
            assert part.mass

    def test_changed_for_another_of_its_sort(self):
        design = Design.model_validate(
            {
                **block().model_dump(),
                "bought": [SHELF["transport_cage"].model_dump(), BOARD],
                "sizes": [{"name": "inner", "formula": "transport_cage.wide + 2 mm"}],
                "steps": [*block().model_dump()["steps"], put(thing="transport_cage")],
            }
        )
        found, missed = swap_bought(design, "transport_cage", SHELF["small_cage"])
        assert missed == []
        assert found.size("inner").formula == "small_cage.wide + 2 mm"
        assert built(found).things["boards"][0].part.name == "small_cage"
        _, missed = swap_bought(design, "transport_cage", SHELF["dowel"])
        assert any("has no wide" in line for line in missed)
        with pytest.raises(SchabloneError, match="places"):
            forget_bought(design, "transport_cage")

    def test_a_solid_from_a_file_says_its_size_and_is_not_believed(self):
        from schablone.core.bought import BoughtError, outputs_of
        from schablone.core.packed import packed
        from schablone.core.publish.exports import step

        found = built(block())
        data = packed(step(pieces_of(block(), found, ".step")))
        part = BoughtPart.model_validate(
            {"name": "lump", "outline": {"kind": "file", "data": data, "size": [120, 80, 20]}}
        )
        assert resolved(part).box == pytest.approx((120, 80, 20), abs=1e-4)
        assert outputs_of(part)["length"] == 120
        lies = part.outline.model_copy(update={"size": (60.0, 80.0, 20.0)})
        with pytest.raises(BoughtError, match="another size"):
            resolved(part.model_copy(update={"outline": lies}))

    def test_taken_twice_it_is_there_once(self):
        design, name = put_bought(block(), SHELF["dowel"])
        again, same = put_bought(design, SHELF["dowel"])
        assert (again, same) == (design, name)
        other = SHELF["dowel"].model_copy(update={"note": "mine"})
        third, renamed = put_bought(design, other)
        assert renamed == "dowel_2"
        assert len(third.bought) == 3

    @pytest.mark.parametrize(
        ("change", "said"),
        [
            ({"outline": {"kind": "box", "length": "0 mm"}}, "must be above zero"),
            ({"dimensions": [{"name": "a", "formula": "b"}]}, "b"),
            ({"dimensions": [{"name": "a", "formula": "a + 1 mm"}]}, "a"),
            ({"outline": {"kind": "file", "data": "?"}}, "damaged"),
            ({"anchors": [{"name": "middle"}]}, "two anchors"),
            ({"outline": {"kind": "raised", "corners": [{}, {}, {}]}}, "lies on the one"),
        ],
    )
    def test_bad_files_are_told(self, change, said):
        import json

        with pytest.raises(SchabloneError, match=said):
            parse_bought(json.dumps({**BOARD, **change}), "bad.bought")


def trimesh_box(part: BoughtPart):
    from schablone.core.kernel.operations import apply

    mesh = apply(None, "add", [resolved(part).tool]).body.mesh()
    return mesh.points.min(axis=0), mesh.points.max(axis=0)


class TestWords:
    @pytest.mark.parametrize(
        ("step", "said"),
        [
            (put(thing="nothing"), "There is no bought part"),
            (put(point="gone"), "has no point “gone”"),
            (put(anchor="gone"), "has no anchor “gone”"),
            (put(many="row", count="2.5"), "must be a whole number"),
            (put(many="row", count="-1"), "must be a whole number"),
        ],
    )
    def test_what_cannot_be_placed_is_told(self, step, said):
        found = rebuild(block(step), LensView("wanted", neutral()))
        assert any(said in problem.what for problem in found.problems), found.problems
        assert found.bodies["part"].figures().volume == pytest.approx(192_000)

    def test_none_of_them_makes_nothing(self):
        found = built(block(put(many="row", count="0"), TestRoom().pocket()))
        assert found.things["boards"] == ()
        assert found.bodies["part"].figures().volume == pytest.approx(192_000)

    def test_it_is_no_part_that_is_made(self):
        design = block(put(lift="-8 mm"), TestRoom().pocket())
        assert [piece.title for piece in pieces_of(design, built(design), ".step")] == ["part"]


class TestTurnedOverOnTheBed:
    """A hat: a wide disc on a narrow one, which is printed brim down."""

    def hat(self, **more: object) -> Design:
        discs = [
            {"kind": "circle", "name": "narrow", "diameter": "20 mm"},
            {"kind": "circle", "name": "wide", "diameter": "40 mm"},
        ]
        steps: list[dict] = []
        for disc, lift in zip(discs, ("0 mm", "10 mm"), strict=True):
            name = disc["name"]
            steps += [
                {"kind": "sketch", "name": f"{name}_at", "lift": lift, "shapes": [disc]},
                {"kind": "extrude", "name": name, "sketch": f"{name}_at", "by": "10 mm"},
            ]
        return Design.model_validate(
            {"name": "Hat", "steps": steps, "bevel_first_layer": True,
             "parts": [{"name": "part", **more}]}
        )  # fmt: skip

    def test_the_bevel_is_at_the_face_that_it_lies_on(self):
        printer = next(p for p in shipped_processes() if p.first_layer > 0)
        view = LensView("sent", printer, scaled=False, bevelled=True)
        b = printer.first_layer
        volumes = []
        for down, across in (("bottom", 20), ("top", 40)):
            found = rebuild(self.hat(down=down), view)
            assert not [p for p in found.problems if p.severity == "error"], found.problems
            body = found.bodies["part"]
            # What a bevel of b at 45° takes off the rim of a disc, by Pappus.
            taken = math.pi * (across - 2 * b / 3) * b * b / 2
            whole = math.pi * (100 + 400) * 10
            assert body.figures().volume == pytest.approx(whole - taken, rel=1e-6)
            volumes.append(body.figures().volume)
        assert volumes[0] != volumes[1]

    def test_it_is_exported_as_it_lies(self):
        found = built(self.hat(down="top"))
        for ending, low in ((".stl", 40), (".3mf", 40), (".step", 20)):
            (piece,) = pieces_of(self.hat(down="top"), found, ending)
            mesh = piece.body.mesh()
            rim = mesh.points[mesh.points[:, 2] < mesh.points[:, 2].min() + 1e-6]
            assert 2 * abs(rim[:, 0]).max() == pytest.approx(low, rel=1e-3)
            assert mesh.points[:, 2].min() == pytest.approx(0, abs=1e-9)
