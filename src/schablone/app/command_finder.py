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

    def __init__(self, parent: QWidget, actions: Mapping[str, QAction]) -> None:
        self._actions = actions
        super().__init__(
            parent, "which command? lens, export, undo …", "find a command", "commands"
        )
        self.setFixedWidth(520)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.chosen.connect(lambda path: self._actions[path].trigger())

    def found(self, typed: Sequence[str]) -> Sequence[Found]:
        """The commands that fit; those by their own words first, those by their menu after."""
        fitting = []
        for order, (path, action) in enumerate(self._actions.items()):
            if begins_words(typed, path):
                fitting.append((not begins_words(typed, action.text()), order, path))
        return [self._entry(path, self._actions[path]) for _, _, path in sorted(fitting)]

    @staticmethod
    def _entry(path: str, action: QAction) -> Found:
        *menus, _ = path.split(", ")
        keys = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
        words = f"{action.text().rstrip(' …')}   in {' · '.join(menus)}"
        return Found(path, words, keys, ready=action.isEnabled())
