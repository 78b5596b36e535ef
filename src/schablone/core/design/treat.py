"""What is done to a whole part for its machine, and what the machine's cut does to the part."""

from __future__ import annotations

from ..kernel.body import Body, placed_body, stretched
from ..kernel.flat import flat_faces, moved_off, moved_off_and_relieved, plate_of, tapered
from ..kernel.frame import Vector, as_vector
from ..kernel.motion import Motion
from ..kernel.tabs import NONE, Tabs, held
from ..process.lens import LensView
from ..process.lying import Down, turn_of, upright_axis
from ..process.model import Process


def cuts(process: Process) -> bool:
    """Whether a process cuts flat parts out of sheets."""
    return process.kind in ("laser or knife", "router")


def bevels(view: LensView) -> bool:
    """Whether lower edges are bevelled before they are sent, since the first layer is squeezed
    out."""
    return view.lens == "sent" and view.bevelled and view.process.first_layer > 0


def treated(body: Body, view: LensView, material: str, down: Down = "bottom") -> Body:
    """A part in a view of its machine. For printers the edges around the face that it lies on are
    bevelled, which is that on its side ``down``. A flat part for a
    machine that cuts: its outlines moved off the line, its inner corners relieved, or left round by
    the cutter.

    Raises:
        ValueError: where it is not flat, or an outline closes up.
    """
    machine = view.process
    if not cuts(machine):
        if not bevels(view):
            return body
        return _bevelled(body, machine.first_layer, down)
    plate = plate_of(body)
    by = view.moved_off(material, plate.thickness)
    if machine.kind != "router" or machine.cutter <= 0:
        moved = moved_off(body, plate, by)
        return tapered(moved, plate, machine.taper) if view.lens == "expected" else moved
    how = machine.reliefs() if view.relieved else {}
    if view.lens == "expected":  # what is not relieved is left round by the cutter
        how = {kind: how.get(kind, "none").replace("none", "radius") for kind in machine.reliefs()}
    return moved_off_and_relieved(body, plate, by, machine.cutter, how)


def unknown_kerf(machine: Process, material: str, thickness: float) -> str:
    """That nobody knows how wide a machine cuts a material of a thickness in mm, and what is taken
    instead, as a sentence; empty where it is known, or none is met."""
    if machine.kind != "laser or knife" or not (taken := machine.kerf_from(material, thickness)):
        return ""
    return f"No kerf of {material} of {thickness:.4g} mm is known on {machine.name}: {taken}."


#: What to do about it.
MEASURE_KERF = "Calibrate the machine with a piece of it, or give its kerf a row in the process."


def tabs_of(view: LensView, body: Body, material: str) -> Tabs:
    """By how many tabs a part is held in its sheet while it is cut, and for how long the cut is
    interrupted at each."""
    machine = view.process
    if view.lens != "sent" or not view.tabbed or not machine.tabs or not cuts(machine):
        return NONE
    try:
        return Tabs(machine.tabs, machine.tab_gap(material, plate_of(body).thickness))
    except ValueError:
        return NONE  # what is not flat is told by the treatment


def tab_lines(view: LensView, body: Body, material: str) -> list[list[Vector]]:
    """Where the cut around a part is interrupted for its tabs, as lines in space, mm, on the
    upper side of the sheet."""
    tabs = tabs_of(view, body, material)
    if not tabs.count:
        return []
    return [
        [frame.at(u, v) for u, v in (*gap.points(0.05), gap.end)]
        for region, frame in flat_faces(body)
        for gap in held(region.outer, tabs).gaps
    ]


def as_it_lies(body: Body, down: Down) -> Body:
    """A part turned so that a side of it is down, as high as it stood."""
    turned, _ = _ways(body, down)
    return placed_body(body, turned) if down != "bottom" else body


def _ways(body: Body, down: Down) -> tuple[Motion, Motion]:
    """How a part is laid on a side, and how it is brought back from there."""
    low, high = body.figures().bounds
    size = [b - a for a, b in zip(low, high, strict=True)]
    middle = as_vector((a + b) / 2 for a, b in zip(low, high, strict=True))
    axis, degrees = turn_of(down)
    way = as_vector(float(k == axis) for k in range(3))
    rise = (size[upright_axis(down)] - size[2]) / 2
    turn, back = (Motion.turn(middle, way, angle) for angle in (degrees, -degrees))
    return (
        Motion.move((0.0, 0.0, rise)).after(turn),
        back.after(Motion.move((0.0, 0.0, -rise))),
    )


def _bevelled(body: Body, by: float, down: Down) -> Body:
    """A part with the edges around the face that it lies on bevelled. Where it will be stretched,
    before that, and by as much less."""
    drawn = body.stretched
    if drawn is not None:
        level = drawn.factors[0 if upright_axis(down) != 0 else 1]
        whole = _bevelled(Body((), drawn.solid, body.frames), by / level, down)
        return stretched(whole, drawn.factors, lambda: _bevelled(Body((), drawn.made), by, down))
    bevelled = first_layer_bevelled(as_it_lies(body, down), by)
    return placed_body(bevelled, _ways(body, down)[1]) if down != "bottom" else bevelled


def first_layer_bevelled(body: Body, by: float) -> Body:
    """The body with the edges around its lowest level faces bevelled by so many mm.

    Raises:
        ValueError: where a bevel does not fit.
    """
    if body.meshed is not None:
        from ..kernel.mesh_bevel import bevelled_below

        return Body.of_triangles(bevelled_below(body.meshed, by), body.frames)
    from ..kernel.occ import change as occ_change

    return Body((), occ_change.bevelled_below(body.solid(), by), body.frames)
