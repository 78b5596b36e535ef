"""Turned, hollow, led, joined and finished parts. Figures by Pappus' theorem, prisms, cones, and
numerical integration."""

from __future__ import annotations

import math

import numpy as np

from .making import (
    Part,
    circle,
    cut,
    drawn,
    extrude,
    line,
    point,
    polygon,
    rectangle,
    round_,
    sketch,
    step,
)

PI = math.pi


def frustum(r1: float, r2: float, h: float) -> float:
    return PI * h / 3 * (r1 * r1 + r1 * r2 + r2 * r2)


def length_of(x, y, z, first: float, last: float, count: int = 400_001) -> float:
    """Arc length by Simpson's rule on central differences."""
    t = np.linspace(first, last, count)
    h = t[1] - t[0]
    d = [np.gradient(f(t), h, edge_order=2) for f in (x, y, z)]
    speed = np.sqrt(d[0] ** 2 + d[1] ** 2 + d[2] ** 2)
    return float((speed[0] + speed[-1] + 4 * speed[1:-1:2].sum() + 2 * speed[2:-1:2].sum()) * h / 3)


def _box(wall_faces: tuple[str, ...] = ("box/end",)) -> list:
    return [
        sketch("o", rectangle("edge", "w", "d")),
        extrude("box", "o", "h"),
        step("shell", "hollow", faces=list(wall_faces), wall="wall"),
    ]


_BOX = {
    "w": ("80 mm", "30 mm"),
    "d": ("50 mm", "120 mm"),
    "h": ("30 mm", "12 mm"),
    "wall": ("2 mm", "0.8 mm", "5 mm"),
}


def _spring(s) -> float:
    pitch = s["t"] + 2 * s["wave"] + s["gap"]
    r = s["inner"] / 2 + s["wide"] / 2
    turned = 2 * PI * s["turns"]
    path = length_of(
        lambda u: r * np.cos(u),
        lambda u: r * np.sin(u),
        lambda u: pitch * u / (2 * PI) + s["wave"] * np.cos(4.5 * u),
        0,
        turned,
    )
    return s["t"] * s["wide"] * path


def _wedge_hollow(s) -> float:
    """A right wedge open at its slope: the room is the triangle between the inner walls and the
    slope."""
    w, a, b = s["wall"], 60.0, 30.0
    x = a * (1 - w / b) - w
    y = b * (1 - w / a) - w
    return (a * b / 2) * 40 - x * y / 2 * (40 - 2 * w)


SOLID = [
    Part(
        "bushing",
        {"outer": ("20 mm", "35 mm"), "bore": ("10 mm", "16.2 mm"), "long": ("25 mm", "8 mm")},
        [
            sketch(
                "h",
                polygon(
                    "half",
                    ("bore/2", "0 mm"),
                    ("outer/2", "0 mm"),
                    ("outer/2", "long"),
                    ("bore/2", "long"),
                ),
                plane="front",
            ),
            step("revolve", "bushing", sketch="h"),
        ],
        lambda s: {
            "volume": PI / 4 * (s["outer"] ** 2 - s["bore"] ** 2) * s["long"],
            "bounds": (s["outer"], s["outer"], s["long"]),
        },
    ),
    Part(
        "pulley with a V groove",
        {"d": ("60 mm", "90 mm"), "deep": ("8 mm", "11 mm"), "wide": ("20 mm", "30 mm")},
        [
            sketch(
                "h",
                polygon(
                    "half",
                    ("5 mm", "0 mm"),
                    ("d/2", "0 mm"),
                    ("d/2 - deep", "wide/2"),
                    ("d/2", "wide"),
                    ("5 mm", "wide"),
                ),
                plane="front",
            ),
            step("revolve", "pulley", sketch="h"),
        ],
        lambda s: {
            "volume": 2 * frustum(s["d"] / 2, s["d"] / 2 - s["deep"], s["wide"] / 2)
            - PI * 25 * s["wide"]
        },
    ),
    Part(
        "ball knob with a flat",
        {"d": ("30 mm", "44 mm")},
        [
            drawn(
                "h",
                [
                    point("c", 0, 0),
                    point("a", 0, -15),
                    point("b", 0, 15),
                    {"kind": "arc", "name": "rim", "centre": "c", "start": "a", "end": "b"},
                    line("axis", "b", "a"),
                ],
                [
                    {"name": "k1", "kind": "coincident", "of": ["c", "origin"]},
                    {"name": "k2", "kind": "on", "of": ["a", "y_axis"]},
                    {"name": "k3", "kind": "on", "of": ["b", "y_axis"]},
                ],
                [{"name": "r", "kind": "radius", "of": ["rim"], "formula": "d/2"}],
                plane="front",
            ),
            step("revolve", "ball", sketch="h"),
            step("cut_off", "flat", plane="ground", at="-d/4", side="before"),
        ],
        lambda s: {
            "volume": PI * s["d"] ** 3 / 6
            - PI * (s["d"] / 4) ** 2 * (3 * s["d"] / 2 - s["d"] / 4) / 3
        },
    ),
    Part(
        "ring of round bar",
        {"r": ("40 mm", "12 mm"), "bar": ("6 mm", "10 mm")},
        [
            sketch("h", circle("bar", "bar", "r"), plane="front"),
            step("revolve", "ring", sketch="h"),
        ],
        lambda s: {
            "volume": 2 * PI * s["r"] * PI * s["bar"] ** 2 / 4,
            "area": 2 * PI * s["r"] * PI * s["bar"],
        },
    ),
    Part(
        "ring of wire, led all round",
        {"r": ("20 mm", "60 mm"), "wire": ("3 mm", "1 mm", "12 mm")},
        [
            step(
                "sweep",
                "ring",
                wire="wire",
                last="360 deg",
                x="r*cos(turned)",
                y="r*sin(turned)",
                z="0 mm",
            )
        ],
        lambda s: {
            "volume": 2 * PI * s["r"] * PI * s["wire"] ** 2 / 4,
            "bounds": (2 * s["r"] + s["wire"], 2 * s["r"] + s["wire"], s["wire"]),
        },
        1e-5,
    ),
    Part(
        "quarter of a pipe bend",
        {"r": ("50 mm", "80 mm"), "d": ("20 mm", "34 mm"), "a": ("90 deg", "45 deg", "200 deg")},
        [
            sketch("h", circle("o", "d", "r"), circle("i", "d - 4 mm", "r"), plane="front"),
            step("revolve", "bend", sketch="h", extent="by", by="a"),
        ],
        lambda s: {
            "volume": math.radians(s["a"]) * s["r"] * PI / 4 * (s["d"] ** 2 - (s["d"] - 4) ** 2)
        },
    ),
    Part(
        "box",
        _BOX,
        _box(),
        lambda s: {
            "volume": s["w"] * s["d"] * s["h"]
            - (s["w"] - 2 * s["wall"]) * (s["d"] - 2 * s["wall"]) * (s["h"] - s["wall"]),
            "bounds": (s["w"], s["d"], s["h"]),
        },
    ),
    Part(
        "tube open at both ends",
        _BOX,
        _box(("box/end", "box/start")),
        lambda s: {
            "volume": (s["w"] * s["d"] - (s["w"] - 2 * s["wall"]) * (s["d"] - 2 * s["wall"]))
            * s["h"]
        },
    ),
    Part(
        "box with a thick side",
        {**_BOX, "side": ("4 mm", "9 mm")},
        [
            *_box()[:2],
            step(
                "shell",
                "hollow",
                faces=["box/end"],
                wall="wall",
                walls=[{"faces": ["box/side/edge.left"], "wall": "side"}],
            ),
        ],
        lambda s: {
            "volume": s["w"] * s["d"] * s["h"]
            - (s["w"] - s["wall"] - s["side"]) * (s["d"] - 2 * s["wall"]) * (s["h"] - s["wall"])
        },
    ),
    Part(
        "box with rounded corners, walls thinner and thicker than they are round",
        {"r": ("5 mm", "8 mm"), "wall": ("2 mm", "4 mm", "5 mm", "6 mm")},
        [
            sketch("o", rectangle("edge", "80 mm", "50 mm")),
            extrude("box", "o", "30 mm"),
            step("fillet", "soft", edges=[{"how": "upright", "of": ["box"]}], radius="r"),
            step("shell", "hollow", faces=["box/end"], wall="wall"),
        ],
        lambda s: {
            "volume": (4000 - (4 - PI) * s["r"] ** 2) * 30
            - (
                (80 - 2 * s["wall"]) * (50 - 2 * s["wall"])
                - (4 - PI) * max(0.0, s["r"] - s["wall"]) ** 2
            )
            * (30 - s["wall"])
        },
        1e-6,
    ),
    Part(
        "hollow wedge",
        {"wall": ("1 mm", "2 mm", "3 mm")},
        [
            sketch(
                "o",
                polygon("p", ("0 mm", "0 mm"), ("60 mm", "0 mm"), ("0 mm", "30 mm")),
                plane="front",
            ),
            extrude("wedge", "o", "40 mm", extent="both"),
            step("shell", "hollow", faces=["wedge/side/p.2"], wall="wall"),
        ],
        lambda s: {"volume": _wedge_hollow(s)},
    ),
    Part(
        "angled tray with an inner corner",
        {"wall": ("2 mm", "1 mm", "4 mm")},
        [
            sketch(
                "o",
                polygon(
                    "p",
                    ("0 mm", "0 mm"),
                    ("60 mm", "0 mm"),
                    ("60 mm", "20 mm"),
                    ("20 mm", "20 mm"),
                    ("20 mm", "50 mm"),
                    ("0 mm", "50 mm"),
                ),
            ),
            extrude("tray", "o", "25 mm"),
            step("shell", "hollow", faces=["tray/end"], wall="wall"),
        ],
        lambda s: {
            "volume": 1800 * 25
            - ((60 - 2 * s["wall"]) * (20 - 2 * s["wall"]) + (20 - 2 * s["wall"]) * 30)
            * (25 - s["wall"])
        },
    ),
    Part(
        "cup",
        {"d": ("70 mm", "40 mm"), "h": ("90 mm", "30 mm"), "wall": ("2 mm", "3.5 mm")},
        [
            sketch("o", circle("c", "d")),
            extrude("cup", "o", "h"),
            step("shell", "hollow", faces=["cup/end"], wall="wall"),
        ],
        lambda s: {
            "volume": PI
            / 4
            * (s["d"] ** 2 * s["h"] - (s["d"] - 2 * s["wall"]) ** 2 * (s["h"] - s["wall"]))
        },
    ),
    Part(
        "mirrored tab with a hole, the mirror coming last",
        {"reach": ("20 mm", "35 mm"), "d": ("6 mm", "9 mm")},
        [
            sketch("o", rectangle("edge", "60 mm", "40 mm")),
            extrude("base", "o", "5 mm"),
            sketch("t", rectangle("tab", "reach", "14 mm", "30 mm + reach/2")),
            extrude("tab", "t", "5 mm"),
            step("mirror", "other", of="tab"),
            step("hole", "eye", face="tab/end", diameter="d", x="30 mm + reach/2"),
        ],
        lambda s: {
            "volume": (2400 + 2 * s["reach"] * 14 - PI / 4 * s["d"] ** 2) * 5,
            "bounds": (60 + 2 * s["reach"], 40, 5),
        },
    ),
    Part(
        "flange with a ring of holes",
        {
            "d": ("80 mm", "120 mm"),
            "n": ("6", "4", "12"),
            "hole": ("6.6 mm", "5.5 mm"),
            "pcd": ("62 mm", "70 mm"),
        },
        [
            sketch("o", circle("rim", "d"), circle("bore", "30 mm")),
            extrude("flange", "o", "8 mm"),
            step("hole", "bolt", face="flange/end", diameter="hole", x="pcd/2"),
            step("ring", "bolts", of="bolt", count="n"),
        ],
        lambda s: {"volume": PI / 4 * (s["d"] ** 2 - 900 - s["n"] * s["hole"] ** 2) * 8},
    ),
    Part(
        "countersunk plate",
        {"d": ("5 mm", "4 mm"), "head": ("10 mm", "8 mm"), "t": ("8 mm", "12 mm")},
        [
            sketch("o", rectangle("edge", "40 mm", "30 mm")),
            extrude("plate", "o", "t"),
            step("hole", "screw", face="plate/end", diameter="d", form="countersunk", head="head"),
        ],
        lambda s: {
            "volume": 1200 * s["t"]
            - PI / 4 * s["d"] ** 2 * (s["t"] - (s["head"] - s["d"]) / 2)
            - frustum(s["head"] / 2, s["d"] / 2, (s["head"] - s["d"]) / 2)
        },
    ),
    Part(
        "counterbored plate",
        {"d": ("6.6 mm", "5.5 mm"), "head": ("11 mm", "10 mm"), "deep": ("6 mm", "3 mm")},
        [
            sketch("o", rectangle("edge", "40 mm", "30 mm")),
            extrude("plate", "o", "12 mm"),
            step(
                "hole",
                "screw",
                face="plate/end",
                diameter="d",
                form="counterbored",
                head="head",
                head_depth="deep",
            ),
        ],
        lambda s: {
            "volume": 14400 - PI / 4 * (s["d"] ** 2 * (12 - s["deep"]) + s["head"] ** 2 * s["deep"])
        },
    ),
    Part(
        "post with a pilot hole that narrows",
        {
            "post": ("9 mm", "12 mm"),
            "mouth": ("3.2 mm", "4 mm"),
            "tip": ("2.4 mm", "2 mm"),
            "deep": ("10 mm", "14 mm"),
        },
        [
            sketch("o", rectangle("edge", "30 mm", "30 mm")),
            extrude("floor", "o", "2 mm"),
            sketch("p", circle("post", "post"), plane="floor/end"),
            extrude("post", "p", "16 mm"),
            step(
                "hole",
                "pilot",
                face="post/end",
                diameter="mouth",
                tip="tip",
                form="tapered",
                extent="depth",
                depth="deep",
            ),
        ],
        lambda s: {
            "volume": 1800
            + PI / 4 * s["post"] ** 2 * 16
            - frustum(s["mouth"] / 2, s["tip"] / 2, s["deep"])
        },
    ),
    Part(
        "pyramid foot",
        {"a": ("40 mm", "60 mm"), "lean": ("20 deg", "5 deg"), "h": ("15 mm", "22 mm")},
        [
            sketch("o", rectangle("edge", "a", "a")),
            extrude("foot", "o", "h", sides="leaning", lean="lean"),
        ],
        lambda s: {
            "volume": s["h"]
            / 3
            * (
                s["a"] ** 2
                + (q := s["a"] - 2 * s["h"] * math.tan(math.radians(s["lean"]))) ** 2
                + s["a"] * q
            )
        },
    ),
    Part(
        "funnel from circle to circle",
        {"d1": ("60 mm", "90 mm"), "d2": ("12 mm", "30 mm"), "h": ("50 mm", "20 mm")},
        [
            sketch("a", circle("c", "d1")),
            sketch("b", circle("c", "d2"), lift="h"),
            step("loft", "funnel", first="a", last="b"),
        ],
        lambda s: {"volume": frustum(s["d1"] / 2, s["d2"] / 2, s["h"])},
        1e-6,
    ),
    Part(
        "hopper from rectangle to rectangle",
        {"w": ("80 mm", "50 mm"), "q": ("20 mm", "33 mm"), "h": ("40 mm", "90 mm")},
        [
            sketch("a", rectangle("r", "w", "60 mm")),
            sketch("b", rectangle("r", "q", "15 mm"), lift="h"),
            step("loft", "hopper", first="a", last="b"),
        ],
        lambda s: {
            "volume": s["h"] / 6 * (s["w"] * 60 + 4 * (s["w"] + s["q"]) / 2 * 37.5 + s["q"] * 15)
        },
        1e-6,
    ),
    Part(
        "bevelled block",
        {"a": ("40 mm", "25 mm"), "c": ("2 mm", "5 mm")},
        [
            sketch("o", rectangle("edge", "a", "30 mm")),
            extrude("block", "o", "20 mm"),
            step("chamfer", "bevel", edges=[{"how": "upright", "of": ["block"]}], by="c"),
        ],
        lambda s: {"volume": (s["a"] * 30 - 2 * s["c"] ** 2) * 20},
    ),
    Part(
        "block rounded at its top",
        {"r": ("3 mm", "6 mm")},
        [
            sketch("o", rectangle("edge", "40 mm", "30 mm")),
            extrude("block", "o", "20 mm"),
            step(
                "fillet",
                "soft",
                edges=[{"how": "between", "of": ["block/end", "block/side/edge.left"]}],
                radius="r",
            ),
        ],
        lambda s: {"volume": 24000 - (1 - PI / 4) * s["r"] ** 2 * 30},
    ),
    Part(
        "bracket with a gusset",
        {"leg": ("15 mm", "24 mm"), "t": ("3 mm", "5 mm")},
        [
            sketch("o", rectangle("edge", "60 mm", "40 mm")),
            extrude("base", "o", "5 mm"),
            sketch("w", rectangle("wall", "5 mm", "40 mm", "-27.5 mm"), plane="base/end"),
            extrude("wall", "w", "40 mm"),
            step(
                "gusset",
                "stiff",
                first="base/end",
                second="wall/side/wall.right",
                first_leg="leg",
                second_leg="leg",
                thickness="t",
            ),
        ],
        lambda s: {"volume": 12000 + 8000 + s["leg"] ** 2 / 2 * s["t"], "bounds": (60, 40, 45)},
    ),
    Part(
        "frame of mitred strip, closed",
        {"w": ("120 mm", "60 mm"), "d": ("80 mm", "50 mm"), "s": ("6 mm", "10 mm")},
        [
            sketch("b", rectangle("strip", "s", "s"), plane="front"),
            step(
                "lead",
                "frame",
                sketch="b",
                way="points",
                points=[{"x": "0 mm"}, {"x": "w"}, {"x": "w", "y": "d"}, {"y": "d"}, {"x": "0 mm"}],
            ),
        ],
        lambda s: {
            "volume": s["s"] ** 2 * 2 * (s["w"] + s["d"]),
            "bounds": (s["w"] + s["s"], s["d"] + s["s"], s["s"]),
        },
    ),
    Part(
        "handle of round bar with bends",
        {"w": ("100 mm", "140 mm"), "bend": ("15 mm", "25 mm"), "bar": ("8 mm", "12 mm")},
        [
            sketch("b", circle("bar", "bar"), plane="front"),
            step(
                "lead",
                "handle",
                sketch="b",
                way="points",
                bend="bend",
                points=[{"x": "0 mm"}, {"y": "60 mm"}, {"x": "w", "y": "60 mm"}, {"x": "w"}],
            ),
        ],
        lambda s: {
            "volume": PI / 4 * s["bar"] ** 2 * (120 + s["w"] - 4 * s["bend"] + PI * s["bend"])
        },
        1e-6,
    ),
    Part(
        "square bar on a round path",
        {"r": ("30 mm", "70 mm"), "s": ("6 mm", "11 mm"), "turns": ("0", "1", "3")},
        [
            sketch("b", rectangle("bar", "s", "s"), plane="front"),
            drawn(
                "p",
                [point("c", 0, 0), round_("way", "c", 30)],
                [{"name": "k", "kind": "coincident", "of": ["c", "origin"]}],
                [{"name": "r1", "kind": "radius", "of": ["way"], "formula": "r"}],
            ),
            step(
                "lead", "ring", sketch="b", way="drawn", drawn="p", twist="turns * 360 deg * along"
            ),
        ],
        lambda s: {"volume": s["s"] ** 2 * 2 * PI * s["r"]},
        1e-5,
    ),
    Part(
        "twisted bar",
        {"a": ("6 mm", "12 mm"), "turns": ("3", "0.5"), "long": ("100 mm", "200 mm")},
        [
            sketch("b", rectangle("bar", "a", "a")),
            step(
                "lead",
                "bar",
                sketch="b",
                way="points",
                points=[{"z": "0 mm"}, {"z": "long"}],
                twist="turns * 360 deg * along",
            ),
        ],
        lambda s: {"volume": s["a"] ** 2 * s["long"]},
        1e-4,
    ),
    Part(
        "wave spring of seven turns",
        {
            "inner": ("36 mm", "60 mm"),
            "wide": ("4 mm", "3 mm"),
            "t": ("1.2 mm",),
            "wave": ("0.9 mm",),
            "gap": ("0 mm", "0.5 mm"),
            "turns": ("7", "3"),
        },
        [
            sketch("b", rectangle("strip", "wide", "t"), plane="front"),
            step(
                "lead",
                "spring",
                sketch="b",
                way="formula",
                last="turns*360 deg",
                x="(inner + wide)/2*cos(turned)",
                y="(inner + wide)/2*sin(turned)",
                z="(t + 2*wave + gap)*turned/(360 deg) + wave*cos(4.5*turned)",
                keep="upright",
            ),
        ],
        lambda s: {"volume": _spring(s)},
        1e-4,
    ),
    Part(
        "helical spring with closed ends",
        {"d": ("20 mm", "30 mm"), "wire": ("2 mm", "1.6 mm")},
        [
            step(
                "sweep",
                "spring",
                wire="wire",
                last="8*360 deg",
                x="d/2*cos(turned)",
                y="d/2*sin(turned)",
                z="wire*turned/(360 deg) + 12 mm*(1 - cos(180 deg*min(1, "
                "max(0, (turned/(360 deg) - 1)/6))))",
            )
        ],
        lambda s: {
            "volume": PI
            * s["wire"] ** 2
            / 4
            * length_of(
                lambda u: s["d"] / 2 * np.cos(u),
                lambda u: s["d"] / 2 * np.sin(u),
                lambda u: (
                    s["wire"] * u / (2 * PI)
                    + 12 * (1 - np.cos(PI * np.clip((u / (2 * PI) - 1) / 6, 0, 1)))
                ),
                0,
                16 * PI,
            )
        },
        1e-4,
    ),
    Part(
        "thread of a screw, alone",
        {"d": ("10 mm", "16 mm"), "pitch": ("2 mm", "3 mm")},
        [
            sketch(
                "b",
                polygon("v", ("0 mm", "-0.7 mm"), ("1 mm", "0 mm"), ("0 mm", "0.7 mm")),
                plane="front",
            ),
            step(
                "lead",
                "thread",
                sketch="b",
                way="formula",
                last="5*360 deg",
                x="d/2*cos(turned)",
                y="d/2*sin(turned)",
                z="pitch*turned/(360 deg)",
                keep="upright",
            ),
        ],
        # The section stands square to the helix and keeps upright: its centroid runs on a helix of
        # its own.
        lambda s: {
            "volume": 0.7
            * 10
            * PI
            * (
                math.hypot(s["d"] / 2, s["pitch"] / (2 * PI))
                + (s["d"] / 2) / math.hypot(s["d"] / 2, s["pitch"] / (2 * PI)) / 3
            )
        },
        1e-4,
    ),
    Part(
        "stepped shaft with a flat",
        {"d": ("20 mm", "30 mm"), "flat": ("3 mm", "6 mm")},
        [
            sketch("o", circle("c", "d")),
            extrude("shaft", "o", "60 mm"),
            sketch("f", rectangle("away", "d", "d", "d - flat")),
            step("extrude", "flat", sketch="f", mode="cut", by="25 mm"),
        ],
        lambda s: {
            "volume": PI / 4 * s["d"] ** 2 * 60
            - 25
            * (
                (s["d"] / 2) ** 2 * math.acos(1 - 2 * s["flat"] / s["d"])
                - (s["d"] / 2 - s["flat"]) * math.sqrt(s["d"] * s["flat"] - s["flat"] ** 2)
            )
            if s["flat"] < s["d"] / 2
            else 0.0
        },
    ),
    Part(
        "crossed bores",
        {"d": ("10 mm", "16 mm")},
        [
            sketch("o", rectangle("edge", "40 mm", "40 mm")),
            extrude("cube", "o", "40 mm", extent="both"),
            sketch("a", circle("c", "d")),
            cut("one", "a"),
            sketch("b", circle("c", "d"), plane="front"),
            cut("two", "b"),
        ],
        # Two equal bores have the bicylinder of Steinmetz in common: 16 r³ / 3.
        lambda s: {"volume": 64000 - 2 * PI / 4 * s["d"] ** 2 * 40 + 16 / 3 * (s["d"] / 2) ** 3},
        1e-6,
    ),
    Part(
        "rails with mitred ends",
        {"long": ("200 mm", "90 mm"), "a": ("45 deg", "30 deg")},
        [
            sketch(
                "o",
                polygon(
                    "u",
                    ("0 mm", "0 mm"),
                    ("20 mm", "0 mm"),
                    ("20 mm", "20 mm"),
                    ("17 mm", "20 mm"),
                    ("17 mm", "3 mm"),
                    ("3 mm", "3 mm"),
                    ("3 mm", "20 mm"),
                    ("0 mm", "20 mm"),
                ),
                plane="side",
            ),
            extrude("rail", "o", "long"),
            step("cut_off", "mitre", plane="side", at="long - 20 mm", angle="a", about="x"),
        ],
        # The plane turns about the line through y 0: what is cut off grows with the height z;
        # section integrated by strips.
        lambda s: {"volume": _mitred(s)},
        1e-6,
    ),
]


def _mitred(s) -> float:
    """The U section in strips, each times how far the leaning plane lies from the start at its
    height."""
    slope = math.tan(math.radians(s["a"]))
    strips = ((0, 20, 0, 3), (0, 3, 3, 20), (17, 20, 3, 20))
    # Over a strip the plane's distance grows evenly with the height: its mean is that at the
    # middle.
    return sum(
        (y1 - y0) * (z1 - z0) * (s["long"] - 20 + slope * (z0 + z1) / 2)
        for y0, y1, z0, z1 in strips
    )
