"""Whether what is to be cut from sheets can be: no undercut, no slope, and pockets only where the
machine makes them."""

from __future__ import annotations

from collections.abc import Callable

from ..design.rebuild import Rebuilt
from ..design.treat import cuts
from ..kernel.figures import is_kernel_failure
from ..kernel.flat_cuts import cuts_of
from .finding import Finding


def from_a_sheet(built: Rebuilt, alive: Callable[[], bool] = lambda: True) -> list[Finding]:
    """For each machine that cuts: whether all of its parts come out of a sheet. Given up where
    ``alive`` says that nobody waits for it any more."""
    findings: list[Finding] = []
    for machine, bodies in built.by_machine():
        if not cuts(machine) or not bodies:
            continue
        title = f"Every part can be cut on {machine.name}"
        told = []
        for name, body in bodies.items():
            if not alive():
                return findings
            try:
                # What a cut leaves of upright sides is no fault of the part.
                leaning = machine.taper if built.view.lens == "expected" else 0.0
                cut = cuts_of(body, leaning)
            except Exception as error:
                if not isinstance(error, (ValueError, RuntimeError)) and not is_kernel_failure(
                    error
                ):
                    raise
                told.append((name, f"{name} is not flat", "Choose another machine for it."))
                continue
            if cut.missed:
                more = f" (and {len(cut.missed) - 1} more)" if len(cut.missed) > 1 else ""
                told.append(
                    (
                        name,
                        f"{name} has {cut.missed[0]}{more}",
                        "Change the part, or choose another machine for it.",
                    )
                )
            elif cut.pockets and machine.kind != "router":
                deep = min(pocket.depth for pocket in cut.pockets)
                what = (
                    f"{name} has a pocket {deep:.4g} mm deep, and {machine.name} cuts right through"
                )
                told.append((name, what, "Build it of two layers, or choose a router for it."))
        if told:
            place, why, hint = told[0]
            others = f"; so have {len(told) - 1} more parts" if len(told) > 1 else ""
            findings.append(Finding(title, False, f"{why}{others}.", hint, False, "part", place))
        else:
            findings.append(Finding(title, True))
    return findings
