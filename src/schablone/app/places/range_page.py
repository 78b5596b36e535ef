"""The whole range: the design built over all that others may choose, what breaks there, a map."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Signal
from PySide6.QtGui import QPixmap, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from ...core.problem import Problem
from ...core.process import Process
from ...core.prove.ranges.limit import Mend, taken
from ...core.prove.ranges.told import CauseTold, MendTold, PointTold, ResultTold, SoFarTold
from ...core.quantity import Kind, Quantity
from ...core.words import listed, number_word, say_name
from ...prover.talk import BuiltTold, PlannedTold, ReadyTold
from ..prover_client import ProverClient
from ..session import Session
from ..widgets.basics import button, clear, label, on_hover, scrolled
from .cause_card import CauseCard
from .map_side import MapSide

#: How many builds can be asked for.
BUILDS = (300, 1000, 3000)


class RangePage(QWidget):
    """``look_wanted`` asks to see the design at a point, with words for where that is and for what
    is wrong there. ``ask_picture`` is given a point and what shall get its picture."""

    look_wanted = Signal(dict, str, str)

    def __init__(self, session: Session, prover: ProverClient) -> None:
        super().__init__()
        self.session, self.prover = session, prover
        self.ask_picture: Callable[[PointTold, Callable[[QPixmap], None]], None] = (
            lambda point, then: None
        )
        self.spans: dict[str, tuple[float, float, Kind]] = {}
        self._taken: tuple[object, ...] = ()
        self._is_again = False
        self._count = 0
        #: While it runs, by check how many builds fail, and where that is said.
        self._so_far: dict[str, tuple[int, QLabel]] = {}
        #: What came of the run of the design in hand; None where there was none.
        self.result: ResultTold | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(26)
        layout.addLayout(self._left_side(), 11)
        self.side = MapSide(session, prover)
        self.side.begins.connect(self.take_up)
        self.side.look_wanted.connect(self.look_wanted)
        layout.addWidget(self.side, 9)
        prover.ready.connect(self._ready)
        prover.planned.connect(self._planned)
        prover.built.connect(self._built)
        prover.at.connect(self._at)
        prover.done.connect(self._done)
        prover.wrong.connect(self._wrong)
        session.changed.connect(self._changed)

    def _left_side(self) -> QVBoxLayout:
        left = QVBoxLayout()
        left.setSpacing(8)
        self.title = label("", "heading", wrap=True)
        left.addWidget(self.title)
        self.said = label("", "quiet", wrap=True)
        left.addWidget(self.said)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.go = button("Prove the whole range", "primary", self._go, "Build it over its range")
        self.pause = button("Pause", "plain", self._pause, "Begin no more builds for now")
        self.stop = button("Stop", "plain", self.prover.stop, "What was built is kept")
        self.builds = QComboBox()
        self.builds.addItems([f"at least {count} builds" for count in BUILDS])
        self.builds.setAccessibleName("how many builds at least")
        self.builds.activated.connect(lambda _: self.take_up())
        for widget in (self.go, self.pause, self.stop, self.builds):
            row.addWidget(widget)
        row.addStretch(1)
        left.addLayout(row)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("how much is built")
        left.addWidget(self.bar)
        inner = QWidget()
        inner.setObjectName("page")
        self._cards = QVBoxLayout(inner)
        self._cards.setContentsMargins(0, 2, 8, 0)
        self._cards.setSpacing(7)
        scroll = scrolled(inner)
        left.addWidget(scroll, 1)
        for shown in (self.pause, self.stop, self.bar):
            shown.hide()
        return left

    # Taking a design up

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.take_up()

    def _now(self) -> tuple[object, ...]:
        session = self.session
        return session.design, session.process, tuple(self.known()), self.builds.currentIndex()

    def take_up(self) -> None:
        """Tell the prover of the design in hand, unless it has it."""
        if self._now() == self._taken:
            return
        self._taken, self.result, self._so_far = self._now(), None, {}
        self.title.setText("Looking what may vary …")
        self.said.setText("")
        self._show_running(False)
        clear(self._cards)
        self.side.wait()
        session = self.session
        self.prover.take(
            session.design, session.process, self.known(), BUILDS[self.builds.currentIndex()]
        )

    def known(self) -> list[Process]:
        """All processes that the design might be made by."""
        return self.session.library.processes()

    def _changed(self) -> None:
        """The design is another: what was under way was for the one before."""
        if not self._taken or self._now() == self._taken:
            return
        self.result = None
        if self.isVisible():
            self.take_up()
        elif self.prover.is_running:
            self.prover.stop()

    def _ready(self, told: ReadyTold) -> None:
        kinds = {one["name"]: (one["low"], one["high"], one["kind"]) for one in told["spans"]}
        self.spans = kinds
        self.side.take(kinds)
        varies = [f"{say_name(name)} {self._range(name)}" for name in kinds]
        if told["rows"] > 1:
            varies.append(f"{number_word(told['rows'])} variants")
        if len(told["machines"]) > 1:
            varies.append(f"{number_word(len(told['machines']))} machines")
        if not varies:
            self.title.setText("Nothing may vary yet")
            self.said.setText(
                "Say under Publish which sizes others may adjust, or give sizes a lower and an "
                "upper limit: then the design can be proved over all of that."
            )
            self.go.setEnabled(False)
            return
        self.go.setEnabled(True)
        untold = f" Not varied: {'; '.join(told['untold'])}." if told["untold"] else ""
        self._varies = f"What may vary: {listed(varies)}.{untold}"
        if told["before"] is not None:
            self._show_result(told["before"])
        else:
            self._show_fresh(told["so_far"])
        if self._is_again:
            self._is_again = False
            self._go()

    def _show_fresh(self, so_far: SoFarTold | None) -> None:
        if so_far is not None and so_far["done"]:
            self.title.setText(f"{so_far['done']} of {so_far['count']} builds are done already")
            self.go.setText("Go on")
        else:
            self.title.setText("Not proved over its range yet")
            self.go.setText("Prove the whole range")
        self.said.setText(
            f"{self._varies} The ends, all ends in pairs, both sides of every place where a count "
            "or a condition changes, then evenly all over: each is built, and all checks looked at."
        )

    def _range(self, name: str) -> str:
        low, high, kind = self.spans[name]
        return (
            f"{self.session.say(Quantity(low, kind))} to {self.session.say(Quantity(high, kind))}"
        )

    # Running

    def _go(self) -> None:
        self.take_up()
        clear(self._cards)
        self._so_far = {}
        self._show_running(True)
        self.title.setText("Planning what to build …")
        self.bar.setRange(0, 0)
        self.prover.run()

    def _show_running(self, on: bool) -> None:
        self.go.setVisible(not on)
        self.builds.setVisible(not on)
        self.pause.setVisible(on)
        self.pause.setText("Pause")
        self.stop.setVisible(on)
        self.bar.setVisible(on)

    def _pause(self) -> None:
        self.prover.pause(not self.prover.is_paused)
        self.pause.setText("Go on" if self.prover.is_paused else "Pause")

    def _planned(self, told: PlannedTold) -> None:
        self._count = told["count"]
        self.bar.setRange(0, max(self._count, 1))
        self.bar.setValue(0)
        notes = f" {'. '.join(told['notes'])}." if told["notes"] else ""
        self.said.setText(f"{self._varies}{notes}")

    def _built(self, told: BuiltTold) -> None:
        self.bar.setValue(told["done"])
        fail = f", {told['failing']} fail" if told["failing"] else ", all hold so far"
        self.title.setText(f"{told['done']} of {self._count} built{fail}")
        if told["check"]:
            self._count_failure(told["check"])

    def _count_failure(self, check: str) -> None:
        """What fails so far, while what it comes from is not known yet."""
        if not self._so_far:
            clear(self._cards)
            self._cards.addWidget(label("FAILING SO FAR", "group"))
            self._cards.addStretch(1)
        if check not in self._so_far:
            self._so_far[check] = 0, label("", "")
            self._cards.insertWidget(self._cards.count() - 1, self._so_far[check][1])
        count, row = self._so_far[check][0] + 1, self._so_far[check][1]
        self._so_far[check] = count, row
        row.setText(f"{check}: {count} build{'s' if count != 1 else ''}")

    def _at(self, what: str) -> None:
        if what == "looking for causes":
            self.bar.setRange(0, 0)
            self.title.setText("Looking what it comes from, and what would rule it out …")

    def _done(self, result: ResultTold) -> None:
        self._so_far = {}
        self._show_running(False)
        if self._now() == self._taken:  # else it was stopped for an edit, and is of what was before
            self._show_result(result)

    def _show_result(self, result: ResultTold) -> None:
        clear(self._cards)
        self.result = result
        mine = [one for one in result["found"] if not one["elsewhere"]]
        here = self.session.process.name if len(mine) < len(result["found"]) else ""
        done, whole = result["done"], result["whole"]
        so_far = "" if whole else f" of {result['count']}"
        if mine:
            many = f"{number_word(len(mine))} thing{'s' if len(mine) != 1 else ''}"
            breaks = "break" if len(mine) != 1 else "breaks"
            self.title.setText(f"{many.capitalize()} {breaks} within its range")
        elif whole and here:
            self.title.setText(f"On {here} it holds over its whole range, on others it does not")
        elif whole:
            self.title.setText(f"It holds over its whole range: {done} builds")
        else:
            self.title.setText("Stopped; so far it holds")
        self.side.propose(mine)
        machines = [
            f"{name}: {count} builds, {f'{failing} fail' if failing else 'all hold'}"
            for name, (count, failing) in result["machines"].items()
        ]
        told = [*result["notes"], *result["unsure"]]
        notes = f" {'. '.join(told)}." if told else ""
        self.said.setText(f"{done}{so_far} built. {'. '.join(machines)}.{notes}")
        self.go.setText("Go on" if not whole else "Prove it again")
        on_hover(self.go, "What has not changed is not built again")
        for heading, elsewhere in (("", False), ("ON OTHER MACHINES", True)):
            group = [one for one in result["found"] if one["elsewhere"] == elsewhere]
            if group and heading:
                self._cards.addWidget(label(heading, "group"))
            for one in group:
                self._cards.addWidget(self._card(one))
        self._cards.addStretch(1)

    def _card(self, cause: CauseTold) -> CauseCard:
        why = f"{cause['check']}: {cause['why']}"
        card = CauseCard(
            cause,
            lambda: self.look_wanted.emit(cause["point"], cause["title"], why),
            lambda: self._take_limit(cause["mend"]),
        )
        self.ask_picture(cause["point"], card.show_picture)
        return card

    def _take_limit(self, told: MendTold | None) -> None:
        """Rule it out, and prove again: what is still allowed is built already."""
        assert told is not None  # a card without one has nothing to take
        mend = Mend(told["size"], told["end"], told["formula"], told["keeps"])
        self._is_again = True
        if not self.session.edit(lambda design: taken(design, mend), f"limit {mend.words()}"):
            self._is_again = False  # it was there already

    def _wrong(self, problems: Sequence[Problem]) -> None:
        self._show_running(False)
        self.result = None
        self.title.setText("It cannot be proved")
        self.said.setText(" ".join(f"{one.what} {one.hint}".strip() for one in problems))
