"""Edges by name: an edge is named by the faces it lies between, ``plate/end | plate/side/left``.

Where several edges lie between the same two faces, all but the first bear a number, counted along
x, y and z.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from .body import Body
from .frame import Frame, Vector
from .mesh import Mesh
from .naming import FaceName, say_face

Floats = NDArray[np.float64]


def edge_name(a: FaceName | str, b: FaceName | str, number: int = 1) -> str:
    """The name of an edge between two faces."""
    first, second = sorted((str(a), str(b)))
    return f"{first} | {second}" + (f" #{number}" if number > 1 else "")


def faces_of_edge(name: str) -> tuple[str, str]:
    """The names of the two faces that an edge lies between."""
    first, _, second = name.partition(" #")[0].partition(" | ")
    return first, second


def say_edge(name: str) -> str:
    """An edge in words, by the faces that it lies between: ``edge between top of plate and left
    side of plate``."""
    number = name.partition(" #")[2]
    faces = " and ".join(say_face(face) for face in faces_of_edge(name))
    return f"edge between {faces}" + (f" ({number})" if number else "")


def edges_of(mesh: Mesh) -> dict[str, Floats]:
    """Points along every edge of a mesh, (k, 3), by the edge's name."""
    edges: dict[tuple[str, str], list[Floats]] = {}
    for line, (a, b) in zip(mesh.edges, mesh.edge_faces, strict=True):
        first, second = sorted((str(mesh.faces[a]), str(mesh.faces[b])))
        if len(line):
            edges.setdefault((first, second), []).append(line)
    named: dict[str, Floats] = {}
    for pair, lines in edges.items():
        ordered = sorted(lines, key=lambda line: tuple(np.round(line.mean(axis=0), 4)))
        for number, line in enumerate(ordered, 1):
            named[edge_name(*pair, number)] = line
    return named


def edges_on(
    bodies: Mapping[str, Body], frame: Frame, stretch: Vector = (1.0, 1.0, 1.0)
) -> dict[str, Floats]:
    """The edges of bodies seen along a frame's normal, (k, 2), in the design's own space."""
    axes = np.array([frame.x, frame.y])
    edges: dict[str, Floats] = {}
    for body in bodies.values():
        for name, line in edges_of(body.mesh()).items():
            edges.setdefault(name, (line / np.array(stretch) - np.array(frame.origin)) @ axes.T)
    return edges
