"""From bent test strips to the chart of a machine that folds."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import QDate, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Design
from ...core.practice.machines import machines_for
from ...core.problem import SchabloneError
from ...core.process import Process
from ...core.process.bend_calibrate import BendCalibration, calibrated_by_sheet
from ...core.process.bend_chart import BendFigures
from ...core.process.known import Bend, Stock
from ...core.quantity import plain
from ...core.words import listed, sentence
from ...reader import read
from ...worker import talk
from ..demo import demo_designs
from ..readings_left import texts_of
from ..saving import ask_file
from ..scratch import scratch_file
from ..session import Session
from ..widgets.basics import button, label
from ..worker_client import WorkerClient
from .strip_sheet import StripSheet

#: Under this name what is typed of the strips is kept.
_PIECE = "strips"
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
        self.found: list[BendCalibration] = []
        self.seed = 1
        self._radius = 1.0
        self._later = QTimer(self, singleShot=True, interval=120)
        self._later.timeout.connect(self._typed)
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
        columns.addLayout(self._measuring(), 7)
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
        self.stock.activated.connect(lambda _: self.another_sheet())
        column.addWidget(self.stock)
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
        self.table = StripSheet()
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
            self.stock.addItem(f"{stock.name} ({plain(stock.measured, 2)} mm)", stock.model_dump())
        self._put_all_empty()
        left = texts_of(self.session.library.readings.of(process.name, _PIECE), "rows")
        if left:
            self.table.put_back(left, self.sheet.material)
            self.said.setText("What was measured before and not taken over is here still.")
        self.work_out()

    @property
    def sheet(self) -> Stock:
        """The stock that the strips are cut from."""
        return Stock.model_validate(self.stock.currentData())

    def coupon(self) -> Design:
        """The test strips."""
        path = next(demo for demo in demo_designs() if demo.stem == "bend-coupon")
        coupon: Design = read("design", path)
        return coupon

    def another_sheet(self) -> None:
        """Strips of another sheet: rows for them, beside those that are filled in."""
        self.table.drop_empty()
        filled = self.table.rowCount()
        self._radius = self._usual_radius()
        for told in ("90", "90", "45", "120"):
            self._put_empty(told)
        if filled:
            self.table.scrollToBottom()
        self.work_out()

    def empty(self) -> None:
        """No readings yet: four strips to be filled in."""
        self._put_all_empty()
        self._typed()

    def _put_all_empty(self) -> None:
        self._radius = self._usual_radius()
        self.table.setRowCount(0)
        for told in (90, 90, 45, 120):
            self._put_empty(str(told))

    def _typed(self) -> None:
        """Work out what was typed, and remember it until it is taken over."""
        self.work_out()
        rows = self.table.texts()
        data = {"rows": rows} if rows else {}
        self.session.library.readings.keep(self.process.name, _PIECE, data)

    def _usual_radius(self) -> float:
        known = [row for row in self.process.bends if row.material in (self.sheet.material, "")]
        near = min(known, key=lambda row: abs(row.thickness - self.sheet.measured), default=None)
        return near.radius if near else self.sheet.measured

    def add_strip(self) -> None:
        """One more row."""
        self._put_empty("90")

    def _put_empty(self, told: str) -> None:
        cells = ("100", plain(self.sheet.measured, 3), told, "", "", "", plain(self._radius, 2))
        self.table.put(cells, self.sheet.material)

    def work_out(self) -> None:
        """What the readings say, as they stand."""
        self.found = []
        self.wrong.setText("")
        try:
            self.found = calibrated_by_sheet(self.table.readings())
        except ValueError as error:
            self.wrong.setText(sentence(str(error)))
        self.wrong.setVisible(bool(self.wrong.text()))
        self.take.setEnabled(bool(self.found))
        told = [_told(one, several=len(self.found) > 1) for one in self.found]
        half = [str(number) for number in self.table.half()]
        if half:
            are = "s {} are" if len(half) > 1 else " {} is"
            told.append(f"Strip{are.format(listed(half))} not filled in yet, and left out.")
        self.told.setText("\n\n".join(told) or "Fill in a strip, line by line.")
        self.table.show_off(
            {
                strip: off
                for one in self.found
                for strip, (off, _) in zip(one.strips, one.residuals, strict=True)
            }
        )

    def take_over(self) -> bool:
        """Put what was found into the chart of the process, in the place of rows of the same
        sheets and tools; the process is the user's own from then on."""
        if not self.found:
            return False
        today = QDate.currentDate().toString(Qt.DateFormat.ISODate)
        made = [one.bend(date=today) for one in self.found]
        rows = [row for row in self.process.bends if not any(_same(row, new) for new in made)]
        try:
            process = self.process.with_(bends=(*rows, *made))
            process = self.session.library.keep_process(process, self.process)
        except (SchabloneError, ValueError) as error:
            self._say_wrong(str(error))
            return False
        self.process = process
        self.session.library.readings.keep(process.name, _PIECE, {})
        self.session.process_changed()
        self.session.said.emit(
            f"{process.name} bends {listed([_sheet_of(new) for new in made])} by what was measured "
            "now; every blank follows."
        )
        return True

    def _say_wrong(self, text: str) -> None:
        self.wrong.setText(text)
        self.wrong.show()

    # Files

    def save_dialog(self) -> None:
        """Ask where the strips go, and write them."""
        path = ask_file(self, "Save the strips", "bend-coupon", ("DXF", ".dxf"))
        if path is not None:
            self._write(path, lambda: self.said.setText(f"Saved {path.name}."))

    def practise(self) -> None:
        """Let a practice machine bend the strips of the file, and measure them."""
        path = scratch_file("strips.dxf")
        process, material = self.process, self.sheet.material

        def take(answer: talk.StripsBent | talk.Refused, _: object) -> None:
            if process.name == self.process.name:  # else they are strips of another machine
                self._take_practice(answer, material)

        def go() -> None:
            assert self.worker is not None
            request = talk.BendStrips(
                path=str(path),
                machine=self.practice.currentText(),
                thickness=self.sheet.nominal,
                piece=self.seed,
            )
            self.seed += 1
            self.worker.ask_file(request, take)

        self._write(path, go)

    def _write(self, path: Path, then: object) -> None:
        assert self.worker is not None

        def done(answer: talk.Exported | talk.Refused) -> None:
            if isinstance(answer, talk.Refused):
                self._say_wrong(answer.text)
            elif callable(then):
                then()

        self.worker.export(self.coupon(), "sent", self.process, path, done)

    def _take_practice(self, answer: talk.StripsBent | talk.Refused, material: str) -> None:
        if isinstance(answer, talk.Refused):
            self._say_wrong(answer.text)
            return
        self.table.drop_empty()
        for strip in answer.strips:
            first, second, angle = np.mean(strip["readings"], axis=0)
            self.table.put(
                (
                    plain(strip["blank"], 2),
                    plain(strip["thickness"], 3),
                    plain(strip["told"], 1),
                    f"{first:.2f}",
                    f"{second:.2f}",
                    f"{angle:.1f}",
                    plain(answer.radius, 2),
                ),
                material,
            )
        self._typed()


def _told(calibration: BendCalibration, *, several: bool) -> str:
    """What strips of one sheet say, in words and figures, ± for 95 of 100."""
    row = calibration.bend()
    assert row.known is not None
    k, springs, stop = calibration.k, calibration.springs, calibration.stop
    figures = BendFigures(row.radius, k.value, chart=True, known=row.known)
    leg, turn = figures.within(row.angle) or (0.0, 0.0)
    stands = ""
    if abs(stop.value) > 2 * stop.unsure:
        way = "far" if stop.value > 0 else "near"
        stands = f"The stop stands {abs(stop.value):.2f} mm too {way}: set it by that."
    if several:
        return (
            f"{_sheet_of(row)}, radius {plain(row.radius, 2)} mm: "
            f"{row.deduction:.2f} ± {k.factor * row.known.deduction:.2f} mm off at 90°, k-factor "
            f"{k.value:.3f} ± {k.factor * k.unsure:.3f}, springs back {row.springs_back:.1f} ± "
            f"{springs.factor * row.known.angle:.1f}°. {stands} The next legs come within ± "
            f"{leg:.2f} mm, angles within ± {turn:.1f}°."
        )
    lines = [
        f"{_sheet_of(row)}, radius {plain(row.radius, 2)} mm.",
        f"A right angle takes {row.deduction:.2f} ± {k.factor * row.known.deduction:.2f} mm off "
        "both legs.",
        f"k-factor {k.value:.3f} ± {k.factor * k.unsure:.3f}.",
        f"It springs back by {row.springs_back:.1f} ± {springs.factor * row.known.angle:.1f}° of "
        "90°; the machine is told so much more.",
    ]
    if stands:
        lines.append(stands)
    lines.append(
        f"The next legs come within ± {leg:.2f} mm, angles within ± {turn:.1f}°: 95 of 100."
    )
    if len(calibration.strips) < 3:
        lines.append("More strips would make this surer.")
    return "\n\n".join(lines)


def _sheet_of(row: Bend) -> str:
    return f"{plain(row.thickness, 2)} mm {row.material}".strip()


def _same(row: Bend, made: Bend) -> bool:
    return (
        row.material == made.material
        and abs(row.angle - made.angle) < 1e-6
        and abs(row.thickness - made.thickness) <= _SAME[0] * made.thickness
        and abs(row.radius - made.radius) <= _SAME[1] * made.thickness
    )
