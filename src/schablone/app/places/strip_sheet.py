"""The sheet of test strips: a row for each, cells for what was measured on it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem

from ...core.formula.typed import typed_number
from ...core.process.bend_calibrate import StripReading
from ..widgets.basics import on_hover

#: Columns: head, and what it says to the pointer.
_COLUMNS = (
    ("blank", "Length of the strip before it was bent, mm"),
    ("thick", "Thickness of the strip, mm"),
    ("told", "The angle that the machine was told, degrees"),
    ("leg 1", "One leg, from its tip to the outer face of the other, mm"),
    ("leg 2", "The other leg, mm"),
    ("angle", "The angle that came, degrees"),
    ("radius", "The inside radius that the tool leaves, by a gauge, mm"),
    ("off", "How far both legs together are from what the figures say, mm"),
    ("of", "The material of the strip"),
)
#: So many of them are typed; what the others tell is worked out, or known of the strip.
_TYPED = 7
_OFF, _OF = 7, 8
#: Those of them that say that a strip was measured.
_MEASURED = range(3, 6)


class StripSheet(QTableWidget):
    """``itemChanged`` tells of every change by hand."""

    def __init__(self) -> None:
        super().__init__(0, len(_COLUMNS))
        self.setAccessibleName("measured strips")
        self.setHorizontalHeaderLabels([words for words, _ in _COLUMNS])
        for number, (_, tip) in enumerate(_COLUMNS):
            title = self.horizontalHeaderItem(number)
            assert title is not None
            on_hover(title, tip)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(34)
        modes = QHeaderView.ResizeMode
        self.horizontalHeader().setSectionResizeMode(modes.Stretch)
        for column in (_OFF, _OF):
            self.horizontalHeader().setSectionResizeMode(column, modes.ResizeToContents)

    def put(self, cells: Iterable[str], material: str) -> None:
        """One more strip, of a material: another sheet may be chosen by the time it is
        measured."""
        self.blockSignals(True)
        at = self.rowCount()
        self.insertRow(at)
        texts = (*cells, *[""] * _TYPED)[:_TYPED]
        for column, text in enumerate((*texts, "", material)):
            item = QTableWidgetItem(text)
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if column >= _TYPED:
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.setItem(at, column, item)
        self.blockSignals(False)
        of = {self._material(row) for row in range(self.rowCount())}
        self.setColumnHidden(_OF, len(of) < 2)

    def texts(self) -> dict[str, list[str]]:
        """What stands in the rows, each with its material last, by their numbers; nothing where
        nothing was measured."""
        rows = range(self.rowCount())
        if not any(self._is_measured(row) for row in rows):
            return {}
        return {str(row): [*self._cells(row), self._material(row)] for row in rows}

    def put_back(self, rows: Mapping[str, Sequence[str]], material: str) -> None:
        """Have the rows that :meth:`texts` gave; of ``material``, where it does not say of
        which."""
        self.setRowCount(0)
        for texts in rows.values():
            self.put(texts[:_TYPED], texts[_TYPED] if len(texts) > _TYPED else material)

    def drop_empty(self) -> None:
        """Take the rows away in which nothing is measured yet."""
        for row in reversed(range(self.rowCount())):
            if not self._is_measured(row):
                self.removeRow(row)

    def readings(self) -> list[StripReading]:
        """The strips that are filled in.

        Raises:
            ValueError: where a cell is no number, or a strip cannot be true.
        """
        rows = range(self.rowCount())
        return [strip for row in rows if (strip := self._strip(row)) is not None]

    def half(self) -> list[int]:
        """The numbers, from 1, of strips of which some cells are filled in and some are not."""
        rows = range(self.rowCount())
        return [row + 1 for row in rows if self._is_measured(row) and not all(self._cells(row))]

    def show_off(self, off: Mapping[StripReading, float]) -> None:
        """Tell how far strips are from what the figures say, mm."""
        self.blockSignals(True)
        for row in range(self.rowCount()):
            strip = self._strip(row) if off else None
            by = off.get(strip) if strip is not None else None
            self.item(row, _OFF).setText("" if by is None else f"{by:+z.2f}")
        self.blockSignals(False)

    def _cells(self, row: int) -> list[str]:
        return [self.item(row, column).text().strip() for column in range(_TYPED)]

    def _material(self, row: int) -> str:
        return self.item(row, _OF).text()

    def _is_measured(self, row: int) -> bool:
        cells = self._cells(row)
        return any(cells[column] for column in _MEASURED)

    def _strip(self, row: int) -> StripReading | None:
        """A row; None where it is not filled in.

        Raises:
            ValueError: where it cannot be true.
        """
        cells = self._cells(row)
        if not all(cells):
            return None
        numbers = []
        for (words, _), cell in zip(_COLUMNS, cells, strict=False):
            number = typed_number(cell)
            if number is None:
                raise ValueError(f"strip {row + 1}: “{cell}” is no number for {words}")
            numbers.append(number)
        blank, thickness, told, first, second, angle, radius = numbers
        strip = StripReading(
            blank, thickness, told, first, second, angle, radius, self._material(row)
        )
        if wrong := strip.slipped():
            raise ValueError(f"strip {row + 1}: {wrong}")
        return strip
