"""The window: rail, menu bar, header, the places, and the foot line, put together.

Pages and windows that most people open later, or never, are loaded and made when they are; the
places other than *Shape* as soon as nothing is left to do for the first part.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from ..core.process import Process
from ..core.reuse import SUFFIX as STENCIL
from ..core.steps import KINDS
from ..worker import talk
from .beside import Beside
from .commands import Commands
from .elsewhere import Elsewhere
from .file_commands import FileCommands, can_open
from .foot_line import FootLine
from .header import Header
from .part_on_screen import PartOnScreen
from .places.shape import ShapePlace
from .putting_in import PuttingIn
from .question_strip import QuestionStrip
from .questions import Questions
from .rail import PLACES, Rail
from .session import Session
from .stencil_picture import StencilPictures
from .tying import Tying
from .widgets.basics import rule
from .worker_client import WorkerClient

if TYPE_CHECKING:
    from .places.bend_calibration import BendCalibrationPage
    from .places.calibration import CalibrationPage
    from .places.learn import LearnPlace
    from .places.process import ProcessPlace
    from .places.process_editor import ProcessEditor
    from .places.prove import ProvePlace
    from .places.publish import PublishPlace

_Page = TypeVar("_Page", bound="CalibrationPage | BendCalibrationPage | ProcessEditor")
_Place = TypeVar("_Place", bound=QWidget)
#: How long, ms, nothing new was drawn before another place is made, and how long the window is left
#: alone between two kinds of step.
_LATER, _BRIEF = 700, 20


class MainWindow(QMainWindow):
    """One design in one window.

    Its parts know the session, and tell the rest by signals: ``part`` is what is on the screen,
    ``questions`` what is asked beside rebuilds, ``files`` what is read and written.
    """

    def __init__(self, session: Session, worker: WorkerClient) -> None:
        super().__init__()
        self.session, self.worker = session, worker
        self.setWindowTitle("Schablone")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.rail, self.header, self.foot = Rail(), Header(session), FootLine()
        self.strip, self.stack = QuestionStrip(), QStackedWidget()
        # From the outside in: what is put into something is styled anew with all that lies in it.
        self.setCentralWidget(self._laid_out())
        self.shape = ShapePlace(session, self.stack)
        self.stack.addWidget(self.shape)
        for _ in PLACES[1:]:
            self.stack.addWidget(QWidget())
        self.part = PartOnScreen(session, worker, self.shape)
        self.questions = Questions(session, worker, self.shape, self.part)
        self.elsewhere = Elsewhere(session, worker, self.shape, self.part)
        self.tying = Tying(session, worker, self.shape, self.part)
        self.putting = PuttingIn(session, self.shape, StencilPictures(worker))
        self.beside = Beside(self)
        self.files = FileCommands(self, session, worker, self.strip)
        self._later = QTimer(self, singleShot=True, interval=_LATER)
        self._later.timeout.connect(self._load_more)
        self.shape.view.show_ground(bool(session.library.settings.get("ground", True)))
        self.commands = Commands(self)
        self._connect()
        self.go("shape")

    def _laid_out(self) -> QWidget:
        whole = QWidget()
        whole.setObjectName("paper")
        outer = QHBoxLayout(whole)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.rail)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        outer.addLayout(right, 1)
        for widget in (self.header, rule(), self.strip):
            right.addWidget(widget)
        right.addWidget(self.stack, 1)
        right.addWidget(self.foot)
        return whole

    # Places

    @cached_property
    def process(self) -> ProcessPlace:
        """The machines, and what they do to sizes."""
        from .places.process import ProcessPlace

        place = self._in_place("process", ProcessPlace(self.session))
        place.calibrate_wanted.connect(self.calibrate)
        place.edit_wanted.connect(self.edit_process)
        return place

    @cached_property
    def prove(self) -> ProvePlace:
        """The checks of the design."""
        from .places.prove import ProvePlace

        place, part = self._in_place("prove", ProvePlace(self.session)), self.part
        place.go_to.connect(self._go_to)
        place.comes_out.process_wanted.connect(partial(self.go, "process"))
        place.review.parts = lambda: list(part.known.values())
        place.range.look_wanted.connect(self.elsewhere.look)
        place.range.ask_picture = self.elsewhere.picture
        place.loose.look_at.connect(self._show_what_follows)
        place.near.look_at.connect(self._look_at_spot)
        part.checked.connect(place.show_findings)
        part.near.connect(place.near.show_pairs)
        part.comes_off.connect(place.near.show_ways)
        part.tell_again()
        return place

    @cached_property
    def publish(self) -> PublishPlace:
        """What goes into an edition."""
        from .places.publish import PublishPlace

        place, files = self._in_place("publish", PublishPlace(self.session)), self.files
        files.publishing_at.connect(place.writing.show_at)
        place.writing.stop_wanted.connect(files.stop_publishing)
        place.write_wanted.connect(files.publish_dialog)
        place.gallery_wanted.connect(self.beside.show_gallery)
        place.sheet_wanted.connect(self.beside.show_sheet)
        return place

    @cached_property
    def learn(self) -> LearnPlace:
        """The manual."""
        from .places.learn import LearnPlace

        place = self._in_place("learn", LearnPlace(self.session))
        place.open_wanted.connect(self.files.open_demo)
        return place

    def _in_place(self, name: str, place: _Place) -> _Place:
        """Put a place where so far nothing was."""
        number = PLACES.index(name)
        if (nothing := self.stack.widget(number)) is not None:
            self.stack.removeWidget(nothing)
            nothing.deleteLater()
        self.stack.insertWidget(number, place)
        return place

    def _load_more(self) -> None:
        """What is not needed at the start, piece by piece, so that what somebody does meanwhile is
        answered: kinds of step that may be added next, the sheet of paper, then places."""
        if KINDS.load_another():
            self._later.start(_BRIEF)
        elif "board" not in vars(self.shape):
            self.shape.board  # noqa: B018 - it is made by being asked for
            self._later.start(_LATER)
        elif missing := [place for place in PLACES if place not in vars(self)]:
            getattr(self, missing[0])
            self._later.start(_LATER)

    # Pages within a place

    @cached_property
    def calibration(self) -> CalibrationPage:
        """From a test piece to a new state of a process."""
        from .places.calibration import CalibrationPage

        page = self._within_process(CalibrationPage(self.session.library))
        page.kept.connect(lambda _: self.session.process_changed())
        return page

    @cached_property
    def bending(self) -> BendCalibrationPage:
        """The same for a press brake."""
        from .places.bend_calibration import BendCalibrationPage

        return self._within_process(BendCalibrationPage(self.session))

    def follow_library(self) -> None:
        """What the user keeps was changed elsewhere; of a window that is gone nothing follows."""
        self.session.follow_library()

    @cached_property
    def editor(self) -> ProcessEditor:
        """A process, figure by figure."""
        from .places.process_editor import ProcessEditor

        return self._within_process(ProcessEditor(self.session))

    def _within_process(self, page: _Page) -> _Page:
        self.stack.addWidget(page)
        page.left.connect(partial(self.go, "process"))
        return page

    def _connect(self) -> None:
        session, shape, files = self.session, self.shape, self.files
        session.file_changed.connect(self._title)
        session.said.connect(self.foot.say)
        session.unsafe.connect(self._tell_unsafe)
        for part in (self.questions, files, self.putting, self.elsewhere):
            part.place_wanted.connect(self.go)
        files.publishing.connect(lambda on: self.publish.show_writing(on))
        files.sizes_read.connect(shape.sizes.take_sizes)
        self.part.checked.connect(lambda *_: self._show_figures())
        self.part.checked.connect(self._show_verdict)
        self.part.drawn.connect(partial(self._later.start, _LATER))
        shape.other_seen.connect(self._show_figures_of)
        shape.as_is_seen.connect(self._show_figures)
        self.rail.chosen.connect(self.go)
        self.header.publish_wanted.connect(partial(self.go, "publish"))
        self.header.verdict_wanted.connect(partial(self.go, "prove"))
        shape.sizes.said.connect(self.strip.tell)
        shape.pointing.connect(self.foot.pointer.setText)
        shape.shelf_wanted.connect(self.beside.show_stencils)
        shape.stencil_wanted.connect(self.beside.make_stencil)
        shape.example_wanted.connect(partial(self.go, "learn"))
        shape.blank.sheet_wanted.connect(files.bend_sheet_dialog)
        shape.sizes.variants.edit_wanted.connect(files.edit_size_table)
        shape.sizes.variants.make_all_wanted.connect(files.make_all_dialog)
        files.gallery_wanted.connect(lambda path: self.beside.show_gallery().share(path))
        self.worker.started_again.connect(
            lambda: self.foot.say("The geometry process had to be started again; nothing is lost.")
        )
        self.worker.ended_at_it.connect(self._offer_the_edit_before)

    def _offer_the_edit_before(self) -> None:
        """The part as it is ends whoever builds it: what was there before can be had at once."""
        if did := self.session.can_undo:
            self.strip.ask(
                "The part could not be worked out: the geometry kernel ended at it several times. "
                "What is seen is the last good part.",
                (f"Undo: {did}", self.session.undo),
                ("Leave it", lambda: None),
            )

    def go(self, place: str) -> None:
        """Show one of the places. What is proved and published is the whole design, whatever step
        was worked at."""
        if place in ("prove", "publish") and self.session.until:
            self.session.work_at("")
            self.session.said.emit("All steps are built again: this is about the whole design.")
        self.stack.setCurrentWidget(getattr(self, place))
        self.rail.show_place(place)

    def calibrate(self, process: Process) -> None:
        """The path from a test piece to a new state of a process."""
        self.go("process")
        page = self.bending if process.family == "fold" else self.calibration
        page.begin(process, self.worker)
        self.stack.setCurrentWidget(page)

    def edit_process(self, process: Process) -> None:
        """A process, figure by figure."""
        self.go("process")
        self.editor.may_begin(process)  # or stay with what was typed there
        self.stack.setCurrentWidget(self.editor)

    def is_settled(self) -> bool:
        """Whether all on the screen is what was asked for."""
        return self.part.is_settled()

    def is_finished(self) -> bool:
        """Whether it is, and the whole shape was looked at as well."""
        return self.part.is_finished()

    def _tell_unsafe(self, why: str) -> None:
        """It stays until it is read, or is over: a line that fades would be overlooked."""
        if why:
            self.strip.ask(
                f"{why} Until that is mended, save often: a crash would lose what is not saved.",
                ("Save now", self.files.save),
                ("All right", lambda: None),
            )
        else:
            self.foot.say("Unsaved work is kept safe again.")

    def _show_verdict(self, findings: list[talk.FindingReport], are_all: bool) -> None:
        if self.part.is_not_built:
            self.header.show_not_built()
            return
        holding = sum(finding["holds"] for finding in findings)
        is_part = bool(self.session.until)
        self.header.show_verdict(holding, len(findings), are_all, is_part)

    def _show_figures(self) -> None:
        """Those of the parts that are seen, said so where they are older than the design."""
        seen = self.part.seen
        if not self.shape.is_looking:
            parts, things = (seen["parts"], seen["things"]) if seen is not None else ([], [])
            self.foot.show_figures(parts, things, is_behind=self.part.is_behind)

    def _show_figures_of(self, report: talk.Report | None) -> None:
        """Those of other parts that are seen; where there are none of these, those before."""
        if report is not None:
            self.foot.show_figures(report["parts"], report["things"])

    def _look_at_spot(self, words: str, at: Sequence[float]) -> None:
        """Go to the part and say something at a point of it, seen through what is made."""
        self.go("shape")
        self.shape.see_as_it_is()
        self.shape.bar.together()
        self.shape.figures.say_at(words, (at[0], at[1], at[2]))

    def _show_what_follows(self, size: str) -> None:
        """Go to the part and light up what follows a size."""
        self._go_to("size", size)
        self.questions.ask_follows()

    def _go_to(self, area: str, name: str) -> None:
        self.go("shape")
        self.shape.choose(area, name)

    def _title(self) -> None:
        mark = "" if self.session.is_saved else "*"
        self.setWindowTitle(f"{mark}{self.session.design.name} – Schablone")

    # Events

    def keyPressEvent(self, event: QKeyEvent) -> None:
        escape = event.key() == Qt.Key.Key_Escape
        if escape and (self.questions.stop_measuring() or self.shape.give_up_asking()):
            return
        enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if enter and self.questions.keep_measure():
            return
        super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls()]
        if any(can_open(path) or path.suffix.lower() == STENCIL for path in paths):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            path = Path(url.toLocalFile())
            if path.suffix.lower() == ".json":
                self.go("process")
                self.process.take_file(path)
            elif path.suffix.lower() == STENCIL:
                self.beside.show_stencils().open_file(path)
            elif can_open(path):
                self.files.open_path(path)
                return

    def _beside(self) -> list[QWidget]:
        """The windows that stand over this one."""
        one_level = Qt.FindChildOption.FindDirectChildrenOnly
        mine = self.findChildren(QWidget, options=one_level)
        return [one for one in mine if one.isWindow() and one.isVisible()]

    def closeEvent(self, event: QCloseEvent) -> None:
        # A window beside may hold what lies nowhere else, and asks about it.
        may_go = all(one.close() for one in self._beside())
        may_go = may_go and ("editor" not in vars(self) or self.editor.may_leave())
        if not may_go or not self.files.may_go():
            event.ignore()
            return
        self.session.journal.close()
        self.worker.close()
        if "prove" in vars(self):
            self.prove.prover.close()
        self.files.close()
        self.shape.view.release()
        event.accept()
