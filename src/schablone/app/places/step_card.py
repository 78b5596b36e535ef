"""A step as a card: a sentence whose formulas, choices and picks are changed where they stand."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QEvent, QMimeData, QObject, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QEnterEvent,
    QMouseEvent,
)
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Design
from ...core.design import edit as edits
from ...core.design.text import place_words, title_of
from ...core.problem import Problem
from ...core.quantity import Kind, Quantity
from ...core.sketch.drawing import X_AXIS, Y_AXIS
from ...core.sketch.sentences import say_element
from ...core.steps import Step
from ...core.steps.base import (
    ChoicePiece,
    EdgesPiece,
    FacesPiece,
    FormulaPiece,
    LinePiece,
    PartPiece,
    Piece,
    PlacePiece,
    StepPiece,
    TextPiece,
    Words,
    say_step,
)
from ...core.steps.extrude import Extrude
from ...core.steps.revolve import Revolve
from ...core.steps.selecting import EdgeRule
from ...core.steps.sketch import SHAPES, Sketch
from ..session import Session
from ..theme import icon, theme
from ..widgets.basics import Elided, Flow, button, label, restyle
from ..widgets.formula_edit import FormulaEdit

#: What is carried while a step is dragged to another place.
MOVED_STEP = "application/x-schablone-step"

_STATES = {
    "carried": "carried by",
    "left out": "left out: its condition does not hold",
    "off": "switched off",
    "later": "later than the step that is worked at",
}


class StepCard(QFrame):
    """One step. ``pick_wanted`` asks for a face to be picked in the view for a field of this step."""

    chosen = Signal(str)
    pointed = Signal(str)
    pick_wanted = Signal(str, str)
    draw_wanted = Signal(str)
    regions_wanted = Signal(str)

    def __init__(self, session: Session, step: Step, number: int) -> None:
        super().__init__()
        self.setObjectName("card")
        self.session, self.name, self.number = session, step.name, number
        self.editors: dict[str, FormulaEdit] = {}
        self.chips: dict[str, QWidget] = {}
        self.state: dict[str, Any] = {}
        self._sentence_of: Step | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 8, 9)
        layout.setSpacing(5)
        head = QHBoxLayout()
        head.setSpacing(8)
        self.count = label(str(number), "small")
        self.count.setFixedWidth(16)
        self.setAcceptDrops(True)
        self.symbol = label("")
        self.title = Elided(title_of(step.name), "strong")
        self.menu_button = QToolButton()
        self.menu_button.setObjectName("plain")
        self.menu_button.setIcon(icon("more", theme().quiet, 16))
        self.menu_button.setIconSize(QSize(16, 16))
        self.menu_button.setAccessibleName(f"more about {step.name}")
        self.menu_button.setToolTip("Rename, switch off, move, delete …")
        self.menu_button.clicked.connect(
            lambda: self._menu().exec(self.menu_button.mapToGlobal(self.menu_button.rect().bottomLeft()))
        )
        self.symbol.setCursor(Qt.CursorShape.OpenHandCursor)
        self.symbol.setToolTip("Drag the step to another place")
        self.symbol.installEventFilter(self)
        self.symbol.setPixmap(icon(step.kind, theme().quiet, 18).pixmap(QSize(18, 18)))
        for widget in (self.count, self.symbol):
            head.addWidget(widget)
        head.addWidget(self.title, 1)
        head.addWidget(self.menu_button)
        layout.addLayout(head)
        self._body = QVBoxLayout()
        self._body.setContentsMargins(24, 0, 4, 0)
        self._body.setSpacing(5)
        layout.addLayout(self._body)
        self.aside = label("", "small", wrap=True)
        self.wrong = label("", "wrong", wrap=True)
        for extra in (self.aside, self.wrong):
            row = QHBoxLayout()
            row.setContentsMargins(24, 0, 4, 0)
            row.addWidget(extra)
            layout.addLayout(row)
            extra.hide()
        self.show_step(step)

    @property
    def step(self) -> Step:
        found = self.session.design.step(self.name)
        assert found is not None
        return found

    # What it shows

    def show_step(self, step: Step) -> None:
        """Lay the sentence out anew where the step has changed."""
        if step == self._sentence_of:
            return
        self._sentence_of = step
        while self._body.count():
            item = self._body.takeAt(0)
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.editors, self.chips = {}, {}
        for line in step.sentence():
            flow = Flow()
            for piece in line:
                # Word by word, so that a sentence breaks as text does.
                words = piece.text.split() if isinstance(piece, Words) else []
                for widget in [label(word, "quiet") for word in words] or [self._piece(step, piece)]:
                    flow.put(widget)
            self._body.addWidget(flow)
        if isinstance(step, Sketch):
            foot = QHBoxLayout()
            foot.setSpacing(10)
            foot.addWidget(button("Draw …", "link", lambda: self.draw_wanted.emit(self.name), "Draw on this sketch"))
            add = button("+ shape", "link", lambda: None, "Add a shape to this sketch")
            menu = QMenu(add)
            for shape in SHAPES:
                kind = str(shape.model_fields["kind"].default)
                menu.addAction(kind.capitalize(), lambda kind=kind: self._add_shape(kind))
            add.setMenu(menu)
            foot.addWidget(add)
            foot.addStretch(1)
            links = QWidget()
            links.setLayout(foot)
            foot.setContentsMargins(0, 0, 0, 0)
            self._body.addWidget(links)
        if isinstance(step, (Extrude, Revolve)) and step.sketch:
            chosen = "Other regions …" if step.regions else "Only some regions …"
            link = button(chosen, "link", lambda: self.regions_wanted.emit(self.name), "Choose regions on the sketch")
            self._body.addWidget(link, 0, Qt.AlignmentFlag.AlignLeft)
        self.title.set_whole(title_of(step.name))
        self._show_aside()

    def show_state(self, state: dict[str, Any], problems: list[Problem]) -> None:
        """Show what the rebuild said of the step."""
        self.state = state
        mine = [problem for problem in problems if problem.area == "step" and problem.name == self.name]
        self.wrong.setText("\n".join(dict.fromkeys(problem.text for problem in mine)))
        self.wrong.setVisible(bool(mine))
        restyle(self, wrong=bool(mine))
        wrong_at = {problem.field for problem in mine}
        for path, chip in self.chips.items():
            restyle(chip, wrong=path in wrong_at)
            value = state.get("values", {}).get(path)
            if value is not None:
                quantity = Quantity(value[0], Kind(*value[1]))
                chip.setToolTip(f"= {self.session.say(quantity)}")
        self._show_aside()

    def _show_aside(self) -> None:
        step, state = self.step, self.state.get("state", "")
        parts = []
        if len(self.session.design.parts) > 1 and "part" in type(step).model_fields:
            parts.append(f"part {say_step(str(getattr(step, 'part', '')))}")
        if step.when:
            parts.append(f"made only if {step.when}")
        if not step.on:
            parts.append("switched off")
        elif state in _STATES:
            by = f" {say_step(self.state['by'])}" if self.state.get("by") else ""
            parts.append(f"{_STATES[state]}{by}")
        elif self.state.get("note"):
            parts.append(str(self.state["note"]))
        if step.note:
            parts.append(step.note)
        self.aside.setText(" · ".join(parts))
        self.aside.setVisible(bool(parts))

    def set_chosen(self, chosen: bool) -> None:
        restyle(self, chosen=chosen)

    # The pieces of a sentence

    def _piece(self, step: Step, piece: Piece) -> QWidget:
        match piece:
            case Words():
                return label(piece.text, "quiet")
            case FormulaPiece():
                return self._formula_chip(step, piece.path)
            case ChoicePiece():
                return self._choice(step, piece)
            case PlacePiece():
                return self._place(step, piece)
            case StepPiece():
                return self._other_step(step, piece)
            case TextPiece():
                return self._text(step, piece)
            case PartPiece():
                return self._other_part(step, piece)
            case EdgesPiece():
                return self._picks(
                    step, piece.path, [rule.words() for rule in edits.get_path(step, piece.path)], edges=True
                )
            case FacesPiece():
                names = edits.get_path(step, piece.path)
                return self._picks(step, piece.path, [place_words(self.session.design, n) for n in names], edges=False)
            case LinePiece():
                return self._line(step, piece)

    def _formula_chip(self, step: Step, path: str) -> QPushButton:
        text = str(edits.get_path(step, path))
        shown = text if len(text) <= 29 else f"{text[:27]}…"
        slot = next((slot for slot in step.slots() if slot.path == path), None)
        chip = button(shown, "chip", lambda: self.edit(path), text)
        chip.setAccessibleName(f"{slot.label if slot else path}: {text}")
        self.chips[path] = chip
        return chip

    def edit(self, path: str) -> None:
        """Type another formula in the place of its chip."""
        if path in self.editors or path not in self.chips:
            return
        self.chosen.emit(self.name)
        step, chip = self.step, self.chips[path]
        slot = next((slot for slot in step.slots() if slot.path == path), None)
        editor = FormulaEdit(
            str(edits.get_path(step, path)), lambda: self.session.sheet, wanted=slot.kind if slot else None,
            units=self.session.units(),
        )  # fmt: skip
        editor.setProperty("full_line", True)
        self.editors[path] = editor
        flow = chip.parentWidget()
        assert isinstance(flow, Flow)
        chip.hide()
        flow.put(editor, after=chip)
        editor.committed.connect(lambda text: self._set(path, text))
        editor.made.connect(self._make_size)
        editor.dropped.connect(lambda: self._close_editor(path))
        editor.begin()

    def _close_editor(self, path: str) -> None:
        editor = self.editors.pop(path, None)
        if editor is None:
            return
        flow = editor.parentWidget()
        if isinstance(flow, Flow):
            flow.take(editor)
        if path in self.chips:
            self.chips[path].show()

    def _make_size(self, name: str, formula: str) -> None:
        self.session.edit(lambda design: edits.add_size(design, name, formula), f"new size {name}")

    def _set(self, path: str, value: Any) -> None:
        self._close_editor(path)
        self.session.edit(
            lambda design: edits.change_step(design, self.name, path, value),
            f"{say_step(self.name)}: {value}",
        )

    def _choice(self, step: Step, piece: ChoicePiece) -> QToolButton:
        found = QToolButton()
        found.setObjectName("choice")
        now = edits.get_path(step, piece.path)
        found.setText(piece.options.get(now, str(now)))
        found.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        found.setAccessibleName(f"{piece.path}: {found.text()}")
        menu = QMenu(found)
        for value, words in piece.options.items():
            menu.addAction(words, lambda value=value: self._set(piece.path, value))
        found.setMenu(menu)
        self.chips[piece.path] = found
        return found

    def _place(self, step: Step, piece: PlacePiece) -> QToolButton:
        found = QToolButton()
        found.setObjectName("pick")
        place = str(edits.get_path(step, piece.path))
        found.setText(place_words(self.session.design, place) if place else "pick a face")
        found.setCheckable(True)
        found.setToolTip("Click, then pick a flat face in the view")
        found.setAccessibleName(f"{piece.path}: {found.text()}")
        self.chips[piece.path] = found
        if piece.planes:
            menu = QMenu(found)
            for plane, words in (
                ("ground", "the ground"),
                ("front", "the front plane"),
                ("side", "the side plane"),
            ):
                menu.addAction(words, lambda plane=plane: self._set(piece.path, plane))
            menu.addAction("a face, picked in the view", lambda: self.pick_wanted.emit(self.name, piece.path))
            found.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
            found.setMenu(menu)
            found.setCheckable(False)
        else:
            found.clicked.connect(lambda: self.pick_wanted.emit(self.name, piece.path))
        return found

    def set_picking(self, path: str, on: bool) -> None:
        chip = self.chips.get(path)
        if isinstance(chip, QToolButton) and chip.isCheckable():
            chip.setChecked(on)

    def _picks(self, step: Step, path: str, words: list[str], *, edges: bool) -> QToolButton:
        """What is picked, in words, with a menu to pick more and to leave some out."""
        found = QToolButton()
        found.setObjectName("pick")
        nothing = "pick edges" if edges else "pick a face"
        found.setText(
            "; ".join(words)
            if len("; ".join(words)) < 40
            else f"{words[0]} and {len(words) - 1} more"
            if words
            else nothing
        )
        if not words:
            found.setText(nothing)
        found.setAccessibleName(f"{path}: {found.text()}")
        found.setToolTip("\n".join(words) or "Click to pick in the view")
        found.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(found)
        if edges:
            menu.addAction("Pick an edge in the view", lambda: self.pick_wanted.emit(self.name, f"{path}+edge"))
            menu.addAction(
                "All edges of a face, picked in the view", lambda: self.pick_wanted.emit(self.name, f"{path}+around")
            )
            for how, what in (("upright", "Upright edges of"), ("level", "Level edges of"), ("all", "All edges of")):
                listed = menu.addMenu(what)
                for other in self.session.design.steps[: self.number - 1]:
                    if other.kind != "sketch":
                        rule = EdgeRule(how=how, of=(other.name,))  # type: ignore[arg-type]
                        listed.addAction(title_of(other.name), lambda rule=rule: self.add_pick(path, rule))
        else:
            menu.addAction("Pick a face in the view", lambda: self.pick_wanted.emit(self.name, f"{path}+face"))
        if words:
            menu.addSeparator()
        for k, text in enumerate(words):
            menu.addAction(f"Leave out {text}", lambda k=k: self._leave_out(path, k))
        found.setMenu(menu)
        self.chips[path] = found
        return found

    def add_pick(self, path: str, picked: object) -> None:
        """One more face or edge rule, unless it is there already."""
        now = edits.get_path(self.step, path)
        if picked not in now:
            self._set(path, (*now, picked))

    def _leave_out(self, path: str, number: int) -> None:
        now = edits.get_path(self.step, path)
        self._set(path, tuple(item for k, item in enumerate(now) if k != number))

    def _other_part(self, step: Step, piece: PartPiece) -> QToolButton:
        found = QToolButton()
        found.setObjectName("pick")
        now = str(edits.get_path(step, piece.path))
        found.setText(say_step(now) if now else "pick a part")
        found.setAccessibleName(f"{piece.path}: {found.text()}")
        found.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(found)
        for part in self.session.design.parts:
            if part.name != getattr(step, "part", ""):
                menu.addAction(part.title or part.name, lambda name=part.name: self._set(piece.path, name))
        found.setMenu(menu)
        self.chips[piece.path] = found
        return found

    def to_new_part(self, title: str) -> None:
        """Let the step make a part of its own."""

        def change(design: Design) -> Design:
            wider, name = edits.add_part(design, title)
            return edits.change_step(wider, self.name, "part", name)

        self.session.edit(change, f"new part {title}")

    def _ask_new_part(self) -> None:
        line = QLineEdit()
        line.setPlaceholderText("name of the new part, such as lid")
        line.setAccessibleName("name of the new part")
        self._body.addWidget(line)
        line.setFocus()

        def done() -> None:
            line.blockSignals(True)
            title = line.text().strip()
            line.hide()
            line.deleteLater()
            if title:
                self.to_new_part(title)

        line.editingFinished.connect(done)

    def _line(self, step: Step, piece: LinePiece) -> QToolButton:
        found = QToolButton()
        found.setObjectName("pick")
        found.setText(say_element(str(edits.get_path(step, piece.path))))
        found.setAccessibleName(f"{piece.path}: {found.text()}")
        found.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(found)
        sketch = self.session.design.step(str(getattr(step, piece.sketch)))
        lines = [c.name for c in sketch.drawing.curves if c.kind == "line"] if isinstance(sketch, Sketch) else []
        for name in (X_AXIS, Y_AXIS, *lines):
            menu.addAction(say_element(name), lambda name=name: self._set(piece.path, name))
        found.setMenu(menu)
        self.chips[piece.path] = found
        return found

    def _text(self, step: Step, piece: TextPiece) -> QLineEdit:
        line = QLineEdit(str(edits.get_path(step, piece.path)))
        line.setAccessibleName("text on the part")
        line.setFixedWidth(150)
        line.editingFinished.connect(
            lambda: line.text() != str(edits.get_path(self.step, piece.path)) and self._set(piece.path, line.text())
        )
        return line

    def _other_step(self, step: Step, piece: StepPiece) -> QToolButton:
        found = QToolButton()
        found.setObjectName("pick")
        now = str(edits.get_path(step, piece.path))
        found.setText(say_step(now))
        found.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        found.setAccessibleName(f"{piece.path}: {found.text()}")
        self.chips[piece.path] = found
        menu = QMenu(found)
        before = [s for s in self.session.design.steps[: self.number - 1] if s.kind in piece.kinds]
        for other in before:
            menu.addAction(title_of(other.name), lambda name=other.name: self._set(piece.path, name))
        if not before:
            menu.addAction("There is none above this step yet.").setEnabled(False)
        found.setMenu(menu)
        return found

    # Shapes of a sketch

    def _add_shape(self, kind: str) -> None:
        from ...core.steps.sketch import Corner, Polyline

        cls = next(shape for shape in SHAPES if shape.model_fields["kind"].default == kind)
        step = self.step
        assert isinstance(step, Sketch)
        taken = {shape.name for shape in step.shapes}
        name, number = kind, 2
        while name in taken:
            name, number = f"{kind}_{number}", number + 1
        shape = cls(name=name)
        if cls is Polyline:
            shape = Polyline(name=name, points=(Corner(), Corner(x="20 mm"), Corner(y="20 mm")))
        self._set("shapes", (*step.shapes, shape))

    def _remove_shape(self, name: str) -> None:
        step = self.step
        assert isinstance(step, Sketch)
        self._set("shapes", tuple(shape for shape in step.shapes if shape.name != name))

    # The menu

    def _menu(self) -> QMenu:
        step, session = self.step, self.session
        self.chosen.emit(self.name)
        menu = QMenu(self)
        menu.addAction("Rename", self.rename)
        if step.on:
            menu.addAction("Switch off", lambda: self._set("on", False))
        else:
            menu.addAction("Switch on", lambda: self._set("on", True))
        if session.until == self.name:
            menu.addAction("Back to the end of the build", lambda: session.work_at(""))
        else:
            menu.addAction("Work at this step", lambda: session.work_at(self.name))
        if "part" in type(step).model_fields:
            parts = menu.addMenu("Part")
            for part in session.design.parts:
                entry = parts.addAction(part.title or part.name, lambda name=part.name: self._set("part", name))
                entry.setCheckable(True)
                entry.setChecked(part.name == getattr(step, "part", ""))
            parts.addAction("New part …", self._ask_new_part)
        menu.addAction("Make only if …", self.edit_condition)
        menu.addAction("Note …", self.edit_note)
        if isinstance(step, Sketch) and step.shapes:
            shapes = menu.addMenu("Remove a shape")
            for shape in step.shapes:
                shapes.addAction(shape.name, lambda name=shape.name: self._remove_shape(name))
        menu.addSeparator()
        at = self.number - 1
        up = menu.addAction(
            "Move up",
            lambda: session.edit(lambda d: edits.move_step(d, self.name, at - 1), f"move {self.name}"),
        )
        down = menu.addAction(
            "Move down",
            lambda: session.edit(lambda d: edits.move_step(d, self.name, at + 1), f"move {self.name}"),
        )
        up.setEnabled(at > 0)
        down.setEnabled(at < len(session.design.steps) - 1)
        menu.addSeparator()
        menu.addAction("Delete", self.delete)
        return menu

    def delete(self) -> None:
        self.session.edit(lambda design: edits.delete_step(design, self.name), f"delete {say_step(self.name)}")

    def rename(self) -> None:
        """Type another name in the place of the title."""
        line = QLineEdit(self.name)
        line.setAccessibleName(f"new name of {self.name}")
        head = self.layout().itemAt(0).layout()
        assert isinstance(head, QHBoxLayout)
        self.title.hide()
        head.insertWidget(2, line, 1)
        line.setFocus()
        line.selectAll()

        def done() -> None:
            line.blockSignals(True)
            new = "_".join(line.text().split())
            head.removeWidget(line)
            line.deleteLater()
            self.title.show()
            if new and new != self.name:
                did = f"rename {say_step(self.name)} to {say_step(new)}"
                self.session.edit(lambda design: edits.rename_step_everywhere(design, self.name, new), did)

        line.editingFinished.connect(done)

    def edit_condition(self) -> None:
        """Type when the step is made."""
        from ...core.quantity import TRUTH

        editor = FormulaEdit(
            self.step.when, lambda: self.session.sheet, wanted=TRUTH, placeholder="made only if, for example, height > 120 mm",
            may_be_empty=True,
        )  # fmt: skip
        self._body.addWidget(editor)
        editor.committed.connect(lambda text: self._set("when", text))
        for end in (editor.committed, editor.dropped):
            end.connect(lambda *_: (editor.hide(), editor.deleteLater()))
        editor.begin()

    def edit_note(self) -> None:
        """Type a note."""
        line = QLineEdit(self.step.note)
        line.setPlaceholderText("a note for whoever reads this later")
        line.setAccessibleName(f"note on {self.name}")
        self._body.addWidget(line)
        line.setFocus()

        def done() -> None:
            line.blockSignals(True)
            text = line.text()
            line.hide()
            line.deleteLater()
            if text != self.step.note:
                self._set("note", text)

        line.editingFinished.connect(done)

    # Dragging to another place

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The sign of the kind is the handle: dragging it drags the step."""
        moving = event if watched is self.symbol and event.type() == QEvent.Type.MouseMove else None
        if isinstance(moving, QMouseEvent) and moving.buttons() & Qt.MouseButton.LeftButton:
            drag, data = QDrag(self), QMimeData()
            data.setData(MOVED_STEP, self.name.encode("utf8"))
            drag.setMimeData(data)
            drag.setPixmap(self.grab().scaledToWidth(220, Qt.TransformationMode.SmoothTransformation))
            drag.exec(Qt.DropAction.MoveAction)
            return True
        return super().eventFilter(watched, event)

    def _dragged(self, event: QDropEvent) -> str:
        return bytes(event.mimeData().data(MOVED_STEP).data()).decode("utf8")

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """What would break is said before the drop."""
        name = self._dragged(event) if event.mimeData().hasFormat(MOVED_STEP) else ""
        if not name or name == self.name:
            return
        event.acceptProposedAction()
        breaks = edits.would_break(self.session.design, name, self.number - 1)
        self.aside.setText("Here " + "; ".join(breaks) + "." if breaks else f"Puts {say_step(name)} here.")
        self.aside.show()
        restyle(self, wrong=bool(breaks), hover=not breaks)

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        restyle(self, wrong=bool(self.wrong.text()), hover=False)
        self._show_aside()

    def dropEvent(self, event: QDropEvent) -> None:
        name, to = self._dragged(event), self.number - 1
        restyle(self, wrong=False, hover=False)
        self._show_aside()
        self.session.edit(lambda design: edits.move_step(design, name, to), f"move {say_step(name)}")

    # Pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit(self.name)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.title.geometry().contains(event.position().toPoint()):
            self.rename()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self._menu().exec(event.globalPos())

    def enterEvent(self, event: QEnterEvent) -> None:
        self.pointed.emit(self.name)

    def leaveEvent(self, event: object) -> None:
        self.pointed.emit("")
