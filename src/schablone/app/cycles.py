"""Objects that only hold each other are taken away in the window's thread, while it rests.

Python looks for them in whatever thread happens to make an object when it is time. What is Qt's
among them would be taken away there, too, which Qt does not stand: a watcher of files that went in
the thread of the journal left its notifier with the event loop, which then told of nothing else.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QAbstractEventDispatcher, QObject
from PySide6.QtWidgets import QApplication

#: So many more objects, then so many looks among the youngest, then so many among those that
#: outlived one: how often the collector looks.
_YOUNG, _MIDDLE, _OLD = 5_000, 20, 30
#: An event loop that never rests is interrupted after so many times that.
_RESTLESS = 10
#: So many parts are drawn before what is loaded counts as all there is.
_SETTLED = 3
_drawn = 0


class _Collector(QObject):
    """Looks for cycles when the event loop of its thread has nothing to do."""

    def __init__(self, application: QApplication) -> None:
        super().__init__(application)
        gc.disable()
        loop = QAbstractEventDispatcher.instance()
        loop.aboutToBlock.connect(lambda: self._look(1))
        loop.awake.connect(lambda: self._look(_RESTLESS))

    def _look(self, patience: int) -> None:
        young, middle, old = gc.get_count()
        if young <= patience * _YOUNG:
            return
        if middle <= _MIDDLE:
            gc.collect(0)
        elif old <= _OLD:
            gc.collect(1)
        else:
            gc.collect(2)


def collect_here(application: QApplication) -> None:
    """From now on cycles are collected in this thread only, which is the one of the window."""
    if application.findChild(_Collector) is None:
        _Collector(application)


def keep_what_is_loaded() -> None:
    """After the first pictures: what there is now is not looked through any more by the collector
    of cycles. It takes no time."""
    global _drawn
    _drawn += 1
    if _drawn <= _SETTLED:
        gc.freeze()
