"""Cells of a table that are wrong: seen as such, chosen or not."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QBrush, QColor, QPainter
from PySide6.QtWidgets import (
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
)

from ..theme import theme


class _Marked(QStyledItemDelegate):
    """Draws what is wrong as wrong where it is chosen, too: that is where somebody looks for it."""

    def paint(
        self,
        painter: QPainter,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> None:
        wash = index.data(Qt.ItemDataRole.BackgroundRole)
        if wash is not None:
            painter.fillRect(option.rect, wash)
            option = QStyleOptionViewItem(option)
            option.state &= ~QStyle.StateFlag.State_Selected
        super().paint(painter, option, index)


def can_be_wrong(table: QTableWidget) -> None:
    """Let the cells of a table be marked."""
    table.setItemDelegate(_Marked(table))


def mark(item: QTableWidgetItem, *, is_wrong: bool = True) -> None:
    """Show that a cell is wrong, or that it is right again."""
    wash = QColor(theme().ochre_wash) if is_wrong else None
    if is_wrong or item.data(Qt.ItemDataRole.BackgroundRole) is not None:
        item.setData(Qt.ItemDataRole.BackgroundRole, None if wash is None else QBrush(wash))


def go_to(item: QTableWidgetItem) -> None:
    """Choose a cell, so that it is seen."""
    table = item.tableWidget()
    table.setCurrentItem(item)
    table.scrollToItem(item)


def unmark(table: QTableWidget) -> None:
    """No cell is wrong any more."""
    for row in range(table.rowCount()):
        for column in range(table.columnCount()):
            if (item := table.item(row, column)) is not None:
                mark(item, is_wrong=False)
