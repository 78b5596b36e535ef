"""The pieces that a formula is made of: numbers with their units, names, signs."""

from __future__ import annotations

import re
from typing import NamedTuple

from .literal import PATTERN
from .tree import TextSpan

#: Words that cannot be the name of a size.
KEYWORDS = frozenset({"if", "then", "else", "and", "or", "not", "in"})

#: Signs that are written in several ways, and the one that trees bear.
SIGNS = {"−": "-", "·": "*", "×": "*", "÷": "/", "≤": "<=", "≥": ">=", "≠": "!=", "==": "="}

# The first that fits is taken: a number before the point that it may begin with, two points before
# one.
_TOKEN = re.compile(
    rf"(?P<number>{PATTERN})"
    r"|(?P<compare>==|<=|>=|!=|[=<>≤≥≠])"
    r"|(?P<add>[+\-−])"
    r"|(?P<multiply>[*/·×÷])"
    r"|(?P<power>\^)"
    r"|(?P<raised>[²³])"
    r"|(?P<word>[^\W\d²³][^\W²³]*)"
    # The name of a row of the size table, and nothing else, is quoted.
    r"|(?P<quoted>\"[^\"\n]*\"|“[^”\n]*”)"
    r"|(?P<mark>\.\.|[().,:])"
)
_BLANK = re.compile(r"(?:\s+|#[^\n]*)*")


class Token(NamedTuple):
    """One piece: what it is (``number``, ``word``, ``end`` …), its text, and where it stands."""

    kind: str
    text: str
    start: int
    end: int

    @property
    def span(self) -> TextSpan:
        return (self.start, self.end)


def token_at(text: str, at: int) -> Token:
    """The token at a place of a text or after the blanks there.

    Its kind is ``end`` where nothing follows, and ``strange`` where something does that is no part
    of any formula.
    """
    start = _BLANK.match(text, at).end()  # type: ignore[union-attr] # it matches nothing, too
    match = _TOKEN.match(text, start)
    if match is not None:
        return Token(match.lastgroup or "", match[0], start, match.end())
    if start == len(text):
        return Token("end", "", start, start)
    return Token("strange", text[start], start, start + 1)
