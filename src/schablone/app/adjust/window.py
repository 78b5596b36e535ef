"""The adjust window: what someone sees who opens an edition. Only what may be adjusted, their own
machine, files."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QVBoxLayout,
    QWidget,
)  # fmt: skip
from shiboken6 import isValid

from ...core.design.edit import make_by, set_formula
from ...core.design.measures import Measures
from ...core.design.offered import suitable, with_edition_limits
from ...core.formula.value_table import ValueTable
from ...core.problem import Problem, SchabloneError
from ...core.process import Process
from ...core.prove.size_report import size_report
from ...core.publish.changes import called
from ...core.publish.choices import CHOICE, Choice, choice_of, take_choice, why_not, write_choice
from ...core.publish.edition import Edition
from ...core.publish.life import adapted
from ...core.publish.pieces import endings_for
from ...core.words import sentence
from ...worker import talk
from ...worker.messages import Arrays
from ..drawing_sheet.caliper import CaliperCard
from ..in_all import say_mass, say_size
from ..library import Library
from ..saving import may_go_over, write_and_say
from ..sheet_work import SheetWork, Wish
from ..view3d.shown import part_from
from ..view3d.view import PartView
from ..widgets.basics import label, on_hover, rule
from ..widgets.lens_switch import LensSwitch
from ..worker_client import WorkerClient
from .files import Chosen, FileWriter, ask_for_file
from .machines import machines_known
from .new_machine import NewMachineWindow
from .report_window import ReportWindow
from .side import Side


class AdjustWindow(QMainWindow):
    """One edition. ``values`` holds what the person has set, as formulas by size."""

    #: The design is wanted as one of somebody's own.
    design_wanted = Signal(object)

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
        self.files = FileWriter(worker, self)
        self.files.said.connect(self.tell)
        self._sheet = SheetWork(self)
        self._sheet.worked_out.connect(self._show_values)
        self.table = ValueTable()
        self.report: talk.Report | None = None
        #: What the sizes are measures of, once the part was built.
        self.measures: Measures | None = None
        self.report_window: ReportWindow | None = None
        self.new_machine: NewMachineWindow | None = None
        #: Why sizes that were set are not allowed; whether the part could be built.
        self.outside: list[str] = []
        self._is_whole = False
        self._sizes_asked = 0
        #: What is done once what was typed is worked out.
        self._then: Callable[[], None] | None = None
        self.setWindowTitle(f"{self.design.title} – adjust")
        self.resize(1180, 760)
        self.side = Side(self)
        self.fields, self.machines = self.side.fields, self.side.machines
        self.choosing, self.save, self.save_all = (
            self.side.choosing,
            self.side.save,
            self.side.save_all,
        )
        self.refused, self.wrong, self.said = self.side.refused, self.side.wrong, self.side.said
        self.view = PartView()
        self.setCentralWidget(self._lay_out())
        self._later = QTimer(self, singleShot=True, interval=15)
        self._later.timeout.connect(self._ask)
        self._sizes_rest = QTimer(self, singleShot=True, interval=300)
        self._sizes_rest.timeout.connect(
            lambda: self.ask_sizes(list(self.fields), self.caliper.show_pages)
        )
        worker.rebuilt.connect(self._rebuilt)
        worker.looked.connect(self._warn)
        worker.refused.connect(self._show_wrong)
        worker.read_off.connect(self._take_measures)
        self.refresh()

    def _known_processes(self) -> list[Process]:
        """Those of the edition first, then the person's own."""
        self.known = machines_known(self.edition.processes, self.library)
        return suitable(self.design, self.known)

    def others(self) -> list[Process]:
        """Those that parts of their own are made by."""
        return [process for process in self.known if process.name in self.design.own_processes()]

    def _lay_out(self) -> QWidget:
        whole = QWidget()
        whole.setObjectName("paper")
        outer = QHBoxLayout(whole)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.side)
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
        publish = self.design.publish
        self.caliper = CaliperCard(
            {field: name for name, field in self.fields.items()},
            {item.size: called(item) for item in publish.adjust},
        )
        self.caliper.setParent(self.view)
        self.caliper.move(14, 14)
        outer.addLayout(right, 1)
        return whole

    # What the person does

    @property
    def choice(self) -> Choice:
        """What is chosen now, as it is kept."""
        made_by = self.machines.made_by()
        return choice_of(self.edition.design, self.values, self.process, made_by)

    def taken_choice(self) -> Choice | None:
        """The same with what is typed; None where that is not right yet."""
        return self.choice if self._is_taken() else None

    def take_choice(self, choice: Choice) -> None:
        """Take up what somebody chose and kept, in this edition or in an earlier one."""
        mine = next((p for p in self.processes if p.name == choice.process), None)
        try:
            taken = take_choice(choice, self.edition.design, mine or self.process)
        except SchabloneError as error:
            self.choosing.show_notes([problem.text for problem in error.problems])
            return
        notes = list(taken.notes)
        if mine is None and choice.process:
            notes.append(f"your machine “{choice.process}” is not known here; choose one")
        for part, process in choice.made_by.items():
            if self.machines.choose_for(part, process):
                self.design = make_by(self.design, part, process)
            else:
                notes.append(f"“{process}” is not known here; choose a machine")
        self.choosing.show_notes(notes)
        self._put(taken.values)
        self.use(mine or self.process)

    def tell(self, text: str) -> None:
        """Say what became of a wish."""
        self.said.setText(text)
        self.said.setVisible(bool(text))

    def make_own(self) -> None:
        """Have the design itself, with what is chosen, as one of somebody's own; for their machines
        where those are known outside of the edition as well."""
        if not self._is_taken():
            return
        design = self.edition.design
        for size, formula in self.values.items():
            design = set_formula(design, size, formula)
        if self.library.process(self.process.name) is not None:
            design = design.with_(process=self.process.name)
        for part, process in self.machines.made_by().items():
            if self.library.process(process) is not None:
                design = make_by(design, part, process)
        self.design_wanted.emit(adapted(design))

    def set_value(self, size: str, formula: str) -> None:
        """Set one of the sizes that may be adjusted."""
        if size in self.fields:
            self.values[size] = formula
            self.refresh()

    def take(self, values: dict[str, str]) -> None:
        """Take the sizes of a preset; what may not be adjusted is left alone."""
        self._put({name: formula for name, formula in values.items() if name in self.fields})
        self.refresh()

    def _put(self, values: Mapping[str, str]) -> None:
        self.values = dict(values)
        for field in self.fields.values():
            field.drop()
        self.view.fit_next()

    def use(self, process: Process) -> None:
        """Make it for another machine."""
        self.process = process
        self.refresh()

    def add_machine(self) -> None:
        """A machine that is not in the list."""
        self.new_machine = NewMachineWindow(self.library, self.processes, self.worker, self)
        self.new_machine.added.connect(self._added)
        self.new_machine.show()

    def _added(self, process: Process) -> None:
        self._list_machines()
        self.use(process)
        self.tell(f"{process.name} is one of your machines now.")

    def _list_machines(self) -> None:
        self.processes = self._known_processes()
        own = {process.name for process in self.library.own_processes()}
        self.machines.list_all(self.processes, self.known, own)

    def follow_library(self) -> None:
        """The person's machines are known otherwise by now, by what was done in another window."""
        before, others = self.processes, self.others()
        self._list_machines()
        if (self.processes, self.others()) != (before, others):
            names = [process.name for process in self.processes]
            known = self.process.name in names
            self.use(self.processes[names.index(self.process.name)] if known else self.process)

    def use_for(self, part: str, process: str) -> None:
        """Make one part on another machine."""
        self.design = make_by(self.design, part, process)
        self.refresh()

    @property
    def _wish(self) -> Wish:
        return Wish(self.design, self.process, given=dict(self.values))

    def refresh(self) -> None:
        self.machines.show_process(self.process)
        if self._sheet.prepare(self._wish):
            self._show_values()
        self._later.start()

    def _show_values(self) -> None:
        self.table = self._sheet.table(self._wish, self.process)
        for field in self.fields.values():
            field.refresh()
        self._refuse_what_is_outside()
        if self._then is not None:
            QTimer.singleShot(0, self, self._do_then)

    def _refuse_what_is_outside(self) -> None:
        """Of sizes that the edition does not allow no files are made."""
        # Also what nobody set: another size may have narrowed its limits.
        items = self.design.publish.adjust
        self.outside = [why for item in items if (why := why_not(self.table, item))]
        for one in (self.save, self.save_all):
            one.setEnabled(self._is_whole and not self.outside)
        self.refused.setText("\n".join(sentence(why) for why in self.outside))
        self.refused.setVisible(bool(self.outside))
        self.view.set_grey(bool(self.outside) or not self._is_whole)  # it shows another size
        on_hover(self.save, "; ".join(self.outside) or "Save the files for this machine")

    def ask_sizes(
        self, sizes: list[str], take: Callable[[dict[str, talk.PageDrawn]], None]
    ) -> None:
        """Ask where sizes are measured, as they are chosen now; a later question is answered
        instead of an earlier one."""
        asked = talk.SizesAsked(sizes=tuple(sizes), given=self.values)

        def answered(answer: talk.SizesDrawn | talk.Refused, _: Arrays) -> None:
            if isinstance(answer, talk.SizesDrawn):
                take(answer.pages)

        self.worker.forget(self._sizes_asked)
        self._sizes_asked = self.worker.ask(
            "draw sizes", asked.model_dump_json(), self.design, "wanted", self.process, answered
        )

    def is_settled(self) -> bool:
        """Whether what is on the screen is what was asked for."""
        waits = self._later.isActive() or self._sheet.is_waited_for
        return bool(self.report) and not self.worker.is_busy and not waits

    def _ask(self) -> None:
        self.measures = None  # those of the part that was
        self.worker.rebuild(self.design, self.lens.lens, self.process, {}, self.values)

    def _rebuilt(self, header: talk.Report, arrays: Arrays) -> None:
        self.report = header
        problems = [Problem.model_validate(problem) for problem in header["problems"]]
        if not header["whole"]:
            self._show_wrong(problems)
            return
        self._warn([])
        self._is_whole = True
        self.view.show_parts(
            [part_from(part, arrays, i) for i, part in enumerate(header["parts"])], header["lens"]
        )
        self._refuse_what_is_outside()
        self._sizes_rest.start()
        parts = header["parts"]
        self.figures.setText("  ·  ".join((say_size(parts), say_mass(parts))) if parts else "")

    def _take_measures(self, data: dict[str, Any]) -> None:
        self.measures = Measures.from_data(data)

    def _warn(self, looked: list[talk.FindingReport]) -> None:
        """Say which checks of the part, and of the designer's own, do not hold; those that look at
        the whole shape come a moment later."""
        if self.report is None or not self.report["whole"]:
            return
        failing = [f for f in (*self.report["findings"], *looked) if not f["holds"]]
        texts = [_said(f) for f in failing if f["area"] == "part" or f["own"]]
        self.wrong.setText("\n".join(texts))
        self.wrong.setVisible(bool(texts))

    def _show_wrong(self, problems: list[Problem]) -> None:
        cause = next((p for p in problems if p.severity == "error" and not p.waits_for), None)
        self.wrong.setText(cause.text if cause else "It could not be built.")
        self.wrong.show()
        self._is_whole = False
        self._refuse_what_is_outside()
        # Size, mass and where to measure are those of the part that was.
        self.figures.setText("")
        self.caliper.show_pages({})

    # Files

    @property
    def _chosen(self) -> Chosen:
        return Chosen(self.design, self.process, dict(self.values))

    def _is_taken(self) -> bool:
        """Take over what is typed. Where some of it is not right yet that is said: nothing is made
        of what cannot be seen."""
        wrong = self.side.take()
        self.tell(wrong)
        return not wrong

    def _once_taken(self, does: Callable[[], None]) -> None:
        """Take over what is typed, and do something with it once it is worked out, where the
        edition allows it."""
        self._then = does if self._is_taken() else None
        if not self._sheet.is_waited_for:
            self._do_then()

    def _do_then(self) -> None:
        then, self._then = self._then, None
        if then is not None and not self.outside:
            then()

    def export_dialog(self) -> None:
        self._once_taken(self._ask_for_file)

    def _ask_for_file(self) -> None:
        path = ask_for_file(
            self, self._chosen.stem, endings_for([self.process.family], self.design)[0]
        )
        if path is not None:
            self.export_to(path)

    def export_to(self, path: Path) -> None:
        """Write what this machine is to be sent."""
        self.files.write(self._chosen, path)

    def all_dialog(self) -> None:
        self._once_taken(self._ask_for_folder)

    def _ask_for_folder(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "All files into a folder", str(Path.home()))
        if folder and may_go_over(self, Path(folder), self._chosen.stem):
            self.export_all(Path(folder))

    def export_all(self, folder: Path) -> None:
        """Write all files that the machines of all parts take, and the choice that they are made
        by."""
        text = write_choice(self.choice)

        def keep(path: Path) -> bool:
            return write_and_say(path.with_name(f"{path.name}{CHOICE}"), "choice", text, self._say)

        self.files.write_all(self._chosen, folder, keep)

    def _say(self, text: str, *, wrong: bool) -> None:
        self.tell(text)

    def open_report(self) -> None:
        """Tell how it came out, of what is chosen now."""
        if not self._is_taken():
            return
        if self.outside:
            self.tell("A part with these sizes is not made: set those that are outside first.")
            return
        if self.measures is None or self._later.isActive() or self._sheet.is_waited_for:
            self.tell("Wait until the part is drawn: what is expected of its sizes comes with it.")
            return
        own = self._machines_of_parts()
        others = list({machine.name: machine for machine, _ in own.values()}.values())
        report = self.report_window
        if report is not None and isValid(report):
            # What is expected of its sizes is known otherwise where a machine is.
            told_of = (report.choice, report.process, report.others)
            if told_of == (self.choice, self.process, others):
                report.raise_()
                report.activateWindow()
                return
            if not report.close():
                return
        lines = size_report(self.design, self.measures, self.process, self.table, own)
        report = ReportWindow(self.design, self.choice, self.process, others, lines, self)
        self.report_window = report
        report.show()
        self.ask_sizes(
            [line.row.name for line in report.lines],
            lambda pages: report.caliper.show_pages(pages) if isValid(report) else None,
        )

    def _machines_of_parts(self) -> dict[str, tuple[Process, ValueTable]]:
        """The machines of parts that have one of their own, each with the sheet under it."""
        others = {process.name: process for process in self.others()}
        return {
            part.name: (others[part.process], self._sheet.table(self._wish, others[part.process]))
            for part in self.design.parts
            if part.process in others and part.process != self.process.name
        }

    def closeEvent(self, event: QCloseEvent) -> None:
        told = self.report_window
        if told is not None and isValid(told) and not told.close():
            event.ignore()
            return
        self.worker.close()
        self.view.release()
        event.accept()


def _said(finding: talk.FindingReport) -> str:
    """What does not hold, for somebody who knows nothing of the design: of a check that its
    designer wrote the formula says nothing to them."""
    if finding["own"]:
        said = f"“{finding['name']}” does not hold with these sizes."
        return f"{said} {finding['hint']}".strip()
    return f"{finding['name']}: {finding['why'].rstrip('.')}. {finding['hint']}"
