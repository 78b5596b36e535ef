"""The practice gallery: the place, its makers, and what they make of an edition."""

from pathlib import Path

import pytest

from schablone.core.design import Design, edit, read_design
from schablone.core.design.rebuild import Memory
from schablone.core.editions import make_edition
from schablone.core.gallery import Gallery, made_by, makers
from schablone.core.gallery.makers import CARES, MadeSize, coupon_features
from schablone.core.gallery.place import INDEX
from schablone.core.gallery.promise import Promise, fits_of
from schablone.core.problem import SchabloneError
from schablone.core.process import shipped_processes
from schablone.core.publish.hearing import heard
from schablone.core.publish.life import adapted, coming_edition, with_edition
from schablone.core.publish.reports import Machine, Report
from tests.conftest import SLIDE
from tests.core.test_mates import disc_on

PRINTER = shipped_processes()[0]


@pytest.fixture(scope="module")
def test_piece():
    """The features of the shipped coupon for printing, as its file has them."""
    coupon = read_design(SLIDE.with_name("printing-coupon.schablone"))
    return coupon_features(coupon, ".stl")


def published(design: Design, day: str = "2026-05-30") -> Design:
    return with_edition(design, coming_edition(design, PRINTER), PRINTER, day)


def written(design: Design, path: Path) -> Path:
    path.write_bytes(make_edition(design, [PRINTER], lambda *_: b"picture"))
    return path


def named(design: Design, **said: object) -> Design:
    return design.model_copy(update={"publish": design.publish.with_(**said)})


def bushing(fit: str = "hole_for(bar, sliding)") -> Design:
    """A ring that goes onto a bar which is bought."""
    return Design.model_validate(
        {
            "name": "Bushing", "process": PRINTER.name,
            "sizes": [
                {"name": "bar", "formula": "8 mm", "low": "6 mm", "high": "20 mm"},
                {"name": "bore", "formula": fit},
                {"name": "wide", "formula": "bar + 12 mm"},
            ],
            "steps": [
                *disc_on("part", "body", "wide"),
                *disc_on("part", "hollow", "bore", "cut"),
            ],
            "publish": {"author": "Ada", "title": "Bushing", "adjust": [{"size": "bar"}]},
        }
    )  # fmt: skip


# The place


def test_what_is_shared_is_found_again(tmp_path: Path) -> None:
    gallery = Gallery(tmp_path / "gallery")
    assert gallery.editions() == []
    one = published(bushing())
    first = gallery.publish(written(one, tmp_path / "one.zip"))
    two = named(one, summary="Goes onto a bar. Thin <b>walls</b>.")
    two = with_edition(two, coming_edition(two, PRINTER), PRINTER, "2026-06-01")
    gallery.publish(written(two, tmp_path / "two.zip"))
    other = published(named(adapted(two), title="Ring", author="Ben", licence="CC0-1.0"))
    gallery.publish(written(other, tmp_path / "ring.zip"))
    assert [(e.title, e.number) for e in gallery.editions()] == [
        ("Bushing", "1.1"), ("Bushing", "1.0"), ("Ring", "1.0"),
    ]  # fmt: skip
    assert [e.number for e in gallery.versions(first.id)] == ["1.1", "1.0"]
    assert [e.title for e in gallery.latest()] == ["Bushing", "Ring"]
    assert [e.title for e in gallery.adaptations(first.id)] == ["Ring"]
    assert [e.title for e in gallery.search("BAR walls")] == ["Bushing", "Ring"]
    assert [e.title for e in gallery.search("ben cc0")] == ["Ring"]
    assert gallery.search("nobody") == []
    # An index that is lost, damaged, or lies is worked out anew.
    whole = gallery.editions()
    lie = (gallery.folder / INDEX).read_text().replace('"Bushing"', "3").replace('"Ring"', "[]")
    for text in ("", "{", '{"editions": [{"title": "x"}]}', '{"editions": 3}', lie):
        (gallery.folder / INDEX).write_text(text)
        assert Gallery(gallery.folder).editions() == whole
    (gallery.folder / INDEX).unlink()
    assert Gallery(gallery.folder).editions() == whole


def test_an_edition_that_is_none_or_another_one_is_refused(tmp_path: Path) -> None:
    gallery = Gallery(tmp_path / "gallery")
    one = published(bushing())
    path = written(one, tmp_path / "one.zip")
    gallery.publish(path)
    gallery.publish(path)  # once more the same is no fault
    forged = written(named(one, summary="Something else"), tmp_path / "forged.zip")
    with pytest.raises(SchabloneError, match=r"Edition 1\.0 is shared already"):
        gallery.publish(forged)
    with pytest.raises(SchabloneError, match="has no number yet"):
        gallery.publish(written(bushing(), tmp_path / "none.zip"))
    (tmp_path / "x.zip").write_bytes(path.read_bytes()[:400])
    with pytest.raises(SchabloneError):
        gallery.publish(tmp_path / "x.zip")
    # One that was put there by hand and is damaged is told, and the others stay.
    (gallery.folder / "editions" / "odd").mkdir()
    (gallery.folder / "editions" / "odd" / "1.0.zip").write_bytes(b"no zip")
    assert [e.title for e in gallery.editions()] == ["Bushing"]
    assert gallery.problems


def test_reports_are_put_in_and_read(tmp_path: Path) -> None:
    gallery = Gallery(tmp_path)
    report = Report(edition="tray", who="Bo", machine=Machine(name="P"), fits="yes")
    gallery.reports.keep(report)
    gallery.reports.keep(report)
    (tmp_path / "reports" / "tray" / "bad.report").write_text("{")
    assert gallery.reports.count("tray") == 2
    assert gallery.reports.of("tray") == [report]
    assert "bad.report" in gallery.reports.problems[0]
    evil = report.with_(edition="../../outside")
    gallery.reports.keep(evil)
    assert not list(tmp_path.parent.glob("outside*"))
    assert gallery.reports.of("../../outside") == [evil]


# Its makers


def test_makers_differ_and_are_the_same_again(test_piece) -> None:
    pieces = {"filament print": test_piece, "resin print": test_piece}
    some = makers(list(pieces), 12, pieces)
    assert [maker.care for maker in some[::2]] == list(CARES)
    assert len({maker.name for maker in some}) == 12
    assert all(bool(maker.process.known) == (maker.care != "none") for maker in some)
    again = makers(list(pieces), 12, pieces)
    assert [maker.process for maker in again] == [maker.process for maker in some]
    others = makers(list(pieces), 12, pieces, seed=5)
    assert all(
        a.process != b.process for a, b in zip(some, others, strict=True) if a.care != "none"
    )


def test_the_same_edition_fits_everywhere_and_without_correction_it_does_not(test_piece) -> None:
    """The promise on a small scale; the whole of it is a benchmark."""
    design, memory, promise = published(bushing()), Memory(), Promise.empty()
    some = makers(
        ["filament print", "resin print"],
        24,
        dict.fromkeys(("filament print", "resin print"), test_piece),
    )
    reports, bars = [], set()
    for maker in some:
        made = made_by(maker, design, memory)
        assert not isinstance(made, str), made
        promise.count(design, maker, made)
        reports.append(made.report)
        bars.add(made.report.values["bar"])
        (bore,) = [one for one in made.sent if one.line.row.name == "bore"]
        # The file holds what the table says, and the report what a hand would read.
        (told,) = [one for one in made.report.measured if one.size == "bore"]
        assert told.measured == pytest.approx(bore.made, abs=0.1)
    assert len(bars) > 15
    right, plain = promise.calibrated()
    assert right.of == plain.of == 20
    assert right.right >= 19
    assert plain.right <= right.right - 5
    assert promise.others()[0].right <= promise.others()[0].of
    # What many say of it: no size is the design's fault.
    assert not any(size.by for size in heard(reports).sizes)


def test_a_fault_of_the_design_is_told_from_those_of_machines(test_piece) -> None:
    """Its author forgot that a bar is painted: every bore is meant 0.3 mm wider than it is made."""
    design = published(bushing("hole_for(bar, sliding)"))
    some = makers(["resin print"], 6, {"resin print": test_piece})
    reports = []
    for maker in some:
        made = made_by(maker, design)
        assert not isinstance(made, str)
        if maker.care == "none":
            continue
        wanted = [
            one.with_(wanted=one.wanted + 0.3, expected=one.expected + 0.3)
            for one in made.report.measured
        ]
        reports.append(made.report.with_(measured=tuple(wanted)))
    (bore,) = [size for size in heard(reports).sizes if size.name == "bore"]
    assert bore.by == pytest.approx(0.3, abs=0.06)
    assert "that is the design's" in bore.says


def test_what_cannot_be_made_is_said(test_piece) -> None:
    maker = makers(["resin print"], 1, {"resin print": test_piece})[0]
    ends = {"formula": "900 mm", "low": "800 mm", "high": "1000 mm"}
    large = edit.change_size(bushing(), "bar", **ends)
    why = made_by(maker, published(large))
    assert isinstance(why, str)
    assert "bed" in why


def test_the_gap_of_a_shared_fit_is_between_both_sides(test_piece) -> None:
    """Both sides are off the same way by more than half the class, and their gap is still right."""
    maker = makers(["resin print"], 1, {"resin print": test_piece})[0]
    data = bushing("shared_hole(bar, sliding)").model_dump()
    data["sizes"] += ({"name": "pin", "formula": "shared_peg(bar, sliding)"},)
    data["parts"] += ({"name": "grip"},)
    data["steps"] += (*disc_on("grip", "peg", "pin"),)
    design = published(Design.model_validate(data))
    made = made_by(maker, design)
    assert not isinstance(made, str)
    lines = {one.line.row.name: one.line for one in made.sent}
    assert set(lines) >= {"bore", "pin"}
    middle = {
        name: (lines[name].meant.low + lines[name].meant.high) / 2 for name in ("bore", "pin")
    }
    for moved, right in ((0.0, True), (0.08, True), (-0.08, True)):
        sizes = [MadeSize(lines[name], middle[name] + moved) for name in middle]
        assert [fit.is_in_class for fit in fits_of(design, sizes)] == [right]
    apart = [
        MadeSize(lines["bore"], middle["bore"] + 0.1),
        MadeSize(lines["pin"], middle["pin"] - 0.1),
    ]
    assert [fit.is_in_class for fit in fits_of(design, apart)] == [False]
    assert fits_of(design, apart[:1]) == []


def test_no_two_makers_are_called_alike_however_often_some_are_let_make(test_piece) -> None:
    """Reports tell machines apart by whose they are."""
    pieces = {"resin print": test_piece}
    first = makers(["resin print"], 6, pieces)
    then = makers(["resin print"], 6, pieces, first=6)
    assert len({maker.name for maker in (*first, *then)}) == 12
    assert len({maker.seed for maker in (*first, *then)}) == 12
    assert makers(["resin print"], 8, pieces)[6].process == then[0].process
