"""Commands for what comes between a design and the workshop: the list of parts, what is laid on
sheets and beds, what is cut from bars."""

from __future__ import annotations

import argparse
import re
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..core.problem import errors
from ..core.publish.names import laid_stem
from ..core.quantity import say_grams
from ..core.whole_files import write_whole
from .common import FINE, WrongUse, each_file, given_by, opened


def _output(options: argparse.Namespace, file: Path) -> Path:
    """Where a table goes: of several files each into one of its own."""
    output: Path = options.output
    several = len(options.files) > 1
    return output.with_name(f"{output.stem}-{file.stem}{output.suffix}") if several else output


def parts(options: argparse.Namespace) -> int:
    """The list of parts, made and bought."""

    def one(file: Path) -> tuple[int, Any]:
        from ..core.publish.parts_list import as_csv, parts_list

        design, built = _built(file, options, "wanted")
        rows = parts_list(design, built)
        if options.output is not None:
            write_whole(_output(options, file), as_csv(rows).encode("utf8"))
        if not options.json:
            wide = max((len(row.title) for row in rows), default=0)
            for row in rows:
                mass = "" if row.mass is None else say_grams(row.mass * row.count)
                cost = "" if row.price is None else f"{row.price * row.count:.2f} {row.currency}"
                print(
                    f"{row.count:>4} × {row.title:<{wide}}  {row.size:>24}  {mass:>9}  {cost:>10}  "
                    f"{row.what}"
                )
        data = {
            "parts": [
                {
                    "title": row.title, "count": row.count, "made": row.made, "of": row.what,
                    "size": row.size, "mass": row.mass, "price": row.price,
                    "currency": row.currency, "source": row.source,
                }
                for row in rows
            ]
        }  # fmt: skip
        return FINE, data

    return each_file(options, one)


def lay(options: argparse.Namespace) -> int:
    """All parts laid on sheets and beds."""
    size = _size(options.sheet) if options.sheet else None

    def one(file: Path) -> tuple[int, Any]:
        from ..core.together import by_stock, likely_sheet, plan, sheet_files
        from ..core.together.plans import with_grain

        design, built = _built(file, options, "sent")
        told = []
        for number, (stock, items) in enumerate(by_stock(design, built).items(), 1):
            sheet = likely_sheet(built, items[0])
            if size is not None:
                sheet = replace(sheet, length=size[0], width=size[1])
            for field in ("gap", "margin"):
                if getattr(options, field) is not None:
                    sheet = replace(sheet, **{field: getattr(options, field)})
            if options.grain:
                sheet = with_grain(sheet, options.grain)
            laid = plan(items, sheet, options.effort)
            files = []
            if options.output is not None:
                options.output.mkdir(parents=True, exist_ok=True)
                for ending in laid.endings:
                    for name, data in sheet_files(items, laid.layout, ending).items():
                        # By its own file: two designs may be called alike.
                        path = options.output / f"{laid_stem(file.stem, number)}{name}"
                        write_whole(path, data)
                        files.append(str(path))
            share = 100 * laid.layout.laid_yield
            if not options.json:
                print(
                    f"{stock}: {len(items)} parts on {laid.layout.sheets} of "
                    f"{sheet.length:g} × {sheet.width:g} mm, {share:.1f} % of it used"
                )
                for path in files:
                    print(f"  {path}")
            told.append(
                {
                    "stock": stock, "parts": len(items), "sheets": laid.layout.sheets,
                    "sheet": [sheet.length, sheet.width], "yield": laid.layout.laid_yield,
                    "files": files,
                    "places": [
                        {"part": items[put.item].title, "sheet": put.sheet + 1, "x": put.x,
                         "y": put.y, "turn": put.turn}
                        for put in laid.layout.puts
                    ],
                }
            )  # fmt: skip
        return FINE, {"stocks": told}

    return each_file(options, one)


def bars(options: argparse.Namespace) -> int:
    """The parts' lengths cut from bars."""

    def one(file: Path) -> tuple[int, Any]:
        from ..core.publish.parts_list import count_of
        from ..core.together import Length, cut_from_bars, cut_list

        design, built = _built(file, options, "wanted")
        stock = [_bar(text) for text in options.bar]
        lengths = []
        for part in design.parts:
            if part.name in built.figures:
                low, high = built.figures[part.name].bounds
                long = max(b - a for a, b in zip(low, high, strict=True))
                count = count_of(part, built) * options.times
                lengths.append(Length(part.title or part.name, long, count))
        plan = cut_from_bars(lengths, stock, options.kerf, options.allowance)
        if options.output is not None:
            rows = [(c.bar.length, c.times, c.pieces, c.rest) for c in plan.cuts]
            write_whole(_output(options, file), cut_list(rows).encode("utf8"))
        if not options.json:
            for cut in plan.cuts:
                pieces = ", ".join(f"{name} {length:.6g}" for name, length in cut.pieces)
                print(f"{cut.times} × {cut.bar.length:g} mm: {pieces}; {cut.rest:.4g} mm left over")
            best = "the fewest there can be" if plan.optimal else "perhaps not the fewest"
            print(f"{plan.bars} bars, {100 * plan.used:.1f} % of them used, {best}")
        cuts = [
            {"times": cut.times, "bar": cut.bar.length, "pieces": cut.pieces, "rest": cut.rest}
            for cut in plan.cuts
        ]
        return FINE, {"cuts": cuts, "bars": plan.bars, "optimal": plan.optimal}

    return each_file(options, one)


def _built(file: Path, options: argparse.Namespace, lens: Any) -> tuple[Any, Any]:
    from ..core.design.rebuild import rebuild
    from ..core.problem import SchabloneError

    design, process, known = opened(file, options)
    view = design.seen(lens, process, known)
    built = rebuild(design, view, given=given_by(options, design))
    wrong = errors(built.problems)
    if wrong:
        raise SchabloneError(*wrong)
    return design, built


def _size(text: str) -> tuple[float, float]:
    match = re.fullmatch(r"(\d+(?:\.\d+)?)\s*[x×]\s*(\d+(?:\.\d+)?)", text)
    if match is None or not float(match[1]) or not float(match[2]):
        raise WrongUse(f"--sheet takes a size in mm such as 600x400, not “{text}”.")
    return max(float(match[1]), float(match[2])), min(float(match[1]), float(match[2]))


def _bar(text: str) -> Any:
    from ..core.together import Bar

    length, _, price = text.partition(":")
    try:
        bar = Bar(float(length), float(price) if price else 1.0)
    except ValueError:
        bar = None
    if bar is None or bar.length <= 0 or bar.price <= 0:
        raise WrongUse(f"--bar takes a length in mm, and a price, such as 2400:7.5, not “{text}”.")
    return bar
