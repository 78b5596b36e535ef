"""Spots on a part that people measure from: corners, middles of edges, centres of round ones, and
whole faces.

A spot is named by the faces that meet there, so that it follows the part: ``corner plate/end &
plate/side/left & plate/side/front``. Where several spots have the same faces, all but the first
bear a number, counted along x, y and z.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from .body import Body
from .frame import Vector
from .mesh import Mesh
from .naming import say_face

Floats = NDArray[np.float64]

KINDS = ("corner", "middle", "centre")

#: Points of two edges nearer than this, mm, are one corner.
_MEET = 1e-3
#: How far, as a share of the radius, points of a round edge may lie off their circle.
_ROUND = 1e-4


def steps_named(text: str) -> list[str]:
    """The steps whose faces a spot or face is named by."""
    return list(dict.fromkeys(token.split("/")[0] for token in text.split() if "/" in token))


def with_step_renamed(text: str, old: str, new: str) -> str:
    """The name of a spot or face after a step was renamed."""
    return re.sub(rf"(^| ){re.escape(old)}(?=[/.])", rf"\g<1>{new}", text)


def is_spot(text: str) -> bool:
    """Whether a text names a spot that is a point, and no face."""
    return text.partition(" ")[0] in KINDS


def say_spot(text: str) -> str:
    """A spot in words: ``middle between top of plate and left side of plate``."""
    kind, _, rest = text.partition(" ")
    faces = [say_face(name) for name in rest.partition(" #")[0].split(" & ")]
    number = f" ({rest.partition(' #')[2]})" if " #" in rest else ""
    where = f"{', '.join(faces[:-1])} and {faces[-1]}" if len(faces) > 1 else faces[0]
    return f"{kind} of {where}{number}" if kind == "corner" else f"{kind} between {where}{number}"


def spots_of(mesh: Mesh) -> dict[str, Vector]:
    """All spots of a mesh that are points, mm, by name."""
    names = [str(face) for face in mesh.faces]
    pairs = [(names[a], names[b]) for a, b in mesh.edge_faces]
    return spots_on(list(mesh.edges), pairs)


def spots_on(edges: list[Floats], between: list[tuple[str, str]]) -> dict[str, Vector]:
    """Spots by name, mm, from edges as points, (k, 3) each, and the names of the two faces beside
    each."""
    lines: dict[str, list[Floats]] = {}
    ends: list[tuple[Floats, tuple[str, str]]] = []
    for line, pair in zip(edges, between, strict=True):
        if len(line) < 2:
            continue
        base = " & ".join(sorted(set(pair)))
        closed = float(np.abs(line[0] - line[-1]).max()) < _MEET
        if not closed:
            lines.setdefault(f"middle {base}", []).append(_halfway(line))
            ends += [(line[0], pair), (line[-1], pair)]
        centre = _centre(line)
        if centre is not None:
            lines.setdefault(f"centre {base}", []).append(centre)
    for point, faces in _met(ends):
        lines.setdefault(f"corner {' & '.join(sorted(faces))}", []).append(point)
    named: dict[str, Vector] = {}
    for base, points in lines.items():
        ordered = sorted(points, key=lambda p: [round(float(c), 3) for c in p])
        for number, p in enumerate(ordered, 1):
            named[base + (f" #{number}" if number > 1 else "")] = (
                float(p[0]),
                float(p[1]),
                float(p[2]),
            )
    return named


def _met(ends: list[tuple[Floats, tuple[str, str]]]) -> list[tuple[Floats, set[str]]]:
    """Ends of edges that lie together, with all faces around them."""
    cells: dict[tuple[int, ...], list[int]] = {}
    corners: list[tuple[Floats, set[str]]] = []
    for point, pair in ends:
        key = tuple(np.round(point / (4 * _MEET)).astype(int).tolist())
        near = [
            k
            for dx in (-1, 0, 1)
            for dy in (-1, 0, 1)
            for dz in (-1, 0, 1)
            for k in cells.get((key[0] + dx, key[1] + dy, key[2] + dz), ())
        ]
        match = next((k for k in near if float(np.abs(corners[k][0] - point).max()) < _MEET), None)
        if match is None:
            cells.setdefault(key, []).append(len(corners))
            corners.append((point, set(pair)))
        else:
            corners[match][1].update(pair)
    return corners


def _halfway(line: Floats) -> Floats:
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    half = run[-1] / 2
    return np.array([np.interp(half, run, line[:, axis]) for axis in range(3)])


def _centre(line: Floats) -> Floats | None:
    """The centre of a round edge from its points, or None where it is straight or not round."""
    if len(line) < 4:
        return None
    a, b, c = line[0], line[len(line) // 3], line[2 * len(line) // 3]
    u, v = b - a, c - a
    normal = np.cross(u, v)
    size = float(normal @ normal)
    if size < 1e-12 * max(1.0, float(u @ u) * float(v @ v)):
        return None
    middle = a + (np.cross(normal, u) * float(v @ v) + np.cross(v, normal) * float(u @ u)) / (
        2 * size
    )
    away = np.linalg.norm(line - middle, axis=1)
    if float(np.ptp(away)) > _ROUND * float(away.max()):
        return None
    return np.asarray(middle)


def place_of(bodies: Mapping[str, Body], text: str) -> tuple[Body, Vector] | None:
    """The body that has a spot, and where it is, mm."""
    steps = steps_named(text)
    for body in bodies.values():
        if steps and any(name.step == steps[0] for name in body.names()):
            at = spots_of(body.mesh()).get(text)
            if at is not None:
                return body, at
    return None
