"""Commands that prove a design over its whole range."""

from __future__ import annotations

import argparse
import sys
import time

from ..apart.copies import Original
from ..core.design.file import write_design
from ..core.problem import Problem, SchabloneError
from ..core.prove.ranges.result import (
    found_as_data,
    say_builds,
    say_cause,
    say_edges,
    say_mend,
    say_unsure,
    verdict,
)
from ..prover.errands import Builders
from ..prover.kept import usual_place
from ..prover.run import RangeRun
from ..prover.talk import Task
from .common import FINE, PROBLEMS, opened, print_json


def prove(options: argparse.Namespace) -> int:
    """Build a design over its whole range, and say what breaks. What was found before is not built
    again."""
    design, process, known = opened(options.file, options)
    kept = "" if options.fresh else str(options.kept or usual_place())
    task = Task(design=write_design(design), process=process, known=known, kept=kept)
    run = RangeRun(task, _crew(task, options), options.builds)
    begun, shown, done = time.monotonic(), 0.0, 0

    def told(_: object, outcome: object) -> None:
        nonlocal done
        done += 1

    try:
        for at in run.go(told):
            now = time.monotonic()
            if options.minutes and now - begun > 60 * options.minutes:
                run.is_stopped = True
            if not options.json and now - shown > 1.0 and sys.stderr.isatty():
                shown = now
                of = f" {done} of {len(run.planned)}" if at == "building" else ""
                print(f"\r{at}{of} …   ", end="", file=sys.stderr, flush=True)
        if not options.json and sys.stderr.isatty():
            print("\r", end="", file=sys.stderr)
    except KeyboardInterrupt:
        print("\nStopped; what was built is kept, and is not built again.", file=sys.stderr)
        return PROBLEMS
    finally:
        run.close()
    if options.json:
        print_json(_as_data(run))
    else:
        _print(run)
    return PROBLEMS if any(not one.elsewhere for one in run.found) else FINE


def _crew(task: Task, options: argparse.Namespace) -> Builders:
    if not options.cluster:
        from ..prover.builder import serve
        from ..prover.crew import Crew

        return Crew(task, options.hands, Original.copied(serve))
    try:
        from ..prover.cluster import Cluster
    except ImportError:
        raise SchabloneError(
            Problem(
                area="file",
                what="What it takes to work on a cluster is not installed.",
                hint="Install schablone[cluster].",
            )
        ) from None
    return Cluster(task, options.cluster)


def _print(run: RangeRun) -> None:
    allowed = run.allowed
    for name, (done, failing) in verdict(allowed, run.planned, run.errands.seen).items():
        if done:
            print(f"{name}: {done} builds, {'all hold' if not failing else f'{failing} fail'}")
    for note in (*run.notes, *say_unsure(run.planned, run.errands.seen)):
        print(f"note: {note}")
    for one in run.found:
        cause = one.cause
        print(f"\n{'elsewhere' if one.elsewhere else 'BREAKS'}: {say_cause(allowed, cause)}")
        print(f"  {cause.failure.check}: {cause.failure.why} {cause.failure.hint}".rstrip())
        print(f"  {say_builds(one.builds)} {say_edges(allowed, cause)}".rstrip())
        if one.mend is not None:
            print(f"  would rule it out: {say_mend(allowed, one.mend)}")


def _as_data(run: RangeRun) -> dict[str, object]:
    counted = verdict(run.allowed, run.planned, run.errands.seen)
    return {
        "machines": {
            name: {"builds": done, "failing": failing} for name, (done, failing) in counted.items()
        },
        "planned": len(run.planned),
        "notes": [*run.notes, *say_unsure(run.planned, run.errands.seen)],
        "breaks": [found_as_data(run.allowed, one) for one in run.found],
    }
