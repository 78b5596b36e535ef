"""Text that people typed, as Markdown that shows it letter for letter: no link, picture, heading or
list of theirs."""

from __future__ import annotations

import re

_SPECIAL = re.compile(r"[\\`*{}\[\]#!|~]")
#: An underline at the edge of a word begins emphasis; within one it is part of a name.
_EDGE = re.compile(r"(?<!\w)_|_(?!\w)")
#: What makes a line a list, a quotation or the underline of a heading.
_LEAD = re.compile(r"^([-+=]|\d+[.)])")


def as_typed(text: str) -> str:
    """The text of one paragraph or cell, on one line."""
    line = " ".join(text.split()).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    line = _EDGE.sub(r"\\_", _SPECIAL.sub(_escaped, line))
    return _LEAD.sub(lambda found: f"{found[1][:-1]}&#{ord(found[1][-1])};", line)


def paragraphs(text: str) -> str:
    """Paragraphs that people typed: those with an empty line between them stay apart."""
    return "\n\n".join(as_typed(part) for part in re.split(r"\n\s*\n", text) if part.strip())


def code(text: str) -> str:
    """A formula or a name as it is typed."""
    return f"`{' '.join(text.replace('`', '’').split())}`"


def _escaped(found: re.Match[str]) -> str:
    # A bar parts cells, a tilde strikes out: neither can be escaped everywhere.
    return f"&#{ord(found[0])};" if found[0] in "|~" else f"\\{found[0]}"
