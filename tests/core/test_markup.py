"""What people typed is shown letter for letter, whatever Markdown makes of such letters."""

from __future__ import annotations

from html.parser import HTMLParser

import markdown
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design.text import as_html, design_text
from schablone.core.markup import as_typed, paragraphs
from schablone.core.process import neutral
from tests.conftest import plate

LETTERS = st.text(st.sampled_from("ab1_*`[]()!#<>&|~-+=.\\'\":/ "), max_size=40)


class Page(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.tags: set[str] = set()
        self.text = ""

    def handle_starttag(self, tag, attrs) -> None:
        self.tags.add(tag)

    def handle_data(self, data) -> None:
        self.text += data


def shown(text: str) -> Page:
    page = Page()
    page.feed(markdown.markdown(text, extensions=["tables"]))
    return page


@given(LETTERS)
def test_a_line_is_shown_as_it_was_typed(text: str) -> None:
    page = shown(as_typed(text))
    assert page.text.split() == text.split()
    assert page.tags <= {"p"}


@given(LETTERS)
def test_so_is_a_cell_of_a_table(text: str) -> None:
    page = shown(f"| a | b |\n|---|---|\n| {as_typed(text)} | end |")
    assert page.tags == {"table", "thead", "tbody", "tr", "th", "td"}
    assert page.text.split() == ["a", "b", *text.split(), "end"]


def test_paragraphs_stay_apart_and_apostrophes_stay_themselves() -> None:
    assert paragraphs("Don't force it.\n\nIt's soft.") == "Don't force it.\n\nIt's soft."
    assert shown(paragraphs("one\n\n# two")).tags == {"p"}


def test_a_design_of_others_puts_no_links_or_pictures_on_its_page() -> None:
    bad = "![x](http://example.org/x.png) [go](http://example.org) <img src=x> *loud*"
    design = plate(sizes={"bore": "6 mm"})
    design = design.model_copy(
        update={
            "name": bad,
            "note": bad,
            "sizes": (design.sizes[0].with_(note=bad, group=bad[:60]),),
            "steps": tuple(step.with_(note=bad, group=bad[:60]) for step in design.steps),
        }
    )
    page = Page()
    page.feed(as_html(design_text(design, neutral()), "x"))
    assert not page.tags & {"a", "img"}
    assert page.text.count("![x](http://example.org/x.png) [go](http") >= 4  # letter for letter
