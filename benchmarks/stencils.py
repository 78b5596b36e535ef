"""Three hundred stencils of six steps in a board: built, and one of them edited, beside the same
plain steps; and the same by one grid."""

from __future__ import annotations

import time

from schablone.core.design import Design
from schablone.core.design import edit as edits
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.design.stencil_edit import put_in
from schablone.core.process import LensView, neutral
from schablone.core.reuse import Stencil

_VIEW = LensView("wanted", neutral())

FITTING = Stencil.model_validate(
    {
        "name": "fitting",
        "sizes": [{"name": "long", "formula": "8 mm"}, {"name": "bore", "formula": "1 mm"}],
        "steps": [
            {"kind": "sketch", "name": "slot",
             "shapes": [{"kind": "slot", "name": "s", "length": "long", "width": "4 mm"}]},
            {"kind": "extrude", "name": "opening", "sketch": "slot", "mode": "cut",
             "extent": "through", "part": "host"},
            {"kind": "sketch", "name": "round",
             "shapes": [{"kind": "circle", "name": "c", "diameter": "bore", "x": "6 mm"}]},
            {"kind": "extrude", "name": "peep", "sketch": "round", "mode": "cut",
             "extent": "through", "part": "host"},
            {"kind": "hole", "name": "left", "face": "host/here", "diameter": "bore",
             "x": "-6 mm"},
            {"kind": "hole", "name": "above", "face": "host/here", "diameter": "bore",
             "y": "4 mm"},
        ],
    }
)  # fmt: skip


def board() -> Design:
    edge = {"kind": "rectangle", "name": "r", "width": "420 mm", "height": "400 mm"}
    return Design.model_validate(
        {"steps": [{"kind": "sketch", "name": "edge", "shapes": [edge]},
                   {"kind": "extrude", "name": "board", "sketch": "edge", "by": "10 mm"}]}
    )  # fmt: skip


def with_many(count: int = 300) -> Design:
    """Each by a step of its own."""
    found = board()
    for k in range(count):
        a, b = divmod(k, 15)
        found = put_in(
            found, FITTING, name=f"f{k}", face="board/end", x=f"{20 * a - 190} mm",
            y=f"{20 * b - 150} mm",
        )  # fmt: skip
    return found


def in_plain_steps(count: int = 300, last: float = 8.0) -> Design:
    """The same without stencils, the last slot as long as that."""
    steps: list[dict[str, object]] = []
    for k in range(count):
        a, b = divmod(k, 15)
        x, y = 20.0 * a - 190, 20.0 * b - 150
        long = last if k == count - 1 else 8.0
        shapes = (
            {"kind": "slot", "name": "s", "length": f"{long} mm", "width": "4 mm",
             "x": f"{x} mm", "y": f"{y} mm"},
            {"kind": "circle", "name": "c", "diameter": "1 mm", "x": f"{x + 6} mm",
             "y": f"{y} mm"},
        )  # fmt: skip
        for name, shape in zip(("slot", "round"), shapes, strict=True):
            steps += [
                {"kind": "sketch", "name": f"{name}_{k}", "plane": "board/end", "shapes": [shape]},
                {"kind": "extrude", "name": f"cut_{name}_{k}", "sketch": f"{name}_{k}",
                 "mode": "cut", "extent": "through"},
            ]  # fmt: skip
        for name, dx, dy in (("left", -6, 0), ("above", 0, 4)):
            steps.append(
                {"kind": "hole", "name": f"{name}_{k}", "face": "board/end", "diameter": "1 mm",
                 "x": f"{x + dx} mm", "y": f"{y + dy} mm"}
            )  # fmt: skip
    first = [step.model_dump() for step in board().steps]
    return Design.model_validate({"steps": [*first, *steps]})


def by_a_grid() -> Design:
    """The same by one that a grid repeats."""
    grid = {"kind": "grid", "name": "many", "of": "f", "columns": "20", "rows": "15",
            "column_pitch": "20 mm", "row_pitch": "20 mm"}  # fmt: skip
    one = put_in(board(), FITTING, name="f", face="board/end")
    return edits.put_step(one, Design.model_validate({"steps": [grid]}).steps[0])


def _timed(design: Design, memory: Memory) -> float:
    begun = time.perf_counter()
    found = rebuild(design, _VIEW, memory)
    assert found.whole, found.problems[:3]
    return time.perf_counter() - begun


def measured() -> dict[str, tuple[float, float]]:
    """Seconds with stencils and with plain steps: built, and the last one edited; and by a grid,
    beside all of them one by one."""
    many = with_many()
    memories = Memory(20_000), Memory(20_000)
    cold = _timed(many, memories[0]), _timed(in_plain_steps(), memories[1])
    wider = edits.change_step(many, "f299", "given.0.formula", "9 mm")
    plain_wider = in_plain_steps(last=9.0)
    edit = _timed(wider, memories[0]), _timed(plain_wider, memories[1])
    return {
        "300 stencils of six steps": cold,
        "one of them edited": edit,
        "300 by a grid": (_timed(by_a_grid(), Memory()), cold[0]),
    }
