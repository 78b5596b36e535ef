"""Publish: which sizes others may adjust, within which limits."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QVBoxLayout

from ...core.design import Adjustable, Design, Size
from ...core.quantity import TRUTH, Quantity, say
from ...core.words import capital, say_name
from ..session import Session
from ..widgets.basics import clear, label, on_hover, rule
from ..widgets.lines import KeptLine


class AdjustColumn(QVBoxLayout):
    """A card for each size that may be adjusted, and the others below. It is laid out anew where
    other sizes are; what stands in it is brought up to date in its place, where something may be
    being typed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._laid: object = None
        self._updates: list[Callable[[Design], None]] = []

    def show_design(self, design: Design) -> None:
        """Have what a design says."""
        names = tuple(size.name for size in design.sizes)
        laid = (names, tuple(item.size for item in design.publish.adjust))
        if laid != self._laid:
            self._laid = laid
            self._lay_out(design)
        for update in self._updates:
            update(design)

    def _lay_out(self, design: Design) -> None:
        clear(self)
        self._updates.clear()
        self.addWidget(label("What others may adjust", "heading"))
        may = {item.size for item in design.publish.adjust}
        for size in design.sizes:
            if size.name in may:
                self.addWidget(self._card(size.name))
        self.addSpacing(4)
        self.addWidget(label("KEPT AS YOU SET THEM", "group"))
        self.addWidget(rule())
        for size in design.sizes:
            if size.name not in may:
                self.addWidget(self._box(size.name))
        self.addStretch(1)

    def _box(self, name: str) -> QCheckBox:
        box = QCheckBox()
        box.clicked.connect(lambda: self._allow(name))

        def update(design: Design) -> None:
            size = _size(design, name)
            box.setText(f"{name}    {self._value(size)}")
            on_hover(box, size.note)

        self._updates.append(update)
        return box

    def _value(self, size: Size) -> str:
        cell = self.session.table.cells.get(size.name)
        return self.session.say(cell.wanted, size) if cell else "no value"

    def _card(self, name: str) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        grid = QGridLayout(card)
        grid.setContentsMargins(12, 8, 12, 10)
        grid.setVerticalSpacing(6)
        grid.setColumnMinimumWidth(0, 96)  # so that the fields of all cards stand in one line
        box = QCheckBox(name)
        box.setChecked(True)
        box.clicked.connect(lambda: self._forbid(name))
        grid.addWidget(box, 0, 0)
        told = label("", "quiet")
        self._updates.append(lambda design: told.setText(self._range(_size(design, name))))
        grid.addWidget(told, 0, 1, 1, 3)
        for field, words, row, column in (
            ("label", "called", 1, 1),
            ("help", "help", 2, 1),
            ("low", "from", 3, 1),
            ("high", "to", 3, 3),
        ):
            grid.addWidget(label(words, "small"), row, column - 1, Qt.AlignmentFlag.AlignRight)
            line = self._line(name, field)
            line.setAccessibleName(f"{words}: {name}")
            grid.addWidget(line, row, column, 1, 1 if field in ("low", "high") else 3)
        return card

    def _range(self, size: Size) -> str:
        """What a size is, and from where to where it may be."""
        cell = self.session.table.cells.get(size.name)
        if cell is None:
            return self._value(size)
        if cell.wanted.kind == TRUTH:
            return f"{self._value(size)},  or not"
        ends = [
            say(Quantity(end, cell.wanted.kind)) if end is not None else "?"
            for end in (cell.low, cell.high)
        ]
        return f"{self._value(size)},  from {' to '.join(ends)}"

    def _line(self, name: str, field: str) -> KeptLine:
        line = KeptLine()
        line.editingFinished.connect(lambda: self._change(name, field, line.text()))

        def update(design: Design) -> None:
            item = next(one for one in design.publish.adjust if one.size == name)
            line.hold(getattr(item, field))
            if field in ("low", "high"):
                cell = self.session.table.cells.get(name)
                either = cell is not None and cell.wanted.kind == TRUTH
                none = "needs none" if either else "no limit yet"
                line.setPlaceholderText(getattr(_size(design, name), field) or none)

        self._updates.append(update)
        return line

    # Edits

    def _edit(
        self, change: Callable[[tuple[Adjustable, ...]], tuple[Adjustable, ...]], did: str
    ) -> None:
        def edit(design: Design) -> Design:
            publish = design.publish.model_copy(update={"adjust": change(design.publish.adjust)})
            return design.model_copy(update={"publish": publish})

        self.session.edit(edit, did)

    def _allow(self, name: str) -> None:
        size = _size(self.session.design, name)
        item = Adjustable(size=name, label=capital(say_name(name)), help=size.note)
        self._edit(lambda items: (*items, item), f"let others adjust {name}")

    def _forbid(self, name: str) -> None:
        self._edit(
            lambda items: tuple(item for item in items if item.size != name),
            f"keep {name} as it is",
        )

    def _change(self, name: str, field: str, text: str) -> None:
        self._edit(
            lambda items: tuple(
                item.model_copy(update={field: text}) if item.size == name else item
                for item in items
            ),
            f"{field} of {name} in the edition",
        )


def _size(design: Design, name: str) -> Size:
    size = design.size(name)
    assert size is not None
    return size
