"""Range runs of the demos: how long 300 builds take with all processors, beside as many of the
published design one after the other on one; where that takes longer than three minutes, how many
builds there are by then.

    .venv/bin/python benchmarks/ranges.py [DEMO …]
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

from schablone.core.design import read_design
from schablone.core.design.file import write_design
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.process import neutral, shipped_processes
from schablone.core.prove import findings, seats, thin
from schablone.prover.crew import Crew
from schablone.prover.run import RangeRun
from schablone.prover.talk import Task

TOP = Path(__file__).resolve().parent.parent
BUILDS, LONGEST = 300, 180.0


def one_after_the_other(stem: str, times: int = 2) -> float:
    """How long the published design takes, s, with all checks and as it is sent, from nothing."""
    design = read_design(TOP / "demo" / f"{stem}.schablone")
    known = shipped_processes()
    process = next((one for one in known if one.name == design.process), neutral())
    best = float("inf")
    for _ in range(times):
        for looked_at in (thin._LOOKED_AT, seats._LOOKED_AT):
            looked_at.clear()  # what was found of the same part before would cost nothing
        begun, memory = time.perf_counter(), Memory()
        built = rebuild(design, design.seen("wanted", process, known), memory)
        findings(design, built)
        rebuild(design, design.seen("sent", process, known), memory)
        best = min(best, time.perf_counter() - begun)
    return best


def ranged(stem: str) -> tuple[RangeRun, float, int]:
    """A run without anything kept; how long it took, s, and how many builds were done."""
    design = read_design(TOP / "demo" / f"{stem}.schablone")
    known = shipped_processes()
    process = next((one for one in known if one.name == design.process), neutral())
    task = Task(design=write_design(design), process=process, known=known)
    run = RangeRun(task, Crew(task), BUILDS)
    begun, built = time.perf_counter(), 0

    def count(*_: object) -> None:
        nonlocal built
        built += 1

    for at in run.go(count):
        if at != "looking for causes" and time.perf_counter() - begun > LONGEST:
            run.is_stopped = True
    run.close()
    return run, time.perf_counter() - begun, built


def ranges(stems: list[str]) -> None:
    """A line for each demo."""
    stems = stems or sorted(path.stem for path in (TOP / "demo").glob("*.schablone"))
    for stem in stems:
        alone = one_after_the_other(stem)
        run, took, built = ranged(stem)
        mine = sum(not one.elsewhere for one in run.found)
        whole = "" if built >= len(run.planned) else f" (stopped; {len(run.planned)} planned)"
        print(
            f"{stem:<22} {took:7.1f} s for {built:>4} builds{whole}   one alone {alone:6.2f} s   "
            f"ratio {took / max(built, 1) / alone:5.2f}   breaks {mine}, elsewhere "
            f"{len(run.found) - mine}",
            flush=True,
        )


if __name__ == "__main__":
    ranges(sys.argv[1:])
