"""Text that somebody else wrote is plain text on every screen and page, whatever it looks like."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest
from PySide6.QtCore import QAbstractListModel, QModelIndex, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QLabel,
    QTextBrowser,
    QTextEdit,
    QWidget,
)

import schablone.app
from schablone.app.rail import PLACES
from schablone.core.bought import bought_on_the_shelf
from schablone.core.design import Design, read_design
from schablone.core.design.stencil_edit import put_in
from schablone.core.editions import make_edition
from schablone.core.process import shipped_processes
from schablone.core.publish.edition import read_edition_bytes
from schablone.core.reuse import stencils_on_the_shelf
from tests.conftest import TOP, plate
from tests.window.conftest import wait_until_settled

MARKUP = '<img src="http://192.0.2.1/a.png"><a href="http://192.0.2.1">b</a>**c**'
_TOP = QModelIndex()


def put_everywhere(model, keep: set[str] = frozenset()):
    """The same value with markup in each text field that takes any text, tried one by one."""
    data = model.model_dump(mode="json")
    kept = type(model).model_validate(data)
    for path in list(text_paths(data)):
        if path[-1] in keep:
            continue
        changed = _with(data, path)
        try:
            kept = type(model).model_validate(changed)
        except ValueError:
            continue  # a name, a formula, one of a few words
        data = changed
    return kept


def text_paths(data, before=()):
    items = data.items() if isinstance(data, dict) else enumerate(data)
    for key, value in items:
        if isinstance(value, str):
            yield (*before, key)
        elif isinstance(value, dict | list):
            yield from text_paths(value, (*before, key))


def _with(data, path):
    if not path:
        return MARKUP
    here = dict(data) if isinstance(data, dict) else list(data)
    here[path[0]] = _with(data[path[0]], path[1:])
    return here


def rich(widget: QWidget) -> list[str]:
    """What of a widget would be taken for markup."""
    found = []
    for one in [widget, *widget.findChildren(QWidget)]:
        tip = one.toolTip()
        if "<" in tip and not tip.startswith("<span>"):
            found.append(f"tip of {type(one).__name__}: {tip}")
        if isinstance(one, QLabel) and MARKUP[:4] in one.text():
            found += [] if one.textFormat() == Qt.TextFormat.PlainText else [one.text()]
        if isinstance(one, QTextBrowser | QTextEdit):
            found += _in_document(one)
        if isinstance(one, QAbstractItemView) and one.model() is not None:
            found += _in_items(one)
    return found


def _in_document(one) -> list[str]:
    found = []
    block = one.document().begin()
    while block.isValid():
        pieces = block.begin()
        while not pieces.atEnd():
            form = pieces.fragment().charFormat()
            if form.isImageFormat() or "192.0.2.1" in form.anchorHref():
                found.append(f"document: {block.text()[:80]}")
            pieces += 1
        block = block.next()
    return found


def _in_items(view: QAbstractItemView) -> list[str]:
    model = view.model()
    tips = [
        str(model.index(row, column).data(Qt.ItemDataRole.ToolTipRole) or "")
        for row in range(model.rowCount(_TOP))
        for column in range(1 if isinstance(model, QAbstractListModel) else model.columnCount(_TOP))
    ]
    return [f"tip of item: {tip}" for tip in tips if "<" in tip and not tip.startswith("<span>")]


def all_rich() -> list[str]:
    return [told for top in QApplication.topLevelWidgets() if top.isVisible() for told in rich(top)]


def read_demo(stem: str) -> Design:
    return read_design(TOP / "demo" / f"{stem}.schablone")


def marked_design(stem: str, keep: set[str] = frozenset()) -> Design:
    """A demo with markup wherever anybody could write some."""
    found = put_everywhere(read_demo(stem), {"process", "data", *keep})
    assert found.model_dump_json().count("192.0.2.1") > 10
    return found


def _look_at_the_pages_of_prove(window) -> None:
    """What breaks, what comes out and the review, all with markup for what others wrote."""
    window.go("prove")
    prove, found = window.prove, dict.fromkeys(("title", "check", "why", "hint"), MARKUP)
    point = {"values": {}, "row": "", "process": window.session.process.name}
    mend = {"size": MARKUP, "end": "high", "formula": MARKUP, "keeps": 1.0, "said": MARKUP}
    found |= {"ends_said": MARKUP, "builds_said": MARKUP, "point": point, "away": [],
              "mend": mend, "elsewhere": False}  # fmt: skip
    prove.review.parts = list  # its pictures are our own
    for page in (prove.range, prove.comes_out, prove.review):
        prove.pages.show_page(page)
        QApplication.processEvents()
        if page is prove.range:
            page._show_result(
                {"done": 1, "count": 1, "whole": True, "machines": {MARKUP: [1, 1]},
                 "notes": [MARKUP], "unsure": [MARKUP], "found": [found]}
            )  # fmt: skip
        assert not rich(window), page
    assert "192.0.2.1" in prove.review.page.toPlainText()  # letter for letter


@pytest.mark.parametrize("stem", ["entrance-slide", "feeder-cap", "hive-roof"])
def test_of_a_design_on_every_place_and_page(qtbot, window, stem) -> None:
    window.session.take(marked_design(stem), None)
    wait_until_settled(qtbot, window)
    for place in PLACES:
        window.go(place)
        QApplication.processEvents()
        assert not rich(window), place
    _look_at_the_pages_of_prove(window)
    words = window.files.show_words()
    QApplication.processEvents()
    assert "192.0.2.1" in words.page.toPlainText()  # letter for letter
    assert not all_rich()
    words.compare_with((plate(), MARKUP))
    assert words.page.toPlainText().count("192.0.2.1") > 10
    assert not all_rich()
    words.close()


def test_of_a_process_and_a_bought_part(qtbot, window) -> None:
    library = window.session.library
    for process in shipped_processes()[:6]:
        library.keep_process(put_everywhere(process, {"name"}))
    for part in bought_on_the_shelf()[:4]:
        library.keep_bought(put_everywhere(part, {"name", "data"}))
    window.session.process_changed()
    window.go("process")
    QApplication.processEvents()
    assert not all_rich()
    window.beside.show_bought()
    QApplication.processEvents()
    assert not all_rich()


def test_of_a_stencil_on_the_shelf_and_in_a_design(qtbot, window) -> None:
    for_people = {"title", "edition", "sort", "note", "also", "author", "licence"}
    for stencil in stencils_on_the_shelf()[:4]:
        every = {str(path[-1]) for path in text_paths(stencil.model_dump(mode="json"))}
        marked = put_everywhere(stencil, every - for_people)
        assert "192.0.2.1" in marked.title
        window.session.library.keep_stencil(marked)
    window.session.take(put_in(plate(), marked, face="plate/end", x="20 mm", name="it"), None)
    wait_until_settled(qtbot, window)
    window.shape.steps.choose("it")
    shelf = window.beside.show_stencils()
    make = window.beside.make_stencil(["it"])
    QApplication.processEvents()
    assert not all_rich()
    for place in PLACES:
        window.go(place)
        QApplication.processEvents()
        assert not rich(window), place
    words = window.files.show_words()
    QApplication.processEvents()
    assert not all_rich()
    for shown in (words, make, shelf):
        shown.close()


def test_of_an_edition_in_its_window_and_on_its_page(qtbot, application, tmp_path) -> None:
    # Where a formula or a name of something is wanted, markup keeps it from being published.
    every = {
        str(path[-1]) for path in text_paths(read_demo("entrance-slide").model_dump(mode="json"))
    }
    for_people = {"name", "note", "title", "group", "summary", "author", "help", "label"}
    design = marked_design("entrance-slide", every - for_people - {"measure_first"})
    told_apart = tuple(
        preset.model_copy(update={"name": f"{preset.name}{k}"})
        for k, preset in enumerate(design.publish.presets)
    )
    publish = design.publish.model_copy(update={"presets": told_apart})
    design = design.model_copy(update={"publish": publish})
    process = next(p for p in shipped_processes() if p.name == design.process)
    path = tmp_path / "edition.zip"
    path.write_bytes(make_edition(design, [put_everywhere(process, {"name"})], lambda *_: b""))
    window = application.open_adjust_window(path)
    window.show()
    qtbot.waitUntil(window.is_settled)
    assert not rich(window)
    pages = {
        name: content.decode("utf8")
        for name, content in read_edition_bytes(path.read_bytes()).members.items()
        if name.endswith((".html", ".md"))
    }
    assert pages
    for name, text in pages.items():
        mine = '<img src="data:image/png;base64,'
        assert text.count("<img src=") == text.count(mine), name
        assert '<a href="http://192.0.2.1' not in text, name
        assert "](http://192.0.2.1" not in text, name


def test_only_few_functions_can_show_it() -> None:
    """Nothing in the window makes labels, tips or pages but those that take all text as plain."""
    folder = Path(schablone.app.__file__).parent
    may = {
        "QLabel": {"widgets/basics.py"},
        "setToolTip": {"widgets/basics.py"},
        "setHtml": {"places/learn.py", "widgets/words_page.py"},
        "setMarkdown": set(),
        "QTextBrowser": {"places/learn.py", "widgets/words_page.py"},
        "QTextEdit": set(),
        "insertHtml": set(),
        "appendHtml": set(),
    }
    for path in folder.rglob("*.py"):
        here = path.relative_to(folder).as_posix()
        for node in ast.walk(ast.parse(path.read_text("utf8"))):
            if isinstance(node, ast.Call):
                called = node.func
                name = (
                    called.attr if isinstance(called, ast.Attribute) else getattr(called, "id", "")
                )
                assert name not in may or here in may[name], f"{here}:{node.lineno} calls {name}"
                if name == "QMessageBox":
                    assert "PlainText" in path.read_text("utf8"), here
