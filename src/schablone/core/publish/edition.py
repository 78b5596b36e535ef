"""Editions: a published, adjustable design as one zip file. See docs/file-format.md.

An edition that is opened is untrusted: its members are bounded in number and size before anything
is unpacked, their paths are checked, nothing is written to disk, and the manifest's hashes must
agree.
"""

from __future__ import annotations

import hashlib
import io
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from ..design.file import read_design_text
from ..design.model import Design
from ..design.offered import without_limits
from ..files import LARGEST, read_bytes
from ..json_text import parse_json
from ..problem import Problem, SchabloneError
from ..process.model import Process
from ..process.store import parse_process
from .life import problems_of_life
from .names import file_name

#: Bounds of an edition that is read.
MOST_MEMBERS = 500
LARGEST_MEMBER = 100_000_000
LARGEST_EDITION = LARGEST["edition"]

MANIFEST = "manifest.json"
DESIGN = "design.schablone"


@dataclass(frozen=True, slots=True)
class Edition:
    """What is in an edition: its design, the processes it was tried with, and all members by
    path."""

    design: Design
    processes: tuple[Process, ...]
    members: Mapping[str, bytes] = field(repr=False)


def problems_before_publishing(design: Design) -> list[Problem]:
    """What keeps a design from being published, apart from what a rebuild finds."""
    problems: list[Problem] = []
    publish = design.publish

    def wrong(name: str, what: str, hint: str = "") -> None:
        problems.append(Problem(area="publish", name=name, what=what, hint=hint))

    if not publish.adjust:
        wrong(
            "", "Nothing may be adjusted yet.", "Choose at least one size that others may change."
        )
    unlimited = without_limits(design)
    for item in publish.adjust:
        if design.size(item.size) is None:
            wrong(item.size, f"There is no size “{item.size}” to adjust.")
        elif item.size in unlimited:
            hint = "Give it a lower and an upper limit, so that the design stays sound."
            wrong(item.size, f"“{item.size}” may be adjusted but has no limits.", hint)
    known = {size.name for size in design.sizes}
    adjusted = {item.size for item in publish.adjust}
    stems: dict[str, str] = {}
    for preset in publish.presets:
        stem = file_name(preset.name)
        other, stems[stem] = stems.get(stem), preset.name
        if other is not None:
            what = f"The ready-made sizes “{other}” and “{preset.name}” would be one file."
            wrong(preset.name, what, "Give one of them another name.")
        for name in preset.sizes:
            sets = f"“{preset.name}” sets “{name}”"
            if name not in known:
                wrong(preset.name, f"{sets}, which is no size.")
            elif name not in adjusted:
                # Its files would not be what somebody gets who chooses it.
                hint = f"Let others adjust “{name}”, or make the ready-made size anew."
                wrong(preset.name, f"{sets}, which others may not adjust.", hint)
    return [*problems, *problems_of_life(publish)]


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
