"""What changed from one edition of a design to the next, in words that whoever uses it
understands: what may be adjusted first, then sizes, then steps and checks."""

from __future__ import annotations

from collections.abc import Iterable

from ..design.compare import ChangedText, Difference, compare
from ..design.model import Adjustable, Design
from ..design.offered import with_edition_limits
from ..design.text import title_of
from ..formula.value_table import Cell
from ..process.model import Process
from ..quantity import TRUTH, Quantity, say
from ..words import listed, say_name
from .licences import licence_name

#: So many changes of one kind are told one by one.
_MOST = 12


def changes(first: Design, second: Design, process: Process) -> list[str]:
    """What differs, each in a line of plain text without a full stop."""
    first, second = with_edition_limits(first), with_edition_limits(second)
    differences = compare(first, second, process)
    told = [*_adjusting(first, second, process)]
    told += _some([_size(item, second) for item in differences.sizes if _is_seen(item)], "sizes")
    for what, texts in (
        ("step", differences.steps),
        ("check", differences.checks),
        ("bought part", differences.bought),
        ("stencil", differences.stencils),
    ):
        told += _some([_thing(what, text) for text in texts], f"{what}s")
    if differences.order:
        told.append("the steps come in another order")
    told += _names(
        "ready-made size", *([p.name for p in d.publish.presets] for d in (first, second))
    )
    told += _names("variant", *([row.name for row in d.table.rows] for d in (first, second)))
    told += _names(
        "part", *([part.title or part.name for part in d.parts] for d in (first, second))
    )
    licences = licence_name(first), licence_name(second)
    if licences[0] != licences[1]:
        told.append(f"the licence is {licences[1]} now; it was {licences[0]}")
    return told


def pairs_of(first: Design, second: Design) -> list[tuple[Adjustable | None, Adjustable | None]]:
    """What may be adjusted in two editions side by side; a size that got another name in between is
    the same one."""
    old = {item.size: item for item in first.publish.adjust}
    pairs: list[tuple[Adjustable | None, Adjustable | None]] = []
    for item in second.publish.adjust:
        names = (item.size, *reversed(item.formerly))
        pairs.append((next((old.pop(n) for n in names if n in old), None), item))
    return [*pairs, *((item, None) for item in old.values())]


def _adjusting(first: Design, second: Design, process: Process) -> list[str]:
    from ..design.evaluate import table_of

    cells = [table_of(design, process).cells for design in (first, second)]
    told = []
    for before, after in pairs_of(first, second):
        if after is None:
            assert before is not None
            told.append(f"“{called(before)}” can no longer be adjusted")
            continue
        now = cells[1].get(after.size)
        if before is None:
            told.append(f"“{called(after)}” can be adjusted now{_from_to(now, ', from ')}")
            continue
        if before.size != after.size:
            told.append(f"the size {before.size} is called {after.size} now")
        elif called(before) != called(after):
            told.append(f"“{called(before)}” is called “{called(after)}” now")
        was = cells[0].get(before.size)
        if _from_to(was) != _from_to(now):
            told.append(f"“{called(after)}” may be{_from_to(now)}; it was{_from_to(was)}")
    return told


def called(item: Adjustable) -> str:
    """What a size is called in an edition."""
    return item.label or say_name(item.size)


def _from_to(cell: Cell | None, begins: str = " ") -> str:
    if cell is None or cell.wanted.kind == TRUTH:
        return ""
    ends = [
        None if end is None else say(Quantity(end, cell.wanted.kind))
        for end in (cell.low, cell.high)
    ]
    low, high = ends
    if low is not None and high is not None:
        return f"{begins}{low} to {high}"
    return f"{begins}{f'at least {low}' if low else f'at most {high}' if high else 'anything'}"


def _is_seen(item: Difference) -> bool:
    """A formula that comes to the same changes nothing for who makes the part."""
    first, second = item.values
    return (
        first is None
        or second is None
        or first.kind != second.kind
        or bool(abs(first.value - second.value) > 1e-9 * max(abs(first.value), abs(second.value)))
    )


def _size(item: Difference, second: Design) -> str:
    first, now = (None if v is None else say(v, second.units) for v in item.values)
    if item.formulas[0] is None and first is None:
        return f"{item.name} is new, {now or 'without a value'}"
    if item.formulas[1] is None and now is None:
        return f"{item.name} is gone; it was {first or 'without a value'}"
    return f"{item.name} is {now or 'without a value'}; it was {first or 'without a value'}"


def _thing(what: str, text: ChangedText) -> str:
    name = f"the {what} “{title_of(text.name)}”"
    return f"{name} is {'gone' if not text.second else 'new' if not text.first else 'another one'}"


def _names(what: str, first: Iterable[str], second: Iterable[str]) -> list[str]:
    before, after = list(first), list(second)
    told = []
    for said, names in (
        ("new", [name for name in after if name not in before]),
        ("gone", [name for name in before if name not in after]),
    ):
        if names:
            shown = [f"“{name}”" for name in names[:_MOST]]
            more = [f"{len(names) - _MOST} more"] if len(names) > _MOST else []
            many = len(names) > 1
            told.append(f"{said} {what}{'s' if many else ''}: {listed([*shown, *more])}")
    return told


def _some(told: list[str], what: str) -> list[str]:
    if len(told) <= _MOST:
        return told
    return [*told[:_MOST], f"and {len(told) - _MOST} more {what} differ"]
