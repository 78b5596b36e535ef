"""The list of all that a design needs: what is made, how often, of what, and what is bought."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

from ..bought import BoughtPart, resolved
from ..design.model import Design, Part
from ..design.rebuild import Rebuilt
from ..formula import FormulaError
from ..markup import Marked, marked, page_of, table_head, table_row
from ..problem import Problem, SchabloneError
from ..quantity import COUNT, grams_if_known, plain, say_grams

#: How many of a part can be made at most.
MOST_OF_A_PART = 10_000


@dataclass(frozen=True, slots=True)
class ListedPart:
    """A line of the list. ``mass`` is that of one, g; ``price`` that of one; None where unknown."""

    title: str
    count: int
    made: bool
    what: str
    size: str
    mass: float | None
    price: float | None = None
    currency: str = ""
    source: str = ""


def count_of(part: Part, built: Rebuilt) -> int:
    """How many of a part are made.

    Raises:
        SchabloneError: where its formula cannot be read, or gives no whole number from 0.
    """
    try:
        value = built.table.compile(part.count, COUNT).value(built.table.env()).value
    except FormulaError as error:
        raise _wrong(part, error.what, error.hint) from None
    if value != round(value) or not 0 <= value <= MOST_OF_A_PART:
        raise _wrong(
            part,
            f"its count is {value:g} (from “{part.count}”); it must be a whole number from 0 to "
            f"{MOST_OF_A_PART}",
            f"Change “{part.count}”.",
        )
    return int(value)


def _wrong(part: Part, what: str, hint: str) -> SchabloneError:
    said = f"“{part.title or part.name}”: {what[:1].lower()}{what[1:]}".rstrip(".")
    return SchabloneError(Problem(area="part", name=part.name, what=f"{said}.", hint=hint))


def parts_list(design: Design, built: Rebuilt) -> list[ListedPart]:
    """What is made, in the order of the parts, and then what is bought, by name.

    Raises:
        SchabloneError: where the count of a part makes no sense.
    """
    listed = []
    for part in design.parts:
        if part.name not in built.figures:
            continue
        figures = built.figures[part.name]
        machine = built.view_of(part.name).process
        material, density = part.made_of(machine)
        low, high = figures.bounds
        size = " × ".join(plain(b - a, 2) for a, b in zip(low, high, strict=True)) + " mm"
        listed.append(
            ListedPart(
                part.title or part.name.replace("_", " "),
                count_of(part, built),
                True,
                f"{material}, {machine.name}",
                size,
                grams_if_known(figures.volume, density),
            )
        )
    counts: dict[str, tuple[BoughtPart, int]] = {}
    for things in built.things.values():
        for thing in things:
            _, many = counts.get(thing.part.name, (thing.part, 0))
            counts[thing.part.name] = thing.part, many + 1
    for bought, many in sorted(counts.values(), key=lambda one: one[0].said):
        box = " × ".join(plain(length, 2) for length in resolved(bought).box) + " mm"
        listed.append(
            ListedPart(
                bought.said, many, False, bought.sort or "bought", box, bought.mass, bought.price,
                bought.currency if bought.price is not None else "", bought.source,
            )
        )  # fmt: skip
    return listed


def as_csv(rows: Sequence[ListedPart]) -> str:
    """The list as CSV: one line for each part, masses in g, prices of one and of all."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(
        ["part", "count", "made or bought", "of", "size", "mass of one, g", "mass, g",
         "price of one", "price", "currency", "source"]
    )  # fmt: skip
    for row in rows:
        mass, price = row.mass, row.price
        writer.writerow(
            [
                _plain_text(row.title), row.count, "made" if row.made else "bought",
                _plain_text(row.what), row.size, "" if mass is None else f"{mass:.2f}",
                "" if mass is None else f"{mass * row.count:.2f}",
                "" if price is None else f"{price:.2f}",
                "" if price is None else f"{price * row.count:.2f}", row.currency,
                _plain_text(row.source),
            ]
        )  # fmt: skip
    return text.getvalue()


def _plain_text(text: str) -> str:
    """Text that no table program takes for a formula."""
    return f"'{text}" if text[:1] in "=+-@\t\r" and text else text


def in_all(masses: Sequence[tuple[float | None, int]]) -> str:
    """What things weigh together, in words: of each its mass, g, where it is known, and how
    many."""
    total = sum(mass * count for mass, count in masses if mass is not None)
    unknown = any(mass is None for mass, _ in masses)
    if unknown and not total:
        return "What it weighs is not known."
    return f"In all {say_grams(total)}{' and what has no mass given' if unknown else ''}."


def as_markdown(rows: Sequence[ListedPart]) -> Marked:
    """The list as a table of Markdown, with sums."""
    lines = table_head(["part", "count", "of", "size", "mass", "price"])
    for row in rows:
        mass = "" if row.mass is None else say_grams(row.mass * row.count)
        cost = "" if row.price is None else f"{row.price * row.count:.2f} {row.currency}"
        lines.append(table_row([row.title, str(row.count), row.what, row.size, mass, cost]))
    sums = [marked("{}", in_all([(row.mass, row.count) for row in rows]))]
    for currency in sorted({row.currency for row in rows if row.price is not None}):
        total_cost = sum(
            row.price * row.count
            for row in rows
            if row.price is not None and row.currency == currency
        )
        sums.append(marked("What is bought costs {:.2f} {}.", total_cost, currency))
    return page_of([*lines, Marked(""), Marked(" ").join(sums)])
