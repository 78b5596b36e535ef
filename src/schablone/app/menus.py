"""The menu bar, made from a table of commands. Every command is listed once, here."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu

from .widgets.in_hand import take_over


@dataclass(frozen=True, slots=True)
class Command:
    """Something that can be done: its words, its keys, and what it does."""

    words: str
    does: Callable[[], object]
    keys: str = ""


@dataclass(frozen=True, slots=True)
class Group:
    """A menu inside a menu; ``fill`` puts in what is there only when it is opened."""

    words: str
    of: Sequence[Command] = ()
    fill: Callable[[QMenu], None] | None = None


#: A line between commands.
LINE = None
Entry = Command | Group | None


@dataclass(slots=True)
class MenuBar:
    """The menus of a window, and the actions behind their commands."""

    window: QMainWindow
    #: Each command's path through the menus, its own words last, and its action.
    actions: dict[tuple[str, ...], QAction] = field(default_factory=dict)

    def add(self, title: str, entries: Sequence[Entry]) -> None:
        """A menu with its entries."""
        self._fill(self.window.menuBar().addMenu(title), (title.replace("&", ""),), entries)

    def _fill(self, menu: QMenu, path: tuple[str, ...], entries: Sequence[Entry]) -> None:
        for entry in entries:
            if entry is None:
                menu.addSeparator()
            elif isinstance(entry, Command):
                menu.addAction(self._action(entry, path))
            else:
                inner = menu.addMenu(entry.words)
                self._fill(inner, (*path, entry.words), entry.of)
                if entry.fill is not None:
                    fill = entry.fill
                    inner.aboutToShow.connect(lambda inner=inner, fill=fill: fill(inner))

    def _action(self, command: Command, path: tuple[str, ...]) -> QAction:
        action = QAction(command.words, self.window)
        if command.keys:
            action.setShortcut(QKeySequence(command.keys))
        action.triggered.connect(lambda: self._do(command))
        self.actions[*path, command.words] = action
        return action

    def _do(self, command: Command) -> None:
        take_over(self.window)
        command.does()
