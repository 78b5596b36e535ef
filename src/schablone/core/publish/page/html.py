"""The page as HTML. All that its author wrote is text: nothing of it becomes markup, a link or a
script."""

from __future__ import annotations

import base64
import html
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from importlib.resources import files

from ...design.model import Design
from ...process.lying import SIDES, Down
from ...process.model import Process
from ...words import say_name, sentence
from ..changes import called
from ..drawing_sheet.measuring import picture_svg
from ..drawing_sheet.page import Page as Sheet
from ..edition import file_name
from ..licences import licence_name
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
    design = page.told.design
    title = _text(design.title)
    body = "\n".join(part for part in _sections(page) if part)
    style, script = (_own(name) for name in ("page.css", "viewer.js"))
    part = f'<script id="part" type="application/octet-stream">{_packed(page.parts)}</script>'
    turns = f"{part}\n<script>\n{script}\n</script>" if page.parts else ""
    return (
        f'<!doctype html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n'
        '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
        # Nothing is fetched, whatever somebody may have written into a file.
        '<meta http-equiv="Content-Security-Policy" content="default-src \'none\'; img-src data:; '
        "style-src 'unsafe-inline'; script-src 'unsafe-inline'\">\n"
        f"<title>{title}</title>\n<style>\n{style}</style>\n</head>\n<body>\n<main>\n{body}\n"
        f"</main>\n{turns}\n</body>\n</html>\n"
    )


def _own(name: str) -> str:
    return files(__package__).joinpath(name).read_text("utf8")


def _packed(data: bytes) -> str:
    return base64.b64encode(data).decode("ascii")


def _text(words: str) -> str:
    return html.escape(words, quote=True)


def _paragraphs(words: str) -> str:
    blocks = [block for block in words.split("\n\n") if block.strip()]
    return "\n".join(f"<p>{_text(block.strip()).replace(chr(10), '<br>')}</p>" for block in blocks)


def _picture(data: bytes, said: str) -> str:
    return f'<img src="data:image/png;base64,{_packed(data)}" alt="{_text(said)}" loading="lazy">'


def _sections(page: Page) -> list[str]:
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


def _head(design: Design) -> str:
    publish = design.publish
    told = [f"by {publish.author}"] if publish.author else []
    told += [f"edition {one.number} of {one.date}" for one in publish.history[-1:]]
    told.append(licence_name(design))
    return (
        f"<h1>{_text(design.title)}</h1>\n"
        f'<p class="small">{_text(" · ".join(told))}</p>\n{_paragraphs(publish.summary)}'
    )


def _turned(page: Page) -> str:
    title = page.told.design.title
    still = _picture(page.main, f"{title}, seen from a corner")
    said = f"{title}, to be turned: drag it, or use the arrow keys"
    shown = f'<div class="turn" data-said="{_text(said)}">{still}</div>'
    hint = '<p class="small">Drag it to turn it; with the keys: arrows, + and −.</p>'
    sides = "\n".join(
        f'<figure class="card">{_picture(data, said)}<figcaption class="small">{_text(said)}'
        "</figcaption></figure>"
        for said, data in page.sides
    )
    return f"{shown}\n{hint if page.parts else ''}\n" + (
        f'<div class="sides">\n{sides}\n</div>' if sides else ""
    )


def _before(told: Told, calipers: Mapping[str, Sheet]) -> str:
    design, table = told.design, told.table
    rows = []
    for item in design.publish.adjust:
        size, values = design.size(item.size), offered(table, item.size)
        tip = item.help or (size.note if size else "")
        rows.append(
            f"<tr><td>{_text(called(item)[:1].upper() + called(item)[1:])}</td>"
            + "".join(f'<td class="figure">{_text(value)}</td>' for value in values)
            + f"<td>{_text(tip)}</td></tr>"
        )
    measure = _paragraphs(design.publish.measure_first)
    first = f'<div class="first"><h3>Measure first</h3>{measure}</div>' if measure else ""
    return (
        f"<h2>Before you make it</h2>\n{first}\n"
        '<div class="scroll"><table>\n<tr><th>what you can adjust</th><th>as published</th>'
        f"<th>from</th><th>to</th><th></th></tr>\n{chr(10).join(rows)}\n</table></div>\n"
        f"{_calipers(design, calipers)}"
        f"{_drawing(told)}"
        "<p>Open the edition with Schablone to adjust it, to choose your own machine, and to get "
        "files that make up for what that does.</p>"
    )


def _drawing(told: Told) -> str:
    linked = f'<p>All sizes on a drawing: <a href="{DRAWING}">{DRAWING}</a>.</p>\n'
    return linked if told.is_drawn else ""


def _calipers(design: Design, calipers: Mapping[str, Sheet]) -> str:
    """Where each size is measured."""
    found = []
    for item in design.publish.adjust:
        if item.size in calipers:
            name = called(item)[:1].upper() + called(item)[1:]
            drawn = picture_svg(calipers[item.size], f"where {called(item)} is measured")
            caption = f'<figcaption class="small">{_text(name)}</figcaption>'
            found.append(f'<figure class="card">{drawn}{caption}</figure>')
    return (
        f'<h3>Where to hold the caliper</h3>\n<div class="ready">\n{chr(10).join(found)}\n</div>\n'
        if found
        else ""
    )


def _called(path: str, preset: str) -> str:
    """A ready-made file by its format, and what tells it from others of that: ``3MF bed 2``."""
    stem, _, ending = path.rpartition("/")[2].rpartition(".")
    more = stem.removeprefix(file_name(preset)).replace("-", " ").strip()
    return f"{ending.upper()} {more}".strip()


def _ready(page: Page) -> str:
    told = page.told
    cards = []
    for name in dict.fromkeys(preset for preset, _, _ in (*told.ready, *told.left_out)):
        files_: dict[str, list[str]] = {}
        for preset, process, path in told.ready:
            if preset == name:
                link = f'<a href="{_text(path)}">{_text(_called(path, name))}</a>'
                files_.setdefault(process, []).append(link)
        lines = [
            f"<li>{_text(process)}: {', '.join(links)}</li>" for process, links in files_.items()
        ]
        lines += [
            f'<li class="small">not on {_text(process)}: {_text(why)}</li>'
            for preset, process, why in told.left_out
            if preset == name
        ]
        picture = _picture(page.ready[name], name) if name in page.ready else ""
        figures = (
            f'<p class="small">{_text(page.figures[name])}</p>' if name in page.figures else ""
        )
        cards.append(
            f'<section class="card">{picture}<h3>{_text(name)}</h3>{figures}'
            f"<ul>{''.join(lines)}</ul></section>"
        )
    return (
        "<h2>Ready-made files</h2>\n<p>Each is corrected for the machine that it is named after; "
        "on another one it fits less well.</p>\n"
        f'<div class="ready">\n{chr(10).join(cards)}\n</div>'
        if cards
        else ""
    )


def _making(told: Told) -> str:
    design = told.design
    by_name = {process.name: process for process in (*told.own, *told.processes)}
    mine = by_name.get(design.process) or next(iter(told.processes), None)
    if mine is None:
        return ""
    rows = []
    for part in design.parts:
        process = by_name.get(part.process, mine)
        material, _ = part.made_of(process)
        title = part.title or say_name(part.name)
        rows.append(
            f"<tr><td>{_text(title[:1].upper() + title[1:])}</td><td>{_text(_made(process))}</td>"
            f"<td>{_text(material)}</td><td>{_text(_lies(part.down, process))}</td></tr>"
        )
    lines = _hints(design, mine)
    listed = f"<ul>{''.join(f'<li>{_text(sentence(line))}</li>' for line in lines)}</ul>"
    return (
        '<h2>How to make it</h2>\n<div class="scroll"><table>\n<tr><th>part</th><th>is</th>'
        f"<th>of</th><th>lies</th></tr>\n{chr(10).join(rows)}\n</table></div>\n"
        f"{listed if lines else ''}"
    )


def _made(process: Process) -> str:
    how = _MAKES[process.family]
    if process.family == "print" and process.layer:
        return f"{how}, in layers of {process.layer:g} mm"
    return how


def _lies(down: Down, process: Process) -> str:
    return SIDES[down] if process.family == "print" else "flat"


def _hints(design: Design, process: Process) -> list[str]:
    found = []
    if process.family == "print" and design.bevel_first_layer:
        found.append("its lower edge is bevelled for the first layer; it is not to be done again")
    if process.family == "cut":
        found.append("inner cuts come first, then the outline")
        if design.hold_by_tabs:
            found.append("tabs hold it in the sheet; cut them through and sand what is left")
    if process.family == "fold":
        found.append("the bend sheet (PDF) has the order of bends and their angles")
    return found


def _parts(parts: Sequence[ListedPart]) -> str:
    if len(parts) < 2:
        return ""
    rows = []
    for part in parts:
        mass = "" if part.mass is None else f"{part.mass:.0f} g"
        cells = (f"{part.count} ×", part.title, part.what, part.size, mass)
        rows.append(f"<tr>{''.join(f'<td>{_text(cell)}</td>' for cell in cells)}</tr>")
    return (
        '<h2>What it takes</h2>\n<div class="scroll"><table>\n<tr><th></th><th>part</th><th>of</th>'
        f"<th>size</th><th>each</th></tr>\n{chr(10).join(rows)}\n</table></div>\n"
        '<p>The same as a table: <a href="parts.csv">parts.csv</a>.</p>'
    )


def _proof(told: Told) -> str:
    if not told.proof:
        return ""
    return f"<h2>Proved</h2>\n<p>{_text(told.proof)}</p>"


def _editions(design: Design) -> str:
    history = design.publish.history
    if len(history) < 2 and not design.publish.adapted_from:
        return ""
    blocks = []
    for record in reversed(history):
        items = "".join(f"<li>{_text(line)}</li>" for line in lines_of(record))
        by = f", by {record.author}" if record.author else ""
        blocks.append(
            f'<h3>{_text(record.number)}</h3><p class="small">{_text(record.date + by)}</p>'
            f"<ul>{items}</ul>"
        )
    sources = "".join(f"<p>{_text(source)}</p>" for source in sources_of(design))
    return f"<h2>Editions</h2>\n{sources}{chr(10).join(blocks)}"


def _back(design: Design) -> str:
    if not design.publish.id:
        return ""
    return (
        "<h2>Tell how it came out</h2>\n<p>Open the edition with Schablone, choose what you made, "
        "and take “I made it”: it asks for a few sizes and whether it fits, and writes a small "
        "file for its author. That says whether a size is off for everybody, or on one machine "
        "only.</p>"
    )


def _licence(page: Page) -> str:
    design = page.told.design
    whole = f"<details><summary>The whole text</summary><pre>{_text(page.licence)}</pre></details>"
    by = f"<p>By {_text(design.publish.author)}.</p>" if design.publish.author else ""
    name = _text(licence_name(design))
    return f"<h2>Licence</h2>\n<p>{name}</p>\n{by}{whole if page.licence else ''}"
