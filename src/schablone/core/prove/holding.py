"""Whether cut parts are held in their sheet by as many tabs as the machine is to leave."""

from __future__ import annotations

from dataclasses import replace

from ..design.rebuild import Rebuilt
from ..design.treat import cuts, tabs_of
from ..kernel.flat import NotFlat, flat_outline
from ..kernel.tabs import held
from .finding import Finding


def holding(built: Rebuilt) -> list[Finding]:
    """For each machine that leaves tabs: whether there is room for all of them around every part.
    What is not flat is told elsewhere."""
    findings = []
    for machine, bodies in built.by_machine():
        if not cuts(machine) or not machine.tabs or not bodies or not built.view.tabbed:
            continue
        title = f"{machine.tabs} tabs hold every part in its sheet"
        for name, body in bodies.items():
            try:
                regions = flat_outline(body)
            except NotFlat:
                continue
            tabs = tabs_of(replace(built.view_of(name), lens="sent"), body, built.made_of[name])
            room = min(
                (len(held(region.outer, tabs).gaps) for region in regions), default=tabs.count
            )
            if room < tabs.count:
                why = (
                    f"{name} has room for {room} where the cut can be interrupted for "
                    f"{tabs.gap:.3g} mm."
                )
                hint = "Take narrower tabs or fewer in the process, or hold it another way."
                findings.append(Finding(title, False, why, hint, False, "part", name))
                break
        else:
            findings.append(Finding(title, True, f"each {machine.tab_width:g} mm wide"))
    return findings
