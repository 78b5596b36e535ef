"""What the table says is sent and expected is what is measured on the part that is sent and on the
one that comes off.

Measured on the outlines and boxes of the built bodies; what a machine does is worked out here by
hand.
"""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import Design
from schablone.core.design.lens_table import LensRow, lens_table, machines_of, seen_through
from schablone.core.design.measures import Measures, measures_of
from schablone.core.design.rebuild import Rebuilt, rebuild
from schablone.core.process import Process, neutral
from schablone.core.process.known import Material
from schablone.core.sketch.loops import Loop
from tests.conftest import examples
from tests.parts.making import (
    circle,
    cut,
    drawn,
    extrude,
    line,
    point,
    polygon,
    rectangle,
    sketch,
    slot,
    step,
)

STUFF = Material(name="stuff", density=1.0)
Measured = dict[str, float]


def machines() -> st.SearchStrategy[Process]:
    gains = st.floats(-0.4, 0.4)
    return st.builds(
        lambda hole, small, lying, opening, peg, peg_small, length, xy, z, scaled: (
            Process(
                name="P",
                material=STUFF,
                hole_gain=hole,
                hole_small=small,
                lying_hole_gain=lying,
                opening_gain=opening,
                peg_gain=peg,
                peg_small=peg_small,
                length_gain=length,
                shrinkage_xy=xy,
                shrinkage_z=z,
            ),
            scaled,
        ),
        gains,
        st.floats(-0.8, 0.8),
        gains,
        st.none() | gains,
        gains,
        st.floats(-0.8, 0.8),
        st.none() | gains,
        st.floats(0, 2),
        st.floats(0, 2),
        st.booleans(),
    )


def across(loop: Loop) -> tuple[float, float]:
    x0, y0, x1, y1 = loop.bounds()
    return x1 - x0, y1 - y0


def boxed(built: Rebuilt) -> tuple[float, float, float]:
    low, high = built.bodies["part"].figures().bounds
    return tuple(b - a for a, b in zip(low, high, strict=True))  # type: ignore[return-value]


def openings(built: Rebuilt) -> list[Loop]:
    """The holes through a plate, from left to right."""
    (prism,) = built.bodies["part"].prisms
    return sorted(prism.region.holes, key=lambda hole: hole.bounds()[0])


def plate_with_openings(built: Rebuilt) -> Measured:
    bore, window, groove = openings(built)
    wide, high, thick = boxed(built)
    return {
        "wide": wide,
        "high": high,
        "thick": thick,
        "bore": across(bore)[0],
        "window": across(window)[0],
        "tall": across(window)[1],
        "long": across(groove)[0],
        "narrow": across(groove)[1],
    }


NESTED = [
    rectangle("edge", "outside(wide)", "high"), circle("bore", "inside(bore)", "-40 mm"),
    rectangle("window", "window", "gap(tall)"), slot("groove", "long", "narrow", "40 mm"),
]  # fmt: skip
SIZES = {
    "wide": "140 mm", "high": "50 mm", "thick": "4 mm", "bore": "8 mm", "window": "20 mm",
    "tall": "12 mm", "long": "22 mm",
    "narrow": "6 mm",
}  # fmt: skip


def turned(built: Rebuilt) -> Measured:
    flange, _, high = boxed(built)
    mesh = built.bodies["part"].mesh(0.001)
    inner = [k for k, name in enumerate(mesh.faces) if name.element.endswith("half.4")]
    spots = mesh.points[
        mesh.triangles[[k for k, face in enumerate(mesh.face_of.tolist()) if face in inner]].ravel()
    ]
    return {
        "flange": flange,
        "high": high,
        "bore": 2 * float((spots[:, 0] ** 2 + spots[:, 1] ** 2).max() ** 0.5),
    }


def lying(built: Rebuilt) -> Measured:
    # The lying hole through a block along y, on its section: the widest of its wall along x.
    mesh = built.bodies["part"].mesh(0.0005)
    wall = [k for k, name in enumerate(mesh.faces) if name.step == "bore" and name.role == "wall"]
    spots = mesh.points[
        mesh.triangles[[k for k, face in enumerate(mesh.face_of.tolist()) if face in wall]].ravel()
    ]
    return {"bore": float(spots[:, 0].max() - spots[:, 0].min())}


def drawn_frame(built: Rebuilt) -> Measured:
    (hole,) = openings(built)
    wide, high, _ = boxed(built)
    (prism,) = built.bodies["part"].prisms
    return {
        "wide": wide,
        "high": high,
        "bore": across(hole)[0],
        "edge": hole.bounds()[0] - prism.region.outer.bounds()[0],
    }


def given_sizes(built: Rebuilt) -> Measured:
    """A block whose faces were moved: a standing and a lying hole, a groove, on their mesh."""
    body = built.bodies["part"]
    mesh, (wide, _, thick) = body.mesh(0.0005), boxed(built)

    def spread(step: str, role: str, axis: int) -> float:
        faces = [k for k, name in enumerate(mesh.faces) if (name.step, name.role) == (step, role)]
        mine = [k for k, face in enumerate(mesh.face_of.tolist()) if face in faces]
        spots = mesh.points[mesh.triangles[mine].ravel()]
        return float(spots[:, axis].max() - spots[:, axis].min())

    groove = spread("groove", "side", 1)
    return {
        "wide": wide,
        "thick": thick,
        "bore": spread("bore", "wall", 0),
        "cross": spread("cross", "wall", 0),
        "groove": groove,
    }


_TIES = [
    {"kind": "pin", "of": ["block/start", "block/side/edge.left", "block/side/edge.bottom"]},
    {"of": ["block/side/edge.left", "block/side/edge.right"], "formula": "outside(wide)",
     "side": "outside", "axis": "x"},
    {"of": ["block/start", "block/end"], "formula": "thick", "side": "outside", "axis": "z"},
    {"kind": "diameter", "of": ["bore/wall"], "formula": "inside(bore)", "side": "inside",
     "axis": "x", "bored": "z"},
    {"kind": "diameter", "of": ["cross/wall"], "formula": "cross", "side": "inside", "axis": "x",
     "bored": "y"},
    {"of": ["groove/side/r.bottom", "groove/side/r.top"], "formula": "gap(groove)",
     "side": "inside", "axis": "y"},
]  # fmt: skip


#: A rectangle of lines with a round hole in it; the web between the left side and the hole's own
#: helper line is measured.
FRAME = drawn(
    "outline",
    [
        point("a", -30, -20), point("b", 30, -20), point("c", 30, 20), point("d", -30, 20),
        point("m", 0, 0),
        line("bottom", "a", "b"), line("right", "b", "c"), line("top", "c", "d"),
        line("left", "d", "a"),
        {"kind": "circle", "name": "bore", "centre": "m", "radius": 5},
    ],
    [
        {"kind": "horizontal", "name": "h1", "of": ["bottom"]},
        {"kind": "horizontal", "name": "h2", "of": ["top"]},
        {"kind": "vertical", "name": "v1", "of": ["left"]},
        {"kind": "vertical", "name": "v2", "of": ["right"]},
        {"kind": "coincident", "name": "o", "of": ["m", "origin"]},
    ],
    [
        {"kind": "distance", "name": "d1", "of": ["bottom"], "formula": "wide"},
        {"kind": "distance", "name": "d2", "of": ["bottom", "top"], "formula": "high"},
        {"kind": "radius", "name": "d3", "of": ["bore"], "formula": "bore/2"},
        {"kind": "distance", "name": "d4", "of": ["m", "left"], "formula": "30 mm"},
        {"kind": "distance", "name": "d5", "of": ["m", "bottom"], "formula": "20 mm"},
    ],
)  # fmt: skip

CASES: dict[str, tuple[list[dict], dict[str, str], Callable[[Rebuilt], Measured], float]] = {
    "openings in an outline": (
        [sketch("o", *NESTED), extrude("plate", "o", "thick")], SIZES, plate_with_openings, 1e-6,
    ),
    "openings that are cut": (
        [
            sketch("o", rectangle("edge", "wide", "outside(high)")), extrude("plate", "o", "thick"),
            sketch("n", circle("bore", "bore", "-40 mm"),
                   rectangle("window", "gap(window)", "tall"),
                   slot("groove", "long", "narrow", "40 mm")),
            cut("away", "n"),
        ], SIZES, plate_with_openings, 1e-6,
    ),
    "a turned part": (
        [
            sketch("s", polygon("half", ("bore/2", "0 mm"), ("flange/2", "0 mm"),
                                ("flange/2", "high"), ("bore/2", "high")),
                   plane="front"),
            step("revolve", "body", sketch="s"),
        ], {"flange": "60 mm", "bore": "12 mm", "high": "9 mm"}, turned, 2e-3,
    ),
    "a hole that lies": (
        [
            sketch("o", rectangle("edge", "60 mm", "30 mm")), extrude("block", "o", "20 mm"),
            step("hole", "bore", face="block/side/edge.bottom", diameter="bore", y="10 mm"),
        ], {"bore": "8 mm"}, lying, 2e-3,
    ),
    "a plain solid": (
        [
            sketch("o", rectangle("edge", "60 mm", "40 mm")), extrude("block", "o", "20 mm"),
            step("hole", "bore", face="block/end", diameter="7 mm", x="-18 mm"),
            step("hole", "cross", face="block/side/edge.bottom", diameter="6 mm", x="18 mm",
                 y="10 mm"),
            sketch("n", rectangle("r", "8 mm", "14 mm"), plane="block/end"),
            step("extrude", "groove", sketch="n", mode="cut", by="6 mm", direction="down"),
            step("give_sizes", "fit", ties=_TIES),
        ], {"wide": "64 mm", "thick": "22 mm", "bore": "8 mm", "cross": "7 mm", "groove": "15 mm"},
        given_sizes, 2e-3,
    ),
    "a drawing with dimensions": (
        [FRAME, extrude("plate", "outline", "4 mm")],
        {"wide": "60 mm", "high": "40 mm", "bore": "10 mm"},
        drawn_frame, 1e-6,
    ),
    "a rib along lines": (
        [
            drawn("way", [point("a", -20, 0), point("b", 20, 0), line("run", "a", "b")]),
            step("rib", "wall", sketch="way", thickness="thin", by="9 mm"),
        ], {"thin": "3 mm"}, lambda built: {"thin": boxed(built)[1]}, 1e-6,
    ),
}  # fmt: skip


def design_of(case: str, **more: object) -> Design:
    steps, sizes, _, _ = CASES[case]
    listed = [{"name": name, "formula": formula} for name, formula in sizes.items()]
    return Design.model_validate({"name": case, "sizes": listed, "steps": steps, **more})


def rows_of(design: Design, machine: Process) -> tuple[dict[str, LensRow], Measures]:
    built = rebuild(design, design.seen("wanted", machine))
    assert built.whole, [p.text for p in built.problems]
    measures = measures_of(design, built)
    return {row.name: row for row in lens_table(design, measures, machine, built.table)}, measures


@pytest.mark.parametrize("case", CASES)
@given(machines())
@examples(8)
def test_the_table_says_what_is_measured(case: str, given_machine) -> None:
    machine, scaled = given_machine
    _, sizes, measure, closely = CASES[case]
    design = design_of(case, scale_for_shrinkage=scaled)
    rows, _ = rows_of(design, machine)
    for lens in ("sent", "expected"):
        built = rebuild(design, design.seen(lens, machine))
        assert built.whole, [p.text for p in built.problems]
        found = measure(built)
        for name in sizes:
            row = rows[name]
            said = row.sent if lens == "sent" else row.expected
            assert said.value == pytest.approx(found[name], abs=closely), (name, lens)


@pytest.mark.parametrize("case", CASES)
def test_of_a_part_that_is_not_built_to_the_end_nothing_is_told_that_is_not_so_in_the_end(
    case: str,
) -> None:
    design, machine = design_of(case), neutral()
    known = rows_of(design, machine)[1].of
    for last in [one.name for one in design.steps[:-1]]:
        built = rebuild(design, design.seen("wanted", machine), until=last)
        for name, measures in measures_of(design, built).of.items():
            told = {(one.correction, one.formula) for one in measures}
            assert told <= {(one.correction, one.formula) for one in known[name]}, (last, name)


@pytest.mark.parametrize(
    "case", ["openings in an outline", "openings that are cut", "a drawing with dimensions"]
)
@pytest.mark.parametrize("kind", ["laser or knife", "router"])
def test_so_it_does_of_what_is_cut(case: str, kind: str) -> None:
    more = (
        {"kerfs": [{"thickness": 4, "kerf": 0.24}]}
        if kind != "router"
        else {"cutter": 3.0, "path_gain": 0.07}
    )
    machine = Process.model_validate({"name": "C", "kind": kind, "material": STUFF, **more})
    _, sizes, measure, _ = CASES[case]
    for beside in (True, False):
        design = design_of(case, cut_beside_line=beside, relieve_corners=False)
        rows, _ = rows_of(design, machine)
        built = rebuild(design, design.seen("sent", machine))
        found = measure(built)
        for name in sizes:
            assert rows[name].sent.value == pytest.approx(found[name], abs=1e-6), name
            side = rows[name].measure.correction.side
            off = 0.0 if beside or not side else -0.24 if side == "outside" else 0.24
            if kind != "router":
                assert rows[name].difference == pytest.approx(off, abs=1e-9), name


def test_what_is_known_of_a_size_goes_to_another_process_and_back() -> None:
    _, measures = rows_of(
        design_of("openings in an outline"), Process(name="P", material=STUFF, hole_gain=-0.2)
    )
    assert Measures.from_data(json.loads(json.dumps(measures.as_data()))) == measures
    assert measures.of["bore"][0].correction.side == "inside"
    assert measures.of["bore"][0].correction.round
    assert measures.of["narrow"][0].correction.side == "inside"


def test_a_size_that_is_a_hole_here_and_a_peg_there_has_a_line_for_each() -> None:
    steps = [
        sketch("o", rectangle("edge", "60 mm", "30 mm")),
        extrude("plate", "o", "4 mm"),
        sketch("p", circle("pin", "round", "-15 mm"), plane="plate/end"),
        extrude("peg", "p", "9 mm"),
        step("hole", "bore", face="plate/end", diameter="round", x="15 mm"),
    ]
    design = Design.model_validate(
        {"sizes": [{"name": "round", "formula": "6 mm"}], "steps": steps}
    )
    machine = Process(name="P", material=STUFF, hole_gain=-0.2, peg_gain=0.1)
    built = rebuild(design, design.seen("wanted", machine))
    rows = lens_table(design, measures_of(design, built), machine, built.table)
    assert sorted((row.measure.correction.side, round(row.expected.value, 6)) for row in rows) == [
        ("inside", 5.8),
        ("outside", 6.1),
    ]


def test_a_web_between_an_edge_and_a_hole_has_half_of_either_gain() -> None:
    window = rectangle("window", "20 mm", "10 mm")
    helper = drawn(
        "o",
        [
            point("a", -30, -20),
            point("b", 30, -20),
            point("c", 30, 20),
            point("d", -30, 20),
            line("bottom", "a", "b"),
            line("right", "b", "c"),
            line("top", "c", "d"),
            line("left", "d", "a"),
            point("e", -10, -5),
            point("f", 10, -5),
            point("g", 10, 5),
            point("h", -10, 5),
            line("low", "e", "f"),
            line("east", "f", "g"),
            line("high", "g", "h"),
            line("west", "h", "e"),
        ],
        [],
        [{"kind": "distance", "name": "web", "of": ["left", "west"], "formula": "web"}],
    )
    assert window
    design = Design.model_validate(
        {
            "sizes": [{"name": "web", "formula": "20 mm"}],
            "steps": [helper, extrude("plate", "o", "4 mm")],
        }
    )
    rows, measures = rows_of(
        design, Process(name="P", material=STUFF, hole_gain=-0.3, peg_gain=0.1)
    )
    gains = {gain.side: gain.share for gain in measures.of["web"][0].correction.gains}
    assert gains == {"inside": pytest.approx(-0.5), "outside": pytest.approx(0.5)}
    assert rows["web"].expected.value == pytest.approx(20 + 0.05 + 0.15)


def test_a_cut_is_as_wide_as_the_part_is_thick() -> None:
    """Raised to both sides by different lengths, the sheet is as thick as both together."""
    steps = [
        sketch("o", rectangle("edge", "wide", "30 mm")),
        extrude("plate", "o", "4 mm", extent="uneven", down_by="6 mm"),
    ]
    design = Design.model_validate(
        {"sizes": [{"name": "wide", "formula": "40 mm"}], "steps": steps}
    )
    kerfs = [{"thickness": 4, "kerf": 0.1}, {"thickness": 10, "kerf": 0.5}]
    laser = Process.model_validate(
        {"name": "L", "kind": "laser or knife", "material": STUFF, "kerfs": kerfs}
    )
    rows, _ = rows_of(design, laser)
    low, high = rebuild(design, design.seen("sent", laser)).bodies["part"].figures().bounds
    assert rows["wide"].sent.value == pytest.approx(40.5)
    assert high[0] - low[0] == pytest.approx(40.5)


def test_a_measure_is_one_on_the_machine_of_its_part_only() -> None:
    """A hole in what is printed and a tab of what is cut, both of one size: a line for each, and no
    more."""
    steps = [
        sketch("o", rectangle("edge", "60 mm", "30 mm")),
        extrude("plate", "o", "4 mm", part="box"),
        step("hole", "bore", face="plate/end", diameter="pin"),
        sketch("t", rectangle("tab", "pin", "20 mm", "90 mm")),
        extrude("tab", "t", "4 mm", part="lid"),
    ]
    design = Design.model_validate(
        {
            "sizes": [{"name": "pin", "formula": "6 mm"}],
            "steps": steps,
            "parts": [{"name": "box"}, {"name": "lid", "process": "L"}],
        }
    )
    printer = Process(name="P", material=STUFF, hole_gain=-0.2, peg_gain=0.1)
    laser = Process.model_validate(
        {
            "name": "L",
            "kind": "laser or knife",
            "material": STUFF,
            "kerfs": [{"thickness": 4, "kerf": 0.3}],
        }
    )
    built = rebuild(design, design.seen("sent", printer, [laser]))
    rows = lens_table(design, measures_of(design, built), printer, built.table, machines_of(built))
    assert sorted(
        (row.process.name, row.measure.correction.side, round(row.sent.value, 6)) for row in rows
    ) == [("L", "outside", 6.3), ("P", "inside", 6.0)]
    # Both are seen, not the first alone.
    shown = seen_through(
        design, measures_of(design, built), built.view, built.table, machines_of(built)
    )
    assert sorted(round(value.value, 6) for value in shown["pin"]) == [6.0, 6.3]


@pytest.mark.parametrize(("left", "gain"), [("-wide/2", 0.1), ("-20 mm", None)])
def test_half_of_a_width_is_one_only_where_the_other_half_is_there(
    left: str, gain: float | None
) -> None:
    corners = [(left, "-10 mm"), ("wide/2", "-10 mm"), ("wide/2", "10 mm"), (left, "10 mm")]
    steps = [sketch("o", polygon("edge", *corners)), extrude("plate", "o", "4 mm")]
    design = Design.model_validate(
        {"sizes": [{"name": "wide", "formula": "60 mm"}], "steps": steps}
    )
    rows, measures = rows_of(design, Process(name="P", material=STUFF, peg_gain=0.1))
    assert rows["wide"].difference == pytest.approx(gain or 0.0)
    assert measures.of["wide"][0].correction.side == ("outside" if gain else "")


def test_nothing_is_said_of_what_is_not_known_yet() -> None:
    design = design_of("openings in an outline")
    machine = Process(name="P", material=STUFF, shrinkage_xy=1.0)
    table = rebuild(design, design.seen("wanted", machine)).table
    assert lens_table(design, Measures(), machine, table) == []
    assert seen_through(design, Measures(), design.seen("sent", machine), table) == {}
