"""The part on the screen: asks for it after every change, keeps the last good one, and shows what
came."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from ..core.design.measures import Measures
from ..core.problem import Problem
from ..core.words import capital, say_name
from ..worker import talk
from ..worker.messages import Arrays
from .earlier_parts import Earlier, Seen
from .places.shape import ShapePlace
from .session import Session
from .view3d.shown import ShownPart, moved_faces, part_from
from .worker_client import WorkerClient

#: Work that takes longer than this, ms, is shown with a way to give it up.
_SHOW_WORK_AFTER = 300


class PartOnScreen(QObject):
    """Stands between the session, the worker and the view.

    Signals: ``drawn`` when a rebuilt part is on the screen; ``told`` with the report of a rebuild;
    ``near`` with what lies next to what, ``comes_off`` with which way parts come off, in words;
    ``checked`` with all checks that are known, and whether those that look at the whole shape are
    among them.
    """

    drawn = Signal()
    told = Signal(object)
    checked = Signal(list, bool)
    near = Signal(list)
    comes_off = Signal(list)

    def __init__(self, session: Session, worker: WorkerClient, shape: ShapePlace) -> None:
        super().__init__(shape)
        self.session, self.worker, self.shape = session, worker, shape
        self.report: talk.Report | None = None
        #: The report of the parts that are seen, and whether these are older than the design.
        self.seen: talk.Report | None = None
        self.is_behind = False
        #: The last good part of each name.
        self.known: dict[str, ShownPart] = {}
        self.earlier = Earlier()
        self._looked: list[talk.FindingReport] = []
        #: Why there is no part as it is asked for; none where there is.
        self._not_built: list[talk.FindingReport] = []
        self._near: list[talk.NearReport] = []
        self._ways: list[str] = []
        self._is_read_off = True
        self._is_looked_at = True
        self._work_at: tuple[int, int, str] = (0, 1, "")
        self._asked: tuple[object, ...] | None = None
        self._busy = QTimer(self, singleShot=True, interval=_SHOW_WORK_AFTER)
        self._busy.timeout.connect(lambda: shape.show_work(*self._work_at))
        session.taken.connect(self._begin_anew)
        session.changed.connect(self.rebuild)
        shape.cancel_wanted.connect(self.give_up)
        worker.rebuilt.connect(self._rebuilt)
        worker.unfolded.connect(shape.show_blanks)
        worker.near.connect(self._tell_near)
        worker.comes_off.connect(self._tell_ways)
        worker.looked.connect(self._take_looked)
        worker.read_off.connect(self._take_measures)
        worker.refused.connect(self._refused)
        worker.progress.connect(self._progress)
        worker.working.connect(self._working)

    def _begin_anew(self) -> None:
        """Another design: nothing of the one before is its last good part."""
        self.known = {}
        self.earlier = Earlier()
        self._tell_near([])
        self._looked, self._not_built = [], []
        self.seen, self.is_behind = None, False
        self._asked = None
        self.shape.forget_parts()

    def rebuild(self) -> None:
        """Ask the worker for the part as the design has it now."""
        session = self.session
        asked = (session.design, session.lens, session.process, session.others, session.until)
        if asked == self._asked:
            return
        self._asked = asked
        was = self.earlier.find(asked)
        if was is not None:
            # Seen before: it is shown at once, and the worker told to come to the same.
            self._tell(was.report, was.parts)
        known = {name: part.key for name, part in self.known.items()}
        self.worker.rebuild(session.design, session.lens, session.process, known, {}, session.until)

    @property
    def is_not_built(self) -> bool:
        """Whether there is no part as it is asked for, not even one that some checks do not hold
        of."""
        return bool(self._not_built)

    def is_up_to_date(self) -> bool:
        """Whether the part on the screen is what was asked for."""
        waits = self.worker.is_busy or self.session.is_working_out
        return bool(self.report) and not waits

    def is_settled(self) -> bool:
        """Whether all on the screen is, the sizes as the machine makes them as well."""
        return self.is_up_to_date() and self._is_read_off

    def is_finished(self) -> bool:
        """Whether it is, and the checks that look at the whole shape are there."""
        whole = self.report is not None and self.report["whole"]
        return self.is_settled() and (self._is_looked_at or not whole)

    def show_known(self) -> None:
        """The last good part again, after something else was shown in its place."""
        self.shape.show_parts(list(self.known.values()), self.session.lens)

    def give_up(self) -> None:
        """Give up the rebuild at work."""
        self.worker.cancel()
        self._asked = None
        self._tell_not_built("It was given up.", "The next change builds it again.")
        self.shape.show_trouble(
            "The rebuild was given up. This is the last good part; the next change builds again."
        )

    def _working(self, on: bool) -> None:
        if on:
            self._busy.start()
        else:
            self._busy.stop()
            self.shape.hide_notice()

    def _progress(self, step: int, steps: int, name: str) -> None:
        self._work_at = (step, steps, name)
        if self.shape.is_noticing():
            self.shape.show_work(step, steps, name)

    def _rebuilt(self, report: talk.Report, arrays: Arrays) -> None:
        parts = {}
        listed: list[talk.PartReport | talk.ThingReport] = [*report["parts"], *report["things"]]
        for number, told in enumerate(listed):
            name = told["name"]
            parts[name] = (
                self.known[name]
                if told.get("unchanged") and name in self.known
                else part_from(told, arrays, number)
            )
            parts[name].tabs, parts[name].marks = told["tabs"], told["marks"]
        if self._asked is not None and report["whole"]:
            self.earlier.keep(self._asked, Seen(report, parts))
        self._tell(report, parts)

    def _tell(self, report: talk.Report, parts: dict[str, ShownPart]) -> None:
        """Show what a rebuild came to."""
        self.report = report
        self._is_looked_at = False
        self.session.take_measured(report["measured"])
        self._is_read_off = False
        self._not_built = []
        problems = [Problem.model_validate(problem) for problem in report["problems"]]
        # Where something is still to be chosen, nothing is wrong: all that could be built is shown.
        is_good = report["whole"] or _only_asks(problems)
        self.is_behind = not is_good and bool(self.known)
        if not self.is_behind:
            self.seen = report
        self.shape.show_states(report["steps"], problems)
        self._tell_checks()
        if not self.is_behind:
            self._show_parts(report, parts, is_good)
        self.told.emit(report)
        if is_good:
            self.shape.show_good()
        else:
            self._show_why(problems)
        self.drawn.emit()

    def _refused(self, problems: list[Problem]) -> None:
        what = next((problem for problem in problems if problem.severity == "error"), None)
        if what is None:
            self._tell_not_built("It could not be built.", "")
        else:
            self._tell_not_built(what.what, what.hint)
        self._show_why(problems)
        self.drawn.emit()

    def _take_measures(self, data: dict[str, Any]) -> None:
        self._is_read_off = True
        self.session.take_measures(Measures.from_data(data))

    def _take_looked(self, findings: list[talk.FindingReport]) -> None:
        self._looked, self._is_looked_at = findings, True
        if not self._is_read_off:  # the worker ended at it: of what sizes are measures is not known
            self._is_read_off = True
            self.session.take_measures(Measures())
        self._tell_checks()

    def _tell_not_built(self, why: str, hint: str) -> None:
        """What was checked and measured was another part than the one that is asked for."""
        finding = talk.FindingReport(
            name="The part can be built as it is now", holds=False, why=why, hint=hint,
            own=False, area="design", place="",
        )  # fmt: skip
        self._not_built = [finding]
        self.is_behind = bool(self.known)
        self._is_read_off = True
        self.session.take_measures(Measures())
        self._tell_near([])
        self._tell_checks()

    def _tell_near(self, pairs: list[talk.NearReport]) -> None:
        self._near, self._ways = pairs, []
        self.near.emit(pairs)

    def _tell_ways(self, words: list[str]) -> None:
        self._ways = words
        self.comes_off.emit(words)

    def tell_again(self) -> None:
        """Tell once more what is known, for what began to listen only now."""
        ways = self._ways
        self._tell_near(self._near)
        self._tell_ways(ways)
        self._tell_checks()

    def _tell_checks(self) -> None:
        """The checks of the report, with those that looked at the whole shape last until the fresh
        ones are there."""
        if self._not_built:
            self.checked.emit(self._not_built, True)
            return
        if self.report is None or not self.report["parts"]:
            self.checked.emit([], True)  # of nothing everything holds and nothing does
            return
        findings = [*self.report["findings"], *self._looked]
        self.checked.emit(findings, self._is_looked_at or not self.report["whole"])

    def _show_parts(self, report: talk.Report, parts: dict[str, ShownPart], is_good: bool) -> None:
        same = self.shape.view.lens == report["lens"] and all(
            self.known.get(name) is part for name, part in parts.items()
        )
        moved: frozenset[tuple[str, str]] = frozenset()
        others = {
            name: old
            for name, part in parts.items()
            if (old := self.known.get(name)) is not None and old is not part
        }
        if is_good and report["lens"] == self.shape.view.lens:
            for name, old in others.items():
                moved |= moved_faces(old, parts[name])
        if is_good:
            if self.known and any(self.known.get(name) is not parts[name] for name in parts):
                self.shape.view.before = list(self.known.values())
            self.known = parts
        notes = {
            name: (*ends, report["measured"].get(f"{name}.value", 0.0))
            for name, ends in report["notes"].items()
        }
        self.shape.figures.show(report["anchors"], notes)
        self.shape.show_drawings(report["drawings"], list(parts.values()))
        is_seen = same and self.shape.view.given == list(parts.values())
        if not is_seen and not self.shape.is_looking:
            self.shape.show_parts(list(parts.values()), report["lens"])
            self.shape.view.glow(moved)
        titles = {told["name"]: told["title"] for told in report["parts"]}
        titles |= {told["name"]: told["title"] for told in report["things"]}
        self.shape.bar.show_parts(titles)

    def _show_why(self, problems: list[Problem]) -> None:
        """The last good part stays, greyed, with the reason."""
        cause = next((p for p in problems if p.severity == "error" and not p.waits_for), None)
        cause = cause or next((p for p in problems if p.severity == "error"), None)
        what = f"{say_name(cause.place)}: {cause.text}" if cause else "It could not be built."
        kept = "This is the last good part. " if self.known else ""
        self.shape.show_trouble(f"{kept}{capital(what)}")


def _only_asks(problems: list[Problem]) -> bool:
    """Whether nothing is wrong but that something is still to be chosen."""
    errors = [problem for problem in problems if problem.severity == "error"]
    return any(problem.asks for problem in errors) and all(
        problem.asks or problem.waits_for for problem in errors
    )
