"""The docs say what is true."""

import re
import xml.etree.ElementTree as ElementTree

import pytest

from schablone.app.demo import manual_pages
from schablone.cli.main import main
from schablone.core.formula.functions import function_table
from schablone.reader.inputs import table_in_words
from tests.conftest import TOP

_LINK = re.compile(r"\]\(([^)#:]+)\)")


@pytest.mark.parametrize(
    "page", sorted([TOP / "README.md", *(TOP / "docs").glob("*.md")]), ids=lambda path: path.name
)
def test_links_and_pictures_are_there(page) -> None:
    for target in _LINK.findall(page.read_text("utf8")):
        assert (page.parent / target).exists(), target


def test_all_pictures_are_linked_and_not_too_many() -> None:
    pictures = [path.name for path in (TOP / "docs" / "screenshots").glob("*.png")]
    readme = (TOP / "README.md").read_text("utf8")
    assert 8 <= len(pictures) < 20
    assert all(name in readme for name in pictures)


def test_the_table_of_functions_is_current() -> None:
    assert function_table() in (TOP / "docs" / "formulas.md").read_text("utf8")
    assert table_in_words() in (TOP / "docs" / "trust.md").read_text("utf8")


def test_the_manual_is_in_order() -> None:
    assert list(manual_pages()) == [
        "First steps",
        "Formulas",
        "Size tables and spreadsheets",
        "Drawing",
        "Building",
        "Folded sheets",
        "Bought parts, and to the workshop",
        "Stencils",
        "Plain solids",
        "Processes",
        "Proving",
        "Publishing",
    ]


@pytest.mark.parametrize(
    "formula",
    [
        piece
        for piece in re.findall(r"`([^`]*)`", (TOP / "docs" / "formulas.md").read_text("utf8"))
        # What reads the size table needs one; those examples are tested with the functions.
        if re.search(r"\d (?:mm|in|cm)", piece)
        and not re.match("from_row|lookup|interpolate", piece)
    ],
)
def test_formulas_in_the_manual_can_be_worked_out(formula: str, capsys) -> None:
    names = (
        "height",
        "length",
        "width",
        "web",
        "pitch",
        "dowel",
        "span",
        "item",
        "gap",
        "margin",
        "spacing",
        "board",
    )
    assert (
        main(
            [
                "formula",
                formula,
                *(word for name in names for word in ("--let", f"{name}=50 mm")),
                "--let",
                "count=3",
            ]
        )
        == 0
    )


def test_desktop_and_mime_files() -> None:
    desktop = (TOP / "packaging" / "schablone.desktop").read_text("utf8")
    assert "MimeType=application/vnd.schablone.design+json;" in desktop
    root = ElementTree.parse(TOP / "packaging" / "schablone-mime.xml").getroot()
    assert root[0].get("type") == "application/vnd.schablone.design+json"
    assert (TOP / "packaging" / "schablone.svg").exists()
