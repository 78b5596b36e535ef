"""What came of a range run, for people: how much was built, what breaks and from where on, what
would rule it out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ...quantity import TRUTH, Quantity, say
from ...words import capital, listed, say_name
from .allowed import Allowed, Point, point_as_data
from .judge import Outcome
from .limit import Mend
from .shrink import Cause, Edge, fails_alike
from .told import CauseTold, ResultTold


@dataclass(frozen=True, slots=True)
class Found:
    """What breaks: its cause, how many of the planned builds fail like it, what would rule it out,
    and whether it does so only on machines that the design is not made for first."""

    cause: Cause
    builds: int
    mend: Mend | None
    elsewhere: bool


def kinds_of(
    planned: Sequence[Point], seen: Mapping[Point, Outcome]
) -> dict[tuple[str, str, str], list[Point]]:
    """The points that fail, by what they have in common."""
    kinds: dict[tuple[str, str, str], list[Point]] = {}
    for point in planned:
        outcome = seen.get(point)
        for failure in outcome.failures if outcome is not None else ():
            points = kinds.setdefault(failure.kind, [])
            if point not in points:
                points.append(point)
    return kinds


def say_value(allowed: Allowed, name: str, value: float) -> str:
    """A value of a size with its unit."""
    return say(Quantity(value, allowed.kinds[name]), allowed.design.units)


def say_point(allowed: Allowed, point: Point, names: Sequence[str] | None = None) -> str:
    """A point by what differs from what is published: ``width 40 mm and margin 60 mm``."""
    base = allowed.as_published
    shown = dict(base.values)
    if names is None:
        names = [name for name, value in point.values if shown.get(name) != value]
    words = [f"{say_name(name)} {say_value(allowed, name, point.value(name))}" for name in names]
    if point.row != base.row:
        words.append(f"variant {point.row}")
    if point.process != base.process:
        words.append(f"on {point.process}")
    return listed(words) or "as published"


def say_cause(allowed: Allowed, cause: Cause) -> str:
    """``With width 40 mm and margin 60 mm``; or from where on, where it is one size alone."""
    base = allowed.as_published
    where = [w for w in (
        f"variant {cause.point.row}" if cause.point.row != base.row else "",
        f"on {cause.point.process}" if cause.point.process != base.process else "",
    ) if w]  # fmt: skip
    if len(cause.away) == 1 and cause.edges:
        words = _from_on(allowed, cause.edges[0], base.value(cause.away[0]))
        return f"{words}{', ' + ', '.join(where) if where else ''}"
    if not cause.away:
        words = ", ".join(where)
        return capital(words) if words else "As it is published"
    return f"With {say_point(allowed, cause.point)}"


def _from_on(allowed: Allowed, edge: Edge, now: float) -> str:
    name, fails = say_name(edge.name), say_value(allowed, edge.name, edge.fails)
    if allowed.kinds[edge.name] == TRUTH:
        return f"With {name}: {fails}"
    if edge.until is not None:
        return f"With {name} from {fails} to before {say_value(allowed, edge.name, edge.until)}"
    return f"With {name} from {fails} {'up' if edge.fails > now else 'down'}"


def say_edges(allowed: Allowed, cause: Cause) -> str:
    """The nearest values that hold, in words; nothing where there is none."""
    words = [
        f"{say_name(edge.name)} {say_value(allowed, edge.name, edge.holds)}"
        for edge in cause.edges
        if edge.holds is not None
    ]
    if not words:
        return ""
    if len(words) == 1:
        return f"{words[0]} holds."
    return f"It holds with {' or with '.join(words)}."


def say_mend(allowed: Allowed, mend: Mend) -> str:
    """What would rule it out, and at what price."""
    share = round(100 * mend.keeps)
    return f"{mend.words()}; that leaves {share} % of what holds"


def say_builds(count: int) -> str:
    """How many builds fail alike."""
    return f"{count} builds fail so." if count != 1 else "One build fails so."


def found_as_data(allowed: Allowed, one: Found) -> CauseTold:
    """What breaks, in words and figures, as plain data."""
    cause, mend = one.cause, one.mend
    return {
        "title": say_cause(allowed, cause),
        "check": cause.failure.check,
        "why": cause.failure.why,
        "hint": cause.failure.hint,
        "area": cause.failure.area,
        "place": cause.failure.place,
        "ends_said": say_edges(allowed, cause),
        "point": point_as_data(cause.point),
        "away": list(cause.away),
        "ends": [
            {"size": e.name, "holds": e.holds, "fails": e.fails, "until": e.until}
            for e in cause.edges
        ],
        "builds": one.builds,
        "builds_said": say_builds(one.builds),
        "elsewhere": one.elsewhere,
        "mend": None
        if mend is None
        else {
            "size": mend.size,
            "end": mend.end,
            "formula": mend.formula,
            "keeps": mend.keeps,
            "said": say_mend(allowed, mend),
        },
    }


def verdict(
    allowed: Allowed, planned: Sequence[Point], seen: Mapping[Point, Outcome]
) -> dict[str, tuple[int, int]]:
    """By machine, how many of the planned builds are done, and how many of these fail."""
    verdicts: dict[str, tuple[int, int]] = {one.name: (0, 0) for one in allowed.processes}
    for point in planned:
        if point in seen:
            done, failing = verdicts[point.process]
            verdicts[point.process] = (done + 1, failing + (not seen[point].holds))
    return verdicts


def say_unsure(planned: Sequence[Point], seen: Mapping[Point, Outcome]) -> list[str]:
    """What is not known of machines, each with at how many builds, and why at the first."""
    told: dict[str, list[str]] = {}
    for outcome in (seen[point] for point in planned if point in seen):
        for name, why in outcome.unsure:
            told.setdefault(name, []).append(why)
    return [
        f"At {len(whys)} build{'s' if len(whys) != 1 else ''}: {whys[0].rstrip('.')}"
        for whys in told.values()
    ]


def result_as_data(
    allowed: Allowed,
    planned: Sequence[Point],
    seen: Mapping[Point, Outcome],
    causes: Sequence[Found],
    notes: Sequence[str],
    *,
    whole: bool,
) -> ResultTold:
    """What came of a run, as plain data; ``whole``: it was not stopped."""
    counted = verdict(allowed, planned, seen)
    return {
        "done": sum(count for count, _ in counted.values()),
        "count": len(planned),
        "whole": whole,
        "machines": {name: list(pair) for name, pair in counted.items() if pair[0]},
        "notes": list(notes),
        "unsure": say_unsure(planned, seen),
        "found": [found_as_data(allowed, one) for one in causes],
    }


def say_proof(result: ResultTold | None) -> str:
    """What others may be told of a run, in a sentence; nothing where there was none, or it was
    stopped. What breaks is told as well."""
    if result is None or not result["whole"] or not result["machines"]:
        return ""
    machines = listed(list(result["machines"]))
    builds = f"{result['done']} builds over its whole range, on {machines}"
    mine = [one for one in result["found"] if not one["elsewhere"]]
    other = [one for one in result["found"] if one["elsewhere"]]
    told = [f"{one['title']}: {one['check']}" for one in mine]
    words = f"{builds}: all hold." if not mine and not other else f"{builds}."
    if not mine and other:
        words += " On the machine that it was made for all hold."
    if told:
        words += f" It breaks: {'; '.join(told)}."
    if other:
        words += f" Not made: {'; '.join(one['title'] for one in other)}."
    words += "".join(f" {one}." for one in result["unsure"])
    return words


def is_elsewhere(allowed: Allowed, cause: Cause, points: Sequence[Point]) -> bool:
    """Whether it fails on machines only that the design is not made for first: that is told, and is
    no fault of the design."""
    mine = allowed.processes[0].name
    return all(point.process != mine for point in (*points, cause.point))


def builds_like(cause: Cause, judged: Mapping[Point, Outcome]) -> int:
    """How many of the planned builds fail like a cause."""
    kind = cause.failure.kind
    return sum(fails_alike(outcome, kind) is not None for outcome in judged.values())
