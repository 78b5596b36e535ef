"""The page as HTML. All that its author wrote is text: nothing of it becomes markup, a link or a
script, since a template escapes whatever is no :class:`markupsafe.Markup`."""

from __future__ import annotations

import base64
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from importlib.resources import files

from markupsafe import Markup

from ...design.model import Design
from ...process.lying import SIDES, Down
from ...process.model import Process
from ...quantity import say_grams
from ...words import capital, say_name, sentence
from ..changes import called
from ..drawing_sheet.measuring import picture_svg
from ..drawing_sheet.page import Page as Sheet
from ..licences import licence_name
from ..names import file_name
from ..parts_list import ListedPart
from ..readme import DRAWING, Told, lines_of, offered, sources_of

#: What a machine does with a part, by the family of its process.
_MAKES = {"print": "printed", "cut": "cut out of a sheet or board", "fold": "cut and bent of sheet"}


@dataclass(frozen=True, slots=True)
class Page:
    """What the page shows beside what it tells: pictures as PNG (``main``, from other ``sides``
    with what they show, and of ready-made sizes by name), the parts as GLB, the size and mass of
    each ready-made size in words, the full text of the licence if it is one of those offered, and
    where the caliper is held for each size."""

    told: Told
    main: bytes
    sides: Sequence[tuple[str, bytes]] = ()
    ready: Mapping[str, bytes] = field(default_factory=dict)
    figures: Mapping[str, str] = field(default_factory=dict)
    parts: bytes = b""
    licence: str = ""
    calipers: Mapping[str, Sheet] = field(default_factory=dict)


def page_html(page: Page) -> str:
    """The whole file."""
    style, script = (_own(name) for name in ("page.css", "viewer.js"))
    turns = Markup("")
    if page.parts:
        turns = _TURNS.format(part=_packed(page.parts), script=script)
    body = _lines(part for part in _sections(page) if part)
    return str(_FILE.format(title=page.told.design.title, style=style, body=body, turns=turns))


#: Nothing is fetched, whatever somebody may have written into a file.
_FILE = Markup("""<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src data:; \
style-src 'unsafe-inline'; script-src 'unsafe-inline'">
<title>{title}</title>
<style>
{style}</style>
</head>
<body>
<main>
{body}
</main>
{turns}
</body>
</html>
""")

_TURNS = Markup("""<script id="part" type="application/octet-stream">{part}</script>
<script>
{script}
</script>""")


def _own(name: str) -> Markup:
    return Markup(files(__package__).joinpath(name).read_text("utf8"))


def _packed(data: bytes) -> str:
    return base64.b64encode(data).decode("ascii")


def _lines(parts: Iterable[Markup]) -> Markup:
    return Markup("\n").join(parts)


def _each(template: Markup, texts: Iterable[object]) -> Markup:
    """Texts, each in a template of its own, one after the other."""
    return Markup("").join(template.format(text) for text in texts)


def _paragraphs(words: str) -> Markup:
    blocks = (block.strip().split("\n") for block in words.split("\n\n") if block.strip())
    return _lines(Markup("<p>{}</p>").format(Markup("<br>").join(block)) for block in blocks)


def _picture(data: bytes, said: str) -> Markup:
    image = Markup('<img src="data:image/png;base64,{}" alt="{}" loading="lazy">')
    return image.format(_packed(data), said)


def _table(titles: Sequence[str], rows: Iterable[Markup]) -> Markup:
    """A table that scrolls by itself where it is too wide; ``rows`` are its cells."""
    head = _each(Markup("<th>{}</th>"), titles)
    body = _lines(Markup("<tr>{}</tr>").format(row) for row in rows)
    table = Markup('<div class="scroll"><table>\n<tr>{}</tr>\n{}\n</table></div>\n')
    return table.format(head, body)


def _sections(page: Page) -> list[Markup]:
    told = page.told
    return [
        _head(told.design),
        _turned(page),
        _before(told, page.calipers),
        _ready(page),
        _making(told),
        _parts(told.parts),
        _proof(told),
        _editions(told.design),
        _back(told.design),
        _licence(page),
    ]


def _head(design: Design) -> Markup:
    publish = design.publish
    told = [f"by {publish.author}"] if publish.author else []
    told += [f"edition {one.number} of {one.date}" for one in publish.history[-1:]]
    told.append(licence_name(design))
    head = Markup('<h1>{}</h1>\n<p class="small">{}</p>\n{}')
    return head.format(design.title, " · ".join(told), _paragraphs(publish.summary))


def _turned(page: Page) -> Markup:
    title = page.told.design.title
    still = _picture(page.main, f"{title}, seen from a corner")
    said = f"{title}, to be turned: drag it, or use the arrow keys"
    shown = Markup('<div class="turn" data-said="{}">{}</div>\n').format(said, still)
    if page.parts:
        shown += Markup('<p class="small">Drag it to turn it; with the keys: arrows, + and −.</p>')
    card = Markup('<figure class="card">{}<figcaption class="small">{}</figcaption></figure>')
    sides = _lines(card.format(_picture(data, said), said) for said, data in page.sides)
    return shown + (Markup('\n<div class="sides">\n{}\n</div>').format(sides) if sides else "")


def _before(told: Told, calipers: Mapping[str, Sheet]) -> Markup:
    design, table = told.design, told.table
    rows = []
    for item in design.publish.adjust:
        size, values = design.size(item.size), offered(table, item.size)
        tip = item.help or (size.note if size else "")
        figures = _each(Markup('<td class="figure">{}</td>'), values)
        row = Markup("<td>{}</td>{}<td>{}</td>")
        rows.append(row.format(capital(called(item)), figures, tip))
    measure = _paragraphs(design.publish.measure_first)
    first = Markup('<div class="first"><h3>Measure first</h3>{}</div>').format(measure)
    return _lines(
        [
            Markup("<h2>Before you make it</h2>"),
            first if measure else Markup(""),
            _table(["what you can adjust", "as published", "from", "to", ""], rows)
            + _calipers(design, calipers)
            + _drawing(told)
            + Markup(
                "<p>Open the edition with Schablone to adjust it, to choose your own machine, and "
                "to get files that make up for what that does.</p>"
            ),
        ]
    )


def _drawing(told: Told) -> Markup:
    linked = Markup('<p>All sizes on a drawing: <a href="{0}">{0}</a>.</p>\n').format(DRAWING)
    return linked if told.is_drawn else Markup("")


def _calipers(design: Design, calipers: Mapping[str, Sheet]) -> Markup:
    """Where each size is measured."""
    card = Markup('<figure class="card">{}<figcaption class="small">{}</figcaption></figure>')
    pictures = []
    for item in design.publish.adjust:
        if item.size in calipers:
            drawn = picture_svg(calipers[item.size], f"where {called(item)} is measured")
            pictures.append(card.format(drawn, capital(called(item))))
    listed = Markup('<h3>Where to hold the caliper</h3>\n<div class="ready">\n{}\n</div>\n')
    return listed.format(_lines(pictures)) if pictures else Markup("")


def _called(path: str, preset: str) -> str:
    """A ready-made file by its format, and what tells it from others of that: ``3MF bed 2``."""
    stem, _, ending = path.rpartition("/")[2].rpartition(".")
    more = stem.removeprefix(file_name(preset)).replace("-", " ").strip()
    more = re.sub(r" (\d+ times)$", r", \1", more)
    return f"{ending.upper()} {more}".strip()


def _ready(page: Page) -> Markup:
    told = page.told
    names = dict.fromkeys(preset for preset, _, _ in (*told.ready, *told.left_out))
    cards = [_card(page, name) for name in names]
    if not cards:
        return Markup("")
    listed = Markup(
        "<h2>Ready-made files</h2>\n<p>Each is corrected for the machine that it is named after; "
        'on another one it fits less well.</p>\n<div class="ready">\n{}\n</div>'
    )
    return listed.format(_lines(cards))


def _card(page: Page, name: str) -> Markup:
    """A ready-made size: its picture, its figures, and its files by machine."""
    links: dict[str, list[Markup]] = {}
    for preset, process, path in page.told.ready:
        if preset == name:
            link = Markup('<a href="{}">{}</a>').format(path, _called(path, name))
            links.setdefault(process, []).append(link)
    lines = [
        Markup("<li>{}: {}</li>").format(process, Markup(", ").join(listed))
        for process, listed in links.items()
    ]
    lines += [
        Markup('<li class="small">not on {}: {}</li>').format(process, why)
        for preset, process, why in page.told.left_out
        if preset == name
    ]
    none = Markup("")
    picture = _picture(page.ready[name], name) if name in page.ready else none
    figures = Markup('<p class="small">{}</p>').format(page.figures.get(name, ""))
    card = Markup('<section class="card">{}<h3>{}</h3>{}<ul>{}</ul></section>')
    shown = figures if name in page.figures else none
    return card.format(picture, name, shown, none.join(lines))


def _making(told: Told) -> Markup:
    design = told.design
    by_name = {process.name: process for process in (*told.own, *told.processes)}
    mine = by_name.get(design.process) or next(iter(told.processes), None)
    if mine is None:
        return Markup("")
    rows = []
    for part in design.parts:
        process = by_name.get(part.process, mine)
        material, _ = part.made_of(process)
        title = capital(part.title or say_name(part.name))
        cells = (title, _made(process), material, _lies(part.down, process))
        rows.append(_each(Markup("<td>{}</td>"), cells))
    listed = _each(Markup("<li>{}</li>"), map(sentence, _hints(design, mine)))
    return (
        Markup("<h2>How to make it</h2>\n")
        + _table(["part", "is", "of", "lies"], rows)
        + (Markup("<ul>{}</ul>").format(listed) if listed else "")
    )


def _made(process: Process) -> str:
    how = _MAKES[process.family]
    if process.family == "print" and process.layer:
        return f"{how}, in layers of {process.layer:g} mm"
    return how


def _lies(down: Down, process: Process) -> str:
    return SIDES[down] if process.family == "print" else "flat"


def _hints(design: Design, process: Process) -> list[str]:
    hints = []
    if process.family == "print" and design.bevel_first_layer:
        hints.append("its lower edge is bevelled for the first layer; it is not to be done again")
    if process.family == "cut":
        hints.append("inner cuts come first, then the outline")
        if design.hold_by_tabs:
            hints.append("tabs hold it in the sheet; cut them through and sand what is left")
    if process.family == "fold":
        hints.append("the bend sheet (PDF) has the order of bends and their angles")
    return hints


def _parts(parts: Sequence[ListedPart]) -> Markup:
    if len(parts) < 2:
        return Markup("")
    rows = []
    for part in parts:
        mass = "" if part.mass is None else say_grams(part.mass)
        cells = (f"{part.count} ×", part.title, part.what, part.size, mass)
        rows.append(_each(Markup("<td>{}</td>"), cells))
    return (
        Markup("<h2>What it takes</h2>\n")
        + _table(["", "part", "of", "size", "each"], rows)
        + Markup('<p>The same as a table: <a href="parts.csv">parts.csv</a>.</p>')
    )


def _proof(told: Told) -> Markup:
    proof = Markup("<h2>Proved</h2>\n<p>{}</p>").format(told.proof)
    return proof if told.proof else Markup("")


def _editions(design: Design) -> Markup:
    history = design.publish.history
    if len(history) < 2 and not design.publish.adapted_from:
        return Markup("")
    blocks = []
    for record in reversed(history):
        items = _each(Markup("<li>{}</li>"), lines_of(record))
        by = f", by {record.author}" if record.author else ""
        block = Markup('<h3>{}</h3><p class="small">{}</p><ul>{}</ul>')
        blocks.append(block.format(record.number, record.date + by, items))
    sources = _each(Markup("<p>{}</p>"), sources_of(design))
    return Markup("<h2>Editions</h2>\n{}{}").format(sources, _lines(blocks))


def _back(design: Design) -> Markup:
    if not design.publish.id:
        return Markup("")
    return Markup(
        "<h2>Tell how it came out</h2>\n<p>Open the edition with Schablone, choose what you made, "
        "and take “I made it”: it asks for a few sizes and whether it fits, and writes a small "
        "file for its author. That says whether a size is off for everybody, or on one machine "
        "only.</p>"
    )


def _licence(page: Page) -> Markup:
    design = page.told.design
    told = Markup("<h2>Licence</h2>\n<p>{}</p>\n").format(licence_name(design))
    if design.publish.author:
        told += Markup("<p>By {}.</p>").format(design.publish.author)
    whole = Markup("<details><summary>The whole text</summary><pre>{}</pre></details>")
    return told + (whole.format(page.licence) if page.licence else "")
