"""What is done to a whole part for its machine, and what the machine's cut does to the part."""

from __future__ import annotations

from ..kernel.body import Body
from ..kernel.flat import moved_off, plate_of, relieved, tapered
from ..process.lens import View
from ..process.model import Process


def cuts(process: Process) -> bool:
    """Whether a process cuts flat parts out of sheets."""
    return process.kind in ("laser or knife", "router")


def bevels(view: View) -> bool:
    """Whether lower edges are bevelled before they are sent, since the first layer is squeezed out."""
    return view.lens == "sent" and view.bevelled and view.process.first_layer > 0


def treated(body: Body, view: View, material: str) -> Body:
    """A part in a view of its machine. For printers the lower edges are bevelled. A flat part for a machine that cuts: its outlines moved off the line, its inner corners relieved, or left
    round by the cutter.

    Raises:
        ValueError: where it is not flat, or an outline closes up.
    """
    machine = view.process
    if not cuts(machine):
        return first_layer_bevelled(body, machine.first_layer) if bevels(view) else body
    plate = plate_of(body)
    moved = moved_off(body, plate, view.moved_off(material, plate.thickness))
    if machine.kind != "router" or machine.cutter <= 0:
        return tapered(moved, plate, machine.taper) if view.lens == "expected" else moved
    if view.relieved and machine.relief != "none":
        return relieved(moved, plate, machine.cutter, machine.relief)
    return relieved(moved, plate, machine.cutter, "radius") if view.lens == "expected" else moved


def first_layer_bevelled(body: Body, by: float) -> Body:
    """The body with the edges around its lowest level faces bevelled.

    Raises:
        ValueError: where a bevel does not fit.
    """
    from ..kernel import occ_change

    return Body((), occ_change.bevelled_below(body.solid(), by), body.frames)
