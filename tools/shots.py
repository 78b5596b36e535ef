"""Renders every picture in docs/screenshots from the demo data: ./schablone-shots [NAME …]."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

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


def _to_the_workshop(application: object, qt: object, names: list[str]) -> None:
    """The hive box on its board."""
    box = application.open_design_window(DEMO.with_name("hive-box.schablone"))
    box.show()
    laid = box.show_layout()
    while laid.answer is None:
        _pause(qt)
    _pause(qt)
    if not names or "workshop" in names:
        laid.grab().save(str(OUT / "workshop.png"))
        print(OUT / "workshop.png")
    laid.close()
    box.worker.close()
    box.hide()


def _shelf_of_stencils(application: object, qt: object, names: list[str]) -> None:
    """The shelf, beside a lid whose vents fill their field."""
    lid = application.open_design_window(DEMO.with_name("winter-lid.schablone"))  # type: ignore[attr-defined]
    lid.show()
    shelf = lid.show_stencils()
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


def main(names: list[str]) -> int:
    scratch = tempfile.mkdtemp(prefix="schablone-shots-")
    for variable in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME"):
        os.environ[variable] = os.path.join(scratch, variable.lower())
    from schablone.app.application import Application, make_qt, wait_for_part
    from schablone.app.theme import DARK, LIGHT, apply_theme
    from schablone.core.design import edit

    qt = make_qt()
    apply_theme(qt, LIGHT)
    OUT.mkdir(parents=True, exist_ok=True)
    application = Application()
    window = application.open_design_window(DEMO)
    window.resize(1280, 800)
    window.show()
    wait_for_part(window)

    def keep(name: str, which: object = None) -> None:
        shown = which or window
        wait_for_part(shown)
        qt.processEvents()
        if not names or name in names:
            shown.grab().save(str(OUT / f"{name}.png"))
            print(OUT / f"{name}.png")

    window.shape.sizes.choose("passages")
    window.shape.steps.choose("passage_row")
    keep("shape")
    window.session.look_through("sent")
    window.shape.steps.area.verticalScrollBar().setValue(10_000)
    keep("lens-sent")
    window.session.look_through("wanted")
    wait_for_part(window)
    window.session.edit(
        lambda design: edit.change_size(design, "height", formula="30 mm"), "height = 30 mm"
    )
    window.session.edit(
        lambda design: edit.change_step(design, "passage_hole", "y", "-height/2"), "y"
    )
    keep("last-good-part")
    window.session.undo()
    window.session.undo()
    for place in ("process", "prove", "publish", "learn"):
        window.go(place)
        keep(place)
    page = window.calibration
    window.calibrate(window.session.library.process("Printer Zeisig · PLA"))
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
        [sys.executable, "-m", "schablone.cli.main", "publish", str(DEMO), "-o", str(edition)],
        check=True,
        stdout=2,
    )
    adjust = application.open_adjust_window(edition)
    adjust.resize(1180, 760)
    adjust.show()
    wait_for_part(adjust)
    adjust.use(next(p for p in adjust.processes if "Zeisig" in p.name))
    adjust.take({"width": "196 mm"})
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
        keep(name, demo)
        if name == "feeder-cap":
            demo.shape.bar.cut_open(1)
            _pause(qt)
            keep(name, demo)
            demo.shape.bar.cut_open(None)
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
    _shelf_of_stencils(application, qt, names)
    apply_theme(qt, DARK)
    dark = application.open_design_window(DEMO)
    dark.resize(1280, 800)
    dark.show()
    wait_for_part(dark)
    keep("dark", dark)
    for shown in (window, dark):
        shown.worker.close()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
