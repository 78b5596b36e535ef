"""The README of an edition as Markdown, and its licence. The page is another module's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..design.model import Design, EditionRecord
from ..formula.value_table import ValueTable
from ..markup import as_typed, paragraphs
from ..process.model import Process
from ..quantity import Quantity, say
from .licences import licence_in_full, licence_name, licence_words
from .parts_list import ListedPart, as_markdown

#: The drawing sheet within an edition.
DRAWING = "drawing.pdf"
#: What is made ready of a design without ready-made sizes.
AS_DESIGNED = "As designed"


@dataclass(frozen=True, slots=True)
class Told:
    """What the page of an edition tells: the design, the processes that it was tried with, the
    ready-made files as preset, process and path, those left out as preset, process and reason, the
    table of sizes as wanted, the parts, how it was proved, the processes of parts that have one of
    their own, and whether there is a drawing sheet."""

    design: Design
    processes: Sequence[Process]
    ready: Sequence[tuple[str, str, str]]
    left_out: Sequence[tuple[str, str, str]]
    table: ValueTable
    parts: Sequence[ListedPart] = ()
    proof: str = ""
    own: Sequence[Process] = ()
    is_drawn: bool = False


def readme_markdown(told: Told) -> str:
    """Title, picture, what it is for, what to measure, what may be adjusted, ready-made files and
    those that were left out with the reason, how it was proved, editions, licence."""
    design, table, parts = told.design, told.table, told.parts
    publish = design.publish
    title = design.title
    lines = [f"# {as_typed(title)}", "", f"![{as_typed(title)}](picture.png)", ""]
    if publish.latest:
        lines += [f"Edition {publish.latest.number}, {publish.latest.date}.", ""]
    if publish.summary:
        lines += [paragraphs(publish.summary), ""]
    if publish.measure_first:
        lines += ["## Before you make it", "", paragraphs(publish.measure_first), ""]
    lines += [
        "## What you can adjust",
        "",
        "| size | as published | from | to | |",
        "|---|---|---|---|---|",
    ]
    for item in publish.adjust:
        value, low, high = offered(table, item.size)
        lines.append(
            f"| {as_typed(item.label or item.size)} | {value} | {low} | {high} | "
            f"{as_typed(item.help)} |"
        )
    if told.is_drawn:
        lines += ["", f"All sizes on a drawing: [{DRAWING}]({DRAWING})."]
    lines += ["", "Open this file with Schablone to adjust it and to choose your own machine.", ""]
    if len(parts) > 1:
        lines += ["## What it takes", "", as_markdown(parts), "", "The same: parts.csv.", ""]
    lines += [
        "## Ready-made files",
        "",
        "They are corrected for the machine that they are named after.",
        "",
    ]
    lines += ["| for | machine | file |", "|---|---|---|"]
    lines += [
        f"| {as_typed(preset)} | {as_typed(process)} | [{path}]({path}) |"
        for preset, process, path in told.ready
    ]
    if told.left_out:
        lines += ["", "Not made ready, since it would not fit:", ""]
        lines += [
            f"- {as_typed(preset)} on {as_typed(process)}: {as_typed(why)}."
            for preset, process, why in told.left_out
        ]
    tried = ", ".join(as_typed(process.name) for process in told.processes)
    if told.proof:
        lines += ["", "## Proved", "", as_typed(told.proof)]
    lines += [
        "",
        f"Tried with: {tried}.",
        "",
        *_editions(design),
        "## Licence",
        "",
        as_typed(licence_name(design)),
    ]
    if publish.author:
        lines += ["", f"By {as_typed(publish.author)}."]
    for source in sources_of(design):
        lines += ["", as_typed(source)]
    return "\n".join(lines) + "\n"


def offered(table: ValueTable, name: str) -> tuple[str, str, str]:
    """A size as it is published, and its limits, in words; empty where there is none."""
    cell = table.cells.get(name)
    if cell is None:
        return "", "", ""
    kind = cell.wanted.kind
    low, high = ("" if end is None else say(Quantity(end, kind)) for end in (cell.low, cell.high))
    return say(cell.wanted), low, high


def _editions(design: Design) -> list[str]:
    """What changed from edition to edition, the latest first."""
    if not design.publish.history:
        return []
    lines = ["## Editions", ""]
    for record in reversed(design.publish.history):
        by = f", by {as_typed(record.author)}" if record.author else ""
        lines += [f"**{record.number}**, {record.date}{by}", ""]
        lines += [f"- {as_typed(text)}" for text in lines_of(record)]
        lines.append("")
    return lines


def lines_of(record: EditionRecord) -> list[str]:
    """What changed in an edition, line by line."""
    return [text for text in record.changed.splitlines() if text.strip()] or ["The first one."]


def sources_of(design: Design) -> list[str]:
    """Whose designs this was adapted from, each in a sentence of plain text."""
    told = []
    for source in design.publish.adapted_from:
        by = f" by {source.author}" if source.author else ""
        under = f", {licence_words(source.licence)}" if source.licence else ""
        told.append(f"Adapted from “{f'{source.title} {source.number}'.strip()}”{by}{under}.")
    return told


def licence_text(design: Design) -> str:
    """What stands in the licence file: whose it is, and the whole licence."""
    who = design.publish.author or "the author"
    title = design.title
    sources = "".join(f"{line}\n" for line in sources_of(design))
    return (
        f"{title}\n\nBy {who}.\nLicence: {licence_name(design)}\nSPDX-License-Identifier: "
        f"{design.publish.licence}\n{sources}\n{licence_in_full(design.publish.licence)}"
    ).rstrip() + "\n"
