"""The review: a page that a second person reads before a design is published.

What is still open comes first; then what was proved, what it offers, and the design in words.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..design.evaluate import role_of
from ..design.model import Design
from ..design.text import design_text
from ..formula.value_table import ValueTable
from ..markup import as_typed, code
from ..process.model import Process
from ..prove.finding import Finding
from ..prove.loose import Loose
from ..prove.tolerances import Share
from ..quantity import say
from .edition import problems_before_publishing
from .licences import licence_name

#: Where so many of a hundred come out there is nothing to tell.
_GOOD = 0.95


def open_points(
    design: Design,
    findings: Sequence[Finding],
    ranged: Mapping[str, Any] | None,
    loose: Sequence[Loose],
    shares: Sequence[Share],
) -> list[str]:
    """What a reviewer would ask about, each in a sentence of Markdown, the gravest first.
    ``ranged`` is what came of the range run of this very design, None where there was none."""
    found = [
        f"{as_typed(f.name)} does not hold: {as_typed(f.why)}" for f in findings if not f.holds
    ]
    found += [as_typed(problem.text) for problem in problems_before_publishing(design)]
    if ranged is None:
        found.append("It was not proved over its whole range, or has changed since.")
    else:
        if not ranged["whole"]:
            found.append(
                f"The range run was stopped after {ranged['done']} of {ranged['count']} builds."
            )
        found += [
            f"Within its range: {as_typed(one['title'])}: {as_typed(one['check'])}, "
            f"{as_typed(one['why'])}"
            for one in ranged.get("found", ())
            if not one["elsewhere"]
        ]
    found += [
        f"Of a hundred pieces, {100 * share.share:.0f} have {as_typed(share.words)} as it is meant."
        for share in shares
        if round(share.share, 2) < _GOOD
    ]
    found += [f"A loose number: {as_typed(one.words())}." for one in loose]
    return found + _untold(design)


def _untold(design: Design) -> list[str]:
    """What a stranger could not know."""
    publish, found = design.publish, []
    if not (publish.summary or design.note):
        found.append("Nothing says what it is for.")
    if not publish.author:
        found.append("Nobody is named as its author.")
    if not publish.licence:
        found.append("It has no licence: nobody else may use it.")
    if publish.adjust and not publish.measure_first:
        found.append("Nothing says what to measure before one makes it.")
    for item in publish.adjust:
        size = design.size(item.size)
        if not item.help and not (size is not None and size.note):
            found.append(f"Nothing explains {code(item.size)}, which others may adjust.")
    typed = [
        size.name
        for size in design.sizes
        if role_of(size, design.formula_of(size)) == "set" and not size.note
    ]
    if typed:
        found.append(f"Set, with no word about what for: {', '.join(map(code, typed))}.")
    free = [
        size.name
        for size in design.sizes
        if role_of(size, design.formula_of(size)) == "set" and not (size.low and size.high)
    ]
    if free:
        found.append(f"Set, without both limits: {', '.join(map(code, free))}.")
    return found


def review_text(
    design: Design,
    process: Process,
    table: ValueTable,
    findings: Sequence[Finding],
    ranged: Mapping[str, Any] | None,
    loose: Sequence[Loose],
    shares: Sequence[Share],
) -> str:
    """The whole page in Markdown; see :func:`open_points`."""
    publish = design.publish
    lines = [f"# Review of {as_typed(design.title)}", ""]
    still = open_points(design, findings, ranged, loose, shares)
    lines += ["## Still open", ""]
    lines += [f"- {point}" for point in still] or ["Nothing that could be found."]
    lines += ["", "## Checks as it is", ""]
    lines += [
        f"- {'holds' if f.holds else '**does not hold**'}: {as_typed(f.name)} ({as_typed(f.why)})"
        for f in findings
    ]
    lines += ["", "## Over its whole range", "", *_ranged_lines(ranged)]
    lines += ["", "## What comes out", ""]
    lines += [
        f"- {as_typed(s.words)}, {as_typed(s.meant)}: {100 * s.share:.0f} of 100"
        + (f"; {100 * s.share_then:.0f} if the {as_typed(s.better)} were known" if s.better else "")
        for s in shares
    ] or ["No size has a tolerance or a fit."]
    lines += ["", "## What others may adjust", ""]
    lines += [_offered(design, item.size, item.label, item.help, table) for item in publish.adjust]
    if not publish.adjust:
        lines.append("Nothing yet.")
    presets = ", ".join(as_typed(preset.name) for preset in publish.presets)
    lines += ["", f"Ready-made: {presets or 'as designed'}."]
    author = as_typed(publish.author or "nobody yet")
    lines += ["", f"Licence: {as_typed(licence_name(design))}. By {author}.", ""]
    words = design_text(design, process).split("\n", 1)
    return "\n".join(lines) + "\n## In words\n" + words[1].replace("\n## ", "\n### ")


def _ranged_lines(ranged: Mapping[str, Any] | None) -> list[str]:
    if ranged is None:
        return ["Not proved as it is now."]
    lines = [
        f"- {as_typed(name)}: {done} builds, {'all hold' if not failing else f'{failing} fail'}"
        for name, (done, failing) in ranged.get("machines", {}).items()
    ]
    for one in ranged.get("found", ()):
        where = "elsewhere" if one["elsewhere"] else "**breaks**"
        lines.append(
            f"- {where}: {as_typed(one['title'])}: {as_typed(one['check'])}, {as_typed(one['why'])}"
        )
    return lines or ["Nothing was built."]


def _offered(design: Design, name: str, label: str, help: str, table: ValueTable) -> str:
    size, cell = design.size(name), table.cells.get(name)
    item = next(item for item in design.publish.adjust if item.size == name)
    low = item.low or (size.low if size else "")
    high = item.high or (size.high if size else "")
    now = say(cell.wanted, design.units) if cell is not None else "no value"
    ends = f" from {code(low)} to {code(high)}" if low and high else " **without both limits**"
    said = as_typed(label or name)
    return f"- **{said}**: {now},{ends}. {as_typed(help or (size.note if size else ''))}".rstrip()
