"""Commands that make something: builds with their files, editions, new designs, process files."""

from __future__ import annotations

import argparse
import datetime
import json
import sys
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ..core.design import Design, save_design, write_design
from ..core.design.edit import choose_row
from ..core.design.file import SUFFIX
from ..core.design.lens_table import machines_of, seen_through
from ..core.design.measures import measures_of
from ..core.design.rebuild import Rebuilt, rebuild
from ..core.design.sheet_by_hand import with_sheet
from ..core.problem import Problem, SchabloneError, errors
from ..core.process import Lens, Process, shipped_processes
from ..core.process.store import write_process
from ..core.prove.ranges.result import say_proof
from ..core.publish.drawing_sheet import drawing_pages, sheet_file
from ..core.publish.exports import FORMATS, export
from ..core.publish.life import next_edition, recorded
from ..core.publish.names import file_names
from ..core.publish.pieces import pieces_of
from ..core.quantity import plain
from ..core.whole_files import write_whole
from ..core.words import say_validation
from ..prover.kept import usual_place
from ..prover.results import kept_result
from ..prover.talk import Task
from ..reader import read
from .common import (
    FINE,
    PROBLEMS,
    WrongUse,
    as_data,
    each_file,
    given_by,
    opened,
    print_json,
    print_problems,
    process_of,
    values_said,
)

#: Files that go to a machine: they hold what it is sent, unless another lens is asked for.
FOR_MACHINES = (".stl", ".3mf", ".dxf", ".svg", ".pdf")


def build(options: argparse.Namespace) -> int:
    """Build designs, and write files of them."""
    for output in options.output:
        if output.suffix.lower() not in FORMATS:
            raise WrongUse(
                f"“{output.suffix or output}” is no format that is written here; use "
                f"{', '.join(FORMATS)}."
            )
    several = len(options.files) > 1 or options.all_variants
    if several and options.variant and options.all_variants:
        raise WrongUse("--variant and --all-variants do not go together.")

    def one(file: Path) -> tuple[int, Any]:
        design, process, known = opened(file, options)
        if not options.all_variants:
            return _one(
                options, design, process, known, f"-{file.stem}" if len(options.files) > 1 else ""
            )
        if not design.table.rows:
            raise WrongUse(f"“{file}” has no size table.")
        worst, told = FINE, {}
        called = file_names(row.name for row in design.table.rows)
        for row in design.table.rows:
            if not options.json:
                print(f"{row.name}:")
            stem = f"-{file.stem}" if len(options.files) > 1 else ""
            code, data = _one(
                options,
                choose_row(design, row.name),
                process,
                known,
                f"{stem}-{called[row.name]}",
            )
            worst, told[row.name] = max(worst, code), data
        return worst, {"variants": told, "problems": []}

    return each_file(options, one)


def drawing_sheet(options: argparse.Namespace) -> int:
    """Draw the parts of a design on a sheet."""
    design, process, known = opened(options.file, options)
    asked: dict[str, Any] = {
        name: value
        for name in ("paper", "scale", "angle")
        if (value := getattr(options, name)) is not None
    }
    if options.cut:
        cuts = [text.partition("=") for text in options.cut]
        asked["cuts"] = [{"across": axis.strip(), "at": at.strip()} for axis, _, at in cuts]
    try:
        design = with_sheet(design, **asked)
    except ValidationError as error:
        raise SchabloneError(*say_validation(error, "publish", "drawing sheet")) from None
    view = design.seen("wanted", process, known)
    built = rebuild(design, view, given=given_by(options, design))
    if errors(built.problems):
        raise SchabloneError(*built.problems)
    pages = drawing_pages(design, built)
    write_whole(options.output, sheet_file(pages, options.output.name))
    told_of = [
        {
            "part": page.part,
            "scale": page.scale,
            "views": [view.name for view in page.views],
            "dimensions": [one.size for one in page.dimensions],
            "listed": list(page.listed),
        }
        for page in pages
    ]
    if options.json:
        print_json({"file": str(options.output), "pages": told_of, "problems": []})
    else:
        print(f"wrote {options.output}: {len(pages)} {'page' if len(pages) == 1 else 'pages'}")
    return FINE


def _one(
    options: argparse.Namespace,
    design: Design,
    process: Process,
    known: tuple[Process, ...],
    suffix: str,
) -> tuple[int, Any]:
    """Build one design, report it through the lens asked for, and write its files."""
    given = given_by(options, design)
    lens: Lens = options.lens or "wanted"
    built = {lens: rebuild(design, design.seen(lens, process, known), given=given)}
    problems = list(built[lens].problems)
    parts = parts_of(built[lens])
    for part in parts:
        if not part["valid"]:
            problems.append(
                Problem(area="part", name=part["name"], what="The kernel finds this solid faulty.")
            )
    written: list[str] = []
    for output in options.output:
        mine: Lens = options.lens or ("sent" if output.suffix.lower() in FOR_MACHINES else "wanted")
        if mine not in built:
            built[mine] = rebuild(design, design.seen(mine, process, known), given=given)
            problems = list(dict.fromkeys([*problems, *built[mine].problems]))
    if options.output and not errors(problems):
        for output in options.output:
            mine = options.lens or ("sent" if output.suffix.lower() in FOR_MACHINES else "wanted")
            target = output.with_name(f"{output.stem}{suffix}{output.suffix}") if suffix else output
            write_whole(target, export(pieces_of(design, built[mine], output.suffix), target.name))
            written.append(str(target))
            if not options.json:
                print(f"wrote {target}, {_SAYS[mine].format(process.name)}")
    seen = built[lens]
    sizes = {
        name: values_said(values)
        for name, values in seen_through(
            design, measures_of(design, seen), seen.view, seen.table, machines_of(seen)
        ).items()
    }
    if not options.json:
        for part in parts:
            low, high = part["bounds"]
            box = " × ".join(plain(b - a, 3) for a, b in zip(low, high, strict=True))
            print(
                f"{part['name']}: {plain(part['volume'], 2)} mm³, "
                f"{plain(part['area'], 2)} mm², {box} mm, "
                f"{part['faces']} faces, {part['edges']} edges"
            )
        print_problems(problems)
    if options.output and not written:
        print("schablone: nothing was written, because the design has problems.", file=sys.stderr)
    data = {
        "lens": lens,
        "process": process.name,
        "parts": parts,
        "sizes": sizes,
        "problems": [as_data(p) for p in problems],
        "written": written,
    }
    return PROBLEMS if errors(problems) else FINE, data


_SAYS = {
    "wanted": "as it is wanted",
    "sent": "as it is sent to {}",
    "expected": "as it should come off {}",
}


def parts_of(built: Rebuilt) -> list[dict[str, Any]]:
    """Figures of each part, measured on the kernel's solid; of what is stretched, on the solid
    before that."""
    parts = []
    for name, body in built.bodies.items():
        if body.meshed is not None:
            figures = body.figures()
            faces, edges = len(body.meshed.names), len(body.mesh().edges)
        else:
            solid = body.drawn()
            figures = solid.figures if body.stretched is None else body.figures()
            faces, edges = solid.counts()
        parts.append(
            {
                "name": name,
                "volume": figures.volume,
                "area": figures.area,
                "bounds": [list(corner) for corner in figures.bounds],
                "valid": body.holds_as_a_solid(),
                "faces": faces,
                "edges": edges,
            }
        )
    return parts


def publish(options: argparse.Namespace) -> int:
    """Write an edition of a design."""
    from ..app.view3d.picture import paint_parts
    from ..core.design.offered import suitable
    from ..core.editions import make_edition  # what lays parts takes long to load

    design, process, known = opened(options.file, options)
    tried = (
        [process]
        if options.process
        else [process, *(p for p in shipped_processes() if p.name != process.name)]
    )
    tried += [p for p in known if p.name in design.own_processes() and p not in tried]
    tried = suitable(design, tried)
    day = options.date or datetime.date.today().isoformat()
    published, coming = next_edition(design, process, known, day)
    task = Task(design=write_design(design), process=process, known=known, kept=str(usual_place()))
    data = make_edition(published, tried, paint_parts, say_proof(kept_result(task)))
    write_whole(options.output, data)
    kept = not options.trial and options.file.suffix.lower() == SUFFIX
    if kept and published is not design:
        # What the options said of the machine or the variant is not the design's.
        save_design(recorded(read("design", options.file), published), options.file)
    record = published.publish.history[-1]
    if options.json:
        print_json(
            {
                "written": str(options.output),
                "bytes": len(data),
                "edition": record.number,
                "is_new": coming.is_new,
                "breaks": list(coming.breaks),
                "changed": record.changed.splitlines(),
                "processes": [p.name for p in tried],
                "problems": [],
            }
        )
    else:
        print(
            f"wrote {options.output}, {len(data):,} bytes, tried with "
            f"{', '.join(p.name for p in tried)}"
        )
        print(f"edition {record.number}{'' if coming.is_new else ', as before: nothing changed'}")
        for why in coming.breaks:
            print(f"saved choices may not fit: {why}")
        for line in record.changed.splitlines() if coming.is_new else ():
            print(f"changed: {line}")
    return FINE


def new(options: argparse.Namespace) -> int:
    if options.file.exists():
        raise WrongUse(f"{options.file} is there already; choose another name.")
    design = Design(name=options.name or options.file.stem.replace("_", " ").replace("-", " "))
    save_design(design, options.file)
    if options.json:
        print_json(
            {
                "written": str(options.file),
                "design": json.loads(write_design(design)),
                "problems": [],
            }
        )
    else:
        print(f"wrote {options.file}")
    return FINE


def processes(options: argparse.Namespace) -> int:
    if options.write:
        name, path = options.write
        write_whole(Path(path), write_process(process_of(name)).encode("utf8"))
        print(f"wrote {path}") if not options.json else print_json({"written": path})
        return FINE
    if options.json:
        print_json(
            {"processes": [process.model_dump(mode="json") for process in shipped_processes()]}
        )
    else:
        for process in shipped_processes():
            print(
                f"{process.name}: {process.kind}, shrinks {process.shrinkage_xy:g} % in x/y, "
                f"{process.shrinkage_z:g} % in z, "
                f"holes {process.hole_gain:+g} mm, outsides {process.peg_gain:+g} mm"
            )
    return FINE
