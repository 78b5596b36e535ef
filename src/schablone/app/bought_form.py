"""The form in which a bought part is described: fields, a few tables, and a picture."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ..core.formula.typed import typed_mass, typed_number
from ..core.quantity import plain
from .bought_picture import BoughtPicture
from .widgets.basics import label

#: The tables: the field, what it is called, and its columns with what a new row has in them.
TABLES: tuple[tuple[str, str, Mapping[str, str]], ...] = (
    ("dimensions", "Dimensions", {"name": "", "formula": "10 mm", "tolerance": "0", "note": ""}),
    ("anchors", "Anchors", {
        "name": "", "x": "0 mm", "y": "0 mm", "z": "0 mm", "towards": "bottom"}),
    ("holes", "Holes", {
        "name": "", "x": "0 mm", "y": "0 mm", "diameter": "3.2 mm", "screw": "M3"}),
    ("ports", "Ports", {
        "name": "", "side": "front", "form": "rectangle", "along": "0 mm", "up": "5 mm",
        "width": "10 mm", "height": "5 mm", "clearance": "0.3 mm"}),
)  # fmt: skip
#: The table of the corners of a drawn outline, which belong to the outline.
CORNERS = ("corners", "Corners of the outline", {"x": "0 mm", "y": "0 mm", "round": "0 mm"})
#: What is drawn first where an outline was of another kind: a rectangle.
_FIRST = [
    {"x": f"{x} mm", "y": f"{y} mm", "round": "0 mm"}
    for x, y in ((-10, -5), (10, -5), (10, 5), (-10, 5))
]
#: The fields, and what they are called.
_FIELDS = {
    "title": "called", "sort": "a kind of", "name": "in formulas", "source": "from",
    "price": "price", "currency": "", "mass": "mass, g",
}  # fmt: skip
#: What a table's columns are called where their field's name does not say it.
_SAID = {"tolerance": "± mm", "towards": "lies with its", "clearance": "gap", "diameter": "ø"}
#: The fields of each kind of outline.
_OUTLINES = {
    "box": ("length", "width", "height"),
    "cylinder": ("diameter", "height"),
    "raised": ("height",),
    "file": (),
}
_KINDS = {"box": "a box", "cylinder": "a cylinder", "raised": "a drawn outline", "file": "a solid"}


class BoughtForm(QWidget):
    """``edited`` is emitted when something was typed or chosen, ``file_wanted`` when the outline is
    to be that of a solid and there is none yet."""

    edited = Signal()
    file_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._data: Mapping[str, Any] = {}
        self._filling = False
        self._was = "box"
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        top = QHBoxLayout()
        fields = QFormLayout()
        fields.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self.fields: dict[str, QLineEdit] = {}
        price = QHBoxLayout()
        for name, words in _FIELDS.items():
            line = QLineEdit()
            line.setAccessibleName(f"{words or name}: typed")
            line.textEdited.connect(self._edited)
            self.fields[name] = line
            if name == "currency":
                line.setFixedWidth(64)
                price.addWidget(line)
                continue
            if name == "price":
                price.addWidget(line)
            fields.addRow(label(words, "quiet"), price if name == "price" else line)
        self.kind = QComboBox()
        self.kind.setAccessibleName("outline")
        for kind, words in _KINDS.items():
            self.kind.addItem(words, kind)
        self.kind.activated.connect(lambda _: self._kind_chosen())
        fields.addRow(label("outline", "quiet"), self.kind)
        self.outline: dict[str, QLineEdit] = {}
        for name in ("length", "width", "height", "diameter"):
            line = QLineEdit()
            line.setObjectName("formula")
            line.setAccessibleName(f"{name} of the outline")
            line.textEdited.connect(self._edited)
            self.outline[name] = line
            fields.addRow(label(name, "quiet"), line)
        self.lies = QCheckBox("along x, not upright")
        self.lies.clicked.connect(lambda _: self._edited())
        fields.addRow(label("lies", "quiet"), self.lies)
        self._rows = fields
        top.addLayout(fields, 1)
        self.picture = BoughtPicture()
        top.addWidget(self.picture, 1)
        column.addLayout(top)
        self.tables: dict[str, QTableWidget] = {}
        self.heads: dict[str, QWidget] = {}
        for field, words, columns in (CORNERS, *TABLES):
            self.heads[field] = label(words.upper(), "group")
            column.addWidget(self.heads[field])
            table = QTableWidget(0, len(columns))
            table.setHorizontalHeaderLabels([_SAID.get(name, name) for name in columns])
            table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
            table.verticalHeader().hide()
            table.setAccessibleName(words.lower())
            table.itemChanged.connect(lambda _: self._edited())
            self.tables[field] = table
            column.addWidget(table)

    def show_data(self, data: Mapping[str, Any]) -> None:
        """Fill it with a part, as :meth:`described` gives it or a file holds it."""
        self._data = data
        self._filling = True
        for name, line in self.fields.items():
            value = data.get(name)
            line.setText(plain(value, 6) if isinstance(value, float) else str(value or ""))
        outline = data.get("outline", {})
        self.kind.setCurrentIndex(self.kind.findData(outline.get("kind", "box")))
        for name, line in self.outline.items():
            line.setText(str(outline.get(name, "10 mm")))
        self.lies.setChecked(bool(outline.get("lies")))
        for field, _, columns in (CORNERS, *TABLES):
            owner = outline if field == CORNERS[0] else data
            rows = [
                {name: str(one.get(name, "")) for name in columns} for one in owner.get(field, ())
            ]
            self._fill(field, columns, rows)
        self._filling = False
        self._kind_rows()

    def begin(self) -> None:
        """Put the keyboard where a new part begins: at what it is called."""
        self.fields["title"].setFocus()
        self.fields["title"].selectAll()

    def _fill(self, field: str, columns: Mapping[str, str], rows: list[dict[str, str]]) -> None:
        table = self.tables[field]
        table.setRowCount(len(rows) + 1)  # the last one is for what is added
        for k, row in enumerate([*rows, dict.fromkeys(columns, "")]):
            for column, name in enumerate(columns):
                table.setItem(k, column, QTableWidgetItem(row[name]))
        self._as_high(table)

    def _kind_rows(self) -> None:
        kind = self.kind.currentData()
        for name, line in self.outline.items():
            self._rows.setRowVisible(line, name in _OUTLINES[kind])
        self._rows.setRowVisible(self.lies, kind == "cylinder")
        self._was = kind
        corners, _, columns = CORNERS
        for shown in (self.heads[corners], self.tables[corners]):
            shown.setVisible(kind == "raised")
        if kind == "raised" and not self._typed_rows(corners, columns):
            self._filling = True
            self._fill(corners, columns, _FIRST)
            self._filling = False

    def _kind_chosen(self) -> None:
        if self.kind.currentData() == "file" and self._solid is None:
            self.kind.setCurrentIndex(self.kind.findData(self._was))
            self.file_wanted.emit()
            return
        self._kind_rows()
        self._edited()

    @property
    def _solid(self) -> Mapping[str, Any] | None:
        """The outline that was read from a file, where there is one."""
        outline: Mapping[str, Any] = self._data.get("outline", {})
        return outline if outline.get("kind") == "file" else None

    def _edited(self) -> None:
        if self._filling:
            return
        for field, _, columns in (CORNERS, *TABLES):
            self._grow(field, columns)
        self.edited.emit()

    def _grow(self, field: str, columns: Mapping[str, str]) -> None:
        """What a name was typed for gets the other fields of a new row; an empty row follows."""
        table = self.tables[field]
        last = table.rowCount() - 1
        if last < 0 or not self._cell(table, last, 0):
            return
        self._filling = True
        for column, (_, value) in enumerate(columns.items()):
            if not self._cell(table, last, column):
                table.setItem(last, column, QTableWidgetItem(value))
        table.setRowCount(last + 2)
        self._as_high(table)
        self._filling = False

    @staticmethod
    def _as_high(table: QTableWidget) -> None:
        """As high as its rows: the page is scrolled, and not each table in it."""
        rows = sum(table.rowHeight(k) for k in range(table.rowCount()))
        table.setFixedHeight(table.horizontalHeader().sizeHint().height() + rows + 6)

    @staticmethod
    def _cell(table: QTableWidget, row: int, column: int) -> str:
        item = table.item(row, column)
        return item.text().strip() if item is not None else ""

    def described(self) -> dict[str, Any]:
        """What the form says, as the file would."""
        data: dict[str, Any] = {
            name: line.text().strip() or None for name, line in self.fields.items()
        }
        for name in ("title", "sort", "source", "currency"):
            data[name] = data[name] or ""
        for name, read in (("price", typed_number), ("mass", typed_mass)):
            number = read(data[name] or "")
            data[name] = data[name] if number is None else number
        data["name"] = data["name"] or ""
        kind = self.kind.currentData()
        if kind == "file" and self._solid is not None:
            data["outline"] = dict(self._solid)
        else:
            own = self._data.get("outline", {})
            kept = own if own.get("kind") == kind else {}
            typed = {name: self.outline[name].text() for name in _OUTLINES[kind]}
            data["outline"] = {**kept, "kind": kind, **typed}
        if kind == "cylinder":
            data["outline"]["lies"] = self.lies.isChecked()
        if kind == "raised":
            data["outline"]["corners"] = self._typed_rows(CORNERS[0], CORNERS[2])
        for field, _, columns in TABLES:
            data[field] = self._typed_rows(field, columns)
        data["note"] = self._data.get("note", "")
        return data

    @staticmethod
    def say_place(place: tuple[int | str, ...]) -> str:
        """Where something of a part stands, as it is called here."""
        if not place:
            return "the part"
        field, *within = place
        words = (f"row {at + 1}" if isinstance(at, int) else _SAID.get(at, at) for at in within)
        return ", ".join([_FIELDS.get(str(field), str(field)), *words])

    def _typed_rows(self, field: str, columns: Mapping[str, str]) -> list[dict[str, str]]:
        """The rows of a table in which anything is typed."""
        table = self.tables[field]
        rows = [
            {name: self._cell(table, k, c) for c, name in enumerate(columns)}
            for k in range(table.rowCount())
        ]
        return [row for row in rows if any(row.values())]
