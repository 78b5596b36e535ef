"""Whether it is known how wide a laser or knife cuts what it is to cut."""

from __future__ import annotations

from ..design.rebuild import Rebuilt
from ..design.treat import MEASURE_KERF, cuts, unknown_kerf
from ..kernel.flat import plate_of
from ..process.model import Process
from .finding import Finding


def kerf_known(built: Rebuilt) -> list[Finding]:
    """For each machine that burns or knifes: whether its kerf is known in the material of every
    part and blank that it cuts. What is not flat is told elsewhere."""
    cut: dict[str, list[tuple[str, Process, float]]] = {}
    for name, body in built.bodies.items():
        view = built.view_of(name)
        if body.folded is not None or body.blank_of is not None:
            blank = built.view.cutter_of(name)
            if blank is None:
                continue
            view = blank
        machine = view.process
        if machine.kind != "laser or knife" or not cuts(machine):
            continue
        try:
            thick = body.folded.thickness if body.folded is not None else plate_of(body).thickness
        except ValueError:
            continue
        cut.setdefault(machine.name, []).append((name, machine, thick))
    findings = []
    for machine_name, parts in cut.items():
        title = f"The kerf of {machine_name} is known"
        for name, machine, thick in parts:
            if why := unknown_kerf(machine, built.made_of[name], thick):
                findings.append(Finding(title, False, why, MEASURE_KERF, False, "part", name))
                break
        else:
            kinds = dict.fromkeys(
                f"{built.made_of[name]} {thick:.4g} mm" for name, _, thick in parts
            )
            findings.append(Finding(title, True, ", ".join(kinds)))
    return findings
