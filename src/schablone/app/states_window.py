"""The states of a process side by side: what each calibration said, and what has changed since."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ..core.process import Process
from ..core.process.model import NAMES, State
from ..core.process.sure import HOLDS_95
from ..core.quantity import plain
from .theme import theme
from .widgets.basics import button, label


def rows_of(states: list[State]) -> list[tuple[str, list[str]]]:
    """What differs between states or is known in some of them: words, and a text for each state."""
    rows: list[tuple[str, list[str]]] = []
    for name in dict.fromkeys(name for state in states for name in state.figures):
        words, unit = NAMES.get(name, (name, "mm"))
        if any(state.figures.get(name) for state in states):
            rows.append(
                (f"{words}, {unit}" if unit else words, [_figure(state, name) for state in states])
            )
    for material, thickness in dict.fromkeys(
        (k.material, k.thickness) for state in states for k in state.kerfs
    ):
        texts = []
        for state in states:
            told = [
                k.kerf for k in state.kerfs if (k.material, k.thickness) == (material, thickness)
            ]
            texts.append(_plain(told[0]) if told else "")
        rows.append((f"kerf in {material or 'any material'} {plain(thickness)}, mm", texts))
    for fit in ("press", "push", "sliding", "loose"):
        texts = [_plain(float(getattr(state.fits, fit))) if state.fits else "" for state in states]
        if len(set(texts)) > 1:
            rows.append((f"gap of a {fit} fit, mm", texts))
    rows.append(("spread of a single feature, mm", [_noise(state) for state in states]))
    readings = [
        max((known.readings for known in state.known.values()), default=0) for state in states
    ]
    rows.append(("readings", [str(count) if count else "" for count in readings]))
    return rows


def _figure(state: State, name: str) -> str:
    value = state.figures.get(name)
    if value is None:
        return ""
    known = state.known.get(name)
    return _plain(value) + (
        f" ± {plain(HOLDS_95 * known.uncertainty, 3)}" if known and known.uncertainty else ""
    )


def _noise(state: State) -> str:
    return _plain(max(state.spread.noise.values())) if state.spread and state.spread.noise else ""


def _plain(value: float) -> str:
    return plain(value, 3).replace("-", "−")


class StatesWindow(QWidget):
    """Columns are states, the one in force first; what differs from it stands out. ``go_back``
    takes a former state."""

    def __init__(
        self, process: Process, go_back: Callable[[State], object], parent: QWidget
    ) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(f"States of {process.name}")
        self.resize(760, 460)
        self.states = [State.of(process), *reversed(process.history)]
        rows = rows_of(self.states)
        self.table = QTableWidget(len(rows), 1 + len(self.states))
        heads = ["in force", *(state.date or "at first" for state in self.states[1:])]
        heads[0] = f"in force, {process.date}" if process.date else "in force"
        self.table.setHorizontalHeaderLabels(["", *heads])
        self.table.verticalHeader().hide()
        self.table.setAccessibleName("states of the process")
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectColumns)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setTabKeyNavigation(False)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setMinimumSectionSize(110)
        for row, (words, texts) in enumerate(rows):
            for column, text in enumerate((words, *texts)):
                item = QTableWidgetItem(text)
                if column > 0:
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                if column > 1 and text != texts[0]:
                    item.setForeground(QColor(theme().madder))
                    font = item.font()
                    font.setBold(True)
                    item.setFont(font)
                elif column > 1:
                    item.setForeground(QColor(theme().quiet))
                self.table.setItem(row, column, item)
        self._go_back = go_back
        self.back = button(
            "Go back to the chosen state", "main", self.take, "Use these figures again"
        )
        self.back.setEnabled(False)
        self.table.itemSelectionChanged.connect(self._chosen)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.addWidget(
            label(
                "What differs from the state in force stands out; ± holds 95 of 100. Choose a "
                "column to go back to.",
                "small",
                wrap=True,
            )
        )
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self.back)
        layout.addLayout(foot)

    def _chosen(self) -> None:
        self.back.setEnabled(self.table.currentColumn() > 1)

    def take(self) -> None:
        """Go back to the state of the chosen column."""
        column = self.table.currentColumn()
        if column > 1:
            self._go_back(self.states[column - 1])
            self.close()
