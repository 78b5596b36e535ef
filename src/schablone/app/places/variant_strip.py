"""The variants of the size table as pills, under the sizes."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...core.design import edit as edits
from ..session import Session
from ..widgets.basics import Flow, button, clear, label, restyle


class VariantStrip(QWidget):
    """The variants as pills; the one in force is filled. ``edit_wanted`` and ``make_all_wanted``
    ask for more."""

    edit_wanted = Signal()
    make_all_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.pills: dict[str, QWidget] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(label("SIZE TABLE", "group"))
        head.addStretch(1)
        self.edit = button("Edit …", "link", self.edit_wanted.emit, "Edit the size table")
        self.make = button(
            "Make all …", "link", self.make_all_wanted.emit, "Build and export every variant"
        )
        head.addWidget(self.edit)
        head.addWidget(self.make)
        layout.addLayout(head)
        self._place = QVBoxLayout()
        layout.addLayout(self._place)
        self._shown: tuple[object, ...] | None = None

    def refresh(self) -> None:
        table = self.session.design.table
        self.make.setVisible(bool(table.rows))
        shown = (tuple(row.name for row in table.rows), table.current)
        if shown == self._shown:
            return
        self._shown = shown
        clear(self._place)
        self.pills = {}
        flow = Flow(6, 6)
        for row in table.rows[:40]:
            pill = button(
                row.name,
                "pill",
                lambda name=row.name: self.choose(name),
                f"Put {row.name} into force",
            )
            restyle(pill, chosen=row.name == table.current)
            self.pills[row.name] = pill
            flow.put(pill)
        if len(table.rows) > 40:
            flow.put(label(f"and {len(table.rows) - 40} more", "quiet"))
        if table.rows:
            self._place.addWidget(flow)

    def choose(self, name: str) -> None:
        """Put a variant into force, or the one in force out of it."""
        wanted = "" if name == self.session.design.table.current else name
        self.session.edit(
            lambda design: edits.choose_row(design, wanted), f"variant {wanted or 'none'}"
        )
