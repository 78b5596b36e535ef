"""Files are read while the window lives on: one that takes its time can be given up."""

from __future__ import annotations

import select
import tempfile
import time
from functools import lru_cache
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEventLoop, QSocketNotifier, Qt, QTimer
from PySide6.QtWidgets import QProgressDialog, QWidget

from ..core.problem import SchabloneError
from ..reader import Reading, begin
from ..reader.door import ReaderFault, only
from .guard import write_down
from .widgets.basics import label

#: So long, s, is waited for a file before anything is shown: most are there by then. And so long,
#: ms, only what is seen goes on, before a way to give it up is shown.
_AT_ONCE, _CALM = 0.08, 500


def read_file(window: QWidget | None, kind: str, path: Path, extra: Any = None) -> Any:
    """What a file holds, by a kind of :data:`~schablone.reader.inputs.INPUTS`. A reader that takes
    long is told of over ``window``, with a way to give it up; nothing else can be done meanwhile,
    but all is drawn.

    Raises:
        SchabloneError: where it cannot be read, is none, costs too much, or was given up.
    """
    reading = begin(kind, Path(path), extra)
    until = time.monotonic() + _AT_ONCE
    while reading.handle >= 0 and (left := until - time.monotonic()) > 0:
        if select.select([reading.handle], [], [], left)[0]:
            reading.take()
    if reading.handle >= 0:
        _wait(reading, window, Path(path).name)
    try:
        return only(reading)
    except ReaderFault as fault:
        write_down(fault.details)
        raise SchabloneError(*fault.problems) from None


def _wait(reading: Reading, window: QWidget | None, name: str) -> None:
    loop = QEventLoop()
    notifier = QSocketNotifier(reading.handle, QSocketNotifier.Type.Read)

    def take() -> None:
        notifier.setEnabled(False)
        if reading.handle >= 0 and not reading.take():
            notifier.setEnabled(True)
        else:
            loop.quit()

    notifier.activated.connect(take)
    calm = QTimer(singleShot=True, interval=_CALM)
    calm.timeout.connect(loop.quit)
    calm.start()
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    calm.stop()
    if reading.handle < 0:
        return
    shown = QProgressDialog("", "Give it up", 0, 0, window)
    shown.setLabel(label(f"Reading {name} …"))
    shown.setWindowTitle("Reading")
    shown.setWindowModality(Qt.WindowModality.ApplicationModal)
    shown.setMinimumDuration(0)
    patience = QTimer(singleShot=True, interval=int(1000 * reading.patience))

    def end(why: str) -> None:
        notifier.setEnabled(False)
        reading.give_up(why)
        loop.quit()

    patience.timeout.connect(lambda: end("waiting"))
    shown.canceled.connect(lambda: end("given up"))
    patience.start()
    shown.show()
    loop.exec()
    patience.stop()
    shown.canceled.disconnect()
    shown.close()


@lru_cache(maxsize=8)
def look_at_solid(data: bytes) -> Any:
    """What the solid of a STEP file is like, by a reader that has the kernel.

    Raises:
        ValueError: where it is damaged.
    """
    with tempfile.TemporaryDirectory(prefix="schablone-") as folder:
        path = Path(folder) / "its solid"
        path.write_bytes(data)
        try:
            return read_file(None, "description", path)
        except SchabloneError as error:
            raise ValueError(error.problems[0].what.removesuffix(".")) from None
