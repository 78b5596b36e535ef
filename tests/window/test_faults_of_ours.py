"""An error that nobody expected: written down, told in one sentence, and the window goes on."""

from __future__ import annotations

import sys
import threading

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication

from schablone.app import guard
from schablone.app.application import _Bell
from schablone.core.design import edit
from tests.window.hands import Hands
from tests.window.test_shape import settle


@pytest.fixture
def log(tmp_path, monkeypatch):
    """A log of its own, and the hook that catches what is raised in slots."""
    file = tmp_path / "log" / "log.txt"
    monkeypatch.setattr(guard, "log_file", lambda: file)
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    guard.begin_log()
    return file


def test_what_is_raised_in_a_slot_is_told_and_written_down(qtbot, application, window, log) -> None:
    guard.install(application.tell)

    def broken() -> None:
        raise KeyError("/home/somebody/secret/part.schablone “hidden width”")

    sys.excepthook(*_raised(broken))
    assert "This is a fault in Schablone, not in your design." in window.strip.said.text()
    assert "KeyError" in log.read_text()
    # The window goes on.
    window.session.edit(lambda design: edit.set_formula(design, "height", "41 mm"), "height")
    settle(qtbot, window)
    assert window.part.report["whole"]
    window.beside.show_log()
    shown = next(
        top
        for top in QApplication.topLevelWidgets()
        if type(top).__name__ == "LogWindow" and top.isVisible()
    )
    assert "KeyError" in shown.text.toPlainText()
    assert "somebody" not in shown.text.toPlainText()
    assert "hidden" not in shown.text.toPlainText()
    shown.names.setChecked(True)
    assert "/home/somebody/secret" in shown.text.toPlainText()
    shown.copy()
    assert "KeyError" in QApplication.clipboard().text()
    shown.close()


def _raised(broken) -> tuple:
    try:
        broken()
    except KeyError:
        return sys.exc_info()
    raise AssertionError


def test_what_the_worker_says_goes_into_the_log(qtbot, window, log) -> None:
    window.worker._link.complained.emit(b"")  # nothing is said: nothing is written
    guard.write_down("")
    assert not log.exists() or not log.read_text()
    guard.write_down("Traceback of a worker")
    assert "Traceback of a worker" in log.read_text()


def test_a_log_that_cannot_be_written_keeps_nobody_from_starting(tmp_path) -> None:
    (tmp_path / "file").write_text("")
    guard.begin_log(tmp_path / "file" / "log.txt")
    QTimer.singleShot(0, lambda: guard.write_down("nobody reads this"))
    QApplication.processEvents()
    assert guard.read_log(tmp_path / "file" / "log.txt") == ""


def test_what_a_thread_throws_is_told_by_the_window(qtbot, application, window, log) -> None:
    bell = _Bell()
    bell.rung.connect(application.tell, Qt.ConnectionType.QueuedConnection)
    hook = threading.excepthook
    guard.install(application.tell, bell.rung.emit)
    try:
        thread = threading.Thread(target=lambda: {}["nothing in a thread"])
        thread.start()
        thread.join()
        qtbot.waitUntil(lambda: "fault in Schablone" in window.strip.said.text())
        assert "nothing in a thread" in log.read_text()
    finally:
        threading.excepthook = hook


def test_a_part_that_ends_the_kernel_is_offered_to_be_undone(qtbot, window) -> None:
    window.session.edit(lambda design: edit.set_formula(design, "height", "41 mm"), "height 41")
    settle(qtbot, window)
    window.worker.ended_at_it.emit()
    hands = Hands(qtbot, window)
    hands.click("Undo: height 41")
    settle(qtbot, window)
    assert window.session.design.size("height").formula != "41 mm"
    assert not window.strip.isVisible()
