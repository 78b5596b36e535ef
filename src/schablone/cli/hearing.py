"""The command that reads reports about an edition."""

from __future__ import annotations

import argparse
from dataclasses import asdict

from ..core.publish.hearing import Heard, heard
from ..core.words import sentence
from ..reader import read
from .common import FINE, PROBLEMS, WrongUse, print_json


def reports(options: argparse.Namespace) -> int:
    """Say what reports about one edition say of its design, and of machines."""
    told = [read("report", path) for path in options.files]
    about = {report.edition for report in told}
    if len(about) > 1:
        titles = sorted({report.title or "an edition without a title" for report in told})
        raise WrongUse(f"these reports are about several editions: {', '.join(titles)}.")
    summary = heard(told)
    faults = any(size.by for size in summary.sizes)
    if options.json:
        print_json(_as_data(summary))
        return PROBLEMS if faults else FINE
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
    return PROBLEMS if faults else FINE


def _as_data(summary: Heard) -> dict[str, object]:
    data = asdict(summary)
    for size in data["sizes"]:
        for name in ("mean", "around"):
            size[name] = None if size[name] != size[name] else size[name]  # JSON knows no NaN
    return {**data, "problems": []}
