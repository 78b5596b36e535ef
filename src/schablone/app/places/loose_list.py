"""Loose numbers on the page of checks: each with the size that it is, and a click that ties it."""

from __future__ import annotations

from PySide6.QtCore import Signal

from ...core.design import edit as edits
from ...core.prove.loose import Loose, loose_numbers
from ..session import Session
from ..widgets.basics import button, clear, label
from .page_list import PageList

#: How many are listed one by one.
_MOST = 12


class LooseList(PageList):
    """``look_at`` names a size: what follows it, and what stays, is to be shown on the part."""

    look_at = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__("LOOSE NUMBERS")
        self.session = session
        self.above.addWidget(
            label(
                "Typed as numbers, though they are what a size is: they stay where they are when "
                "it changes.",
                "quiet",
                wrap=True,
            )
        )
        self.rest = label("", "small")
        self.below.addWidget(self.rest)

    def refresh(self) -> None:
        """Look through the design as it is."""
        numbers = loose_numbers(self.session.design, self.session.table)
        clear(self.rows)
        for row, loose in enumerate(numbers[:_MOST]):
            words = loose.words()
            self.rows.addWidget(label(words, ""), row, 0)
            follows = loose.follows[0]
            self.rows.addWidget(
                button(
                    "What follows",
                    "link",
                    lambda name=follows: self.look_at.emit(name),
                    f"What follows {follows}, and what stays",
                ),
                row,
                1,
            )
            tie = button(
                "Tie it", "link", lambda loose=loose: self.tie(loose), f"Put {loose.formula} there"
            )
            self.rows.addWidget(tie, row, 2)
        more = len(numbers) - _MOST
        self.rest.setText(f"and {more} more" if more > 0 else "")
        self.rest.setVisible(more > 0)
        self.setVisible(bool(numbers))

    def tie(self, loose: Loose) -> None:
        """Let the number follow; nothing moves by that."""
        did = f"{loose.label or loose.name} = {loose.tied}"
        if loose.area == "step":
            self.session.edit(
                lambda design: edits.change_step(design, loose.name, loose.path, loose.tied), did
            )
        else:
            self.session.edit(lambda design: edits.set_formula(design, loose.name, loose.tied), did)
        self.refresh()
