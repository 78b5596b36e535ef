"""What is done to a whole part for a machine that cuts, and what its cut does to the part."""

from __future__ import annotations

from ..kernel.body import Body
from ..kernel.flat import moved_off, plate_of, relieved
from ..process.lens import View
from ..process.model import Process


def cuts(process: Process) -> bool:
    """Whether a process cuts flat parts out of sheets."""
    return process.kind in ("laser or knife", "router")


def treated(body: Body, view: View, material: str) -> Body:
    """A flat part in a view of a machine that cuts: its outlines moved off the line, its inner corners relieved, or left
    round by the cutter.

    Raises:
        ValueError: where it is not flat, or an outline closes up.
    """
    plate = plate_of(body)
    machine = view.process
    moved = moved_off(body, plate, view.moved_off(material, plate.thickness))
    if machine.kind != "router" or machine.cutter <= 0:
        return moved
    if view.relieved and machine.relief != "none":
        return relieved(moved, plate, machine.cutter, machine.relief)
    return relieved(moved, plate, machine.cutter, "radius") if view.lens == "expected" else moved
