"""The list of kinds of step, found by typing."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QWidget

from ...core.steps import KINDS
from ..theme import kind_icon, theme
from ..widgets.finder import Finder, Found, begins_words


class StepFinder(Finder):
    """Finds a kind by its title, its purpose or another name; ``chosen`` gives the kind."""

    nothing = "Nothing is called that. Try what it does: hole, turn, repeat …"

    def __init__(self, parent: QWidget) -> None:
        asks = "what should be done? fillet, hole, around …"
        super().__init__(parent, _kinds_for, asks, "find a kind of step", "kinds of step")


def _kinds_for(typed: Sequence[str]) -> Sequence[Found]:
    """The kinds that fit; those by their title first."""
    fitting = []
    for order, (kind, cls) in enumerate(KINDS.items()):
        title = f"{cls.title} {kind}"
        if begins_words(typed, f"{title} {cls.purpose} {cls.also}"):
            fitting.append((not begins_words(typed, title), order, kind))
    return [
        Found(
            kind,
            f"{KINDS[kind].title}\n{KINDS[kind].purpose}",
            icon=kind_icon(KINDS[kind], theme().ink, 20),
        )
        for _, _, kind in sorted(fitting)
    ]
