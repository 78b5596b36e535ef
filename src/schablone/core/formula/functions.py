"""The functions of the formula language: what they take, what they give, how they are explained.

A function is one entry of :data:`FUNCTIONS`. Its rule works out the kind of its result from the
kinds of its arguments and says what is wrong with them; its ``run`` gets plain floats in base
units. Every entry has an example, which the tests evaluate and the manual shows.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from ..quantity import ANGLE, COUNT, LENGTH
from . import fitting, tables
from .arithmetic import (
    arc,
    clamp,
    cos_degrees,
    ln,
    mod,
    round_half,
    sin_degrees,
    sqrt,
    tan_degrees,
    to_step,
    trunc,
)
from .habits import (
    clearance_hole,
    for_mate,
    iso_hole,
    iso_shaft,
)
from .kind_rules import (
    KindRule,
    alike,
    alike_but_counts,
    all_of,
    each_of,
    keyed,
    of_the_first,
    root_of,
    to_a_count,
)


@dataclass(frozen=True, slots=True)
class Function:
    """One function. ``most`` None means any number of arguments; ``decides`` marks a function that
    turns lengths into counts, which is always done on the wanted sizes; ``fit_at`` is the place of
    a fit word; ``columns`` is how many of the first arguments name columns of the size table."""

    name: str
    usage: str
    doc: str
    example: str
    answer: str
    least: int
    most: int | None
    rule: KindRule
    run: Callable[..., float]
    decides: bool = False
    fit_at: int | None = None
    columns: int = 0


_LIST: list[Function] = [
    Function("floor", "floor(x) · floor(x, step)",
             "Rounds down: the whole number, or whole step, at or below.",
             "floor(38 mm, 5 mm)", "35 mm", 1, 2, alike_but_counts, to_step(fitting.floor), True),
    Function("ceil", "ceil(x) · ceil(x, step)",
             "Rounds up: the whole number, or whole step, at or above.",
             "ceil(30 mm + 2 mm, 1/4 in)", "38.1 mm", 1, 2, alike_but_counts, to_step(fitting.ceil),
             True),
    Function("round", "round(x) · round(x, step)",
             "Rounds to the nearest; a half goes away from zero.",
             "round(2.5)", "3", 1, 2, alike_but_counts, to_step(round_half), True),
    Function("trunc", "trunc(x) · trunc(x, step)", "Drops what is behind the point.",
             "trunc(-2.7)", "-2", 1, 2, alike_but_counts, to_step(trunc), True),
    Function("min", "min(a, b, …)", "The smallest of them.", "min(5 mm, 1/4 in)", "5 mm", 1, None,
             alike, lambda *a: min(a)),
    Function("max", "max(a, b, …)", "The largest of them.", "max(5 mm, 1/4 in)", "6.35 mm", 1, None,
             alike, lambda *a: max(a)),
    Function("clamp", "clamp(x, low, high)", "x, held between two limits.",
             "clamp(70 mm, 10 mm, 60 mm)", "60 mm", 3, 3, alike, clamp),
    Function("abs", "abs(x)", "Without its sign.", "abs(-3 mm)", "3 mm", 1, 1, alike, abs),
    Function("sign", "sign(x)", "−1, 0 or 1.", "sign(-3 mm)", "-1", 1, 1, to_a_count,
             lambda x: float((x > 0) - (x < 0)), True),
    Function("sqrt", "sqrt(x)", "Square root; that of an area is a length.", "sqrt(16 mm²)", "4 mm",
             1, 1, root_of, sqrt),
    Function("hypot", "hypot(a, b)", "The diagonal of a rectangle.", "hypot(3 mm, 4 mm)", "5 mm", 2,
             2, alike, math.hypot),
    Function("mod", "mod(x, step)", "What is left over after whole steps.", "mod(38 mm, 5 mm)",
             "3 mm", 2, 2, alike, mod),
    Function("sin", "sin(angle)", "Sine.", "sin(30 deg)", "0.5", 1, 1, all_of(ANGLE, COUNT),
             sin_degrees),
    Function("cos", "cos(angle)", "Cosine.", "cos(60 deg)", "0.5", 1, 1, all_of(ANGLE, COUNT),
             cos_degrees),
    Function("tan", "tan(angle)", "Tangent.", "tan(45 deg)", "1", 1, 1, all_of(ANGLE, COUNT),
             tan_degrees),
    Function("asin", "asin(x)", "The angle with this sine.", "asin(0.5)", "30°", 1, 1,
             all_of(COUNT, ANGLE),
             arc(math.asin, {0.5: 30.0, 1: 90.0, -0.5: -30.0, -1: -90.0})),
    Function("acos", "acos(x)", "The angle with this cosine.", "acos(0.5)", "60°", 1, 1,
             all_of(COUNT, ANGLE),
             arc(math.acos, {0: 90.0, 0.5: 60.0, -0.5: 120.0, -1: 180.0})),
    Function("atan", "atan(x)", "The angle with this tangent.", "atan(1)", "45°", 1, 1,
             all_of(COUNT, ANGLE),
             arc(math.atan, {1: 45.0, -1: -45.0})),
    Function("atan2", "atan2(rise, run)", "The angle of a slope, all round the clock.",
             "atan2(2 mm, 2 mm)", "45°",
             2, 2, lambda kinds: (alike(kinds), ANGLE)[1], lambda y,
             x: math.degrees(math.atan2(y, x))),
    Function("exp", "exp(x)", "e to the power of x.", "exp(0)", "1", 1, 1, all_of(COUNT, COUNT),
             math.exp),
    Function("ln", "ln(x)", "Natural logarithm.", "ln(1)", "0", 1, 1, all_of(COUNT, COUNT), ln),
    Function("most_that_fit", "most_that_fit(span, item, gap, margin)",
             "How many items fit, with a gap between, at least the "
             "margin free at each end. Rounds down.",
             "most_that_fit(372 mm, 8 mm, 5 mm, 14 mm)", "26", 4, 4,
             lambda kinds: (alike(kinds), COUNT)[1],
             lambda *a: fitting.most_that_fit(*a).count, True),
    Function("left_at_ends", "left_at_ends(span, item, gap, count)",
             "What stays free at each end of a centred row.",
             "left_at_ends(372 mm, 8 mm, 5 mm, 26)", "19.5 mm", 4, 4,
             each_of(LENGTH, LENGTH, LENGTH, COUNT, result=LENGTH),
             fitting.left_at_ends),
    Function("fewest_spaced", "fewest_spaced(span, spacing, margin)",
             "How many, from margin to margin, so that the spacing is "
             "never above the given. Rounds up.",
             "fewest_spaced(400 mm, 80 mm, 20 mm)", "6", 3, 3,
             lambda kinds: (alike(kinds), COUNT)[1],
             lambda span, spacing, margin: fitting.spaced_at_most(span, 0.0, spacing, margin).count,
             True),
    Function("even_pitch", "even_pitch(span, count, margin)",
             "The spacing of a count from margin to margin.",
             "even_pitch(400 mm, 6, 20 mm)", "72 mm", 3, 3,
             each_of(LENGTH, COUNT, LENGTH, result=LENGTH),
             lambda span, count, margin: fitting.given_count(span, 0.0, count, margin).pitch),
    Function("fewest_pieces", "fewest_pieces(span, longest, gap)",
             "How few pieces fill the span with a gap between, none "
             "longer than the longest. Rounds up.",
             "fewest_pieces(1000 mm, 300 mm, 4 mm)", "4", 3, 3,
             lambda kinds: (alike(kinds), COUNT)[1],
             fitting.fewest_pieces, True),
    Function("piece_length", "piece_length(span, count, gap)",
             "How long each of so many pieces is that fill the span with a gap between.",
             "piece_length(100 mm, 3, 5 mm)", "30 mm", 3, 3,
             each_of(LENGTH, COUNT, LENGTH, result=LENGTH),
             fitting.piece_length),
    Function("from_row", "from_row(column, \"row\")",
             "What the size table says in a column for the row of this name.",
             'from_row(inner_width, "Hummel 8")', "300 mm", 2, 2, of_the_first, tables.from_row,
             columns=1),
    Function("lookup", "lookup(column, key_column, key)",
             "What the size table says in a column, in the row in "
             "which the key column has this key.",
             "lookup(frames, inner_width, 300 mm)", "8", 3, 3, keyed, tables.lookup, columns=2),
    Function("interpolate", "interpolate(column, key_column, key)",
             "The same, on the straight line between the two rows around the key; never beyond "
             "the first and last.",
             "interpolate(box_height, inner_width, 248 mm)", "195 mm", 3, 3, keyed,
             tables.interpolate, columns=2),
    Function("screw_hole", "screw_hole(screw)",
             "The clearance hole of a metric screw, medium series of ISO 273.",
             "screw_hole(4 mm)", "4.5 mm", 1, 1, all_of(LENGTH, LENGTH), clearance_hole(1)),
    Function("screw_hole_fine", "screw_hole_fine(screw)",
             "The same, fine series: where parts must meet closely.",
             "screw_hole_fine(4 mm)", "4.3 mm", 1, 1, all_of(LENGTH, LENGTH), clearance_hole(0)),
    Function("screw_hole_coarse", "screw_hole_coarse(screw)",
             "The same, coarse series: where there must be play.",
             "screw_hole_coarse(4 mm)", "4.8 mm", 1, 1, all_of(LENGTH, LENGTH), clearance_hole(2)),
    Function("hole_for", "hole_for(size, fit) · hole_for(size, fit, within)",
             "A hole for a thing of this size: press, push, sliding or loose. Where the thing "
             "may be off by so much either way, "
             "it still slides at its largest, and still holds at its smallest. The machine is "
             "sent what makes it come out so.",
             "hole_for(6 mm, sliding, 0.05 mm)", "6.25 mm", 2, 3, all_of(LENGTH, LENGTH),
             for_mate("inside"), fit_at=1),
    Function("slot_for", "slot_for(size, fit) · slot_for(size, fit, within)",
             "The same between two straight walls: a slot for a tab or a board.",
             "slot_for(3 mm, sliding)", "3.2 mm", 2, 3, all_of(LENGTH, LENGTH),
             for_mate("inside", straight=True), fit_at=1),
    Function("peg_for", "peg_for(size, fit) · peg_for(size, fit, within)",
             "A round peg for a hole of this size, which may be off by so much.",
             "peg_for(6 mm, sliding)", "5.8 mm", 2, 3, all_of(LENGTH, LENGTH), for_mate("outside"),
             fit_at=1),
    Function("tab_for", "tab_for(size, fit) · tab_for(size, fit, within)",
             "The same between two straight sides: a tab for a slot.",
             "tab_for(3 mm, push)", "2.95 mm", 2, 3, all_of(LENGTH, LENGTH),
             for_mate("outside", straight=True), fit_at=1),
    Function("shared_hole", "shared_hole(size, fit)",
             "A hole whose mate is made too, by `shared_peg` of the same "
             "size: each gives half of the gap.",
             "shared_hole(6 mm, sliding)", "6.1 mm", 2, 2, all_of(LENGTH, LENGTH),
             for_mate("inside", share=0.5), fit_at=1),
    Function("shared_peg", "shared_peg(size, fit)", "The peg that goes into a `shared_hole`.",
             "shared_peg(6 mm, sliding)", "5.9 mm", 2, 2, all_of(LENGTH, LENGTH),
             for_mate("outside", share=0.5), fit_at=1),
    Function("inside", "inside(size)",
             "An inside measure that comes out at this size on the machine in use.",
             "inside(8 mm)", "8 mm", 1, 1, all_of(LENGTH, LENGTH),
             lambda habits, size: habits.send_inside(size) if habits else size),
    Function("inside_lying", "inside_lying(size)",
             "The same for a round hole that lies while it is printed.",
             "inside_lying(8 mm)", "8 mm", 1, 1, all_of(LENGTH, LENGTH),
             lambda habits, size: habits.send_inside(size, lying=True) if habits else size),
    Function("gap", "gap(size)",
             "The same between two straight walls: a slot's width, "
             "which closes less than a small hole.",
             "gap(3 mm)", "3 mm", 1, 1, all_of(LENGTH, LENGTH),
             lambda habits, size: habits.send_inside(size, straight=True) if habits else size),
    Function("peg", "peg(size)",
             "A round peg that comes out at this diameter on the machine in use.",
             "peg(8 mm)", "8 mm", 1, 1, all_of(LENGTH, LENGTH),
             lambda habits, size: habits.send_outside(size, straight=False) if habits else size),
    Function("outside", "outside(size)",
             "An outside measure that comes out at this size on the machine in use.",
             "outside(40 mm)", "40 mm", 1, 1, all_of(LENGTH, LENGTH),
             lambda habits, size: habits.send_outside(size) if habits else size),
]  # fmt: skip

_LIST += [
    Function("stock", "stock(nominal)",
             "The measured thickness of the stock that is sold as "
             "this thick, as the process has it.",
             "stock(18 mm)", "18 mm", 1, 1, all_of(LENGTH, LENGTH), lambda habits,
             size: habits.stock_of(size) if habits else size),
    Function("whole_lines", "whole_lines(width)",
             "The least whole number of printed lines that is as wide: walls without gaps inside.",
             "whole_lines(2 mm)", "2 mm", 1, 1, all_of(LENGTH, LENGTH),
             lambda habits, size: habits.whole_steps("lines", size) if habits else size),
    Function("whole_layers", "whole_layers(height)",
             "The least whole number of printed layers that is as high.",
             "whole_layers(5 mm)", "5 mm", 1, 1, all_of(LENGTH, LENGTH),
             lambda habits, size: habits.whole_steps("layers", size) if habits else size),
    Function("iso_hole", "iso_hole(size, class)",
             "The middle of a hole's tolerance class of ISO 286, such as H7.",
             "iso_hole(10 mm, H7)", "10.008 mm", 2, 2, all_of(LENGTH, LENGTH), iso_hole, fit_at=1),
    Function("iso_shaft", "iso_shaft(size, class)",
             "The middle of a shaft's tolerance class of ISO 286, such as g6.",
             "iso_shaft(10 mm, g6)", "9.991 mm", 2, 2, all_of(LENGTH, LENGTH), iso_shaft, fit_at=1),
]  # fmt: skip

#: Every function by name.
FUNCTIONS: dict[str, Function] = {function.name: function for function in _LIST}

#: Those that ask the table of screws.
SCREW_FUNCTIONS = frozenset(name for name in FUNCTIONS if name.startswith("screw_hole"))

#: Those that make a size for a mate.
FIT_FUNCTIONS = frozenset(
    {
        "hole_for",
        "slot_for",
        "peg_for",
        "tab_for",
        "shared_hole",
        "shared_peg",
        "iso_hole",
        "iso_shaft",
    }
)

#: Those that correct between straight walls.
STRAIGHT_FUNCTIONS = frozenset({"gap", "slot_for", "outside", "tab_for"})

#: Those that correct for the process, and the side of the material that they set.
PROCESS_FUNCTIONS = {
    "hole_for": "inside", "slot_for": "inside", "shared_hole": "inside", "inside": "inside",
    "inside_lying": "inside",
    "gap": "inside", "iso_hole": "inside", "peg_for": "outside", "tab_for": "outside",
    "peg": "outside", "shared_peg": "outside", "outside": "outside",
    "iso_shaft": "outside",
}  # fmt: skip


#: Those that ask the process for anything at all.
ASKS_PROCESS = frozenset(PROCESS_FUNCTIONS) | {"stock", "whole_lines", "whole_layers"}


def function_table() -> str:
    """All functions as a Markdown table, for the manual."""
    lines = ["| function | what it gives | example |", "|---|---|---|"]
    for function in FUNCTIONS.values():
        usage = " or ".join(f"`{form}`" for form in function.usage.split(" · "))
        lines.append(f"| {usage} | {function.doc} | `{function.example}` is {function.answer} |")
    return "\n".join(lines)
