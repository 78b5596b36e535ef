"""Plain solids that get sizes: the change equals the same part made with these sizes at once."""

from __future__ import annotations

import math
import random
import tempfile
from pathlib import Path

import pytest
from OCP.BRepCheck import BRepCheck_Analyzer

from schablone.core.design import Design
from schablone.core.design.file import read_design
from schablone.core.design.rebuild import Memory
from schablone.core.kernel.frame import add
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.occ import sharp
from schablone.core.kernel.occ.curves_between import NotCarried
from schablone.core.kernel.occ.plain import CannotChange, changed, plain_of
from schablone.core.kernel.occ.reshaped import reshaped
from schablone.core.kernel.occ.solids import area_of
from schablone.core.kernel.occ.sound_faces import at_fault
from schablone.core.packed import packed
from schablone.core.solids.left_behind import left_behind
from schablone.core.solids.offers import offers
from schablone.core.solids.recognise import recognised, sided
from schablone.core.solids.settle import held
from schablone.core.solids.ties import EDGE, Tie
from schablone.core.solids.wiggle import modes_of, wiggled
from schablone.core.steps.give_sizes import ready_of
from tests.core.plain_parts import (
    Faces,
    as_solid,
    ball,
    block,
    box,
    bracket,
    build,
    cut,
    cylinder,
    design,
    faces_in,
    farthest,
    fuse,
    plain,
    raised,
    rounded,
    slotted,
    texts,
    volume,
    whole,
)

BRACKET = {"width": 60.0, "depth": 40.0, "plate": 6.0, "wall": 5.0, "high": 36.0, "bore": 5.0,
           "pitch": 20.0}  # fmt: skip
RANGES = {"width": (45, 120), "depth": (30, 90), "plate": (3, 12), "wall": (3, 15),
          "high": (24, 80), "bore": (2, 8), "pitch": (10, 18)}  # fmt: skip


def bracket_ties(f: Faces, of: dict[str, float] = BRACKET) -> dict[str, Tie]:
    """Ties that leave nothing free, by what they say."""
    w, d, p, t, h = (of[k] for k in ("width", "depth", "plate", "wall", "high"))
    left, right, front, back = f.flat("x", 0), f.flat("x", w), f.flat("y", 0), f.flat("y", d)
    low, floor, top, inner = f.flat("z", 0), f.flat("z", p), f.flat("z", h), f.flat("x", t)
    down = f.all(lambda s: s.kind == "cylinder" and abs(s.way[2]) > 0.9)
    across = f.all(lambda s: s.kind == "cylinder" and abs(s.way[0]) > 0.9)
    return {
        "pin": Tie(kind="pin", of=(left, low, front)),
        "width": Tie(of=(left, right), formula="width"),
        "depth": Tie(of=(front, back), formula="depth"),
        "plate": Tie(of=(low, floor), formula="plate"),
        "wall": Tie(of=(left, inner), formula="wall"),
        "high": Tie(of=(low, top), formula="high"),
        "bore": Tie(kind="diameter", of=(down[0],), formula="bore"),
        "equal": Tie(kind="equal", of=tuple(down)),
        "pitch": Tie(of=tuple(down), along="y", formula="pitch"),
        "middle": Tie(kind="symmetric", of=tuple(down), about=(front, back)),
        "one from wall": Tie(of=(inner, down[0])),
        "level": Tie(of=(across[0], top)),
        "above": Tie(of=tuple(across), along="y", formula="pitch"),
        "middle above": Tie(kind="symmetric", of=tuple(across), about=(front, back)),
    }


def random_sizes(ranges: dict[str, tuple[float, float]], seed: int) -> dict[str, float]:
    rng = random.Random(seed)
    return {name: rng.uniform(*ends) for name, ends in ranges.items()}


def seeds(count: int) -> list:
    """Some seeds always, a hundred at night."""
    return [*range(count), *(pytest.param(k, marks=pytest.mark.nightly) for k in range(count, 100))]


@pytest.fixture(scope="module")
def memory() -> Memory:
    return Memory()


@pytest.fixture(scope="module")
def bracket_design():
    shape = bracket(**BRACKET)
    bare = design(shape, [])
    ties = bracket_ties(faces_in(bare))
    return design(shape, list(ties.values()), {k: f"{v} mm" for k, v in BRACKET.items()})


@pytest.mark.parametrize("seed", seeds(6))
def test_a_bracket(bracket_design, memory, seed) -> None:
    sizes = random_sizes(RANGES, seed)
    built = build(bracket_design, memory, **sizes)
    assert texts(built) == []
    wanted = bracket(**sizes)
    assert built.figures["part"].volume == pytest.approx(volume(wanted), rel=1e-9)
    assert farthest(built.bodies["part"].solid().shape, wanted) < 1e-6
    assert built.bodies["part"].solid().is_valid()


BLOCK = {"size": 30.0, "flange": 60.0, "thick": 8.0, "high": 40.0, "bore": 10.0, "soft": 3.0}
BLOCK_RANGES = {"size": (22, 36), "flange": (50, 90), "thick": (4, 12), "high": (28, 60),
                "bore": (4, 12), "soft": (1, 5)}  # fmt: skip


@pytest.fixture(scope="module")
def block_design():
    shape = block(**BLOCK)
    f = faces_in(design(shape, []))
    left, right, front, back = f.flat("x", -30), f.flat("x", 30), f.flat("y", -30), f.flat("y", 30)
    low, flange, top = f.flat("z", 0), f.flat("z", 8), f.flat("z", 40)
    boss, bore = f.round(15, x=0), f.round(5, x=0)
    sink = f.one(lambda s: s.kind == "cone")
    soft = tuple(map(str, f.solid.roundings))
    ties = [
        Tie(kind="pin", of=(low, boss)[:1]),
        # The axis stays where it is: the boss only grows.
        Tie(of=(left, right), formula="flange"),
        Tie(of=(front, back), formula="flange"),
        Tie(of=(left, boss), formula="flange/2"),
        Tie(of=(front, boss), formula="flange/2"),
        Tie(kind="concentric", of=(boss, bore, sink)),
        Tie(of=(low, flange), formula="thick"),
        Tie(of=(low, top), formula="high"),
        Tie(kind="diameter", of=(boss,), formula="size"),
        Tie(kind="diameter", of=(bore,), formula="bore"),
        Tie(kind="radius", of=soft, formula="soft"),
        # The mouth of the sink is 2 mm within the boss, at the top: so far below lies its tip.
        Tie(of=(top, sink), formula="(size/2 - 2 mm)/tan(40 deg)"),
    ]
    return design(shape, ties, {k: f"{v} mm" for k, v in BLOCK.items()})


@pytest.mark.parametrize("seed", seeds(4))
def test_a_flanged_block(block_design, memory, seed) -> None:
    sizes = random_sizes(BLOCK_RANGES, seed)
    built = build(block_design, memory, **sizes)
    assert texts(built) == []
    assert built.figures["part"].volume == pytest.approx(volume(block(**sizes)), rel=1e-9)


def test_the_bore_of_a_round_flange_grows_and_its_rim_stays() -> None:
    """Of the flat faces nothing moves but one hole: their outer edge, a whole circle, is the old
    one."""
    disc = cylinder((0, 0, 0), (0, 0, 1), 30, 10)
    for x, radius in ((0, 8), (18, 3)):
        disc = cut(disc, cylinder((x, 0, -1), (0, 0, 1), radius, 12))
    plain = plain_of(as_solid(disc))
    bore = next(k for k, s in enumerate(plain.surfaces) if s is not None and s.radius == 8)
    for radius in (4.0, 9.0, 14.9):
        grown = plain.surfaces[bore].with_(radius=radius)
        found = changed(plain, {bore: grown}, {})
        assert found.inverted == ()
        assert found.solid.volume == pytest.approx(10 * math.pi * (900 - 9 - radius**2), rel=1e-9)
    with pytest.raises(CannotChange):
        changed(plain, {bore: plain.surfaces[bore].with_(radius=15.1)}, {})


def test_a_bore_that_touches_the_floor_of_a_pocket_along_its_seam() -> None:
    """The seam of the bore is an edge of the floor, too, that the wall in front of it moves over:
    what lies beyond stays as large as it is."""
    plate = cut(box(0, 0, 0, 60, 40, 12), box(41, 22, 4, 8, 8, 20))
    plate = cut(plate, box(41, 6, 8, 8, 4, 20))
    bored = plain_of(as_solid(cut(plate, cylinder((45, -1, 6), (0, 1, 0), 2, 42))))
    skeleton = bored.skeleton
    touching = {k for edge in skeleton.edges if len(edge.faces) > 2 for k in edge.faces}
    assert any(skeleton.faces[k].seams for k in touching)
    for k, surface in enumerate(bored.surfaces):
        assert surface is not None
        if surface.kind != "plane":
            continue
        moved = surface.with_(at=add(surface.at, surface.way, 0.01))
        try:
            found = changed(bored, {k: moved}, {})
        except CannotChange:
            assert abs(surface.way[2]) == 1  # a floor would cut into the bore, or leave it
            continue
        more = found.solid.volume - bored.solid.volume
        level = area_of(skeleton.faces[k].shape) * 0.01
        assert more == pytest.approx(level, rel=0.02), (k, surface)


@pytest.mark.parametrize("seed", range(12))
def test_faces_with_many_holes_are_faulted_just_where_the_kernel_faults_them(seed: int) -> None:
    """Holes and posts of a plate are moved and grown at random; outlines that cross, lie beyond the
    edge or swallow others are told as the kernel tells them."""
    dice = random.Random(seed)
    plate = box(0, 0, 0, 60, 40, 5)
    for k in range(12):
        at = (5.0 + 10 * (k % 6), 10.0 + 20 * (k // 6))
        if k % 3:
            plate = cut(plate, cylinder((*at, -1), (0, 0, 1), 2, 7))
        else:
            plate = cut(plate, box(at[0] - 2, at[1] - 2, -1, 4, 4, 7))
    skeleton = plain_of(as_solid(plate)).skeleton
    sound = 0
    for _ in range(12):
        new = {}
        for k in dice.sample(range(len(skeleton.faces)), 3):
            surface = skeleton.faces[k].surface
            far = dice.choice([0.3, 3.0, 12.0])
            away = tuple(c + dice.uniform(-far, far) for c in surface.at)
            radius = abs(surface.radius + dice.uniform(-far, far)) if surface.radius else 0.0
            new[k] = surface.with_(at=away, radius=radius)
        try:
            found = reshaped(skeleton, new)
        except NotCarried:
            continue
        faces = {k: face for k, face in enumerate(found.faces) if face is not None}
        whole = BRepCheck_Analyzer(found.shape)
        wanted = [k for k in sorted(found.touched) if not BRepCheck_Analyzer(faces[k]).IsValid()]
        assert at_fault(faces, found.touched) == wanted
        assert whole.IsValid() == (not wanted)
        sound += not wanted
    assert sound > 1


def test_what_is_rounded_follows_what_it_stands_on(block_design, memory) -> None:
    """The same by a sum: flange and boss, the ring at its foot, less sink and bore."""
    built = build(block_design, memory, size=26.0, soft=5.0, thick=12.0, bore=7.0)
    assert texts(built) == []
    r, s = 13.0, 5.0
    # The ring's section is a square less a quarter of a disc, turned about the axis (Pappus).
    square, quarter = s * s, math.pi * s * s / 4
    turned = 2 * math.pi * (square * (r + s / 2) - quarter * (r + s - 4 * s / (3 * math.pi)))
    body = 60 * 60 * 12 + math.pi * r * r * 28 + turned
    mouth, bore, slope = r - 2, 3.5, math.tan(math.radians(40))
    deep = (mouth - bore) / slope
    sink = math.pi * deep * (mouth**2 + mouth * bore + bore**2) / 3
    hole = math.pi * bore**2 * (40 - deep)
    assert built.figures["part"].volume == pytest.approx(body - sink - hole, rel=1e-9)


def test_where_all_roundings_are_too_much_work_most_still_come_off(monkeypatch) -> None:
    """By the work, and by no clock: the same on every machine."""
    pocket = cut(box(0, 0, 0, 20, 20, 10), box(4, 4, 5, 12, 10, 9))
    shape = rounded(pocket, 2.0, lambda edge: edge.straight and 5 < edge.middle[2] < 10)
    assert len(plain(shape).sharp.roundings) == 4
    monkeypatch.setattr(sharp, "_WORK", 50)  # 4 roundings by 15 faces are 60
    for _ in range(2):
        found = plain(shape).sharp
        # Two at once are 30, one more is 15: the last one stays, and with it what is beside it.
        assert (len(found.roundings), len(found.kept)) == (3, 1)
        bare = volume(found.skeleton.shape)
        assert bare == pytest.approx(4000 - 600 + (1 - math.pi / 4) * 4 * 5, rel=1e-9)


SLOTTED = {"long": 90.0, "wide": 50.0, "thick": 12.0, "slot": 30.0, "across": 8.0, "soft": 2.0}
SLOTTED_RANGES = {"long": (80, 140), "wide": (40, 80), "thick": (8, 20), "slot": (16, 40),
                  "across": (5, 14), "soft": (1, 4)}  # fmt: skip


@pytest.fixture(scope="module")
def slotted_design():
    shape = slotted(**SLOTTED)
    f = faces_in(design(shape, []))
    left, right, front, back = f.flat("x", -45), f.flat("x", 45), f.flat("y", -25), f.flat("y", 25)
    low, top, near, far = f.flat("z", 0), f.flat("z", 12), f.flat("y", -4), f.flat("y", 4)
    ends = [
        f.all(lambda s, x=x: s.kind == "cylinder" and not s.solid and abs(s.at[0] - x) < 1)[0]
        for x in (-15, 15)
    ]
    soft = tuple(str(n) for n, one in f.solid.roundings.items() if abs(one.radius - 2) < 1e-6)
    ties = [
        Tie(kind="pin", of=(low, left, front)),
        Tie(of=(left, right), formula="long"),
        Tie(of=(front, back), formula="wide"),
        Tie(of=(low, top), formula="thick"),
        Tie(of=(near, far), formula="across"),
        Tie(kind="symmetric", of=(near, far), about=(front, back)),
        Tie(of=tuple(ends), formula="slot"),
        Tie(kind="symmetric", of=tuple(ends), about=(left, right)),
        Tie(kind="radius", of=soft, formula="soft"),
    ]
    return design(shape, ties, {k: f"{v} mm" for k, v in SLOTTED.items()})


@pytest.mark.parametrize("seed", seeds(4))
def test_round_ends_and_rims_follow(slotted_design, memory, seed) -> None:
    """The ends of the slot become as wide as it is; rim and corners, of which one is rounded on the
    other, are made again in their order."""
    sizes = random_sizes(SLOTTED_RANGES, seed)
    built = build(slotted_design, memory, **sizes)
    assert texts(built) == []
    wanted = volume(slotted(**sizes))
    assert built.figures["part"].volume == pytest.approx(wanted, rel=1e-9)


FOOT = Path(__file__).parents[2] / "demo" / "scale-foot.schablone"


def foot(length=80.0, depth=50.0, plate=6.0, rim=5.0, wall=3.0, corner=4.0, ear=16.0,
         ear_width=18.0, screw=5.0, cell=24.0):  # fmt: skip
    """The demo's scale foot, made at once."""
    shape = box(0, 0, 0, length, depth, plate + rim)
    shape = cut(shape, box(wall, wall, plate, length - 2 * wall, depth - 2 * wall, 50))
    m = depth / 2
    for x in (-ear, length):
        shape = fuse(shape, box(x, m - ear_width / 2, 0, ear, ear_width, plate))
    for x in (-ear, length + ear - 2):
        shape = fuse(shape, box(x, m - ear_width / 2, plate, 2, ear_width, 2))
    for x in (-ear / 2, length + ear / 2):
        shape = cut(shape, cylinder((x, m, -1), (0, 0, 1), (screw + 0.5) / 2, 40))
    rise = 36 * math.tan(math.radians(10))
    first, last = wall + 17, length - wall - 15
    slope = [(first, plate), (first + 36, plate + rise), (last, plate + rise), (last, plate)]
    shape = whole(fuse(shape, raised(slope, m - cell / 2, cell)))
    return rounded(
        shape, corner, lambda e: e.straight and abs(e.middle[2] - (plate + rim) / 2) < 1e-6
        and min(abs(e.middle[0]), abs(e.middle[0] - length)) < 1e-6
        and min(abs(e.middle[1]), abs(e.middle[1] - depth)) < 1e-6,
    )  # fmt: skip


@pytest.mark.parametrize("seed", seeds(6))
def test_the_scale_foot(memory, seed) -> None:
    found = read_design(FOOT)
    sizes = random_sizes({
        "depth": (44, 120), "plate": (4, 10), "rim": (3, 12), "wall": (2, 5), "ear": (14, 40),
        "ear_width": (14, 30), "screw": (3, 8), "cell": (16, 36)}, seed)  # fmt: skip
    sizes["length"] = random.Random(seed + 1).uniform(75 + 2 * sizes["wall"], 160)
    sizes["corner"] = random.Random(seed + 2).uniform(1, 3 * sizes["wall"])
    built = build(found, memory, **sizes)
    assert texts(built) == []
    assert built.figures["part"].volume == pytest.approx(volume(foot(**sizes)), rel=1e-9)


# Surfaces of all kinds


def test_a_ball_and_a_crossing_hole_grow() -> None:
    """A round hole across a round bar, whose edges have no name; by a sum of strips."""
    from scipy.integrate import quad

    bar = cut(cylinder((0, 0, 0), (0, 0, 1), 20, 60), cylinder((-50, 0, 25), (1, 0, 0), 6, 100))
    f = faces_in(design(bar, []))
    big, small = f.round(20), f.round(6)
    ties = [
        Tie(kind="diameter", of=(big,), formula="bar"),
        Tie(kind="diameter", of=(small,), formula="hole"),
    ]
    found = design(bar, ties, {"bar": "40 mm", "hole": "12 mm"})
    built = build(found, bar=48.0, hole=17.0)
    assert texts(built) == []

    def strip(y: float) -> float:
        return 2 * math.sqrt(24**2 - y * y) * 2 * math.sqrt(max(0.0, 8.5**2 - y * y))

    wanted = math.pi * 24**2 * 60 - quad(strip, -8.5, 8.5, limit=300)[0]
    shape = built.bodies["part"].solid().shape
    assert volume(shape, 1e-9) == pytest.approx(wanted, rel=1e-9)
    socket = cut(box(-30, -30, 0, 60, 60, 20), ball((0, 0, 20), 8))
    f = faces_in(design(socket, []))
    ties = [
        Tie(kind="pin", of=(f.flat("z", 0),)),
        Tie(kind="radius", of=(f.round(8),), formula="r"),
        Tie(of=(f.flat("z", 0), f.flat("z", 20)), formula="high"),
        Tie(of=(f.flat("z", 0), f.round(8)), formula="high"),
    ]  # fmt: skip
    built = build(design(socket, ties, {"r": "8 mm", "high": "20 mm"}), r=11.0, high=26.0)
    wanted = 60 * 60 * 26 - 2 / 3 * math.pi * 11**3
    assert built.figures["part"].volume == pytest.approx(wanted, rel=1e-9)


def test_a_face_leans_and_holds_its_angle() -> None:
    wedge = raised([(0, 0), (0, 20), (10, 20), (30, 0)], 0, 15)
    f = faces_in(design(wedge, []))
    slope = f.one(lambda s: 0.1 < abs(s.way[0]) < 0.9)
    low, top, left = f.flat("z", 0), f.flat("z", 20), f.flat("x", 0)
    foot_edge = EDGE.join((slope, low))
    ties = [
        Tie(kind="pin", of=(low, left)),
        Tie(of=(low, top), formula="high"),
        Tie(kind="angle", of=(low, slope), formula="lean"),
        Tie(of=(left, foot_edge), formula="long"),
    ]
    found = design(wedge, ties, {"high": "20 mm", "lean": "45 deg", "long": "30 mm"})
    for high, lean, long in ((12.0, 45.0, 30.0), (20.0, 60.0, 40.0), (9.0, 30.0, 50.0)):
        built = build(found.model_copy(update={"sizes": tuple(
            s.model_copy(update={"formula": f"{lean} deg"}) if s.name == "lean" else s
            for s in found.sizes)}), high=high, long=long)  # fmt: skip
        assert texts(built) == []
        back = high / math.tan(math.radians(lean))
        assert built.figures["part"].volume == pytest.approx(
            15 * (long * high - back * high / 2), rel=1e-9
        )


# What cannot be, what is used up


def test_faces_that_meet_are_named_with_what_works() -> None:
    shape = cut(box(0, 0, 0, 40, 30, 10), cylinder((20, 15, -1), (0, 0, 1), 4, 20))
    f = faces_in(design(shape, []))
    hole, left = f.round(4), f.flat("x", 0)
    ties = [
        Tie(kind="pin", of=(left, f.flat("y", 0), f.flat("z", 0))),
        Tie(of=(left, hole), formula="at"),
        Tie(kind="diameter", of=(hole,), formula="bore"),
    ]
    found = design(shape, ties, {"at": "20 mm", "bore": "8 mm"})
    for given, words, most in (
        ({"at": 38.0}, "“at” at 38 mm, hole ø 8", 36.0),
        ({"at": 90.0}, "“at” at 90 mm", 36.0),
        ({"bore": 31.0}, "“bore” at 31 mm", 30.0),
    ):
        (text,) = texts(build(found, **given))
        assert words in text, text
        told = float(text.partition("at most ")[2].split()[0])
        assert most - 0.011 <= told < most
        # What is told works, as far as it is told.
        (name,) = given
        assert texts(build(found, **{name: told})) == []
    assert "above zero" in texts(build(found, bore=0.0))[0]
    assert "zero or more" in texts(build(found, at=-1.0))[0]
    # The last good part stays, the problem is that of the tie.
    built = build(found, at=38.0)
    assert built.problems[0].field == "ties.1.formula"


def test_a_pocket_cannot_go_through_the_bottom_but_may_become_a_boss() -> None:
    shape = cut(box(0, 0, 0, 40, 30, 10), box(10, 10, 5, 10, 10, 20))
    f = faces_in(design(shape, []))
    low, floor = f.flat("z", 0), f.flat("z", 5)
    found = design(shape, [Tie(kind="pin", of=(low,)), Tie(of=(low, floor), formula="floor")],
                   {"floor": "5 mm"})  # fmt: skip
    assert "run into each other" in texts(build(found, floor=0.0))[0]
    built = build(found, floor=14.0)
    assert texts(built) == []
    assert built.figures["part"].volume == pytest.approx(40 * 30 * 10 + 10 * 10 * 4, rel=1e-9)
    assert "the other way now" in texts(built, "note")[0]
    # At the very height of the top nothing would be left of its walls.
    assert texts(build(found, floor=10.0))


def test_a_narrow_face_is_used_up_and_said() -> None:
    shape = raised([(0, 0), (0, 5), (2, 5), (10, 21), (30, 21), (30, 0)], 0, 20)
    f = faces_in(design(shape, []))
    slope = f.one(lambda s: 0.1 < abs(s.way[2]) < 0.9)
    right, top = f.flat("x", 30), f.flat("z", 21)
    ties = [
        Tie(kind="pin", of=(right, top, f.flat("x", 0), f.flat("z", 0))),
        Tie(of=(right, EDGE.join((slope, top))), formula="back"),
    ]
    found = design(shape, ties, {"back": "20 mm"})
    built = build(found, back=23.0)
    assert texts(built) == []
    # The slope meets the left side, at 7 mm.
    area = 30 * 21 - 7 * 14 / 2
    assert built.figures["part"].volume == pytest.approx(20 * area, rel=1e-9)
    assert "is used up" in texts(built, "note")[0]


def test_a_step_may_vanish_or_turn() -> None:
    shape = fuse(box(0, 0, 0, 20, 30, 10), box(20, 0, 0, 20, 30, 5))
    f = faces_in(design(shape, []))
    low, high = f.all(lambda s: s.way[2] < -0.9)[0], f.flat("z", 5)
    found = design(shape, [Tie(kind="pin", of=(low,)), Tie(of=(low, high), formula="h")],
                   {"h": "5 mm"})  # fmt: skip
    for value in (3.0, 8.0, 10.0, 15.0):
        built = build(found, h=value)
        assert texts(built) == []
        wanted = 20 * 30 * (10 + value)
        assert built.figures["part"].volume == pytest.approx(wanted, rel=1e-9)
        assert built.bodies["part"].solid().is_valid()


def test_what_lies_apart_and_what_is_hollow_stays() -> None:
    """Two blocks in one part, one of them with a hollow and rounded edges: each moves by itself."""
    more = [
        {"kind": "sketch", "name": "o", "shapes": [
            {"kind": "rectangle", "name": "r", "width": "10 mm", "height": "10 mm",
             "x": "100 mm"}]},
        {"kind": "extrude", "name": "beside", "sketch": "o", "by": "12 mm"},
    ]  # fmt: skip
    hollow = cut(
        rounded(box(0, 0, 0, 40, 30, 20), 3, lambda e: abs(e.middle[2] - 10) < 1e-6),
        box(10, 10, 5, 12, 8, 10),
    )
    bare = design(hollow, [])
    f = faces_in(bare)
    ties = [
        Tie(kind="pin", of=(f.flat("z", 0), "beside/start")),
        Tie(of=(f.flat("x", 0), f.flat("x", 40)), formula="46 mm"),
        Tie(of=(f.flat("z", 0), f.flat("z", 5)), formula="4 mm"),
        Tie(of=("beside/start", "beside/end"), formula="15 mm"),
    ]
    parts = (bare.steps[0], *design(hollow, [], more=more).steps[2:])
    found = bare.model_copy(
        update={"steps": (*parts, bare.steps[1].model_copy(update={"ties": tuple(ties)}))}
    )
    built = build(found)
    assert texts(built) == []
    corners = (4 - math.pi) * 3**2 * 20
    wanted = 46 * 30 * 20 - corners - 12 * 8 * 11 + 10 * 10 * 15
    assert built.figures["part"].volume == pytest.approx(wanted, rel=1e-9)


# As other programs write solids


def written(shape, schema: str, unit: str) -> str:
    """A STEP file of a schema, in a unit, as a design keeps it."""
    from OCP.Interface import Interface_Static
    from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

    kept = [Interface_Static.CVal_s(f"write.step.{what}") for what in ("schema", "unit")]
    try:
        writer = STEPControl_Writer()
        Interface_Static.SetCVal_s("write.step.schema", schema)
        Interface_Static.SetCVal_s("write.step.unit", unit)
        writer.Transfer(shape, STEPControl_AsIs)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "part.step"
            writer.Write(str(path))
            return packed(path.read_bytes())
    finally:
        for what, value in zip(("schema", "unit"), kept, strict=True):
            Interface_Static.SetCVal_s(f"write.step.{what}", value)


def in_halves(shape):
    """Round faces that go all round in two halves, as many programs write them."""
    from OCP.ShapeUpgrade import ShapeUpgrade_ShapeDivideClosed

    maker = ShapeUpgrade_ShapeDivideClosed(shape)
    maker.SetNbSplitPoints(1)
    maker.Perform()
    return maker.Result()


@pytest.mark.parametrize("schema", ["AP203", "AP214IS", "AP242DIS"])
@pytest.mark.parametrize("unit", ["MM", "INCH", "M"])
@pytest.mark.parametrize("halves", [False, True])
def test_solids_as_other_programs_write_them(schema, unit, halves) -> None:
    shape = bracket(**BRACKET)
    bare = design(shape, [])
    data = written(in_halves(shape) if halves else shape, schema, unit)
    bare = bare.model_copy(update={"steps": (
        bare.steps[0].model_copy(update={"data": data}), bare.steps[1])})  # fmt: skip
    f = faces_in(bare)
    w = lambda axis, at: f.one(  # noqa: E731
        lambda s: s.kind == "plane" and abs(abs(s.way["xyz".index(axis)]) - 1) < 1e-9
        and abs(s.at["xyz".index(axis)] - at) < 1e-6
    )  # fmt: skip
    left, low, top, inner = w("x", 0), w("z", 0), w("z", 36), w("x", 5)
    down = f.all(lambda s: s.kind == "cylinder" and abs(s.way[2]) > 0.9)
    across = f.all(lambda s: s.kind == "cylinder" and abs(s.way[0]) > 0.9)
    ties = [
        Tie(kind="pin", of=(left, low, w("y", 0))),
        Tie(of=(left, w("x", 60)), formula="84 mm"),
        Tie(of=(low, top), formula="50 mm"),
        Tie(of=(left, inner), formula="7 mm"),
        Tie(kind="diameter", of=(down[0],), formula="6 mm"),
        Tie(kind="equal", of=tuple(down)),
        Tie(kind="pin", of=(w("y", 40),)),
        *(Tie(of=(name, top)) for name in across[:1]),
    ]  # fmt: skip
    step = bare.steps[1].model_copy(update={"ties": tuple(ties)})
    built = build(bare.model_copy(update={"steps": (bare.steps[0], step)}))
    assert texts(built) == []
    plate = (84 * 40 - 2 * math.pi * 3**2) * 6
    wall = (40 * 44 - 2 * math.pi * 2**2) * 7
    assert built.figures["part"].volume == pytest.approx(plate + wall, rel=1e-9)


# Freedoms, and what repeats


def test_freedoms_agree_with_finite_differences() -> None:
    """Rows and rank by differences of what is asked for, with real steps."""
    import numpy as np

    from schablone.core.solids.states import State

    shape = slotted(**SLOTTED)
    f = Faces(plain(shape))
    rng = random.Random(3)
    flats = f.all(lambda s: s.kind == "plane")
    for _ in range(12):
        ties = [Tie(kind="pin", of=(flats[0],))]
        for _ in range(rng.randint(1, 6)):
            kind = rng.choice(["distance", "symmetric", "flush", "diameter"])
            of = tuple(rng.sample(flats, 2))
            rounds = f.all(lambda s: s.is_round)
            ties.append({
                "distance": Tie(of=of), "flush": Tie(kind="flush", of=of),
                "symmetric": Tie(kind="symmetric", of=of, about=(rng.choice(flats),)),
                "diameter": Tie(kind="diameter", of=(rng.choice(rounds),)),
            }[kind])  # fmt: skip
        ready = held(f.solid, ties)
        count = len(ready.layout.freedoms)
        step = 1e-6

        def asked(values, ready=ready):
            state = State(ready.layout, values)
            return np.array([
                float(part)
                for row in ready.rows
                for e in [row.equation]
                for part in (*e.first(state, e.now), *e.rest(state))
            ])  # fmt: skip

        rows = np.array([
            (asked(step * one) - asked(-step * one)) / (2 * step) for one in np.eye(count)
        ])  # fmt: skip
        rank = np.linalg.matrix_rank(rows, tol=1e-6) if rows.size else 0
        assert len(ready.modes) == count - rank
        # Each mode leaves all that is asked for as it is.
        for mode in ready.modes:
            values = np.zeros(count)
            values[list(mode.ways)] = list(mode.ways.values())
            assert np.abs(asked(1e-4 * values) - asked(0 * values)).max(initial=0.0) < 1e-6


def test_everything_tied_is_held_and_one_less_is_not() -> None:
    f = Faces(plain(bracket(**BRACKET)))
    ties = list(bracket_ties(f).values())
    ready = held(f.solid, ties)
    assert ready.problems == {}
    assert ready.modes == []
    assert ready.repeats == {}
    for k, tie in enumerate(ties):
        if tie.kind in ("pin", "diameter", "equal"):
            continue  # a radius that no tie is about stays as it is
        rest = held(f.solid, [t for n, t in enumerate(ties) if n != k])
        assert rest.modes, tie


def test_one_too_many_is_told_with_what_it_repeats() -> None:
    f = Faces(plain(bracket(**BRACKET)))
    named = bracket_ties(f)
    ties, keys = list(named.values()), list(named)
    right, inner = f.flat("x", 60), f.flat("x", 5)
    low, floor, top = f.flat("z", 0), f.flat("z", 6), f.flat("z", 36)
    for extra, others in (
        (Tie(of=(inner, right)), {"width", "wall"}),
        (Tie(of=(floor, top)), {"plate", "high"}),
        (Tie(of=(named["bore"].of[0], right)), {"width", "wall", "one from wall"}),
        (Tie(kind="radius", of=(named["equal"].of[1],)), {"bore", "equal"}),
        (Tie(of=(f.flat("x", 0), low)), None),
    ):
        ready = held(f.solid, [*ties, extra])
        if others is None:
            assert len(ties) in ready.problems
            continue
        assert {keys[k] for k in ready.repeats[len(ties)]} == others
    # Whatever is put on top of what is tied says nothing new.
    rng = random.Random(5)
    faces = f.all(lambda s: True)
    found = 0
    for _ in range(60):
        ready = held(f.solid, [*ties, Tie(of=tuple(rng.sample(faces, 2)))])
        if len(ties) not in ready.problems:
            assert len(ties) in ready.repeats
            found += 1
    assert found > 10


def with_tie(found: Design, tie: Tie) -> Design:
    step = found.step("fit")
    more = step.model_copy(update={"ties": (*step.ties, tie)})
    return found.model_copy(update={"steps": (found.steps[0], more)})


def test_at_odds_is_said_with_both_figures(bracket_design) -> None:
    f = faces_in(bracket_design)
    extra = Tie(of=(f.flat("z", 6), f.flat("z", 36)), formula="31 mm")
    at_odds = with_tie(bracket_design, extra)
    (text,) = texts(build(at_odds))
    assert "these make it 30 mm, and it is to be 31 mm" in text
    # Where it agrees it is only told; read off, it is used.
    agrees = extra.model_copy(update={"formula": "high - plate"})
    built = build(with_tie(bracket_design, agrees), high=50.0)
    assert texts(built) == []
    assert "says again" in texts(built, "note")[0]
    reads = extra.model_copy(update={"formula": "", "reads": True, "name": "rise"})
    read = with_tie(bracket_design, reads)
    assert build(read, high=50.0, plate=7.0).measured == {"fit.rise": pytest.approx(43.0)}


# Before the change


def test_the_forgotten_faces_of_the_scale_foot_are_found() -> None:
    found = read_design(FOOT)
    step = found.step("fit")
    body = build(found.model_copy(update={"steps": found.steps[:1]})).bodies["part"]
    assert left_behind(ready_of(body, step.ties)) == []
    # The lips of the ears: their inner sides are forgotten.
    lips = [
        k
        for k, tie in enumerate(step.ties)
        if (tie.kind, tie.formula, tie.axis, tie.side) == ("distance", "", "x", "outside")
        and EDGE not in "".join(tie.of)
    ][:2]
    ties = tuple(tie for k, tie in enumerate(step.ties) if k not in lips)
    loose = left_behind(ready_of(body, ties))
    assert len(loose) == 2
    for one in loose:
        assert one.how == "shift"
        assert one.ties
        ties = (*ties, *one.ties)
    again = ready_of(body, ties)
    assert left_behind(again) == []
    assert again.repeats == {}


def test_what_was_forgotten_stays_behind_exactly() -> None:
    shape = bracket(**BRACKET)
    f = faces_in(design(shape, []))
    ties = bracket_ties(f)
    kept = [ties[k] for k in ("pin", "width")]
    built = build(design(shape, kept, {"width": "60 mm"}), width=71.0)
    after = Faces(plain(built.bodies["part"].solid().shape))
    for axis, at in (("y", 0), ("y", 40), ("z", 0), ("z", 6), ("z", 36), ("x", 5), ("x", 0)):
        assert after.flat(axis, at)  # to the last digit
    assert after.flat("x", 71)


def test_what_is_held_again_is_as_it_was(memory) -> None:
    """A formula that is taken away leaves nothing behind, though its solid is kept."""
    shape = bracket(**BRACKET)
    bare = design(shape, [])
    ties = bracket_ties(faces_in(bare))
    right, hole = ties["width"].of[1], ties["bore"].of[0]

    def high(*of: Tie) -> float:
        step = bare.steps[1].model_copy(update={"ties": of})
        built = build(bare.model_copy(update={"steps": (bare.steps[0], step)}), memory)
        assert texts(built) == []
        return built.figures["part"].bounds[1][0]

    held_as_it_is = ties["width"].model_copy(update={"formula": ""})
    wide = ties["width"].model_copy(update={"formula": "80 mm"})
    moved = Tie(of=(right, hole), formula="15 mm")
    assert high(ties["pin"], wide, moved) == pytest.approx(80)
    assert high(ties["pin"], held_as_it_is, moved) == pytest.approx(60)


def test_one_size_for_several_places_reaches_all_of_them(memory) -> None:
    """Also where the first of them has it already."""
    shape = cut(
        cut(box(0, 0, 0, 60, 30, 10), cylinder((15, 15, -1), (0, 0, 1), 2, 20)),
        cylinder((45, 15, -1), (0, 0, 1), 3, 20),
    )
    f = faces_in(design(shape, []))
    tie = Tie(kind="diameter", of=(f.round(2), f.round(3)), formula="4 mm")
    built = build(design(shape, [tie]), memory)
    assert texts(built) == []
    wanted = (60 * 30 - 2 * math.pi * 2**2) * 10
    assert built.figures["part"].volume == pytest.approx(wanted, rel=1e-9)


def test_wiggling_shows_the_freedom_and_nothing_else() -> None:
    f = Faces(plain(bracket(**BRACKET)))
    named = bracket_ties(f)
    ties = [tie for name, tie in named.items() if name != "high"]
    ready = held(f.solid, ties)
    assert len(ready.modes) == 1
    top = f.solid.place[FaceName.read(f.flat("z", 36))]
    frames = wiggled(ready, {}, modes_of(ready, top)[0])
    heights = [frame.figures.bounds[1][2] for frame in frames]
    assert max(heights) > 36 > min(heights)
    assert heights[0] == pytest.approx(36)
    # The two holes below the top go with it; width and depth stay.
    for frame in frames:
        assert frame.is_valid()
        assert frame.figures.bounds[1][:2] == pytest.approx((60, 40))


def test_offers_fit_what_is_picked() -> None:
    f = Faces(plain(bracket(**BRACKET)))
    ready = held(f.solid, [])
    left, right, low = f.flat("x", 0), f.flat("x", 60), f.flat("z", 0)
    hole = f.all(lambda s: s.is_round and abs(s.way[2]) > 0.9)

    def words(*places: str) -> list[str]:
        return [one.words for one in offers(ready, places)]

    assert words(left) == ["pin: never moves"]
    assert words(left, right)[0] == "distance"
    assert offers(ready, [left, right])[0].now == pytest.approx(60)
    assert "angle" in words(left, low)
    assert "distance" not in words(left, low)
    assert words(hole[0])[:2] == ["diameter", "radius"]
    assert {"equal", "distance along y"} <= set(words(*hole))
    assert "symmetric about the middle of the last two" in words(
        *hole, f.flat("y", 0), f.flat("y", 40)
    )
    edge = EDGE.join((low, right))
    assert offers(ready, [left, edge])[0].now == pytest.approx(60)
    # What is said already can be read off.
    full = held(f.solid, list(bracket_ties(f).values()))
    (first, *_) = offers(full, [f.flat("x", 5), right])
    assert first.tie.reads
    assert first.now == pytest.approx(55)


def test_what_a_solid_has_is_said() -> None:
    shape = box(0, 0, 0, 100, 40, 5)
    for k in range(5):
        shape = cut(shape, cylinder((14 + 18 * k, 20, -1), (0, 0, 1), 3.25, 9))
    for k in range(6):
        a = math.radians(60 * k)
        shape = cut(
            shape, cylinder((50 + 12 * math.cos(a), 20 + 12 * math.sin(a), -1), (0, 0, 1), 1, 9)
        )
    said = [one.words for one in recognised(plain(rounded(
        shape, 2, lambda e: e.straight and abs(e.middle[2] - 2.5) < 1e-6)))]  # fmt: skip
    assert "five equal holes ø 6.5, in a row 18 mm apart" in said
    assert "six equal holes ø 2, even around a circle ø 24" in said
    assert "four rounded edges of radius 2" in said
    assert any("lie symmetrically" in words for words in said)
    foot_solid = plain(foot())
    said = [one.words for one in recognised(foot_solid)]
    assert "three faces on one plane" in said


def test_sides_of_the_material_are_known() -> None:
    shape = cut(box(0, 0, 0, 40, 30, 10), box(10, -1, 5, 20, 50, 20))
    solid = plain(fuse(shape, cylinder((5, 15, 9), (0, 0, 1), 3, 6)))
    f = Faces(solid)
    outer = sided(solid, Tie(of=(f.flat("x", 0), f.flat("x", 40))))
    inner = sided(solid, Tie(of=(f.flat("x", 10), f.flat("x", 30))))
    step = sided(solid, Tie(of=(f.flat("z", 0), f.flat("z", 5))))
    rise = sided(solid, Tie(of=(f.flat("z", 5), f.flat("z", 10, x=35))))
    peg = sided(solid, Tie(kind="diameter", of=(f.round(3),)))
    assert [t.side for t in (outer, inner, step, rise, peg)] == [
        "outside", "inside", "outside", "", "outside"
    ]  # fmt: skip
    assert (outer.axis, step.axis, peg.axis, peg.bored) == ("x", "z", "x", "z")


# Whatever is tied


@pytest.fixture(scope="module")
def families():
    """Solids with their faces, to be tied at random."""
    shapes = {"slotted": slotted(**SLOTTED), "bracket": bracket(**BRACKET), "foot": foot()}
    bare = {name: design(shape, []) for name, shape in shapes.items()}
    return {name: (found, faces_in(found)) for name, found in bare.items()}


def measured_anew(tie: Tie, f: Faces) -> float | None:
    """What a tie measures on a solid, from its planes and radii alone; None where a face is used
    up."""
    surfaces = []
    for place in tie.of:
        name = FaceName.read(place)
        if name in f.solid.roundings:
            return f.solid.roundings[name].radius
        if name not in f.solid.place:
            return None
        surfaces.append(f.solid.surfaces[f.solid.place[name]])
    if tie.kind == "distance":
        flat = next(s for s in surfaces if s.kind == "plane")
        other = next(s for s in surfaces if s is not flat)
        away = [p - q for p, q in zip(other.at, flat.at, strict=True)]
        return abs(sum(a * b for a, b in zip(away, flat.way, strict=True)))
    return surfaces[0].radius * (2 if tie.kind == "diameter" else 1)


@pytest.mark.parametrize("name", ["slotted", "bracket", "foot"])
@pytest.mark.parametrize("seed", seeds(3))
def test_what_is_built_has_what_was_asked(families, memory, name, seed) -> None:
    bare, f = families[name]
    rng = random.Random(seed)
    ties = [Tie(kind="pin", of=tuple(rng.sample(f.all(lambda s: s.kind == "plane"), 2)))]
    known = {str(n): s for n, s in zip(f.solid.names, f.solid.surfaces, strict=True)}
    flats = [n for n, s in known.items() if s.kind == "plane"]
    for _ in range(rng.randint(2, 5)):
        one = rng.choice([*known, *map(str, f.solid.roundings)])
        if one not in known:
            tie = Tie(kind="radius", of=(one,))
        elif known[one].is_round and rng.random() < 0.5:
            tie = Tie(kind="diameter", of=(one,))
        else:
            tie = Tie(of=(one, rng.choice(flats)))
        try:
            now = measured_anew(tie, f)
        except StopIteration:
            continue
        if len(set(tie.of)) == len(tie.of) and now is not None and now > 1e-3:
            ties.append(tie.model_copy(update={"formula": f"{now * rng.uniform(0.75, 1.4)!r} mm"}))
    step = bare.steps[1].model_copy(update={"ties": tuple(ties)})
    built = build(bare.model_copy(update={"steps": (bare.steps[0], step)}), memory)
    if built.steps["fit"].state != "built":
        assert all(text.endswith(".") for text in texts(built))
        return
    solid = built.bodies["part"].solid()
    assert solid.is_valid()
    after = Faces(plain_of(solid))
    for tie in ties:
        found = measured_anew(tie, after) if tie.formula else None
        if found is not None:
            assert found == pytest.approx(float(tie.formula.split()[0]), abs=1e-6)
        elif tie.formula:
            assert "used up" in " ".join(texts(built, "note"))


def test_a_rim_that_goes_on_around_has_one_radius(families) -> None:
    bare, f = families["slotted"]
    rim = [n for n, one in f.solid.roundings.items() if abs(one.radius - 2) < 1e-6]
    tie = Tie(kind="radius", of=(str(rim[0]),), formula="3 mm")
    step = bare.steps[1].model_copy(update={"ties": (tie,)})
    built = build(bare.model_copy(update={"steps": (bare.steps[0], step)}))
    assert texts(built) == []
    wanted = volume(slotted(**{**SLOTTED, "soft": 3.0}))
    assert built.figures["part"].volume == pytest.approx(wanted, rel=1e-9)


@pytest.mark.parametrize("seed", range(60))
def test_any_ties_are_answered_in_words(families, memory, seed) -> None:
    bare, f = families["slotted"]
    rng = random.Random(seed)
    names = [*map(str, f.solid.names), *map(str, f.solid.roundings)]
    wrong = ["nonsense", "", " | ", "a | b | c", "foot/face/999", "other/face/1", "x/y/z/w"]

    def place() -> str:
        if rng.random() < 0.12:
            return rng.choice(wrong)
        count = 2 if rng.random() < 0.2 else 1
        return EDGE.join(rng.choice(names) for _ in range(count))

    kinds = ["pin", "distance", "radius", "diameter", "angle", "flush", "concentric", "equal",
             "symmetric"]  # fmt: skip
    formulas = ["", "10 mm", "0 mm", "-3 mm", "1e6 mm", "30 deg", "3 kg", "1e-9 mm", "90 deg"]
    ties = tuple(
        Tie(
            kind=rng.choice(kinds),
            of=tuple(place() for _ in range(rng.randint(0, 4))),
            about=tuple(place() for _ in range(rng.randint(0, 2))),
            formula=rng.choice(formulas),
            along=rng.choice(["straight", "x", "y", "z"]),
            reads=rng.random() < 0.2,
            name=rng.choice(["", "r1", "r2"]),
        )
        for _ in range(rng.randint(1, 5))
    )
    step = bare.steps[1].model_copy(update={"ties": ties})
    built = build(bare.model_copy(update={"steps": (bare.steps[0], step)}), memory)
    for problem in built.problems:
        assert problem.what.endswith("."), problem.what
    assert built.bodies["part"].solid().is_valid()
    body = build(bare.model_copy(update={"steps": bare.steps[:1]}), memory).bodies["part"]
    ready = ready_of(body, ties)
    left_behind(ready)
    offers(ready, [p for tie in ties for p in tie.of if p in names][:3])
