"""The lists of a process that is edited: kerfs, bends and stock, a table for each, read as people
type lengths."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.formula.typed import typed_length
from ...core.model import Frozen
from ...core.quantity import plain
from ..widgets.basics import button, label, on_hover
from ..widgets.cells import can_be_wrong

#: Columns of the lists: what stands in the head, and the field.
_LISTS: dict[str, tuple[tuple[str, str], ...]] = {
    "kerfs": (("material, empty for any", "material"), ("thickness", "thickness"),
              ("kerf", "kerf")),
    "bends": (("material", "material"), ("thickness", "thickness"), ("radius", "radius"),
              ("angle", "angle"), ("deduction", "deduction"), ("back", "springs_back"),
              ("die", "die")),
    "stock": (
        ("name", "name"), ("material", "material"), ("nominal", "nominal"),
        ("measured", "measured"),
        ("sheet, x × y", "size"), ("grain", "grain"), ("film", "film"), ("price", "price"),
        ("±", "scatter"),
    ),
}  # fmt: skip
_TITLES = {
    "kerfs": "KERF, mm",
    "bends": "BENDS, mm and °; radius inside",
    "stock": "STOCK, mm; grain along x or y; film yes or no; ± of the thickness",
}
#: How wide the columns of the stock are, px, from the third on.
_STOCK_WIDTHS = ((2, 90), (3, 96), (4, 130), (5, 70), (6, 70), (7, 80), (8, 70))
#: Fields that are no lengths.
_NUMBERS = ("angle", "springs_back", "price")
_WORDS = ("name", "material", "grain")


class ProcessList(QWidget):
    """One list with its title; rows are added below and taken away."""

    def __init__(self, name: str, items: Iterable[Frozen]) -> None:
        super().__init__()
        self.name = name
        self.columns = _LISTS[name]
        self.table = table = QTableWidget(0, len(self.columns))
        table.setHorizontalHeaderLabels([words for words, _ in self.columns])
        table.verticalHeader().hide()
        header = table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        if name != "stock":
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        if name == "stock":
            for column, width in _STOCK_WIDTHS:
                header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
                table.setColumnWidth(column, width)
        table.setAccessibleName(name)
        can_be_wrong(table)
        self.fill(items)
        self.head = QHBoxLayout()
        self.head.addWidget(label(_TITLES[name], "group"))
        self.head.addStretch(1)
        self.head.addWidget(button("+ row", "link", self.add, f"One more row of {name}"))
        self.head.addWidget(
            button(
                "− row",
                "link",
                lambda: table.removeRow(table.currentRow()),
                "Take the chosen row away",
            )
        )
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addLayout(self.head)
        outer.addWidget(table)

    def fill(self, items: Iterable[Frozen]) -> None:
        """Show these instead of what there is."""
        self.table.setRowCount(0)
        for item in items:
            self._put([getattr(item, field) for _, field in self.columns])

    def add(self) -> None:
        """One more row, empty, and what is typed goes there."""
        self._put([""] * len(self.columns))
        self.table.setCurrentCell(self.table.rowCount() - 1, 0)
        self.table.setFocus()

    def _put(self, values: list[Any]) -> None:
        at = self.table.rowCount()
        self.table.insertRow(at)
        for column, value in enumerate(values):
            item = QTableWidgetItem(_said(value))
            on_hover(item, item.text())
            self.table.setItem(at, column, item)

    def rows(self) -> list[dict[str, object]]:
        """The rows as they are typed; empty ones are left out."""
        return [
            {field: _meant(field, text) for field, text in cells.items() if text}
            for _, cells in self._typed()
        ]

    def _typed(self) -> list[tuple[int, dict[str, str]]]:
        """The rows that are not empty, with where they stand."""
        rows = []
        for at in range(self.table.rowCount()):
            cells = {}
            for column, (_, field) in enumerate(self.columns):
                item = self.table.item(at, column)
                cells[field] = item.text().strip() if item is not None else ""
            if any(cells.values()):
                rows.append((at, cells))
        return rows

    def say_place(self, number: int, field: str) -> str:
        """Where a figure stands, in words: ``stock Birch 3, measured``."""
        _, cells = self._typed()[number]
        row = cells.get("name") or f"row {number + 1}"
        column = next(
            (words.partition(",")[0] for words, name in self.columns if name == field), ""
        )
        what = "stock" if self.name == "stock" else self.name[:-1]
        return f"{what} {row}{f', {column}' if column else ''}"

    def item_at(self, number: int, field: str) -> QTableWidgetItem | None:
        """The cell of a field in one of :meth:`rows`; the first of the row for no field."""
        at, _ = self._typed()[number]
        columns = [name for _, name in self.columns]
        return self.table.item(at, columns.index(field) if field in columns else 0)


def _said(value: Any) -> str:
    """A cell of a list."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, tuple):
        return " × ".join(plain(part, 2) for part in value)
    return plain(value, 5) if isinstance(value, float) else str(value)


def _meant(field: str, text: str) -> Any:
    """What a cell of a list says; what cannot be read stays as it is and is refused with its
    words."""
    if field == "film":
        return {"yes": True, "no": False}.get(text.lower(), text)
    if field == "size":
        return [_length(part.strip()) for part in text.replace("×", "x").split("x")]
    if field in _WORDS:
        return text
    return text.replace(",", ".") if field in _NUMBERS else _length(text)


def _length(text: str) -> float | str:
    length = typed_length(text)
    return text if length is None else length
