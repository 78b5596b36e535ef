"""The adjust window: what someone sees who opens an edition. Only what may be adjusted, their own
machine, files."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QSlider,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from ..core.design import Adjustable
from ..core.design.edit import make_by
from ..core.formula.value_table import ValueTable
from ..core.problem import Problem
from ..core.process import Process
from ..core.publish.edition import Edition, file_name, suitable, with_edition_limits
from ..core.publish.exports import FORMATS
from ..core.publish.readme import licence_name
from ..core.quantity import Quantity, plain, say
from ..core.words import say_name
from ..worker import talk
from ..worker.messages import Arrays
from .library import Library
from .sheet_work import SheetWork, Wish
from .view3d.shown import part_from
from .view3d.view import PartView
from .widgets.basics import button, clear, label, rule
from .widgets.formula_edit import FormulaEdit
from .widgets.lens_switch import LensSwitch
from .worker_client import WorkerClient

_STEPS = 1000


class AdjustWindow(QMainWindow):
    """One edition. ``values`` holds what the person has set, as formulas by size."""

    def __init__(self, edition: Edition, library: Library, worker: WorkerClient) -> None:
        super().__init__()
        self.edition, self.worker, self.library = edition, worker, library
        self.design = with_edition_limits(edition.design)
        self.values: dict[str, str] = {}
        self.processes = self._known_processes()
        worker.processes = self.others
        self.process = next(
            (p for p in self.processes if p.name == self.design.process), self.processes[0]
        )
        self._sheet = SheetWork(self)
        self._sheet.worked_out.connect(self._show_values)
        self.table = ValueTable()
        self.report: talk.Report | None = None
        self.fields: dict[str, _Field] = {}
        title = self.design.publish.title or self.design.name
        self.setWindowTitle(f"{title} – adjust")
        self.resize(1180, 760)
        self.view = PartView()
        self.setCentralWidget(self._lay_out(title))
        self._later = QTimer(self, singleShot=True, interval=15)
        self._later.timeout.connect(self._ask)
        worker.rebuilt.connect(self._rebuilt)
        worker.looked.connect(self._warn)
        worker.refused.connect(self._show_wrong)
        self.refresh()

    def _known_processes(self) -> list[Process]:
        """Those of the edition first, then the person's own."""
        known = {process.name: process for process in self.edition.processes}
        for process in self.library.processes():
            known.setdefault(process.name, process)
        self.known = list(known.values())
        return suitable(self.design, self.known)

    def others(self) -> list[Process]:
        """Those that parts of their own are made by."""
        return [process for process in self.known if process.name in self.design.own_processes()]

    def _lay_out(self, title: str) -> QWidget:
        whole = QWidget()
        whole.setObjectName("paper")
        outer = QHBoxLayout(whole)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        side = QWidget()
        side.setObjectName("column")
        side.setFixedWidth(400)
        column = QVBoxLayout(side)
        column.setContentsMargins(22, 18, 18, 16)
        column.setSpacing(10)
        publish = self.design.publish
        column.addWidget(label(title, "page_title", wrap=True))
        by = f"by {publish.author} · " if publish.author else ""
        column.addWidget(label(f"{by}{licence_name(self.design)}", "small", wrap=True))
        if publish.summary:
            column.addWidget(label(publish.summary, "", wrap=True))
        inner = QWidget()
        inner.setObjectName("column")
        fields = QVBoxLayout(inner)
        fields.setContentsMargins(0, 4, 8, 0)
        fields.setSpacing(16)
        if publish.measure_first:
            fields.addWidget(label(publish.measure_first, "quiet", wrap=True))
        if publish.presets:
            row = QHBoxLayout()
            row.setSpacing(6)
            for preset in publish.presets:
                row.addWidget(
                    button(
                        preset.name,
                        "pill",
                        lambda preset=preset: self.take(dict(preset.sizes)),
                        f"Take the sizes of {preset.name}",
                    )
                )
            row.addStretch(1)
            fields.addLayout(row)
        for item in publish.adjust:
            field = _Field(self, item)
            self.fields[item.size] = field
            fields.addWidget(field)
        fields.addStretch(1)
        scroll = QScrollArea()
        scroll.setObjectName("sheet")
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        column.addWidget(scroll, 1)
        column.addWidget(rule())
        column.addWidget(label("Your machine", "strong"))
        self.machine = QComboBox()
        self.machine.addItems([process.name for process in self.processes])
        self.machine.setCurrentText(self.process.name)
        self.machine.setAccessibleName("your machine")
        self.machine.activated.connect(lambda index: self.use(self.processes[index]))
        column.addWidget(self.machine)
        self.machine_of: dict[str, QComboBox] = {}
        for part in self.design.parts:
            mine = next((process for process in self.known if process.name == part.process), None)
            if mine is None:
                continue
            title = part.title or say_name(part.name)
            column.addWidget(label(f"and for {title}", "small"))
            box = self.machine_of[part.name] = QComboBox()
            box.setAccessibleName(f"your machine for {title}")
            box.addItems([process.name for process in self.known if process.family == mine.family])
            box.setCurrentText(mine.name)
            box.activated.connect(
                lambda _, box=box, name=part.name: self.use_for(name, box.currentText())
            )
            column.addWidget(box)
        self.machine_said = label("", "small", wrap=True)
        column.addWidget(self.machine_said)
        self.wrong = label("", "wrong", wrap=True)
        self.wrong.hide()
        column.addWidget(self.wrong)
        self.save = button(
            "Save the files for this machine …",
            "primary",
            self.export_dialog,
            "Save the files for this machine",
        )
        column.addWidget(self.save)
        self.said = label("", "small", wrap=True)
        column.addWidget(self.said)
        outer.addWidget(side)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        bar = QHBoxLayout()
        bar.setContentsMargins(14, 8, 14, 8)
        self.lens = LensSwitch()
        self.lens.chosen.connect(lambda _: self.refresh())
        bar.addWidget(self.lens)
        bar.addStretch(1)
        self.figures = label("", "quiet")
        bar.addWidget(self.figures)
        right.addLayout(bar)
        right.addWidget(rule())
        right.addWidget(self.view, 1)
        outer.addLayout(right, 1)
        return whole

    # What the person does

    def set_value(self, size: str, formula: str) -> None:
        """Set one of the sizes that may be adjusted."""
        if size in self.fields:
            self.values[size] = formula
            self.refresh()

    def take(self, values: dict[str, str]) -> None:
        """Take the sizes of a preset; what may not be adjusted is left alone."""
        self.values = {name: formula for name, formula in values.items() if name in self.fields}
        self.view.fit_next()
        self.refresh()

    def use(self, process: Process) -> None:
        """Make it for another machine."""
        self.process = process
        self.machine.setCurrentText(process.name)
        self.refresh()

    def use_for(self, part: str, process: str) -> None:
        """Make one part on another machine."""
        self.design = make_by(self.design, part, process)
        self.refresh()

    @property
    def _wish(self) -> Wish:
        return Wish(self.design, self.process, given=dict(self.values))

    def refresh(self) -> None:
        self.machine_said.setText(f"{_does(self.process)} The files make up for it.")
        if self._sheet.prepare(self._wish):
            self._show_values()
        self._later.start()

    def _show_values(self) -> None:
        self.table = self._sheet.table(self._wish, self.process)
        for field in self.fields.values():
            field.refresh()

    def is_settled(self) -> bool:
        """Whether what is on the screen is what was asked for."""
        waits = self._later.isActive() or self._sheet.is_waited_for
        return bool(self.report) and not self.worker.is_busy and not waits

    def _ask(self) -> None:
        self.worker.rebuild(self.design, self.lens.lens, self.process, {}, self.values)

    def _rebuilt(self, header: talk.Report, arrays: Arrays) -> None:
        self.report = header
        problems = [Problem.model_validate(problem) for problem in header["problems"]]
        if not header["whole"]:
            self._show_wrong(problems)
            return
        self._warn([])
        self.save.setEnabled(True)
        self.view.show_parts(
            [part_from(part, arrays, i) for i, part in enumerate(header["parts"])], header["lens"]
        )
        self.view.set_grey(False)
        part = header["parts"][0] if header["parts"] else None
        if part is not None:
            low, high = part["bounds"]
            box = " × ".join(plain(b - a, 2) for a, b in zip(low, high, strict=True))
            self.figures.setText(
                f"{box} mm  ·  {plain(part['volume'] * part['density'] / 1000, 1)} g"
            )

    def _warn(self, looked: list[talk.FindingReport]) -> None:
        """Say which checks of the part do not hold; those that look at the whole shape come a
        moment later."""
        if self.report is None or not self.report["whole"]:
            return
        found = [
            f for f in (*self.report["findings"], *looked) if not f["holds"] and f["area"] == "part"
        ]
        texts = [
            f"{finding['name']}: {finding['why'].rstrip('.')}. {finding['hint']}"
            for finding in found
        ]
        self.wrong.setText("\n".join(texts))
        self.wrong.setVisible(bool(texts))

    def _show_wrong(self, problems: list[Problem]) -> None:
        cause = next((p for p in problems if p.severity == "error" and not p.waits_for), None)
        self.wrong.setText(cause.text if cause else "It could not be built.")
        self.wrong.show()
        self.view.set_grey(True)
        self.save.setEnabled(False)

    # Files

    def export_dialog(self) -> None:
        name = f"{file_name(self.design.name)}-{file_name(self.process.name)}.3mf"
        endings = ";;".join(
            f"{ending[1:].upper()} (*{ending})"
            for ending in (".3mf", ".stl", ".step", ".dxf", ".svg")
        )
        path, _ = QFileDialog.getSaveFileName(self, "Save", str(Path.home() / name), endings)
        if path:
            self.export_to(
                Path(path) if Path(path).suffix.lower() in FORMATS else Path(path + ".3mf")
            )

    def export_to(self, path: Path) -> None:
        """Write what this machine is to be sent."""
        self.worker.export(self.design, "sent", self.process, path, self._exported, self.values)

    def _exported(self, answer: talk.Exported | talk.Refused) -> None:
        if isinstance(answer, talk.Refused):
            self.said.setText(
                "Not written: " + " ".join(problem.what for problem in answer.problems)
            )
        else:
            self.said.setText(f"Wrote {Path(answer.path).name} for {self.process.name}.")

    def closeEvent(self, event: QCloseEvent) -> None:
        self.worker.close()
        self.view.release()
        event.accept()


def _does(process: Process) -> str:
    """What a machine does to a part, in a sentence."""
    if process.family == "print":
        return (
            f"Shrinks {plain(process.shrinkage_xy)} % in x and y, "
            f"{plain(process.shrinkage_z)} % in z; "
            f"holes come out {plain(abs(process.hole_gain))} mm "
            f"{'smaller' if process.hole_gain < 0 else 'larger'}."
        )
    if process.kind == "router":
        return f"Cuts with a cutter of {plain(process.cutter)} mm."
    return f"{process.note or process.kind[:1].upper() + process.kind[1:]}".rstrip(".") + "."


class _Field(QWidget):
    """One size that may be adjusted: what it is called, its value, a slider within its limits,
    help."""

    def __init__(self, window: AdjustWindow, item: Adjustable) -> None:
        super().__init__()
        self.window_, self.item = window, item
        self._own = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(label(item.label or say_name(item.size), "strong", wrap=True), 1)
        self._edit_place = QHBoxLayout()
        head.addLayout(self._edit_place)
        layout.addLayout(head)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setAccessibleName(item.label or item.size)
        self.slider.valueChanged.connect(self._slid)
        self.range = label("", "small")
        layout.addWidget(self.slider)
        self.range.setWordWrap(True)
        layout.addWidget(self.range)
        self.note = label("", "wrong", wrap=True)
        self.note.hide()
        layout.addWidget(self.note)
        self._shown = ""
        self.edit: FormulaEdit | None = None

    def refresh(self) -> None:
        table, size = self.window_.table, self.window_.design.size(self.item.size)
        cell = table.cells.get(self.item.size)
        mine = [
            problem
            for problem in table.problems
            if problem.area == "size" and problem.name == self.item.size
        ]
        self.note.setText("\n".join(problem.text for problem in mine))
        self.note.setVisible(bool(mine))
        if cell is None or size is None or cell.low is None or cell.high is None:
            return
        units = size.units or self.window_.design.units
        kind = cell.wanted.kind
        text = say(cell.wanted, units)
        if text != self._shown:
            self._shown = text
            clear(self._edit_place)
            self.edit = FormulaEdit(text, lambda: self.window_.table, wanted=kind, units=units)
            self.edit.setFixedWidth(130)
            self.edit.line.setAlignment(Qt.AlignmentFlag.AlignRight)
            self.edit.line.setAccessibleName(self.item.label or self.item.size)
            self.edit.committed.connect(lambda typed: self.window_.set_value(self.item.size, typed))
            self._edit_place.addWidget(self.edit)
        ends = f"{say(Quantity(cell.low, kind), units)} to {say(Quantity(cell.high, kind), units)}"
        self.range.setText(f"{ends}. {self.item.help}".strip())
        share = (
            (cell.wanted.value - cell.low) / (cell.high - cell.low) if cell.high > cell.low else 0
        )
        self.slider.blockSignals(True)
        self.slider.setValue(round(share * _STEPS))
        self.slider.blockSignals(False)

    def _slid(self, at: int) -> None:
        size = self.window_.design.size(self.item.size)
        cell = self.window_.table.cells.get(self.item.size)
        if cell is None or size is None or cell.low is None or cell.high is None:
            return
        value = cell.low + (cell.high - cell.low) * at / _STEPS
        step = 1.0
        if size.step.strip():
            step = (
                self.window_.table.compile(size.step).value(self.window_.table.env()).value or 1.0
            )
        value = min(cell.high, max(cell.low, round(value / step) * step))
        self.window_.set_value(
            self.item.size, say(Quantity(value, cell.wanted.kind)).replace("°", " deg")
        )
