"""The list of kinds of step, found by typing."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from ...core.steps import KINDS
from ..theme import kind_icon, theme


class StepFinder(QFrame):
    """Type, choose with the arrow keys, Enter takes it. ``chosen`` gives the kind."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setFixedWidth(420)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        self.line = QLineEdit()
        self.line.setPlaceholderText("what should be done? fillet, hole, around …")
        self.line.setAccessibleName("find a kind of step")
        self.line.textEdited.connect(self._filter)
        self.line.installEventFilter(self)
        self.list = QListWidget()
        self.list.setIconSize(QSize(20, 20))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("kinds of step")
        self.list.itemClicked.connect(lambda item: self._take(item))
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self._filter("")

    def _filter(self, text: str) -> None:
        """The kinds in whose title, purpose or other names all typed words begin a word; those by
        title first."""
        words = text.casefold().split()
        found = []
        for order, (kind, cls) in enumerate(KINDS.items()):
            title = f"{cls.title} {kind}".casefold()
            everything = f"{title} {cls.purpose} {cls.also}".casefold()
            if all(
                any(part.startswith(word) for part in everything.replace(",", " ").split())
                for word in words
            ):
                by_title = all(
                    any(part.startswith(word) for part in title.split()) for word in words
                )
                found.append((not by_title, order, kind))
        self.list.clear()
        for _, _, kind in sorted(found):
            cls = KINDS[kind]
            item = QListWidgetItem(kind_icon(cls, theme().ink, 20), f"{cls.title}\n{cls.purpose}")
            item.setData(Qt.ItemDataRole.UserRole, kind)
            self.list.addItem(item)
        self.setFixedHeight(min(480, 76 + 43 * max(1, self.list.count())))
        if self.list.count():
            self.list.setCurrentRow(0)
        else:
            item = QListWidgetItem("Nothing is called that. Try what it does: hole, turn, repeat …")
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)

    def _take(self, item: QListWidgetItem | None) -> None:
        kind = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if kind:
            self.close()
            self.chosen.emit(str(kind))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take(self.list.currentItem())
                return True
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(
                    max(0, min(self.list.count() - 1, self.list.currentRow() + step))
                )
                return True
        return False
