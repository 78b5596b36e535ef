"""A list that is found in by typing."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import (
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QIcon, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ..theme import theme

_TALLEST = 480
#: Where what stands at the right of an entry is kept.
ASIDE = Qt.ItemDataRole.UserRole + 1
_RIGHT = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)


@dataclass(frozen=True, slots=True)
class Found:
    """An entry of the list: what it stands for, its lines, what stands at the right of them, and
    its icon. One that is not ``ready`` is shown and cannot be taken."""

    key: str
    text: str
    aside: str = ""
    icon: QIcon | None = None
    ready: bool = True


def begins_words(typed: Sequence[str], text: str) -> bool:
    """Whether every typed word begins a word of a text."""
    parts = text.casefold().replace(",", " ").split()
    return all(any(part.startswith(word) for part in parts) for word in typed)


class _WithAside(QStyledItemDelegate):
    """An entry with quiet words at its right."""

    def paint(
        self,
        painter: QPainter,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> None:
        super().paint(painter, option, index)
        if aside := index.data(ASIDE):
            painter.save()
            painter.setPen(QColor(theme().quiet))
            place = option.rect.adjusted(0, 0, -12, 0)
            painter.drawText(place, _RIGHT, str(aside))
            painter.restore()


class Finder(QFrame):
    """Type, choose with the arrow keys, Enter takes it. ``chosen`` gives its key."""

    chosen = Signal(str)
    #: How tall an entry is, pixels.
    tall = 43
    #: What is said where nothing is found.
    nothing = "Nothing is called that."

    def __init__(
        self,
        parent: QWidget,
        find: Callable[[Sequence[str]], Sequence[Found]],
        asks: str,
        name: str,
        of: str,
    ) -> None:
        """``find`` gives what fits the words that were typed, in lower case, the likeliest
        first."""
        super().__init__(parent, Qt.WindowType.Popup)
        self._find = find
        self.setObjectName("card")
        self.setFixedWidth(420)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        self.line = QLineEdit()
        self.line.setPlaceholderText(asks)
        self.line.setAccessibleName(name)
        self.line.textEdited.connect(self.refresh)
        self.line.installEventFilter(self)
        self.list = QListWidget()
        self.list.setItemDelegate(_WithAside(self.list))
        self.list.setIconSize(QSize(20, 20))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName(of)
        self.list.itemClicked.connect(self._take)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.refresh("")

    def refresh(self, text: str) -> None:
        """Show what fits."""
        self.list.clear()
        entries = self._find(text.casefold().split())
        for entry in entries:
            item = QListWidgetItem(entry.text)
            item.setData(ASIDE, entry.aside)
            if entry.icon is not None:
                item.setIcon(entry.icon)
            item.setData(Qt.ItemDataRole.UserRole, entry.key if entry.ready else "")
            if not entry.ready:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)
        self.setFixedHeight(min(_TALLEST, 76 + self.tall * max(1, len(entries))))
        if entries:
            self.list.setCurrentRow(0)
        else:
            item = QListWidgetItem(self.nothing)
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)

    def _take(self, item: QListWidgetItem | None) -> None:
        key = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if key:
            self.close()
            self.chosen.emit(str(key))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take(self.list.currentItem())
                return True
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                row = max(0, min(self.list.count() - 1, self.list.currentRow() + step))
                self.list.setCurrentRow(row)
                return True
        return False
