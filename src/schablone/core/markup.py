"""What is marked up, told from what people typed by its type.

Every ``str`` may come from somebody else: it is shown letter for letter. What may have links,
headings and tables is :class:`Marked`, and only this module makes that of a text. So a page cannot
show what nobody has escaped: it takes no ``str``. For HTML :class:`markupsafe.Markup` is the same.
"""

from __future__ import annotations

import re
import string
from collections.abc import Iterable, Sequence
from numbers import Number
from typing import Self

from markupsafe import Markup

_SPECIAL = re.compile(r"[\\`*{}\[\]#!|~]")
#: An underline at the edge of a word begins emphasis; within one it is part of a name.
_EDGE = re.compile(r"(?<!\w)_|_(?!\w)")
#: What makes a line a list, a quotation or the underline of a heading.
_LEAD = re.compile(r"^([-+=]|\d+[.)])")
#: Where what follows could begin a list: nothing but the mark of an item stands before it.
_BEGINS = re.compile(r"(^|\n)[ ]*((- |\d+\. )[ ]*)*$")
_FIELDS = string.Formatter()

_STYLE = """
body { font: 15px/1.5 "IBM Plex Sans", sans-serif; color: #23282e; max-width: 46em;
    margin: 2.5em auto; padding: 0 1em; }
h1 { font-size: 1.7em; margin: 0 0 .6em; } h2 { font-size: 1.15em; margin: 1.8em 0 .5em; }
h3 { font-size: 1em; margin: 1.2em 0 .3em; color: #5b646d; } li { margin: .3em 0; }
code { font: .92em "IBM Plex Mono", monospace; background: #f1f3f4; padding: .05em .3em;
    border-radius: 3px; }
table { border-collapse: collapse; } td, th { border-bottom: 1px solid #d5dadd;
    padding: .3em .9em .3em 0; text-align: left; }
@media print { body { margin: 0; max-width: none; font-size: 10.5pt; } h2,
    h3 { break-after: avoid; } li, tr { break-inside: avoid; } }
"""
_PAGE = """<!DOCTYPE html>
<html lang="en"><head><meta charset="utf-8"><title>{title}</title><style>{style}</style></head>
<body>
{body}
</body></html>
"""


class Marked(str):
    """Markdown whose every mark is Schablone's own.

    It is made of a template by :func:`marked`; putting it together with a ``str`` escapes that.
    """

    __slots__ = ()

    def join(self, parts: Iterable[str]) -> Self:
        """Put this between others; what is not marked is escaped."""
        done = ""
        for number, part in enumerate(parts):
            done += str(self) if number else ""
            done += _put(part, "", done)
        return type(self)(done)

    def __add__(self, other: str) -> Self:
        return type(self)(super().__add__(_put(other, "", self)))

    def __radd__(self, other: str) -> Self:
        return type(self)(_put(other, "", "") + str(self))


def marked(template: str, *texts: object) -> Marked:
    """A template whose braces are filled in turn with texts, letter for letter, with numbers, and
    with what is marked: ``marked("- **{}**: {:g} mm", name, 3.0)``.

    The template is a constant of the code (a test holds that): what somebody typed never is one.
    """
    done, order = "", iter(texts)
    for literal, field, spec, _ in _FIELDS.parse(template):
        done += literal
        if field is not None:
            done += _put(next(order), spec or "", done)
    assert next(order, None) is None, f"more texts than braces: {template}"
    return Marked(done)


def _put(value: object, spec: str, before: str) -> str:
    """A value as it stands after what is there before."""
    if isinstance(value, Marked):
        return str(value)
    text = format(value, spec)
    if isinstance(value, Number):
        return text
    return str(as_typed(text)) if _BEGINS.search(before) else _between(text)


def as_typed(text: str) -> Marked:
    """The text of one paragraph or cell, on one line."""
    line = _on_a_line(text)
    return Marked(_LEAD.sub(lambda found: f"{found[1][:-1]}&#{ord(found[1][-1])};", line))


def paragraphs(text: str) -> Marked:
    """Paragraphs that people typed: those with an empty line between them stay apart."""
    parts = re.split(r"\n\s*\n", text)
    return Marked("\n\n").join(as_typed(part) for part in parts if part.strip())


def code(text: str) -> Marked:
    """A formula or a name as it is typed."""
    return Marked(f"`{' '.join(text.replace('`', '’').split())}`")


def code_in_a_cell(text: str) -> Marked:
    """The same where a bar would end the cell of a table."""
    return Marked(code(text).replace("|", "\\|"))


def ours(text: str) -> Marked:
    """A text that ships with Schablone, with its marks; few places may call this."""
    return Marked(text)


def table_head(titles: Sequence[str]) -> list[Marked]:
    """The first two lines of a table."""
    return [table_row(titles), Marked("|---" * len(titles) + "|")]


def table_row(cells: Iterable[str]) -> Marked:
    """A line of a table."""
    return marked("| {} |", Marked(" | ").join(cells))


def page_of(lines: Iterable[Marked]) -> Marked:
    """Lines as a page."""
    return Marked("\n").join(lines)


def deeper(text: Marked) -> Marked:
    """A page that stands within another: without its title, its headings a step lower."""
    return Marked(str(text).partition("\n")[2].replace("\n## ", "\n### "))


def html_of(text: Marked) -> Markup:
    """Markdown as HTML.

    Raises:
        TypeError: for text of which nobody knows whose its marks are.
    """
    import markdown  # few pages are looked at

    if not isinstance(text, Marked):
        raise TypeError("Only what Schablone has marked up becomes HTML.")
    return Markup(markdown.markdown(text, extensions=["tables", "sane_lists", "fenced_code"]))


def as_html(text: Marked, title: str) -> Markup:
    """A page of Markdown as one HTML file that needs nothing else, fit to print."""
    return Markup(_PAGE).format(title=title, style=Markup(_STYLE), body=html_of(text))


def _between(text: str) -> str:
    """What stands between other words: it stays apart from them where it was."""
    before, after = (" " if edge.isspace() else "" for edge in (text[:1], text[1:][-1:]))
    return f"{before}{_on_a_line(text)}{after}"


def _on_a_line(text: str) -> str:
    line = " ".join(text.split()).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return _EDGE.sub(r"\\_", _SPECIAL.sub(_escaped, line))


def _escaped(match: re.Match[str]) -> str:
    # A bar parts cells, a tilde strikes out: neither can be escaped everywhere.
    return f"&#{ord(match[0])};" if match[0] in "|~" else f"\\{match[0]}"
