"""The review: a page that a second person reads before a design is published.

What is still open comes first; then what was proved, what it offers, and the design in words.
"""

from __future__ import annotations

from collections.abc import Sequence

from ..design.evaluate import role_of
from ..design.model import Design
from ..design.text import design_text
from ..formula.value_table import ValueTable
from ..markup import Marked, as_typed, code, deeper, marked, page_of
from ..process.model import Process
from ..prove.finding import Finding
from ..prove.loose import Loose
from ..prove.ranges.told import ResultTold
from ..prove.tolerances import Share
from ..quantity import TRUTH, say
from .edition import problems_before_publishing
from .licences import licence_name

#: Where so many of a hundred come out there is nothing to tell.
_GOOD = 0.95


def open_points(
    design: Design,
    table: ValueTable,
    findings: Sequence[Finding],
    ranged: ResultTold | None,
    loose: Sequence[Loose],
    shares: Sequence[Share],
) -> list[Marked]:
    """What a reviewer would ask about, each in a sentence of Markdown, the gravest first.
    ``ranged`` is what came of the range run of this very design, None where there was none."""
    points = [marked("{} does not hold: {}", f.name, f.why) for f in findings if not f.holds]
    points += [as_typed(problem.text) for problem in problems_before_publishing(design)]
    points += _open_in_range(ranged)
    points += [
        marked("Of a hundred pieces, {:.0f} have {} as it is meant.", 100 * one.share, one.words)
        for one in shares
        if round(one.share, 2) < _GOOD
    ]
    points += [marked("A loose number: {}.", one.words()) for one in loose]
    return points + _untold(design, table)


def _open_in_range(ranged: ResultTold | None) -> list[Marked]:
    if ranged is None:
        return [Marked("It was not proved over its whole range, or has changed since.")]
    points = []
    if not ranged["whole"]:
        done, count = ranged["done"], ranged["count"]
        points.append(marked("The range run was stopped after {} of {} builds.", done, count))
    points += [marked("Over its range: {}.", one) for one in ranged["unsure"]]
    return points + [
        marked("Within its range: {}: {}, {}", one["title"], one["check"], one["why"])
        for one in ranged.get("found", ())
        if not one["elsewhere"]
    ]


def _untold(design: Design, table: ValueTable) -> list[Marked]:
    """What a stranger could not know."""
    publish = design.publish
    points: list[Marked] = []
    if not (publish.summary or design.note):
        points.append(Marked("Nothing says what it is for."))
    if not publish.author:
        points.append(Marked("Nobody is named as its author."))
    if not publish.licence:
        points.append(Marked("It has no licence: nobody else may use it."))
    if publish.adjust and not publish.measure_first:
        points.append(Marked("Nothing says what to measure before one makes it."))
    for item in publish.adjust:
        size = design.size(item.size)
        if not item.help and not (size is not None and size.note):
            points.append(marked("Nothing explains {}, which others may adjust.", code(item.size)))
    typed = [
        size.name
        for size in design.sizes
        if role_of(size, design.formula_of(size)) == "set" and not size.note
    ]
    if typed:
        points.append(marked("Set, with no word about what for: {}.", _names(typed)))
    free = [
        size.name
        for size in design.sizes
        if role_of(size, design.formula_of(size)) == "set"
        and not (size.low and size.high)
        and not _is_either(table, size.name)
    ]
    if free:
        points.append(marked("Set, without both limits: {}.", _names(free)))
    return points


def _is_either(table: ValueTable, name: str) -> bool:
    """Whether a size is yes or no, which needs no limits."""
    return name in table.cells and table.cells[name].wanted.kind == TRUTH


def _names(names: Sequence[str]) -> Marked:
    return Marked(", ").join(code(name) for name in names)


def review_text(
    design: Design,
    process: Process,
    table: ValueTable,
    findings: Sequence[Finding],
    ranged: ResultTold | None,
    loose: Sequence[Loose],
    shares: Sequence[Share],
    untold: str = "",
) -> Marked:
    """The whole page in Markdown; see :func:`open_points`. ``untold`` says what is not known of
    what comes out."""
    publish = design.publish
    still = open_points(design, table, findings, ranged, loose, shares)
    offers = [_offered(design, one.size, one.label, one.help, table) for one in publish.adjust]
    author = publish.author or "nobody yet"
    presets = ", ".join(preset.name for preset in publish.presets) or "as designed"
    return page_of(
        [
            marked("# Review of {}", design.title),
            *_section("Still open"),
            *([marked("- {}", one) for one in still] or [Marked("Nothing that could be found.")]),
            *_section("Checks as it is"),
            *(_checked(finding) for finding in findings),
            *_section("Over its whole range"),
            *_ranged_lines(ranged),
            *_section("What comes out"),
            *_comes_out(shares, untold),
            *_section("What others may adjust"),
            *(offers or [Marked("Nothing yet.")]),
            Marked(""),
            marked("Ready-made: {}.", presets),
            Marked(""),
            marked("Licence: {}. By {}.", licence_name(design), author),
            *_section("In words")[:-1],
            deeper(design_text(design, process)),
        ]
    )


def _section(title: str) -> list[Marked]:
    return [Marked(""), marked("## {}", title), Marked("")]


def _checked(finding: Finding) -> Marked:
    how = Marked("holds") if finding.holds else Marked("**does not hold**")
    return marked("- {}: {} ({})", how, finding.name, finding.why)


def _comes_out(shares: Sequence[Share], untold: str) -> list[Marked]:
    told = [_share(one) for one in shares]
    if untold:
        return [*told, Marked(""), as_typed(untold)]
    return told or [Marked("No size has a tolerance or a fit.")]


def _share(one: Share) -> Marked:
    said = marked("- {}, {}: {:.0f} of 100", one.words, one.meant, 100 * one.share)
    if one.better:
        said += marked("; {:.0f} if the {} were known", 100 * one.share_then, one.better)
    return said


def _ranged_lines(ranged: ResultTold | None) -> list[Marked]:
    if ranged is None:
        return [Marked("Not proved as it is now.")]
    lines = [
        marked("- {}: {} builds, {}", name, done, f"{failing} fail" if failing else "all hold")
        for name, (done, failing) in ranged.get("machines", {}).items()
    ]
    lines += [marked("- {}", one) for one in ranged["unsure"]]
    for one in ranged.get("found", ()):
        where = Marked("elsewhere") if one["elsewhere"] else Marked("**breaks**")
        lines.append(marked("- {}: {}: {}, {}", where, one["title"], one["check"], one["why"]))
    return lines or [Marked("Nothing was built.")]


def _offered(design: Design, name: str, label: str, help: str, table: ValueTable) -> Marked:
    size, cell = design.size(name), table.cells.get(name)
    item = next(item for item in design.publish.adjust if item.size == name)
    low = item.low or (size.low if size else "")
    high = item.high or (size.high if size else "")
    now = say(cell.wanted, design.units) if cell is not None else "no value"
    ends = Marked(" **without both limits**")
    if low and high:
        ends = marked(" from {} to {}", code(low), code(high))
    elif _is_either(table, name):
        ends = Marked(" or not")
    told = help or (size.note if size else "")
    line = marked("- **{}**: {},{}.", label or name, now, ends)
    return line + marked(" {}", told) if told else line
