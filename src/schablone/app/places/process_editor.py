"""A process, figure by figure: value, unit, where it comes from, and how sure it is; beside them
its lists."""

from __future__ import annotations

from pathlib import Path

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
from ..widgets.cells import can_be_wrong, go_to, mark, unmark
from .process_lists import ProcessList

_SOURCES = ("typed", "calibrated", "data sheet")
#: Figures that are chosen, with what can be chosen in words.
_CHOICES: dict[str, tuple[str, dict[str, str]]] = {
    "relief": ("relief of corners", RELIEFS),
    "relief_openings": ("of openings", {"": "as notches", **RELIEFS}),
    "relief_pockets": ("of pockets", {"": "as notches", **RELIEFS}),
}


class _Unread(ValueError):
    """What is typed cannot be read, in words; ``item`` is the cell where it stands, if it does in
    one."""

    def __init__(self, text: str, item: QTableWidgetItem | None = None) -> None:
        super().__init__(text)
        self.item = item


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
        self.figures.setMinimumWidth(576)
        self.figures.setMaximumWidth(760)  # a value stands beside what it is of
        can_be_wrong(self.figures)
        header = self.figures.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column, width in ((1, 144), (2, 64), (3, 124), (4, 50)):
            self.figures.setColumnWidth(column, width)
        self.figures.verticalHeader().setDefaultSectionSize(36)
        columns = QHBoxLayout()
        columns.setSpacing(22)
        columns.addWidget(self.figures, 12)
        self.side, self._beside = _room()
        columns.addWidget(self.side, 12)
        columns.addStretch(0)
        outer.addLayout(columns, 3)
        #: The stock has so many columns that it takes the whole width.
        self.below, self._below = _room()
        outer.addWidget(self.below, 2)
        foot = QHBoxLayout()
        self.wrong = label("", "wrong", wrap=True)
        foot.addWidget(self.wrong, 1)
        foot.addWidget(
            button("Take over", "main", self.take_over, "Keep these figures as your own")
        )
        outer.addLayout(foot)
        self.lists: dict[str, ProcessList] = {}
        self._rows: list[str] = []
        #: What stood here when it began; empty where nothing was.
        self._begun: list[str] = []
        session.changed.connect(self._follow)

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

    def _tables(self) -> list[QTableWidget]:
        return [self.figures, *(one.table for one in self.lists.values())]

    def _texts(self) -> list[str]:
        """All that can be typed or chosen here, as it stands."""
        texts = [line.text() for line in (self.name, self.material, self.density)]
        for table in self._tables():
            for row in range(table.rowCount()):
                for column in range(table.columnCount()):
                    box, item = table.cellWidget(row, column), table.item(row, column)
                    chosen = box.currentText() if isinstance(box, QComboBox) else ""
                    texts.append(chosen or (item.text().strip() if item is not None else ""))
        return texts

    def _follow(self) -> None:
        """The process in hand may have been changed in another window."""
        now = self.session.library.process(self.process.name)
        if not self._begun or now is None or now == self.process:
            return
        if self._texts() == self._begun:
            self.begin(now)
        else:
            self._say(
                f"“{now.name}” was changed in another window by now. What is typed here is put "
                "into that when it is taken over."
            )

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
            value = self._figure_of(name)
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
        clear(self._below)
        self.lists = {}
        for name in ("kerfs", "bends", "stock"):
            if name in FIGURES[process.kind]:
                self.lists[name] = ProcessList(name, getattr(process, name))
                (self._below if name == "stock" else self._beside).addWidget(self.lists[name])
        if "bends" in self.lists:
            tip = "Take the rows from a chart as text: thickness, radius, angle, deduction"
            chart = button("From CSV …", "link", self._chart_dialog, tip)
            self.lists["bends"].head.addWidget(chart)
        self.side.setVisible(bool(self.lists.keys() - {"stock"}))
        self.below.setVisible("stock" in self.lists)
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
        self.lists["bends"].fill(bends)
        self.wrong.setText("")
        self.session.said.emit(f"{len(bends)} bends from {path.name}. Take over keeps them.")
        return True

    def take_over(self) -> bool:
        """Keep the figures as the user's own process; False, with words, where one cannot be."""
        for table in self._tables():
            unmark(table)
        try:
            made = self.session.library.keep_process(self._typed(), self.process)
        except ValidationError as error:
            return self._say_wrong(error)
        except _Unread as error:
            if error.item is not None:
                mark(error.item)
                go_to(error.item)
            return self._say(str(error))
        except SchabloneError as error:
            return self._say(str(error))
        self.begin(made)
        self.session.process_changed()
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
        lists = {field: one.rows() for field, one in self.lists.items()}
        changes = {"name": name, "material": material, **self._figures(), **lists}
        return retyped(self.process, self.process.with_(**changes))

    def _figures(self) -> dict[str, object]:
        """The figures as they are typed, with where each comes from."""
        changes: dict[str, object] = {}
        fits: dict[str, object] = self.process.fits.model_dump()
        known: dict[str, object] = dict(self.process.known)
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
                        f"{words}: “{text}” is not three lengths, such as 250 × 210 × 220.",
                        self.figures.item(number, 1),
                    )
                changes[name] = lengths
                continue
            if not text and name in STANDS_FOR:
                changes[name] = None
                continue
            unit = self.figures.item(number, 2).text()
            value, sure = self._typed_or_was(name, text, unit), _in_unit(spread, unit)
            sure = sure if spread else 0.0
            if value is None or sure is None:
                column, shown = (1, text) if value is None else (4, spread)
                kind = "length" if unit == "mm" else "number"
                raise _Unread(
                    f"{words}: “{shown}” is no {kind}.", self.figures.item(number, column)
                )
            if name.startswith("fits."):
                fits[name[5:]] = value
            else:
                changes[name] = value
            source = self.figures.cellWidget(number, 3)
            assert isinstance(source, QComboBox)
            was = self.process.known.get(name, Known()).model_dump()
            sureness = {**was, "source": source.currentText(), "uncertainty": sure}
            if sureness != Known().model_dump():
                known[name] = sureness
            else:
                known.pop(name, None)
        return {**changes, "fits": fits, "known": known}

    def _typed_or_was(self, name: str, text: str, unit: str) -> float | None:
        """A figure as it was typed; as exact as it is where nobody has typed another."""
        was = self._figure_of(name)
        return was if was is not None and text == plain(was, 5) else _in_unit(text, unit)

    def _figure_of(self, name: str) -> float | None:
        fits = name.startswith("fits.")
        value: float | None = getattr(self.process.fits if fits else self.process, name[5 * fits :])
        return value

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

    def _say_wrong(self, error: ValidationError) -> bool:
        """Say what is no figure of a machine, and show the first of it."""
        found = say_validation(error, "process", self.name.text().strip(), self._say_place)
        items = [self._item_at(one["loc"]) for one in error.errors(include_url=False)]
        for item in reversed([item for item in items if item is not None]):
            mark(item)
            go_to(item)
        return self._say(" ".join(problem.what for problem in found))

    def _say_place(self, place: tuple[int | str, ...]) -> str:
        """Where a figure stands, as it is called here."""
        match place:
            case ():
                return self.name.text().strip() or self.process.name
            case (str(name), int(number), *field) if name in self.lists:
                return self.lists[name].say_place(number, str(field[0]) if field else "")
            case ("material", field):
                return "density" if field == "density" else "material"
            case _ if (item := self._item_at(place)) is not None:
                words = self.figures.item(item.row(), 0).text()
                return words if item.column() == 1 else f"{words}, ±"
            case _:
                return " ".join(str(part) for part in place)

    def _item_at(self, place: tuple[int | str, ...]) -> QTableWidgetItem | None:
        """The cell of a figure by its place in the process; None where it stands in none."""
        match place:
            case (str(name), int(number), *field) if name in self.lists:
                return self.lists[name].item_at(number, str(field[0]) if field else "")
            case ("fits", str(fit), *_):
                name, column = f"fits.{fit}", 1
            case ("known", str(name), *_):
                column = 4
            case (str(name), *_):
                column = 1
            case _:
                return None
        return self.figures.item(self._rows.index(name), column) if name in self._rows else None

    def _say(self, text: str) -> bool:
        self.wrong.setText(text)
        return False


def _room() -> tuple[QWidget, QVBoxLayout]:
    """Room for lists."""
    widget = QWidget()
    layout = QVBoxLayout(widget)
    layout.setContentsMargins(0, 0, 0, 0)
    return widget, layout


def _in_unit(text: str, unit: str) -> float | None:
    """A figure as it was typed, with its unit or without, a length in any; None where it is no
    such."""
    if unit == "mm":
        return typed_length(text)
    return typed_number(text.removesuffix(unit))
