"""The field in which formulas are typed: value while typing, completion, errors in words under
it."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

from PySide6.QtCore import QElapsedTimer, QEvent, QModelIndex, QPoint, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QStandardItem,
    QStandardItemModel,
)
from PySide6.QtWidgets import QApplication, QCompleter, QLineEdit, QVBoxLayout, QWidget

from ...core.formula import FormulaError, names_in, parse_definition
from ...core.formula.errors import did_you_mean
from ...core.formula.functions import FUNCTIONS, PROCESS_FUNCTIONS
from ...core.formula.habits import FITS
from ...core.formula.parse import check_name
from ...core.formula.value_table import ValueTable
from ...core.quantity import UNITS, Kind, Quantity, say
from ..theme import mono, theme
from .basics import label, restyle

_WORD = re.compile(r"[^\W\d][\w.]*$")


class _Line(QLineEdit):
    """A line that underlines the offending part and offers completions."""

    gone = Signal()
    #: A completion was taken that is the whole text.
    filled = Signal()
    #: Tab, or Shift and Tab, where ``tabs_on``: to the figure after it, or before it.
    onward = Signal(int)

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setObjectName("formula")
        self.setFont(mono())
        self.span: tuple[int, int] | None = None
        self.tabs_on = False
        #: The text was taken over. Qt gives Enter to the line first, and then still completes.
        self.is_done = False
        self._opened = QElapsedTimer()
        #: What was clicked to open it, where that stays beside it.
        self.opened_by: QWidget | None = None
        self.model = QStandardItemModel(self)
        self.completer_ = QCompleter(self.model, self)
        self.completer_.setWidget(self)
        self.completer_.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self.completer_.popup().setObjectName("completion")
        self.completer_.popup().setFont(mono())
        self.completer_.activated[QModelIndex].connect(self._take)  # type: ignore[index]

    def open(self) -> None:
        """Take the keyboard, with all text chosen."""
        self._opened.start()
        self.setFocus(Qt.FocusReason.OtherFocusReason)
        self.selectAll()

    @property
    def is_just_open(self) -> bool:
        """Whether a click now is the second of a double click that opened it."""
        opened = self._opened
        return opened.isValid() and opened.elapsed() < QApplication.doubleClickInterval()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.is_just_open:
            super().mousePressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self.is_just_open:
            super().mouseDoubleClickEvent(event)

    def offer(self, items: list[tuple[str, str]]) -> None:
        """Offer names, each with what it is."""
        popup = self.completer_.popup()
        if not items or not self.hasFocus():
            popup.hide()
            return
        self.model.clear()
        widest = max(len(name) for name, _ in items)
        for name, what in items:
            row = QStandardItem(f"{name:<{widest}}  {what}")
            row.setData(name, Qt.ItemDataRole.UserRole)
            row.setEditable(False)
            self.model.appendRow(row)
        rect = self.cursorRect()
        rect.moveTopLeft(QPoint(0, rect.top()))
        rect.setWidth(min(420, popup.sizeHintForColumn(0) + 28))
        self.completer_.complete(rect)
        popup.setCurrentIndex(self.model.index(0, 0))

    def _take(self, index: QModelIndex) -> None:
        if self.is_done:
            return
        name = str(index.data(Qt.ItemDataRole.UserRole))
        at = self.cursorPosition()
        before = self.text()[:at]
        match = _WORD.search(before)
        start = match.start() if match else at
        tail = self.text()[at:]
        if name in FUNCTIONS and not tail.startswith("("):
            self.setText(before[:start] + name + "()" + tail)
            self.setCursorPosition(start + len(name) + 1)
        else:
            self.setText(before[:start] + name + tail)
            self.setCursorPosition(start + len(name))
        self.textEdited.emit(self.text())
        if self.text() == name:
            self.filled.emit()

    def word(self) -> str:
        match = _WORD.search(self.text()[: self.cursorPosition()])
        return match[0] if match else ""

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            # Where nothing was typed, undo and redo are those of the design: Enter has moved on to
            # this line, and the edit that was just made is what is meant.
            undo, redo = QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo
            idle = not self.isUndoAvailable() and not self.isRedoAvailable()
            if idle and (event.matches(undo) or event.matches(redo)):
                event.ignore()
                return True
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            popup = self.completer_.popup()
            if popup.isVisible() and event.key() == Qt.Key.Key_Tab:
                self.blockSignals(True)  # Tab completes, and waits for more
                self._take(popup.currentIndex())
                self.blockSignals(False)
                self.textEdited.emit(self.text())
                popup.hide()
                return True
            if self.tabs_on and event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
                shifted = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
                back = bool(shifted) or event.key() == Qt.Key.Key_Backtab
                self.onward.emit(-1 if back else 1)
                return True
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        taken_by = QApplication.focusWidget()
        if (
            self.is_just_open
            and taken_by is not None
            and (taken_by is self.opened_by or taken_by.isAncestorOf(self))
        ):
            QTimer.singleShot(0, self, lambda: self._open_again(taken_by))
            return
        if (
            event.reason() != Qt.FocusReason.PopupFocusReason
            and not self.completer_.popup().isVisible()
        ):
            self.gone.emit()

    def _open_again(self, instead_of: QWidget) -> None:
        """Take the keyboard back after the second of two clicks; not from another field that was
        opened by it."""
        if QApplication.focusWidget() is instead_of:
            self.open()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.span is None:
            return
        start, end = self.span
        text, metrics = self.text(), self.fontMetrics()
        origin = self.cursorRect().center().x() - metrics.horizontalAdvance(
            text[: self.cursorPosition()]
        )
        left = origin + metrics.horizontalAdvance(text[:start])
        right = origin + metrics.horizontalAdvance(
            text[: max(end, start + 1)] if end <= len(text) else text + " "
        )
        painter = QPainter(self)
        painter.setPen(QPen(QColor(theme().ochre), 2))
        painter.drawLine(
            max(6, left), self.height() - 6, min(self.width() - 6, right), self.height() - 6
        )


class FormulaEdit(QWidget):
    """A formula being edited.

    ``committed`` is emitted with the text when it is right and Enter is pressed or the field is
    left; ``made`` first with name and formula where ``name = formula`` was typed; ``dropped`` on
    Escape or where nothing changed; ``onward`` where Tab asks for the figure after it, or before
    it. A wrong formula keeps the field open, says why, and changes nothing.
    """

    committed = Signal(str)
    made = Signal(str, str)
    dropped = Signal()
    live = Signal(str)
    onward = Signal(int)

    def __init__(
        self,
        text: str,
        table: Callable[[], ValueTable],
        *,
        wanted: Kind | None = None,
        units: str = "mm",
        own_name: str = "",
        placeholder: str = "",
        may_be_empty: bool = False,
        definition_only: bool = False,
        over: Mapping[str, Kind] | None = None,
        as_it_is: str = "",
    ) -> None:
        """``over`` are names that the formula runs over, with their kinds, beside the sizes of the
        design. ``as_it_is`` is what a new name typed alone becomes: a size of that formula."""
        super().__init__()
        self._as_it_is = as_it_is
        self._over = dict(over or {})
        self._sheet, self._wanted, self._units, self._own = table, wanted, units, own_name
        self._may_be_empty, self._definition_only = may_be_empty, definition_only
        self._start = text
        self._done = False
        self.line = _Line(text)
        self.line.setPlaceholderText(placeholder)
        self.line.setAccessibleName(
            f"formula of {own_name}" if own_name else placeholder or "formula"
        )
        self.said = label("", "small", wrap=True)
        self.said.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.line)
        layout.addWidget(self.said)
        self.line.textEdited.connect(self._edited)
        self.line.returnPressed.connect(self.commit)
        self.line.filled.connect(self.commit)
        self.line.onward.connect(self._go_on)
        self.line.gone.connect(self._left)
        self.setFocusProxy(self.line)

    def begin(self, opened_by: QWidget | None = None) -> None:
        """Take the keyboard, with all text chosen. ``opened_by`` is what was clicked for it and
        stays beside it: a second click on that is for the line."""
        self.line.opened_by = opened_by
        self.line.open()

    def begin_with(self, text: str) -> None:
        """Take the keyboard; what was typed already stands in the place of the old text."""
        self.begin()
        self.line.setText("" if text == "=" else text)
        self.line.textEdited.emit(self.line.text())

    def follow(self, text: str) -> None:
        """The formula was changed elsewhere, by undo: it stands here, too, unless something else
        was typed."""
        if self.line.text() == self._start and text != self._start:
            self._start = text
            self.line.setText(text)
            self.line.selectAll()

    def error(self) -> FormulaError | None:
        """What is wrong with the text as it stands; sets the live value otherwise."""
        text = self.line.text()
        self._value = ""
        if not text.strip():
            if self._may_be_empty or (self._definition_only and not self._start):
                return None
            return FormulaError(
                "There is no formula.", None, "Type a number with its unit, such as 12 mm."
            )
        try:
            definition = parse_definition(text)
        except FormulaError as error:
            return error
        at = len(text) - len(text.lstrip())
        try:
            table = self._sheet()
            if definition is not None:
                name, formula, at = definition
                if name in table.uses:
                    raise FormulaError(
                        f"There is a size “{name}” already.", None, "Choose another name."
                    )
                self._value = (
                    f"makes the size “{name}”: "
                    f"{say(table.compile(formula).value(table.env()), self._units)}"
                )
                return None
            if self._definition_only:
                raise FormulaError(
                    "Type a name, =, and its formula.", None, "For example: lip = 3 mm"
                )
            formula = text.strip()
            if self._is_new_name(formula, table):
                self._value = f"makes the size “{formula}”: {self._as_it_is}, as it is now"
                return None
            if self._own:
                self._refuse_loop(formula, table)
            if self._over and names_in(formula) & set(self._over):
                kind = table.compile(formula, self._wanted, self._over).kind
                self._value = (
                    f"{kind.label}, for each "
                    f"{' and '.join(sorted(names_in(formula) & set(self._over)))}"
                )
                return None
            compiled = table.compile(formula, self._wanted)
            value = compiled.value(table.env())
            self._value = f"= {say(value, self._units)}"
            if any(name in formula for name in PROCESS_FUNCTIONS):
                sent = compiled.value(table.env(sent=True))
                by = sent.value - value.value
                if abs(by) > 5e-5:
                    more = (
                        f"{'+' if by > 0 else '−'}{say(Quantity(abs(by), sent.kind), self._units)}"
                    )
                    self._value += f"; the machine is sent {more}"
            return None
        except FormulaError as error:
            return error.moved(at)

    def _is_new_name(self, text: str, table: ValueTable) -> bool:
        """Whether a text is a name by itself that nothing has, nor anything like it: a slip of the
        finger must not make a size."""
        known = {*table.cells, *table.uses, *FUNCTIONS, *self._over}
        if not self._as_it_is or text in known or did_you_mean(text, sorted(table.cells)):
            return False
        try:
            check_name(text)
        except FormulaError:
            return False
        return text not in UNITS

    def _go_on(self, way: int) -> None:
        """Tab: take the text over, and go on where it is right."""
        if self.commit():
            self.onward.emit(way)

    def _refuse_loop(self, formula: str, table: ValueTable) -> None:
        """Refuse a formula that comes back to its own size, before it is taken over."""
        waiting, seen = [(name, (self._own, name)) for name in sorted(names_in(formula))], set()
        while waiting:
            name, path = waiting.pop()
            if name == self._own:
                raise FormulaError(
                    f"This would go round in a circle: {' → '.join(path)}.",
                    None,
                    "Use another size, or a number.",
                )
            if name not in seen:
                seen.add(name)
                waiting += [
                    (below, (*path, below)) for below in sorted(table.uses.get(name, frozenset()))
                ]

    def _edited(self, text: str) -> None:
        self._done = self.line.is_done = False
        self.check()
        self.line.offer(self._offers())
        self.live.emit(text)

    def check(self) -> bool:
        """Show the value or what is wrong; True where the text can be taken over."""
        error = self.error()
        self.line.span = error.span if error else None
        restyle(self.line, wrong=error is not None)
        self.said.setObjectName("wrong" if error else "small")
        self.said.style().unpolish(self.said)
        self.said.style().polish(self.said)
        text = f"{error.what} {error.hint}".strip() if error else self._value
        self.said.setText(text)
        self.said.setVisible(bool(text))
        self.line.update()
        return error is None

    def _offers(self) -> list[tuple[str, str]]:
        word = self.line.word()
        text = self.line.text()
        if not word:
            return []
        table = self._sheet()
        folded = word.casefold()
        names = [
            (name, f"{cell.wanted.kind.label}  {say(cell.wanted, self._units)}")
            for name, cell in table.cells.items()
            if name != self._own
        ]
        names = [
            (name, f"{kind.label} that this runs over") for name, kind in self._over.items()
        ] + names
        names += [(function.name, function.usage) for function in FUNCTIONS.values()]
        if "from_row" in text:
            # Behind a quote the name of a row is completed, before one it brings its quotes along.
            quotes = "" if text[: self.line.cursorPosition()].count('"') % 2 else '"'
            rows = {row: cells.name for cells in table.columns.values() for row in cells.formulas}
            names += [(f"{quotes}{row}{quotes}", "row of the size table") for row in rows]
        names += [(fit, "fit") for fit in FITS if "for(" in text]
        begins = [item for item in names if item[0].casefold().startswith(folded)]
        begins.sort(key=lambda item: item[0].casefold() != folded)  # what is typed in full is meant
        inside = (
            [item for item in names if folded in item[0].casefold() and item not in begins]
            if len(word) > 1
            else []
        )
        offers = (begins + inside)[:9]
        return [] if any(name == word for name, _ in offers) and len(offers) == 1 else offers

    def commit(self) -> bool:
        """Take the text over if it is right."""
        if self._done:
            return True
        self.line.completer_.popup().hide()
        text = self.line.text().strip()
        if text == self._start.strip() and not self._definition_only:
            self._done = self.line.is_done = True
            self.dropped.emit()
            return True
        if not self.check():
            return False
        self._done = self.line.is_done = True
        if self._is_new_name(text, self._sheet()):
            self.made.emit(text, self._as_it_is)
            self.committed.emit(text)
            return True
        definition = parse_definition(text) if text else None
        if definition is not None:
            self.made.emit(definition.name, definition.formula)
            if not self._definition_only:
                self.committed.emit(definition.name)
            return True
        if text or self._may_be_empty:
            self.committed.emit(text)
        return True

    def take(self) -> str:
        """Take the text over from where it is not left by hand, as for a command. Returns what is
        wrong with it where it cannot be; it keeps the keyboard then."""
        if self.line.text().strip() == self._start.strip():
            return ""
        self.line.clearFocus()
        if self.commit():
            return ""
        self.line.setFocus(Qt.FocusReason.OtherFocusReason)
        return self.said.text()

    @property
    def unfinished(self) -> str:
        """What is wrong with what stands in the place of a value that is in force; empty where that
        itself stands here, or something that can be taken over."""
        text = self.line.text().strip()
        if self._done or not self._start.strip() or text == self._start.strip():
            return ""
        error = self.error()
        return f"“{text}”: {error.what} {error.hint}".strip() if error else ""

    def _left(self) -> None:
        # Left with the mouse: right text is taken over, wrong text stays with its message.
        QTimer.singleShot(0, self._commit_if_alive)

    def _commit_if_alive(self) -> None:
        try:
            if not self._done and self.isVisible() and not self.line.hasFocus():
                self.commit()
        except RuntimeError:
            pass  # the widget went with its row

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._done = True
            self.line.setText(self._start)
            self.check()
            self.said.hide()
            self.dropped.emit()
            return
        super().keyPressEvent(event)
