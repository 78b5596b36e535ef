"""A mesh of thousands of triangles read into the window: a free form that is bored, and told what
cannot be done to it."""

from __future__ import annotations

import math

import pytest
from PySide6.QtWidgets import QFileDialog

from tests.core.free_forms import DEEP, stl, volume_of_wavy, wavy
from tests.window.test_journeys import Maker, maker
from tests.window.test_shape import settle

__all__ = ["maker"]


def test_a_free_form_is_read_bored_and_told_what_cannot_be_done(
    maker: Maker, tmp_path, monkeypatch
) -> None:
    hands, window = maker.hands, maker.window
    path = tmp_path / "wavy.stl"
    path.write_bytes(stl(wavy()))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    hands.menu("File", "Import a solid …")
    hands.until("a free form, kept as triangles")
    settle(maker.qtbot, window)
    window.activateWindow()  # there is no window manager to do it once the file is read
    maker.qtbot.waitUntil(window.isActiveWindow)
    assert maker.volume() == pytest.approx(volume_of_wavy(), rel=1e-6)
    hands.press("f")
    maker.qtbot.wait(300)
    # A hole into the side that is seen, at the spot that was clicked, right through.
    maker.step("hole")
    maker.pick(20, 0, 9)
    assert volume_of_wavy() - maker.volume() == pytest.approx(math.pi * 2.5**2 * DEEP, rel=1e-3)
    maker.step("round edges")
    maker.pick(45, 0, 20)
    maker.qtbot.wait(500)
    hands.until("a free form made of triangles")
    assert not hands.says("and 0 more")  # one edge alone is said alone
    # The last good part stays on the screen.
    assert sum(one["volume"] for one in window.part.report["parts"]) < volume_of_wavy()
