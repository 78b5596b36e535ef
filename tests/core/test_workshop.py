"""How long it takes and what it costs, off-cuts, and lengths from bars: sums by hand."""

import csv
import io
import math

import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import box

from schablone.core.design import Design, read_design
from schablone.core.design.rebuild import Cancelled, rebuild
from schablone.core.problem import SchabloneError
from schablone.core.process import LensView, neutral
from schablone.core.process.known import Stock
from schablone.core.process.off_cuts import OffCut, read_off_cuts, write_off_cuts
from schablone.core.prove.materials_known import materials_known
from schablone.core.together import (
    Bar,
    Item,
    Layout,
    Length,
    Put,
    Sheet,
    by_stock,
    cut_from_bars,
    cut_list,
    divided,
    estimate,
    lay_out,
    left_of,
    plan,
)
from schablone.core.together.plans import stock_of
from schablone.worker.laying import KnownLayouts, cut_bars, laid_out
from schablone.worker.talk import BarsAsked, LayingOut
from tests.conftest import TOP, examples

BOARD = Stock(name="Board 4", material="Beech", nominal=4, measured=4, size=(600, 400), price=12)
LASER = neutral().with_(
    name="Laser", kind="laser or knife", material={"name": "Beech", "density": 0.7},
    stock=(BOARD,), cut_speed=10.0, pierce=2.0, set_up=3.0, hour_cost=30.0, bed=(600, 400, 10),
)  # fmt: skip


def plates(count: str = "3") -> Design:
    """Plates of 100 × 60 × 4 mm with a hole of 20 mm."""
    return Design.model_validate(
        {
            "name": "Plates",
            "parts": [{"name": "part", "count": count}],
            "steps": [
                {"kind": "sketch", "name": "o", "shapes": [
                    {"kind": "rectangle", "name": "r", "width": "100 mm", "height": "60 mm"},
                    {"kind": "circle", "name": "h", "diameter": "20 mm"}]},
                {"kind": "extrude", "name": "plate", "sketch": "o", "by": "4 mm"},
            ],
        }
    )  # fmt: skip


def made(process, count: str = "3"):
    design = plates(count)
    built = rebuild(design, design.seen("wanted", process))
    ((_, items),) = by_stock(design, built).items()
    return plan(items, Sheet(600, 400, 5, 3), 0.2)


class TestEstimate:
    def test_of_what_is_cut(self):
        laid = made(LASER)
        found = estimate(LASER, laid.items, laid.layout, BOARD, 0.7)
        way = 3 * (2 * (100 + 60) + 20 * math.pi)
        minutes = (way / 10 + 6 * 2) / 60 + 3
        assert found.minutes == pytest.approx(minutes, rel=1e-3)
        assert found.cost == pytest.approx(12 + minutes / 60 * 30, rel=1e-3)
        assert found.words() == f"about {round(minutes)} min · about {found.cost:.2f} €"

    def test_of_what_is_printed(self):
        printer = neutral().with_(
            name="P", kind="filament print", flow=8.0, set_up=5.0, hour_cost=2.0, kilo_cost=25.0
        )
        laid = made(printer, "2")
        found = estimate(printer, laid.items, laid.layout, None, 1.25)
        volume = 2 * (6000 - 100 * math.pi) * 4
        minutes = volume / 8 / 60 + 5
        assert found.minutes == pytest.approx(minutes, rel=1e-6)
        assert found.cost == pytest.approx(volume * 1.25e-6 * 25 + minutes / 60 * 2, rel=1e-6)

    def test_what_nobody_said_is_told_and_not_guessed(self):
        silent = LASER.with_(cut_speed=0.0)
        laid = made(silent)
        found = estimate(silent, laid.items, laid.layout, None, 0.7)
        assert (found.minutes, found.cost) == (None, None)
        assert found.missing == ("how fast it cuts", "what a sheet costs")
        assert found.words() == ""

    def test_what_lies_on_an_off_cut_is_paid(self):
        laid = made(LASER)
        whole = estimate(LASER, laid.items, laid.layout, BOARD, 0.7)
        paid = estimate(LASER, laid.items, laid.layout, BOARD, 0.7, paid=True)
        assert whole.cost - paid.cost == pytest.approx(12)

    def test_hours(self):
        laid = made(LASER.with_(cut_speed=0.05))
        found = estimate(LASER.with_(cut_speed=0.05), laid.items, laid.layout, BOARD, 0.7)
        hours, rest = divmod(round(found.minutes), 60)
        assert found.words().startswith(f"about {hours} h {rest} min")


def items_of(sizes: list[tuple[float, float]]) -> list[Item]:
    return [
        Item(f"p{k}", f"P{k}", box(0, 0, a, b), None, None, "board", 4.0)
        for k, (a, b) in enumerate(sizes)
    ]


sizes = st.tuples(st.integers(20, 180), st.integers(20, 120))


@given(st.lists(sizes, min_size=1, max_size=8), st.lists(sizes, max_size=4))
@examples(25)
def test_every_part_lies_on_one_off_cut_or_new_sheet(parts, left):
    sheet = Sheet(600, 400, 2, 3)
    items = items_of(parts)
    found = divided(items, sheet, left, 0.1)
    told = [item.name for _, mine in found for item in mine]
    assert sorted(told) == sorted(item.name for item in items)
    used = [size for size, _ in found if size is not None]
    assert all(used.count(size) <= left.count(size) for size in used)
    for size, mine in found:
        if size is None:
            continue
        small = Sheet(max(size), min(size), 2, 3)
        layout = lay_out([item.outline for item in mine], small, None, 0.1)
        assert layout.sheets == 1
        room = box(0, 0, small.length, small.width)
        there = [put.placed(layout.outlines[put.item]) for put in layout.puts]
        assert all(room.contains(shape) for shape in there)
        assert shapely.union_all(there).area == pytest.approx(sum(s.area for s in there))


def test_the_smallest_off_cut_that_takes_something_is_filled_first():
    items = items_of([(100, 50), (100, 50), (300, 200)])
    found = divided(items, Sheet(600, 400, 5, 3), [(400, 300), (115, 65), (20, 20)], 0.2)
    assert [size for size, _ in found] == [(115, 65), (400, 300)]
    assert [len(mine) for _, mine in found] == [1, 2]


def test_what_is_left_of_the_last_sheet():
    sheet = Sheet(600, 400, 5, 3)
    put = (Put(0, 0, 5, 5, 0),)
    assert left_of(Layout(sheet, (box(0, 0, 100, 300),), put)) == (492, 400)
    assert left_of(Layout(sheet, (box(0, 0, 540, 300),), put)) is None  # 52 mm
    assert left_of(Layout(sheet, (), ())) is None


def test_off_cuts_are_remembered(tmp_path):
    path = tmp_path / "off-cuts.json"
    assert read_off_cuts(path) == ()
    mine = (OffCut(stock="Laser · Beech · 4 mm", length=492, width=400, date="2026-11-27"),)
    write_off_cuts(path, mine)
    assert read_off_cuts(path) == mine
    assert mine[0].words == "492 × 400 mm"
    for damaged in ("[{", '[{"stock": "a", "length": -5, "width": 2}]', '{"a": 1}'):
        path.write_text(damaged)
        with pytest.raises(SchabloneError):
            read_off_cuts(path)


def test_the_window_is_told_of_off_cuts_time_and_cost():
    design = plates("4")
    built = rebuild(design, design.seen("sent", LASER))
    (stock,) = by_stock(design, built)
    asked = LayingOut(off_cuts={stock: [(230.0, 75.0)]}, effort=0.2)
    told, _ = laid_out(design, built, asked, lambda: True, KnownLayouts())
    assert [(one["of"], one["off_cut"], len(one["items"])) for one in told] == [
        (stock, (230.0, 75.0), 2), (stock, None, 2),
    ]  # fmt: skip
    assert told[0]["stock"] == f"{stock}, off-cut 230 × 75 mm"
    assert told[0]["sheet"][:2] == (230.0, 75.0)
    assert told[1]["takes"].startswith("about ")
    assert told[1]["rest"][1] <= 400


def test_what_is_given_up_is_never_taken_for_what_was_found(tmp_path):
    design = plates("40")
    built = rebuild(design, design.seen("sent", LASER))
    (stock,) = by_stock(design, built)
    known = KnownLayouts()
    asked = LayingOut(off_cuts={stock: [(230.0, 75.0)]}, effort=0.3)
    whole, _ = laid_out(design, built, asked, lambda: True, known)
    for looks in range(1, 60, 7):
        left = iter([True] * looks)
        with pytest.raises(Cancelled):
            laid_out(design, built, asked, lambda left=left: next(left, False), KnownLayouts())
    # What is written is what was shown, and sheets that are alike are one file.
    to = asked.model_copy(update={"folder": str(tmp_path)})
    again, files = laid_out(design, built, to, lambda: True, known)
    assert again == whole
    assert len(files) == 2 * sum(len(one["alike"]) for one in whole)
    for one in whole:
        assert sorted(k for alike in one["alike"] for k in alike) == list(range(one["sheets"]))


def test_sheets_are_of_the_stock_that_is_nearest_in_thickness():
    built = rebuild(plates("1"), plates("1").seen("sent", LASER))
    ((item,),) = by_stock(plates("1"), built).values()
    rack = [{"name": str(by), "nominal": by, "measured": by} for by in (3.8, 4.05, 4.2)]
    assert stock_of(LASER.with_(stock=rack), item).name == "4.05"
    assert stock_of(LASER.with_(stock=rack[2:]), item).name == "4.2"
    assert stock_of(LASER.with_(stock=[{**rack[0], "measured": 3.6}]), item) is None


def test_a_kerf_that_is_not_known_of_the_material_is_told():
    def told(*kerfs):
        machine = LASER.with_(kerfs=[{"thickness": 4, "kerf": 0.2, **one} for one in kerfs])
        for lens in ("wanted", "sent", "expected"):
            built = rebuild(plates("1"), plates("1").seen(lens, machine))
            said = [p.what for p in built.problems if "kerf" in p.what]
            (check,) = materials_known(plates("1"), built)
            assert check.holds or said == [check.why] * (lens != "wanted")
        return said[0].partition(": ")[2] if said else ""

    assert told({}) == told({"thickness": 3.8}, {"material": "Steel"}) == ""
    assert told({"thickness": 3}, {"thickness": 6}) == ""  # between two that are known
    assert told({"thickness": 3}) == "that of any material of 3 mm is taken."
    assert told({"material": "Steel"}) == "that of Steel of 4 mm is taken."
    between = told({"material": "Steel", "thickness": 3}, {"material": "Brass", "thickness": 6})
    assert between == "one between that of Steel of 3 mm and that of Brass of 6 mm is taken."
    assert told() == "it is cut as if the cut had no width."


def test_figures_that_are_of_another_material_are_told():
    design = plates("1")
    part = design.parts[0].model_copy(update={"material": "PLA"})
    for material, holds in (("PLA", True), ("PETG", False)):
        printer = neutral().with_(name="P", material={"name": material, "density": 1.2})
        made = design.with_(parts=(part,))
        (check,) = materials_known(made, rebuild(made, made.seen("wanted", printer)))
        assert check.holds is holds
        assert holds or "are those of PETG; what it does to PLA nobody has said" in check.why
        open_ = design.with_(parts=(part.model_copy(update={"material": ""}),))
        assert not materials_known(open_, rebuild(open_, open_.seen("wanted", printer)))


def test_two_off_cuts_of_one_size_are_told_apart():
    design = plates("5")
    built = rebuild(design, design.seen("sent", LASER))
    (stock,) = by_stock(design, built)
    asked = LayingOut(off_cuts={stock: [(230.0, 75.0), (230.0, 75.0)]}, effort=0.2)
    told, _ = laid_out(design, built, asked, lambda: True, KnownLayouts())
    names = [one["stock"] for one in told]
    assert names == [
        f"{stock}, off-cut 230 × 75 mm", f"{stock}, off-cut 230 × 75 mm (2)", stock,
    ]  # fmt: skip
    assert [len(one["items"]) for one in told] == [2, 2, 1]


class TestBars:
    def test_the_frame_runner_from_bars(self):
        design = read_design(TOP / "demo" / "frame-runner.schablone")
        built = rebuild(design, LensView("wanted", neutral()))
        asked = BarsAsked(bars=[(1000, 4), (1500, 5)], kerf=2.5, allowance=4, parts=["rail"])
        told = cut_bars(design, built, asked)
        assert told["lengths"] == [("rail", "Frame runner", pytest.approx(190), 8)]
        # Each takes 196.5 mm: five of a bar of 1 m, seven of one of 1.5 m (one kerf less), and so
        # one of each (9) for 8 of them, where two short ones cost less.
        assert told["bars"] == 2
        assert told["optimal"]
        assert sum(times * len(pieces) for _, times, pieces, _ in told["cuts"]) == 8
        assert {bar for bar, *_ in told["cuts"]} == {1000}
        dear = asked.model_copy(update={"bars": [(1000, 4), (1500, 4.5)]})
        assert cut_bars(design, built, dear)["bars"] == 2
        assert cut_bars(design, built, asked.model_copy(update={"parts": []}))["cuts"] == []
        short = cut_bars(design, built, asked.model_copy(update={"bars": [(150, 1)]}))
        assert "Frame runner" in short["trouble"]

    def test_the_list_of_cuts(self):
        found = cut_from_bars([Length("a", 300, 4)], [Bar(1000)], 3)
        rows = [(c.bar.length, c.times, c.pieces, c.rest) for c in found.cuts]
        lines = list(csv.reader(io.StringIO(cut_list(rows))))
        assert len(lines) == 1 + 4
        assert [line[2] for line in lines[1:]] == ["a"] * 4
        assert {line[0] for line in lines[1:]} == {"1", "2"}
