"""All that the page shows, built and painted: the parts as they are wanted, from several sides, and
each ready-made size."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ...design.model import Design
from ...design.rebuild import Memory, Rebuilt, rebuild
from ...kernel.mesh import Mesh
from ...process.model import Process
from ...quantity import say_grams
from ..drawing_sheet.measuring import measuring_pictures
from ..licences import licence_in_full
from ..parts_list import parts_list
from ..readme import AS_DESIGNED, Told
from .html import Page
from .part_file import glb

#: Renders meshes into a PNG picture of so many pixels.
Painter = Callable[..., bytes]

#: How fine meshes for pictures are, mm.
_FINE = 0.05
#: Of so many ready-made sizes there is a picture each; of more the page would grow too heavy.
_MOST_PICTURES = 24
_SMALL = (640, 400)
#: A turn about the upright axis, then about the one to the right, degrees.
_SIDES = (("from behind", 180.0, 0.0), ("from below", 0.0, 180.0))


def gathered(
    told: Told, wanted: Rebuilt, own: Sequence[Process], memory: Memory, paint: Painter
) -> Page:
    """Build and paint what the page shows; ``wanted`` is the design as it is published."""
    design, process = told.design, told.processes[0]
    titles = {part.name: part.title or part.name for part in design.parts}
    meshes = [body.mesh(_FINE) for body in wanted.bodies.values()]
    ready, figures = {}, {AS_DESIGNED: _figures(design, wanted)}
    for number, preset in enumerate(design.publish.presets):
        built = rebuild(design, design.seen("wanted", process, own), memory, preset.sizes)
        if not built.bodies:
            continue
        figures[preset.name] = _figures(design, built)
        if number < _MOST_PICTURES:
            shown = [body.mesh(_FINE) for body in built.bodies.values()]
            ready[preset.name] = paint(shown, *_SMALL)
    return Page(
        told=told,
        main=paint(meshes),
        sides=tuple(
            (said, paint([_turned(mesh, up, right) for mesh in meshes], *_SMALL))
            for said, up, right in _SIDES
        ),
        ready=ready,
        figures=figures,
        parts=glb([(titles[name], mesh) for name, mesh in zip(wanted.bodies, meshes, strict=True)]),
        licence=licence_in_full(design.publish.licence),
        calipers=measuring_pictures(design, wanted, {item.size for item in design.publish.adjust}),
    )


def _figures(design: Design, built: Rebuilt) -> str:
    """Size and mass of all that is made, each once."""
    made = [part for part in parts_list(design, built) if part.made]
    told = []
    for part in made:
        mass = "" if part.mass is None else f", {say_grams(part.mass)}"
        title = f"{part.title}: " if len(made) > 1 else ""
        told.append(f"{title}{part.size}{mass}")
    return "; ".join(told)


def _turned(mesh: Mesh, about_up: float, about_right: float) -> Mesh:
    """The mesh turned, so that what looks from the corner sees another side of it."""
    a, b = np.radians([about_up, about_right])
    upright = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]])
    right = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    turn = right @ upright
    return replace(
        mesh,
        points=mesh.points @ turn.T,
        normals=(mesh.normals @ turn.T).astype(np.float32),
        lines=mesh.lines.mapped(lambda edge: edge @ turn.T),
    )
