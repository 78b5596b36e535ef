"""Objects of Qt that only hold each other go where Qt can stand it."""

from __future__ import annotations

import threading
import weakref

from PySide6.QtCore import QFileSystemWatcher, QObject

#: What makes Python's own collector look ten times over.
_MANY = 200_000


class _Holder(QObject):
    """Holds itself, and a watcher of files whose notifier lives with the event loop."""

    def __init__(self, folder: str) -> None:
        super().__init__()
        self.itself = self
        self.watcher = QFileSystemWatcher([folder], self)


def _work() -> None:
    for _ in range(_MANY):
        one: list[object] = []
        one.append(one)


def test_what_holds_itself_goes_in_the_thread_of_the_window(themed, qtbot, tmp_path) -> None:
    holders = [_Holder(str(tmp_path)) for _ in range(20)]
    went: list[int] = []
    for holder in holders:
        weakref.finalize(holder, lambda: went.append(threading.get_ident()))
    holders.clear()
    del holder
    thread = threading.Thread(target=_work)
    thread.start()
    thread.join()
    assert went == []
    qtbot.waitUntil(lambda: len(went) == 20)
    assert set(went) == {threading.get_ident()}


def test_a_loop_that_never_rests_collects_too(themed, qtbot, qapp) -> None:
    class Plain:
        pass

    one = Plain()
    one.itself = one  # type: ignore[attr-defined]
    gone = weakref.ref(one)
    del one
    _work()
    while gone() is not None:
        qapp.processEvents()
