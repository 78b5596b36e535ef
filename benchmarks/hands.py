"""How long the window takes from a key or a move of the pointer until what follows is painted.

Each is one event to the real window and the paint that answers it; what the worker builds comes
later and keeps nothing waiting. Beside each the same event on a bare line of text of Qt.
"""

from __future__ import annotations

import inspect
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, ClassVar

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget
from tests.window import test_journeys
from tests.window.hands import Hands

from schablone.app.application import Application, make_qt, wait_for_part
from schablone.app.demo import demo_designs
from schablone.app.journal import Journal
from schablone.app.library import Library
from schablone.app.theme import LIGHT, apply_theme


class Painted(QObject):
    """Counts the paints of a widget."""

    def __init__(self, widget: QObject) -> None:
        super().__init__()
        self.count, self.at = 0, 0.0
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Paint:
            self.count += 1
            self.at = self.at or time.perf_counter()
        return False


def until_painted(widget: QWidget, act: Callable[[], object]) -> float:
    """Milliseconds from the event until the widget is painted again."""
    painted = Painted(widget)
    begun = time.perf_counter()
    act()
    while not painted.count and time.perf_counter() - begun < 5:
        QApplication.processEvents()
    took = (time.perf_counter() - begun) * 1000
    widget.removeEventFilter(painted)
    return took


def bare_line() -> float:
    """A letter on a line of text that nothing else hangs on."""
    line = QLineEdit()
    line.show()
    QTest.qWaitForWindowExposed(line)
    line.setFocus()
    times = sorted(until_painted(line, lambda: QTest.keyClicks(line, "a")) for _ in range(15))
    line.hide()
    return times[len(times) // 2]


class TimedHands(Hands):
    """Hands that look at the clock: from each key or click until the window is painted, ms."""

    took: ClassVar[list[float]] = []

    def _timed(self, act: Callable[[], object]) -> None:
        every = QApplication.instance()
        assert every is not None
        painted = Painted(every)
        begun = time.perf_counter()
        act()
        while not painted.count and time.perf_counter() - begun < 0.3:
            QApplication.processEvents()
        if painted.count:  # what changes nothing on the screen paints nothing
            self.took.append((painted.at - begun) * 1000)
        every.removeEventFilter(painted)

    def press(
        self, key: Qt.Key | str, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        pause, self.pause = self.pause, 0
        self._timed(lambda: Hands.press(self, key, modifier))
        self.pause = pause
        QTest.qWait(self.pause)

    def click_at(self, widget: QWidget, at: QPoint, **more: Any) -> None:
        self._timed(lambda: Hands.click_at(self, widget, at, **more))


class Waiting:
    """What the journeys need of the tests' own waiting."""

    wait = staticmethod(QTest.qWait)

    @staticmethod
    def waitUntil(holds: Callable[[], bool], timeout: int = 60_000) -> None:
        begun = time.perf_counter()
        while not holds():
            if time.perf_counter() - begun > timeout / 1000:
                raise TimeoutError
            QTest.qWait(10)


def begun() -> tuple[Application, Path]:
    """The application with settings of its own, and the folder that they lie in."""
    apply_theme(make_qt(), LIGHT)
    folder = Path(tempfile.mkdtemp())
    library = Library(folder / "config", folder / "data")
    return Application(library, Journal(folder / "unsaved")), folder


def journeys() -> list[tuple[str, list[float]]]:
    """Every journey from an empty sheet, and how long each key and click took, ms."""
    application, folder = begun()
    found = []
    for name in [name for name in dir(test_journeys) if name.startswith("test_")]:
        window = application.open_design_window(None)
        window.resize(1280, 800)
        window.show()
        QApplication.setActiveWindow(window)
        wait_for_part(window)
        TimedHands.took.clear()
        maker = test_journeys.Maker(Waiting(), window, TimedHands)
        journey = getattr(test_journeys, name)
        saves = "tmp_path" in inspect.signature(journey).parameters
        journey(maker, *[folder] * saves)
        found.append((name.removeprefix("test_").replace("_", " "), list(TimedHands.took)))
        window.worker.close()
        window.hide()
    return found


def measured() -> list[tuple[str, list[float]]]:
    """What was done, and how long each time, ms."""
    application, _ = begun()
    demo = next(demo for demo in demo_designs() if demo.stem == "hive-box")
    window = application.open_design_window(demo)
    window.resize(1280, 800)
    window.show()
    wait_for_part(window)
    shape, view = window.shape, window.shape.view
    handle = window.windowHandle()
    assert handle is not None
    found: list[tuple[str, list[float]]] = []

    def times(what: str, widget: QWidget, acts: list[Callable[[], object]]) -> None:
        took = []
        for act in acts:
            took.append(until_painted(widget, act))
            QTest.qWait(40)
        found.append((what, took))

    new = shape.sizes.new
    assert new is not None
    new.line.setFocus()
    times(
        "a letter of a new size",
        new.line,
        [lambda letter=letter: QTest.keyClick(new.line, letter) for letter in "lip=3mm"],
    )
    times(
        "Enter: the size is there",
        shape.sizes,
        [lambda: QTest.keyClick(new.line, Qt.Key.Key_Return)],
    )
    wait_for_part(window)

    def over(x: int, y: int) -> Callable[[], object]:
        return lambda: QTest.mouseMove(handle, view.mapTo(window, QPoint(x, y)))

    middle = view.rect().center()
    QTest.mouseMove(handle, view.mapTo(window, middle))
    QTest.qWait(200)
    spots = [(middle.x() + dx, middle.y() + dy) for dx in (-150, 150, -90, 170) for dy in (60, 120)]
    others = []
    for spot in spots:
        at = view.face_at(*spot)
        if at is not None and at != (others[-1][1] if others else None):
            others.append((spot, at))
    times("the pointer comes onto another face", view, [over(*spot) for spot, _ in others])
    names = list(shape.steps.cards)[:6]
    times(
        "a step opens",
        shape.steps,
        [lambda name=name: shape.steps.choose(name) for name in names],
    )
    times("all commands are listed", window, [window.commands.find])
    popup = QApplication.activePopupWidget()
    if popup is not None:
        popup.close()
    wait_for_part(window)
    shape.draw_on("front_outline")
    QTest.qWait(200)
    paper = shape.board.paper
    paper.take("line")
    paper.click_at((0.0, 0.0))
    times(
        "a stroke follows the pointer",
        paper,
        [
            lambda k=k: QTest.mouseMove(
                handle, paper.mapTo(window, paper.rect().center() + QPoint(9 * k, 5 * k))
            )
            for k in range(1, 12)
        ],
    )
    window.worker.close()
    window.hide()
    return found
