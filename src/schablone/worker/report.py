"""What a rebuild tells the window: sizes, problems, states of steps, checks, and for each part its
mesh."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.bought import Thing
from ..core.design.anchors import anchors_of, notes_of
from ..core.design.model import Design
from ..core.design.rebuild import Rebuilt
from ..core.design.treat import tab_lines
from ..core.kernel.body import Body
from ..core.kernel.frame import Vector, as_vector
from ..core.kernel.mesh import FOR_LOOKING, Mesh
from ..core.kernel.naming import FaceName, owner_of
from ..core.prove import Finding, quick_findings
from ..core.sketch.mapping import XY
from ..core.steps.workshop import Outlines
from ..core.words import say_name
from .talk import BOUGHT, DrawingReport, FaceReport, FindingReport, PartReport, Report, ThingReport

#: Chord tolerance, mm, of sketches that are only shown beside the part, and how many of their
#: curves are.
_FOR_GLANCING, _MOST_CURVES = 0.2, 2000
#: Chord tolerance, mm, of meshes for small pictures.
FOR_A_GLANCE = 0.4


_NOWHERE: Vector = (0.0, 0.0, 0.0)


def report_of(
    design: Design,
    built: Rebuilt,
    known: dict[str, str],
    tolerance: float = FOR_LOOKING,
    meshes: dict[str, Mesh] | None = None,
) -> tuple[Report, dict[str, NDArray[Any]]]:
    """Header and arrays of the answer. ``known`` gives the keys of bodies that the window has
    already; ``meshes`` gets those that were made."""
    made_of = {part.name: part.made_of(built.view_of(part.name).process) for part in design.parts}
    titles = {part.name: part.title or part.name for part in design.parts}
    header: Report = {
        "lens": built.view.lens,
        "process": built.view.process.name,
        "whole": built.whole,
        "problems": [problem.model_dump(mode="json") for problem in built.problems],
        "steps": {
            name: {
                "state": state.state,
                "by": state.by,
                "values": {k: list(v) for k, v in state.values.items()},
            }
            for name, state in built.steps.items()
        },
        "findings": said(quick_findings(design, built)),
        "drawings": {name: _drawing(drawing) for name, drawing in built.drawings.items()},
        "measured": built.measured | built.offered,
        "anchors": anchors_of(design, built),
        "notes": notes_of(design, built),
        "parts": [],
        "things": [],
    }
    arrays: dict[str, NDArray[Any]] = {}
    for number, (name, body) in enumerate(built.bodies.items()):
        figures = built.figures[name]
        material, density = made_of[name]
        part: PartReport = {
            "tabs": tab_lines(built.view_of(name), body, material),
            "marks": _marks(body),
            "name": name,
            "title": titles.get(name, name),
            "key": built.keys.get(name, ""),
            "volume": figures.volume,
            "area": figures.area,
            "bounds": figures.bounds,
            "centre": figures.centre,
            "density": density,
            "material": material,
        }
        header["parts"].append(part)
        if known.get(name) and known[name] == part["key"]:
            part["unchanged"] = True
            continue
        mesh = body.mesh(tolerance)
        if meshes is not None:
            meshes[name] = mesh
        part["faces"] = [_face(body, mesh, i) for i in range(len(mesh.faces))]
        part["edge_faces"] = mesh.edge_faces
        arrays |= _mesh_arrays(mesh, number)
    placed = {step: things for step, things in built.things.items() if things}
    for number, (step, things) in enumerate(placed.items(), len(built.bodies)):
        key = built.thing_keys[step]
        told = _thing(step, things, key)
        header["things"].append(told)
        if known.get(told["name"]) == key:
            told["unchanged"] = True
            continue
        mesh = Mesh.joined([thing.body.mesh(tolerance) for thing in things])
        told["faces"] = [_plain_face(step, name) for name in mesh.faces]
        told["edge_faces"] = mesh.edge_faces
        arrays |= _mesh_arrays(mesh, number)
    return header, arrays


def _thing(step: str, things: Sequence[Thing], key: str) -> ThingReport:
    """What a step placed; its name is none that a part can have."""
    count = len(things)
    said = things[0].part.said
    mass = things[0].part.mass
    # What nobody weighed counts nothing: where it lies is not worked out.
    centres = [thing.body.figures().centre if mass is not None else _NOWHERE for thing in things]
    return {
        "name": f"{BOUGHT}{step}",
        "step": step,
        "title": said if count == 1 else f"{said} × {count}",
        "key": key,
        "count": count,
        "up": things[0].up,
        "mass": mass,
        "centre": as_vector(sum(c[i] for c in centres) / count for i in range(3)),
        "tabs": [],
        "marks": [],
    }


def _plain_face(step: str, name: FaceName) -> FaceReport:
    """A face of something that is bought: nothing is drawn on it, it points at what placed it."""
    return {
        "name": f"{step}/{name.role}",
        "exact": "",
        "step": step,
        "flat": False,
        "words": f"{name.role} of {say_name(step)}",
    }


def _marks(body: Body) -> list[list[Vector]]:
    """What is engraved on a folded part, or on its blank, as lines in space."""
    if body.folded is not None:
        return body.folded.marks()
    return body.blank_of.marks(flat=True) if body.blank_of is not None else []


def _drawing(drawing: Outlines) -> DrawingReport:
    """Where a sketch lies, and the edges that it follows."""
    frame = drawing.frame
    traces = {edge: (t.form, t.points, t.radius) for edge, t in drawing.traces.items()}
    return {
        "origin": frame.origin,
        "x": frame.x,
        "y": frame.y,
        "lines": [[frame.at(*spot) for spot in line] for line in _lines(drawing)],
        "marks": [frame.at(*spot) for spot in drawing.marks.values()],
        "traces": traces,
    }


def _lines(drawing: Outlines) -> list[list[XY]]:
    """What a sketch looks like from afar: each curve as points, no more than so many of all."""
    shaped = [curve for loop in drawing.loops.values() for curve in loop.curves]
    curves = [*shaped, *drawing.curves][:_MOST_CURVES]
    return [[*curve.points(_FOR_GLANCING), curve.end] for curve in curves]


def said(findings: list[Finding]) -> list[FindingReport]:
    """Checks as the window takes them."""
    return [
        {
            "name": f.name,
            "holds": f.holds,
            "why": f.why,
            "hint": f.hint,
            "own": f.own,
            "area": f.area,
            "place": f.place,
        }
        for f in findings
    ]


def _face(body: Body, mesh: Mesh, index: int) -> FaceReport:
    name = mesh.faces[index]
    frame = body.frames.get(name)
    face: FaceReport = {
        "name": str(name),
        "exact": name.exact,
        "step": owner_of(name.step),
        "flat": frame is not None,
        "words": name.words(),
    }
    if frame is not None:
        face |= {"origin": frame.origin, "x": frame.x, "y": frame.y}
    return face


def _mesh_arrays(mesh: Mesh, number: int) -> dict[str, NDArray[Any]]:
    lengths = np.array([len(edge) for edge in mesh.edges], dtype=np.int32)
    edges = np.concatenate(mesh.edges) if mesh.edges else np.empty((0, 3))
    return {
        f"{number}.points": mesh.points.astype(np.float32),
        f"{number}.triangles": mesh.triangles,
        f"{number}.face_of": mesh.face_of,
        f"{number}.normals": mesh.normals,
        f"{number}.edges": edges.astype(np.float32),
        f"{number}.edge_lengths": lengths,
    }
