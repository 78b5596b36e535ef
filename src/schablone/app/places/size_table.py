"""The sheet in which the size table is edited."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QColor, QGuiApplication, QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Variant
from ...core.design import edit as edits
from ...core.design.compare import differing_sizes
from ...core.design.exchange import read_table, write_table
from ...core.design.model import SizeTable
from ...core.design.variants import VariantsLookedAt
from ...core.formula import FormulaError, parse
from ...core.problem import SchabloneError
from ...core.whole_files import write_whole
from ..reading import read_file
from ..saving import ask_file
from ..session import Session
from ..theme import theme
from ..widgets.basics import button, label, on_hover
from ..widgets.cells import can_be_wrong, mark
from .variants_compared import ComparisonTable


class SizeTableSheet(QWidget):
    """The size table as a sheet: a row for each variant, a column for each size, every cell a
    formula."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setWindowFlag(Qt.WindowType.Window)
        self.setWindowTitle("Size table")
        self.resize(860, 560)
        self._filling = False
        #: What was typed and is not right yet, with why, by variant and column.
        self._unfinished: dict[tuple[str, str], tuple[str, str]] = {}
        #: What comes of the variants, looked at a few at a time while nobody waits.
        self._looked_at = VariantsLookedAt()
        self._looking = QTimer(self)
        self._looking.setInterval(0)
        self._looking.timeout.connect(self._look_on)
        self._compared: tuple[str, str] = ("", "")
        self._is_told = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(22, 16, 22, 16)
        layout.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(label("Size table", "page_title"))
        head.addStretch(1)
        self.column = QComboBox()
        self.column.setAccessibleName("size to add as a column")
        self.column.activated.connect(self._add_column)
        head.addWidget(self.column)
        head.addWidget(button("+ Variant", "link", self.add_row, "Add a variant"))
        layout.addLayout(head)
        layout.addWidget(
            label(
                "Each row is a variant, each column a size; the one in force is bold. Cells "
                "are formulas. Tables can be pasted from a spreadsheet.",
                "quiet",
                wrap=True,
            )
        )
        self.table = QTableWidget()
        self.table.setAccessibleName("size table")
        can_be_wrong(self.table)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.horizontalHeader().setDefaultSectionSize(150)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.itemChanged.connect(self._changed)
        layout.addWidget(self.table, 1)
        self.wrong = label("", "wrong", wrap=True)
        self.wrong.hide()
        layout.addWidget(self.wrong)
        foot = QHBoxLayout()
        for words, does in (
            ("Read CSV …", self._read_dialog),
            ("Write CSV …", self._write_dialog),
            ("Copy all", self.copy),
            ("Paste", self.paste),
            ("Compare two", self.compare_chosen),
            ("Remove the chosen variants", self.remove_rows),
        ):
            foot.addWidget(button(words, "", does))
        foot.addStretch(1)
        layout.addLayout(foot)
        self.comparison = ComparisonTable()
        self.comparison.hide()
        layout.addWidget(self.comparison, 1)
        QShortcut(
            QKeySequence.StandardKey.Paste,
            self.table,
            self.paste,
            context=Qt.ShortcutContext.WidgetShortcut,
        )
        QShortcut(
            QKeySequence.StandardKey.Copy,
            self.table,
            self.copy,
            context=Qt.ShortcutContext.WidgetShortcut,
        )
        session.taken.connect(self._begin_anew)
        session.changed.connect(self.refresh)
        session.read_off.connect(self.refresh)
        self.refresh()

    def _begin_anew(self) -> None:
        """What was typed of the design before is not for another one."""
        self._unfinished = {}
        self._say("")

    def refresh(self) -> None:
        """Show the table of the design in hand."""
        design = self.session.design
        table = design.table
        self._filling = True
        self.table.setColumnCount(len(table.columns) + 1)
        self.table.setHorizontalHeaderLabels(["variant", *table.columns])
        for column in range(self.table.columnCount()):
            self.table.horizontalHeaderItem(column).setTextAlignment(
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            )
        self.table.setRowCount(len(table.rows))
        known = {(row.name, name) for row in table.rows for name in table.columns}
        self._unfinished = {at: told for at, told in self._unfinished.items() if at in known}
        for number, row in enumerate(table.rows):
            self._show_cell(number, 0, row.name, row.name == table.current)
            for column, name in enumerate(table.columns, 1):
                typed = self._unfinished.get((row.name, name))
                text = row.cells.get(name, "") if typed is None else typed[0]
                self._show_cell(number, column, text, row.name == table.current, typed is None)
        self.column.clear()
        self.column.addItem("+ column for …")
        self.column.addItems([size.name for size in design.sizes if size.name not in table.columns])
        self._filling = False
        self._show_comparison()
        self._looked_at.begin(design, self.session.process, self.session.measured)
        self._looking.start()

    def _look_on(self) -> None:
        """Look at what some more variants come to, and show what is wrong in them."""
        if not self.isVisible() or not self._looked_at.go_on():
            self._looking.stop()
        table, found, self._filling = self.session.design.table, self._looked_at.take(), True
        for number, row in enumerate(table.rows):
            for column, name in enumerate(("", *table.columns) if row.name in found else ()):
                item, wrong = self.table.item(number, column), found[row.name].get(name, "")
                if item is not None and (row.name, name) not in self._unfinished:
                    mark(item, is_wrong=bool(wrong))
                    if item.toolTip() != wrong:
                        on_hover(item, wrong)
        self._filling = False
        if not self._unfinished and not self._is_told:
            self._say(self._looked_at.first, of_variants=True)

    def _show_cell(
        self, row: int, column: int, text: str, is_bold: bool, is_right: bool = True
    ) -> None:
        item = self.table.item(row, column)
        if item is None:
            item = QTableWidgetItem()
            self.table.setItem(row, column, item)
        # One that is the same is not touched: somebody may be typing in it.
        item.setText(text)
        if item.font().bold() != is_bold:
            font = item.font()
            font.setBold(is_bold)
            item.setFont(font)
        color = None if is_right else QColor(theme().ochre_text)
        item.setData(Qt.ItemDataRole.ForegroundRole, color)
        mark(item, is_wrong=not is_right)

    def _put(self, table: SizeTable, did: str) -> bool:
        """Take a table over, or say in words why not and show the old one."""
        try:
            edits.put_size_table(self.session.design, table)
        except FormulaError as error:
            self._say(f"{error.what} {error.hint}".strip())
            return False
        self._say_unfinished()
        self.session.edit(lambda design: edits.put_size_table(design, table), did)
        return True

    def _put_whole(self, table: SizeTable, did: str) -> bool:
        """The same for one in the place of all that was there, also of what was not right."""
        kept, self._unfinished = self._unfinished, {}
        is_taken = self._put(table, did)
        if not is_taken:
            self._unfinished = kept
        self.refresh()
        return is_taken

    def _say_unfinished(self, before: str = "") -> bool:
        """Say which cell is not right yet; False where all are."""
        told = [f"{row}, {column}: {why}" for (row, column), (_, why) in self._unfinished.items()]
        self._say(f"{before} {told[0]}".strip() if told else "")
        return bool(told)

    def _say(self, text: str, *, of_variants: bool = False) -> None:
        """Say what is wrong; what variants come to, as long as nothing else is."""
        self._is_told = bool(text) and not of_variants
        self.wrong.setText(text)
        self.wrong.setVisible(bool(text))

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._looking.start()

    def _changed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        table = self.session.design.table
        row, text = table.rows[item.row()], item.text().strip()
        if item.column() == 0:
            self._rename(row, text)
        else:
            self._put_cell(row, table.columns[item.column() - 1], text)

    def _rename(self, row: Variant, name: str) -> None:
        try:
            edits.rename_row(self.session.design, row.name, name)
        except FormulaError as error:
            self.refresh()
            self._say(f"{error.what} {error.hint}".strip())
            return
        self._unfinished = {
            (name if at == row.name else at, column): told
            for (at, column), told in self._unfinished.items()
        }
        self.session.edit(
            lambda design: edits.rename_row(design, row.name, name), f"variant {name}"
        )

    def _put_cell(self, row: Variant, column: str, text: str) -> None:
        self._unfinished.pop((row.name, column), None)
        cells = {key: cell for key, cell in row.cells.items() if key != column}
        if text:
            try:
                parse(text)
            except FormulaError as error:
                # The cell stays as it was typed, marked, until it is right.
                why = f"{error.what} {error.hint}".strip()
                self._unfinished[row.name, column] = (text, why)
                self.refresh()
                self._say(f"{row.name}, {column}: {why}")
                return
            cells[column] = text
        table = self.session.design.table
        changed = row.model_copy(update={"cells": cells})
        rows = tuple(changed if old is row else old for old in table.rows)
        self._put(table.model_copy(update={"rows": rows}), f"size table: {text}")
        self.refresh()

    def _add_column(self, index: int) -> None:
        if index > 0:
            self.add_column(self.column.itemText(index))

    def add_column(self, name: str) -> None:
        """A column for a size, every variant with the formula that the size has now."""
        design = self.session.design
        size = design.size(name)
        if size is None:
            return
        rows = tuple(
            row.model_copy(update={"cells": {**row.cells, name: size.formula}})
            for row in design.table.rows
        )
        columns = (*design.table.columns, name)
        self._put(
            design.table.model_copy(update={"columns": columns, "rows": rows}), f"column {name}"
        )

    def add_row(self) -> None:
        """A variant with the values that are in force."""
        name, ok = QInputDialog.getText(self, "New variant", "What is it called?")
        if ok and name.strip():
            self.add_variant(name.strip())

    def add_variant(self, name: str) -> None:
        """The same, with its name."""
        design = self.session.design
        sizes = {
            size.name: design.formula_of(size)
            for size in design.sizes
            if size.name in design.table.columns
        }
        rows = (*design.table.rows, Variant(name=name, cells=sizes))
        self._put(design.table.model_copy(update={"rows": rows}), f"new variant {name}")

    def remove_rows(self) -> None:
        chosen = {index.row() for index in self.table.selectedIndexes()}
        table = self.session.design.table
        rows = tuple(row for number, row in enumerate(table.rows) if number not in chosen)
        if len(rows) < len(table.rows):
            self._put(table.model_copy(update={"rows": rows}), "remove variants")

    def compare_chosen(self) -> None:
        """The sizes of two chosen variants side by side; of one and the variant in force where one
        is chosen."""
        table = self.session.design.table
        chosen = [
            table.rows[row].name
            for row in sorted({index.row() for index in self.table.selectedIndexes()})
        ]
        if len(chosen) == 1 and table.current not in ("", chosen[0]):
            chosen.insert(0, table.current)
        if len(chosen) != 2:
            self._say("Choose two variants to compare, or one to compare with the one in force.")
            return
        self._say("")
        self._compared = (chosen[0], chosen[1])
        self._show_comparison()

    def _show_comparison(self) -> None:
        rows = {name for name in self._compared if self.session.design.table.row(name) is not None}
        self.comparison.setVisible(len(rows) == 2)
        if len(rows) == 2:
            first, second = (edits.choose_row(self.session.design, name) for name in self._compared)
            self.comparison.show_differences(
                self._compared, differing_sizes(first, second, self.session.process), self.session
            )

    # Spreadsheets

    def copy(self) -> None:
        """The whole table to the clipboard, as a spreadsheet takes it."""
        if self._say_unfinished("Not copied."):
            return
        QGuiApplication.clipboard().setText(write_table(self.session.design, "\t"))

    def paste(self) -> None:
        """A table from the clipboard in the place of this one; nothing is taken over where anything
        is wrong."""
        self.take(QGuiApplication.clipboard().text(), "paste a size table")

    def take(self, text: str, did: str) -> bool:
        """A table from text; True where it was taken over."""
        try:
            table = read_table(self.session.design, text)
        except SchabloneError as error:
            self._tell(error)
            return False
        return self._put_whole(table, did)

    def _tell(self, error: SchabloneError) -> None:
        more = f"\nAnd {len(error.problems) - 5} more." if len(error.problems) > 5 else ""
        lines = "\n".join(problem.text for problem in error.problems[:5])
        self._say(f"Nothing was taken over.\n{lines}{more}")

    def _read_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "Read a size table", "", "Tables (*.csv *.tsv *.txt)"
        )
        if path:
            try:
                table = read_file(self, "table", Path(path), self.session.design)
            except SchabloneError as error:
                self._tell(error)
            else:
                self._put_whole(table, f"read {Path(path).name}")

    def _write_dialog(self) -> None:
        if self._say_unfinished("Not written."):
            return
        path = ask_file(self, "Write the size table", "sizes", ("Tables", ".csv"))
        if path is not None:
            try:
                write_whole(path, write_table(self.session.design).encode("utf8"))
            except SchabloneError as error:
                self._say(error.problems[0].text)
