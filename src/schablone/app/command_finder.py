"""All commands of a window in one list, found by typing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

from .widgets.finder import Finder, Found, begins_words


class CommandFinder(Finder):
    """Finds a command by its words or its menu, shows its keys, and runs it."""

    tall = 25
    nothing = "No command is called that. Kinds of step are found with A."

    def __init__(self, parent: QWidget, actions: Mapping[tuple[str, ...], QAction]) -> None:
        self._entries = list(actions.items())
        asks = "which command? lens, export, undo …"
        super().__init__(parent, self._find, asks, "find a command", "commands")
        self.setFixedWidth(520)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.chosen.connect(lambda number: self._entries[int(number)][1].trigger())

    def _find(self, typed: Sequence[str]) -> Sequence[Found]:
        """The commands that fit; those by their own words first, those by their menu after."""
        fitting = []
        for number, (path, action) in enumerate(self._entries):
            if begins_words(typed, " ".join(path)):
                fitting.append((not begins_words(typed, action.text()), number))
        return [self._entry(number) for _, number in sorted(fitting)]

    def _entry(self, number: int) -> Found:
        (*menus, _), action = self._entries[number]
        keys = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
        words = f"{action.text().rstrip(' …')}   in {' · '.join(menus)}"
        return Found(str(number), words, keys, ready=action.isEnabled())
