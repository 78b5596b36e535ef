"""A process, figure by figure: value, unit, where it comes from, and how sure it is; lists of
kerfs, bends and stock."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.formula.typed import typed_length, typed_number
from ...core.problem import SchabloneError
from ...core.process import Process
from ...core.process.known import Known
from ...core.process.model import FIGURES, NAMES, RELIEFS, STANDS_FOR
from ...core.process.taking_over import retyped
from ...core.quantity import plain
from ...core.words import say_validation
from ..reading import read_file
from ..saving import ask_before_leaving, is_sure
from ..session import Session
from ..theme import theme
from ..widgets.basics import button, clear, label, on_hover

#: A chart of bends is no larger than this, bytes.
_SOURCES = ("typed", "calibrated", "data sheet")
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
#: Figures that are chosen, with what can be chosen in words.
_CHOICES: dict[str, tuple[str, dict[str, str]]] = {
    "relief": ("relief of corners", RELIEFS),
    "relief_openings": ("of openings", {"": "as notches", **RELIEFS}),
    "relief_pockets": ("of pockets", {"": "as notches", **RELIEFS}),
}
_TITLES = {
    "kerfs": "KERF, mm",
    "bends": "BENDS, mm and °; radius inside",
    "stock": "STOCK, mm; grain along x or y; film yes or no; ± of the thickness",
}


class _Unread(ValueError):
    """What is typed cannot be read, in words."""


class ProcessEditor(QWidget):
    """Changes are taken over with one button, into a process of the user's own. ``left`` goes
    back."""

    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.session = session
        self.process: Process = session.process
        outer = QVBoxLayout(self)
        outer.setContentsMargins(28, 20, 28, 18)
        outer.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(button("‹ Processes", "link", self.left.emit, "Back to the processes"))
        self.title = label("", "page_title")
        head.addWidget(self.title)
        head.addStretch(1)
        self.restore = button("As it ships", "link", self.forget, "Take your own figures away")
        head.addWidget(self.restore)
        outer.addLayout(head)
        row = QHBoxLayout()
        row.addWidget(label("Name", "quiet"))
        self.name = QLineEdit()
        self.name.setAccessibleName("name of the process")
        self.name.setFixedWidth(260)
        row.addWidget(self.name)
        row.addWidget(label("of", "quiet"))
        self.material = QLineEdit()
        self.material.setAccessibleName("material of the process")
        self.material.setFixedWidth(170)
        row.addWidget(self.material)
        self.density = QLineEdit()
        self.density.setAccessibleName("density, g/cm³")
        self.density.setFixedWidth(64)
        row.addWidget(self.density)
        row.addWidget(label("g/cm³", "quiet"))
        row.addSpacing(10)
        self.kind = label("", "quiet")
        row.addWidget(self.kind)
        row.addStretch(1)
        outer.addLayout(row)
        self.figures = QTableWidget(0, 5)
        self.figures.setHorizontalHeaderLabels(["figure", "value", "unit", "from", "±, 1 σ"])
        self.figures.verticalHeader().hide()
        self.figures.setAccessibleName("figures of the process")
        header = self.figures.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column, width in ((1, 130), (2, 58), (3, 116), (4, 52)):
            self.figures.setColumnWidth(column, width)
        self.figures.verticalHeader().setDefaultSectionSize(36)
        columns = QHBoxLayout()
        columns.setSpacing(22)
        columns.addWidget(self.figures, 12)
        self._beside = QVBoxLayout()
        self.side = QWidget()
        self.side.setLayout(self._beside)
        self._beside.setContentsMargins(0, 0, 0, 0)
        columns.addWidget(self.side, 13)
        outer.addLayout(columns, 1)
        foot = QHBoxLayout()
        self.wrong = label("", "wrong", wrap=True)
        foot.addWidget(self.wrong, 1)
        foot.addWidget(
            button("Take over", "main", self.take_over, "Keep these figures as your own")
        )
        outer.addLayout(foot)
        self.lists: dict[str, QTableWidget] = {}
        self._rows: list[str] = []
        #: What stood here when it began; empty where nothing was.
        self._begun: list[str] = []

    def may_begin(self, process: Process) -> bool:
        """Show a process; False where somebody stays with what was typed of another one. Of the
        same one that is there still."""
        if self._begun and process == self.process and self._texts() != self._begun:
            return True
        if not self.may_leave():
            return False
        self.begin(process)
        return True

    def may_leave(self) -> bool:
        """Whether what was typed may be left: it is taken over, or thrown away, or nothing was."""
        if not self._begun or self._texts() == self._begun:
            return True
        text = f"What was typed of “{self.process.name}” is not taken over."
        answer = ask_before_leaving(self, text, save="Take it over")
        if answer == "leave":
            self._begun = []
        return answer == "leave" or (answer == "save" and self.take_over())

    def _texts(self) -> list[str]:
        """All that can be typed or chosen here, as it stands."""
        texts = [line.text() for line in (self.name, self.material, self.density)]
        for table in (self.figures, *self.lists.values()):
            for row in range(table.rowCount()):
                for column in range(table.columnCount()):
                    box, item = table.cellWidget(row, column), table.item(row, column)
                    chosen = box.currentText() if isinstance(box, QComboBox) else ""
                    texts.append(chosen or (item.text().strip() if item is not None else ""))
        return texts

    def begin(self, process: Process) -> None:
        """Show a process."""
        self._fill(process)
        self._begun = self._texts()

    def _fill(self, process: Process) -> None:
        self.process = process
        self.title.setText(process.name)
        self.name.setText(process.name)
        self.kind.setText(process.kind)
        self.material.setText(process.material.name)
        self.density.setText(plain(process.material.density, 4))
        self.wrong.setText("")
        self._rows = [
            n for n in FIGURES[process.kind] if n in NAMES or n in _CHOICES or n == "bed"
        ] + [f"fits.{fit}" for fit in ("press", "push", "sliding", "loose", "reference")]
        self.figures.setRowCount(len(self._rows))
        for number, name in enumerate(self._rows):
            self.figures.removeCellWidget(number, 1)
            self.figures.removeCellWidget(number, 3)
            if name in _CHOICES or name == "bed":
                self._show_other(number, name)
                continue
            words, unit = NAMES.get(
                name,
                (
                    f"gap of a {name[5:]} fit" if name != "fits.reference" else "gaps hold at size",
                    "mm",
                ),
            )
            value: Any = (
                getattr(process.fits, name[5:])
                if name.startswith("fits.")
                else getattr(process, name)
            )
            known = process.known.get(name, Known())
            texts = (
                words,
                "" if value is None else plain(value, 5),
                unit,
                "",
                plain(known.uncertainty, 6) if known.uncertainty else "",
            )
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column in (0, 2):
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                    item.setForeground(QColor(theme().ink if column == 0 else theme().quiet))
                on_hover(item, text)
                self.figures.setItem(number, column, item)
            source = QComboBox()
            source.addItems(_SOURCES)
            source.setCurrentText(known.source)
            source.setAccessibleName(f"where {words} comes from")
            on_hover(source, f"{known.date}, {known.readings} readings" if known.readings else "")
            self.figures.setCellWidget(number, 3, source)
        clear(self._beside)
        self.lists = {}
        for name in ("kerfs", "bends", "stock"):
            if name in FIGURES[process.kind]:
                self._add_list(name, [item.model_dump() for item in getattr(process, name)])
        self.side.setVisible(bool(self.lists))
        self.restore.setVisible(self.session.library.is_own(process.name))

    def _show_other(self, number: int, name: str) -> None:
        """A figure that is no number: something chosen, or the lengths of the bed."""
        words, choices = _CHOICES.get(name, ("bed, x × y × z", {}))
        bed = " × ".join(plain(length, 2) for length in self.process.bed)
        for column, text in enumerate(
            (words, "" if choices else bed, "" if choices else "mm", "", "")
        ):
            item = QTableWidgetItem(text)
            if column != 1 or choices:
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                item.setForeground(QColor(theme().ink if column == 0 else theme().quiet))
            self.figures.setItem(number, column, item)
        if choices:
            box = QComboBox()
            for value, said in choices.items():
                box.addItem(said, value)
            box.setCurrentIndex(box.findData(getattr(self.process, name)))
            box.setAccessibleName(words)
            self.figures.setCellWidget(number, 1, box)

    def _add_list(self, name: str, items: list[dict[str, object]]) -> None:
        columns = _LISTS[name]
        table = QTableWidget(0, len(columns))
        table.setHorizontalHeaderLabels([words for words, _ in columns])
        table.verticalHeader().hide()
        table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        table.horizontalHeader().setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        if name == "stock":
            for column, width in ((2, 66), (3, 76), (4, 100), (5, 48), (6, 42), (7, 48), (8, 42)):
                table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
                table.setColumnWidth(column, width)
        table.setAccessibleName(name)
        for item in items:
            self._put(table, [item[field] for _, field in columns])
        head = QHBoxLayout()
        head.addWidget(label(_TITLES[name], "group"))
        head.addStretch(1)
        head.addWidget(
            button(
                "+ row",
                "link",
                lambda: self._put(table, [""] * len(columns)),
                f"One more row of {name}",
            )
        )
        head.addWidget(
            button(
                "− row",
                "link",
                lambda: table.removeRow(table.currentRow()),
                "Take the chosen row away",
            )
        )
        if name == "bends":
            tip = "Take the rows from a chart as text: thickness, radius, angle, deduction"
            head.addWidget(button("From CSV …", "link", self._chart_dialog, tip))
        self._beside.addLayout(head)
        self._beside.addWidget(table)
        self.lists[name] = table

    def _chart_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "A chart of bends", "", "Text (*.csv *.txt *.tsv)"
        )
        if path:
            self.take_chart(Path(path))

    def take_chart(self, path: Path) -> bool:
        """Put the bends of a chart in the place of those that are there; False, with words, where
        it cannot be read."""
        try:
            bends = read_file(self, "chart", path)
        except SchabloneError as error:
            return self._say(str(error))
        table = self.lists["bends"]
        table.setRowCount(0)
        for bend in bends:
            self._put(table, [getattr(bend, field) for _, field in _LISTS["bends"]])
        self.wrong.setText("")
        self.session.said.emit(f"{len(bends)} bends from {path.name}. Take over keeps them.")
        return True

    @staticmethod
    def _put(table: QTableWidget, values: list[Any]) -> None:
        at = table.rowCount()
        table.insertRow(at)
        for column, value in enumerate(values):
            table.setItem(at, column, QTableWidgetItem(_said(value)))

    def take_over(self) -> bool:
        """Keep the figures as the user's own process; False, with words, where one cannot be."""
        try:
            made = self._typed()
            self.session.library.keep_process(made)
        except ValidationError as error:
            name = self.name.text().strip()
            return self._say(" ".join(p.what for p in say_validation(error, "process", name)))
        except (_Unread, SchabloneError) as error:
            return self._say(str(error))
        self.session.process_changed()
        self.begin(made)
        self.wrong.setText("")
        self.session.said.emit(f"{made.name} is kept as your own.")
        return True

    def _typed(self) -> Process:
        """The process as it is typed.

        Raises:
            _Unread: says what cannot be read.
            ValidationError: for what no machine does.
        """
        name = self.name.text().strip()
        if name != self.process.name and self.session.library.process(name) is not None:
            raise _Unread(f"There is a machine called “{name}” already. Choose another name.")
        density = typed_number(self.density.text())
        if density is None:
            raise _Unread(f"density: “{self.density.text()}” is no number in g/cm³.")
        material = {"name": self.material.text().strip(), "density": density}
        lists = {field: self._rows_of(field) for field in self.lists}
        changes = {"name": name, "material": material, **self._figures(), **lists}
        return retyped(self.process, self.process.with_(**changes))

    def _figures(self) -> dict[str, object]:
        """The figures as they are typed, with where each comes from."""
        changes: dict[str, object] = {}
        fits: dict[str, object] = self.process.fits.model_dump()
        known = dict(self.process.known)
        for number, name in enumerate(self._rows):
            words = self.figures.item(number, 0).text()
            text, spread = (self.figures.item(number, column).text().strip() for column in (1, 4))
            if name in _CHOICES:
                box = self.figures.cellWidget(number, 1)
                assert isinstance(box, QComboBox)
                changes[name] = str(box.currentData())
                continue
            if name == "bed":
                lengths = [typed_length(part) for part in text.replace("×", "x").split("x")]
                if len(lengths) != 3 or None in lengths:
                    raise _Unread(
                        f"{words}: “{text}” is not three lengths, such as 250 × 210 × 220."
                    )
                changes[name] = lengths
                continue
            if not text and name in STANDS_FOR:
                changes[name] = None
                continue
            value, sure = typed_number(text), typed_number(spread) if spread else 0.0
            if value is None or sure is None:
                raise _Unread(f"{words}: “{text if value is None else spread}” is no number.")
            if name.startswith("fits."):
                fits[name[5:]] = value
            else:
                changes[name] = value
            source = self.figures.cellWidget(number, 3)
            assert isinstance(source, QComboBox)
            was = known.get(name, Known())
            mark = Known.model_validate(
                {**was.model_dump(), "source": source.currentText(), "uncertainty": sure}
            )
            if mark != Known():
                known[name] = mark
            else:
                known.pop(name, None)
        return {**changes, "fits": fits, "known": known}

    def _rows_of(self, name: str) -> list[dict[str, object]]:
        """The rows of a list as they are typed; empty ones are left out."""
        table, rows = self.lists[name], []
        for at in range(table.rowCount()):
            cells = {
                field: table.item(at, k).text().strip() for k, (_, field) in enumerate(_LISTS[name])
            }
            if any(cells.values()):
                rows.append({field: _meant(field, text) for field, text in cells.items() if text})
        return rows

    def forget(self) -> None:
        """Back to the process as it ships, after a question."""
        states = len(self.process.history)
        before = (
            f", with {states} earlier state{'s' if states != 1 else ''} of them," if states else ""
        )
        text = f"Your own figures of “{self.process.name}”{before} are gone for good then."
        if not is_sure(self, text, "Take them away", "As it ships"):
            return
        try:
            self.session.library.forget_process(self.process.name)
        except SchabloneError as error:
            self._say(str(error))
            return
        self.session.process_changed()
        again = self.session.library.process(self.process.name)
        if again is None:
            self.left.emit()
        else:
            self.begin(again)

    def _say(self, text: str) -> bool:
        self.wrong.setText(text)
        return False


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
        return {"yes": True, "no": False, "": False}.get(text.lower(), text)
    if field == "size":
        return [part.replace(",", ".").strip() for part in text.replace("×", "x").split("x")]
    return text if field in ("name", "material") else text.replace(",", ".")
