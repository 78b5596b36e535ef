"""The README of an edition as Markdown, and its licence. The page is another module's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..design.model import Design, EditionRecord
from ..formula.value_table import ValueTable
from ..markup import Marked, as_typed, marked, page_of, paragraphs, table_head, table_row
from ..process.model import Process
from ..quantity import TRUTH, Quantity, say
from .licences import licence_in_full, licence_name, licence_words
from .parts_list import ListedPart, as_markdown

#: The drawing sheet within an edition.
DRAWING = "drawing.pdf"
_NONE = Marked("")
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


def readme_markdown(told: Told) -> Marked:
    """Title, picture, what it is for, what to measure, what may be adjusted, ready-made files and
    those that were left out with the reason, how it was proved, editions, licence."""
    design = told.design
    publish, title = design.publish, design.title
    lines = [marked("# {}", title), _NONE, marked("![{}](picture.png)", title), _NONE]
    if publish.latest:
        latest = publish.latest
        lines += [marked("Edition {}, {}.", latest.number, latest.date), _NONE]
    if publish.summary:
        lines += [paragraphs(publish.summary), _NONE]
    if publish.measure_first:
        lines += [Marked("## Before you make it"), _NONE, paragraphs(publish.measure_first), _NONE]
    lines += _adjusted(told)
    if len(told.parts) > 1:
        lines += [Marked("## What it takes"), _NONE, as_markdown(told.parts), _NONE]
        lines += [Marked("The same: parts.csv."), _NONE]
    lines += _made_ready(told)
    if told.proof:
        lines += [_NONE, Marked("## Proved"), _NONE, as_typed(told.proof)]
    tried = ", ".join(process.name for process in told.processes)
    lines += [_NONE, marked("Tried with: {}.", tried), _NONE, *_editions(design)]
    lines += [Marked("## Licence"), _NONE, as_typed(licence_name(design))]
    if publish.author:
        lines += [_NONE, marked("By {}.", publish.author)]
    for source in sources_of(design):
        lines += [_NONE, as_typed(source)]
    return page_of([*lines, _NONE])


def _adjusted(told: Told) -> list[Marked]:
    """What may be adjusted."""
    lines = [Marked("## What you can adjust"), _NONE]
    lines += table_head(["size", "as published", "from", "to", ""])
    for item in told.design.publish.adjust:
        ends = offered(told.table, item.size)
        lines.append(table_row([item.label or item.size, *ends, item.help]))
    if told.is_drawn:
        lines += [_NONE, marked("All sizes on a drawing: {}.", _linked(DRAWING))]
    opened = "Open this file with Schablone to adjust it and to choose your own machine."
    return [*lines, _NONE, as_typed(opened), _NONE]


def _made_ready(told: Told) -> list[Marked]:
    """The ready-made files, and what was left out."""
    lines = [Marked("## Ready-made files"), _NONE]
    lines += [Marked("They are corrected for the machine that they are named after."), _NONE]
    lines += table_head(["for", "machine", "file"])
    lines += [table_row([preset, process, _linked(path)]) for preset, process, path in told.ready]
    if told.left_out:
        lines += [_NONE, Marked("Not made ready, since it would not fit:"), _NONE]
        lines += [marked("- {} on {}: {}.", *left) for left in told.left_out]
    return lines


def _linked(path: str) -> Marked:
    """A file of the edition, whose name is made of letters, digits and hyphens."""
    return marked("[{}]({})", path, path)


def offered(table: ValueTable, name: str) -> tuple[str, str, str]:
    """A size as it is published, and its limits, in words; empty where there is none."""
    cell = table.cells.get(name)
    if cell is None:
        return "", "", ""
    kind = cell.wanted.kind
    if kind == TRUTH:
        return say(cell.wanted), "no", "yes"
    low, high = ("" if end is None else say(Quantity(end, kind)) for end in (cell.low, cell.high))
    return say(cell.wanted), low, high


def _editions(design: Design) -> list[Marked]:
    """What changed from edition to edition, the latest first."""
    if not design.publish.history:
        return []
    lines = [Marked("## Editions"), _NONE]
    for record in reversed(design.publish.history):
        by = f", by {record.author}" if record.author else ""
        lines += [marked("**{}**, {}{}", record.number, record.date, by), _NONE]
        lines += [marked("- {}", text) for text in lines_of(record)]
        lines.append(_NONE)
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
