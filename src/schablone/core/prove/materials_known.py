"""Whether what a machine does is known of the materials that it is to work."""

from __future__ import annotations

from ..design.model import Design
from ..design.rebuild import Rebuilt
from ..design.treat import MEASURE_KERF, unknown_kerf
from ..kernel.body import Body
from ..kernel.flat import plate_of
from ..process.model import Process, neutral
from .finding import Finding


def materials_known(design: Design, built: Rebuilt) -> list[Finding]:
    """For each machine that burns or knifes, whether its kerf is known in the material of every
    part and blank that it cuts; for each that prints or routs, whether its figures are those of the
    material that is stated of parts. What is not flat is told elsewhere."""
    return [*_kerfs(built), *_figures(design, built)]


def _kerfs(built: Rebuilt) -> list[Finding]:
    cut: dict[str, list[tuple[str, Process, float]]] = {}
    for name, body in built.bodies.items():
        machine = _cutter(built, name, body)
        if machine is None or machine.kind != "laser or knife":
            continue
        try:
            thick = body.folded.thickness if body.folded is not None else plate_of(body).thickness
        except ValueError:
            continue
        cut.setdefault(machine.name, []).append((name, machine, thick))
    findings = []
    for called, parts in cut.items():
        title = f"The kerf of {called} is known"
        wrong = [(n, why) for n, m, t in parts if (why := unknown_kerf(m, built.made_of[n], t))]
        if wrong:
            findings.append(
                Finding(title, False, wrong[0][1], MEASURE_KERF, False, "part", wrong[0][0])
            )
        else:
            kinds = dict.fromkeys(
                f"{built.made_of[name]} {thick:.4g} mm" for name, _, thick in parts
            )
            findings.append(Finding(title, True, ", ".join(kinds)))
    return findings


def _cutter(built: Rebuilt, name: str, body: Body) -> Process | None:
    """What cuts a part, or its blank; None where nobody has said."""
    if body.folded is None and body.blank_of is None:
        return built.view_of(name).process
    blank = built.view.cutter_of(name)
    return None if blank is None else blank.process


def _figures(design: Design, built: Rebuilt) -> list[Finding]:
    stated = {part.name: part.material for part in design.parts if part.material}
    findings = []
    for machine, bodies in built.by_machine():
        mine = {name: stated[name] for name in bodies if name in stated}
        if not mine or machine.kind in ("laser or knife", "folding") or machine == neutral():
            continue
        title = f"The figures of {machine.name} are those of the material"
        other = next((name for name, what in mine.items() if what != machine.material.name), "")
        if other:
            why = (
                f"The figures of {machine.name} are those of {machine.material.name}; what it does "
                f"to {mine[other]} nobody has said."
            )
            hint = f"Choose a process for {mine[other]}, or calibrate one."
            findings.append(Finding(title, False, why, hint, False, "part", other))
        else:
            findings.append(Finding(title, True, machine.material.name))
    return findings
