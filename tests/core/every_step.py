"""One working design for every kind of step, for tests that go over all of them."""

from __future__ import annotations

from schablone.core.design import Design
from tests.conftest import of_kind

_RECT = {"kind": "rectangle", "name": "edge", "width": "40 mm", "height": "30 mm"}
BLOCK: tuple[dict, ...] = (
    {"kind": "sketch", "name": "o", "shapes": [_RECT]},
    {"kind": "extrude", "name": "block", "sketch": "o", "by": "10 mm"},
)
_ON_TOP = of_kind(
    "sketch",
    "disc",
    plane="block/end",
    shapes=[{"kind": "circle", "name": "c", "diameter": "8 mm"}],
)
_LINE = {"kind": "sketch", "name": "line", "plane": "block/end", "drawing": {"elements": [
    {"kind": "point", "name": "a", "x": -12, "y": 0},
    {"kind": "point", "name": "b", "x": 2, "y": 0},
    {"kind": "line", "name": "way", "start": "a", "end": "b"}]}}  # fmt: skip
_WALL = [
    {"kind": "sketch", "name": "w", "plane": "block/end",
     "shapes": [{"kind": "rectangle", "name": "r", "width": "4 mm", "height": "30 mm",
                 "x": "-18 mm"}]},
    {"kind": "extrude", "name": "wall", "sketch": "w", "by": "20 mm"},
]  # fmt: skip
_HIGH = of_kind(
    "sketch", "high", lift="25 mm", shapes=[{"kind": "circle", "name": "c", "diameter": "12 mm"}]
)
_LOW = of_kind(
    "sketch", "low", lift="10 mm", shapes=[{"kind": "circle", "name": "c", "diameter": "20 mm"}]
)
_HALF = of_kind(
    "sketch",
    "half",
    plane="front",
    shapes=[of_kind("rectangle", "h", width="6 mm", height="30 mm", x="3 mm", y="15 mm")],
)
_BORE = of_kind("hole", "bore", face="block/end", diameter="3 mm", x="1 mm", y="-5 mm")
_SHEET = {"kind": "sheet", "name": "plate", "sketch": "o", "thickness": "1 mm", "part": "folded"}
_RIGHT = {"of": ["plate/side/edge.right"]}
_CREASE = {"kind": "sketch", "name": "crease", "plane": "plate/end", "drawing": {"elements": [
    {"kind": "point", "name": "a", "x": -5, "y": -10},
    {"kind": "point", "name": "b", "x": -5, "y": 8},
    {"kind": "line", "name": "way", "start": "a", "end": "b"}]}}  # fmt: skip
_WINDOW = of_kind(
    "sketch",
    "window",
    plane="plate/end",
    shapes=[{"kind": "circle", "name": "c", "diameter": "8 mm", "x": "18 mm"}],
)
_WINDOW_SMALL = {**_WINDOW, "name": "small", "shapes": [{**_WINDOW["shapes"][0], "x": "0 mm"}]}
_RIM = {"kind": "flange", "name": "rim", "edges": [_RIGHT]}
_OTHER = {"kind": "extrude", "name": "bar", "sketch": "high", "by": "5 mm", "part": "other"}
_UP = {"of": ["block/end"]}
_CREASE_ON_TOP = {**_CREASE, "name": "on_top", "plane": "block/end"}
_PUT = {"kind": "place", "name": "put", "thing": "board", "where": "face", "face": "block/end"}
_LIFTED = {**_PUT, "lift": "5 mm"}
_INSIDE = {**_PUT, "lift": "-7 mm"}
#: Something that is bought, small enough for the block.
BOARD = {
    "name": "board",
    "dimensions": [{"name": "pitch", "formula": "12 mm"}],
    "outline": {"kind": "box", "length": "16 mm", "width": "10 mm", "height": "4 mm"},
    "holes": [{"name": "left", "x": "-pitch/2", "diameter": "2.2 mm"},
              {"name": "right", "x": "pitch/2", "diameter": "2.2 mm"}],
    "ports": [{"name": "plug", "side": "right", "up": "2 mm", "width": "6 mm", "height": "2 mm"}],
}  # fmt: skip

#: By the name of a case: what comes before the step, and the step itself, which is called ``it``.
CASES: dict[str, tuple[tuple[dict, ...], dict]] = {
    "sketch": ((), {"kind": "sketch", "plane": "block/end", "lift": "1 mm", "shapes": [
        _RECT, {"kind": "slot", "name": "s", "length": "12 mm", "width": "4 mm", "x": "1 mm",
                "y": "2 mm", "turn": "20 deg"}]}),
    "extrude up": ((_ON_TOP,), {"kind": "extrude", "sketch": "disc", "by": "5 mm"}),
    "extrude uneven": ((_ON_TOP,), {"kind": "extrude", "sketch": "disc", "extent": "uneven",
                                    "by": "5 mm", "down_by": "2 mm"}),
    "extrude leaning": ((_ON_TOP,), {"kind": "extrude", "sketch": "disc", "by": "5 mm",
                                     "sides": "leaning"}),
    "extrude cut": ((_ON_TOP,), {"kind": "extrude", "sketch": "disc", "mode": "cut", "by": "5 mm",
                                 "direction": "down"}),
    "revolve": ((_HALF,), {"kind": "revolve", "sketch": "half", "extent": "uneven"}),
    "sweep": ((), {"kind": "sweep"}),
    "lead": ((_ON_TOP,), {"kind": "lead", "sketch": "disc", "way": "points", "points": [
        {"x": "0 mm", "y": "0 mm", "z": "10 mm"}, {"x": "0 mm", "y": "0 mm", "z": "30 mm"},
        {"x": "20 mm", "y": "0 mm", "z": "40 mm"}]}),
    "lead along a formula": ((_ON_TOP,), {"kind": "lead", "sketch": "disc", "way": "formula",
                                          "x": "0 mm", "y": "0 mm",
        "z": "10 mm + 20 mm * turned / (360 deg)", "twist": "30 deg", "growth": "0.8"}),
    "loft": ((_LOW, _HIGH), {"kind": "loft", "first": "low", "last": "high"}),
    "rib": ((_LINE,), {"kind": "rib", "sketch": "line"}),
    "gusset": (tuple(_WALL), {"kind": "gusset", "first": "block/end", "second": "wall/side/r.right",
                              "first_leg": "8 mm", "second_leg": "8 mm"}),
    "hole": ((), {"kind": "hole", "face": "block/end", "extent": "depth"}),
    "hole countersunk": ((), {"kind": "hole", "face": "block/end", "form": "countersunk"}),
    "hole counterbored": ((), {"kind": "hole", "face": "block/end", "form": "counterbored"}),
    "hole tapered": ((), {"kind": "hole", "face": "block/end", "form": "tapered",
                          "extent": "depth"}),
    "hole long": ((), {"kind": "hole", "face": "block/end", "form": "long"}),
    "hole lying": ((), {"kind": "hole", "face": "block/side/edge.right", "form": "pointed",
                        "y": "5 mm"}),
    "row": ((_BORE,), {"kind": "row", "of": "bore", "how": "most", "span": "30 mm", "item": "3 mm",
                       "pitch": "6 mm", "margin": "2 mm"}),
    "row counted": ((_BORE,), {"kind": "row", "of": "bore", "how": "count", "span": "30 mm",
                               "margin": "2 mm", "count": "4"}),
    "grid": ((_BORE,), {"kind": "grid", "of": "bore", "column_pitch": "6 mm", "row_pitch": "6 mm"}),
    "ring": ((_BORE,), {"kind": "ring", "of": "bore", "over": "angle", "angle": "90 deg"}),
    "trail": ((_BORE, _LINE), {"kind": "trail", "of": "bore", "path": "line"}),
    "mirror": ((_BORE,), {"kind": "mirror", "of": "bore"}),
    "fillet": ((), {"kind": "fillet", "edges": [_UP]}),
    "chamfer": ((), {"kind": "chamfer", "edges": [_UP], "how": "two"}),
    "chamfer angle": ((), {"kind": "chamfer", "edges": [_UP], "how": "angle"}),
    "shell": ((), {"kind": "shell", "faces": ["block/end"]}),
    "draft": ((), {"kind": "draft", "faces": ["block/side/edge.right"]}),
    "cut_off": ((), {"kind": "cut_off"}),
    "shift_faces": ((), {"kind": "shift_faces", "faces": ["block/end"]}),
    "split": ((), {"kind": "split", "other": "half_of_it"}),
    "move": ((), {"kind": "move", "how": "move", "x": "3 mm", "angle": "20 deg"}),
    "scale": ((), {"kind": "move", "how": "scale", "factor": "2"}),
    "copy": ((), {"kind": "copy", "other": "part", "part": "half_of_it"}),
    "combine": ((_HIGH, _OTHER), {"kind": "combine", "other": "other", "mode": "add"}),
    "sheet": ((), {"kind": "sheet", "sketch": "o", "part": "folded"}),
    "flange": ((_SHEET,), {"kind": "flange", "edges": [_RIGHT, {"of": ["plate/side/edge.top"]}],
                           "corners": "meeting", "corner_hole": "round"}),
    "flange in part": ((_SHEET,), {"kind": "flange", "edges": [_RIGHT], "extent": "from_to",
                                   "begin": "4 mm", "end": "20 mm", "radius_by": "formula",
                                   "relief": "round", "relief_by": "formula"}),
    "fold": ((_SHEET, _CREASE), {"kind": "fold", "sketch": "crease", "about": "way",
                                 "across": "line", "relief_by": "formula", "part": "folded"}),
    "offset bend": ((_SHEET, _CREASE), {"kind": "offset_bend", "sketch": "crease", "about": "way",
                                        "height": "3 mm", "part": "folded"}),
    "hem": ((_SHEET,), {"kind": "hem", "edges": [_RIGHT], "form": "open"}),
    "sheet_mark": ((_SHEET, _WINDOW_SMALL), {"kind": "sheet_mark", "sketch": "small",
                                             "part": "folded"}),
    "blank_cut": ((_SHEET, _RIM, _WINDOW), {"kind": "blank_cut", "sketch": "window",
                                            "part": "folded"}),
    "place": ((), {"kind": "place", "thing": "board", "where": "face", "face": "block/end",
                   "lift": "4 mm", "many": "grid", "count": "2", "pitch": "20 mm", "rows": "1"}),
    "place in a ring": ((_CREASE_ON_TOP,), {
        "kind": "place", "thing": "board", "sketch": "on_top", "point": "a", "many": "ring",
        "count": "3", "radius": "12 mm"}),
    "place beside": ((_CREASE_ON_TOP,), {
        "kind": "place", "thing": "board", "where": "line", "sketch": "on_top", "about": "way",
        "off": "2 mm", "along": "3 mm", "turn": "90 deg"}),
    "pocket_for": ((_PUT,), {"kind": "pocket_for", "of": "put", "below": "2 mm",
                             "reaches": "depth", "depth": "8 mm", "notches": "ends",
                             "notch": "4 mm"}),
    "posts_for": ((_LIFTED,), {"kind": "posts_for", "of": "put", "across": "3 mm",
                               "pilot": "narrowing", "bore": "1.6 mm", "tip": "1.2 mm",
                               "depth": "3 mm"}),
    "posts_for by": ((_LIFTED,), {"kind": "posts_for", "of": "put", "across": "3 mm", "down": "by",
                                  "height": "5 mm", "bore": "1.6 mm", "depth": "3 mm"}),
    "opening_for": ((_INSIDE,), {"kind": "opening_for", "of": "put", "reaches": "by",
                                 "far": "8 mm", "lead": "10 deg"}),
    "strap_over": ((_PUT,), {"kind": "strap_over", "of": "put", "width": "4 mm"}),
    "plane": ((), {"kind": "plane", "face": "block/end", "x": "3 mm", "turn": "30 deg"}),
    "stencil": ((), {"kind": "stencil", "stencil": "pit", "face": "block/end", "x": "2 mm",
                     "y": "3 mm", "turn": "10 deg",
                     "given": [{"size": "across", "formula": "6 mm"},
                               {"size": "depth", "formula": "it.host.thickness/2"}]}),
    "stencil at a point": ((_LINE,), {"kind": "stencil", "stencil": "pit", "face": "block/end",
                                      "where": "point", "sketch": "line", "point": "a",
                                      "image": "mirrored",
                                      "given": [{"size": "across", "formula": "6 mm"},
                                                {"size": "depth", "formula": "4 mm"}]}),
    "give_sizes": ((_BORE,), {"kind": "give_sizes", "ties": [
        {"kind": "pin", "of": ["block/start", "block/side/edge.left", "block/side/edge.bottom"]},
        {"of": ["block/start", "block/end"], "formula": "12 mm"},
        {"of": ["block/side/edge.left", "block/side/edge.right"], "formula": "44 mm"},
        {"kind": "diameter", "of": ["bore/wall"], "formula": "3.5 mm"},
        {"of": ["block/side/edge.left", "bore/wall"], "formula": "24 mm"}]}),
    "give_sizes leaning": ((), {"kind": "give_sizes", "ties": [
        {"kind": "pin", "of": ["block/start", "block/side/edge.left", "block/side/edge.bottom"]},
        {"kind": "angle", "of": ["block/start", "block/side/edge.right"], "formula": "90 deg"}]}),
    "measure": ((), {"kind": "measure", "first": "block/end", "second": "block/start"}),
}  # fmt: skip

#: A round pit with a hole in its floor.
PIT = {
    "name": "pit",
    "sizes": [{"name": "across", "formula": "6 mm"}, {"name": "depth", "formula": "4 mm"}],
    "steps": [
        {"kind": "sketch", "name": "rim",
         "shapes": [{"kind": "circle", "name": "c", "diameter": "across"}]},
        {"kind": "extrude", "name": "pit", "sketch": "rim", "mode": "cut", "by": "depth",
         "direction": "down", "part": "host"},
        {"kind": "hole", "name": "drain", "face": "pit/end", "diameter": "across/3",
         "x": "across/6"},
    ],
}  # fmt: skip


def case(name: str, **changes: object) -> Design:
    """The design of a case, with some fields of its step changed."""
    before, step = CASES[name]
    steps = [*BLOCK, *before, {**step, "name": "it", **changes}]
    parts = [{"name": "part"}, {"name": "other"}, {"name": "half_of_it"}, {"name": "folded"}]
    return Design.model_validate(
        {"steps": steps, "parts": parts, "bought": [BOARD], "stencils": [PIT]}
    )
