"""Typed and clicked at once in the adjust window: what is made is what is seen, or nothing is."""

import json
import re

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QLineEdit, QMessageBox

from schablone.core.design import read_design
from schablone.core.design.edit import add_size, make_by
from schablone.core.design.model import Adjustable
from schablone.core.design.rebuild import rebuild
from schablone.core.editions import make_edition
from schablone.core.process import shipped_processes
from schablone.core.publish.life import coming_edition, with_edition
from schablone.core.publish.reports import parse_report
from tests.conftest import TOP
from tests.window.hands import Hands
from tests.window.test_editions_by_hand import edition_of, process, to_the_end  # noqa: F401

CONTROL = Qt.KeyboardModifier.ControlModifier
SAVE, ALL = "Save the files for this machine", "All files of all parts in one go"
KEEP, MADE = "Keep what you chose as a file, to open it again", "Tell its author how it came out"
OWN = "Open the design itself, as it is chosen now, to change more than its sizes"


@pytest.fixture
def adjust(qtbot, application, slide, process, tmp_path):  # noqa: F811
    edition_of(slide, process, tmp_path / "edition.zip")
    window = application.open_adjust_window(tmp_path / "edition.zip")
    window.show()
    qtbot.waitUntil(window.is_settled)
    yield window
    window.hide()


@pytest.fixture
def hands(qtbot, adjust) -> Hands:
    return Hands(qtbot, adjust)


@pytest.fixture
def out(tmp_path, monkeypatch):
    """A folder that all that is written goes to; whoever asks gets a name at once."""
    folder = tmp_path / "out"
    folder.mkdir()

    def name(_parent, _title, proposed, *_):
        return str(folder / f"made{proposed[proposed.rindex('.') :]}"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", name)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    return folder


def test_its_figures_are_those_of_all_parts(qtbot, application, tmp_path) -> None:
    design = read_design(TOP / "demo" / "hive-box.schablone")
    (machine,) = (p for p in shipped_processes() if p.name == design.process)
    edition_of(design, machine, tmp_path / "box.zip")
    window = application.open_adjust_window(tmp_path / "box.zip")
    window.show()
    qtbot.waitUntil(window.is_settled)
    built = rebuild(design, design.seen("wanted", machine, window.others()))
    low, high = zip(*(f.bounds for f in built.figures.values()), strict=True)
    sizes = np.max(high, axis=0) - np.min(low, axis=0)
    volume = sum(f.volume for f in built.figures.values())
    *told, mass = (float(text) for text in re.findall(r"[\d.]+", window.figures.text()))
    assert told == pytest.approx(sizes.tolist(), abs=0.051)
    assert mass == round(volume * machine.material.density / 1000)  # from 100 g on in whole grams
    window.hide()


def type_width(hands: Hands, text: str) -> None:
    hands.click("Width of the hive inside", QLineEdit)
    hands.press(Qt.Key.Key_A, CONTROL)
    hands.type(text)


def test_what_was_just_typed_is_what_is_written(qtbot, hands, out) -> None:
    type_width(hands, "300 mm")
    hands.click(SAVE)
    hands.until("Wrote made.3mf")
    assert trimesh.load(out / "made.3mf").extents[0] == pytest.approx(300 / 0.997, abs=0.2)
    type_width(hands, "250 mm")
    hands.click(KEEP)
    hands.until("Kept as made.choice")
    assert json.loads((out / "made.choice").read_text())["values"] == {"width": "250 mm"}


@pytest.mark.parametrize("command", [SAVE, ALL, KEEP, MADE, OWN])
def test_of_what_is_not_right_nothing_is_made(qtbot, application, adjust, hands, out, command):
    windows = len(application.windows)
    type_width(hands, "400 mm +")
    to_the_end(adjust)
    hands.click(command)
    hands.until("Width of the hive inside: The formula stops in the middle. Finish it.")
    assert hands.focus.text() == "400 mm +"
    assert adjust.report_window is None
    assert len(application.windows) == windows
    assert list(out.iterdir()) == []


def test_what_the_files_make_up_for_is_what_the_design_asks_for(
    qtbot, application, slide, adjust, hands, tmp_path
) -> None:
    hands.until("The files make up for the shrinkage, and for the rest where the design asks for")
    plain = slide.with_(scale_for_shrinkage=False, cut_beside_line=False)
    laser = next(one for one in shipped_processes() if one.kind == "laser or knife")
    for machine, said in (
        (adjust.process, "files not scaled for that"),
        (laser, "cut on the line"),
    ):
        edition_of(plain, machine, tmp_path / "plain.zip")
        window = application.open_adjust_window(tmp_path / "plain.zip")
        window.show()
        window.use(machine)
        qtbot.waitUntil(window.is_settled)
        assert said in window.machines.said.text()
        window.hide()


def test_what_is_yes_or_no_is_switched(qtbot, application, slide, adjust, tmp_path) -> None:
    design = add_size(slide, "with_dowels", "yes")
    steps = [
        step.with_(when="with_dowels") if step.name.startswith("dowel") else step
        for step in design.steps
    ]
    mine = Adjustable(size="with_dowels", label="With dowels", help="Else it is glued.")
    publish = design.publish.with_(adjust=(*design.publish.adjust, mine))
    edition_of(design.with_(steps=steps, publish=publish), adjust.process, tmp_path / "e.zip")
    window = application.open_adjust_window(tmp_path / "e.zip")
    window.show()
    qtbot.waitUntil(window.is_settled)
    hands = Hands(qtbot, window)
    holes = len(window.view.parts[0].faces)
    # Further down than what is seen: by the keyboard.
    switch = window.fields["with_dowels"].switch
    assert switch.text() == "yes"
    assert not window.fields["with_dowels"].slider.isVisible()
    switch.setFocus()
    hands.press(Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: switch.text() == "no" and window.is_settled())
    assert len(window.view.parts[0].faces) == holes - 2
    assert window.choice.values == {"with_dowels": "no"}
    assert not window.outside
    hands.scroll_to("Else it is glued.", window.side)
    hands.click_at(switch, switch.rect().center())  # and by the pointer
    qtbot.waitUntil(lambda: switch.text() == "yes" and window.is_settled())
    assert len(window.view.parts[0].faces) == holes
    window.hide()


def test_what_the_designer_checks_is_told_to_who_adjusts(qtbot, adjust, hands) -> None:
    hands.click("Passage for the bees", QLineEdit)
    hands.press(Qt.Key.Key_A, CONTROL)
    hands.type("7 mm")
    hands.press(Qt.Key.Key_Tab)
    hands.until("“Drones can pass” does not hold with these sizes. Smaller passages keep drones")
    hands.click("Passage for the bees", QLineEdit)
    hands.press(Qt.Key.Key_A, CONTROL)
    hands.type("9 mm")
    hands.press(Qt.Key.Key_Tab)
    qtbot.waitUntil(lambda: not hands.says("does not hold"))


def test_what_the_edition_does_not_allow_is_not_made(qtbot, adjust, hands, out) -> None:
    type_width(hands, "9000 mm")
    hands.click(SAVE)
    hands.until("“Width of the hive inside” may be at most 600 mm; it is 9000 mm.")
    qtbot.waitUntil(adjust.is_settled)
    assert list(out.iterdir()) == []


def test_a_ready_made_size_takes_the_place_of_what_is_not_right(qtbot, adjust, hands) -> None:
    adjust.take({"width": "372 mm"})
    type_width(hands, "37x")
    adjust.take({"width": "372 mm"})
    assert hands.wait_for("Width of the hive inside", QLineEdit).text() == "372 mm"


def test_a_design_of_ones_own_has_what_was_chosen(qtbot, application, adjust, hands) -> None:
    type_width(hands, "310 mm")
    to_the_end(adjust)
    hands.click(OWN)
    own = application.windows[-1]
    assert own is not adjust
    qtbot.waitUntil(own.is_settled)
    assert own.session.design.size("width").formula == "310 mm"
    own.close()


def test_a_report_is_not_thrown_away_without_a_word(qtbot, adjust, hands, out, monkeypatch) -> None:
    answers, asked = ["Stay here", "Stay here", "Save"], []

    def choose(box) -> int:
        asked.append(box.text())
        wanted = answers.pop(0)
        next(one for one in box.buttons() if one.text() == wanted).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", choose)
    qtbot.waitUntil(lambda: adjust.measures is not None)
    hands.click(MADE)
    hands.until("How did it come out?")
    adjust.report_window.close()  # nothing was told: it goes
    assert asked == []
    # What is no size of any part is not thrown away without a word either.
    Hands(qtbot, adjust).click(MADE)
    adjust.report_window.fields[0].setFocus()
    Hands(qtbot, adjust.report_window).type("999999 m")
    assert adjust.close() is False
    assert adjust.report_window.isVisible()
    adjust.report_window.fields[0].clear()
    adjust.report_window.close()
    assert asked == ["What you told here is not saved."]
    asked.clear()
    Hands(qtbot, adjust).click(MADE)
    report = Hands(qtbot, adjust.report_window)
    report.click("what its author should know")
    report.type("a little loose")
    Hands(qtbot, adjust).click(MADE)  # the same one, with what was told
    assert adjust.report_window.words.toPlainText() == "a little loose"
    assert not adjust.close()
    assert adjust.isVisible()
    assert asked == ["What you told here is not saved."]
    adjust.report_window.close()
    assert json.loads((out / "made.report").read_text())["words"] == "a little loose"
    assert not answers


@pytest.fixture
def on_two(qtbot, application, tmp_path):
    """An edition of two parts, each printed on a machine of its own."""
    design = read_design(TOP / "demo" / "slot-and-tab-comb.schablone")
    amsel, zeisig, *_ = shipped_processes()
    thick = Adjustable(size="thick", low="2 mm", high="8 mm")
    publish = design.publish.with_(adjust=(thick,))
    design = make_by(design.with_(publish=publish, process=amsel.name), "tab", zeisig.name)
    coming = coming_edition(design, amsel)
    kept = with_edition(design, coming, amsel, "2026-05-30")
    edition = make_edition(kept, [amsel, zeisig], lambda *_: b"picture")
    (tmp_path / "two.zip").write_bytes(edition)
    window = application.open_adjust_window(tmp_path / "two.zip")
    window.show()
    qtbot.waitUntil(lambda: window.is_settled() and window.measures is not None)
    yield window
    window.hide()


def test_a_report_says_of_each_size_which_machine_it_was_made_on(qtbot, on_two, out) -> None:
    hands = Hands(qtbot, on_two)
    hands.click(MADE)
    told = Hands(qtbot, on_two.report_window)
    fields = {
        f"Thick, on {machine}": value
        for machine, value in (("Printer Amsel · PETG", 4.1), ("Printer Zeisig · PLA", 4.3))
    }
    for name, value in fields.items():
        told.click(f"{name}, measured, mm", QLineEdit)
        told.type(str(value))
    told.click("Save the report")
    report = parse_report((out / "made.report").read_text(), "made.report")
    assert report.machine.name == "Printer Amsel · PETG"
    assert [machine.name for machine in report.others] == ["Printer Zeisig · PLA"]
    assert [(one.size, one.on, one.measured) for one in report.measured] == [
        ("thick", "Printer Amsel · PETG", 4.1), ("thick", "Printer Zeisig · PLA", 4.3),
    ]  # fmt: skip


def test_a_machine_that_is_added_may_make_a_part_of_its_own(qtbot, application, on_two) -> None:
    """What another window keeps is there for parts, too; what is chosen stays."""
    box = on_two.machines.of_part["tab"]
    assert box.currentText() == "Printer Zeisig · PLA"
    mine = shipped_processes()[0].model_copy(update={"name": "Mine"})
    on_two.library.keep_process(mine)
    qtbot.waitUntil(lambda: box.findText("Mine") >= 0)
    assert box.currentText() == "Printer Zeisig · PLA"
    box.setCurrentText("Mine")
    box.activated.emit(box.currentIndex())
    qtbot.waitUntil(on_two.is_settled)
    assert on_two.choice.made_by == {"tab": "Mine"}
    assert on_two._machines_of_parts()["tab"][0].name == "Mine"
    # A design of one's own is for the machines that were chosen.
    on_two.use(next(p for p in on_two.processes if p.name == "Printer Zeisig · PLA"))
    qtbot.waitUntil(on_two.is_settled)
    on_two.make_own()
    own = application.windows[-1]
    qtbot.waitUntil(own.is_settled)
    assert own.session.process.name == "Printer Zeisig · PLA"
    assert own.session.design.own_processes() == {"Mine"}
