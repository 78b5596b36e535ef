"""The README of an edition, as Markdown and as HTML that needs nothing else, and its licence."""

from __future__ import annotations

import html
from collections.abc import Sequence

from ..design.model import Design
from ..formula.value_table import ValueTable
from ..markup import as_typed, paragraphs
from ..process.model import Process
from ..quantity import Quantity, say
from .parts_list import ListedPart, as_markdown

_LICENCES = {
    "CC-BY-4.0": "Creative Commons Attribution 4.0 International",
    "CC-BY-SA-4.0": "Creative Commons Attribution-ShareAlike 4.0 International",
    "CC0-1.0": "Creative Commons Zero 1.0 Universal (public domain dedication)",
    "Apache-2.0": "Apache License 2.0",
    "MIT": "MIT License",
}

_STYLE = (
    "body{font:16px/1.5 'IBM Plex Sans',sans-serif;color:#1F2A37;background:#F6F3EC;max-width:46em;"
    "margin:2em auto;padding:0 1em}table{border-collapse:collapse}td,th{border-bottom:1px "
    "solid #D5CDBE;"
    "padding:.3em .8em .3em "
    "0;text-align:left;vertical-align:top}img{max-width:100%}a{color:#A63D2B}"
)


def readme_markdown(
    design: Design,
    processes: Sequence[Process],
    ready: Sequence[tuple[str, str, str]],
    left_out: Sequence[tuple[str, str, str]],
    table: ValueTable,
    parts: Sequence[ListedPart] = (),
) -> str:
    """Title, picture, what it is for, what to measure, what may be adjusted, ready-made files and
    those that were left out with the reason, licence."""
    publish = design.publish
    title = publish.title or design.name
    lines = [f"# {as_typed(title)}", "", f"![{as_typed(title)}](picture.png)", ""]
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
        cell = table.cells.get(item.size)
        kind = cell.wanted.kind if cell else None
        value = say(cell.wanted) if cell else ""
        low = say(Quantity(cell.low, kind)) if cell and kind and cell.low is not None else ""
        high = say(Quantity(cell.high, kind)) if cell and kind and cell.high is not None else ""
        lines.append(
            f"| {as_typed(item.label or item.size)} | {value} | {low} | {high} | "
            f"{as_typed(item.help)} |"
        )
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
        for preset, process, path in ready
    ]
    if left_out:
        lines += ["", "Not made ready, since it would not fit:", ""]
        lines += [
            f"- {as_typed(preset)} on {as_typed(process)}: {as_typed(why)}."
            for preset, process, why in left_out
        ]
    tried = ", ".join(as_typed(process.name) for process in processes)
    lines += ["", f"Tried with: {tried}.", "", "## Licence", "", as_typed(licence_name(design))]
    if publish.author:
        lines += ["", f"By {as_typed(publish.author)}."]
    return "\n".join(lines) + "\n"


def readme_html(
    design: Design,
    processes: Sequence[Process],
    ready: Sequence[tuple[str, str, str]],
    left_out: Sequence[tuple[str, str, str]],
    table: ValueTable,
    parts: Sequence[ListedPart] = (),
) -> str:
    """The same as one HTML page."""
    import markdown  # here, since only publishing pays for loading it

    body = markdown.markdown(
        readme_markdown(design, processes, ready, left_out, table, parts), extensions=["tables"]
    )
    title = html.escape(design.publish.title or design.name)
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{title}</title>'
        f"<style>{_STYLE}</style></head>\n<body>\n{body}\n</body></html>\n"
    )


def licence_name(design: Design) -> str:
    """The licence in words."""
    short = design.publish.licence
    return f"{_LICENCES[short]} ({short})" if short in _LICENCES else short or "All rights reserved"


def licence_text(design: Design) -> str:
    """What stands in the licence file."""
    who = design.publish.author or "the author"
    title = design.publish.title or design.name
    return (
        f"{title}\n\nBy {who}.\nLicence: {licence_name(design)}\nSPDX-License-Identifier: "
        f"{design.publish.licence}\n"
    )
