"""The header line: name and saved state, lens, process, verdict, undo and redo, publish."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from .session import Session
from .theme import icon, theme
from .widgets.basics import Elided, button, label, on_hover, restyle
from .widgets.lens_switch import LensSwitch

#: Room that a narrow window leaves to the design's name, px, and the least and most that the
#: process in use gets: it gives way first, and tells its whole name under the pointer.
_TITLE = 160
_PROCESS = (96, 208)


class Header(QWidget):
    """Shows what is true of the whole design."""

    publish_wanted = Signal()
    verdict_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.setFixedHeight(52)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(18, 0, 14, 0)
        layout.setSpacing(10)
        names = QVBoxLayout()
        names.setSpacing(0)
        self.title, self.saved = Elided("", "title"), Elided("", "small")
        self.title.setMinimumWidth(_TITLE)
        names.addStretch(1)
        names.addWidget(self.title)
        names.addWidget(self.saved)
        names.addStretch(1)
        layout.addLayout(names, 1)
        self.lens = LensSwitch()
        self.lens.chosen.connect(lambda lens: session.look_through(lens))
        layout.addWidget(self.lens)
        layout.addWidget(label("on", "quiet"))
        self.process = QComboBox()
        self.process.setAccessibleName("process in use")
        self.process.setMinimumWidth(_PROCESS[0])
        self.process.setMaximumWidth(_PROCESS[1])
        self.process.activated.connect(self._choose_process)
        layout.addWidget(self.process)
        self.verdict = button("", "verdict", self.verdict_wanted.emit, "Open the checks")
        layout.addWidget(self.verdict)
        self.undo, self.redo = self._arrow("undo", session.undo), self._arrow("redo", session.redo)
        layout.addWidget(self.undo)
        layout.addWidget(self.redo)
        layout.addWidget(
            button("Publish …", "primary", self.publish_wanted.emit, "Publish an edition")
        )
        session.changed.connect(self.refresh)
        session.file_changed.connect(self.refresh)

    def _arrow(self, name: str, does: object) -> QToolButton:
        arrow = QToolButton()
        arrow.setObjectName("plain")
        arrow.setIcon(icon(name, theme().ink, 20))
        arrow.setIconSize(QSize(20, 20))
        arrow.setAccessibleName(name)
        arrow.clicked.connect(does)
        return arrow

    def _choose_process(self, index: int) -> None:
        name = self.process.itemText(index)
        process = self.session.library.process(name)
        if process is not None:
            self.session.use_process(process)

    def refresh(self) -> None:
        session = self.session
        self.title.set_whole(session.design.name)
        state = "saved" if session.is_saved else "not saved"
        self.saved.set_whole(
            f"{state} · {session.path.name}" if session.path else "not in a file yet"
        )
        self.lens.set_lens(session.lens)
        names = [process.name for process in session.library.processes()]
        if session.process.name not in names:
            names.insert(0, session.process.name)
        if [self.process.itemText(i) for i in range(self.process.count())] != names:
            self.process.clear()
            self.process.addItems(names)
        self.process.setCurrentText(session.process.name)
        on_hover(
            self.process, "\n".join(filter(None, (session.process.name, session.process.note)))
        )
        for arrow, did, key in (
            (self.undo, session.can_undo, "Ctrl+Z"),
            (self.redo, session.can_redo, "Ctrl+Shift+Z"),
        ):
            arrow.setEnabled(bool(did))
            on_hover(
                arrow,
                f"{arrow.accessibleName().capitalize()}: {did} ({key})"
                if did
                else f"Nothing to {arrow.accessibleName()}",
            )

    def show_not_built(self) -> None:
        """There is no part of which anything could hold."""
        self.verdict.setText("not built")
        restyle(self.verdict, holds="false")

    def show_verdict(
        self, holding: int, of: int, are_all: bool = True, is_part: bool = False
    ) -> None:
        """How many checks hold; of none, as long as there is no part, it says so. Until they
        ``are_all`` there, it holds so far; where only a part of the steps is built, up to
        here."""
        if not of:
            self.verdict.setText("nothing to check yet")
            restyle(self.verdict, holds="")
            return
        everything = holding == of
        more = "" if are_all else " so far"
        words = f"all {of} hold" if everything else f"{holding} of {of} hold"
        self.verdict.setText(words + (" up to here" if is_part else more))
        restyle(self.verdict, holds="true" if everything else "false")
