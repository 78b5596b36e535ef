"""Calibration as a short path: print this, measure these, here is what it means."""

from __future__ import annotations

import datetime
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Design, read_design
from ...core.design import edit as edits
from ...core.files import read_text
from ...core.practice.machines import NAMES as PRACTICE
from ...core.problem import SchabloneError
from ...core.process import Process, neutral
from ...core.process.calibrate import Calibration, Reading, calibrate, calibrated, calibrated_cut
from ...core.process.model import NAMES, Stock
from ...core.quantity import plain
from ..demo import demo_design
from ..session import Session
from ..states_window import StatesWindow
from ..theme import theme
from ..widgets.basics import button, clear, label
from ..widgets.fit_plot import FitPlot
from ..worker_client import WorkerClient
from .fits_card import FitsCard

_TIMES = 3
#: The test piece on which fits are tried by hand.
COMB = "slot-and-tab-comb"
_LARGEST = 2_000_000


class CalibrationPage(QWidget):
    """One process, from its test piece to a new state. ``left`` goes back to the processes."""

    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.session = session
        self.worker: WorkerClient | None = None
        self.process: Process = session.process
        self.features: list[dict[str, Any]] = []
        self.found: Calibration | None = None
        self.seed = 1
        outer = QVBoxLayout(self)
        outer.setContentsMargins(28, 20, 28, 18)
        outer.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(button("‹ Processes", "link", self.left.emit, "Back to the processes"))
        self.title = label("", "page_title")
        head.addWidget(self.title)
        head.addStretch(1)
        outer.addLayout(head)
        self.said = label("", "quiet", wrap=True)
        outer.addWidget(self.said)
        columns = QHBoxLayout()
        columns.setSpacing(22)
        columns.addLayout(self._first(), 3)
        self.measuring = QWidget()
        both = QHBoxLayout(self.measuring)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(22)
        both.addLayout(self._second(), 1)
        both.addLayout(self._third(), 1)
        columns.addWidget(self.measuring, 10)
        self.fits = FitsCard()
        self.fits.made.connect(lambda made: self._keep(made, f"{made.name} has these gaps now; every fit follows."))
        self.fits.hide()
        columns.addWidget(self.fits, 10)
        outer.addLayout(columns, 1)

    # The three columns

    def _first(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        self.make_title = label("", "heading")
        self.make_words = label("", "", wrap=True)
        column.addWidget(self.make_title)
        self.piece = QComboBox()
        self.piece.setAccessibleName("test piece")
        self.piece.activated.connect(lambda _: self.take_piece(str(self.piece.currentData())))
        column.addWidget(self.piece)
        column.addWidget(self.make_words)
        column.addWidget(
            button("Save the file …", "", self.save_dialog, "The test piece as a file for your machine"),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )
        self.stock = QComboBox()
        self.stock.setAccessibleName("stock that the test piece is cut from")
        column.addWidget(self.stock)
        column.addSpacing(14)
        self.nobody = QWidget()
        within = QVBoxLayout(self.nobody)
        within.setContentsMargins(0, 0, 0, 0)
        within.setSpacing(8)
        within.addWidget(label("NO MACHINE AT HAND?", "group"))
        within.addWidget(
            label(
                "A practice machine takes the same file, makes the piece and measures it. What it does is hidden.",
                "small",
                wrap=True,
            )
        )
        self.practice = QComboBox()
        self.practice.setAccessibleName("practice machine")
        within.addWidget(self.practice)
        within.addWidget(
            button("Make it there and measure", "", self.practise, "Fills the readings"), 0, Qt.AlignmentFlag.AlignLeft
        )
        column.addWidget(self.nobody)
        column.addSpacing(14)
        self.states_title = label("EARLIER STATES", "group")
        column.addWidget(self.states_title)
        self._states = QVBoxLayout()
        column.addLayout(self._states)
        column.addStretch(1)
        return column

    def _second(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(label("2  Measure these", "heading"))
        column.addWidget(
            label("With a caliper, in mm; twice or more where you can. Empty cells are left out.", "quiet", wrap=True)
        )
        self.sheet = QTableWidget(0, 2 + _TIMES)
        self.sheet.setHorizontalHeaderLabels(["what", "drawn", "1st", "2nd", "3rd"])
        self.sheet.verticalHeader().hide()
        self.sheet.setAccessibleName("readings")
        header = self.sheet.horizontalHeader()
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for k in range(1, 2 + _TIMES):
            self.sheet.setColumnWidth(k, 68)
        self.sheet.itemChanged.connect(lambda _: self.work_out())
        QShortcut(QKeySequence.StandardKey.Paste, self.sheet, self.paste)
        column.addWidget(self.sheet, 1)
        foot = QHBoxLayout()
        foot.addWidget(button("Read CSV …", "link", self.read_dialog, "Readings from a file: one row for each feature"))
        foot.addWidget(button("Empty", "link", self.empty, "Take all readings away"))
        foot.addStretch(1)
        column.addLayout(foot)
        self.wrong = label("", "wrong", wrap=True)
        column.addWidget(self.wrong)
        return column

    def _third(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(label("3  What it means", "heading"))
        self.plot = FitPlot()
        column.addWidget(self.plot, 1)
        self.figures = label("", "", wrap=True)
        column.addWidget(self.figures)
        self.told = label("", "small", wrap=True)
        column.addWidget(self.told)
        row = QHBoxLayout()
        row.addStretch(1)
        self.save = button("Use these figures", "main", self.save_state, "Save them as a new state of the process")
        row.addWidget(self.save)
        column.addLayout(row)
        return column

    # What it is about

    @property
    def cuts(self) -> bool:
        return self.process.family == "cut"

    def pieces(self) -> list[tuple[str, str]]:
        """The test pieces that go with the kind of process: what each is for, and the name of its design."""
        corners = [("corners and the cutter", "corner-coupon")] if self.process.kind == "router" else []
        sizes = "cutting-coupon" if self.cuts else "printing-coupon"
        return [("sizes", sizes), *corners, ("fits", COMB)]

    def coupon(self) -> Design:
        """The chosen test piece, as thick as the chosen stock."""
        design = read_design(demo_design(str(self.piece.currentData())))
        stock = self._stock()
        if stock is not None and design.size("thick") is not None:
            design = edits.set_formula(design, "thick", f"{stock.measured:g} mm")
        return design

    def _stock(self) -> Stock | None:
        return next((s for s in self.process.stock if s.name == self.stock.currentText()), None) if self.cuts else None

    def maker(self) -> Process:
        """What the test piece is corrected for: nothing, except that fits are tried on what the machine makes of them."""
        return self.process if self.piece.currentData() == COMB else neutral()

    def begin(self, process: Process, worker: WorkerClient) -> None:
        """Calibrate a process: list what is on its test piece."""
        self.process, self.worker = process, worker
        self.title.setText(f"Calibrate {process.name}")
        self.stock.clear()
        self.stock.addItems([stock.name for stock in process.stock])
        self.stock.setVisible(self.cuts and bool(process.stock))
        self.practice.clear()
        kinds = {"laser or knife": "laser", "router": "router"}
        self.practice.addItems([name for name in PRACTICE if kinds.get(process.kind, "printer") in name])
        self.piece.clear()
        for words, name in self.pieces():
            self.piece.addItem(f"for {words}", name)
        self._show_states()
        self.take_piece(str(self.piece.currentData()))

    def take_piece(self, name: str) -> None:
        """Go on with one of the test pieces."""
        self.piece.setCurrentIndex(self.piece.findData(name))
        coupon = self.coupon()
        self.make_title.setText(f"1  {'Cut' if self.cuts else 'Print'} this")
        self.make_words.setText(f"{coupon.name}: {coupon.note}")
        by_feel = name == COMB
        self.measuring.setVisible(not by_feel)
        self.fits.setVisible(by_feel)
        self.nobody.setVisible(not by_feel)
        self.features = []
        self.sheet.setRowCount(0)
        if by_feel:
            self.said.setText("First calibrate the sizes. Then the gaps of the fits are what your hands say they are.")
            self.fits.begin(self.process, coupon)
            return
        self.said.setText(
            "Nothing is corrected in the test piece: what comes off shows what the machine does. Do it once for each material."
        )
        self.work_out()
        self._with_file(self._ask_features)

    def _with_file(self, then: Callable[[Path], None]) -> None:
        """Export the test piece to a scratch file, then go on."""
        assert self.worker is not None
        ending = ".dxf" if self.cuts else ".3mf"
        path = Path(tempfile.mkdtemp(prefix="schablone-")) / f"coupon{ending}"

        def done(answer: dict[str, Any]) -> None:
            if answer["answer"] == "exported":
                then(path)
            else:
                self.wrong.setText(answer["problems"][0]["what"])

        self.worker.export(self.coupon(), "sent", self.maker(), path, done)

    def _ask_features(self, path: Path) -> None:
        assert self.worker is not None
        self.worker.ask_file("features", {"path": str(path)}, self._take_features)

    def _take_features(self, answer: dict[str, Any], _: Any) -> None:
        if answer["answer"] == "refused":
            self.wrong.setText(answer["problems"][0]["what"])
            return
        self.features = answer["features"]
        self.sheet.blockSignals(True)
        self.sheet.setRowCount(len(self.features))
        for row, feature in enumerate(self.features):
            for column, text in enumerate((feature["label"], plain(feature["size"], 3))):
                item = QTableWidgetItem(text)
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                item.setForeground(QColor(theme().ink if column == 0 else theme().quiet))
                self.sheet.setItem(row, column, item)
            for k in range(_TIMES):
                item = QTableWidgetItem("")
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.sheet.setItem(row, 2 + k, item)
        self.sheet.blockSignals(False)

    def save_dialog(self) -> None:
        ending = ".dxf" if self.cuts else ".3mf"
        path, _ = QFileDialog.getSaveFileName(self, "Save the test piece", f"coupon{ending}", f"*{ending}")
        if path and self.worker is not None:
            self.worker.export(
                self.coupon(), "sent", self.maker(), Path(path),
                lambda answer: self.said.setText(f"Saved {Path(path).name}." if answer["answer"] == "exported" else answer["problems"][0]["what"]),
            )  # fmt: skip

    def practise(self) -> None:
        """Let a practice machine make the piece from its file, and measure it."""
        machine = self.practice.currentText()

        def go(path: Path) -> None:
            assert self.worker is not None
            request = {"path": str(path), "machine": machine, "seed": self.seed, "times": _TIMES}
            self.worker.ask_file("practice", request, self._take_practice)

        self.seed += 1
        self._with_file(go)

    def _take_practice(self, answer: dict[str, Any], _: Any) -> None:
        if answer["answer"] == "refused":
            self.wrong.setText(answer["problems"][0]["what"])
            return
        self.fill([[plain(value, 3) for value in row["readings"]] for row in answer["measured"]])

    # Readings

    def fill(self, rows: list[list[str]]) -> None:
        """Put readings into the sheet, from the first row on."""
        self.sheet.blockSignals(True)
        for row, texts in enumerate(rows[: self.sheet.rowCount()]):
            for k, text in enumerate(texts[:_TIMES]):
                self.sheet.item(row, 2 + k).setText(text.strip())
        self.sheet.blockSignals(False)
        self.work_out()

    def empty(self) -> None:
        self.fill([[""] * _TIMES] * self.sheet.rowCount())

    def paste(self) -> None:
        """Readings from a spreadsheet, from the chosen cell on."""
        row, column = max(0, self.sheet.currentRow()), max(2, self.sheet.currentColumn())
        self.sheet.blockSignals(True)
        for i, line in enumerate(QGuiApplication.clipboard().text().splitlines()):
            for k, text in enumerate(line.split("\t")):
                item = self.sheet.item(row + i, column + k)
                if item is not None:
                    item.setText(text.strip())
        self.sheet.blockSignals(False)
        self.work_out()

    def read_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Readings", "", "CSV (*.csv *.txt)")
        if path:
            self.read_csv(Path(path))

    def read_csv(self, path: Path) -> None:
        """One row for each feature in the order of the sheet: readings in mm, apart by comma, semicolon or tab. A header
        row names the unit."""
        try:
            lines = [line for line in read_text(path, _LARGEST).splitlines() if line.strip()]
        except SchabloneError as error:
            self.wrong.setText(str(error))
            return
        mark = next((m for m in ("\t", ";") if any(m in line for line in lines)), ",")
        rows = [[cell.strip() for cell in line.split(mark)] for line in lines]
        if rows and not any(_number(cell) is not None for cell in rows[0]):
            head = " ".join(rows.pop(0)).lower()
            if "mm" not in head and any(unit in head for unit in ("inch", "in]", "(in)", "cm", "µm")):
                self.wrong.setText(f"{path.name} is not in millimetres (“{head}”). Nothing was taken over.")
                return
        numbers = [[cell for cell in row if _number(cell) is not None] for row in rows]
        if len(numbers) != self.sheet.rowCount():
            self.wrong.setText(
                f"{path.name} has {len(numbers)} rows, there are {self.sheet.rowCount()} features. Nothing was taken over."
            )
            return
        self.fill([[*row, *[""] * _TIMES] for row in numbers])

    def readings(self) -> tuple[list[Reading], list[tuple[int, int]]]:
        """The readings, and the cells they come from."""
        found, cells = [], []
        for row, feature in enumerate(self.features):
            for k in range(_TIMES):
                text = self.sheet.item(row, 2 + k).text().strip()
                value = _number(text)
                if value is not None:
                    found.append(Reading(feature["kind"], feature["size"], value, feature["label"]))
                    cells.append((row, 2 + k))
        return found, cells

    def work_out(self) -> None:
        """Fit what there is."""
        readings, cells = self.readings() if self.features else ([], [])
        self.found = None
        wrong = ""
        unread = [
            f"“{item.text()}”" for row in range(self.sheet.rowCount()) for k in range(_TIMES)
            if (item := self.sheet.item(row, 2 + k)) is not None and item.text().strip() and _number(item.text()) is None
        ]  # fmt: skip
        if unread:
            wrong = f"{', '.join(unread[:3])} is no number in mm."
        if readings:
            try:
                self.found = calibrate(readings, cut=self.cuts)
            except ValueError as error:
                text = str(error)
                wrong = wrong or f"{text[:1].upper()}{text[1:]}."
        self.wrong.setText(wrong)
        self.sheet.blockSignals(True)
        odd = (self.found.slipped | self.found.outliers) if self.found else frozenset()
        for number, (row, column) in enumerate(cells):
            self.sheet.item(row, column).setForeground(QColor(theme().madder if number in odd else theme().ink))
        self.sheet.blockSignals(False)
        self.plot.show_fit(self.found)
        self.figures.setText(self._say_figures())
        self.told.setText("\n".join(self.found.told) if self.found else "")
        self.save.setEnabled(self.found is not None)

    def _say_figures(self) -> str:
        if self.found is None:
            return ""
        lines = []
        for name in self.found.names:
            words, unit = NAMES.get(name, ("offset of heights", "mm"))
            figure = self.found.figures[name]
            before = getattr(self.process, name, None)
            if name == "kerf" and self.process.kind == "router":  # a cut that is too narrow is a path that gains
                words, unit = NAMES["path_gain"]
                figure, before = -figure, self.process.path_gain
            value = plain(figure, 3).replace("-", "−")
            was = f"  (was {plain(before, 3).replace('-', '−')})" if isinstance(before, float) else ""
            lines.append(f"{words}: {value} ± {plain(self.found.factor * self.found.uncertainty(name), 3)} {unit}{was}")
        return "\n".join(lines)

    # States

    def save_state(self) -> None:
        """The figures become the process's own from today on; the state before stays at hand."""
        if self.found is None:
            return
        today = datetime.date.today().isoformat()
        try:
            if self.cuts:
                stock = self._stock()
                material = stock.material if stock else self.process.material.name
                made = calibrated_cut(self.process, self.found, today, material, stock.nominal if stock else 3.0)
            else:
                made = calibrated(self.process, self.found, today)
        except ValidationError as error:
            self.wrong.setText(f"These figures are beyond what such a machine does: {error.errors()[0]['msg']}.")
            return
        self._keep(made, f"{made.name} is calibrated; every design for it follows.")

    def _keep(self, process: Process, words: str) -> None:
        self.session.library.keep_process(process)
        self.process = process
        self.session.process_changed()
        self._show_states()
        if self.piece.currentData() == COMB:
            self.fits.begin(process, self.coupon())
        else:
            self.work_out()
        self.said.setText(words)

    def _show_states(self) -> None:
        clear(self._states)
        history = self.process.history
        self.states_title.setVisible(bool(history))
        if not history:
            return
        dates = ", ".join(state.date or "at first" for state in reversed(history[-3:]))
        self._states.addWidget(label(f"{dates}{' …' if len(history) > 3 else ''}", "small", wrap=True))
        self._states.addWidget(
            button("Compare, or go back …", "link", self.compare_states, "The states of this process side by side"), 0,
            Qt.AlignmentFlag.AlignLeft,
        )  # fmt: skip

    def compare_states(self) -> None:
        """Open the states side by side."""
        self.states = StatesWindow(
            self.process, lambda state: self._keep(self.process.back_to(state), "Back in an earlier state."), self
        )
        self.states.show()


def _number(text: str) -> float | None:
    try:
        return float(text.replace(",", ".").removesuffix("mm").strip())
    except ValueError:
        return None
