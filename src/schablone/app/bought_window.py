"""Bought parts of the design and of the shelf, described in a few tables beside a picture."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ..core.bought import BoughtError, BoughtPart, resolved, write_bought
from ..core.bought.model import FileOutline
from ..core.bought.store import SUFFIX
from ..core.design.bought_edit import alike, change_bought, put_bought, swap_bought
from ..core.problem import SchabloneError
from ..core.words import say_name, say_validation
from .bought_picture import BoughtPicture
from .reading import read_file
from .saving import ask_path, write_and_say
from .session import Session
from .widgets.basics import button, label, on_hover, restyle, scrolled

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


class BoughtWindow(QWidget):
    """What is wrong with a part is said at once; it goes into the design or onto the shelf only
    when it makes sense."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Bought parts")
        self.resize(1140, 760)
        self.session = session
        self.part: BoughtPart | None = None
        self._filling = False
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(18)
        left = QVBoxLayout()
        left.addWidget(label("Bought parts", "page_title"))
        self.list = QListWidget()
        self.list.setFixedWidth(270)
        self.list.setAccessibleName("bought parts of the design and of the shelf")
        self.list.currentItemChanged.connect(self._choose)
        left.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(button("New", "plain", self.new, "A box with sizes of its own"))
        row.addWidget(button("From a file …", "plain", self._open_dialog, "STEP, or .bought"))
        left.addLayout(row)
        layout.addLayout(left)
        layout.addWidget(self._form(), 1)
        session.changed.connect(self._list_all)
        self._list_all()
        self.list.setCurrentRow(1 if self.list.count() > 1 else 0)

    # The form

    def _form(self) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        top = QHBoxLayout()
        fields = QFormLayout()
        fields.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self.fields: dict[str, QLineEdit] = {}
        for name, words in (
            ("title", "called"), ("sort", "a kind of"), ("name", "in formulas"),
            ("source", "from"), ("price", "price"), ("currency", ""), ("mass", "mass, g"),
        ):  # fmt: skip
            line = QLineEdit()
            line.setAccessibleName(f"{words or name}: typed")
            line.textEdited.connect(self._edited)
            self.fields[name] = line
            if name != "currency":
                fields.addRow(label(words, "quiet"), line)
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
            table.horizontalHeader().setStretchLastSection(True)
            table.verticalHeader().hide()
            table.setAccessibleName(words.lower())
            table.itemChanged.connect(lambda _: self._edited())
            self.tables[field] = table
            column.addWidget(table)
        scroll = scrolled(whole, sideways=True)
        self.said = label("", "small", wrap=True)
        row = QHBoxLayout()
        row.addWidget(self.said, 1)
        self.swap = button("Change for …", "plain", self._swap_menu, "Another of its kind instead")
        self.save = button("Save as a file …", "plain", self._save_dialog, "A .bought file")
        self.keep = button("Keep on the shelf", "plain", self.keep_on_shelf, "For other designs")
        self.take = button("Into the design", "main", self.into_design, "Take it as it is here")
        for one in (self.swap, self.save, self.keep, self.take):
            row.addWidget(one)
        form = QWidget()
        outer = QVBoxLayout(form)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scroll, 1)
        outer.addLayout(row)
        return form

    # The list

    def _list_all(self) -> None:
        now = self.list.currentItem()
        chosen = now.data(Qt.ItemDataRole.UserRole) if now is not None else None
        self.list.blockSignals(True)
        self.list.clear()
        inside = {part.name for part in self.session.design.bought}
        for heading, parts in (
            ("IN THE DESIGN", list(self.session.design.bought)),
            ("ON THE SHELF", self.session.library.bought()),
        ):
            if not parts:
                continue
            head = QListWidgetItem(heading)
            head.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(head)
            for part in parts:
                item = QListWidgetItem(part.said)
                item.setData(Qt.ItemDataRole.UserRole, (heading, part.name))
                if heading == "ON THE SHELF" and part.name in inside:
                    on_hover(item, "Taken into the design already")
                self.list.addItem(item)
                if (heading, part.name) == chosen:
                    self.list.setCurrentItem(item)
        self.list.blockSignals(False)

    def _choose(self, item: QListWidgetItem | None, _: object = None) -> None:
        key = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if not key:
            return
        heading, name = key
        design = self.session.design.bought
        parts = list(design) if heading == "IN THE DESIGN" else self.session.library.bought()
        part = next((one for one in parts if one.name == name), None)
        if part is not None:
            self.show_part(part)

    def show_part(self, part: BoughtPart) -> None:
        """Fill the form with a part."""
        self.part = part
        self._filling = True
        for name, line in self.fields.items():
            value = getattr(part, name)
            line.setText("" if value is None else str(value))
        self.kind.setCurrentIndex(self.kind.findData(part.outline.kind))
        for name, line in self.outline.items():
            line.setText(str(getattr(part.outline, name, "10 mm")))
        for field, _, columns in (CORNERS, *TABLES):
            owner = part.outline if field == CORNERS[0] else part
            rows = [{name: str(getattr(one, name)) for name in columns}
                    for one in getattr(owner, field, ())]  # fmt: skip
            self._fill(field, columns, rows)
        self._filling = False
        self._kind_rows()
        self._check()

    def _fill(self, field: str, columns: Mapping[str, str], rows: list[dict[str, str]]) -> None:
        table = self.tables[field]
        table.setRowCount(len(rows) + 1)  # the last one is for what is added
        for k, row in enumerate([*rows, dict.fromkeys(columns, "")]):
            for column, name in enumerate(columns):
                table.setItem(k, column, QTableWidgetItem(row[name]))
        table.resizeColumnsToContents()
        self._as_high(table)

    def _kind_rows(self) -> None:
        kind = self.kind.currentData()
        for name, line in self.outline.items():
            self._rows.setRowVisible(line, name in _OUTLINES[kind])
        corners, _, columns = CORNERS
        for shown in (self.heads[corners], self.tables[corners]):
            shown.setVisible(kind == "raised")
        if kind == "raised" and not self._typed_rows(corners, columns):
            self._filling = True
            self._fill(corners, columns, _FIRST)
            self._filling = False

    def _kind_chosen(self) -> None:
        if self.kind.currentData() == "file" and not isinstance(
            getattr(self.part, "outline", None), FileOutline
        ):
            self.kind.setCurrentIndex(0)
            self._open_dialog()
            return
        self._kind_rows()
        self._edited()

    # What is typed

    def _edited(self) -> None:
        if self._filling:
            return
        for field, _, columns in (CORNERS, *TABLES):
            self._grow(field, columns)
        self._check()

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
        for name in ("price", "mass"):
            if data[name] is not None:
                data[name] = data[name].replace(",", ".")
        data["name"] = data["name"] or ""
        kind = self.kind.currentData()
        if kind == "file" and self.part is not None and isinstance(self.part.outline, FileOutline):
            data["outline"] = self.part.outline.model_dump()
        else:
            own = self.part.outline if self.part is not None else None
            kept = own.model_dump() if own is not None and own.kind == kind else {}
            typed = {name: self.outline[name].text() for name in _OUTLINES[kind]}
            data["outline"] = {**kept, "kind": kind, **typed}
        if kind == "raised":
            data["outline"]["corners"] = self._typed_rows(CORNERS[0], CORNERS[2])
        for field, _, columns in TABLES:
            data[field] = self._typed_rows(field, columns)
        data["note"] = self.part.note if self.part is not None else ""
        return data

    def _typed_rows(self, field: str, columns: Mapping[str, str]) -> list[dict[str, str]]:
        """The rows of a table in which anything is typed."""
        table = self.tables[field]
        rows = [
            {name: self._cell(table, k, c) for c, name in enumerate(columns)}
            for k in range(table.rowCount())
        ]
        return [row for row in rows if any(row.values())]

    def _check(self) -> BoughtPart | None:
        """The part that the form describes, and its picture; or why it makes no sense."""
        try:
            part = BoughtPart.model_validate(self.described())
            resolved(part)
        except ValidationError as error:
            said = say_validation(error, "file", "")[0].what
        except BoughtError as error:
            said = f"{error.what} {error.hint}".strip()
        else:
            self._say("", wrong=False)
            self.picture.show_part(part)
            self._allow(True)
            return part
        self._say(said, wrong=True)
        self._allow(False)
        return None

    def _allow(self, good: bool) -> None:
        inside = self.part is not None and any(
            one.name == self.fields["name"].text() for one in self.session.design.bought
        )
        self.take.setText("Into the design" if not inside else "Change it in the design")
        for one in (self.take, self.keep, self.save):
            one.setEnabled(good)
        self.swap.setEnabled(good and inside)

    def _say(self, text: str, *, wrong: bool) -> None:
        restyle(self.said, wrong=wrong)
        self.said.setText(text)

    # What is done with it

    def new(self) -> None:
        """A box to begin with."""
        self.show_part(BoughtPart(name="thing", title="A thing"))
        self.list.clearSelection()
        self.fields["title"].setFocus()
        self.fields["title"].selectAll()

    def into_design(self) -> None:
        """Take the part into the design, or change it there."""
        part = self._check()
        if part is None:
            return
        inside = any(one.name == part.name for one in self.session.design.bought)
        self.session.edit(
            lambda design: change_bought(design, part) if inside else put_bought(design, part)[0],
            f"{part.said} {'changed' if inside else 'into the design'}",
        )
        self.part = part
        self._allow(True)

    def keep_on_shelf(self) -> None:
        part = self._check()
        if part is None:
            return
        try:
            self.session.library.keep_bought(part)
            self._say(f"{part.said} is on the shelf now.", wrong=False)
        except SchabloneError as error:
            self._say(str(error), wrong=True)
        self._list_all()

    def _swap_menu(self) -> None:
        part = self._check()
        menu = QMenu(self)
        others = alike(part, tuple(self.session.library.bought())) if part is not None else []
        for other in others:
            menu.addAction(other.said, lambda other=other: self.swap_for(other))
        if not others:
            menu.addAction("There is no other of its kind on the shelf.").setEnabled(False)
        menu.popup(self.swap.mapToGlobal(self.swap.rect().bottomLeft()))

    def swap_for(self, other: BoughtPart) -> None:
        """Change the part for another in all steps and formulas; say what no longer fits."""
        old = self.fields["name"].text()
        swapped, missed = swap_bought(self.session.design, old, other)
        self.session.edit(lambda _: swapped, f"{other.said} instead of {say_name(old)}")
        self.show_part(next(one for one in swapped.bought if one.said == other.said))
        self._say(" ".join(missed) or f"{other.said} is in its place.", wrong=bool(missed))

    def _open_dialog(self) -> None:
        kinds = f"Bought parts and solids (*{SUFFIX} *.step *.stp)"
        path, _ = QFileDialog.getOpenFileName(self, "A bought part from a file", "", kinds)
        if path:
            self.open_file(Path(path))

    def open_file(self, path: Path) -> None:
        """Show the part of a file: a .bought file, or a STEP solid that is described further."""
        try:
            if path.suffix.lower() == SUFFIX:
                self.show_part(read_file(self, "bought", path))
            else:
                self.show_part(_of_solid(path, read_file(self, "solid", path)))
        except SchabloneError as error:
            self._say(str(error), wrong=True)
        except BoughtError as error:
            self._say(f"{error.what} {error.hint}", wrong=True)

    def _save_dialog(self) -> None:
        part = self._check()
        if part is not None and (path := ask_path(self, "bought part", part.name, SUFFIX)):
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write the part to a file of its own."""
        part = self._check()
        if part is not None:
            write_and_say(path, write_bought(part), self._say)


def _of_solid(path: Path, data: str) -> BoughtPart:
    """A part with the solid of a file, as large as that is.

    Raises:
        BoughtError: where it is no sound solid.
    """
    name = "".join(c if c.isalnum() else "_" for c in path.stem).strip("_") or "solid"
    name = name if not name[0].isdigit() else f"part_{name}"
    outline = FileOutline(file=path.name, data=data)
    part = BoughtPart(name=name, title=path.stem, outline=outline)
    known = outline.model_copy(update={"size": resolved(part).box})
    return part.model_copy(update={"outline": known})
