"""The life of editions on the page of publishing: the number of the next one and why, what changed
since the last, which there were."""

from __future__ import annotations

import contextvars
import threading
from collections.abc import Callable
from contextlib import suppress
from functools import partial

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from ...core.design import Design
from ...core.problem import SchabloneError
from ...core.process import Process
from ...core.publish.life import NUMBER, Coming, coming_edition
from ...core.publish.readme import sources_of
from ..session import Session
from ..widgets.basics import Elided, clear, label, on_hover
from ..widgets.left_text import LeftText
from ..widgets.lines import KeptLine

#: How long nothing changes before the comparison with the last edition begins, ms.
_REST = 250
#: So many editions are listed.
_MOST = 12


class _Compare(QObject):
    """Compares a design with its last edition in a thread of its own: hundreds of choices are
    tried in its sheet."""

    done = Signal(object, object, object)

    def run(self, session: Session) -> None:
        design, process = session.design, session.process
        known = tuple(session.library.processes())

        def work() -> None:
            try:
                coming = coming_edition(design, process, known)
            except SchabloneError:
                return  # a sheet that cannot be worked out is told where the sizes stand
            with suppress(RuntimeError):  # the window is closed, and this with it
                self.done.emit(design, process, coming)

        run = partial(contextvars.copy_context().run, work)
        threading.Thread(target=run, name="editions", daemon=True).start()


class EditionsCard(QWidget):
    """``say`` changes a field of what is published. ``numbered`` tells the number that an edition
    written now would have."""

    numbered = Signal(str)

    def __init__(self, session: Session, say: Callable[[str, str], None]) -> None:
        super().__init__()
        self.session, self._say = session, say
        self.coming: Coming | None = None
        self._compared: tuple[Design, Process] | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(label("The next edition", "heading"))
        self.said = label("", "quiet", wrap=True)
        layout.addWidget(self.said)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(label("number", "small"))
        self.number = KeptLine()
        self.number.setAccessibleName("number of the next edition")
        self.number.setFixedWidth(72)
        self.number.editingFinished.connect(self._take_number)
        row.addWidget(self.number)
        self.why = label("", "small", wrap=True)
        row.addWidget(self.why, 1)
        layout.addLayout(row)
        self.changed_said = label("", "small")
        layout.addWidget(self.changed_said)
        self.changed = LeftText("")
        self.changed.setAccessibleName("what changed in this edition")
        self.changed.setFixedHeight(86)
        self.changed.setTabChangesFocus(True)
        self.changed.finished.connect(lambda text: say("next_changed", text.strip()))
        layout.addWidget(self.changed)
        self.sources = label("", "small", wrap=True)
        layout.addWidget(self.sources)
        self.before = QWidget()
        self._before = QGridLayout(self.before)
        self._before.setContentsMargins(0, 0, 0, 0)
        self._before.setHorizontalSpacing(12)
        self._before.setColumnStretch(2, 1)
        layout.addWidget(self.before)
        self._later = QTimer(self, singleShot=True, interval=_REST)
        self._later.timeout.connect(self._compare)
        self._work = _Compare(self)
        self._work.done.connect(self._found, Qt.ConnectionType.QueuedConnection)

    def refresh(self) -> None:
        """Show what the design says of its editions; the comparison follows."""
        publish = self.session.design.publish
        for field, text in (
            (self.number, publish.next_number),
            (self.changed, publish.next_changed),
        ):
            if not field.hasFocus():
                field.setPlainText(text) if isinstance(field, LeftText) else field.setText(text)
        sources = sources_of(self.session.design)
        self.sources.setText("\n".join(sources))
        self.sources.setVisible(bool(sources))
        self._list_before()
        if self._compared is None or not self._is_now(*self._compared):
            self._later.start()
        else:
            self._show()

    def _list_before(self) -> None:
        clear(self._before)
        history = self.session.design.publish.history
        self.before.setVisible(bool(history))
        for row, record in enumerate(reversed(history[-_MOST:])):
            self._before.addWidget(label(record.number, "strong"), row, 0)
            self._before.addWidget(label(record.date, "small"), row, 1)
            told = record.changed.strip() or "the first one"
            line = Elided(told.splitlines()[0], "small")
            on_hover(line, told)
            self._before.addWidget(line, row, 2)

    def _take_number(self) -> None:
        text = self.number.text().strip()
        if text and not NUMBER.fullmatch(text):
            self.why.setText(f"“{text}” is no number of an edition, such as 1.2.")
            return
        self._say("next_number", text)

    def _compare(self) -> None:
        if self.isVisible():
            self._work.run(self.session)

    def _is_now(self, design: Design, process: Process) -> bool:
        return design is self.session.design and process is self.session.process

    def _found(self, design: Design, process: Process, coming: Coming) -> None:
        if not self._is_now(design, process):
            return  # it changed meanwhile; the next comparison is on its way
        self._compared, self.coming = (design, process), coming
        self._show()

    def _show(self) -> None:
        coming, publish = self.coming, self.session.design.publish
        if coming is None:
            return
        self.numbered.emit(publish.next_number or coming.number)
        last = publish.latest
        writes = coming.is_new
        self.number.setVisible(writes)
        self.changed.setVisible(writes and last is not None)
        self.changed_said.setVisible(writes and last is not None)
        self.why.setVisible(writes)
        if last is None:
            self.said.setText(
                "The first one. Its number, its day and the design as it is then are "
                "kept with the design."
            )
            self.why.setText("")
        elif not writes:
            self.said.setText(
                f"Nothing changed since edition {last.number} of {last.date}: writing "
                "it again gives the same file."
            )
        else:
            self.said.setText(f"Compared with edition {last.number} of {last.date}.")
            fits = f"Choices that people saved with {last.number} still fit."
            reasons = "; ".join(coming.breaks)
            self.why.setText(
                f"Choices saved with {last.number} may not fit: {reasons}." if reasons else fits
            )
            self.changed_said.setText(
                "what changed; left empty, it says what was found"
                if coming.changed
                else "what changed"
            )
        if not publish.next_number:
            self.number.setPlaceholderText(coming.number)
        self.changed.setPlaceholderText(coming.words)
