"""Calibration as a short path: print this, measure these, here is what it means."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from ...core.formula.typed import typed_length
from ...core.problem import SchabloneError
from ...core.process import Process, neutral
from ...core.process.calibrate import Calibration, calibrate
from ...core.process.checking import check
from ...core.process.known import MeasuredPiece
from ...core.process.model import NAMES
from ...core.process.readings import MadePiece, in_inches
from ...core.process.taking_over import calibrated, calibrated_cut
from ...core.process.told_apart import spacing
from ...core.quantity import plain
from ...core.words import sentence
from ...worker import talk
from ..library import Library
from ..readings_left import texts_of
from ..saving import ask_file
from ..scratch import scratch_file
from ..states_window import StatesWindow
from ..widgets.basics import button, label
from ..worker_client import WorkerClient
from .calibration_make import MakeColumn
from .calibration_meaning import MeaningColumn
from .calibration_piece import TestPiece, pieces_for
from .fits_card import COMB, FitsCard
from .reading_sheet import TIMES, ReadingSheet


class CalibrationPage(QWidget):
    """One process, from its test piece to a new state. ``left`` goes back to the processes,
    ``kept`` tells of a process that has been kept in the library with new figures."""

    left = Signal()
    kept = Signal(object)

    def __init__(self, library: Library) -> None:
        super().__init__()
        self.setObjectName("page")
        self.library = library
        self.worker: WorkerClient | None = None
        self.process: Process = neutral()
        self.found: Calibration | None = None
        self.seed = 1
        #: Answers that were asked for about another piece are nobody's.
        self._turn = 0
        outer = QVBoxLayout(self)
        outer.setContentsMargins(28, 20, 28, 18)
        outer.setSpacing(10)
        head = QHBoxLayout()
        self.back = button("‹ Processes", "link", self.left.emit, "Back to the processes")
        head.addWidget(self.back)
        self.title = label("", "page_title")
        head.addWidget(self.title)
        head.addStretch(1)
        outer.addLayout(head)
        self.said = label("", "quiet", wrap=True)
        outer.addWidget(self.said)
        columns = QHBoxLayout()
        columns.setSpacing(22)
        self.make = MakeColumn()
        self.make.piece_chosen.connect(self.take_piece)
        self.make.file_wanted.connect(self.save_dialog)
        self.make.practice_wanted.connect(self.practise)
        self.make.states_wanted.connect(self.compare_states)
        columns.addLayout(self.make, 3)
        self.measuring = QWidget()
        both = QHBoxLayout(self.measuring)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(22)
        both.addLayout(self._measure(), 1)
        self.meaning = MeaningColumn()
        self.meaning.together_chosen.connect(self.work_out)
        self.meaning.use_wanted.connect(self.save_state)
        both.addLayout(self.meaning, 1)
        columns.addWidget(self.measuring, 10)
        self.fits = FitsCard(self.library.readings)
        self.fits.made.connect(self._keep_gaps)
        self.fits.hide()
        columns.addWidget(self.fits, 10)
        outer.addLayout(columns, 1)

    def _measure(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(label("2  Measure these", "heading"))
        column.addWidget(
            label(
                "With a caliper, in mm; twice or more where you can. Empty cells are left out.",
                "quiet",
                wrap=True,
            )
        )
        self.sheet = ReadingSheet()
        self.sheet.itemChanged.connect(lambda _: self.work_out())
        column.addWidget(self.sheet, 1)
        foot = QHBoxLayout()
        foot.addWidget(
            button(
                "Read CSV …",
                "link",
                self.read_dialog,
                "Readings from a file: one row for each feature",
            )
        )
        foot.addWidget(button("Empty", "link", self.empty, "Take all readings away"))
        foot.addStretch(1)
        column.addLayout(foot)
        zero = QHBoxLayout()
        zero.addWidget(label("Closed, the caliper shows", "quiet"))
        self.closed = QLineEdit()
        self.closed.setPlaceholderText("not looked at")
        self.closed.setFixedWidth(110)
        self.closed.setAccessibleName("what the closed caliper shows")
        self.closed.textChanged.connect(lambda _: self.work_out())
        zero.addWidget(self.closed)
        zero.addWidget(label("mm", "quiet"))
        zero.addStretch(1)
        column.addLayout(zero)
        self.wrong = label("", "wrong", wrap=True)
        column.addWidget(self.wrong)
        self.inches = button(
            "They are in inches", "", self.sheet.take_as_inches, "Take all readings as inches"
        )
        column.addWidget(self.inches, 0, Qt.AlignmentFlag.AlignLeft)
        self.inches.hide()
        return column

    # What it is about

    @property
    def cuts(self) -> bool:
        return self.process.family == "cut"

    @property
    def piece(self) -> TestPiece:
        """The test piece that is chosen."""
        return TestPiece(self.process, self.make.chosen, self.make.cut_from if self.cuts else None)

    def begin(self, process: Process, worker: WorkerClient) -> None:
        """Calibrate a process: list what is on its test piece."""
        self.sheet.show_features([])  # what stands there is of another process
        self.process, self.worker = process, worker
        self.title.setText(f"Calibrate {process.name}")
        self.closed.clear()
        self.make.begin(process, pieces_for(process))
        self.make.show_states(process.history)
        # The stock of a piece that was measured and not taken over, or the first one.
        for number in reversed(range(self.make.stock.count())):
            self.make.stock.setCurrentIndex(number)
            if self.library.readings.of(process.name, self.piece.left_as):
                break
        self.take_piece(self.make.chosen)

    def take_piece(self, name: str) -> None:
        """Go on with one of the test pieces."""
        self._turn += 1
        self.sheet.show_features([])
        self.make.piece.setCurrentIndex(self.make.piece.findData(name))
        coupon = self.piece.design()
        self.make.title.setText(f"1  {'Cut' if self.cuts else 'Print'} this")
        self.make.words.setText(f"{coupon.name}: {coupon.note}")
        by_feel = name == COMB
        self.measuring.setVisible(not by_feel)
        self.fits.setVisible(by_feel)
        self.make.nobody.setVisible(not by_feel)
        self._begin_piece()
        if by_feel:
            self.said.setText(
                "First calibrate the sizes. Then the gaps of the fits "
                "are what your hands say they are."
            )
            self.fits.begin(self.process, coupon)
            return
        once = "Do it once for each material."
        if self.cuts and self.process.kind != "router":
            once = "Do it once for each material and thickness."
            if self.piece.stock is None:
                material, thickness = self.piece.cut_from
                once = (
                    f"No stock is known: it is to be cut from {material} of {plain(thickness)} mm."
                )
        self.said.setText(
            "Nothing is corrected in the test piece: what comes off shows what the machine "
            f"does. {once}"
        )
        self.work_out()
        self._with_file(self._ask_features)

    def _with_file(self, then: Callable[[Path], None]) -> None:
        """Export the test piece to a scratch file, then go on."""
        assert self.worker is not None
        piece = self.piece
        path = scratch_file(f"coupon{piece.ending}")
        turn = self._turn

        def done(answer: talk.Exported | talk.Refused) -> None:
            if turn != self._turn:
                return
            if isinstance(answer, talk.Refused):
                self.wrong.setText(answer.text)
            else:
                then(path)

        self.worker.export(piece.design(), "sent", piece.maker, path, done)

    def _ask_features(self, path: Path) -> None:
        assert self.worker is not None
        self.worker.ask_file(talk.Features(path=str(path)), self._now(self._take_features))

    def _now(self, take: Callable[[Any], None]) -> Callable[[Any, Any], None]:
        """What takes an answer, as long as it is still the same piece that is asked about."""
        turn = self._turn

        def taken(answer: object, _: object) -> None:
            if turn == self._turn:
                take(answer)

        return taken

    def _take_features(self, answer: talk.FeaturesFound | talk.Refused) -> None:
        if isinstance(answer, talk.Refused):
            self.wrong.setText(answer.text)
            return
        self.sheet.show_features(answer.features)
        left = self.library.readings.of(self.process.name, self.piece.left_as)
        if rows := texts_of(left, "rows"):
            self.made_on = str(left.get("made on", ""))
            self.closed.blockSignals(True)
            self.closed.setText(str(left.get("closed", "")))
            self.closed.blockSignals(False)
            self.sheet.put_back(rows)
            self.said.setText(
                "What was measured before and not taken over is here still. “Empty” takes it away."
            )

    def _remember(self) -> None:
        """Keep what is typed until it is taken over."""
        if not self.sheet.features:
            return
        rows = self.sheet.texts() if self._kept is None else {}
        today = datetime.date.today().isoformat()
        data = {"rows": rows, "made on": self.made_on or today, "closed": self.closed.text()}
        self.library.readings.keep(self.process.name, self.piece.left_as, data if rows else {})

    def save_dialog(self) -> None:
        kind = ("DXF", ".dxf") if self.cuts else ("3MF", ".3mf")
        path = ask_file(self, "Save the test piece", "coupon", kind)
        if path is not None and self.worker is not None:
            self.worker.export(
                self.piece.design(),
                "sent",
                self.piece.maker,
                Path(path),
                lambda answer: self.said.setText(
                    answer.text if isinstance(answer, talk.Refused) else f"Saved {Path(path).name}."
                ),
            )

    def practise(self) -> None:
        """Let a practice machine make the piece from its file, and measure it."""
        machine, day = self.make.practice.currentText(), self.make.day
        self._begin_piece(f"practice day {day}")

        def go(path: Path) -> None:
            assert self.worker is not None
            request = talk.Practise(
                path=str(path),
                machine=machine,
                piece=self.seed,
                day=day,
                layer=self.process.layer,
                thickness=stock.measured if (stock := self.piece.stock) is not None else 0.0,
                times=TIMES,
            )
            self.worker.ask_file(request, self._now(self._take_practice))

        self.seed += 1
        self._with_file(go)

    def _take_practice(self, answer: talk.PieceMeasured | talk.Refused) -> None:
        if isinstance(answer, talk.Refused):
            self.wrong.setText(answer.text)
            return
        self.closed.blockSignals(True)
        self.closed.setText(plain(answer.closed, 3))
        self.closed.blockSignals(False)
        self.sheet.fill([[plain(value, 3) for value in row["readings"]] for row in answer.measured])

    # Readings

    def _begin_piece(self, made_on: str = "") -> None:
        """The readings that come are those of another piece."""
        self.made_on, self._offered = made_on, False
        self._kept: MeasuredPiece | None = None

    def empty(self) -> None:
        self._begin_piece()
        self.sheet.empty()

    def read_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Readings", "", "CSV (*.csv *.txt)")
        if path:
            self.read_csv(Path(path))

    def read_csv(self, path: Path) -> None:
        """Readings from a file, or why they are none."""
        wrong = self.sheet.read_csv(path)
        if wrong:
            self.wrong.setText(wrong)

    def read_piece(self) -> MadePiece:
        """What was measured, with the day that it was made on."""
        readings, _ = self.sheet.readings()
        return MadePiece(
            tuple(readings),
            self.made_on or datetime.date.today().isoformat(),
            typed_length(self.closed.text()),
        )

    def earlier(self) -> tuple[MeasuredPiece, ...]:
        """The pieces that were measured before, of the same material and thickness where it is one
        that is cut."""
        material, thickness = self.piece.cut_from
        return tuple(
            piece
            for piece in self.process.pieces
            if piece != self._kept
            and (
                not self.cuts
                or self.process.kind == "router"
                or (piece.material, piece.thickness) == (material, thickness)
            )
        )

    def work_out(self) -> None:
        """Fit what there is."""
        piece, (_, cells) = self.read_piece(), self.sheet.readings()
        self.found, wrong, words = None, "", ""
        if unread := self.sheet.unread():
            wrong = f"{', '.join(f'“{text}”' for text in unread[:3])} is no number in mm."
        if self.closed.text().strip() and piece.closed is None:
            wrong = wrong or f"“{self.closed.text()}” is no number in mm."
        if not piece.readings:
            self.meaning.together.hide()
        if piece.readings:
            try:
                words = self._hold_against(piece)
                self._fit(piece)
            except ValueError as error:
                wrong = wrong or sentence(str(error))
        self.inches.setVisible(in_inches(piece.readings))
        self.wrong.setText(wrong)
        self.sheet.mark(
            cells, (self.found.slipped | self.found.outliers) if self.found else frozenset()
        )
        everything = [*piece.readings, *(r for old in self._with() for r in old.readings)]
        self.meaning.show_fit(self.found, self.process, everything, words)
        self._remember()

    def _hold_against(self, piece: MadePiece) -> str:
        """What the piece says of the process as it is known; the earlier pieces are offered where
        they still hold."""
        earlier = self.earlier()
        self.meaning.together.setVisible(bool(earlier))
        if not earlier:
            self.meaning.together.setChecked(False)
            return ""
        days = ", ".join(dict.fromkeys(one.date for one in earlier[-3:]))
        count = f"the {len(earlier)} pieces" if len(earlier) > 1 else "the piece"
        self.meaning.together.setText(f"Together with {count} of {days}")
        result = check(self.process, piece, *self.piece.cut_from)
        if not self._offered:
            self.meaning.together.setChecked(result.holds)
            self._offered = True
        return result.words

    def _with(self) -> list[MadePiece]:
        """The earlier pieces that are taken together with this one."""
        return (
            [MadePiece.of(one) for one in self.earlier()]
            if self.meaning.together.isChecked()
            else []
        )

    def _fit(self, piece: MadePiece) -> None:
        process = self.process
        before = {
            name: value
            for name in NAMES
            if isinstance(value := getattr(process, name, None), float)
        }
        pieces = [piece, *self._with()]
        self.found = calibrate(
            pieces, process.kind, layer=process.layer, cutter=process.cutter, before=before
        )

    # States

    def save_state(self) -> None:
        """The figures become the process's own from today on; the state before stays at hand."""
        if self.found is None:
            return
        today = datetime.date.today().isoformat()
        material, thickness = self.piece.cut_from
        kept = self.read_piece().kept(str(self.make.piece.currentText()), material, thickness)
        mine = self.earlier()
        others = (one for one in self.process.pieces if one not in mine and one != self._kept)
        pieces = (*others, *(mine if self._with() else ()), kept)
        try:
            if self.cuts:
                made = calibrated_cut(self.process, self.found, today, material, thickness, pieces)
            else:
                made = calibrated(self.process, self.found, today, pieces)
        except ValidationError as error:
            self.wrong.setText(
                f"These figures are beyond what such a machine does: {error.errors()[0]['msg']}."
            )
            return
        self._kept = kept
        words = f"{made.name} is calibrated; every design for it follows."
        if spacing(made):
            words += " Some of its fits lie nearer than it can tell apart: see its card."
        self._keep(made, words)

    def _keep(self, process: Process, words: str) -> bool:
        try:
            process = self.library.keep_process(process, self.process)
        except SchabloneError as error:
            self._kept = None
            self.wrong.setText(str(error))
            return False
        self.process = process
        self.kept.emit(process)
        self.make.show_states(process.history)
        if self.make.chosen == COMB:
            self.fits.begin(process, self.piece.design())
        else:
            self.work_out()
        self.said.setText(words)
        return True

    def _keep_gaps(self, made: Process) -> None:
        if self._keep(made, f"{made.name} has these gaps now; every fit follows."):
            self.fits.forget()

    def compare_states(self) -> None:
        """Open the states side by side."""
        self.states = StatesWindow(
            self.process,
            lambda state: self._keep(self.process.back_to(state), "Back in an earlier state."),
            self,
        )
        self.states.show()
