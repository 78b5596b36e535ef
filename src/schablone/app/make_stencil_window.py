"""Make a stencil of steps: which, what it is called, where its anchor lies, which sizes are open;
and what cannot be."""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ..core.design.stencil_anchor import Anchorage
from ..core.design.stencil_make import Draft, replaced, stencil_of
from ..core.design.text import title_of
from ..core.formula.errors import FormulaError
from ..core.kernel.frame import Frame
from ..core.kernel.naming import say_face
from ..core.problem import SchabloneError
from ..core.reuse import SUFFIX, Stencil, write_stencil
from ..core.words import say_name, say_validation
from .saving import ask_path, may_take_the_place, write_and_say
from .session import Session
from .widgets.basics import button, clear, label, on_hover, restyle, scrolled
from .widgets.lines import KeptLine

#: Faces with their frames, as they are shown now.
Frames = Callable[[], dict[str, Frame]]


class MakeStencilWindow(QWidget):
    """What is chosen is looked at with each change; it can be kept as soon as it makes sense."""

    def __init__(
        self, session: Session, names: Collection[str], frames: Frames, parent: QWidget
    ) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Make a stencil")
        self.resize(900, 640)
        self.session, self.frames = session, frames
        self.draft = Draft(())
        self.opens: dict[str, bool] = {}
        self._anchor: Anchorage | None = None
        self._looked_at: tuple[object, object] | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(24)
        left = QVBoxLayout()
        left.addWidget(label("Make a stencil of these steps", "heading"))
        self.list = QListWidget()
        self.list.setFixedWidth(300)
        self.list.setAccessibleName("steps that the stencil is made of")
        self._list_steps(names)
        self.list.itemChanged.connect(lambda _: self._steps_changed())
        left.addWidget(self.list, 1)
        layout.addLayout(left)
        layout.addWidget(self._right(), 1)
        self.name.setText(title_of(max(names, key=self._place)) if names else "")
        self._look()
        session.taken.connect(self.close)
        session.changed.connect(self._design_changed)

    def _list_steps(self, chosen: Collection[str]) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for step in self.session.design.steps:
            item = QListWidgetItem(title_of(step.name))
            item.setData(Qt.ItemDataRole.UserRole, step.name)
            item.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled)
            state = Qt.CheckState.Checked if step.name in chosen else Qt.CheckState.Unchecked
            item.setCheckState(state)
            self.list.addItem(item)
        self.list.blockSignals(False)

    def _design_changed(self) -> None:
        """What is made of the steps, and put where they are, is what they are now."""
        if (self.session.design, self.session.table) != self._looked_at:
            self._list_steps(self.chosen())
            self._look()

    def _place(self, name: str) -> int:
        return next((k for k, s in enumerate(self.session.design.steps) if s.name == name), -1)

    def _right(self) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        fields = QFormLayout()
        fields.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self.name, self.at_x, self.at_y, self.note = (KeptLine() for _ in range(4))
        for line, words, said in (
            (self.name, "called", "what the stencil is called"),
            (self.note, "what it is for", "what the stencil is for"),
        ):
            line.setAccessibleName(said)
            fields.addRow(label(words, "quiet"), line)
        self.face = label("", "")
        fields.addRow(label("anchor on", "quiet"), self.face)
        place = QHBoxLayout()
        for line, words in ((self.at_x, "x"), (self.at_y, "y")):
            line.setObjectName("formula")
            line.setAccessibleName(f"{words} of the anchor on its face")
            line.editingFinished.connect(self._anchor_typed)
            place.addWidget(label(words, "quiet"))
            place.addWidget(line, 1)
        fields.addRow(label("at", "quiet"), place)
        column.addLayout(fields)
        self.name.textEdited.connect(lambda _: self._look())
        self.note.textEdited.connect(lambda _: self._look())
        column.addWidget(label("WHAT IT ASKS FOR", "group"))
        column.addWidget(
            label("Ticked: asked for where it is put in. Else it is always as it is here.", "small")
        )
        inner = QWidget()
        self.asked = QVBoxLayout(inner)
        self.asked.setContentsMargins(0, 0, 8, 0)
        self.asked.setSpacing(2)
        scroll = scrolled(inner, sideways=True)
        column.addWidget(scroll, 1)
        self.said = label("", "small", wrap=True)
        column.addWidget(self.said)
        self.instead = QCheckBox("Put it where the steps are now")
        self.instead.setChecked(True)
        column.addWidget(self.instead)
        row = QHBoxLayout()
        row.addStretch(1)
        self.save = button("Save as a file …", "plain", self._save_dialog, "A .stencil file")
        self.keep = button("Onto the shelf", "primary", self.keep_on_shelf, "For other designs")
        row.addWidget(self.save)
        row.addWidget(self.keep)
        column.addLayout(row)
        return whole

    # What is chosen

    def chosen(self) -> list[str]:
        items = [self.list.item(row) for row in range(self.list.count())]
        return [
            item.data(Qt.ItemDataRole.UserRole)
            for item in items
            if item.checkState() == Qt.CheckState.Checked
        ]

    def _steps_changed(self) -> None:
        self._anchor = None
        self._look()

    def _anchor_typed(self) -> None:
        now = Anchorage(self.draft.anchor.face, self.at_x.text().strip(), self.at_y.text().strip())
        if now != self.draft.anchor:
            self._anchor = now
            self._look()

    def _look(self) -> None:
        """What becomes of what is chosen."""
        session = self.session
        self._looked_at = session.design, session.table
        try:
            self.draft = stencil_of(
                session.design,
                self.chosen(),
                session.table,
                called=self.name.text().strip(),
                opens=self.opens,
                anchor=self._anchor,
                frames=self.frames(),
            )
        except FormulaError as error:
            self.draft = Draft(tuple(self.chosen()), cannot=(error.what,))
        draft = self.draft
        self._mark_also()
        face = draft.anchor.face
        self.face.setText(say_face(face) if face else "the plane that it is drawn on")
        for line, text in ((self.at_x, draft.anchor.x), (self.at_y, draft.anchor.y)):
            if not line.hasFocus():
                line.setText(text)
        self._show_asked()
        good = draft.stencil is not None
        told = [*draft.cannot]
        if good and draft.also:
            told.append(f"Taken in as well: {', '.join(map(say_name, draft.also))}.")
        self._say(" ".join(told), wrong=bool(draft.cannot))
        self.keep.setEnabled(good)
        self.save.setEnabled(good)
        self.instead.setEnabled(draft.instead is not None)

    def _mark_also(self) -> None:
        """Steps that were taken in since others need them."""
        for row in range(self.list.count()):
            item = self.list.item(row)
            name = item.data(Qt.ItemDataRole.UserRole)
            also = name in self.draft.also
            self.list.blockSignals(True)
            item.setText(f"{title_of(name)}{'  (needed)' if also else ''}")
            self.list.blockSignals(False)

    def _show_asked(self) -> None:
        clear(self.asked)
        if not (self.draft.asked or self.draft.faces or self.draft.parts):
            self.asked.addWidget(label("Nothing: it is the same everywhere.", "small"))
        for one in self.draft.asked:
            switch = QCheckBox(f"{say_name(one.name)}, {one.value} now")
            switch.setChecked(one.open)
            on_hover(
                switch, f"{one.formula}: asked for where it is put in, or always as it is here"
            )
            switch.clicked.connect(lambda on, name=one.formula: self._open(name, on))
            self.asked.addWidget(switch)
        for name, face in self.draft.faces.items():
            self.asked.addWidget(label(f"{say_name(name)}: a face, here {say_face(face)}", "small"))
        for name, part in self.draft.parts.items():
            self.asked.addWidget(label(f"{say_name(name)}: a part, here {say_name(part)}", "small"))
        self.asked.addStretch(1)

    def _open(self, name: str, on: bool) -> None:
        self.opens[name] = on
        self._look()

    def _say(self, text: str, *, wrong: bool) -> None:
        restyle(self.said, wrong=wrong)
        self.said.setText(text)

    # What is done with it

    def _stencil(self) -> Stencil | None:
        """What would be kept; None, with words, where it is none."""
        stencil = self.draft.stencil
        try:
            return stencil and stencil.with_(note=self.note.text().strip())
        except ValidationError as error:
            self._say(say_validation(error, "file", "")[0].what, wrong=True)
            return None

    def keep_on_shelf(self) -> None:
        """Keep it, and put it where its steps were, if that is wanted."""
        stencil = self._stencil()
        if stencil is None:
            return
        own = self.session.library.own_stencils.items.get(stencil.name)
        if not may_take_the_place(self, own, stencil, stencil.said):
            return
        try:
            self.session.library.keep_stencil(stencil)
            if self._put_instead(stencil):
                self.session.said.emit(f"{stencil.said} is on the shelf now.")
                self.close()
        except SchabloneError as error:
            self._say(str(error), wrong=True)

    def _put_instead(self, stencil: Stencil) -> bool:
        draft = self.draft
        if not (self.instead.isChecked() and draft.instead is not None):
            return True
        draft.stencil = stencil
        try:
            changed = replaced(self.session.design, draft)
        except FormulaError as error:
            self._say(f"{stencil.said} is on the shelf. {error.what} {error.hint}", wrong=True)
            return False
        return self.session.edit(lambda _: changed, f"stencil {stencil.said}")

    def _save_dialog(self) -> None:
        stencil = self._stencil()
        if stencil is not None and (path := ask_path(self, "stencil", stencil.name, SUFFIX)):
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write it to a file of its own."""
        stencil = self._stencil()
        if stencil is not None:
            write_and_say(path, "stencil", write_stencil(stencil), self._say)
