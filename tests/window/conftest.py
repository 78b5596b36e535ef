"""The real window, with scratch places for settings and unsaved work."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QDeadlineTimer, QEvent, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox, QWidget

from schablone.app import prover_client
from schablone.app.application import Application, make_qt
from schablone.app.journal import Journal
from schablone.app.library import Library
from schablone.app.main_window import MainWindow
from schablone.app.theme import LIGHT, apply_theme
from schablone.app.worker_client import WorkerClient
from schablone.app.worker_link import WorkerLink
from schablone.reader import open_door
from schablone.worker import talk
from schablone.worker.messages import Unpacker, pack

#: As it is before fixtures answer in its place.
_ASKS = QMessageBox.exec

# As the application does, before there are windows and threads.
open_door()


class Workers:
    """Worker processes that outlive a test: what they know is kept by content, so that the next
    test can use them.

    Starting one takes longer than most tests. One that is at work, or has ended, is not used again.
    """

    def __init__(self) -> None:
        self.idle: list[WorkerLink] = []
        self.clients = 0

    def start(self, client: WorkerClient) -> None:
        """In the place of :meth:`WorkerClient.start`, where there is one to take over."""
        self.clients += 1
        client._number = 100_000 * self.clients  # answers to an earlier client are nobody's
        link = self.idle.pop() if self.idle else None
        if link is None or not link.is_up:
            _START(client)
            return
        link.setParent(client)
        client.use(link)

    def take_back(self, client: WorkerClient) -> None:
        """Keep the worker of a window that goes, or end it."""
        link = client._link
        # What it is at is mostly done sooner than another one would have begun.
        waited = QDeadlineTimer(_SOONER)
        while not _is_free(client) and not waited.hasExpired():
            QTest.qWait(_LOOKS)
        if not _is_free(client) or client.starting.isActive() or link is None or not link.is_up:
            client.close()
            return
        client._closing = True
        client.supervisor.timer.stop()
        link.heard.disconnect()
        link.complained.disconnect()
        link.ended.disconnect()
        link.setParent(None)
        client._link = None
        if _is_silent(link, client._unpacker):
            self.idle.append(link)
        else:
            link.close()

    def close(self) -> None:
        for link in self.idle:
            link.close()


#: How long a worker is waited for, and how often one looks, ms.
_SOONER, _LOOKS = 500, 2


def _is_free(client: WorkerClient) -> bool:
    return not (client.is_busy or client._asked or client._exports or client._impatience.isActive())


def _is_silent(link: WorkerLink, unpacker: Unpacker) -> bool:
    """Read what a worker still has to say, until it answers a question that nobody else asks: half
    a message left over would make all that follow unreadable. ``unpacker`` has the other half."""
    told = []
    link.heard.connect(lambda data: told.extend(unpacker.feed(data)))
    link.send(pack(talk.Features(id=1, path="nowhere").model_dump(mode="json")))
    waited = QDeadlineTimer(5000)
    while not any(header["answer"] == "refused" and header["id"] == 1 for header, _ in told):
        if waited.hasExpired() or not link.is_up:
            return False
        QTest.qWait(_LOOKS)
    link.heard.disconnect()
    return True


_START = WorkerClient.start


@pytest.fixture(scope="session")
def workers(qapp):
    found = Workers()
    yield found
    found.close()


@pytest.fixture(scope="session")
def themed(qapp) -> None:
    """The look, put on once: each time it is, every widget that is still there is styled anew."""
    make_qt()
    apply_theme(qapp, LIGHT)


def end(window, workers) -> None:
    """Take a window away for good, and its worker back."""
    workers.take_back(window.worker)
    if "prove" in vars(window):
        window.prove.prover.close()
    if isinstance(window, MainWindow):
        window.session.journal.close()
        window.files.close()
    window.hide()
    (window.shape.view if isinstance(window, MainWindow) else window.view).release()
    window.deleteLater()
    QApplication.sendPostedEvents(window, QEvent.Type.DeferredDelete)


@pytest.fixture
def application(themed, tmp_path, monkeypatch, workers) -> Application:
    # No question may wait for an answer that never comes; tests that want one ask for it.
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    monkeypatch.setattr(WorkerClient, "start", lambda client: workers.start(client))
    monkeypatch.setattr(prover_client, "usual_place", lambda: tmp_path / "proofs.sqlite")
    found = Application(
        Library(tmp_path / "config", tmp_path / "data"), Journal(tmp_path / "unsaved")
    )
    yield found
    assert not strays(), "something is seen in a window of its own that belongs into another"
    for window in found.windows:
        end(window, workers)


def strays() -> list[QWidget]:
    """What is seen in a window of its own without being made for that: real ones have a title."""
    return [
        top
        for top in QApplication.topLevelWidgets()
        if top.isVisible() and top.windowType() == Qt.WindowType.Window and not top.windowTitle()
    ]


@pytest.fixture
def window(application, qtbot):
    """The main window with the demo design, its part on the screen."""
    found = application.open_design_window(None)
    found.resize(1280, 800)
    found.show()
    QApplication.setActiveWindow(found)  # there is no window manager to do it
    wait_until_settled(qtbot, found)
    return found


@pytest.fixture
def answering(monkeypatch):
    """What is asked, and the words on the buttons that are clicked in answer, in turn."""
    asked: list[str] = []
    answers: list[str] = []

    def answer(box: QMessageBox) -> int:
        asked.append(box.text())
        words = answers.pop(0)
        button = next(one for one in box.buttons() if one.text() == words)
        QTimer.singleShot(0, button.click)
        return _ASKS(box)

    monkeypatch.setattr(QMessageBox, "exec", answer)
    return asked, answers


def wait_until_settled(qtbot, window) -> None:
    """Wait until what is on the screen is what was asked for; where that never comes, say what the
    worker is at."""
    try:
        qtbot.waitUntil(window.is_settled)
    except qtbot.TimeoutError:
        worker = window.worker
        state = f"process {worker.pid or 'gone'}, ended {worker._ends} times"
        open_ = (
            f"rebuild {'open' if worker._rebuild else 'none'}, report "
            f"{'there' if window.part.report else 'none'}"
        )
        raise AssertionError(f"never settled: {state}; {open_}") from None
