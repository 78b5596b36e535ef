"""Two variants of the size table side by side."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem

from ...core.design.compare import Difference
from ..session import Session
from ..widgets.basics import on_hover


class ComparisonTable(QTableWidget):
    """What differs between two variants: a line for each size, its two values and the
    difference."""

    def __init__(self) -> None:
        super().__init__(0, 4)
        self.setAccessibleName("comparison of two variants")
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setTabKeyNavigation(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.horizontalHeader().setDefaultSectionSize(170)
        self.horizontalHeader().setStretchLastSection(True)

    def show_differences(
        self, names: tuple[str, str], differences: list[Difference], session: Session
    ) -> None:
        """Fill the lines."""
        self.setHorizontalHeaderLabels(
            [
                f"{len(differences)} sizes differ" if differences else "no size differs",
                *names,
                "change",
            ]
        )
        self.setRowCount(len(differences))
        for number, item in enumerate(differences):
            size, change = session.design.size(item.name), item.change
            values = [session.say(value, size) if value else "no value" for value in item.values]
            sign = "+" if change and change.value > 0 else ""
            texts = [item.name, *values, f"{sign}{session.say(change, size)}" if change else ""]
            for column, text in enumerate(texts):
                cell = QTableWidgetItem(text)
                if column:
                    cell.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                formula = item.formulas[column - 1] if column in (1, 2) else None
                on_hover(cell, formula or "")
                self.setItem(number, column, cell)
                self.horizontalHeaderItem(column).setTextAlignment(
                    Qt.AlignmentFlag(
                        Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft
                    )
                )
