"""What a formula is evaluated in and what it may take; and a formula that is ready for that."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from ..quantity import COUNT, ZERO, Kind, Quantity
from .errors import FormulaError
from .habits import Habits, Screws
from .tables import Column
from .tree import Node

#: How many terms all sums and products of one formula may have together.
MOST_TERMS = 100_000


#: So many steps all sizes together may take: with more, no key would be answered any more. A term
#: is one, and one more for so many characters that it is long.
MOST_IN_ALL = 1_000_000


@dataclass(slots=True)
class Spent:
    """Counts what a sheet asks for, by the size or step that is worked out (``at``): the terms of
    sums and products, long ones by their length."""

    at: str = ""
    by: dict[str, int] = field(default_factory=dict)
    whole: int = 0
    #: More was asked for than there is.
    is_over: bool = False

    def take(self, steps: int, span: tuple[int, int]) -> None:
        """Count some more.

        Raises:
            FormulaError: where all together are too many, with the dearest.
        """
        if self.whole + steps > MOST_IN_ALL:
            self.is_over = True
            dear = sorted({**self.by, self.at: self.by.get(self.at, 0) + steps}.items(),
                          key=lambda one: -one[1])[:3]  # fmt: skip
            names = ", ".join(f"“{name}” ({count:,})" for name, count in dear if name)
            raise FormulaError(
                f"All sizes together take more than {MOST_IN_ALL:,} steps to work out.",
                span,
                f"The dearest are {names}: let sums go over fewer terms." if names else "",
            )
        self.whole += steps
        self.by[self.at] = self.by.get(self.at, 0) + steps


@dataclass(slots=True)
class Env:
    """What a formula is evaluated in: values of names in base units, and the process.

    ``habits`` None is no process at all. ``wanted`` is the environment of the wanted sizes; under
    the lens *Wanted* it is this one. ``screws`` are clearance holes beside those of the standard,
    ``spent`` counts what sums and products take of what all sizes may take together.
    """

    values: Mapping[str, float]
    habits: Habits | None = None
    wanted_env: Env | None = None
    terms: int = field(default=MOST_TERMS)
    columns: Mapping[str, Column] = field(default_factory=dict)
    screws: Screws = field(default_factory=dict)
    spent: Spent | None = None

    @property
    def wanted(self) -> Env:
        """The environment in which values are as wanted."""
        return self.wanted_env or self

    def within(self, name: str) -> tuple[Env, Callable[[float], None]]:
        """A copy in which ``name`` can be given one value after another, and what sets it."""
        values = dict(self.values)
        inner = Env(values, self.habits, columns=self.columns, screws=self.screws, spent=self.spent)
        if self.wanted_env is None:
            return inner, lambda value: values.__setitem__(name, value)
        wanted_values = dict(self.wanted_env.values)
        outer = self.wanted_env
        inner.wanted_env = Env(
            wanted_values, outer.habits, columns=outer.columns, screws=outer.screws,
            spent=outer.spent,
        )  # fmt: skip

        def give(value: float) -> None:
            values[name] = wanted_values[name] = value

        return inner, give


Run = Callable[[Env], float]


@dataclass(frozen=True, slots=True)
class Typed:
    """A compiled piece: its kind, how to run it, and its value where that is known beforehand."""

    kind: Kind
    run: Run
    constant: float | None = None


@dataclass(frozen=True, slots=True)
class Compiled:
    """A formula ready to be evaluated.

    ``side`` is ``inside`` or ``outside`` where the whole formula is a call of a process function.
    """

    text: str
    tree: Node
    kind: Kind
    run: Run
    side: str = ""

    def value(self, env: Env) -> Quantity:
        """Evaluate.

        Raises:
            FormulaError: for a division by zero and the like, or where there is no finite answer.
        """
        try:
            value = float(self.run(env))
        except OverflowError:
            raise FormulaError("The answer is too large a number.") from None
        if not math.isfinite(value):
            raise FormulaError("The answer is too large a number.")
        return Quantity(value + 0.0, COUNT if self.kind == ZERO else self.kind)
