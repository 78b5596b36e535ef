"""The real window, with scratch places for settings and unsaved work."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QApplication, QMessageBox

from schablone.app.application import Application, make_qt
from schablone.app.journal import Journal
from schablone.app.library import Library
from schablone.app.theme import LIGHT, apply_theme


@pytest.fixture
def application(qapp, tmp_path, monkeypatch) -> Application:
    make_qt()
    apply_theme(qapp, LIGHT)
    # No question may wait for an answer that never comes; tests that want one ask for it.
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    found = Application(Library(tmp_path / "config", tmp_path / "data"), Journal(tmp_path / "unsaved"))
    yield found
    for window in found.windows:
        window.worker.close()
        window.hide()
        window.deleteLater()


@pytest.fixture
def window(application, qtbot):
    """The main window with the demo design, its part on the screen."""
    found = application.open_design_window(None)
    found.resize(1280, 800)
    found.show()
    QApplication.setActiveWindow(found)  # there is no window manager to do it
    wait_until_settled(qtbot, found)
    return found


def wait_until_settled(qtbot, window, timeout: int = 90_000) -> None:
    """Wait until what is on the screen is what was asked for; where that never comes, say what the worker is at."""
    try:
        qtbot.waitUntil(window.is_settled, timeout=timeout)
    except qtbot.TimeoutError:
        worker = window.worker
        state = f"process {worker._process.state()}, {worker._process.error()}, ended {worker._ends} times"
        open_ = f"rebuild {'open' if worker._rebuild else 'none'}, report {'there' if window.report else 'none'}"
        raise AssertionError(f"not settled after {timeout / 1000:g} s: {state}; {open_}") from None
