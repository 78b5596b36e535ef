"""Processes in the window: calibrated on a practice machine, edited figure by figure, used by the
design."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton

from schablone.app.library import Library
from schablone.core.process import shipped_processes
from schablone.core.process.known import Covariance, Spread
from schablone.core.process.told_apart import say_spacing
from tests.window.conftest import end
from tests.window.hands import Hands
from tests.window.test_shape import settle

ZEISIG = "Printer Zeisig · PLA"
SPECHT = "Laser Specht · birch plywood"


def ready(qtbot, window, name: str):
    window.process.calibrate_wanted.emit(window.session.library.process(name))
    page = window.calibration
    qtbot.waitUntil(lambda: page.sheet.rowCount() > 0)
    assert window.stack.currentWidget() is page
    return page


def practised(qtbot, page):
    page.practise()
    qtbot.waitUntil(lambda: page.found is not None)


def test_a_printer_is_calibrated_and_every_design_follows(qtbot, window) -> None:
    zeisig = window.session.library.process(ZEISIG)
    window.session.use_process(zeisig)
    settle(qtbot, window)
    page = ready(qtbot, window, ZEISIG)
    assert "Print this" in page.make.title.text()
    assert page.sheet.item(10, 0).text().startswith("hole ø 3")
    assert not page.meaning.save.isEnabled()
    practised(qtbot, page)
    assert "hole gain: −0." in page.meaning.figures.text()
    page.meaning.plot.grab()
    before = window.session.table.cells["dowel_hole"].sent.value
    page.save_state()
    settle(qtbot, window)
    made = window.session.library.process(ZEISIG)
    assert made.known["hole_gain"].source == "calibrated"
    assert made.hole_gain == pytest.approx(page.found.figures["hole_gain"], abs=1e-4)
    after = window.session.table.cells["dowel_hole"].sent.value
    assert after - before == pytest.approx(
        made.send_inside(6.25) - zeisig.send_inside(6.25), abs=1e-9
    )
    window.go("process")
    assert "calibrated" in "".join(
        w.text() for w in window.process.cards[ZEISIG].findChildren(type(window.process.trouble))
    )
    page._keep(made.back_to(made.history[0]), "back")
    assert window.session.library.process(ZEISIG).hole_gain == zeisig.hole_gain


def test_the_card_of_a_machine_of_which_much_is_known_is_seen_whole(qtbot, window) -> None:
    """Its links stand at its foot: they were cut off as soon as a machine had been calibrated."""
    process = window.session.library.process("Printer Zeisig · PLA")
    known = process.with_(
        hole_small=-0.4, peg_small=-0.24, opening_gain=-0.1, length_gain=0.2, height_gain=0.03
    )
    window.session.library.keep_process(known)
    window.go("process")
    place = window.process
    card = place.cards[known.name]
    qtbot.waitUntil(
        lambda: card.height() > 0 and place._scroll.viewport().height() >= card.height()
    )
    words = " ".join(one.text() for one in card.findChildren(QLabel))
    # −0.25 − 0.4/4 and 0.12 − 0.24/4
    assert "0.25 mm smaller, 0.35 at ø 4" in words
    assert "0.12 mm larger, 0.06 at ø 4" in words
    assert "0.12 mm wider all around" in words


def test_fits_that_a_machine_cannot_tell_apart_are_spaced(qtbot, window) -> None:
    names = ("hole_gain", "peg_gain", "hole_small", "peg_small", "opening_gain", "length_gain")
    rows = np.zeros((6, 6))
    rows[:2, :2] = [[2e-3, -2e-3], [-2e-3, 2e-3]]
    wide = Spread(
        mean=Covariance(names=names, rows=tuple(map(tuple, rows.tolist()))),
        days=Covariance(names=names, rows=tuple(map(tuple, np.zeros((6, 6)).tolist()))),
        noise={"round": 0.01, "straight": 0.01},
    )
    amsel = next(p for p in shipped_processes() if "Amsel" in p.name)
    window.session.library.keep_process(amsel.with_(spread=wide, date="2026-01-01"))
    window.session.process_changed()
    window.go("process")
    hands = Hands(qtbot, window)
    before = next(p for p in window.session.library.processes() if p.name == amsel.name)
    hands.until("calibrated")
    link = hands.find(say_spacing(before))
    assert link.text() == "Space its fits"
    hands.click(say_spacing(before))
    hands.until("So that each fit of 10 mm comes out as itself, sliding becomes")
    after = next(p for p in window.session.library.processes() if p.name == amsel.name)
    # By hand: the variance of a gap is 4 × 0.002 + 2 × 0.01², 1.96 times its root 0.178 mm.
    assert (after.fits.push, after.fits.sliding, after.fits.loose) == (0.06, 0.42, 0.78)
    assert after.fits.press == before.fits.press
    assert after.known == before.known  # nothing was measured for it
    assert after.history[-1].fits == before.fits
    hands.until(f"sliding {after.fits.sliding:g}")
    assert not [one for one in window.process.findChildren(QPushButton) if "Space" in one.text()]


def test_bad_readings_are_told_where_they_arise(qtbot, window, tmp_path) -> None:
    page = ready(qtbot, window, ZEISIG)
    practised(qtbot, page)
    page.sheet.item(12, 1).setText("48.4")
    assert (
        "hole ø 5.03 at -35, 20 was read as 48.4 mm: a slipped point? 4.84 mm would fit"
        in page.meaning.told.text()
    )
    page.sheet.item(12, 1).setText("four")
    assert "“four” is no number" in page.wrong.text()
    csv = tmp_path / "r.csv"
    csv.write_text("reading in cm\n0.1\n")
    page.read_csv(csv)
    assert "neither in millimetres nor in inches" in page.wrong.text()
    csv.write_text("1.0\n2.0\n")
    page.read_csv(csv)
    assert "2 rows" in page.wrong.text()
    page.closed.setText("0")
    csv.write_text(
        "mm;mm\n"
        + "\n".join(f"{f['size'] + 0.04:.2f};{f['size'] + 0.06:.2f}" for f in page.sheet.features)
    )
    page.read_csv(csv)
    assert page.found is not None
    assert page.found.expects("hole", np.array([8.0]))[0][0] == pytest.approx(8.05, abs=0.02)
    page.empty()
    assert page.found is None
    assert not page.meaning.save.isEnabled()
    QApplication.clipboard().setText("2.9\t2.91\n3.88")
    page.sheet.setCurrentCell(10, 1)
    page.sheet.paste()
    assert [page.sheet.item(10, 2).text(), page.sheet.item(11, 1).text()] == ["2.91", "3.88"]
    assert "2 usable features are too few" in page.wrong.text()
    page.sheet.item(12, 1).setText("4.9")
    assert "measure lengths that differ much for it" in page.meaning.told.text()


def test_readings_in_inches_are_told_and_taken_as_such(qtbot, window) -> None:
    page = ready(qtbot, window, ZEISIG)
    sizes = [f["size"] for f in page.sheet.features]
    said = [f"{sizes[0]:.2f} mm", f"{sizes[1] / 25.4:.4f} in"]  # these say what they are
    page.sheet.fill([[text] for text in (*said, *(f"{size / 25.4:.4f}" for size in sizes[2:]))])
    assert "look like inches" in page.wrong.text()
    assert page.found is None
    assert page.inches.isVisible()
    qtbot.mouseClick(page.inches, Qt.MouseButton.LeftButton)
    assert not page.inches.isVisible()
    assert page.found is not None
    assert page.sheet.item(10, 1).text() == "2.9997"
    assert [page.sheet.item(row, 1).text() for row in (0, 1)] == said
    read = [reading.measured for reading in page.sheet.readings()[0]]
    assert read == pytest.approx(sizes, abs=0.01)


def test_a_second_day_makes_it_surer_and_another_nozzle_is_told(qtbot, window) -> None:
    page = ready(qtbot, window, ZEISIG)
    practised(qtbot, page)
    assert "once more on another day" in page.meaning.told.text()
    assert {feature["axis"] for feature in page.sheet.features} == {"", "x", "y"}
    alone = len(page.found.readings)
    page.save_state()
    assert not page.meaning.together.isVisible()  # it is the same piece
    page.make.practice_day.setCurrentIndex(2)
    practised(qtbot, page)
    qtbot.waitUntil(lambda: page.made_on == "practice day 3" and page.meaning.together.isVisible())
    assert page.meaning.together.text() == "Together with the piece of practice day 1"
    assert page.meaning.together.isChecked()
    assert "confirms the process" in page.meaning.checked.text()
    assert len(page.found.readings) > 1.9 * alone
    page.save_state()
    made = window.session.library.process(ZEISIG)
    assert [piece.date for piece in made.pieces] == ["practice day 1", "practice day 3"]
    # A nozzle that lays wider beads: holes smaller, outsides larger.
    wider = []
    for row, feature in enumerate(page.sheet.features):
        by = {"hole": -0.3, "opening": -0.3, "peg": 0.3, "length": 0.3}.get(feature["kind"], 0.0)
        wider.append([f"{float(page.sheet.item(row, 1).text()) + by:.2f}"])
    page.empty()
    page.sheet.fill(wider)
    assert "another nozzle" in page.meaning.checked.text()
    assert not page.meaning.together.isChecked()


def test_a_laser_is_calibrated_for_a_stock(qtbot, window) -> None:
    page = ready(qtbot, window, SPECHT)
    (number,) = (k for k, stock in enumerate(page.process.stock) if stock.name == "Birch 6")
    page.make.stock.setCurrentIndex(number)
    page.make.stock.activated.emit(number)
    qtbot.waitUntil(lambda: page.sheet.rowCount() > 0)
    practised(qtbot, page)
    page.save_state()
    made = window.session.library.process(SPECHT)
    assert made.kerf_in("Birch plywood", 6.0) == pytest.approx(page.found.figures["kerf"], abs=1e-4)
    assert made.kerf_in("Birch plywood", 3.0) == 0.16  # the others are as they were


def test_figures_are_edited_and_what_cannot_be_is_told(qtbot, window, answering) -> None:
    process = window.session.library.process(SPECHT)
    window.process.edit_wanted.emit(process)
    editor = window.editor
    assert window.stack.currentWidget() is editor
    kerfs = editor.lists["kerfs"].table
    kerfs.item(0, 2).setText("0,21")
    editor.figures.item(0, 4).setText("0.2")
    source = editor.figures.cellWidget(0, 3)
    assert isinstance(source, QComboBox)
    source.setCurrentText("typed")
    assert editor.take_over()
    own = window.session.library.process(SPECHT)
    assert own.kerfs[0].kerf == 0.21
    assert (own.known["taper"].source, own.known["taper"].uncertainty) == ("typed", 0.2)
    assert own.stock == process.stock
    kerfs = editor.lists["kerfs"].table
    kerfs.item(0, 2).setText("12")
    assert not editor.take_over()
    assert "wider than any beam" in editor.wrong.text()
    kerfs.item(0, 2).setText("0.2")
    editor.figures.item(0, 4).setText("-1")
    assert not editor.take_over()
    assert "“taper of the cut, ±” is -1.0; it must be at least 0." in editor.wrong.text()
    editor.figures.item(0, 1).setText("much")
    assert not editor.take_over()
    assert "“much” is no number" in editor.wrong.text()
    answering[1].append("Take them away")
    editor.forget()
    assert window.session.library.process(SPECHT) == next(
        p for p in shipped_processes() if p.name == SPECHT
    )


def test_choices_bed_and_stock_of_a_router_are_edited(qtbot, window) -> None:
    router = next(p for p in window.session.library.processes() if p.kind == "router")
    window.edit_process(router)
    editor = window.editor
    rows = {editor.figures.item(k, 0).text(): k for k in range(editor.figures.rowCount())}
    pockets = editor.figures.cellWidget(rows["of pockets"], 1)
    assert isinstance(pockets, QComboBox)
    pockets.setCurrentIndex(pockets.findData("along"))
    editor.figures.item(rows["tabs around a part"], 1).setText("6")
    editor.figures.item(rows["bed, x × y × z"], 1).setText("600 x 400 × 80")
    editor.lists["stock"].add()
    stock = editor.lists["stock"].table
    oak_row = ("Oak 12", "Oak", "12", "1,18 cm", "90 cm × 120", "y", "yes", "", "0,15")
    for column, text in enumerate(oak_row):
        stock.item(2, column).setText(text)
    editor.density.setText("0,5")
    assert editor.take_over(), editor.wrong.text()
    own = window.session.library.process(router.name)
    assert (own.relief_pockets, own.tabs, own.bed) == ("along", 6, (600.0, 400.0, 80.0))
    assert own.stock[:2] == router.stock
    oak = own.stock[2]
    assert (oak.measured, oak.size, oak.grain, oak.film, oak.price) == (
        11.8,
        (900.0, 120.0),
        "y",
        True,
        0.0,
    )
    assert [oak.scatter, *(own.scatter_of(t, "Oak") for t in (11.8, 7))] == [0.15, 0.15, 0]
    assert own.material.density == 0.5
    editor.figures.item(rows["bed, x × y × z"], 1).setText("600")
    assert not editor.take_over()
    assert "not three lengths" in editor.wrong.text()
    editor.lists["stock"].table.item(2, 6).setText("perhaps")
    editor.figures.item(rows["bed, x × y × z"], 1).setText("600 × 400 × 80")
    assert not editor.take_over()
    assert editor.wrong.text()
    assert window.session.library.process(router.name) == own


def test_a_part_gets_a_machine_of_its_own(qtbot, window) -> None:
    from schablone.core.design import edit as edits

    session = window.session
    session.edit(lambda design: edits.add_part(design, "lid")[0], "new part")
    window.go("process")
    box = window.process.machine_of["lid"]
    assert box.currentText() == "as the design"
    box.setCurrentIndex(box.findData(SPECHT))
    box.activated.emit(box.currentIndex())
    assert session.design.parts[-1].process == SPECHT
    assert [machine.name for machine in session.machines_at_work()][1:] == [SPECHT]
    assert SPECHT in window.process.table_title.text()
    settle(qtbot, window)
    assert "lid" not in " ".join(
        problem["what"]
        for problem in window.part.report["problems"]
        if problem["severity"] == "error"
    )
    session.undo()
    assert window.process.machine_of["lid"].currentText() == "as the design"


def test_the_report_says_what_a_size_is_meant_to_be(qtbot, window) -> None:
    window.go("process")
    table = window.process.table
    rows = {
        table.item(k, 0).text(): [table.item(k, c).text() for c in range(table.columnCount())]
        for k in range(table.rowCount())
    }
    assert rows["passage"][6:8] == ["± 0.2 mm", "likely: not sure enough"]
    assert rows["dowel_hole"][6].startswith("sliding on ")


def test_fits_are_found_by_feel_on_the_comb(qtbot, window, tmp_path) -> None:
    page = ready(qtbot, window, ZEISIG)
    page.take_piece("slot-and-tab-comb")
    assert page.fits.isVisible()
    assert not page.measuring.isVisible()
    assert not page.fits.save.isEnabled()
    slots = page.fits.slots
    assert slots["push"].itemText(1) == "slot 1: gap −0.15 mm"
    slots["sliding"].setCurrentIndex(1)  # tighter than a press fit
    page.fits.take_over()
    assert "must get wider" in page.fits.wrong.text()
    for fit, slot in {"press": 1, "push": 3, "sliding": 5, "loose": 8}.items():
        slots[fit].setCurrentIndex(slot)
    page.take_piece("printing-coupon")  # another piece, and back to this one
    page.take_piece("slot-and-tab-comb")
    page.fits.picture.grab()
    page.fits.take_over()
    own = window.session.library.process(ZEISIG)
    assert [own.clearance(fit) for fit in ("press", "push", "sliding", "loose")] == pytest.approx(
        [-0.15, 0.05, 0.25, 0.55]
    )
    assert own.known["fits.push"].source == "calibrated"
    assert own.shrinkage_xy == page.process.shrinkage_xy
    assert page.fits.chosen() == {}


def test_states_stand_side_by_side_and_one_is_gone_back_to(qtbot, window) -> None:
    before = window.session.library.process(ZEISIG)
    page = ready(qtbot, window, ZEISIG)
    practised(qtbot, page)
    page.save_state()
    after = window.session.library.process(ZEISIG)
    page.compare_states()
    table = page.states.table
    texts = {
        table.item(row, 0).text(): [table.item(row, c).text() for c in (1, 2)]
        for row in range(table.rowCount())
    }
    gains = texts["hole gain, mm"]
    assert gains[0].startswith(f"{after.hole_gain:.3f}".rstrip("0").replace("-", "−"))
    assert gains[1].startswith("−0.25")
    assert not page.states.back.isEnabled()
    table.setCurrentCell(0, 2)
    page.states.take()
    again = window.session.library.process(ZEISIG)
    assert (again.hole_gain, again.measured) == (before.hole_gain, before.measured)
    assert again.history[-1].figures["hole_gain"] == after.hole_gain


def test_the_cutter_of_a_router_is_found_from_corner_to_corner(qtbot, window) -> None:
    router = next(p for p in window.session.library.processes() if p.kind == "router")
    page = ready(qtbot, window, router.name)
    page.take_piece("corner-coupon")
    qtbot.waitUntil(lambda: page.sheet.rowCount() > 0)
    assert page.sheet.item(0, 0).text().startswith("corner to corner")
    practised(qtbot, page)
    assert (
        "cutter: 5.9" in page.meaning.figures.text() or "cutter: 6" in page.meaning.figures.text()
    )
    assert "gain of a cut path" in page.meaning.figures.text()
    page.meaning.plot.grab()
    page.save_state()
    own = window.session.library.process(router.name)
    assert own.cutter == pytest.approx(5.93, abs=0.25)
    assert own.known["cutter"].readings == 33


def test_others_choose_their_own_machine_for_each_part(qtbot, application, tmp_path) -> None:
    """An edition of a printed box with a lid that is cut, opened by someone with another laser."""
    from schablone.core.editions import make_edition
    from tests.core.test_own_processes import LASER, PRINTER, box_with_lid
    from tests.window.conftest import wait_until_settled

    path = tmp_path / "box.zip"
    path.write_bytes(make_edition(box_with_lid(), [PRINTER, LASER], lambda *_: b"picture"))
    window = application.open_adjust_window(path)
    window.show()
    wait_until_settled(qtbot, window)
    assert window.machines.box.itemText(0) == "Printer"
    box = window.machines.of_part["lid"]
    assert "Printer" not in [box.itemText(k) for k in range(box.count())]
    window.lens._choose(1)
    wait_until_settled(qtbot, window)

    def wide(part: str) -> float:
        low, high = next(p["bounds"] for p in window.report["parts"] if p["name"] == part)
        return high[0] - low[0]

    assert (wide("box"), wide("lid")) == (
        pytest.approx(20 / 0.99, abs=1e-6),
        pytest.approx(20.2, abs=1e-6),
    )
    window.use_for("lid", SPECHT)
    wait_until_settled(qtbot, window)
    specht = next(p for p in shipped_processes() if p.name == SPECHT)
    assert wide("lid") == pytest.approx(20 + specht.kerf_in("Birch plywood", 3), abs=1e-6)
    assert wide("box") == pytest.approx(20 / 0.99, abs=1e-6)
    # What is expected of a size is that of the machine which makes its part.
    assert {part: one[0].name for part, one in window._machines_of_parts().items()} == {
        "lid": SPECHT
    }


def test_tabs_are_marked_where_the_machine_is_sent_to_leave_them(qtbot, window) -> None:
    router = next(p for p in window.session.library.processes() if p.kind == "router")
    window.session.use_process(router)
    window.session.look_through("sent")
    settle(qtbot, window)
    (part,) = window.shape.view.parts
    assert len(part.tabs) == router.tabs
    window.shape.view.grab()
    assert window.shape.steps.tabs.isVisible()
    window.shape.steps.tabs.click()
    settle(qtbot, window)
    assert [part.tabs for part in window.shape.view.parts] == [[]]
    assert not window.session.design.hold_by_tabs
    window.session.undo()
    window.session.look_through("wanted")
    settle(qtbot, window)
    assert [part.tabs for part in window.shape.view.parts] == [[]]


def test_what_is_changed_in_another_window_is_followed_and_not_written_over(
    qtbot, application, workers, tmp_path
) -> None:
    windows = [application.open_design_window(None) for _ in range(2)]
    for one in windows:
        one.show()
    first, second = windows
    amsel = first.session.process
    first.edit_process(amsel)
    editor = first.editor
    rows = {editor.figures.item(k, 0).text(): k for k in range(editor.figures.rowCount())}
    # By another window of this run.
    hours = amsel.with_(hour_cost=7.0)
    second.session.library.keep_process(hours, second.session.process)
    qtbot.waitUntil(lambda: all(one.session.process == hours for one in windows))
    assert editor.process == hours
    # By another run, while something is typed.
    editor.figures.item(rows["a kilogram costs"], 1).setText("31")
    other = Library(tmp_path / "config", tmp_path / "data")
    other.keep_process(hours.with_(hole_gain=-0.31))
    qtbot.waitUntil(lambda: second.session.process.hole_gain == -0.31)
    assert "changed in another window" in editor.wrong.text()
    assert editor.take_over()
    kept = Library(tmp_path / "config", tmp_path / "data").process(amsel.name)
    assert (kept.hour_cost, kept.hole_gain, kept.kilo_cost) == (7.0, -0.31, 31.0)
    assert first.session.process == editor.process == kept
    qtbot.waitUntil(lambda: second.session.process == kept)
    # Of a window that is gone nothing follows any more.
    application.windows.remove(first)
    end(first, workers)
    other.keep_process(hours)
    qtbot.waitUntil(lambda: second.session.process == hours)
