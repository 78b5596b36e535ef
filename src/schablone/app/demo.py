"""Where the demo designs and the manual lie."""

from __future__ import annotations

from pathlib import Path

from ..core.markup import Marked, ours

_TOP = Path(__file__).resolve().parents[3]


def demo_designs() -> list[Path]:
    """The demo designs."""
    return sorted((_TOP / "demo").glob("*.schablone"))


def demo_design(name: str) -> Path:
    """A demo design by the name of its file."""
    return _TOP / "demo" / f"{name}.schablone"


def manual_pages() -> dict[str, Marked]:
    """Title and Markdown text of each page of the manual, in the order in which it is read."""
    pages = {}
    for name in (
        "first-steps",
        "formulas",
        "size-tables",
        "drawing",
        "building",
        "folding",
        "together",
        "stencils",
        "plain-solids",
        "processes",
        "proving",
        "publishing",
    ):
        path = _TOP / "docs" / f"{name}.md"
        if path.exists():
            text = path.read_text("utf8")
            pages[text.splitlines()[0].removeprefix("# ").strip()] = ours(text)
    return pages
