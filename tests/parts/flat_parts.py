"""Flat parts: plates, levers, rings, gaskets, combs. All figures by plane geometry."""

from __future__ import annotations

import math

from .making import (
    Part,
    circle,
    cut,
    dim,
    drawn,
    extrude,
    line,
    point,
    polygon,
    rectangle,
    round_,
    rule,
    sketch,
    slot,
    step,
)

PI = math.pi


def hull_area(r1: float, r2: float, d: float) -> float:
    """Two circles and the tangents around them."""
    b = math.acos((r1 - r2) / d)
    return math.sqrt(d * d - (r1 - r2) ** 2) * (r1 + r2) + (PI - b) * r1**2 + b * r2**2


def lens_area(r: float, q: float, d: float) -> float:
    """What two circles have in common."""
    a = r * r * math.acos((d * d + r * r - q * q) / (2 * d * r)) + q * q * math.acos(
        (d * d + q * q - r * r) / (2 * d * q)
    )
    return a - math.sqrt((-d + r + q) * (d + r - q) * (d - r + q) * (d + r + q)) / 2


def _lever(r1: float = 12, r2: float = 7, d: float = 50) -> list:
    """Drawn roughly; the tangents are held by constraints, their ends on the circles."""
    elements = [
        point("a", 0, 0),
        point("b", d, 0),
        round_("big", "a", r1),
        round_("small", "b", r2),
    ]
    for name, sign in (("over", 1), ("under", -1)):
        elements += [
            point(f"{name}_a", 3, sign * r1),
            point(f"{name}_b", d + 2, sign * r2),
            line(name, f"{name}_a", f"{name}_b"),
        ]
    rules = [rule("coincident", "a", "origin"), rule("on", "b", "x_axis")]
    for name in ("over", "under"):
        rules += [
            rule("on", f"{name}_a", "big"),
            rule("on", f"{name}_b", "small"),
            rule("tangent", name, "big"),
            rule("tangent", name, "small"),
        ]
    dims = [
        dim("radius", "r1", "big"),
        dim("radius", "r2", "small"),
        dim("across", "reach", "a", "b"),
    ]
    return [drawn("outline", elements, rules, dims), extrude("lever", "outline", "thick")]


FLAT = [
    Part(
        "plate with a grid of holes",
        {
            "w": ("120 mm", "60 mm", "300 mm"),
            "h": ("80 mm", "50 mm"),
            "t": ("4 mm", "18 mm"),
            "d": ("5 mm", "9 mm"),
            "nx": ("4", "1", "3"),
            "ny": ("3", "2"),
        },
        [
            sketch("o", rectangle("edge", "w", "h")),
            extrude("plate", "o", "t"),
            step("hole", "bore", face="plate/end", diameter="d"),
            step(
                "grid",
                "all",
                of="bore",
                columns="nx",
                rows="ny",
                column_pitch="14 mm",
                row_pitch="15 mm",
            ),
        ],
        lambda s: {
            "volume": (s["w"] * s["h"] - s["nx"] * s["ny"] * PI * s["d"] ** 2 / 4) * s["t"],
            "bounds": (s["w"], s["h"], s["t"]),
            "area": 2 * (s["w"] * s["h"] - s["nx"] * s["ny"] * PI * s["d"] ** 2 / 4)
            + (2 * s["w"] + 2 * s["h"] + s["nx"] * s["ny"] * PI * s["d"]) * s["t"],
        },
    ),
    Part(
        "lever whose sides touch two round ends",
        {
            "r1": ("12 mm", "20 mm", "8 mm"),
            "r2": ("7 mm", "3 mm", "8 mm"),
            "reach": ("50 mm", "34 mm", "200 mm"),
            "thick": ("5 mm", "12 mm"),
        },
        _lever(),
        lambda s: {
            "volume": hull_area(s["r1"], s["r2"], s["reach"]) * s["thick"],
            "bounds": (s["r1"] + s["r2"] + s["reach"], 2 * max(s["r1"], s["r2"]), s["thick"]),
        },
    ),
    Part(
        "lever with a bore in each end",
        {
            "r1": ("12 mm", "16 mm"),
            "r2": ("7 mm", "6 mm"),
            "reach": ("50 mm", "90 mm"),
            "thick": ("5 mm",),
            "pin": ("6 mm", "4 mm"),
        },
        [
            *_lever(),
            step("hole", "near", face="lever/end", diameter="pin"),
            step("hole", "far", face="lever/end", diameter="pin", x="reach"),
        ],
        lambda s: {
            "volume": (hull_area(s["r1"], s["r2"], s["reach"]) - PI * s["pin"] ** 2 / 2)
            * s["thick"]
        },
    ),
    Part(
        "washer",
        {"outer": ("20 mm", "100 mm"), "inner": ("8.4 mm", "19.5 mm"), "t": ("1.6 mm",)},
        [sketch("o", circle("rim", "outer"), circle("eye", "inner")), extrude("washer", "o", "t")],
        lambda s: {
            "volume": PI / 4 * (s["outer"] ** 2 - s["inner"] ** 2) * s["t"],
            "bounds": (s["outer"], s["outer"], s["t"]),
        },
    ),
    Part(
        "ring whose hole touches its rim would fall apart, so it is set off",
        {"d": ("40 mm", "90 mm"), "off": ("0.3 mm", "4 mm")},
        [
            sketch("o", circle("rim", "d"), circle("eye", "d/2", "d/4 - off")),
            extrude("ring", "o", "6 mm"),
        ],
        lambda s: {"volume": PI / 4 * (s["d"] ** 2 - s["d"] ** 2 / 4) * 6},
    ),
    Part(
        "triangle plate with its largest round hole, kept free",
        {"a": ("90 mm", "60 mm"), "web": ("2 mm", "5 mm")},
        [
            sketch("o", polygon("edge", ("0 mm", "0 mm"), ("a", "0 mm"), ("a/2", "a*sqrt(3)/2"))),
            extrude("plate", "o", "3 mm"),
            sketch("c", circle("hole", "a/sqrt(3) - 2*web", "a/2", "a/(2*sqrt(3))")),
            cut("opening", "c"),
        ],
        lambda s: {
            "volume": (
                math.sqrt(3) / 4 * s["a"] ** 2 - PI * (s["a"] / (2 * math.sqrt(3)) - s["web"]) ** 2
            )
            * 3
        },
    ),
    Part(
        "keyhole of two holes that overlap",
        {"d": ("12 mm", "20 mm"), "neck": ("6 mm", "8 mm"), "drop": ("8 mm", "7 mm")},
        [
            sketch("o", rectangle("edge", "60 mm", "80 mm")),
            extrude("plate", "o", "5 mm"),
            step("hole", "head", face="plate/end", diameter="d"),
            step("hole", "shank", face="plate/end", diameter="neck", y="-drop"),
        ],
        lambda s: {
            "volume": (
                4800
                - PI / 4 * (s["d"] ** 2 + s["neck"] ** 2)
                + lens_area(s["d"] / 2, s["neck"] / 2, s["drop"])
            )
            * 5
        },
    ),
    Part(
        "comb with teeth open to its edge",
        {"n": ("7", "2", "24"), "gap": ("3 mm", "1 mm"), "deep": ("15 mm", "28 mm")},
        [
            sketch("o", rectangle("edge", "150 mm", "30 mm")),
            extrude("comb", "o", "3 mm"),
            sketch("g", rectangle("tooth", "gap", "deep", "0 mm", "15 mm - deep/2")),
            cut("slit", "g"),
            step(
                "row",
                "teeth",
                of="slit",
                how="count",
                span="150 mm",
                item="gap",
                count="n",
                margin="5 mm",
            ),
        ],
        lambda s: {"volume": (4500 - s["n"] * s["gap"] * s["deep"]) * 3, "bounds": (150, 30, 3)},
    ),
    Part(
        "hexagon nut blank",
        {"af": ("13 mm", "36 mm"), "bore": ("6.8 mm", "12 mm")},
        [
            sketch(
                "o",
                polygon(
                    "hex",
                    *(
                        (f"af/sqrt(3)*cos({60 * k} deg)", f"af/sqrt(3)*sin({60 * k} deg)")
                        for k in range(6)
                    ),
                ),
            ),
            extrude("nut", "o", "8 mm"),
            step("hole", "core", face="nut/end", diameter="bore"),
        ],
        lambda s: {
            "volume": (math.sqrt(3) / 2 * s["af"] ** 2 - PI * s["bore"] ** 2 / 4) * 8,
            "bounds": (2 * s["af"] / math.sqrt(3), s["af"], 8),
        },
    ),
    Part(
        "strap with long holes",
        {"n": ("5", "9"), "long": ("14 mm", "8 mm"), "wide": ("4 mm", "6 mm")},
        [
            sketch("o", slot("edge", "160 mm", "20 mm")),
            extrude("strap", "o", "2 mm"),
            step("hole", "eye", face="strap/end", form="long", diameter="wide", length="long"),
            step(
                "row",
                "eyes",
                of="eye",
                how="count",
                span="150 mm",
                item="long",
                count="n",
                margin="8 mm",
            ),
        ],
        lambda s: {
            "volume": (
                140 * 20
                + PI * 100
                - s["n"] * ((s["long"] - s["wide"]) * s["wide"] + PI * s["wide"] ** 2 / 4)
            )
            * 2,
            "bounds": (160, 20, 2),
        },
    ),
    Part(
        "dovetail key",
        {"narrow": ("12 mm", "20 mm"), "wide": ("20 mm", "31 mm"), "long": ("50 mm", "25 mm")},
        [
            sketch(
                "o",
                polygon(
                    "key",
                    ("-narrow/2", "0 mm"),
                    ("-wide/2", "-long/2"),
                    ("wide/2", "-long/2"),
                    ("narrow/2", "0 mm"),
                    ("wide/2", "long/2"),
                    ("-wide/2", "long/2"),
                ),
            ),
            extrude("key", "o", "10 mm"),
        ],
        lambda s: {
            "volume": (s["narrow"] + s["wide"]) / 2 * s["long"] * 10,
            "bounds": (s["wide"], s["long"], 10),
        },
    ),
    Part(
        "crescent spanner blank",
        {"d": ("60 mm", "80 mm"), "jaw": ("40 mm", "44 mm"), "off": ("25 mm", "30 mm")},
        [
            sketch("o", circle("head", "d")),
            extrude("head", "o", "8 mm"),
            sketch("j", circle("jaw", "jaw", "off")),
            cut("mouth", "j"),
        ],
        lambda s: {
            "volume": (PI / 4 * s["d"] ** 2 - lens_area(s["d"] / 2, s["jaw"] / 2, s["off"])) * 8
        },
    ),
    Part(
        "gasket between two outlines",
        {"w": ("80 mm", "50 mm"), "wall": ("6 mm", "11 mm")},
        [
            sketch("o", rectangle("edge", "w", "60 mm"), walls=[{"name": "inner", "by": "wall"}]),
            extrude("gasket", "o", "2 mm"),
        ],
        lambda s: {"volume": (s["w"] * 60 - (s["w"] - 2 * s["wall"]) * (60 - 2 * s["wall"])) * 2},
    ),
    Part(
        "half lap at the end of a bar",
        {"w": ("40 mm", "60 mm"), "t": ("20 mm", "18 mm"), "lap": ("40 mm", "55 mm")},
        [
            sketch("o", rectangle("edge", "200 mm", "w")),
            extrude("bar", "o", "t"),
            sketch("l", rectangle("lap", "lap", "w", "100 mm - lap/2"), plane="bar/end"),
            step("extrude", "halved", sketch="l", mode="cut", by="t/2", direction="down"),
        ],
        lambda s: {
            "volume": s["w"] * s["t"] * (200 - s["lap"] / 2),
            "bounds": (200, s["w"], s["t"]),
        },
    ),
    Part(
        "two plates that overlap become one",
        {"shift": ("15 mm", "29 mm", "0 mm"), "turn": ("0 deg", "90 deg")},
        [
            sketch(
                "o",
                rectangle("one", "60 mm", "20 mm"),
                rectangle("two", "60 mm", "20 mm", "shift", "shift/3", turn="turn"),
            ),
            extrude("cross", "o", "4 mm"),
        ],
        lambda s: {"volume": (2400 - _overlap(s["shift"], s["turn"])) * 4},
    ),
    Part(
        "wheel with spokes",
        {"d": ("100 mm", "160 mm"), "n": ("6", "3", "9"), "spoke": ("6 mm", "8 mm")},
        [
            sketch("o", circle("rim", "d"), circle("room", "d - 16 mm")),
            extrude("rim", "o", "10 mm"),
            sketch("h", circle("hub", "24 mm")),
            extrude("hub", "h", "10 mm"),
            sketch("s", rectangle("spoke", "d/2 - 4 mm", "spoke", "d/4 - 2 mm")),
            extrude("arm", "s", "10 mm"),
            step("ring", "arms", of="arm", count="n"),
        ],
        lambda s: {
            "volume": 10
            * (
                PI / 4 * (s["d"] ** 2 - (s["d"] - 16) ** 2)
                + PI * 144
                + s["n"] * _spoke(s["d"] / 2 - 8, 12, s["spoke"])
            )
        },
    ),
]


def _overlap(shift: float, turn: float) -> float:
    if turn:
        return (
            20 * 20
            if shift + 10 <= 30 and abs(shift / 3) <= 20
            else 20 * max(0.0, 30 - (shift - 10))
        )
    return (60 - shift) * max(0.0, 20 - shift / 3)


def _spoke(room: float, hub: float, wide: float) -> float:
    """A straight spoke between two circles: its ends are cut by arcs."""
    h = wide / 2

    def under(r: float) -> float:  # ∫ sqrt(r² − y²) dy over the width
        return h * math.sqrt(r * r - h * h) + r * r * math.asin(h / r)

    return under(room) - under(hub)
