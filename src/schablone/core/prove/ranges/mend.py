"""What would rule a failure out: a narrower limit of a size, or a limit that follows another size.
Each is tried before it is proposed."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from ...quantity import COUNT, TRUTH, formula_of, plain
from .allowed import Point, Sheets, Span, rounded
from .judge import Outcome
from .limit import Mend
from .shrink import Asking, Cause, closeness, distance, fails_alike, shrink

#: So many rules are tried.
_RULES = 4
#: At so many values of one size the end of the other is looked for.
_ACROSS = 5
#: So many failing points are put to the new limit and built again.
_TRIED = 6
#: Shares that a rule may have, the plainest first.
_SHARES = tuple(
    sorted(
        {(p, q) for q in (1, 2, 3, 4, 5, 6, 8, 10) for p in (1, 2, 3, 4, 5) if math.gcd(p, q) == 1},
        key=lambda share: (share[0] + share[1], share),
    )
)

#: A limit of one size that keeps so much needs no rule between two.
_ENOUGH = 0.97

#: Planned points with what came of them, in their order: what is proposed must not hang on what
#: else was built, or on what was ready first.
Seen = Mapping[Point, Outcome]


def mend(sheets: Sheets, cause: Cause, seen: Seen) -> Asking[Mend | None]:
    """The best that was found and tried; None where nothing helps."""
    best: Mend | None = None
    for name in cause.away:
        narrower = _narrower(sheets, cause, name, seen)
        if narrower is not None and (best is None or narrower.keeps > best.keeps):
            firm = yield from _firm(sheets, cause, narrower, seen)
            best = firm if firm is not None and (best is None or firm.keeps > best.keeps) else best
    if best is None or best.keeps < _ENOUGH:
        pair = cause if len(cause.away) == 2 else (yield from _of_two(sheets, cause, seen))
        rule = (yield from _rule(sheets, pair, seen)) if pair is not None else None
        if rule is not None and (best is None or rule.keeps > best.keeps):
            return rule
    return best


def _of_two(sheets: Sheets, cause: Cause, seen: Seen) -> Asking[Cause | None]:
    """Another cause of the same failure, in two sizes: what fails though the one that is to blame
    nearest to what is published is still where it holds."""
    edges = {edge.name: edge for edge in cause.edges}
    base = sheets.allowed.as_published

    def still(point: Point) -> bool:
        return all(
            (point.value(name) - edge.fails) * (edge.fails - base.value(name)) < 0
            for name, edge in edges.items()
        )

    rest = [point for point in _failing(cause, seen) if edges and still(point)]
    if not rest:
        return None
    nearest = min(rest, key=lambda point: distance(sheets, point))
    failure = fails_alike(seen[nearest], cause.failure.kind)
    assert failure is not None
    shrunk = yield from shrink(sheets, nearest, failure)
    return shrunk if len(shrunk.away) == 2 else None


def _failing(cause: Cause, seen: Seen) -> list[Point]:
    kind = cause.failure.kind
    return [
        point
        for point, outcome in seen.items()
        if fails_alike(outcome, kind) is not None and set(cause.away) <= dict(point.values).keys()
    ]


def _narrower(sheets: Sheets, cause: Cause, name: str, seen: Seen) -> Mend | None:
    """The limit of one size that leaves out all that failed alike."""
    span, base = sheets.allowed.span(name), sheets.allowed.as_published
    now = base.value(name)
    if span.kind == TRUTH:
        return None
    above = cause.point.value(name) > now
    failing = [point.value(name) for point in _failing(cause, seen)]
    beyond = [value for value in failing if (value > now if above else value < now)]
    if not beyond or len(beyond) < len(failing):
        return None  # fails at, or on both sides of, what is published: no one limit helps
    nearest = min(beyond) if above else max(beyond)
    edge = next((edge for edge in cause.edges if edge.name == name), None)
    known = edge.holds if edge is not None and len(cause.away) == 1 else None
    holds = nearest if known is None else known
    if above:
        value = _inward(span, min(holds, nearest), above)
        value = value if value < nearest else _inward(span, nearest - closeness(span), above)
    else:
        value = _inward(span, max(holds, nearest), above)
        value = value if value > nearest else _inward(span, nearest + closeness(span), above)
    if (value < now) if above else (value > now):
        return None
    return _mend(span, "high" if above else "low", value, seen)


def _inward(span: Span, value: float, above: bool) -> float:
    """A value that people would type, on the side that holds."""
    if span.kind == COUNT:
        return float(math.floor(value) if above else math.ceil(value))
    wide = span.high - span.low
    for grid in (10.0, 5.0, 1.0, 0.5, 0.1, 0.01):
        if grid <= wide / 100:
            steps = math.floor(value / grid + 1e-9) if above else math.ceil(value / grid - 1e-9)
            return float(f"{steps * grid:.10g}")
    return value


def _mend(span: Span, end: str, value: float, seen: Seen) -> Mend:
    holding = [p for p, outcome in seen.items() if outcome.holds and span.name in dict(p.values)]
    inside = [p for p in holding if (p.value(span.name) <= value) == (end == "high")]
    keeps = len(inside) / len(holding) if holding else 0.0
    return Mend(span.name, end, formula_of(value, span.kind), keeps)


def _firm(sheets: Sheets, cause: Cause, proposed: Mend, seen: Seen) -> Asking[Mend | None]:
    """The limit, moved on until what failed holds once the size is put to it; None where it would
    have to leave out what is published."""
    kind, span = cause.failure.kind, sheets.allowed.span(proposed.size)
    base, above = sheets.allowed.as_published, proposed.end == "high"
    value = _value_of(sheets, proposed)

    def fails(point: Point, at: float) -> Asking[bool]:
        moved = point.with_values({proposed.size: at}, "trying a limit")
        return sheets.is_allowed(moved) and fails_alike((yield moved), kind) is not None

    ends = {
        name: sheets.allowed.span(name).high
        if cause.point.value(name) > base.value(name)
        else sheets.allowed.span(name).low
        for name in cause.away
    }
    worst = cause.point.with_values(ends, "trying a limit")
    for point in [worst, *_failing(cause, seen)[:_TRIED]]:
        if not (yield from fails(point, value)):
            continue
        if (yield from fails(point, base.value(proposed.size))):
            return None
        holds = yield from _halved(
            span, base.value(proposed.size), value, partial(fails, point), 2 * closeness(span)
        )
        value = _inward(span, holds, above)
        if (value < base.value(proposed.size)) if above else (value > base.value(proposed.size)):
            value = holds
    return _mend(span, proposed.end, value, seen)


def _halved(
    span: Span,
    holds: float,
    wrong: float,
    fails: Callable[[float], Asking[bool]],
    close: float,
) -> Asking[float]:
    """The last value that holds, on the way from one that does to one that fails."""
    while abs(wrong - holds) > close:
        middle = (wrong + holds) / 2
        if span.kind == COUNT:
            middle = float(round(middle))
        if middle in (wrong, holds):
            break
        if (yield from fails(middle)):
            wrong = middle
        else:
            holds = middle
    return holds


def _value_of(sheets: Sheets, proposed: Mend) -> float:
    base = sheets.at(sheets.allowed.as_published)
    return base.compile(proposed.formula).value(base.env()).value


# A limit that follows another size


def _rule(sheets: Sheets, cause: Cause, seen: Seen) -> Asking[Mend | None]:
    """A limit of one of two sizes that is a formula of the other."""
    for follows, leads in (cause.away, cause.away[::-1]):
        spans = sheets.allowed.span(follows), sheets.allowed.span(leads)
        if any(span.kind in (COUNT, TRUTH) for span in spans) or spans[0].kind != spans[1].kind:
            continue
        ends = yield from _ends_across(sheets, cause, follows, leads)
        if len(ends) < 2:
            continue
        base = sheets.allowed.as_published
        above = cause.point.value(follows) > base.value(follows)
        slack = 2 * closeness(spans[0])
        for text, bound in _formulas(leads, ends, above, slack):
            end = "high" if above else "low"
            rest = _judged_by(bound, follows, leads, above, cause, seen)
            if rest is None:
                continue
            proposed = Mend(follows, end, text, rest)
            helps = yield from _rule_helps(sheets, cause, proposed, bound, leads)
            if helps:
                return proposed
    return None


def _ends_across(
    sheets: Sheets, cause: Cause, follows: str, leads: str
) -> Asking[list[tuple[float, float]]]:
    """Where the one size begins to fail, at values of the other: pairs of the other's value and the
    last that holds."""
    kind, allowed = cause.failure.kind, sheets.allowed
    span, other, now = allowed.span(follows), allowed.span(leads), allowed.as_published
    far = span.high if cause.point.value(follows) > now.value(follows) else span.low
    start = span.low if far == span.high else span.high
    end = other.high if cause.point.value(leads) > now.value(leads) else other.low

    def fails(at: float, value: float) -> Asking[bool]:
        point = cause.point.with_values({leads: at, follows: value}, "looking for a rule")
        # What the limits do not allow needs no rule.
        return sheets.is_allowed(point) and fails_alike((yield point), kind) is not None

    def fails_far(at: float) -> Asking[bool]:
        return (yield from fails(at, far))

    # Where the other size is fine all over, there is no end to be found: begin where that is over.
    begin = other.low if end == other.high else other.high
    if not (yield from fails_far(end)):
        return []
    if not (yield from fails_far(begin)):
        begin = yield from _halved(other, begin, end, fails_far, 4 * closeness(other))
    ends = []
    for k in range(_ACROSS):
        at = rounded(other, other.low, other.high, begin + (end - begin) * k / (_ACROSS - 1))
        if (yield from fails(at, start)) or not (yield from fails_far(at)):
            continue
        last = yield from _halved(span, start, far, partial(fails, at), 2 * closeness(span))
        ends.append((at, last))
    return ends


@dataclass(frozen=True, slots=True)
class _Bound:
    """A bound of a size: so much of another, and so much beside."""

    share: float
    beside: float

    def at(self, value: float) -> float:
        return self.share * value + self.beside


def _formulas(
    leads: str, ends: Sequence[tuple[float, float]], above: bool, slack: float
) -> list[tuple[str, _Bound]]:
    """Formulas of one size that keep to the side that holds at every end, the plainest first; none
    that gives away much more than it must. Ends lie on that side by ``slack`` at most."""
    wide = max(abs(end) for _, end in ends) or 1.0
    formulas: list[tuple[float, str, _Bound]] = []
    for (p, q), sign in itertools.product(_SHARES, (1, -1)):
        share = sign * p / q
        rest = [end - share * at for at, end in ends]
        beside = min(rest) if above else max(rest)
        spread = max(rest) - min(rest)
        if spread > 0.04 * wide:
            continue
        near = _tidy(beside, above, slack)
        # Where it fails right at the rule as well, a tenth of a millimetre inside is one, too.
        for more in (near, _tidy(beside + (-0.1 if above else 0.1), above, 0.1)):
            cost = spread / wide + 0.002 * (p + q + (sign < 0)) + (0.004 if more else 0.0)
            formulas.append((cost, _said(leads, p, q, sign, more), _Bound(share, more)))
    formulas.sort(key=lambda one: one[0])
    return [(text, bound) for _, text, bound in formulas[:_RULES]]


def _tidy(beside: float, above: bool, slack: float) -> float:
    """What is added to a share, as people write it: the plainest number as good as it."""
    low, high = (beside, beside + slack) if above else (beside - slack, beside)
    if low <= 0 <= high:
        return 0.0
    for grid in (10.0, 5.0, 1.0, 0.5, 0.1, 0.01):
        steps = math.floor(high / grid) if above else math.ceil(low / grid)
        if low <= steps * grid <= high:
            return float(f"{steps * grid:.10g}")
    return beside


def _said(leads: str, p: int, q: int, sign: int, beside: float) -> str:
    text = leads if p == 1 else f"{p}*{leads}"
    text = f"{text}/{q}" if q > 1 else text
    if sign < 0:
        return f"{plain(beside, 3)} mm - {text}"
    if not beside:
        return text
    return f"{text} {'+' if beside > 0 else '-'} {plain(abs(beside), 3)} mm"


def _judged_by(
    bound: _Bound, follows: str, leads: str, above: bool, cause: Cause, seen: Seen
) -> float | None:
    """The share of what holds that a rule still allows; None where it lets through what fails, or
    leaves out what is published."""

    def inside(point: Point) -> bool:
        most = bound.at(point.value(leads))
        value = point.value(follows)
        return value <= most + 1e-9 if above else value >= most - 1e-9

    if any(inside(point) for point in _failing(cause, seen)):
        return None
    holding = [
        p
        for p, outcome in seen.items()
        if outcome.holds and {follows, leads} <= dict(p.values).keys()
    ]
    return sum(map(inside, holding)) / len(holding) if holding else 0.0


def _rule_helps(
    sheets: Sheets, cause: Cause, proposed: Mend, bound: _Bound, leads: str
) -> Asking[bool]:
    """Whether it holds right at the rule, at values of the other size between those looked at."""
    span, other = sheets.allowed.span(proposed.size), sheets.allowed.span(leads)
    for k in range(_ACROSS - 1):
        at = other.low + (other.high - other.low) * (k + 0.37) / (_ACROSS - 1)
        value = min(max(bound.at(at), span.low), span.high)
        inside = value <= bound.at(at) if proposed.end == "high" else value >= bound.at(at)
        if not inside:
            continue  # the rule leaves nothing there
        point = cause.point.with_values({leads: at, proposed.size: value}, "trying a rule")
        if not sheets.is_allowed(point):
            continue
        if fails_alike((yield point), cause.failure.kind) is not None:
            return False
    return True
