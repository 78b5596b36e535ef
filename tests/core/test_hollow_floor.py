"""What is hollow can be stood on inside."""

import math

import pytest

from schablone.core.design.facing import facing
from schablone.core.design.model import Design
from schablone.core.design.rebuild import rebuild
from schablone.core.kernel.naming import speaking_of
from schablone.core.process import LensView, neutral
from schablone.core.steps.closed_shapes import Disc, Rectangle
from schablone.core.steps.extrude import Extrude
from schablone.core.steps.grid import Grid
from schablone.core.steps.hole import Hole
from schablone.core.steps.shell import Shell
from schablone.core.steps.sketch import Sketch

WANTED = LensView("wanted", neutral())


def box(*more) -> Design:
    """80 by 50 by 30 mm, hollow, walls of 2 mm, open at the top."""
    outline = Rectangle(name="edge", width="80 mm", height="50 mm")
    return Design(
        steps=(
            Sketch(name="outline", shapes=(outline,)),
            Extrude(name="block", sketch="outline", by="30 mm"),
            Shell(name="hollow", faces=("block/end",), wall="2 mm"),
            *more,
        )
    )


def test_a_post_on_the_floor_and_a_hole_through_a_wall() -> None:
    plain = rebuild(box(), WANTED)
    (body,) = plain.bodies.values()
    floor = next(name for name in body.frames if str(name) == "hollow/inside/block.start")
    frame = body.frames[floor]
    assert frame.origin == pytest.approx((0, 0, 2))
    assert frame.normal == pytest.approx((0, 0, 1))  # into the hollow
    with speaking_of(facing(box())):
        assert floor.words() == "inner bottom of block"
    post = Sketch(name="spot", plane=str(floor), shapes=(Disc(name="rim", diameter="8 mm"),))
    built = rebuild(box(post, Extrude(name="post", sketch="spot", by="12 mm")), WANTED)
    assert built.whole, built.problems
    walls = 80 * 50 * 30 - 76 * 46 * 28
    (figures,) = built.figures.values()
    assert figures.volume == pytest.approx(walls + math.pi * 16 * 12)


def test_walls_lie_as_deep_as_they_are_thick() -> None:
    (body,) = rebuild(box(), WANTED).bodies.values()
    inner = {str(name): frame for name, frame in body.frames.items() if name.step == "hollow"}
    assert len(inner) == 5
    for name, frame in inner.items():
        outer = next(
            other
            for key, other in body.frames.items()
            if str(key.made_by("hollow", "inside")) == name
        )
        away = sum(
            (a - b) * c for a, b, c in zip(outer.origin, frame.origin, outer.normal, strict=True)
        )
        assert away == pytest.approx(2)
        assert frame.normal == pytest.approx(tuple(-c for c in outer.normal))


def test_a_hole_from_inside() -> None:
    through = Hole(name="drain", face="hollow/inside/block.start", x="10 mm", y="5 mm")
    built = rebuild(box(through), WANTED)
    assert built.whole, built.problems
    walls = 80 * 50 * 30 - 76 * 46 * 28
    (figures,) = built.figures.values()
    assert figures.volume == pytest.approx(walls - math.pi * 2.5**2 * 2)


def test_a_grid_goes_on_from_where_its_step_is() -> None:
    def with_place(place: str):
        bore = Hole(name="bore", face="block/end", x="-30 mm", y="-15 mm")
        grid = Grid(
            name="bores", of="bore", columns="3", column_pitch="20 mm", rows="2", row_pitch="30 mm",
            place=place,
        )  # fmt: skip
        outline = Rectangle(name="edge", width="80 mm", height="50 mm")
        solid = Design(
            steps=(
                Sketch(name="outline", shapes=(outline,)),
                Extrude(name="block", sketch="outline", by="4 mm"),
                bore,
                grid,
            )
        )
        return rebuild(solid, WANTED)

    built = with_place("on")
    assert built.whole, built.problems
    (body,) = built.bodies.values()
    (prism,) = body.prisms
    middles = sorted(hole.curves[0].centre for hole in prism.region.holes)
    assert middles == [pytest.approx((x, y)) for x in (-30, -10, 10) for y in (-15, 15)]
    # About where it is, its first column lies beside the plate.
    assert "breaks out" in with_place("about").problems[0].what
