"""Hands on a window: keys and a pointer as events to the window itself, so that focus, shortcuts,
popups and stacking act.

Things are found by what is seen: their words, or the name that a screen reader would say. No
attribute of any widget is touched.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import count

from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QWindow
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QMenu,
    QMenuBar,
    QWidget,
)
from pytestqt import exceptions


class Hands:
    """Two hands on a window. ``pause`` is the time between keys, ms: 12 are eighty characters a
    second."""

    def __init__(self, qtbot, window: QWidget, pause: int = 12) -> None:
        self.qtbot, self.window, self.pause = qtbot, window, pause
        self.strokes = 0
        window.activateWindow()
        # Keys that come before it is in front go to what was in front.
        qtbot.waitUntil(window.isActiveWindow)

    # Looking

    def seen(self) -> Iterator[QWidget]:
        """All that can be seen, what lies on top first."""
        tops = [
            top
            for top in QApplication.topLevelWidgets()
            if top.isVisible() and top is not self.window
        ]
        for top in [*tops, self.window]:
            yield top
            yield from (
                child
                for child in top.findChildren(QWidget)
                if child.isVisible() and not child.visibleRegion().isEmpty()
            )

    def find(self, words: str, kind: type[QWidget] = QWidget) -> QWidget:
        """What bears these words or this name."""
        found = [one for one in self.seen() if isinstance(one, kind) and words in said_by(one)]
        assert found, (
            f"nothing says “{words}”; there are "
            f"{sorted({text for one in self.seen() for text in said_by(one) if text})[:120]}"
        )
        return found[0]

    def wait_for(self, words: str, kind: type[QWidget] = QWidget) -> QWidget:
        """What bears these words, looked for as a hand does: a page that is being put up anew may
        take a moment."""
        for _ in range(200):
            try:
                return self.find(words, kind)
            except AssertionError:
                QTest.qWait(50)
        return self.find(words, kind)

    def all_words(self) -> list[str]:
        """All that can be read, and all names."""
        return [text for one in self.seen() for text in said_by(one) if text]

    def says(self, words: str) -> bool:
        """Whether some text that is seen holds these words."""
        return any(
            words in text
            for one in self.seen()
            if isinstance(one, QLabel | QLineEdit | QAbstractButton)
            for text in said_by(one)
        )

    @property
    def focus(self) -> QWidget | None:
        return QApplication.focusWidget()

    # Doing

    def _target(self) -> QWindow:
        popup = QApplication.activePopupWidget()
        handle = (popup or QApplication.activeWindow() or self.window).windowHandle()
        assert handle is not None
        return handle

    def press(
        self, key: Qt.Key | str, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        """Press and let go of a key, wherever the keyboard is."""
        self.strokes += 1
        QTest.keyClick(self._target(), key, modifier)  # type: ignore[call-overload]
        QTest.qWait(self.pause) if self.pause else QApplication.processEvents()

    def type(self, text: str) -> None:
        """Type, one key after the other."""
        for letter in text:
            self.press(letter)

    def click(self, words: str, kind: type[QWidget] = QWidget, *, double: bool = False) -> None:
        """Click on what bears these words: move there, and press once it has come to rest."""
        for _ in range(20):
            target = self.wait_for(words, kind)
            at = target.visibleRegion().boundingRect().center()
            window = target.window()
            place = target.mapTo(window, at)
            QTest.mouseMove(window.windowHandle(), place)
            QTest.qWait(20)
            again = self.wait_for(words, kind)
            if again is target and target.mapTo(window, at) == place:
                break
        self.click_at(target, at, double=double)

    def retype(self, words: str, text: str) -> None:
        """Click on a field, choose all that is in it, and type something else."""
        self.click(words)
        self.press(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        self.type(text)

    def click_at(
        self,
        widget: QWidget,
        at: QPoint,
        *,
        double: bool = False,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    ) -> None:
        """Click at a place of a widget, through the window that it lies in."""
        self.strokes += 1
        window = widget.window()
        place = widget.mapTo(window, at)
        act = QTest.mouseDClick if double else QTest.mouseClick
        QTest.mouseMove(window.windowHandle(), place)
        act(window.windowHandle(), Qt.MouseButton.LeftButton, modifier, place)
        QApplication.processEvents()

    def hover_at(self, widget: QWidget, at: QPoint) -> None:
        """Move the pointer to a place of a widget, and rest there."""
        window = widget.window()
        QTest.mouseMove(window.windowHandle(), widget.mapTo(window, at))
        QTest.qWait(60)

    def drag_at(self, widget: QWidget, start: QPoint, by: QPoint, steps: int = 4) -> None:
        """Press, move in some steps, let go."""
        self.strokes += 1
        window = widget.window()
        handle, place = window.windowHandle(), widget.mapTo(window, start)
        left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        QTest.mouseMove(handle, place)
        QTest.mousePress(handle, left, none, place)
        for k in range(1, steps + 1):
            QTest.mouseMove(handle, place + by * k / steps)
            QApplication.processEvents()
        QTest.mouseRelease(handle, left, none, place + by)
        QApplication.processEvents()

    def wheel_at(self, widget: QWidget, at: QPoint, notches: int) -> None:
        """Turn the wheel over a place of a widget."""
        window = widget.window()
        place = QPointF(widget.mapTo(window, at))
        QTest.wheelEvent(window.windowHandle(), place, QPoint(0, 120 * notches))
        QApplication.processEvents()

    def scroll_to(self, words: str, page: QWidget) -> None:
        """Turn the wheel over a page until something is seen; the page may be growing just then."""

        turns = count()

        def is_there() -> bool:
            return self.says(words) or words in self.all_words()

        def is_seen() -> bool:
            if is_there():
                QTest.qWait(80)  # a page that is just being laid out moves on
                return is_there()
            # Down, and where it was passed, up again.
            self.wheel_at(page, page.rect().center(), 2 if next(turns) // 60 % 2 else -2)
            return False

        self.qtbot.waitUntil(is_seen)

    def size(self, name: str) -> QWidget:
        """The row of a size, told by what a screen reader says of it: name, value, formula."""
        rows = [
            one
            for one in self.seen()
            if one.accessibleName().split(", ")[0] == name and ", " in one.accessibleName()
        ]
        assert rows, f"no size “{name}” is seen"
        return rows[0]

    def value_of(self, name: str) -> QWidget:
        """The value of a size, as it stands at the right of its row."""
        row = self.size(name)
        said = row.accessibleName().split(", ")[1]
        return next(one for one in row.findChildren(QLabel) if said in said_by(one))

    def choose(self, words: str, *path: str) -> None:
        """Click on what opens a menu, and in it on an entry by its words. The menu takes the event
        loop until it is closed: the second hand is ready before."""

        waiting = list(path)

        def take(tries: int = 100) -> None:
            menu = QApplication.activePopupWidget()
            if not isinstance(menu, QMenu) or not menu.actions():
                if tries:
                    QTimer.singleShot(30, lambda: take(tries - 1))
                return
            entry = waiting.pop(0)
            action = next((one for one in menu.actions() if one.text() == entry), None)
            if action is None:
                menu.close()
                said = [one.text() for one in menu.actions()]
                raise AssertionError(f"“{entry}” is not in the menu: {said}")
            self.strokes += 1
            place = menu.actionGeometry(action).center()
            QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=place)
            if waiting:
                QTimer.singleShot(30, take)

        QTimer.singleShot(30, take)
        self.click(words)
        assert not waiting, f"no menu opened at “{words}”"

    def menu(self, *path: str) -> None:
        """Choose from the menu bar by its words."""
        place: QMenuBar | QMenu = self.window.menuBar()  # type: ignore[attr-defined]
        for words in path:
            action = next(one for one in place.actions() if one.text().replace("&", "") == words)
            self.click_at(place, place.actionGeometry(action).center())
            under = action.menu()
            if isinstance(under, QMenu):
                self.qtbot.waitUntil(under.isVisible)
                place = under

    def until(self, says: str) -> None:
        """Wait until something that is seen says so."""
        try:
            self.qtbot.waitUntil(lambda: self.says(says))
        except exceptions.TimeoutError:
            raise AssertionError(
                f"“{says}” was never seen; in the end there was {sorted(set(self.all_words()))}"
            ) from None


def said_by(widget: QWidget) -> list[str]:
    """The words that stand on a widget, and the name by which a screen reader calls it."""
    words = [widget.accessibleName()]
    if isinstance(widget, QLabel | QLineEdit | QAbstractButton):
        words.append(widget.text())
    if isinstance(widget, QLineEdit):
        words.append(widget.placeholderText())
    if isinstance(widget, QComboBox):
        words.append(widget.currentText())
    if isinstance(widget, QListWidget):
        words += [widget.item(row).text() for row in range(widget.count())]
    return words
