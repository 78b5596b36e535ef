"""The window: rail, menu bar, header, the places, and the foot line."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSize, Qt, QTimer, Signal
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from ..core.design.measures import Measures
from ..core.problem import Problem
from ..core.process import LENSES, Process
from ..core.quantity import plain
from ..worker import talk
from ..worker.messages import Arrays
from .asking import Asking
from .file_commands import can_open
from .file_watch import FileWatch
from .header import Header
from .log_window import LogWindow
from .places.calibration import CalibrationPage
from .places.learn import LearnPlace
from .places.process import ProcessPlace
from .places.process_editor import ProcessEditor
from .places.prove import ProvePlace
from .places.publish import PublishPlace
from .places.shape import ShapePlace
from .places.size_table import SizeTableSheet
from .screws_window import ScrewsWindow
from .session import Session
from .theme import icon, theme
from .view3d.shown import ShownPart, moved_faces, part_from
from .widgets.basics import Elided, button, label, rule
from .worker_client import WorkerClient

PLACES = ("shape", "process", "prove", "publish", "learn")

#: Work that takes longer than this, ms, is shown with a way to give it up.
_SHOW_WORK_AFTER = 300


class MainWindow(Asking):
    """One design in one window. ``drawn`` is emitted when a rebuilt part is on the screen."""

    drawn = Signal()

    def __init__(self, session: Session, worker: WorkerClient) -> None:
        super().__init__()
        self.session, self.worker = session, worker
        self.setWindowTitle("Schablone")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.report: talk.Report | None = None
        self._known: dict[str, ShownPart] = {}
        self._looked: list[talk.FindingReport] = []
        self._is_read_off = True
        self._work_at: tuple[int, int, str] = (0, 1, "")
        self._sheet: SizeTableSheet | None = None
        self._stop_making = False
        self._asked: tuple[object, ...] | None = None
        self.header = Header(session)
        self.shape, self.process = ShapePlace(session), ProcessPlace(session)
        self.prove, self.publish, self.learn = (
            ProvePlace(session),
            PublishPlace(session),
            LearnPlace(session),
        )
        self.stack = QStackedWidget()
        for place in (self.shape, self.process, self.prove, self.publish, self.learn):
            self.stack.addWidget(place)
        self.calibration = CalibrationPage(session)
        self.stack.addWidget(self.calibration)
        self.editor = ProcessEditor(session)
        self.stack.addWidget(self.editor)
        self.strip = self._strip()
        self.setCentralWidget(self._lay_out())
        self._menus()
        self._busy = QTimer(self, singleShot=True, interval=_SHOW_WORK_AFTER)
        self._busy.timeout.connect(self._show_work)
        self._said_timer = QTimer(self, singleShot=True, interval=9000)
        self._said_timer.timeout.connect(lambda: self.foot_said.set_whole(""))
        self._connect()
        self.go("shape")

    # Layout

    def _lay_out(self) -> QWidget:
        whole = QWidget()
        whole.setObjectName("paper")
        outer = QHBoxLayout(whole)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self._rail())
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        outer.addLayout(right, 1)
        right.addWidget(self.header)
        right.addWidget(rule())
        right.addWidget(self.strip)
        right.addWidget(self.stack, 1)
        right.addWidget(self._foot())
        return whole

    def _rail(self) -> QWidget:
        rail = QWidget()
        rail.setObjectName("rail")
        rail.setFixedWidth(72)
        layout = QVBoxLayout(rail)
        layout.setContentsMargins(0, 14, 0, 14)
        layout.setSpacing(6)
        self.rail_buttons: dict[str, QToolButton] = {}
        for name in PLACES:
            found = QToolButton()
            found.setObjectName("rail")
            found.setText(name.capitalize())
            found.setIcon(icon(name, "#E9E4D8"))
            found.setIconSize(QSize(28, 28))
            found.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            found.setCheckable(True)
            found.setFixedSize(72, 68)
            found.setAccessibleName(name.capitalize())
            found.clicked.connect(lambda _=False, name=name: self.go(name))
            self.rail_buttons[name] = found
            layout.addWidget(found)
        layout.addStretch(1)
        return rail

    def _foot(self) -> QWidget:
        foot = QWidget()
        foot.setObjectName("foot")
        foot.setFixedHeight(28)
        layout = QHBoxLayout(foot)
        layout.setContentsMargins(18, 0, 16, 0)
        layout.setSpacing(20)
        self.foot_figures, self.foot_said, self.foot_pointer = label(""), Elided(""), label("")
        self.foot_said.setAlignment(Qt.AlignmentFlag.AlignRight)
        layout.addWidget(self.foot_figures)
        layout.addWidget(self.foot_said, 1)
        layout.addWidget(self.foot_pointer)
        return foot

    def _strip(self) -> QFrame:
        """A strip under the header for what needs an answer and is no error of the design."""
        strip = QFrame()
        strip.setObjectName("warning")
        layout = QHBoxLayout(strip)
        layout.setContentsMargins(16, 6, 12, 6)
        layout.setSpacing(8)
        self.strip_said = label("", "", wrap=True)
        layout.addWidget(self.strip_said, 1)
        self.strip_buttons = QHBoxLayout()
        layout.addLayout(self.strip_buttons)
        strip.hide()
        return strip

    def ask(self, text: str, *answers: tuple[str, Callable[[], object]]) -> None:
        """Show a line with answers to choose from; any answer closes it."""
        from .widgets.basics import clear

        self.strip_said.setText(text)
        clear(self.strip_buttons)
        for words, does in answers:

            def answer(does: Callable[[], object] = does) -> None:
                self.strip.hide()
                does()

            self.strip_buttons.addWidget(button(words, "link", answer))
        self.strip.show()

    # Commands

    def _menus(self) -> None:
        file = self.menuBar().addMenu("&File")
        self._action(file, "New", "Ctrl+N", self.new)
        self._action(file, "Open …", "Ctrl+O", self.open_dialog)
        self.recent_menu = file.addMenu("Open recent")
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        self._action(file, "Save", "Ctrl+S", self.save)
        self._action(file, "Save as …", "Ctrl+Shift+S", self.save_as)
        file.addSeparator()
        self._action(file, "Import a STEP solid …", "", self.import_dialog)
        self._action(file, "Export the part …", "Ctrl+E", self.export_dialog)
        self._action(file, "Publish …", "Ctrl+P", lambda: self.go("publish"))
        self._action(file, "Design in words …", "Ctrl+Shift+W", self.show_words)
        file.addSeparator()
        self._action(file, "Close the window", "Ctrl+Q", self.close)
        edit = self.menuBar().addMenu("&Edit")
        self.undo_action = self._action(edit, "Undo", "Ctrl+Z", self.session.undo)
        self.redo_action = self._action(edit, "Redo", "Ctrl+Shift+Z", self.session.redo)
        edit.addSeparator()
        self._action(
            edit,
            "Find a size",
            "Ctrl+F",
            lambda: (self.go("shape"), self.shape.sizes.finder.setFocus()),
        )
        self._action(edit, "New size", "N", self._new_size)
        edit.addSeparator()
        self._action(edit, "Copy all sizes", "Ctrl+Shift+C", self.shape.sizes.copy_all)
        self._action(edit, "Paste sizes", "Ctrl+Shift+V", self.shape.sizes.paste)
        self._action(edit, "Read sizes from CSV …", "", self.read_sizes_dialog)
        self._action(edit, "Write sizes as CSV …", "", self.write_sizes_dialog)
        view = self.menuBar().addMenu("&View")
        for number, name in enumerate(("top", "front", "side", "corner"), 1):
            self._action(
                view,
                f"Look from the {name}",
                str(number),
                lambda name=name: self.shape.view.look(name),
            )
        self._action(view, "Fit the part", "F", self.shape.view.fit)
        self._action(view, "Dimensions on the part", "Shift+D", self.shape.toggle_figures)
        self._action(view, "Measure between two spots", "M", self.measure)
        self._action(view, "The part before the last edit", "B", self.shape.bar.toggle_before)
        view.addSeparator()
        for number, lens in enumerate(LENSES, 1):
            self._action(
                view,
                f"Lens: {lens}",
                f"Alt+{number}",
                lambda lens=lens: self.session.look_through(lens),
            )
        view.addSeparator()
        shows = view.addMenu("Sizes as")
        for name in ("both", "values", "formulas"):
            self._action(shows, name, "", lambda name=name: self.shape.sizes.show_as(name))
        lengths = view.addMenu("Lengths in")
        for words, units in (
            ("as the design says", ""),
            ("millimetres, for looking", "mm"),
            ("inches, for looking", "in"),
        ):
            self._action(lengths, words, "", lambda units=units: self.session.look_in(units))
        self._action(view, "Dark or light", "Ctrl+Shift+D", self._toggle_theme)
        design = self.menuBar().addMenu("&Design")
        self._action(
            design,
            "Add a step …",
            "A",
            lambda: (self.go("shape"), self.shape.steps.open_add_menu()),
        )
        self._action(design, "Draw on the chosen sketch", "D", self.draw_chosen)
        self._action(
            design,
            "Work at the chosen step",
            "W",
            lambda: self.session.work_at(self.shape.steps.chosen),
        )
        self._action(design, "One step back in the build", "[", lambda: self._walk(-1))
        self._action(design, "One step on in the build", "]", lambda: self._walk(1))
        self._action(design, "What follows the chosen size", "Ctrl+L", self.ask_follows)
        self._action(design, "Try values of the chosen size", "Ctrl+T", self.try_values)
        self._action(design, "Name of the design …", "", self.rename_design)
        self._action(design, "Size table …", "T", self.edit_size_table)
        self._action(design, "Millimetres or inches", "", self._toggle_units)
        fractions = design.addMenu("Inches as")
        for denominator in (0, 8, 16, 32, 64):
            words = f"fractions to 1/{denominator}" if denominator else "decimals"
            self._action(
                fractions,
                words,
                "",
                lambda denominator=denominator: self._set_fraction(denominator),
            )
        self._action(
            design, "Screw clearances …", "", lambda: ScrewsWindow(self.session, self).show()
        )
        self._action(design, "Give up the rebuild", "", self._give_up)
        places = self.menuBar().addMenu("&Go")
        for number, name in enumerate(PLACES, 1):
            self._action(
                places, name.capitalize(), f"Ctrl+{number}", lambda name=name: self.go(name)
            )
        self._action(places, "What went wrong lately …", "", self.show_log)
        self.session.changed.connect(self._name_undo)

    def show_log(self) -> None:
        """The log, in a window of its own."""
        LogWindow(self).show()

    def _action(self, menu: Any, text: str, keys: str, does: Callable[[], object]) -> QAction:
        action = QAction(text, self)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda: does())
        menu.addAction(action)
        return action

    def _name_undo(self) -> None:
        for action, word, did in (
            (self.undo_action, "Undo", self.session.can_undo),
            (self.redo_action, "Redo", self.session.can_redo),
        ):
            action.setText(f"{word}: {did}" if did else word)
            action.setEnabled(bool(did))

    def _connect(self) -> None:
        self.begin_asking()
        self.session.taken.connect(self._begin_anew)
        self.session.changed.connect(self.rebuild)
        self.session.file_changed.connect(self._title)
        self._watch = FileWatch(self.session, self)
        self._watch.changed.connect(self.ask_whose)
        self.session.said.connect(self.say)
        self.header.publish_wanted.connect(lambda: self.go("publish"))
        self.header.verdict_wanted.connect(lambda: self.go("prove"))
        self.shape.sizes.said.connect(lambda text: self.ask(text, ("All right", lambda: None)))
        self.shape.pointing.connect(self.foot_pointer.setText)
        self.shape.cancel_wanted.connect(self._give_up)
        self.shape.example_wanted.connect(lambda: self.go("learn"))
        self.process.calibrate_wanted.connect(self.calibrate)
        self.process.edit_wanted.connect(self.edit_process)
        for page in (self.calibration, self.editor):
            page.left.connect(lambda: self.go("process"))
        self.prove.go_to.connect(self._go_to)
        self.shape.sizes.variants.edit_wanted.connect(self.edit_size_table)
        self.shape.sizes.variants.make_all_wanted.connect(self.make_all_dialog)
        self.publish.write_wanted.connect(self.publish_dialog)
        self.learn.open_wanted.connect(self.open_demo)
        self.worker.rebuilt.connect(self._rebuilt)
        self.worker.looked.connect(self._show_looked)
        self.worker.read_off.connect(self._take_measures)
        self.worker.refused.connect(self._refused)
        self.worker.progress.connect(self._progress)
        self.worker.working.connect(self._working)
        self.worker.started_again.connect(
            lambda: self.say("The geometry process had to be started again; nothing is lost.")
        )

    def go(self, place: str) -> None:
        """Show one of the places."""
        self.stack.setCurrentIndex(PLACES.index(place))
        for name, found in self.rail_buttons.items():
            found.setChecked(name == place)

    def calibrate(self, process: Process) -> None:
        """The path from a test piece to a new state of a process."""
        self.go("process")
        self.calibration.begin(process, self.worker)
        self.stack.setCurrentWidget(self.calibration)

    def edit_process(self, process: Process) -> None:
        """A process, figure by figure."""
        self.go("process")
        self.editor.begin(process)
        self.stack.setCurrentWidget(self.editor)

    def say(self, text: str) -> None:
        """A line at the foot of the window."""
        self.foot_said.set_whole(text)
        self._said_timer.start()

    def _go_to(self, area: str, name: str) -> None:
        self.go("shape")
        if area == "size":
            self.shape.sizes.choose(name)
        else:
            self.shape.steps.choose(name)

    def _new_size(self) -> None:
        self.go("shape")
        if self.shape.sizes.new is not None:
            self.shape.sizes.new.line.setFocus()

    def _title(self) -> None:
        mark = "" if self.session.is_saved else "*"
        self.setWindowTitle(f"{mark}{self.session.design.name} – Schablone")

    def _toggle_units(self) -> None:
        units = "in" if self.session.design.units == "mm" else "mm"
        self.session.edit(
            lambda design: design.model_copy(update={"units": units}), f"show in {units}"
        )

    def _toggle_theme(self) -> None:
        dark = not theme().dark
        self.session.library.keep("dark", dark)
        self.say("The other theme is used from the next start on.")

    def _set_fraction(self, denominator: int) -> None:
        changes = {"inch_fraction": denominator, "units": "in"}
        self.session.edit(
            lambda design: design.model_copy(update=changes),
            f"inches to 1/{denominator}" if denominator else "decimal inches",
        )

    def draw_chosen(self) -> None:
        """The sheet for the chosen sketch, or for the one that the chosen step uses, or for the
        last."""
        design = self.session.design
        chosen = design.step(self.shape.steps.chosen)
        names = [chosen.name, getattr(chosen, "sketch", "")] if chosen else []
        sketches = [step.name for step in design.steps if step.kind == "sketch"]
        name = next((n for n in names if n in sketches), sketches[-1] if sketches else "")
        if not name:
            self.say("There is no sketch yet: press A to add one.")
            return
        self.go("shape")
        self.shape.draw_on(name)

    def _walk(self, by: int) -> None:
        """Step through the build: the part as it is after one step less or more."""
        names = [step.name for step in self.session.design.steps]
        if not names:
            return
        at = names.index(self.session.until) if self.session.until in names else len(names) - 1
        step = names[max(0, min(len(names) - 1, at + by))]
        self.session.work_at(step)
        self.shape.steps.choose(step)

    def rename_design(self) -> None:
        from PySide6.QtWidgets import QInputDialog

        name, ok = QInputDialog.getText(
            self, "Name of the design", "Name", text=self.session.design.name
        )
        if ok and name.strip():
            self.session.edit(
                lambda design: design.model_copy(update={"name": name.strip()}),
                f"name {name.strip()}",
            )

    # Rebuilding

    def _begin_anew(self) -> None:
        """Another design: nothing of the one before is its last good part."""
        self._known = {}
        self._looked = []
        self._asked = None
        self.shape.view.before = []
        self.shape.view.fit_next()

    def rebuild(self) -> None:
        """Ask the worker for the part as the design has it now."""
        asked = (
            self.session.design,
            self.session.lens,
            self.session.process,
            self.session.others,
            self.session.until,
        )
        if asked == self._asked:
            return
        self._asked = asked
        known = {name: part.key for name, part in self._known.items()}
        session = self.session
        self.worker.rebuild(session.design, session.lens, session.process, known, {}, session.until)

    def is_up_to_date(self) -> bool:
        """Whether the part on the screen is what was asked for."""
        return bool(self.report) and not self.worker.is_busy

    def is_settled(self) -> bool:
        """Whether all on the screen is, the sizes as the machine makes them as well."""
        return self.is_up_to_date() and self._is_read_off

    def _working(self, on: bool) -> None:
        if on:
            self._busy.start()
        else:
            self._busy.stop()
            self.shape.notice.hide()

    def _progress(self, step: int, steps: int, name: str) -> None:
        self._work_at = (step, steps, name)
        if self.shape.notice.isVisible():
            self.shape.notice.show_work(step, steps, name)

    def _show_work(self) -> None:
        self.shape.notice.show_work(*self._work_at)

    def _give_up(self) -> None:
        self.worker.cancel()
        self._asked = None
        self.shape.view.set_grey(True)
        self.shape.notice.show_trouble(
            "The rebuild was given up. This is the last good part; the next change builds again."
        )

    def _rebuilt(self, header: talk.Report, arrays: Arrays) -> None:
        self.report = header
        self.session.take_measured(header["measured"])
        self._is_read_off = False
        problems = [Problem.model_validate(problem) for problem in header["problems"]]
        self.shape.show_states(header["steps"], problems)
        self._show_findings()
        if header["whole"] or not self._known:
            self._show_parts(header, arrays)
        self.ask_off()
        if header["whole"]:
            self.shape.view.set_grey(False)
            self.shape.notice.hide()
        else:
            self._show_why(problems)
        self.drawn.emit()

    def _take_measures(self, data: dict[str, Any]) -> None:
        self._is_read_off = True
        self.session.take_measures(Measures.from_data(data))

    def _show_looked(self, findings: list[talk.FindingReport]) -> None:
        self._looked = findings
        self._show_findings()

    def _show_findings(self) -> None:
        """The checks of the report, with those that looked at the whole shape last until the fresh
        ones are there."""
        found = [*(self.report["findings"] if self.report else ()), *self._looked]
        self.prove.show_findings(found)
        self.header.show_verdict(sum(finding["holds"] for finding in found), len(found))

    def _show_parts(self, header: talk.Report, arrays: Arrays) -> None:
        parts = {}
        for number, told in enumerate(header["parts"]):
            name = told["name"]
            parts[name] = (
                self._known[name]
                if told.get("unchanged") and name in self._known
                else part_from(told, arrays, number)
            )
            parts[name].tabs = told["tabs"]
        moved: frozenset[tuple[str, str]] = frozenset()
        if header["whole"] and header["lens"] == self.shape.view.lens:
            for name, part in parts.items():
                old = self._known.get(name)
                if old is not None and old is not part:
                    moved |= moved_faces(old, part)
        if header["whole"]:
            if self._known and any(
                self._known.get(name) is not part for name, part in parts.items()
            ):
                self.shape.view.before = list(self._known.values())
            self._known = parts
        notes = {
            name: (*ends, header["measured"].get(f"{name}.value", 0.0))
            for name, ends in header["notes"].items()
        }
        self.shape.show_anchors(header["anchors"], notes)
        self.shape.show_drawings(header["drawings"], list(parts.values()))
        self.shape.view.show_parts(list(parts.values()), header["lens"])
        self.shape.view.glow(moved)
        self.shape.bar.show_parts({part["name"]: part["title"] for part in header["parts"]})
        self.foot_figures.setText(_figures(header["parts"]))

    def _show_why(self, problems: list[Problem]) -> None:
        """The last good part stays, greyed, with the reason."""
        cause = next((p for p in problems if p.severity == "error" and not p.waits_for), None)
        cause = cause or next((p for p in problems if p.severity == "error"), None)
        self.shape.view.set_grey(True)
        what = (
            f"{cause.place.replace('_', ' ')}: {cause.text}" if cause else "It could not be built."
        )
        kept = "This is the last good part. " if self._known else ""
        self.shape.notice.show_trouble(f"{kept}{what[:1].upper()}{what[1:]}")

    def _refused(self, problems: list[Problem]) -> None:
        self._show_why(problems)
        self.drawn.emit()

    # Events

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            if self.stop_measuring() or self.shape.stop_picking():
                return
            if self.shape.strip.isVisible():
                self.shape.strip.close_strip()
                return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.keep_measure():
            return
        super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(can_open(Path(url.toLocalFile())) for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            path = Path(url.toLocalFile())
            if path.suffix.lower() == ".json":
                self.go("process")
                self.process.take_file(path)
            elif can_open(path):
                self.open_path(path)
                return

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.may_go():
            event.ignore()
            return
        self.session.journal.close()
        self.worker.close()
        if self._sheet is not None:
            self._sheet.close()
        self.shape.view.release()
        event.accept()


def _figures(parts: Sequence[talk.PartReport]) -> str:
    """Volume, mass, surface, centre and size of all parts in one line."""
    if not parts:
        return "no part yet"
    volume = sum(part["volume"] for part in parts)
    masses = [part["volume"] * part["density"] / 1000 for part in parts]
    boxes = [part["bounds"] for part in parts]
    sizes = [max(b[1][i] for b in boxes) - min(b[0][i] for b in boxes) for i in range(3)]
    centre = [
        sum(m * part["centre"][i] for m, part in zip(masses, parts, strict=True)) / sum(masses)
        for i in range(3)
    ]
    made_of = ", ".join(dict.fromkeys(part["material"] for part in parts))
    said = (
        " × ".join(plain(length, 2) for length in sizes) + " mm",
        f"{plain(sum(masses), 1)} g of {made_of}",
        f"{plain(volume / 1000, 2)} cm³",
        f"{plain(sum(part['area'] for part in parts) / 100, 1)} cm²",
        "centre " + ", ".join(plain(round(c, 1) + 0.0, 1) for c in centre),
    )
    return "  ·  ".join(said)
