"""A step as a card: a sentence whose formulas, choices and picks are changed where they stand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QEnterEvent,
    QKeyEvent,
    QMouseEvent,
)
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ...core.design import edit as edits
from ...core.design.text import title_of
from ...core.problem import Problem
from ...core.quantity import Kind, Quantity
from ...core.steps import Step
from ...core.steps.closed_shapes import SHAPES
from ...core.steps.extrude import Extrude
from ...core.steps.plane import Plane
from ...core.steps.revolve import Revolve
from ...core.steps.sentence import SentencePiece, TiesPiece, Words, say_step
from ...core.steps.sketch import Sketch
from ...worker import talk
from ..session import Session
from ..theme import icon, kind_icon, theme
from ..widgets.basics import Elided, Flow, button, clear, label, on_hover, restyle, show_if
from ..widgets.formula_edit import FormulaEdit
from ..widgets.lines import AskedLine
from ..widgets.typed import begins_number, typed_text
from . import step_deeds as deeds
from .stencil_pieces import close_stencil
from .step_brief import BriefLine, brief_of, is_at_defaults
from .step_drag import StepDrag
from .step_menu import menu_of
from .step_pieces import SentencePieces

_STATES = {
    "carried": "carried by",
    "left out": "left out: its condition does not hold",
    "off": "switched off",
    "later": "later than the step that is worked at",
}


class StepCard(SentencePieces):
    """One step. ``pick_wanted`` asks for a face to be picked in the view for a field of this
    step."""

    pointed = Signal(str)
    #: It is taller than it was: what came must be seen.
    grew = Signal()
    draw_wanted = Signal(str)
    regions_wanted = Signal(str)
    shelf_wanted = Signal()
    stencil_wanted = Signal(object)

    def __init__(self, session: Session, step: Step, number: int) -> None:
        super().__init__(session, step, number)
        self.kind = step.kind
        self._above: tuple[tuple[str, str, str], ...] = ()
        self.setObjectName("card")
        self.editors: dict[str, FormulaEdit] = {}
        self.state: talk.StepReport = {"state": "", "by": "", "values": {}}
        self._remarks: list[str] = []
        self._wrong_at: set[str] = set()
        self._sentence_of: Step | None = None
        self._is_open = self._shows_more = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 3, 8, 3)
        layout.setSpacing(0)
        head = QHBoxLayout()
        head.setSpacing(8)
        #: The step in one line, there as long as nobody works at it.
        self.brief = QWidget()
        self._brief = QVBoxLayout(self.brief)
        self._brief.setContentsMargins(25, 0, 2, 0)
        self._brief.setSpacing(0)
        self.count = label(str(number), "small")
        self.count.setFixedWidth(16)
        self.symbol = label("")
        self.title = Elided(title_of(step.name), "strong")
        self.menu_button = QToolButton()
        self.menu_button.setObjectName("plain")
        self.menu_button.setIcon(icon("more", theme().quiet, 16))
        self.menu_button.setIconSize(QSize(16, 16))
        self.menu_button.setFixedHeight(22)
        on_hover(self.menu_button, "Rename, switch off, move, delete …")
        self.menu_button.clicked.connect(
            lambda: self._menu().exec(
                self.menu_button.mapToGlobal(self.menu_button.rect().bottomLeft())
            )
        )
        self.symbol.setCursor(Qt.CursorShape.OpenHandCursor)
        on_hover(self.symbol, "Drag the step to another place")
        self.symbol.setPixmap(kind_icon(type(step), theme().quiet, 18).pixmap(QSize(18, 18)))
        top = Qt.AlignmentFlag.AlignTop
        for widget in (self.count, self.symbol):
            widget.setFixedHeight(22)
            head.addWidget(widget, 0, top)
        self._names = QVBoxLayout()
        self._names.setSpacing(0)
        self._names.addWidget(self.title)
        head.addLayout(self._names, 1)
        head.addWidget(self.menu_button, 0, top)
        layout.addLayout(head)
        layout.addWidget(self.brief)
        self.body = QWidget()
        self._body = QVBoxLayout(self.body)
        self._body.setContentsMargins(24, 0, 4, 3)
        self._body.setSpacing(5)
        layout.addWidget(self.body)
        self.aside = label("", "small", wrap=True)
        self.wrong = label("", "wrong", wrap=True)
        for extra in (self.aside, self.wrong):
            row = QHBoxLayout()
            row.setContentsMargins(24, 0, 4, 0)
            row.addWidget(extra)
            layout.addLayout(row)
            extra.hide()
        self.drag = StepDrag(self)
        self.show_step(step)

    # What it shows

    def renumber(self, number: int, above: tuple[tuple[str, str, str], ...]) -> None:
        """Its place among the steps, which others may change."""
        self.number = number
        self.count.setText(str(number))
        was, self._above = self._above, above
        if self._is_open and was != above:
            # Its menus offer what stands above it: they are made anew.
            self._lay_out(self.step)
            self._mark_chips()

    def show_step(self, step: Step) -> None:
        """Lay the sentence out anew where the step has changed."""
        if step == self._sentence_of:
            return
        self._sentence_of = step
        self.title.set_whole(title_of(step.name))
        self.menu_button.setAccessibleName(f"more about {step.name}")
        self._lay_out(step)
        self.show_aside()

    def _lay_out(self, step: Step) -> None:
        clear(self._body)
        clear(self._brief)
        self.editors, self.chips = {}, {}
        show_if(self.body, self._is_open)
        show_if(self.brief, not self._is_open)
        if not self._is_open:
            brief = BriefLine(brief_of(step))
            brief.edit_wanted.connect(self.edit)
            self._brief.addWidget(brief)
            return
        first, *others = step.sentence()
        # Ties have a list of their own, and would fill the whole column.
        listed = any(isinstance(piece, TiesPiece) for piece in first)
        kept = [line for line in others if listed or is_at_defaults(step, line)]
        for line in (first, *(line for line in others if line not in kept)):
            self._body.addWidget(self._flow(step, line))
        more = QWidget()
        folded = QVBoxLayout(more)
        folded.setContentsMargins(0, 0, 0, 0)
        folded.setSpacing(5)
        for line in kept:
            folded.addWidget(self._flow(step, line))
        if isinstance(step, Sketch):
            self._body.addWidget(self._drawing_links())
        if isinstance(step, Plane) and step.holds is not None:
            close = button(
                "Close the stencil again",
                "link",
                lambda: close_stencil(self.session, self.name),
                "Its next edition, wherever it is put in",
            )
            self._body.addWidget(close, 0, Qt.AlignmentFlag.AlignLeft)
        if isinstance(step, (Extrude, Revolve)) and step.sketch:
            link = button(
                "Other regions …" if step.regions else "Only some regions …",
                "link",
                lambda: self.regions_wanted.emit(self.name),
                "Choose regions on the sketch",
            )
            (self._body if step.regions else folded).addWidget(link, 0, Qt.AlignmentFlag.AlignLeft)
        if folded.count():
            self._body.addWidget(self._more_link(more), 0, Qt.AlignmentFlag.AlignLeft)
            self._body.addWidget(more)

    def _flow(self, step: Step, line: Sequence[SentencePiece]) -> Flow:
        """A line of the sentence, word by word, so that it breaks as text does."""
        flow = Flow()
        for piece in line:
            words = piece.text.split() if isinstance(piece, Words) else []
            for widget in [label(word, "quiet") for word in words] or [self._piece(step, piece)]:
                flow.put(widget)
        return flow

    def _more_link(self, more: QWidget) -> QPushButton:
        """Shows and hides what was never changed."""
        link = button("", "quiet_link", lambda: None, "What is as it is where nobody changes it")
        link.setCheckable(True)

        def show(on: bool) -> None:
            if on and not self._shows_more:
                self.grew.emit()
            self._shows_more = on
            more.setVisible(on)
            link.setText("less" if on else "more …")

        link.toggled.connect(show)
        link.setChecked(self._shows_more)
        show(self._shows_more)
        return link

    def _drawing_links(self) -> QWidget:
        links = QWidget()
        foot = QHBoxLayout(links)
        foot.setContentsMargins(0, 0, 0, 0)
        foot.setSpacing(10)
        foot.addWidget(
            button(
                "Draw …", "link", lambda: self.draw_wanted.emit(self.name), "Draw on this sketch"
            )
        )
        add = button("+ shape", "link", lambda: None, "Add a shape to this sketch")
        menu = QMenu(add)
        for shape in SHAPES:
            kind = str(shape.model_fields["kind"].default)
            menu.addAction(kind.capitalize(), lambda kind=kind: deeds.add_shape(self, kind))
        add.setMenu(menu)
        foot.addWidget(add)
        foot.addStretch(1)
        return links

    def open(self, on: bool = True) -> None:
        """The whole sentence, or the step in a line or two."""
        if on != self._is_open:
            self._is_open = on
            self._lay_out(self.step)
            self._mark_chips()
            self.show_aside()

    def show_state(self, state: talk.StepReport, problems: list[Problem]) -> None:
        """Show what the rebuild said of the step."""
        self.state = state
        about = [
            problem for problem in problems if problem.area == "step" and problem.name == self.name
        ]
        mine = [p for p in about if p.severity != "note" and not p.asks]
        # What is worth knowing or still to be chosen, and no trouble, is said quietly.
        self._remarks = [p.text for p in about if p.severity == "note" or p.asks]
        self.wrong.setText("\n".join(dict.fromkeys(problem.text for problem in mine)))
        self.wrong.setVisible(bool(mine))
        restyle(self, wrong=bool(mine))
        self._wrong_at = {problem.field for problem in mine}
        self._mark_chips()
        self.show_aside()

    def _mark_chips(self) -> None:
        """What each formula comes to, and which of them is to blame."""
        for path, chip in self.chips.items():
            restyle(chip, wrong=path in self._wrong_at)
            value = self.state.get("values", {}).get(path)
            if value is not None:
                quantity = Quantity(value[0], Kind(*value[1]))
                on_hover(chip, f"= {self.session.say(quantity)}")

    def say_aside(self, words: str) -> None:
        """Say something under the sentence for now, until :meth:`show_aside`."""
        self.aside.setText(words)
        self.aside.show()

    def show_aside(self) -> None:
        """What is to be known of the step beside its sentence."""
        step, state = self.step, self.state.get("state", "")
        parts = []
        if self._is_open and len(self.session.design.parts) > 1 and step.works_on():
            parts.append(f"part {say_step(step.works_on())}")
        if step.when:
            parts.append(f"made only if {step.when}")
        if not step.on:
            parts.append("switched off")
        elif state in _STATES and (self._is_open or state != "carried"):
            by = f" {say_step(self.state['by'])}" if self.state.get("by") else ""
            parts.append(f"{_STATES[state]}{by}")
        elif self.state.get("note"):
            parts.append(str(self.state["note"]))
        parts += self._remarks
        if step.note and self._is_open:
            parts.append(step.note)
        self.aside.setText(" · ".join(parts))
        self.aside.setVisible(bool(parts))

    def set_chosen(self, chosen: bool) -> None:
        restyle(self, chosen=chosen)
        self.open(chosen)

    def edit(self, path: str) -> None:
        """Type another formula in the place of its chip."""
        self.chosen.emit(self.name)
        self.open()
        chip = self.chips.get(path)
        if chip is not None and not chip.isVisibleTo(self):
            self._shows_more = True
            self._lay_out(self.step)
            self._mark_chips()
        if path in self.editors or path not in self.chips:
            return
        step, chip = self.step, self.chips[path]
        slot = next((slot for slot in step.slots() if slot.path == path), None)
        editor = FormulaEdit(
            str(edits.get_path(step, path)),
            lambda: self.session.table,
            wanted=slot.kind if slot else None,
            units=self.session.units(),
            over=step.runs_over(path),
            may_be_empty=path == "omit",
            as_it_is="" if step.runs_over(path) else str(edits.get_path(step, path)),
        )
        editor.line.tabs_on = True
        editor.onward.connect(lambda way: self._edit_next(path, way))
        editor.setProperty("full_line", True)
        self.editors[path] = editor
        flow = chip.parentWidget()
        assert isinstance(flow, Flow)
        chip.hide()
        flow.put(editor, after=chip)
        editor.committed.connect(lambda text: self.put(path, text))
        editor.made.connect(self.session.make_size)
        editor.dropped.connect(lambda: self._close_editor(path))
        editor.begin()

    def _edit_next(self, path: str, way: int) -> None:
        """The next formula of the step, or the one before; after the last comes the first."""
        paths = [slot.path for slot in self.step.slots() if slot.path in self.chips]
        if path in paths:
            self.edit(paths[(paths.index(path) + way) % len(paths)])

    def _close_editor(self, path: str) -> None:
        editor = self.editors.pop(path, None)
        if editor is None:
            return
        flow = editor.parentWidget()
        if isinstance(flow, Flow):
            flow.take(editor)
        if path in self.chips:
            self.chips[path].show()
            self.chips[path].setFocus()

    def put(self, path: str, value: Any) -> None:
        self._close_editor(path)
        self.session.edit(
            lambda design: edits.change_step(design, self.name, path, value),
            f"{say_step(self.name)}: {value}",
        )
        # it may be another one: the keyboard stays where something was typed
        if path in self.chips:
            self.chips[path].setFocus()

    def set_picking(self, path: str, on: bool) -> None:
        chip = self.chips.get(path)
        if isinstance(chip, QToolButton) and chip.isCheckable():
            chip.setChecked(on)

    # What the menu does

    def _menu(self) -> QMenu:
        self.chosen.emit(self.name)
        return menu_of(self)

    def rename(self) -> None:
        """Type another name in the place of the title."""
        self.open()
        line = AskedLine(f"new name of {self.name}", self.name)
        self.title.hide()
        self._names.insertWidget(0, line)
        line.over.connect(self.title.show)
        line.taken.connect(self._rename_to)
        line.begin()

    def _rename_to(self, text: str) -> None:
        new = "_".join(text.split())
        if new and new != self.name:
            self.session.edit(
                lambda design: edits.rename_step_everywhere(design, self.name, new),
                f"rename {say_step(self.name)} to {say_step(new)}",
            )

    def put_under(self, widget: QWidget) -> None:
        """Have something under the sentence."""
        self._body.addWidget(widget)

    # Keys and pointer

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """A digit on a formula begins another one."""
        focus = self.focusWidget()
        path = next((path for path, chip in self.chips.items() if chip is focus), "")
        slots = {slot.path for slot in self.step.slots()}
        if path in slots and begins_number(typed_text(event)):
            self.edit(path)
            self.editors[path].begin_with(typed_text(event))
        else:
            super().keyPressEvent(event)

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
