"""A machine that is not in the list: what it is like, a small test piece, a few readings; then its
files come out as the designer meant them."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ...core.problem import SchabloneError
from ...core.process import Process
from ...core.process.told_apart import spaced, spacing
from ..library import Library
from ..places.calibration import CalibrationPage
from ..places.calibration_piece import pieces_for
from ..widgets.basics import button, label
from ..worker_client import WorkerClient

#: The test piece that takes the least time.
_QUICK = "quick-coupon"


class NewMachineWindow(QWidget):
    """``added`` gives the process of the person's own, once it is measured, or as it is guessed."""

    added = Signal(object)

    def __init__(
        self, library: Library, like: Sequence[Process], worker: WorkerClient, parent: QWidget
    ) -> None:
        """``like`` are the machines that the new one may be like."""
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setWindowTitle("A machine of your own")
        self.resize(820, 240)
        self.library, self.worker = library, worker
        # What is folded has a chart, not a few figures: that is read in the process itself.
        self.like = [process for process in like if process.family != "fold"]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.pages = QStackedWidget()
        self.pages.addWidget(self._first())
        self.page = CalibrationPage(library)
        self.page.back.setText("‹ Back")
        self.page.left.connect(lambda: self.pages.setCurrentIndex(0))
        self.page.kept.connect(self._measured)
        self.pages.addWidget(self.page)
        layout.addWidget(self.pages)

    def _first(self) -> QWidget:
        first = QWidget()
        first.setObjectName("page")
        column = QVBoxLayout(first)
        column.setContentsMargins(28, 22, 28, 20)
        column.setSpacing(12)
        column.addWidget(label("Add your machine", "page_title"))
        column.addWidget(
            label(
                "No two machines make the same. A small test piece and a few readings with a "
                "caliper tell what yours does, and from then on every file makes up for it.",
                "",
                wrap=True,
            )
        )
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(label("It is called", "strong"))
        self.name = QLineEdit()
        self.name.setMaxLength(80)
        self.name.setPlaceholderText("such as My printer · PETG")
        self.name.setAccessibleName("what your machine is called")
        self.name.setFixedWidth(300)
        self.name.textChanged.connect(lambda _: self._look())
        self.name.returnPressed.connect(self._measure)
        row.addWidget(self.name)
        row.addSpacing(14)
        row.addWidget(label("and is like", "strong"))
        self.kind = QComboBox()
        self.kind.setAccessibleName("which machine it is like")
        self.kind.addItems([f"{process.name} ({process.kind})" for process in self.like])
        row.addWidget(self.kind)
        row.addStretch(1)
        column.addLayout(row)
        self.wrong = label("", "wrong", wrap=True)
        column.addWidget(self.wrong)
        buttons = QHBoxLayout()
        self.measure = button(
            "Measure it …", "primary", self._measure, "With a small test piece, in a few minutes"
        )
        self.guess = button(
            "Not now: use it as guessed", "link", self._guess, "Nothing of it is measured yet"
        )
        buttons.addWidget(self.measure)
        buttons.addWidget(self.guess)
        buttons.addStretch(1)
        column.addLayout(buttons)
        column.addStretch(1)
        self._look()
        return first

    def _look(self) -> None:
        """Say what keeps it from being added."""
        name = self.name.text().strip()
        taken = name in {process.name for process in self.library.processes()}
        taken = taken or name in {process.name for process in self.like}
        self.wrong.setText(f"There is a machine called “{name}” already." if taken else "")
        ready = bool(name) and not taken and bool(self.like)
        self.measure.setEnabled(ready)
        self.guess.setEnabled(ready)
        if not self.like:
            self.wrong.setText(
                "This is bent of sheet: a folding machine is set up under Process, with its chart."
            )

    def _new(self) -> Process:
        return self.like[self.kind.currentIndex()].like_new(self.name.text().strip())

    def _measure(self) -> None:
        if not self.measure.isEnabled():
            return
        self.page.begin(self._new(), self.worker)
        if _QUICK in (name for _, name in pieces_for(self.page.process)):
            self.page.take_piece(_QUICK)
        self.pages.setCurrentWidget(self.page)
        self.resize(max(self.width(), 1240), max(self.height(), 720))

    def _guess(self) -> None:
        made = self._new()
        try:
            self.library.keep_process(made)
        except SchabloneError as error:
            self.wrong.setText(str(error))
            return
        self._kept(made)

    def _measured(self, process: Process) -> None:
        """What was measured tells how far apart fits must lie; nobody has tried them by hand."""
        if spacing(process):
            try:
                process = self.library.keep_process(process.with_(fits=spaced(process)), process)
            except SchabloneError as error:
                self.page.wrong.setText(str(error))
                return
        self._kept(process)

    def _kept(self, process: Process) -> None:
        self.added.emit(process)
        self.close()
