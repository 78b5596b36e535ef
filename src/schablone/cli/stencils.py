"""Stencils on the command line: the shelf, files of them, and unpacking one in a design."""

from __future__ import annotations

import argparse
from pathlib import Path

from ..core.design.stencil_edit import unpacked
from ..core.design.text import plain_sentence, title_of
from ..core.formula import FormulaError
from ..core.problem import Problem, SchabloneError
from ..core.reuse import Stencil, stencils_on_the_shelf, write_stencil
from ..core.whole_files import write_whole
from ..reader import read
from .common import FINE, print_json


def stencils(options: argparse.Namespace) -> int:
    """The stencils that ship, or those of files, with what each asks for."""
    listed: list[Stencil] = (
        [read("stencil", path) for path in options.files]
        if options.files
        else list(stencils_on_the_shelf())
    )
    if options.write:
        name, path = options.write
        one = next((s for s in listed if name in (s.name, s.said)), None)
        if one is None:
            raise SchabloneError(
                Problem(
                    area="file",
                    name=name,
                    what=f"There is no stencil “{name}” here.",
                    hint=f"There are: {', '.join(s.name for s in listed)}.",
                )
            )
        write_whole(Path(path), write_stencil(one).encode("utf8"))
        print_json({"written": path}) if options.json else print(f"wrote {path}")
        return FINE
    if options.json:
        print_json({"stencils": [s.model_dump(mode="json") for s in listed]})
        return FINE
    for stencil in listed:
        print(f"{stencil.name}: {stencil.said}, edition {stencil.edition}")
        for size in stencil.open_sizes:
            print(f"    {size.name} = {size.formula}{f'   {size.note}' if size.note else ''}")
        if options.files:
            for step in stencil.steps:
                print(f"    {title_of(step.name)}: {plain_sentence(step)}")
    return FINE


def unpack(options: argparse.Namespace) -> int:
    """A design with plain steps for one that puts a stencil in."""
    from ..core.design import save_design

    design = read("design", options.file)
    try:
        plain = unpacked(design, options.step)
    except FormulaError as error:
        raise SchabloneError(
            Problem(area="step", name=options.step, what=error.what, hint=error.hint or "")
        ) from None
    save_design(plain, options.output)
    if options.json:
        print_json({"written": str(options.output)})
    else:
        print(f"wrote {options.output}")
    return FINE
