"""The places other than Shape are loaded and made after the first part: nobody notices."""

from __future__ import annotations

import subprocess
import sys

from schablone.app.rail import PLACES
from tests.conftest import SLIDE, TOP

from .conftest import wait_until_settled
from .hands import Hands


def test_the_window_is_up_before_what_the_first_part_does_not_need_is_loaded() -> None:
    later = [f"schablone.app.places.{place}" for place in PLACES[1:]]
    others = ["app.places.calibration", "app.paper.board", "core.prove", "core.publish.edition"]
    unwanted = {*later, *(f"schablone.{one}" for one in others), "vtkmodules", "OCP", "scipy"}
    script = (
        "import builtins; plain = builtins.__import__; "
        "from schablone.app.main import load_window; load_window(); "
        "assert builtins.__import__ is plain; "
        "from schablone.core.design import read_design; "
        "from schablone.core.design.evaluate import TableKeeper; "
        "from schablone.core.process import neutral; "
        "from pathlib import Path; "
        f"assert TableKeeper().table(read_design(Path({str(SLIDE)!r})), neutral()).cells; "
        f"import sys; print(sorted({unwanted} & set(sys.modules)))"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True
    )
    assert done.stdout.splitlines()[-1] == "[]"


def test_a_place_tells_what_was_found_before_it_was_opened(qtbot, window) -> None:
    hands = Hands(qtbot, window)
    window.files.open_demo(TOP / "demo" / "queen-case.schablone")
    wait_until_settled(qtbot, window)
    qtbot.waitUntil(window.is_finished, timeout=240_000)
    hands.click("Prove")
    hands.until("Everything holds")
    hands.scroll_to("NEXT TO EACH OTHER", window.prove)


def test_all_are_there_at_once_however_soon_they_are_asked_for(qtbot, window) -> None:
    hands = Hands(qtbot, window)
    for place, told in (
        ("Learn", "TRY IT ON"),
        ("Publish", "What came back"),
        ("Process", "Printer Zeisig · PLA"),
        ("Prove", "Whole range"),
    ):
        hands.click(place)
        hands.until(told)
    hands.click("Shape")
    assert window.stack.currentWidget() is window.shape


def test_when_nothing_is_left_to_do_they_are_made_one_by_one(qtbot, window) -> None:
    def made() -> int:
        return sum(place in vars(window) for place in PLACES)

    qtbot.waitUntil(lambda: made() == len(PLACES), timeout=240_000)
    assert window.stack.currentWidget() is window.shape
