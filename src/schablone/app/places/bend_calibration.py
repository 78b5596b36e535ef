"""From bent test strips to the chart of a machine that folds."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from PySide6.QtCore import QDate, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Design, read_design
from ...core.practice.machines import machines_for
from ...core.problem import SchabloneError
from ...core.process import Process
from ...core.process.bend_calibrate import BendCalibration, StripReading, calibrated
from ...core.process.bend_chart import BendFigures
from ...core.process.model import Bend, Stock
from ...core.quantity import plain
from ...worker import talk
from ..demo import demo_designs
from ..session import Session
from ..widgets.basics import button, label
from ..worker_client import WorkerClient

#: Columns of the table of strips: head, and what it says to the pointer.
_COLUMNS = (
    ("blank", "Length of the strip before it was bent, mm"),
    ("thick", "Thickness of the strip, mm"),
    ("told", "The angle that the machine was told, degrees"),
    ("leg", "One leg, from its tip to the outer face of the other, mm"),
    ("other leg", "The other leg, mm"),
    ("angle", "The angle that came, degrees"),
    ("off", "How far both legs together are from what the figures say, mm"),
)
_TYPED = 6
#: A row of the chart is replaced by one of the same thickness and radius within these shares.
_SAME = (0.06, 0.15)


class BendCalibrationPage(QWidget):
    """The path from test strips to a row of the chart. ``left`` goes back."""

    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.session = session
        self.worker: WorkerClient | None = None
        self.process: Process = session.process
        self.found: BendCalibration | None = None
        self.seed = 1
        self._later = QTimer(self, singleShot=True, interval=120)
        self._later.timeout.connect(self.work_out)
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
        columns.setSpacing(24)
        columns.addLayout(self._making(), 3)
        columns.addLayout(self._measuring(), 6)
        columns.addLayout(self._telling(), 4)
        outer.addLayout(columns, 1)

    # Its three columns

    def _making(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(label("1  Bend test strips", "heading"))
        column.addWidget(
            label(
                "Four strips with one bend each, of the sheet that the chart is for: two at 90°, "
                "one at 45° and one at 120°. Cut them, bend them along their line.",
                "",
                wrap=True,
            )
        )
        column.addWidget(
            button("Save the file …", "", self.save_dialog, "The strips as DXF for your machine"),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )
        column.addWidget(label("SHEET", "group"))
        self.stock = QComboBox()
        self.stock.setAccessibleName("sheet that the strips are cut from")
        self.stock.activated.connect(lambda _: self.empty())
        column.addWidget(self.stock)
        row = QHBoxLayout()
        row.addWidget(label("inside radius", ""))
        self.radius = QLineEdit()
        self.radius.setAccessibleName("inside radius that the tool leaves, mm")
        self.radius.setFixedWidth(64)
        self.radius.textChanged.connect(lambda _: self._later.start())
        row.addWidget(self.radius)
        row.addWidget(label("mm", "quiet"))
        row.addStretch(1)
        column.addLayout(row)
        column.addSpacing(14)
        column.addWidget(label("NO MACHINE AT HAND?", "group"))
        column.addWidget(
            label(
                "A practice machine takes the same file, bends the strips and measures them. What "
                "it does is hidden.",
                "small",
                wrap=True,
            )
        )
        self.practice = QComboBox()
        self.practice.setAccessibleName("practice machine")
        self.practice.addItems(list(machines_for("folding")))
        column.addWidget(self.practice)
        column.addWidget(
            button("Bend and measure", "", self.practise, "Let it bend and measure four strips"),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )
        column.addStretch(1)
        return column

    def _measuring(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        head = QHBoxLayout()
        head.addWidget(label("2  Measure them", "heading"))
        head.addStretch(1)
        head.addWidget(button("+ strip", "link", self.add_strip, "One more strip"))
        head.addWidget(button("Empty", "link", self.empty, "Take all readings away"))
        column.addLayout(head)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setAccessibleName("measured strips")
        self.table.setHorizontalHeaderLabels([words for words, _ in _COLUMNS])
        for number, (_, tip) in enumerate(_COLUMNS):
            self.table.horizontalHeaderItem(number).setToolTip(tip)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(34)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.itemChanged.connect(lambda _: self._later.start())
        column.addWidget(self.table, 1)
        column.addWidget(
            label(
                "Lengths in mm. Legs are measured from the outside, up to the outer face of the "
                "other leg; beyond 90° to the outermost point of the bend.",
                "small",
                wrap=True,
            )
        )
        return column

    def _telling(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(label("3  What they say", "heading"))
        self.wrong = label("", "wrong", wrap=True)
        self.told = label("", "", wrap=True)
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        column.addWidget(self.wrong)
        column.addWidget(self.told)
        self.take = button("Take over into the chart", "main", self.take_over, "A row of its bends")
        column.addWidget(self.take, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        return column

    # What it does

    def begin(self, process: Process, worker: WorkerClient) -> None:
        """Take a process up."""
        self.process, self.worker = process, worker
        self.title.setText(f"Calibrate {process.name}")
        self.said.setText(
            "Each sheet and tool has a row of its own in the chart. What is measured here says how "
            "long a bend is on the blank, and how far it springs back."
        )
        self.stock.clear()
        for stock in process.stock or (
            Stock(name="1 mm", material=process.material.name, nominal=1.0, measured=1.0),
        ):
            self.stock.addItem(
                f"{stock.name}, measured {plain(stock.measured, 2)} mm", stock.model_dump()
            )
        self.empty()

    @property
    def sheet(self) -> Stock:
        """The stock that the strips are cut from."""
        return Stock.model_validate(self.stock.currentData())

    def coupon(self) -> Design:
        """The test strips."""
        path = next(demo for demo in demo_designs() if demo.stem == "bend-coupon")
        return read_design(path)

    def empty(self) -> None:
        """No readings yet: four strips to be filled in."""
        known = [row for row in self.process.bends if row.material in (self.sheet.material, "")]
        near = min(known, key=lambda row: abs(row.thickness - self.sheet.measured), default=None)
        self.radius.setText(plain(near.radius if near else self.sheet.measured, 2))
        self.table.setRowCount(0)
        for told in (90, 90, 45, 120):
            self._put(("100", plain(self.sheet.measured, 3), str(told), "", "", ""))
        self.work_out()

    def add_strip(self) -> None:
        """One more row."""
        self._put(("100", plain(self.sheet.measured, 3), "90", "", "", ""))

    def _put(self, cells: tuple[str, ...]) -> None:
        self.table.blockSignals(True)
        at = self.table.rowCount()
        self.table.insertRow(at)
        for column, text in enumerate((*cells, "")):
            item = QTableWidgetItem(text)
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if column == _TYPED:
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.table.setItem(at, column, item)
        self.table.blockSignals(False)

    def readings(self) -> list[StripReading]:
        """The strips that are filled in.

        Raises:
            ValueError: where a cell is no number.
        """
        found = []
        for row in range(self.table.rowCount()):
            cells = [self.table.item(row, column).text().strip() for column in range(_TYPED)]
            if not all(cells):
                continue
            numbers = []
            for (words, _), cell in zip(_COLUMNS, cells, strict=False):
                number = _number(cell)
                if number is None:
                    raise ValueError(f"strip {row + 1}: “{cell}” is no number for {words}")
                numbers.append(number)
            found.append(StripReading(*numbers))
        return found

    def work_out(self) -> None:
        """What the readings say, as they stand."""
        self.found = None
        self.wrong.setText("")
        try:
            strips = self.readings()
            radius = _number(self.radius.text())
            if radius is None or radius < 0:
                raise ValueError("the inside radius is no length in mm")
            if strips:
                self.found = calibrated(strips, radius, self.sheet.material)
        except ValueError as error:
            text = str(error)
            self.wrong.setText(f"{text[:1].upper()}{text[1:]}.")
        self.take.setEnabled(self.found is not None)
        self.told.setText(_told(self.found) if self.found else "Fill in a strip, line by line.")
        self._show_residuals()

    def _show_residuals(self) -> None:
        self.table.blockSignals(True)
        left = iter(self.found.residuals if self.found else ())
        for row in range(self.table.rowCount()):
            full = all(self.table.item(row, column).text().strip() for column in range(_TYPED))
            off = next(left, None) if full and self.found else None
            self.table.item(row, _TYPED).setText("" if off is None else f"{off[0]:+.3f}")
        self.table.blockSignals(False)

    def take_over(self) -> bool:
        """Put the row into the chart of the process, in the place of one of the same sheet and
        tool; the process is the user's own from then on."""
        if self.found is None:
            return False
        made = self.found.bend(date=QDate.currentDate().toString(Qt.DateFormat.ISODate))
        rows = [row for row in self.process.bends if not _same(row, made)]
        try:
            process = self.process.with_(bends=(*rows, made))
            self.session.library.keep_process(process)
        except (SchabloneError, ValueError) as error:
            self.wrong.setText(str(error))
            return False
        self.process = process
        self.session.process_changed()
        self.session.said.emit(
            f"{process.name} bends {plain(made.thickness, 2)} mm {made.material} by what was "
            "measured now; every blank follows."
        )
        return True

    # Files

    def save_dialog(self) -> None:
        """Ask where the strips go, and write them."""
        path, _ = QFileDialog.getSaveFileName(self, "Save the strips", "bend-coupon.dxf", "*.dxf")
        if path:
            self._write(Path(path), lambda: self.said.setText(f"Saved {Path(path).name}."))

    def practise(self) -> None:
        """Let a practice machine bend the strips of the file, and measure them."""
        path = Path(tempfile.mkdtemp(prefix="schablone-")) / "strips.dxf"

        def go() -> None:
            assert self.worker is not None
            request = talk.BendStrips(
                path=str(path),
                machine=self.practice.currentText(),
                thickness=self.sheet.nominal,
                piece=self.seed,
            )
            self.seed += 1
            self.worker.ask_file(request, self._take_practice)

        self._write(path, go)

    def _write(self, path: Path, then: object) -> None:
        assert self.worker is not None

        def done(answer: talk.Exported | talk.Refused) -> None:
            if isinstance(answer, talk.Refused):
                self.wrong.setText(answer.text)
            elif callable(then):
                then()

        self.worker.export(self.coupon(), "sent", self.process, path, done)

    def _take_practice(self, answer: talk.StripsBent | talk.Refused, _: object) -> None:
        if isinstance(answer, talk.Refused):
            self.wrong.setText(answer.text)
            return
        self.table.setRowCount(0)
        self.radius.setText(plain(answer.radius, 2))
        for strip in answer.strips:
            first, second, angle = np.mean(strip["readings"], axis=0)
            self._put(
                (
                    plain(strip["blank"], 2),
                    plain(strip["thickness"], 3),
                    plain(strip["told"], 1),
                    f"{first:.3f}",
                    f"{second:.3f}",
                    f"{angle:.2f}",
                )
            )
        self.work_out()


def _told(found: BendCalibration) -> str:
    """What strips say, in words and figures, ± for 95 of 100."""
    row = found.bend()
    assert row.known is not None
    k, springs, stop = found.k, found.springs, found.stop
    figures = BendFigures(row.radius, k.value, chart=True, known=row.known)
    leg, turn = figures.within(row.angle) or (0.0, 0.0)
    lines = [
        f"A right angle takes {row.deduction:.2f} ± {k.factor * row.known.deduction:.2f} mm off "
        "both legs.",
        f"k-factor {k.value:.3f} ± {k.factor * k.unsure:.3f}.",
        f"It springs back by {row.springs_back:.1f} ± {springs.factor * row.known.angle:.1f}° of "
        "90°; the machine is told so much more.",
    ]
    if abs(stop.value) > 2 * stop.unsure:
        lines.append(
            f"The stop stands {abs(stop.value):.2f} mm too {'far' if stop.value > 0 else 'near'}: "
            "set it by that."
        )
    lines.append(
        f"The next legs come within ± {leg:.2f} mm, angles within ± {turn:.1f}°: 95 of 100."
    )
    if len(found.strips) < 3:
        lines.append("More strips would make this surer.")
    return "\n\n".join(lines)


def _same(row: Bend, made: Bend) -> bool:
    return (
        row.material == made.material
        and abs(row.angle - made.angle) < 1e-6
        and abs(row.thickness - made.thickness) <= _SAME[0] * made.thickness
        and abs(row.radius - made.radius) <= _SAME[1] * made.thickness
    )


def _number(text: str) -> float | None:
    try:
        return float(text.replace(",", ".").replace("−", "-"))
    except ValueError:
        return None
