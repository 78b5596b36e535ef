"""Of which kind a function's result is, by the kinds of its arguments, and what is wrong with
them."""

from __future__ import annotations

from typing import Protocol

from ..quantity import COUNT, ZERO, Kind


class KindRule(Protocol):
    """From the kinds of all arguments to that of the result.

    Raises:
        WrongKind: where one of them does not go with the function.
    """

    def __call__(self, kinds: list[Kind]) -> Kind: ...


class WrongKind(Exception):
    """Raised by a kind rule: which argument (from 0), and what is wrong with it."""

    def __init__(self, index: int, what: str) -> None:
        super().__init__(what)
        self.index, self.what = index, what


def is_of(kind: Kind, given: Kind) -> bool:
    """Whether a value goes where one of a kind is wanted; a plain 0 goes anywhere."""
    return given in (kind, ZERO)


def alike(kinds: list[Kind]) -> Kind:
    """All of one kind, which is that of the result."""
    wanted = next((kind for kind in kinds if kind != ZERO), COUNT)
    for index, kind in enumerate(kinds):
        if kind.tag == "truth":
            raise WrongKind(index, "is a yes or no, a number is wanted")
        if not is_of(wanted, kind):
            raise WrongKind(
                index, f"is {kind.with_article}, but the first is {wanted.with_article}"
            )
    return wanted


def all_of(kind: Kind, result: Kind) -> KindRule:
    """All of this kind."""

    def rule(kinds: list[Kind]) -> Kind:
        for index, given in enumerate(kinds):
            if not is_of(kind, given):
                raise WrongKind(index, f"is {given.with_article}, {kind.with_article} is wanted")
        return result

    return rule


def each_of(*wanted: Kind, result: Kind) -> KindRule:
    """Each of the kind at its place; what follows is of any."""

    def rule(kinds: list[Kind]) -> Kind:
        for index, (given, kind) in enumerate(zip(kinds, wanted, strict=False)):
            if not is_of(kind, given):
                raise WrongKind(index, f"is {given.with_article}, {kind.with_article} is wanted")
        return result

    return rule


def alike_but_counts(kinds: list[Kind]) -> Kind:
    """Whole numbers of counts; of other kinds only to a step of that kind."""
    if len(kinds) == 1 and not is_of(COUNT, kinds[0]):
        label = kinds[0].with_article
        raise WrongKind(
            0, f"is {label}, and a {kinds[0].label} has no whole numbers: say to which step"
        )
    return alike(kinds)


def of_the_first(kinds: list[Kind]) -> Kind:
    """The result is what the first is."""
    return kinds[0]


def keyed(kinds: list[Kind]) -> Kind:
    """A column, a column of keys, and a key of the kind of those."""
    if not is_of(kinds[1], kinds[2]):
        raise WrongKind(2, f"is {kinds[2].with_article}, but the keys are {kinds[1].plural}")
    return kinds[0]


def root_of(kinds: list[Kind]) -> Kind:
    """A square root: a length of an area, a number of a number."""
    root = kinds[0].root(2)
    if kinds[0].tag == "truth" or root is None:
        raise WrongKind(0, f"is {kinds[0].with_article}, which has no square root")
    return root if kinds[0] != ZERO else COUNT


def to_a_count(kinds: list[Kind]) -> Kind:
    """A number from what is all of one kind."""
    alike(kinds)
    return COUNT
