"""The command that reads reports about an edition."""

from __future__ import annotations

import argparse
from dataclasses import asdict

from ..core.publish.hearing import Heard, by_edition, heard
from ..core.words import sentence
from ..reader import read
from .common import FINE, PROBLEMS, WrongUse, print_json


def reports(options: argparse.Namespace) -> int:
    """Say what reports about one design say of it, and of machines, edition by edition."""
    told = [read("report", path) for path in options.files]
    about = {report.edition for report in told}
    if len(about) > 1:
        titles = sorted({report.title or "an edition without a title" for report in told})
        raise WrongUse(f"these reports are about several editions: {', '.join(titles)}.")
    editions = {number: heard(mine) for number, mine in by_edition(told).items()}
    latest = next(iter(editions.values()))
    faults = any(size.by for size in latest.sizes)
    if options.json:
        (number, summary), *earlier = editions.items()
        before = {one or "none": _as_data(said) for one, said in earlier}
        print_json({"edition": number, **_as_data(summary), "earlier": before, "problems": []})
        return PROBLEMS if faults else FINE
    for number, summary in editions.items():
        if len(editions) > 1:
            print(f"\nEdition {number}" if number else "\nNo edition named")
        _say(summary)
    return PROBLEMS if faults else FINE


def _say(summary: Heard) -> None:
    yes, almost, no = summary.fits
    print(f"{summary.reports} makes: {yes} fit, {almost} almost, {no} not")
    right, of = summary.as_meant
    if of:
        print(f"{right} of {of} sizes with a tolerance or a fit came out as they are meant")
    for size in summary.sizes:
        print(f"{size.label}: {sentence(size.says)}")
    for machine in summary.machines:
        if machine.says:
            print(f"{machine.name}: {sentence(machine.says)}")


def _as_data(summary: Heard) -> dict[str, object]:
    data = asdict(summary)
    for size in data["sizes"]:
        for name in ("mean", "around"):
            size[name] = None if size[name] != size[name] else size[name]  # JSON knows no NaN
    return data
