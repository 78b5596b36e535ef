"""Writes an edition: every ready-made size on every machine, pictures, the page, the licence."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress

from ..design.file import write_design
from ..design.model import Design
from ..design.offered import suitable, with_edition_limits
from ..design.rebuild import Memory, rebuild
from ..problem import Problem, SchabloneError, errors
from ..process.model import Process
from ..process.store import write_process
from ..prove.checks import beds
from ..publish.drawing_sheet import drawing_pages, sheet_file
from ..publish.edition import DESIGN, MANIFEST, problems_before_publishing
from ..publish.names import file_name
from ..publish.page import page_html
from ..publish.page.gather import Painter, gathered
from ..publish.parts_list import as_csv, parts_list
from ..publish.readme import AS_DESIGNED, DRAWING, Told, licence_text, readme_markdown
from ..words import say_name
from .ready import plans_of, ready_files

#: Told what is worked at, how much of the whole is done, and how much it is.
Progress = Callable[[str, int, int], None]


def make_edition(
    design: Design,
    processes: Sequence[Process],
    paint: Painter,
    proof: str = "",
    at: Progress = lambda what, done, of: None,
) -> bytes:
    """Build every preset on every process and put all into one zip. Files for a machine on whose
    bed a part does not lie are left out, with a word in the README. ``proof`` says there how the
    design was proved. Its number is that of the last record of the design (see
    :func:`~schablone.core.publish.life.with_edition`). ``at`` hears how far it is. The same design
    gives the same bytes.

    Raises:
        SchabloneError: where a preset cannot be built or nothing may be adjusted.
    """
    wrong = problems_before_publishing(design)
    if wrong:
        raise SchabloneError(*wrong)
    own = [process for process in processes if process.name in design.own_processes()]
    processes = suitable(design, processes)
    _refuse_one_file([*own, *processes])
    members: dict[str, bytes] = {DESIGN: write_design(_as_passed_on(design)).encode("utf8")}
    memory = Memory()
    sizes = [(p.name, p.sizes) for p in design.publish.presets] or [(AS_DESIGNED, {})]
    whole = len(processes) * len(sizes) + 1
    ready: list[tuple[str, str, str]] = []
    left_out: list[tuple[str, str, str]] = []
    for process in own:
        members[f"processes/{file_name(process.name)}.json"] = write_process(process).encode("utf8")
    done, limited = 0, with_edition_limits(design)
    for process in processes:
        members[f"processes/{file_name(process.name)}.json"] = write_process(process).encode("utf8")
        for preset_name, given in sizes:
            at(f"{preset_name} on {process.name}", done, whole)
            done += 1
            view = limited.seen("sent", process, own)
            built = rebuild(limited, view, memory, given)
            bad = errors(built.problems) or tuple(p for p in built.problems if p.severity == "note")
            if bad or not built.bodies:
                first = bad[0] if bad else Problem(area="design", what="It makes no part.")
                raise SchabloneError(
                    Problem(
                        area="publish",
                        name=preset_name,
                        what=f"“{preset_name}” on {process.name} cannot be published: "
                        f"{first.place}: {first.what}",
                        hint=first.hint,
                    )
                )
            small = next((finding for finding in beds(built) if not finding.holds), None)
            if small is not None:
                left_out.append(
                    (preset_name, process.name, f"{say_name(small.place)} is {small.why}")
                )
                continue
            try:
                plans = plans_of(design, built)
            except SchabloneError as error:
                left_out.append((preset_name, process.name, error.problems[0].what.rstrip(".")))
                continue
            files = ready_files(design, built, process, preset_name, plans)
            if not members.keys().isdisjoint(files):
                raise _one_file(preset_name, "another ready-made size")
            members |= files
            ready += [(preset_name, process.name, path) for path in files]
    at("the page and its pictures", done, whole)
    wanted = rebuild(design, design.seen("wanted", processes[0], own), memory)
    parts = parts_list(design, wanted)
    if len(parts) > 1:
        members["parts.csv"] = as_csv(parts).encode("utf8")
    with suppress(SchabloneError):  # a cut through nothing, say: told where the sheet is made
        members[DRAWING] = sheet_file(drawing_pages(design, wanted), DRAWING)
    told = Told(
        design, processes, ready, left_out, wanted.table, parts, proof, own, DRAWING in members
    )
    members["README.md"] = readme_markdown(told).encode("utf8")
    page = gathered(told, wanted, own, memory, paint)
    members["picture.png"] = page.main
    members["parts.glb"] = page.parts
    members["README.html"] = page_html(page).encode("utf8")
    members["LICENCE.txt"] = licence_text(design).encode("utf8")
    members[MANIFEST] = _manifest(design, members)
    return _zip(members)


def _refuse_one_file(processes: Sequence[Process]) -> None:
    """Raise an error where files for one machine would lie where those for another do."""
    stems: dict[str, str] = {}
    for process in processes:
        other = stems.setdefault(file_name(process.name), process.name)
        if other != process.name:
            raise _one_file(process.name, f"“{other}”")


def _one_file(name: str, other: str) -> SchabloneError:
    return SchabloneError(
        Problem(
            area="publish",
            name=name,
            what=f"Files of “{name}” would be called as those of {other}.",
            hint="Give one of them another name.",
        )
    )


def _as_passed_on(design: Design) -> Design:
    """The design as it stands in its edition: that it holds what it was in the last one, itself,
    helps its author only."""
    publish = design.publish.model_copy(
        update={"last": None, "next_number": "", "next_changed": ""}
    )
    return design.model_copy(update={"publish": publish})


def _manifest(design: Design, members: Mapping[str, bytes]) -> bytes:
    listed = {
        path: {"sha256": hashlib.sha256(data).hexdigest(), "bytes": len(data)}
        for path, data in sorted(members.items())
    }
    data = {
        "format": "schablone edition",
        "version": 1,
        "title": design.title,
        "licence": design.publish.licence,
        **_life_of(design),
        "files": listed,
    }
    return (json.dumps(data, indent=2, ensure_ascii=False) + "\n").encode("utf8")


def _life_of(design: Design) -> dict[str, str]:
    publish = design.publish
    latest = publish.latest
    if latest is None:
        return {}
    return {"id": publish.id, "edition": latest.number, "date": latest.date}


def _zip(members: Mapping[str, bytes]) -> bytes:
    """The members, the manifest first, with one fixed date, which says nothing about the author's
    day."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in sorted(members, key=lambda path: (path != MANIFEST, path)):
            info = zipfile.ZipInfo(path, (2000, 1, 1, 0, 0, 0))
            info.compress_type = zipfile.ZIP_DEFLATED
            info.external_attr = 0o644 << 16
            archive.writestr(info, members[path])
    return buffer.getvalue()
