"""Editions: a published, adjustable design as one zip file. See docs/file-format.md.

An edition that is opened is untrusted: its members are bounded in number and size before anything
is unpacked, their paths are checked, nothing is written to disk, and the manifest's hashes must
agree.
"""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from ..design.bend_table import bend_table
from ..design.file import read_design_text, write_design
from ..design.model import Design
from ..design.rebuild import Memory, Rebuilt, rebuild
from ..design.treat import as_it_lies, tabs_of
from ..files import LARGEST, read_bytes
from ..json_text import parse_json
from ..kernel.body import Body
from ..kernel.mesh import Mesh
from ..problem import Problem, SchabloneError, errors
from ..process.model import Process
from ..process.store import parse_process, write_process
from ..prove.checks import beds
from ..sketch.curves import Curve
from ..sketch.regions import Region
from ..words import say_name
from .exports import export
from .parts_list import as_csv, parts_list
from .piece import Piece
from .readme import licence_text, readme_html, readme_markdown

#: Bounds of an edition that is read.
MOST_MEMBERS = 500
LARGEST_MEMBER = 100_000_000
LARGEST_EDITION = LARGEST["edition"]

MANIFEST = "manifest.json"
DESIGN = "design.schablone"

#: Renders meshes (title, mesh) into a PNG picture.
Painter = Callable[[Sequence[Mesh]], bytes]


@dataclass(frozen=True, slots=True)
class Edition:
    """What is in an edition: its design, the processes it was tried with, and all members by
    path."""

    design: Design
    processes: tuple[Process, ...]
    members: Mapping[str, bytes] = field(repr=False)


def pieces_of(design: Design, built: Rebuilt, ending: str = "") -> list[Piece]:
    """The parts of a rebuilt design, ready for export. Where parts are made by different processes,
    those that are made by machines which take files with such an ending. For printers they lie as
    they are to lie on the bed."""
    titles = {part.name: part.title or part.name for part in design.parts}
    kinds = {
        ".dxf": ("cut", "fold"),
        ".svg": ("cut", "fold"),
        ".3mf": ("print",),
        ".stl": ("print",),
    }
    mine = [
        part
        for part in built.bodies
        if built.view_of(part).process.family in kinds.get(ending.lower(), ())
    ]
    if not built.view.own or not mine:
        mine = list(built.bodies)
    made_of = built.made_of
    down = {part.name: part.down for part in design.parts if ending.lower() in (".3mf", ".stl")}
    return [
        Piece(
            titles[name],
            as_it_lies(built.bodies[name], down.get(name, "bottom")),
            made_of[name],
            tabs_of(
                built.view.cutter_of(name) or built.view_of(name),
                built.bodies[name],
                made_of[name],
            ),
            bend_table(built, name),
            _blank_of(built.bodies[name]),
            _marks_of(built.bodies[name]),
        )
        for name in mine
    ]


def _blank_of(body: Body) -> tuple[Region, ...]:
    """The finished blank of a folded part; nothing where there is none."""
    folded = body.blank_of or body.folded
    return () if folded is None or folded.overlaps else (folded.blank.region,)


def _marks_of(body: Body) -> tuple[Curve, ...]:
    """What is engraved on the blank of a folded part."""
    folded = body.blank_of or body.folded
    return () if folded is None else tuple(m.curve for p in folded.panels for m in p.marks)


def file_name(text: str) -> str:
    """A name for a file from a title: ``Hummel Mini`` becomes ``hummel-mini``."""
    kept = "".join(c if c.isalnum() else "-" for c in text.casefold())
    return "-".join(part for part in kept.split("-") if part)[:60] or "unnamed"


def problems_before_publishing(design: Design) -> list[Problem]:
    """What keeps a design from being published, apart from what a rebuild finds."""
    found = []
    publish = design.publish
    if not publish.adjust:
        found.append(
            Problem(
                area="publish",
                what="Nothing may be adjusted yet.",
                hint="Choose at least one size that others may change.",
            )
        )
    for item in publish.adjust:
        size = design.size(item.size)
        if size is None:
            found.append(
                Problem(
                    area="publish",
                    name=item.size,
                    what=f"There is no size “{item.size}” to adjust.",
                )
            )
        elif not ((item.low or size.low) and (item.high or size.high)):
            found.append(
                Problem(
                    area="publish",
                    name=item.size,
                    what=f"“{item.size}” may be adjusted but has no limits.",
                    hint="Give it a lower and an upper limit, so that the design stays sound.",
                )
            )
    known = {size.name for size in design.sizes}
    for preset in publish.presets:
        for name in preset.sizes:
            if name not in known:
                found.append(
                    Problem(
                        area="publish",
                        name=preset.name,
                        what=f"“{preset.name}” sets “{name}”, which is no size.",
                    )
                )
    return found


def suitable(design: Design, processes: Sequence[Process]) -> list[Process]:
    """The processes that a design is something for: those of the family of its own; for one that
    names none, printers."""
    family = next(
        (process.family for process in processes if process.name == design.process), "print"
    )
    return [process for process in processes if process.family == family] or list(processes)


def make_edition(design: Design, processes: Sequence[Process], paint: Painter) -> bytes:
    """Build every preset on every process and put all into one zip. Files for a machine on whose
    bed a part does not lie are left out, with a word in the README.

    Raises:
        SchabloneError: where a preset cannot be built or nothing may be adjusted.
    """
    wrong = problems_before_publishing(design)
    if wrong:
        raise SchabloneError(*wrong)
    own = [process for process in processes if process.name in design.own_processes()]
    processes = suitable(design, processes)
    members: dict[str, bytes] = {DESIGN: write_design(design).encode("utf8")}
    memory = Memory()
    picture: bytes | None = None
    presets = design.publish.presets
    ready: list[tuple[str, str, str]] = []
    left_out: list[tuple[str, str, str]] = []
    for process in own:
        members[f"processes/{file_name(process.name)}.json"] = write_process(process).encode("utf8")
    for process in processes:
        members[f"processes/{file_name(process.name)}.json"] = write_process(process).encode("utf8")
        for preset_name, given in [(p.name, p.sizes) for p in presets] or [("As designed", {})]:
            view = design.seen("sent", process, own)
            built = rebuild(design, view, memory, given)
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
            families = {machine.family for machine, bodies in built.by_machine() if bodies}
            printed = (".3mf", ".stl") if "print" in families else ()
            flat = (".dxf", ".svg") if families - {"print"} else ()
            bent = (".pdf",) if any(bend_table(built, part) for part in built.bodies) else ()
            for ending in (*printed, *flat, *bent, ".step"):
                pieces = pieces_of(design, built, ending)
                path = f"ready/{file_name(process.name)}/{file_name(preset_name)}{ending}"
                members[path] = export(pieces, path)
                ready.append((preset_name, process.name, path))
    wanted = rebuild(design, design.seen("wanted", processes[0], own), memory)
    picture = paint([body.mesh(0.05) for body in wanted.bodies.values()])
    members["picture.png"] = picture
    parts = parts_list(design, wanted)
    if len(parts) > 1:
        members["parts.csv"] = as_csv(parts).encode("utf8")
    told = design, processes, ready, left_out, wanted.table, parts
    members["README.md"] = readme_markdown(*told).encode("utf8")
    members["README.html"] = readme_html(*told).encode("utf8")
    members["LICENCE.txt"] = licence_text(design).encode("utf8")
    members[MANIFEST] = _manifest(design, members)
    return _zip(members)


def _manifest(design: Design, members: Mapping[str, bytes]) -> bytes:
    listed = {
        path: {"sha256": hashlib.sha256(data).hexdigest(), "bytes": len(data)}
        for path, data in sorted(members.items())
    }
    data = {
        "format": "schablone edition",
        "version": 1,
        "title": design.publish.title or design.name,
        "licence": design.publish.licence,
        "files": listed,
    }
    return (json.dumps(data, indent=2, ensure_ascii=False) + "\n").encode("utf8")


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


def _refuse(origin: str, what: str) -> SchabloneError:
    return SchabloneError(
        Problem(
            area="file",
            name=origin,
            what=f"{origin} is not opened: {what}.",
            hint="Get it again from where it came from.",
        )
    )


def read_edition(path: Path) -> Edition:
    """Open an edition.

    Raises:
        SchabloneError: where it is no edition, is damaged, or is built to do harm.
    """
    return read_edition_bytes(read_bytes(path, LARGEST_EDITION), path.name)


def read_edition_bytes(data: bytes, origin: str = "edition") -> Edition:
    """The same from bytes in memory."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            members = _members(archive, origin)
    except (zipfile.BadZipFile, EOFError, zipfile.LargeZipFile):
        raise _refuse(origin, "it is no edition, or it is cut off") from None
    except (NotImplementedError, RuntimeError, OSError, ValueError):
        raise _refuse(origin, "it is damaged or packed in a way that is not read here") from None
    if MANIFEST not in members or DESIGN not in members:
        raise _refuse(origin, "it has no manifest or no design, so it is no edition")
    _check_manifest(members, origin)
    design = read_design_text(members[DESIGN].decode("utf8", "replace"), f"{origin}: {DESIGN}")
    processes = tuple(
        parse_process(content.decode("utf8", "replace"), f"{origin}: {name}")
        for name, content in sorted(members.items())
        if name.startswith("processes/") and name.endswith(".json")
    )
    wrong = problems_before_publishing(design)
    if wrong:
        raise SchabloneError(*wrong)
    return Edition(design, processes, members)


def _members(archive: zipfile.ZipFile, origin: str) -> dict[str, bytes]:
    infos = archive.infolist()
    if len(infos) > MOST_MEMBERS:
        raise _refuse(origin, f"it has {len(infos)} members; {MOST_MEMBERS} are the most")
    total = 0
    for info in infos:
        path = PurePosixPath(info.filename)
        if (
            not info.filename
            or path.is_absolute()
            or ".." in path.parts
            or "\\" in info.filename
            or ":" in info.filename
        ):
            raise _refuse(origin, f"its member “{info.filename[:80]}” points outside of it")
        if info.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
            raise _refuse(
                origin,
                f"its member “{info.filename[:80]}” is packed in a way that editions are not",
            )
        if info.file_size > LARGEST_MEMBER:
            raise _refuse(
                origin,
                f"its member “{info.filename[:80]}” would be {info.file_size / 1e6:,.0f} MB large",
            )
        total += info.file_size
    if total > LARGEST_EDITION:
        raise _refuse(origin, f"it would be {total / 1e6:,.0f} MB large")
    members: dict[str, bytes] = {}
    for info in infos:
        if info.is_dir():
            continue
        if info.filename in members:
            raise _refuse(origin, f"it has two members called “{info.filename[:80]}”")
        try:
            with archive.open(info) as file:
                # The size in the directory may lie; reading stops one byte past it.
                content = file.read(info.file_size + 1)
        except (zlib.error, zipfile.BadZipFile, RuntimeError, EOFError) as error:
            raise _refuse(origin, f"its member “{info.filename[:80]}” is damaged") from error
        if len(content) != info.file_size:
            raise _refuse(origin, f"its member “{info.filename[:80]}” is not as large as it says")
        members[info.filename] = content
    return members


def _check_manifest(members: Mapping[str, bytes], origin: str) -> None:
    try:
        manifest = parse_json(members[MANIFEST].decode("utf8"), MANIFEST, meant="manifest")
        listed = dict(manifest["files"])
        kind, version = manifest["format"], manifest["version"]
        hashes = {path: str(entry["sha256"]) for path, entry in listed.items()}
    except (ValueError, KeyError, TypeError, AttributeError, SchabloneError):
        raise _refuse(origin, "its manifest cannot be read") from None
    if kind != "schablone edition" or version != 1:
        raise _refuse(origin, "it was made by a newer Schablone, or is no edition")
    for path in sorted((set(members) - {MANIFEST}) ^ set(hashes)):
        raise _refuse(
            origin,
            f"“{path[:80]}” is {'not in its manifest' if path in members else 'missing from it'}",
        )
    for path, digest in hashes.items():
        if hashlib.sha256(members[path]).hexdigest() != digest:
            raise _refuse(origin, f"“{path[:80]}” was changed after it was published")


def as_given(design: Design, values: Mapping[str, str]) -> dict[str, str]:
    """Formulas for a rebuild from what a person set in the adjust window: only what may be
    adjusted."""
    allowed = {item.size for item in design.publish.adjust}
    return {name: formula for name, formula in values.items() if name in allowed}


def with_edition_limits(design: Design) -> Design:
    """The design with the edition's narrower limits and labels put onto its sizes."""
    sizes = list(design.sizes)
    for item in design.publish.adjust:
        for i, size in enumerate(sizes):
            if size.name == item.size:
                sizes[i] = size.with_(low=item.low or size.low, high=item.high or size.high)
    return design.model_copy(update={"sizes": tuple(sizes)})
