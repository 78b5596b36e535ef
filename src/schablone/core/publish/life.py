"""The life of editions: the number of the next one, why, what changed since the last; the record
that is kept with the design; and designs that are adapted from somebody's edition.

The number is ``major.minor``. The first figure goes up where a choice that somebody saved with the
last edition may no longer fit; whether it does is tried: choices all over what the last one allowed
are put into the sheet of the new one.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ..design.evaluate import table_of, with_given
from ..design.file import write_design
from ..design.model import NUMBER as _NUMBER
from ..design.model import Design, EditionRecord, Publishing, Source
from ..design.offered import with_edition_limits
from ..problem import Problem, SchabloneError
from ..process.model import Process
from ..prove.ranges.allowed import Point, Sheets, allowed_of
from ..prove.ranges.covering import covering_pairs
from ..quantity import formula_of, say
from ..words import sentence
from .changes import called, changes, pairs_of
from .choices import as_order, edition_name, why_not
from .licences import SHARE_ALIKE

#: So many choices are tried beside those at the ends.
_TRIED = 40
_SEED = 61
#: At these shares of its range a size is chosen alone.
_ALONE = (0.0, 1.0, 0.1, 0.25, 0.5, 0.75, 0.9)
#: So many reasons are told.
_MOST = 4

#: How the number of an edition is written.
NUMBER = re.compile(_NUMBER)


@dataclass(frozen=True, slots=True)
class Coming:
    """The edition that would be written now. ``breaks`` says why choices saved with the last one
    may no longer fit; ``changed`` what changed since it. ``is_new`` is False where nothing did:
    then the last edition is written again, under its number."""

    number: str
    is_new: bool
    breaks: tuple[str, ...] = ()
    changed: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """What changed, as one text: what its author wrote comes instead."""
        return "\n".join(sentence(text) for text in self.changed)


def bare(design: Design) -> Design:
    """The design without the life of its editions: what is compared, and kept of the last one."""
    publish = design.publish.model_copy(
        update={"history": (), "last": None, "next_number": "", "next_changed": "", "id": ""}
    )
    return design.model_copy(update={"publish": publish})


def coming_edition(design: Design, process: Process, known: Sequence[Process] = ()) -> Coming:
    """What would be written now, compared with the last edition."""
    publish = design.publish
    if not publish.history or publish.last is None:
        first = publish.number
        proposed = f"{as_order(first)[0] + 1}.0"
        return Coming(publish.next_number or proposed, True)
    last, number = publish.last, publish.history[-1].number
    if bare(design) == last:
        return Coming(number, False)
    breaks = what_breaks(last, design, process, known)
    changed = changes(last, design, process) or ["what it says of itself"]
    major, minor = as_order(number)
    proposed = f"{major + 1}.0" if breaks else f"{major}.{minor + 1}"
    return Coming(publish.next_number or proposed, True, tuple(breaks), tuple(changed))


def what_breaks(
    first: Design, second: Design, process: Process, known: Sequence[Process] = ()
) -> list[str]:
    """Why choices that were saved with the first edition may not fit the second; empty where all
    that were tried do."""
    told = [
        f"“{called(before)}” can no longer be adjusted"
        for before, after in pairs_of(first, second)
        if before is not None and after is None
    ]
    families = [_family(design, process, known) for design in (first, second)]
    if families[0] != families[1]:
        told.append("it is made by machines of another kind")
    both = [(b, a) for b, a in pairs_of(first, second) if b is not None and a is not None]
    names = {before.size: after for before, after in both}
    before_of = {before.size: before for before, _ in both}
    allowed = allowed_of(first, process, known)
    earlier, later = with_edition_limits(first), with_edition_limits(second)
    bases = table_of(earlier, process), table_of(later, process)
    outside: dict[str, str] = {}
    for point, chosen in _saved(Sheets(allowed)):
        values = {name: formula_of(point.value(name), allowed.kinds[name]) for name in chosen}
        given = {names[name].size: text for name, text in values.items() if name in names}
        before = with_given(bases[0], earlier, values) or table_of(earlier, process, values)
        table = with_given(bases[1], later, given) or table_of(later, process, given)
        for name, item in names.items():
            if item.size in outside or not why_not(table, item):
                continue
            if why_not(before, before_of[name]):
                continue  # nothing is broken by this edition
            asked = before.cells[name].asked if name in before.cells else None
            if (cell := table.cells.get(item.size)) is not None:
                asked = cell.asked
            said = f"could be {say(asked, second.units)}" if asked else "had a value"
            outside[item.size] = f"“{called(item)}” {said}, and no longer can"
    told += outside.values()
    if len(told) > _MOST:
        told = [*told[:_MOST], f"and {len(told) - _MOST} reasons more"]
    return told


def _family(design: Design, process: Process, known: Sequence[Process]) -> str:
    mine = next((one for one in known if one.name == design.process), process)
    return mine.family


def _saved(sheets: Sheets) -> Iterator[tuple[Point, tuple[str, ...]]]:
    """Choices that somebody may have saved, each with the sizes that they set: one alone at some
    places, all ends in pairs, and some all over. What nobody set is as it is published."""
    allowed = sheets.allowed
    row, process = allowed.rows[0], allowed.processes[0].name
    names = tuple(span.name for span in allowed.spans)
    chances = np.random.default_rng(_SEED).random((_TRIED, len(names)))
    ends = [[float(level) for level in levels] for levels in covering_pairs([2] * len(names))]
    single = [((name,), (share,)) for name in names for share in _ALONE]
    together = [(names, tuple(shares)) for shares in (*ends, *chances.tolist())]
    yield allowed.as_published, names
    for chosen, shares in (*single, *together):
        placed = dict(zip(chosen, shares, strict=True))
        point = sheets.placed(placed, row, process, "a choice")
        if point is not None and sheets.is_allowed(point):
            yield point, chosen


# What is kept


def with_edition(design: Design, coming: Coming, process: Process, date: str) -> Design:
    """The design with the record of the edition that is written of it now; ``date`` as
    ``2026-05-30``. Where nothing changed since the last one, it is the same."""
    if not coming.is_new:
        return design
    publish, kept = design.publish, bare(design)
    cells = table_of(with_edition_limits(design), process).cells
    record = EditionRecord(
        number=coming.number,
        date=date,
        author=publish.author,
        changed=publish.next_changed.strip() or coming.words,
        values={
            item.size: say(cells[item.size].wanted, design.units)
            for item in publish.adjust
            if item.size in cells
        },
    )
    # Made of what it is of: whoever writes the same first edition again gets the same.
    text = f"{date}\n{write_design(kept)}"
    fresh = publish.model_copy(
        update={
            "id": publish.id or hashlib.sha256(text.encode("utf8")).hexdigest()[:20],
            "history": (*publish.history, record),
            "last": kept,
            "next_number": "",
            "next_changed": "",
        }
    )
    return design.model_copy(update={"publish": fresh})


def next_edition(
    design: Design, process: Process, known: Sequence[Process], date: str
) -> tuple[Design, Coming]:
    """The design with the record of the edition that is written now, and what that is.

    Raises:
        SchabloneError: where its number or its licence keeps it from being written.
    """
    if late := problems_of_life(design.publish):
        raise SchabloneError(*late)
    coming = coming_edition(design, process, known)
    return with_edition(design, coming, process, date), coming


def recorded(design: Design, published: Design) -> Design:
    """The design, which may have changed meanwhile, with the record of the edition that was written
    of it as ``published``."""
    fresh, now = published.publish, design.publish
    kept = {name: getattr(fresh, name) for name in ("id", "history", "last")}
    if fresh.last is not None and now.next_changed.strip() in ("", fresh.history[-1].changed):
        kept |= {"next_changed": "", "next_number": ""}
    return design.model_copy(update={"publish": now.model_copy(update=kept)})


def adapted(design: Design) -> Design:
    """A design of one's own, adapted from an edition: it begins a life of its own, and says whom it
    comes from."""
    publish = design.publish
    source = Source(
        id=publish.id,
        title=design.title,
        number=publish.number,
        author=publish.author,
        licence=publish.licence,
    )
    fresh = bare(design).publish.model_copy(
        update={"author": "", "adapted_from": (source, *publish.adapted_from)}
    )
    return design.model_copy(update={"publish": fresh})


def problems_of_life(publish: Publishing) -> list[Problem]:
    """What keeps the next edition from being written: a number that is not above the last, or a
    licence that the design which this was adapted from does not allow."""
    problems = []
    last = publish.number
    if publish.next_number and last and as_order(publish.next_number) <= as_order(last):
        what = f"The edition {publish.next_number} would not come after {last}."
        hint = "Choose a higher number, or leave it empty."
        problems.append(Problem(area="publish", name="number", what=what, hint=hint))
    for source in publish.adapted_from:
        if source.licence in SHARE_ALIKE and publish.licence != source.licence:
            who = edition_name(f"“{source.title}”", source.number)
            what = (
                f"This was adapted from {who}, which may be passed on under {source.licence} only."
            )
            hint = f"Choose {source.licence}, or ask {source.author or 'its author'}."
            problems.append(Problem(area="publish", name="licence", what=what, hint=hint))
    return problems
