"""The sheet of readings: a row for each feature of a test piece, cells for what the caliper
says."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem

from ...core.formula.typed import typed_length, typed_number
from ...core.problem import SchabloneError
from ...core.process.readings import Reading
from ...core.process.readings_file import INCH
from ...core.quantity import plain
from ...worker.talk import FeatureFound
from ..reading import read_file
from ..theme import theme

TIMES = 3
#: The first column of readings, after what is measured.
_READ = 1


class ReadingSheet(QTableWidget):
    """What to measure, with its size in the file, and three cells. ``itemChanged`` tells of every
    change by hand."""

    def __init__(self) -> None:
        super().__init__(0, _READ + TIMES)
        self.features: list[FeatureFound] = []
        self.setHorizontalHeaderLabels(["what", "1st", "2nd", "3rd"])
        self.verticalHeader().hide()
        self.setAccessibleName("readings")
        self.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        # What is measured is what must be read whole; readings need little.
        for k in range(_READ, _READ + TIMES):
            self.setColumnWidth(k, 64)
        self.setWordWrap(False)
        self.setStyleSheet("QTableWidget::item { padding: 2px 5px; }")
        QShortcut(QKeySequence.StandardKey.Paste, self, self.paste)

    def show_features(self, features: list[FeatureFound]) -> None:
        """Empty cells for so many features."""
        self.features = features
        self.blockSignals(True)
        self.setRowCount(len(features))
        for row, feature in enumerate(features):
            what = QTableWidgetItem(feature["label"])
            what.setFlags(Qt.ItemFlag.ItemIsEnabled)
            what.setForeground(QColor(theme().ink))
            self.setItem(row, 0, what)
            for k in range(TIMES):
                item = QTableWidgetItem("")
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(row, _READ + k, item)
        self.blockSignals(False)

    def fill(self, rows: list[list[str]]) -> None:
        """Put readings into the cells, from the first row on."""
        self.blockSignals(True)
        for row, texts in enumerate(rows[: self.rowCount()]):
            for k, text in enumerate(texts[:TIMES]):
                self.item(row, _READ + k).setText(text.strip())
        self.blockSignals(False)
        self._told()

    def texts(self) -> dict[str, list[str]]:
        """What stands in the cells, by what is measured; rows in which nothing stands are left
        out."""
        rows = {
            feature["label"]: [self.item(row, _READ + k).text() for k in range(TIMES)]
            for row, feature in enumerate(self.features)
        }
        return {label: texts for label, texts in rows.items() if any(map(str.strip, texts))}

    def put_back(self, rows: Mapping[str, list[str]]) -> None:
        """Fill the cells with what :meth:`texts` gave; of what is not measured here nothing."""
        self.fill([rows.get(feature["label"], []) for feature in self.features])

    def empty(self) -> None:
        self.fill([[""] * TIMES] * self.rowCount())

    def paste(self) -> None:
        """Readings from a spreadsheet, from the chosen cell on."""
        row, column = max(0, self.currentRow()), max(_READ, self.currentColumn())
        self.blockSignals(True)
        for i, line in enumerate(QGuiApplication.clipboard().text().splitlines()):
            for k, text in enumerate(line.split("\t")):
                item = self.item(row + i, column + k)
                if item is not None:
                    item.setText(text.strip())
        self.blockSignals(False)
        self._told()

    def _told(self) -> None:
        if self.rowCount():
            self.itemChanged.emit(self.item(0, 0))

    def read_csv(self, path: Path) -> str:
        """One row for each feature in the order of the sheet: readings apart by comma, semicolon or
        tab. A header row names the unit. Words where nothing was taken over, else nothing."""
        try:
            numbers = read_file(self, "readings", path, self.rowCount())
        except SchabloneError as error:
            return " ".join(problem.text for problem in error.problems)
        self.fill([[*row, *[""] * TIMES] for row in numbers])
        return ""

    def take_as_inches(self) -> None:
        """What stands in the cells without a unit was read in inches."""
        self.fill([[self._in_mm(row, k) for k in range(TIMES)] for row in range(self.rowCount())])

    def _in_mm(self, row: int, k: int) -> str:
        text = self.item(row, _READ + k).text()
        value = typed_number(text)  # what has its unit says itself what it is
        return text if value is None else plain(value * INCH, 4)

    def readings(self) -> tuple[list[Reading], list[tuple[int, int]]]:
        """The readings, and the cells they come from."""
        readings, cells = [], []
        for row, feature in enumerate(self.features):
            for k in range(TIMES):
                value = typed_length(self.item(row, _READ + k).text())
                if value is not None:
                    readings.append(
                        Reading(
                            feature["kind"],
                            feature["size"],
                            value,
                            feature["label"],
                            feature["axis"],
                        )
                    )
                    cells.append((row, _READ + k))
        return readings, cells

    def unread(self) -> list[str]:
        """What stands in cells and is no number."""
        return [
            item.text()
            for row in range(self.rowCount())
            for k in range(TIMES)
            if (item := self.item(row, _READ + k)) is not None
            and item.text().strip()
            and typed_length(item.text()) is None
        ]

    def mark(self, cells: Iterable[tuple[int, int]], odd: frozenset[int]) -> None:
        """Let the readings that lie far off stand out, by their numbers."""
        self.blockSignals(True)
        for count, (row, column) in enumerate(cells):
            self.item(row, column).setForeground(
                QColor(theme().madder if count in odd else theme().ink)
            )
        self.blockSignals(False)
