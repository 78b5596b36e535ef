"""What people typed is shown letter for letter, whatever Markdown makes of such letters."""

from __future__ import annotations

import ast
from html.parser import HTMLParser
from pathlib import Path

import markdown
import pytest
from hypothesis import given
from hypothesis import strategies as st

import schablone
from schablone.core.design.compare import comparison_text
from schablone.core.design.text import design_text
from schablone.core.markup import Marked, as_html, as_typed, html_of, marked, paragraphs
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
        self.text += str(data)


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


@given(LETTERS.filter(str.strip), LETTERS.filter(str.strip))
def test_what_is_put_into_a_template_stays_text_wherever_it_stands(first: str, second: str) -> None:
    for line, told in (
        (marked("- **a**: {} ({:.1f}) {}", first, 2.0, second), f"a: {first} (2.0) {second}"),
        (marked("- {}\n- **{}**", second, first), f"{second} {first}"),
        (marked("1. {}, {}", first, second), f"{first}, {second}"),
    ):
        page = Page()
        page.feed(str(html_of(line)))
        assert page.tags <= {"ul", "ol", "li", "strong"}
        assert page.text.split() == told.split()


@given(LETTERS)
def test_a_text_put_beside_what_is_marked_becomes_no_mark(text: str) -> None:
    begun = Marked("**a** ")
    for said in (begun + text, text + Marked(" ") + begun, Marked(" ").join([begun, text])):
        assert isinstance(said, Marked)
        page = Page()
        page.feed(html_of(said))
        assert page.tags == {"p", "strong"}
        assert sorted(page.text.split()) == sorted(["a", *text.split()])


def test_a_page_takes_no_text_of_which_nobody_knows_whose_its_marks_are() -> None:
    with pytest.raises(TypeError):
        html_of(f"**{marked('a')}**")  # type: ignore[arg-type]
    with pytest.raises(AssertionError):
        marked("{}", "one", "too many")


def test_only_numbers_go_in_as_they_are() -> None:
    class Odd:
        def __str__(self) -> str:
            return "<b>*x*</b>"

    assert "<b>" not in marked("{} {:.1f} {}", Odd(), 2.0, True)
    assert marked("{:.1f}, {}", 2.0, 3) == "2.0, 3"


def test_notes_of_others_make_no_links_where_designs_are_compared() -> None:
    bad = "[go](http://example.org) <b>x</b>"
    one = plate()
    other = one.model_copy(
        update={"steps": (one.steps[0], one.steps[1].model_copy(update={"note": bad}))}
    )
    page = Page()
    page.feed(as_html(comparison_text(one, other, neutral(), ("<i>one</i>", bad)), bad))
    assert not page.tags & {"a", "b", "i"}
    assert page.text.count(bad) >= 3


#: Who makes markup of what is no constant: the module that escapes, and who reads files that ship.
_MAKES = {"core/markup.py": None, "core/publish/page/html.py": 1, "app/demo.py": 1}


def test_nobody_makes_markup_of_what_somebody_typed() -> None:
    """A template is written in the code, as one string without anything put into it."""
    top = Path(schablone.__file__).parent
    seen = 0
    for path in top.rglob("*.py"):
        if "markup" not in path.read_text("utf8"):
            continue
        where = path.relative_to(top).as_posix()
        made = [
            node
            for node in ast.walk(ast.parse(path.read_text("utf8")))
            if isinstance(node, ast.Call)
            and getattr(node.func, "id", "") in ("Marked", "marked", "Markup", "ours")
        ]
        seen += len(made)
        odd = [node.lineno for node in made if not _is_constant(node.args[0])]
        most = _MAKES.get(where, 0)
        assert most is None or len(odd) == most, f"{where}: {odd}"
    assert seen > 100


def _is_constant(node: ast.expr) -> bool:
    if isinstance(node, ast.IfExp):
        return _is_constant(node.body) and _is_constant(node.orelse)
    return isinstance(node, ast.Constant)
