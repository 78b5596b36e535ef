"""Everything of a size but its formula: its name, note, group, limits, kind and units."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from ...core.design import Design, Size
from ...core.design import edit as edits
from ...core.quantity import KINDS
from ..session import Session
from ..widgets.basics import label
from ..widgets.lines import KeptLine


class SizeDetails(QWidget):
    """Everything of a size but its formula."""

    def __init__(self, session: Session, size: Size) -> None:
        super().__init__()
        self.session, self.name = session, size.name
        grid = QGridLayout(self)
        grid.setContentsMargins(22, 6, 0, 4)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        self.fields: dict[str, QLineEdit] = {}
        rows = (
            ("name", "name"),
            ("note", "note"),
            ("group", "group"),
            ("low", "from"),
            ("high", "to"),
            ("step", "step"),
            ("tolerance", "off by ±"),
        )
        for row, (field, words) in enumerate(rows):
            grid.addWidget(label(words, "small"), row, 0)
            line = KeptLine(getattr(size, field))
            line.setAccessibleName(f"{words} of {size.name}")
            line.editingFinished.connect(lambda field=field, line=line: self._set(field, line))
            grid.addWidget(line, row, 1)
            self.fields[field] = line
        self.policy = QComboBox()
        self.policy.addItem("past a limit it stops there", "stop")
        self.policy.addItem("past a limit it is refused", "refuse")
        self.policy.setCurrentIndex(self.policy.findData(size.policy))
        self.policy.setAccessibleName(f"what happens past a limit of {size.name}")
        self.policy.activated.connect(
            lambda: self._change("policy", str(self.policy.currentData()))
        )
        grid.addWidget(self.policy, len(rows), 1)
        self.kind = QComboBox()
        self.kind.addItem("of the kind that its formula gives", "")
        for kind in KINDS:
            self.kind.addItem(f"must be {'an' if kind[0] in 'aeiou' else 'a'} {kind}", kind)
        self.kind.setCurrentIndex(self.kind.findData(size.kind))
        self.kind.setAccessibleName(f"kind of {size.name}")
        self.kind.activated.connect(lambda: self._change("kind", str(self.kind.currentData())))
        grid.addWidget(self.kind, len(rows) + 1, 1)
        self.units = QComboBox()
        for words, units in (
            ("shown as the design is", ""),
            ("shown in millimetres", "mm"),
            ("shown in inches", "in"),
        ):
            self.units.addItem(words, units)
        self.units.setCurrentIndex(self.units.findData(size.units))
        self.units.setAccessibleName(f"units of {size.name}")
        self.units.activated.connect(lambda: self._change("units", str(self.units.currentData())))
        grid.addWidget(self.units, len(rows) + 2, 1)
        self.trouble = label("", "wrong", wrap=True)
        self.trouble.hide()
        grid.addWidget(self.trouble, len(rows) + 3, 0, 1, 2)

    def refresh(self, size: Size) -> None:
        for field, line in self.fields.items():
            if not line.hasFocus():
                line.setText(getattr(size, field))
        self.policy.setCurrentIndex(self.policy.findData(size.policy))
        self.kind.setCurrentIndex(self.kind.findData(size.kind))
        self.units.setCurrentIndex(self.units.findData(size.units))

    def _say(self, text: str) -> None:
        self.trouble.setText(text)
        self.trouble.setVisible(bool(text) and self.isVisible())

    def _edit(self, change: Callable[[Design], Design], did: str) -> bool:
        """Change the design; why not stands here as well."""
        self.session.said.connect(self._say)
        try:
            return self.session.edit(change, did)
        finally:
            self.session.said.disconnect(self._say)

    def _set(self, field: str, line: QLineEdit) -> None:
        size = self.session.design.size(self.name)
        if size is None or line.text() == getattr(size, field):
            return
        self.trouble.hide()
        if field == "name":
            new = line.text().strip()
            if not self._edit(
                lambda design: edits.rename_size(design, self.name, new),
                f"rename {self.name} to {new}",
            ):
                line.setText(self.name)
            return
        self._change(field, line.text())

    def _change(self, field: str, text: str) -> None:
        self._edit(
            lambda design: edits.change_size(design, self.name, **{field: text}),
            f"{field} of {self.name}",
        )
