"""Renders every picture in docs/screenshots from the demo data: ./schablone-shots [NAME …]."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication, QMainWindow

    from schablone.app.application import Application

TOP = Path(__file__).resolve().parent.parent
OUT = TOP / "docs" / "screenshots"
DEMO = TOP / "demo" / "entrance-slide.schablone"


def _pause(qt: object) -> None:
    """Let the window lay itself out."""
    for _ in range(10):
        qt.processEvents()  # type: ignore[attr-defined]
        time.sleep(0.02)


def _bend_strips(window: object, qt: object) -> None:
    """Two sheets bent and measured by a practice machine."""
    window.calibrate(  # type: ignore[attr-defined]
        window.session.library.process("Folding machine Star · sheet")  # type: ignore[attr-defined]
    )
    page = window.bending  # type: ignore[attr-defined]
    for number in (1, 2):
        page.stock.setCurrentIndex(number - 1)
        page.another_sheet()
        page.practise()
        while len(page.found) < number:
            _pause(qt)


def _prove_the_range(window: object, qt: object) -> None:
    """The slide over its whole range, with a map of the two sizes with which it breaks."""
    window.go("prove")  # type: ignore[attr-defined]
    prove = window.prove  # type: ignore[attr-defined]
    prove.pages.show_page(prove.range)
    while not prove.range.spans:
        _pause(qt)
    prove.range.go.click()
    while prove.range.result is None or prove.prover.is_running:
        _pause(qt)
    prove.range.side.paint_map()
    while (
        not prove.range.side.map.across.values or "places built" in prove.range.side.legend.text()
    ):
        _pause(qt)
    for _ in range(10):
        _pause(qt)


def _to_the_workshop(application: Application, qt: QApplication, names: list[str]) -> None:
    """The hive box on its board."""
    box = application.open_design_window(DEMO.with_name("hive-box.schablone"))
    box.show()
    laid = box.beside.show_layout()
    while laid.answer is None or "looking for" in laid.said.text():
        _pause(qt)
    _pause(qt)
    if not names or "workshop" in names:
        laid.grab().save(str(OUT / "workshop.png"))
        print(OUT / "workshop.png")
    laid.close()
    box.worker.close()
    box.hide()


def _hold_the_caliper(adjust: object, qt: object) -> None:
    """A field in hand, with the picture of where its size is measured."""
    while not adjust.caliper.isVisible():  # type: ignore[attr-defined]
        adjust.fields["passage"].edit.line.setFocus()  # type: ignore[attr-defined]
        adjust.caliper.show_pages(adjust.caliper.pages)  # type: ignore[attr-defined]
        _pause(qt)


def _draw_a_sheet(application: object, qt: object, names: list[str]) -> None:
    """The feeder cap on paper, cut open."""
    from schablone.core.design import sheet_by_hand
    from schablone.core.design.model import CutAcross

    cap = application.open_design_window(DEMO.with_name("feeder-cap.schablone"))  # type: ignore[attr-defined]
    cap.show()
    cap.session.edit(
        lambda design: sheet_by_hand.with_sheet(design, cuts=(CutAcross(across="y"),)), "a cut"
    )
    sheet = cap.beside.show_sheet()
    while not sheet.is_settled():
        _pause(qt)
    _pause(qt)
    if not names or "drawing-sheet" in names:
        sheet.grab().save(str(OUT / "drawing-sheet.png"))
        print(OUT / "drawing-sheet.png")
    sheet.close()
    cap.worker.close()
    cap.hide()


def _shelf_of_stencils(application: object, qt: object, names: list[str]) -> None:
    """The shelf, beside a lid whose vents fill their field."""
    lid = application.open_design_window(DEMO.with_name("winter-lid.schablone"))  # type: ignore[attr-defined]
    lid.show()
    shelf = lid.beside.show_stencils()
    shelf.finder.setText("vent")
    shelf.finder.setText("")
    while any(shelf.pictures.known(one) is None for _, one in shelf._all()):
        _pause(qt)
    _pause(qt)
    if not names or "stencils" in names:
        shelf.grab().save(str(OUT / "stencils.png"))
        print(OUT / "stencils.png")
    shelf.close()
    lid.worker.close()
    lid.hide()


def _tie_a_plain_solid(application: object, qt: object, names: list[str]) -> None:
    """The scale foot, with two ties taken away: what nobody tied is found."""
    from schablone.core.design import edit
    from schablone.core.solids.ties import EDGE

    foot = application.open_design_window(DEMO.with_name("scale-foot.schablone"))  # type: ignore[attr-defined]
    foot.resize(1280, 800)
    foot.show()
    step = foot.session.design.step("fit")
    lips = [
        tie
        for tie in step.ties
        if tie.kind == "distance" and not tie.formula and EDGE not in "".join(tie.of)
    ][:3]
    kept = tuple(tie for tie in step.ties if tie not in lips)
    foot.session.edit(lambda design: edit.change_step(design, "fit", "ties", kept), "ties")
    foot.shape.tie_wanted.emit("fit")
    while foot.shape.ties.told is None or not foot.is_finished():
        _pause(qt)
    foot.shape.view.fit()
    for _ in range(5):
        _pause(qt)
    if not names or "plain-solids" in names:
        foot.grab().save(str(OUT / "plain-solids.png"))
        print(OUT / "plain-solids.png")
    foot.worker.close()
    foot.hide()


def main(names: list[str]) -> int:
    scratch = tempfile.mkdtemp(prefix="schablone-shots-")
    for variable in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        os.environ[variable] = os.path.join(scratch, variable.lower())
    from schablone.app.application import Application, make_qt, wait_for_part
    from schablone.app.theme import DARK, LIGHT, apply_theme

    qt = make_qt()
    qt.setCursorFlashTime(0)  # a picture is the same whenever it is taken
    apply_theme(qt, LIGHT)
    OUT.mkdir(parents=True, exist_ok=True)
    application = Application()
    window = application.open_design_window(DEMO)
    window.resize(1280, 800)
    window.show()
    wait_for_part(window)

    def keep(name: str, which: QMainWindow | None = None) -> None:
        shown = which or window
        wait_for_part(shown)
        qt.processEvents()
        if not names or name in names:
            shown.grab().save(str(OUT / f"{name}.png"))
            print(OUT / f"{name}.png")

    window.shape.sizes.choose("passages")
    window.shape.steps.choose("passage_row")
    keep("shape")
    for place in ("process", "prove", "publish", "learn"):
        window.go(place)
        keep(place)
    if not names or "whole-range" in names:
        _prove_the_range(window, qt)
        keep("whole-range")
    page = window.calibration
    zeisig = window.session.library.process("Printer Zeisig · PLA")
    assert zeisig is not None
    window.calibrate(zeisig)
    while not page.sheet.features:
        _pause(qt)
    page.practise()
    while page.found is None:
        _pause(qt)
    keep("calibration")
    _bend_strips(window, qt)
    keep("bend-calibration")
    window.go("shape")
    edition = Path(scratch) / "entrance-slide.zip"
    subprocess.run(
        [
            sys.executable,
            "-m",
            "schablone.cli.main",
            "publish",
            str(DEMO),
            "-o",
            str(edition),
            "--trial",
            "--date",
            "2026-05-30",
        ],
        check=True,
        stdout=2,
    )
    adjust = application.open_adjust_window(edition)
    adjust.resize(1180, 760)
    adjust.show()
    wait_for_part(adjust)
    adjust.use(next(p for p in adjust.processes if "Zeisig" in p.name))
    adjust.take({"width": "196 mm"})
    wait_for_part(adjust)
    adjust.activateWindow()
    _hold_the_caliper(adjust, qt)
    keep("adjust", adjust)
    adjust.close()
    runner = application.open_design_window(DEMO.with_name("frame-runner.schablone"))
    runner.resize(1280, 800)
    runner.show()
    wait_for_part(runner)
    runner.shape.sizes.choose("cut_length")
    runner.files.edit_size_table()
    runner.files.size_table.resize(860, 560)
    runner.files.size_table.table.selectRow(3)
    runner.files.size_table.compare_chosen()
    qt.processEvents()
    if not names or "size-table" in names:
        runner.files.size_table.grab().save(str(OUT / "size-table.png"))
    runner.worker.close()
    runner.close()
    hook = application.open_design_window(DEMO.with_name("hanging-hook.schablone"))
    hook.resize(1280, 800)
    hook.show()
    wait_for_part(hook)
    hook.shape.steps.choose("outline")
    hook.shape.draw_on("outline")
    _pause(qt)
    hook.shape.board.desk.choose(["spiral"])
    _pause(qt)
    keep("drawing", hook)
    hook.worker.close()
    hook.hide()
    for name, size, step in (
        ("feeder-cap", "plug", "soft_rim"),
        ("hive-roof", "metal", "rims"),
        ("queen-case", "bee_space", "cages"),
    ):
        demo = application.open_design_window(DEMO.with_name(f"{name}.schablone"))
        demo.resize(1280, 800)
        demo.show()
        wait_for_part(demo)
        demo.shape.sizes.choose(size)
        demo.shape.steps.choose(step)
        _pause(qt)
        if name != "feeder-cap":
            keep(name, demo)
        else:
            demo.session.look_through("expected")
            wait_for_part(demo)
            demo.shape.bar.off.setChecked(True)
            demo.questions.ask_off()
            while not demo.shape.view.off:
                _pause(qt)
            demo.shape.sizes.choose("flange")
            _pause(qt)
            keep("off-by", demo)
        if name == "queen-case":
            demo.shape.bar.apart.click()
            demo.shape.view.fit()
            _pause(qt)
            keep(name, demo)
        demo.worker.close()
        demo.hide()
    _to_the_workshop(application, qt, names)
    _draw_a_sheet(application, qt, names)
    _shelf_of_stencils(application, qt, names)
    _tie_a_plain_solid(application, qt, names)
    apply_theme(qt, DARK)
    dark = application.open_design_window(DEMO)
    dark.resize(1280, 800)
    dark.show()
    wait_for_part(dark)
    if not names or "came-back" in names:
        _hear_of_makers(dark, edition)
        dark.publish.pages.show_page(dark.publish.heard)
        dark.go("publish")
        keep("came-back", dark)
    for shown in (window, dark):
        shown.worker.close()
        shown.prove.prover.close()
    return 0


def _hear_of_makers(window: object, edition: Path) -> None:
    """Let makers of the practice gallery make an edition, and read what they tell."""
    from schablone.app.gallery_place import opened_gallery
    from schablone.core.publish.edition import read_edition
    from schablone.core.publish.life import recorded

    gallery = opened_gallery(window.session.library.gallery)  # type: ignore[attr-defined]
    shared = gallery.publish(edition)
    words = ["gallery", "make", shared.id, "--makers", "12", "--folder", str(gallery.folder)]
    command = [sys.executable, "-m", "schablone.cli.main", *words]
    subprocess.run(command, check=True, stdout=2)
    published = read_edition(edition).design
    session = window.session  # type: ignore[attr-defined]
    session.edit(lambda design: recorded(design, published), "an edition is written")
    window.publish.heard.take_from_gallery()  # type: ignore[attr-defined]


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
