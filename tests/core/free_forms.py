"""A block with a wavy top, whose volume is known by hand, as a mesh of thousands of triangles, and
designs that stand on it."""

from __future__ import annotations

import struct
from functools import lru_cache
from itertools import pairwise

import numpy as np

from schablone.core.design import Design
from schablone.core.design.rebuild import Memory, Rebuilt, rebuild
from schablone.core.packed import packed
from schablone.core.process.lens import Lens
from schablone.core.process.model import Process, neutral
from schablone.core.solids.from_mesh import part_of_mesh

#: The block, mm, and into how many fields its top is divided.
WIDE, DEEP, HIGH = 60.0, 40.0, 20.0
FIELDS = (60, 40)


def stl(triangles: np.ndarray) -> bytes:
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    rows = np.zeros(len(triangles), record)
    rows["corners"] = triangles
    return b"binary".ljust(80) + struct.pack("<I", len(rows)) + rows.tobytes()


@lru_cache
def top() -> np.ndarray:
    """The triangles of the top, seen from above counter-clockwise, (n, 3, 3), as exact as a file
    keeps them."""
    nx, ny = FIELDS
    x, y = np.meshgrid(np.linspace(0, WIDE, nx + 1), np.linspace(0, DEEP, ny + 1), indexing="ij")
    # Level along its rim, so that the sides are rectangles.
    rim = np.sin(np.pi * x / WIDE) * np.sin(np.pi * y / DEEP)
    z = HIGH + 2 * rim * np.sin(x / 3 + 0.3) * np.cos(y / 4)
    p = np.stack([x, y, z], axis=-1)
    a, b, c, d = p[:-1, :-1], p[1:, :-1], p[1:, 1:], p[:-1, 1:]
    found = np.concatenate([np.stack([a, b, c], -2).reshape(-1, 3, 3),
                            np.stack([a, c, d], -2).reshape(-1, 3, 3)])  # fmt: skip
    return found.astype("<f4").astype(float)


@lru_cache
def wavy() -> np.ndarray:
    """All triangles of the block."""
    nx, ny = FIELDS
    xs, ys = np.linspace(0, WIDE, nx + 1), np.linspace(0, DEEP, ny + 1)
    sides = []
    rims = [
        [(x, 0.0) for x in xs],
        [(WIDE, y) for y in ys],
        [(x, DEEP) for x in xs[::-1]],
        [(0.0, y) for y in ys[::-1]],
    ]
    for rim in rims:
        for (x0, y0), (x1, y1) in pairwise(rim):
            a, b, c, d = (x0, y0, 0.0), (x1, y1, 0.0), (x1, y1, HIGH), (x0, y0, HIGH)
            sides += [[a, b, c], [a, c, d]]
            sides.append([(WIDE / 2, DEEP / 2, 0.0), b, a])
    return np.concatenate([top(), np.array(sides)]).astype("<f4").astype(float)


def volume_of_wavy() -> float:
    """Under each triangle of the top stands a column: its area seen from above times the mean of
    its heights."""
    a, b, c = top().transpose(1, 0, 2)
    twice = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    return float((twice / 2 * (a[:, 2] + b[:, 2] + c[:, 2]) / 3).sum())


@lru_cache
def kept() -> str:
    return packed(part_of_mesh(stl(wavy()), "wavy.stl").data)


def imported(**fields: object) -> dict[str, object]:
    return {"kind": "imported", "name": "stone", "file": "wavy.stl", "data": kept(), **fields}


def built(
    *steps: dict[str, object],
    lens: Lens = "wanted",
    machine: Process | None = None,
    **design: object,
) -> Rebuilt:
    whole = Design.model_validate({"steps": [imported(), *steps], **design})
    return rebuild(whole, whole.seen(lens, machine or neutral()), Memory())


def bottom(stone: Rebuilt) -> str:
    """The face that the block stands on."""
    frames = stone.bodies["part"].frames
    return next(str(n) for n, f in frames.items() if n.step == "stone" and f.normal[2] < -0.99)
