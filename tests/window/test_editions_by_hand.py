"""The life of an edition through the windows: its number, what changed, choices that are kept."""

import base64
from pathlib import Path

import pytest
import trimesh
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog, QLineEdit, QScrollArea

from schablone.app import gallery_window
from schablone.app.widgets.heard_plot import HeardPlot
from schablone.core.editions import make_edition
from schablone.core.process import shipped_processes
from schablone.core.publish.choices import parse_choice
from schablone.core.publish.life import coming_edition, recorded, with_edition
from schablone.core.publish.reports import Machine, Measured, Report, parse_report, write_report
from tests.window.hands import Hands
from tests.window.test_shape import settle

CTRL = Qt.KeyboardModifier.ControlModifier


def edition_of(design, process, path: Path, day: str = "2026-05-30"):
    """An edition on disk; the design with its record."""
    kept = with_edition(design, coming_edition(design, process), process, day)
    path.write_bytes(make_edition(kept, [process], lambda *_: b"picture"))
    return kept


def limited(design, name: str, low: str, high: str):
    sizes = tuple(s.with_(low=low, high=high) if s.name == name else s for s in design.sizes)
    items = tuple(
        item.with_(low="", high="") if item.size == name else item for item in design.publish.adjust
    )
    publish = design.publish.with_(adjust=items)
    return design.model_copy(update={"sizes": sizes, "publish": publish})


@pytest.fixture
def process(slide):
    return next(p for p in shipped_processes() if p.name == slide.process)


def fill_in(hands: Hands, width: str) -> None:
    """Type a width of the hive into its field."""
    hands.click("Width of the hive inside", QLineEdit)
    hands.press(Qt.Key.Key_A, CTRL)
    hands.type(width)
    hands.press(Qt.Key.Key_Return)


def to_the_end(page) -> None:
    for area in page.findChildren(QScrollArea):
        area.verticalScrollBar().setValue(area.verticalScrollBar().maximum())


def test_writing_tells_how_far_it_is_and_can_be_stopped(qtbot, window, tmp_path) -> None:
    hands, path = Hands(qtbot, window), tmp_path / "mine" / "one.zip"
    path.parent.mkdir()
    path.write_bytes(b"as it was")
    hands.click("Publish …")
    hands.until("Write edition 1.0 …")
    window.files.publish_to(path)
    hands.until("now Hummel 8 on Printer ")
    assert not window.publish.write.isEnabled()
    hands.click("Stop writing")
    hands.until("Stopped. No edition was written.")
    assert not hands.says("now Hummel 8")
    assert window.publish.write.isEnabled()
    assert path.read_bytes() == b"as it was"
    assert [p.name for p in path.parent.iterdir()] == ["one.zip"]
    assert window.session.design.publish.history == ()


@pytest.mark.nightly
def test_the_next_edition_says_its_number_and_what_changed(qtbot, window, tmp_path) -> None:
    session, hands = window.session, Hands(qtbot, window)
    # Ready-made sizes are built on every machine: here one is enough.
    one = session.design.publish.with_(presets=session.design.publish.presets[-1:])
    session.edit(lambda design: design.model_copy(update={"publish": one}), "one ready-made size")
    hands.click("Publish …")
    hands.until("Write edition 1.0 …")
    window.files.publish_to(tmp_path / "one.zip")
    hands.until("The edition 1.0 is written: one.zip.")
    hands.click("Good")
    assert session.design.publish.history[-1].number == "1.0"
    to_the_end(window.publish)
    hands.until("writing it again gives the same file")
    session.edit(lambda design: limited(design, "passage", "6 mm", "13 mm"), "narrower")
    settle(qtbot, window)
    hands.until("Write edition 2.0 …")
    to_the_end(window.publish)
    hands.until("Choices saved with 1.0 may not fit: “Passage for the bees” could be 14 mm")
    # The author has the last word on both.
    hands.scroll_to("number of the next edition", window.publish)
    hands.click("number of the next edition")
    hands.type("0.7")
    hands.press(Qt.Key.Key_Return)
    hands.until("The edition 0.7 would not come after 1.0.")
    assert not window.publish.write.isEnabled()
    hands.retype("number of the next edition", "3.0")
    hands.press(Qt.Key.Key_Return)
    hands.until("Write edition 3.0 …")
    hands.scroll_to("what changed in this edition", window.publish)
    hands.click("what changed in this edition")
    hands.type("Drones stay in.")
    hands.click("number of the next edition", QLineEdit)
    assert session.design.publish.next_changed == "Drones stay in."
    window.files.publish_to(tmp_path / "two.zip")
    hands.until("The edition 3.0 is written: two.zip.")
    hands.click("Good")
    record = session.design.publish.history[-1]
    assert (record.number, record.changed) == ("3.0", "Drones stay in.")
    assert session.design.publish.next_changed == ""
    hands.press(Qt.Key.Key_Z, CTRL)
    assert [one.number for one in session.design.publish.history] == ["1.0"]


@pytest.mark.nightly
def test_a_record_stays_off_another_design(qtbot, window, tmp_path) -> None:
    hands = Hands(qtbot, window)
    hands.click("Publish …")
    window.files.publish_to(tmp_path / "one.zip")
    window.session.take(limited(window.session.design, "width", "60 mm", "400 mm"), None)
    hands.until("is written: one.zip. Another design was opened meanwhile")
    assert window.session.design.publish.history == ()


def test_what_somebody_chose_is_kept_and_opened_in_a_later_edition(
    qtbot, application, slide, process, tmp_path, monkeypatch
) -> None:
    first = edition_of(slide, process, tmp_path / "one.zip")
    later = limited(first, "width", "100 mm", "500 mm")
    edition_of(later, process, tmp_path / "two.zip", "2026-06-14")
    adjust = application.open_adjust_window(tmp_path / "one.zip")
    adjust.show()
    hands = Hands(qtbot, adjust)
    qtbot.waitUntil(adjust.is_settled)
    hands.until("edition 1.0 of 2026-05-30")
    fill_in(hands, "560 mm")
    qtbot.waitUntil(adjust.is_settled)
    kept = tmp_path / "mine.choice"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "mine"), ""))
    hands.click("Keep what you chose as a file, to open it again")
    hands.until("Kept as mine.choice.")
    assert parse_choice(kept.read_text(), "mine").values == {"width": "560 mm"}
    adjust.hide()

    again = application.open_adjust_window(tmp_path / "two.zip")
    again.show()
    hands = Hands(qtbot, again)
    qtbot.waitUntil(again.is_settled)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(kept), ""))
    hands.click("Open a choice that you kept")
    hands.until("Saved with Hummelhof entrance slide 1.0; this is 2.0.")
    hands.until("“Width of the hive inside” may be at most 500 mm; it is 560 mm.")
    assert again.values == {"width": "560 mm"}
    qtbot.waitUntil(lambda: not again.save.isEnabled())
    hands.click("Close these notes")
    fill_in(hands, "200 mm")
    too_long = "longer than the bed by 60 mm"
    qtbot.waitUntil(lambda: again.is_settled() and not again.wrong.isVisible())
    buttons = again.choosing, again.save, again.save_all
    stood = [one.mapTo(again, one.rect().bottomLeft()) for one in buttons]
    fill_in(hands, "480 mm")
    qtbot.waitUntil(again.is_settled)
    assert again.save.isEnabled()
    # What the checks say comes last, and moves no button from under the pointer.
    hands.until(too_long)
    assert [one.mapTo(again, one.rect().bottomLeft()) for one in buttons] == stood
    folder = tmp_path / "files"
    folder.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    hands.click("All files of all parts in one go")
    again.set_value("width", "200 mm")  # who goes on adjusting meanwhile gets no mixture
    hands.until("and what you chose.")
    again.set_value("width", "480 mm")
    qtbot.waitUntil(again.is_settled)
    hands.until(too_long)
    wide = trimesh.load(folder / "entrance-slide-printer-amsel-petg.stl").extents[0]
    assert wide == pytest.approx((480 - 0.06) / 0.997, abs=1e-3)
    kept_there = folder / "entrance-slide-printer-amsel-petg.choice"
    assert parse_choice(kept_there.read_text(), "it").values == {"width": "480 mm"}
    assert sorted(path.suffix for path in folder.iterdir()) == [".3mf", ".choice", ".step", ".stl"]
    # What is no choice of this edition is told, and changes nothing.
    kept.write_text(kept.read_text().replace(first.publish.id, "somebody-else"))
    hands.click("Open a choice that you kept")
    hands.until("This choice was saved with “Hummelhof entrance slide”")
    kept.write_text("{")
    hands.click("Open a choice that you kept")
    hands.until("mine.choice")
    assert again.values == {"width": "480 mm"}
    again.hide()


def test_how_it_came_out_is_told_and_read_by_its_author(
    qtbot, application, window, slide, process, tmp_path, monkeypatch
) -> None:
    kept = edition_of(window.session.design, process, tmp_path / "one.zip")
    adjust = application.open_adjust_window(tmp_path / "one.zip")
    adjust.show()
    hands = Hands(qtbot, adjust)
    qtbot.waitUntil(adjust.is_settled)
    qtbot.waitUntil(lambda: adjust.measures is not None)
    hands.click("Tell its author how it came out")
    hands = Hands(qtbot, adjust.report_window)
    hands.until("expected 6.2 ±")
    hands.click("Dowel hole, measured, mm")
    hands.type("62")
    hands.until("Dowel hole: 62 mm is far from 6.2 mm.")
    assert not adjust.report_window.save.isEnabled()
    hands.retype("Dowel hole, measured, mm", "six")
    hands.until("“six” is no length: type millimetres, or a unit with it.")
    hands.retype("Dowel hole, measured, mm", "6,31")
    hands.click("almost")
    hands.click("what its author should know")
    hands.type("<b>tight</b>")
    picture_of(2400, 300, tmp_path / "made.png")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "made.png"), ""))
    hands.click("Add a picture")
    hands.until("1 picture")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "it"), ""))
    hands.click("Save the report")
    hands.until("it.report written.")
    report = parse_report((tmp_path / "it.report").read_text(), "it")
    assert (report.edition, report.fits, report.words) == (
        kept.publish.id,
        "almost",
        "<b>tight</b>",
    )
    (reading,) = report.measured
    assert (reading.size, reading.measured) == ("dowel_hole", 6.31)
    assert reading.is_as_meant is (reading.low <= 6.31 <= reading.high)
    adjust.report_window.hide()
    adjust.hide()
    # Its author has not published this design: the report is nobody's here.
    hands = Hands(qtbot, window)
    hands.click("Publish …")
    hands.click("What came back")
    hands.until("Write an edition first")
    monkeypatch.setattr(
        QFileDialog, "getOpenFileNames", lambda *_: ([str(tmp_path / "it.report")], "")
    )
    hands.click("Read reports from files")
    hands.until("it.report is about “Hummelhof entrance slide”.")
    window.session.edit(lambda design: recorded(design, kept), "an edition is written")
    hands.click("Read reports from files")
    hands.until("1 make: 0 fit, 1 almost, 0 not")
    hands.until("Heard of 1 machine: too few to say whose fault it is.")
    to_the_end(window.publish)
    hands.until("<b>tight</b>")
    hands.click("Read reports from files")
    hands.until("it.report is here already.")
    to_the_end(window.publish)
    hands.click("Remove the report of Printer Amsel · PETG")
    hands.until("Nothing came back yet")


def picture_of(wide: int, high: int, place: Path) -> str:
    """A picture as it lies in a report."""
    picture = QImage(wide, high, QImage.Format.Format_RGB32)
    picture.fill(0xFF886644)
    picture.save(str(place), "PNG")
    return base64.b64encode(place.read_bytes()).decode()


def made(number: str, who: int, off: float, edition: str, *pictures: str) -> Report:
    """What a maker tells whose hole came out ``off`` by so much."""
    hole = Measured(
        size="dowel_hole", label="Dowel hole", wanted=6.2, expected=6.2, sure=0.05,
        measured=6.2 + off, low=6.1, high=6.3,
    )  # fmt: skip
    machine = Machine(name="Printer", calibrated="2026-05-01")
    return Report(
        edition=edition, number=number, who=f"maker {who}", machine=machine, measured=(hole,),
        fits="yes", pictures=pictures, date="2026-06-01",
    )  # fmt: skip


def test_many_makes_are_looked_at_edition_by_edition(
    qtbot, window, slide, process, tmp_path, monkeypatch
) -> None:
    kept = edition_of(window.session.design, process, tmp_path / "one.zip")
    window.session.edit(lambda design: recorded(design, kept), "an edition is written")
    mine = kept.publish.id
    # Too large on all, in the first edition; in the second that is mended.
    told = [made("1.0", who, 0.15 + who / 1000, mine) for who in range(14)]
    pictures = picture_of(300, 2400, tmp_path / "a.png"), picture_of(40, 40, tmp_path / "b.png")
    told += [made("1.1", who, who / 1000 - 0.002, mine, *pictures[: who + 1]) for who in range(4)]
    paths = [tmp_path / f"{at}.report" for at in range(len(told))]
    for path, report in zip(paths, told, strict=True):
        path.write_text(write_report(report))
    chosen = [str(path) for path in paths]
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: (chosen, ""))
    hands = Hands(qtbot, window)
    hands.click("Publish …")
    hands.click("What came back")
    hands.click("Read reports from files")
    hands.until("4 makes: 4 fit, 0 almost, 0 not")
    hands.until("Comes out as it is wanted, within 0.0")
    # A dot says whose it is.
    plot = next(one for one in hands.seen() if isinstance(one, HeardPlot))
    assert plot.accessibleName().startswith("Dowel hole by machine: comes out as it is wanted, wit")
    at = next(at for at, make in plot._places() if make.machine == "Printer of maker 3")
    hands.hover_at(plot, at.toPoint())
    assert "Printer of maker 3: +0.001 mm, as it is meant" in plot.toolTip()
    # A picture is seen whole, and goes with Esc.
    hands.scroll_to("picture by Printer of maker 0", window.publish.heard)
    hands.click("picture by Printer of maker 0")
    large = next(
        one for one in hands.seen() if one.windowTitle() == "picture by Printer of maker 0"
    )
    assert large.height() <= large.screen().availableSize().height()
    assert large.height() > 5 * large.width()
    Hands(qtbot, large).press(Qt.Key.Key_Escape)
    assert not any(one.windowTitle().startswith("picture by") for one in hands.seen())
    # The earlier one is chosen by key; of its machines the farthest have a row.
    hands = Hands(qtbot, window)
    hands.click("Edition that was made")
    hands.press(Qt.Key.Key_Down)
    hands.press(Qt.Key.Key_Return)
    hands.until("14 makes: 14 fit, 0 almost, 0 not")
    hands.until("Where a step uses it, dowel_hole - 0.16 mm would come out as it is wanted.")
    plot = next(one for one in hands.seen() if isinstance(one, HeardPlot))
    assert plot.more == "2 more, all nearer"
    # One that was removed by mistake comes back.
    hands.scroll_to("Remove the report of Printer of maker 13", window.publish.heard)
    hands.click("Remove the report of Printer of maker 13")
    hands.until("13 makes: 13 fit, 0 almost, 0 not")
    hands.until("The report of Printer of maker 13 is removed.")
    hands.press(Qt.Key.Key_Space)
    hands.until("14 makes: 14 fit, 0 almost, 0 not")
    assert not hands.says("is removed")


def test_an_edition_becomes_a_design_of_ones_own(
    qtbot, application, slide, process, tmp_path
) -> None:
    edition_of(slide, process, tmp_path / "one.zip")
    adjust = application.open_adjust_window(tmp_path / "one.zip")
    adjust.show()
    hands = Hands(qtbot, adjust)
    qtbot.waitUntil(adjust.is_settled)
    to_the_end(adjust)
    hands.click("Open the design itself, as it is chosen now, to change more than its sizes")
    mine = application.windows[-1]
    settle(qtbot, mine)
    publish = mine.session.design.publish
    assert (publish.author, publish.history, mine.session.path) == ("", (), None)
    assert not mine.session.is_saved
    mine.go("publish")
    to_the_end(mine.publish)
    Hands(qtbot, mine).until("Adapted from “Hummelhof entrance slide 1.0” by Hummelhof workshop")
    adjust.hide()
    mine.session.take(slide, None)


def test_own_figures_go_before_those_of_an_edition(
    qtbot, application, slide, process, tmp_path
) -> None:
    """Whoever calibrated a machine that is called as one of the edition makes it by their own."""
    edition_of(slide, process, tmp_path / "one.zip")
    application.library.keep_process(process.with_(hole_gain=-0.31))
    adjust = application.open_adjust_window(tmp_path / "one.zip")
    adjust.show()
    hands = Hands(qtbot, adjust)
    qtbot.waitUntil(adjust.is_settled)
    assert adjust.process.hole_gain == -0.31
    hands.until("By your own figures: it shrinks")
    hands.until("holes come out 0.31 mm smaller")
    adjust.hide()


@pytest.mark.nightly
def test_an_edition_is_shared_made_by_others_and_heard_of(
    qtbot, window, tmp_path, monkeypatch
) -> None:
    monkeypatch.setattr(gallery_window, "_MAKERS", 2)
    hands = Hands(qtbot, window)
    hands.click("Publish …")
    hands.click("Look at the practice gallery")
    place = window.publish.gallery
    Hands(qtbot, place).until("Nothing is shared yet.")
    place.close()
    hands.until("Write edition 1.0 …")
    window.files.publish_to(tmp_path / "one.zip")
    hands.until("The edition 1.0 is written: one.zip.")
    hands.click("Share it in the practice gallery")
    place = window.publish.gallery
    shown = Hands(qtbot, place)
    shown.until("Shared: Hummelhof entrance slide 1.0.")
    shown.until("Hummelhof entrance slide 1.0")
    shown.click("search the gallery")
    shown.type("winter")
    shown.until("Nothing that says so.")
    shown.retype("search the gallery", "SLIDE")
    shown.until("Hummelhof entrance slide 1.0")
    shown.click("Let 2 simulated makers make it and report")
    # Their fits have as much room as their machines need, which helps what is not corrected, too.
    shown.until("Fits in their class, calibrated: 2 of 2; without correction: 1 of 2.")
    place.close()
    hands.click("What came back")
    hands.until("2 makes: ")
    hands.click("Read what the makers of the practice gallery told")
    hands.until("All that is in the gallery is here already.")


def test_makers_who_are_closed_in_the_middle_leave_nothing_half(
    qtbot, window, process, tmp_path
) -> None:
    edition_of(window.session.design, process, tmp_path / "one.zip")
    place = window.beside.show_gallery()
    place.share(tmp_path / "one.zip")
    shown = Hands(qtbot, place)
    shown.click("Let 6 simulated makers make it and report")
    shown.until("The makers calibrate their machines")
    place.close()
    again = window.beside.show_gallery()
    Hands(qtbot, again).until("Hummelhof entrance slide 1.0")
    assert again.make.isEnabled()
    again.gallery.reports.of(again.shared[0].id)
    assert again.gallery.reports.problems == []
    again.close()
