"""Files that go to machines, written through the window: all variants, the sheet by which one part
is folded, under names that may not go over others."""

from __future__ import annotations

from pathlib import Path

import pytest
import trimesh
from PySide6.QtWidgets import QApplication, QFileDialog

from schablone.app.layout_window import LayoutWindow
from schablone.core.design import Design, edit, read_design
from tests.core.test_folding import flange, folded
from tests.core.test_ranges import hole, ranged
from tests.window.conftest import wait_until_settled
from tests.window.hands import Hands
from tests.window.test_files import SLIDE

ALL = "Build and export every variant"


@pytest.fixture
def folder(tmp_path: Path, monkeypatch) -> Path:
    """What is chosen wherever a folder is asked for."""
    found = tmp_path / "all"
    found.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(found))
    return found


def opened(qtbot, window, design: Design) -> Hands:
    window.session.take(design, None)
    wait_until_settled(qtbot, window)
    return Hands(qtbot, window)


def varied(*names: str, process: str) -> Design:
    design = ranged({"a": ("8 mm", "4 mm", "20 mm")}, hole("a"))
    rows = [{"name": name, "cells": {"a": f"{8 + k} mm"}} for k, name in enumerate(names)]
    table = {"columns": ["a"], "rows": rows, "current": names[0] if names else ""}
    return Design.model_validate({**design.model_dump(), "table": table, "process": process})


def test_each_variant_is_made_as_its_machine_takes_it(qtbot, window, folder, answering) -> None:
    asked, answers = answering
    hands = opened(qtbot, window, read_design(SLIDE.with_name("frame-runner.schablone")))
    hands.click(ALL)
    hands.until("4 of 4 variants written to all.")
    names = {path.name for path in folder.iterdir()}
    rows = ("u-3-4", "u-1", "u-1-1-4", "u-20-mm")
    assert names == {
        f"frame-runner-{row}.{ending}" for row in rows for ending in ("3mf", "stl", "step")
    }
    deep = trimesh.load(folder / "frame-runner-u-1-1-4.stl").extents
    assert sorted(deep)[1] == pytest.approx(1.25 * 25.4 / 0.997, rel=0.01)
    # What lies there is not written over unasked.
    before = {path: path.stat().st_mtime_ns for path in folder.iterdir()}
    answers += ["Stay here", "Write over it"]
    hands.click("All right")
    hands.click(ALL)
    assert asked == [
        "In all there is frame-runner-u-3-4.3mf, frame-runner-u-3-4.step, frame-runner-u-3-4.stl, "
        "frame-runner-u-1.3mf and 8 more already."
    ]
    assert {path: path.stat().st_mtime_ns for path in folder.iterdir()} == before
    hands.click(ALL)
    hands.until("4 of 4 variants written to all.")
    assert all(path.stat().st_mtime_ns > at for path, at in before.items())


def test_variants_stay_apart_and_cut_ones_are_drawings(qtbot, window, folder) -> None:
    laser = "Laser Specht · birch plywood"
    hands = opened(qtbot, window, varied("M4 x 20", "M4-x-20", "m4·x·20", process=laser))
    hands.click(ALL)
    hands.until("3 of 3 variants written to all.")
    for number, stem in enumerate(("plate-m4-x-20", "plate-m4-x-20-2", "plate-m4-x-20-3")):
        for ending in (".dxf", ".svg", ".step"):
            assert (folder / f"{stem}{ending}").exists()
        assert f"{8 + number}" in window.session.design.table.rows[number].cells["a"]
    assert len(list(folder.iterdir())) == 9


def test_it_is_stopped_in_the_middle_and_what_fails_is_told(qtbot, window, folder) -> None:
    names = [f"no {number}" for number in range(9)]
    design = varied(*names, process="Printer Amsel · PETG")
    design = edit.put_cell(design, "no 0", "a", "300 mm")
    design = edit.change_size(design, "a", policy="refuse")
    hands = opened(qtbot, window, design)
    hands.click(ALL)
    hands.until("Making variant 2 of 9: no 1")
    hands.click("Stop")
    hands.until("variants written to all. Stopped. no 0: 300 mm is above its upper limit")
    made = {path.stem for path in folder.iterdir()}
    assert 1 <= len(made) < 8
    assert made == {f"plate-no-{number}" for number in range(1, 1 + len(made))}
    assert hands.says(f"{len(made)} of 9 variants written")


def test_sheets_of_two_designs_lie_side_by_side(qtbot, window, folder, answering) -> None:
    asked, answers = answering
    hands = opened(qtbot, window, varied(process="Printer Amsel · PETG"))
    for name in ("One", "Two", "Two"):
        window.session.edit(lambda d, name=name: d.model_copy(update={"name": name}), "a name")
        hands.menu("Design", "To the workshop …")
        laid = window.findChildren(LayoutWindow)[-1]
        shown = Hands(qtbot, laid)
        shown.until("1 part on 1 bed")
        answers.append("Stay here")
        shown.click("A file for each sheet or bed")
        qtbot.waitUntil(lambda name=name: (folder / f"{name.lower()}-bed-1.3mf").exists())
        laid.close()
    assert asked == ["In all there is two-bed-1.3mf already."]
    assert len(list(folder.iterdir())) == 2


def two_folded() -> Design:
    """A bracket of 100 mm, and another one of 70 mm as a part of its own."""
    outline = {"kind": "rectangle", "name": "edge", "width": "70 mm", "height": "60 mm"}
    rim = flange("left", name="lip", height="17 mm")
    rim["edges"][0]["of"] = ["cover/side/edge.left"]
    other = [
        {"kind": "sketch", "name": "ground", "shapes": [outline]},
        {"kind": "sheet", "name": "cover", "sketch": "ground", "thickness": "2 mm", "part": "lid"},
        rim,
    ]
    first = folded(flange("right", height="30 mm")).model_dump()
    parts = [*first["parts"], {"name": "lid"}]
    return Design.model_validate({**first, "parts": parts, "steps": [*first["steps"], *other]})


def test_the_bend_sheet_is_that_of_the_shown_part(qtbot, window, tmp_path, monkeypatch) -> None:
    hands = opened(qtbot, window, two_folded())
    hands.until("Blank of")
    proposed: list[str] = []

    def name(_parent, _title, path, kinds):
        proposed.append(Path(path).name)
        return str(tmp_path / "sheet"), kinds.split(";;")[1]

    monkeypatch.setattr(QFileDialog, "getSaveFileName", name)
    told = []
    for part in ("part", "lid"):
        if part == "lid":
            hands.choose("Another part ▾", "lid")
        hands.click("A page with the blank and the table of bends, to go to the machine")
        hands.until("Wrote sheet.svg")
        told.append((tmp_path / "sheet.svg").read_text("utf8"))
        (tmp_path / "sheet.svg").unlink()
        window.session.said.emit("")
    assert "× 60 mm" in told[0]
    blanks = [text.partition(">blank ")[2].partition(" ×")[0] for text in told]
    # Each is a little longer than what is flat of it, by its own flange.
    assert float(blanks[0]) - float(blanks[1]) == pytest.approx(30 + 13, abs=0.02)
    assert proposed[1].endswith("lid bend sheet.pdf")


def test_names_of_designs_are_no_folders_and_an_ending_goes_over_nothing(
    qtbot, window, tmp_path, monkeypatch, answering
) -> None:
    asked, answers = answering
    hands = opened(qtbot, window, varied(process="").model_copy(update={"name": "Board 1/2 in"}))
    proposed: list[Path] = []

    def name(_parent, _title, path, _kinds):
        proposed.append(Path(path))
        return str(tmp_path / "mine"), "Design (*.schablone)"

    monkeypatch.setattr(QFileDialog, "getSaveFileName", name)
    monkeypatch.setattr(Path, "home", lambda: tmp_path)
    (tmp_path / "mine.schablone").write_text("of somebody else")
    answers += ["Stay here", "Write over it"]
    hands.menu("File", "Save as …")
    assert proposed[0] == tmp_path / "Board 1-2 in.schablone"
    assert asked == ["“mine.schablone” is there already."]
    assert (tmp_path / "mine.schablone").read_text() == "of somebody else"
    hands.menu("File", "Save as …")
    qtbot.waitUntil(lambda: window.session.path == tmp_path / "mine.schablone")
    QApplication.processEvents()
    assert read_design(tmp_path / "mine.schablone").name == "Board 1/2 in"
