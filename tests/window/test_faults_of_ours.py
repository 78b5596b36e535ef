"""An error that nobody expected: written down, told in one sentence, and the window goes on."""

from __future__ import annotations

import importlib
import os
import pkgutil
import subprocess
import sys
import threading
from collections.abc import Iterator
from types import FunctionType

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication
from shiboken6 import Shiboken

import schablone.app
from schablone.app import guard
from schablone.app.application import _Bell
from schablone.app.bindings import is_called_by_qt
from schablone.core.design import edit
from schablone.core.problem import Problem
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
    hands = Hands(qtbot, window)
    assert hands.says("all 10 hold")
    window.worker.refused.emit([Problem(area="design", what="The kernel ended at it.")])
    window.worker.ended_at_it.emit()
    # What was checked was another part.
    assert hands.says("not built")
    hands.click("Prove")
    assert hands.says("The kernel ended at it.")
    hands.click("Undo: height 41")
    settle(qtbot, window)
    assert window.session.design.size("height").formula != "41 mm"
    assert not window.strip.isVisible()
    hands.until("all 10 hold")


class TestWhatQtCallsOfOurs:
    """An error in it ended the process under Python 3.11."""

    def test_an_error_while_a_page_is_shown_is_told(
        self, qtbot, application, window, log, monkeypatch
    ) -> None:
        from schablone.app.places import process

        guard.install(application.tell)
        monkeypatch.setattr(process, "size_report", lambda *_: 1 / len(""))
        hands = Hands(qtbot, window)
        with qtbot.captureExceptions() as raised:
            hands.click("Process")
        sys.excepthook(*raised[0])
        assert "This is a fault in Schablone, not in your design." in window.strip.said.text()
        assert "division by zero" in log.read_text()
        hands.click("Shape")
        assert window.shape.isVisible()

    @pytest.mark.parametrize("broken", ["1 / 0", "int('x')", "{}[self]", "[].pop()"])
    def test_none_ends_the_process(self, broken) -> None:
        code = (
            "import sys, schablone.app.bindings\n"
            "from PySide6.QtWidgets import QApplication, QWidget\n"
            "application = QApplication([])\n"
            "told = []\n"
            "sys.excepthook = lambda kind, error, trace: told.append(kind)\n"
            "class Broken(QWidget):\n"
            "    def showEvent(self, event): self.broken()\n"
            "    def paintEvent(self, event): self.broken()\n"
            f"    def broken(self): {broken}\n"
            "window = Broken()\n"
            "window.resize(40, 40)\n"
            "for does in (window.show, window.grab):\n"
            "    try:\n"
            "        does()\n"
            "    except Exception as error:\n"
            "        told.append(type(error))\n"
            "print('lives', len(told) > 1)\n"
        )
        done = subprocess.run(
            [sys.executable, "-c", code],
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.stdout == "lives True\n", done.stderr

    def test_all_of_it_is_looked_after(self) -> None:
        for module in pkgutil.walk_packages(schablone.app.__path__, "schablone.app."):
            if not module.name.endswith("__main__"):
                importlib.import_module(module.name)
        #: Called by nobody but us.
        ours = {"__init__", "setText"}
        checked = 0
        for one in _all_below(Shiboken.Object):
            if not one.__module__.startswith("schablone."):
                continue
            for name, method in vars(one).items():
                of_qt = any(
                    hasattr(base, name)
                    for base in one.__mro__
                    if base.__module__.startswith("PySide6")
                )
                if of_qt and isinstance(method, FunctionType) and name not in ours:
                    assert is_called_by_qt(name), f"{one.__name__}.{name}: add it to _CALLED"
                    whole = sys.version_info >= (3, 12) or hasattr(method, "__wrapped__")
                    assert whole, f"{one.__name__}.{name} was made before app.bindings was loaded"
                    checked += 1
        assert checked > 100


def _all_below(kind: type) -> Iterator[type]:
    for one in type.__subclasses__(kind):
        yield one
        yield from _all_below(one)
