"""All that is read from outside, kind by kind: how it is read, how much it may cost, who writes it.

The table in docs/trust.md is written from this one.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from ..core.files import LARGEST
from ..core.problem import Problem, SchabloneError

#: Reads what a file holds: its bytes, its name in words, and what else is said with the wish.
Reads = Callable[[bytes, str, Any], Any]


@dataclass(frozen=True, slots=True)
class Input:
    """A kind of file. ``largest`` bytes of it are read, with at most ``memory`` MB on top of what
    the program takes anyway, and ``seconds`` of processor time; ``written_by`` says whose text it
    is."""

    name: str
    said: str
    largest: int
    memory: int
    seconds: int
    written_by: str
    read: Reads
    #: The module that what it holds is made of: who asks needs it, too.
    values: str


def _text(data: bytes, name: str) -> str:
    from ..core.files import text_of

    return text_of(data, name)


def _design(data: bytes, name: str, _: Any) -> Any:
    from ..core.design import read_design_text

    return read_design_text(_text(data, name), name)


def _edition(data: bytes, name: str, _: Any) -> Any:
    from ..core.publish.edition import read_edition_bytes

    return read_edition_bytes(data, name)


def _process(data: bytes, name: str, _: Any) -> Any:
    from ..core.process.store import parse_process

    return parse_process(_text(data, name), name)


def _bought(data: bytes, name: str, _: Any) -> Any:
    from ..core.bought import parse_bought

    return parse_bought(_text(data, name), name)


def _stencil(data: bytes, name: str, _: Any) -> Any:
    from ..core.reuse import parse_stencil

    return parse_stencil(_text(data, name), name)


def _choice(data: bytes, name: str, _: Any) -> Any:
    from ..core.publish.choices import parse_choice

    return parse_choice(_text(data, name), name)


def _report(data: bytes, name: str, _: Any) -> Any:
    from ..core.publish.reports import parse_report

    return parse_report(_text(data, name), name)


def _solid(data: bytes, name: str, _: Any) -> str:
    """A STEP file as it is kept in a design; the kernel looks at it where solids are built."""
    from ..core.packed import packed

    if not data.lstrip().startswith(b"ISO-10303-21"):
        raise _wrong(name, f"{name} is no STEP file.")
    return packed(data)


def _mesh(data: bytes, name: str, _: Any) -> tuple[str, str]:
    """A mesh as it is kept in a design, a solid or a free form, with what was found in words."""
    from ..core.packed import packed
    from ..core.solids.from_mesh import part_of_mesh
    from ..core.solids.mesh_in import NotAMesh

    try:
        part = _whole(name, lambda: part_of_mesh(data, name))
    except NotAMesh as error:
        hint = "Import it as STEP, where its program writes that."
        raise _wrong(name, str(error), hint) from None
    return packed(part.data), part.words


def _description(data: bytes, name: str, _: Any) -> Any:
    """What a solid is like, for who must not load the kernel."""
    from ..core.kernel.occ.reading import described

    try:
        return described(data)
    except ValueError as error:
        raise _wrong(name, str(error)) from None


def _outlines(data: bytes, name: str, onto: Any) -> Any:
    from ..core.sketch.read_dxf import read_dxf

    return _whole(name, lambda: read_dxf(data, onto))


def _table(data: bytes, name: str, design: Any) -> Any:
    from ..core.design.exchange import read_table

    return read_table(design, _text(data, name))


def _sizes(data: bytes, name: str, _: Any) -> Any:
    from ..core.design.exchange import read_sizes

    return read_sizes(_text(data, name))


def _chart(data: bytes, name: str, _: Any) -> Any:
    from ..core.process.chart_file import read_chart

    return read_chart(_text(data, name))


def _readings(data: bytes, name: str, rows: Any) -> Any:
    from ..core.process.readings_file import read_readings

    return read_readings(_text(data, name), name, rows)


def _measurable(data: bytes, name: str, _: Any) -> Any:
    from ..core.practice import features_of_file
    from ..core.practice.files import NotReadable

    try:
        return _whole(name, lambda: features_of_file(data, name))
    except NotReadable as error:
        raise _wrong(name, f"{error}.") from None


def _strips(data: bytes, name: str, _: Any) -> Any:
    from ..core.practice.folding import strips_of_file

    return _whole(name, lambda: strips_of_file(data))


def _off_cuts(data: bytes, name: str, _: Any) -> Any:
    from ..core.process.off_cuts import parse_off_cuts

    return parse_off_cuts(_text(data, name), name)


def _settings(data: bytes, name: str, _: Any) -> Any:
    from ..core.json_text import parse_json

    settings = parse_json(_text(data, name), name, meant="list of settings")
    return settings if isinstance(settings, dict) else {}


def _unsaved(data: bytes, name: str, _: Any) -> Any:
    from ..core.design.records import last_record

    return last_record(data, name)


def _whole(name: str, read: Callable[[], Any]) -> Any:
    """What a library for files of other programs reads; what it stumbles over is damaged.

    Raises:
        SchabloneError: where it stumbles.
        ValueError: where the file is none of that kind, with words.
    """
    from ..core.practice.files import NotReadable

    try:
        return read()
    except (SchabloneError, NotReadable, MemoryError):
        raise
    except Exception as error:
        what = f"{name} is damaged: its reader stumbles over it ({type(error).__name__})."
        raise _wrong(name, what, "Write it anew.") from None


def _wrong(name: str, what: str, hint: str = "") -> SchabloneError:
    return SchabloneError(Problem(area="file", name=name, what=what, hint=hint))


_SOMEBODY, _TOOLS, _OURS = "anybody", "other programs", "Schablone, on this machine"

INPUTS: Mapping[str, Input] = {
    name: Input(name, said, LARGEST[size], memory, seconds, by, read, values)
    for name, said, size, memory, seconds, by, read, values in (
        ("design", "a design (.schablone)", "design", 500, 30, _SOMEBODY,
         _design, "core.design"),
        ("edition", "an edition (.zip)", "edition", 900, 30, _SOMEBODY,
         _edition, "core.publish.edition"),
        ("process", "a process (.json)", "process", 300, 10, _SOMEBODY,
         _process, "core.process"),
        ("bought", "a bought part (.bought)", "bought", 900, 60, _SOMEBODY,
         _bought, "core.bought"),
        ("stencil", "a stencil (.stencil)", "stencil", 300, 15, _SOMEBODY,
         _stencil, "core.reuse"),
        ("choice", "a choice (.choice)", "choice", 200, 10, _SOMEBODY,
         _choice, "core.publish.choices"),
        ("report", "a report (.report)", "report", 300, 15, _SOMEBODY,
         _report, "core.publish.reports"),
        ("solid", "a solid (STEP)", "solid", 300, 30, _TOOLS,
         _solid, "core.packed"),
        ("mesh", "a mesh that becomes a solid (STL, 3MF, OBJ)", "mesh", 1200, 120, _TOOLS,
         _mesh, "core.packed"),
        ("description", "the solid of a bought part (STEP)", "solid", 900, 60, _TOOLS,
         _description, "core.kernel.frame"),
        ("outlines", "outlines for a sketch (DXF)", "outlines", 500, 30, _TOOLS,
         _outlines, "core.sketch.read_dxf"),
        ("table", "a size table (CSV)", "table", 300, 15, _TOOLS,
         _table, "core.design.exchange"),
        ("sizes", "sizes (CSV)", "table", 300, 15, _TOOLS,
         _sizes, "core.design.exchange"),
        ("chart", "a chart of bends (CSV)", "chart", 200, 10, _TOOLS,
         _chart, "core.process"),
        ("readings", "readings (CSV)", "readings", 200, 10, _TOOLS,
         _readings, "core.process"),
        ("measurable", "a file for a machine (STL, 3MF, DXF)", "made", 900, 60, _TOOLS,
         _measurable, "core.practice"),
        ("strips", "blanks for a folding machine (DXF)", "outlines", 500, 30, _TOOLS,
         _strips, "core.practice.folding"),
        ("off-cuts", "the list of off-cuts", "off-cuts", 200, 5, _OURS,
         _off_cuts, "core.process.off_cuts"),
        ("settings", "the settings", "settings", 200, 5, _OURS,
         _settings, "core.json_text"),
        ("unsaved", "the journal of unsaved work", "unsaved", 900, 30, _OURS,
         _unsaved, "core.design.records"),
    )
}  # fmt: skip


def table_in_words() -> str:
    """The table as Markdown."""
    head = "| what is read | at most | memory | processor time | who may have written it |"
    rows = [
        f"| {one.said} | {one.largest / 1e6:g} MB | {one.memory} MB | {one.seconds} s | "
        f"{one.written_by} |"
        for one in INPUTS.values()
    ]
    return "\n".join([head, "|---|---|---|---|---|", *rows])
