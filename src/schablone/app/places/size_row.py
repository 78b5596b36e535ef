"""One size in the sheet: its role, name, formula and value, its limits, and its details when
opened."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QMimeData, QObject, QPointF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QEnterEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QVBoxLayout,
)

from ...core.design import Size
from ...core.design import edit as edits
from ...core.design.evaluate import role_of
from ...core.problem import Problem
from ...core.quantity import KINDS, Quantity, say
from ..nudging import TYPED, nudge_size
from ..session import Session
from ..theme import theme
from ..widgets.basics import Elided, LimitBar, RoleMark, label, on_hover, restyle
from ..widgets.formula_edit import FormulaEdit
from ..widgets.typed import begins_number, typed_text
from .size_details import SizeDetails

#: So many values of one size are shown side by side.
_MOST_SHOWN = 2
#: What is carried while a size is dragged to another place.
_MOVED = "application/x-schablone-size"


def _joined(values: Sequence[str]) -> str:
    """Values side by side, their unit said once: ``6.2 / 5.94 mm``."""
    if not values:
        return "–"
    shown, unit = values[:_MOST_SHOWN], values[0].rpartition(" ")[2]
    alike = all(value.endswith(f" {unit}") for value in shown)
    words = [value.removesuffix(f" {unit}") for value in shown[:-1]] if alike else shown[:-1]
    more = " …" if len(values) > _MOST_SHOWN else ""
    return " / ".join([*words, shown[-1]]) + more


class _Value(QLabel):
    """A value that changes by its step when it is dragged sideways."""

    dragged = Signal(int)
    released = Signal()
    clicked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strong")
        self.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.can_drag = False
        self._from: QPointF | None = None
        self._steps = 0

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._from, self._steps = event.globalPosition(), 0
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._follow(event.globalPosition())

    def _follow(self, at: QPointF) -> None:
        """Change by as many steps as the hand has gone. It is followed on the screen: the value
        itself grows and moves in its row while it changes."""
        if self._from is None or not self.can_drag:
            return
        steps = int((at.x() - self._from.x()) / 7)
        if steps != self._steps:
            self.dragged.emit(steps - self._steps)
            self._steps = steps

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        # A hand that is faster than the window lets go further on than where it was last seen.
        self._follow(event.globalPosition())
        if self._from is not None:
            (self.released if self._steps else self.clicked).emit()
        self._from = None


class SizeRow(QFrame):
    """A size that can be edited where it stands.

    ``chosen`` is emitted when it is clicked; ``next`` when Enter moves on to the one below;
    ``follow`` to go to what uses it, or (True) to what it uses. It is dragged to another place by
    its mark.
    """

    chosen = Signal(str)
    next = Signal(str)
    pointed = Signal(str)
    follow = Signal(str, bool)

    def __init__(self, session: Session, name: str) -> None:
        super().__init__()
        self.setObjectName("row")
        self.session, self.name = session, name
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAcceptDrops(True)
        self.mark, self.name_label = RoleMark(), Elided("", "strong")
        self.formula, self.value = Elided("", "mono"), _Value()
        self.formula.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.bar, self.limits = LimitBar(), label("", "small")
        self.wrong, self.more = label("", "wrong", wrap=True), label("", "small", wrap=True)
        self.shows = "both"
        self.editor: FormulaEdit | None = None
        self.details: SizeDetails | None = None
        self._line = QHBoxLayout()
        self._line.setSpacing(8)
        self._line.addWidget(self.mark)
        self._line.addWidget(self.name_label, 9)
        self._line.addWidget(self.formula, 12)
        self._line.addWidget(self.value, 0)
        second = QHBoxLayout()
        second.setContentsMargins(22, 0, 0, 0)
        second.setSpacing(12)
        second.addWidget(self.bar)
        second.addWidget(self.limits, 1)
        self._whole = QVBoxLayout(self)
        self._whole.setContentsMargins(6, 4, 8, 4)
        self._whole.setSpacing(1)
        self._whole.addLayout(self._line)
        self._whole.addLayout(second)
        for extra in (self.wrong, self.more):
            row = QHBoxLayout()
            row.setContentsMargins(22, 0, 0, 0)
            row.addWidget(extra)
            self._whole.addLayout(row)
        self.value.dragged.connect(self._drag)
        self.value.released.connect(session.settle)
        self.value.clicked.connect(self._edit_clicked)
        self.more.hide()
        self.mark.setCursor(Qt.CursorShape.OpenHandCursor)
        self.mark.installEventFilter(self)

    @property
    def size_(self) -> Size | None:
        return self.session.design.size(self.name)

    def refresh(self, problems: list[Problem], shown: Sequence[Quantity], explained: str) -> None:
        """Show the state of the size; ``shown`` are its values under the lens in use: none as long
        as nothing is known, several where it is a measure in several ways."""
        size = self.size_
        if size is None:
            return
        cell = self.session.table.cells.get(self.name)
        design = self.session.design
        units = self.session.units(size)
        formula = design.formula_of(size)
        self.mark.set_role(role_of(size, formula))
        self.name_label.set_whole(size.name)
        value = _joined([say(one, units, design.inch_fraction) for one in shown])
        self.value.setText(value)
        typed = TYPED.match(formula) is not None
        obvious = typed and cell is not None and not cell.held_at and shown == (cell.wanted,)
        self.formula.set_whole("" if obvious or self.shows == "values" else formula)
        self.value.setVisible(
            self.editor is None and (self.shows != "formulas" or not formula or obvious)
        )
        self.value.can_drag = typed and bool(cell)
        self.value.setCursor(
            Qt.CursorShape.SizeHorCursor if self.value.can_drag else Qt.CursorShape.IBeamCursor
        )
        on_hover(
            self.value,
            "A measure in several ways: under Process each stands by itself"
            if len(shown) > 1
            else "Click to type, drag to change"
            if self.value.can_drag
            else "Click to change the formula",
        )
        self.setAccessibleName(f"{size.name}, {value}, {formula}")
        self._show_limits(size, units)
        mine = [
            problem for problem in problems if problem.area == "size" and problem.name == self.name
        ]
        self.wrong.setText("\n".join(problem.text for problem in mine))
        self.wrong.setVisible(bool(mine) and self.editor is None)
        text = "\n".join(part for part in (explained, size.note) if part)
        self.more.setText(text)
        self.more.setVisible(bool(text) and bool(self.property("chosen")) and self.details is None)
        if self.details is not None:
            self.details.refresh(size)
        if self.editor is not None:
            self.editor.follow(formula)

    def _show_limits(self, size: Size, units: str) -> None:
        cell = self.session.table.cells.get(self.name)
        low, high = (cell.low, cell.high) if cell else (None, None)
        has = low is not None or high is not None
        self.bar.setVisible(has and low is not None and high is not None)
        self.limits.setVisible(has)
        if not has or cell is None:
            return

        def words(value: float) -> str:
            return say(Quantity(value, cell.wanted.kind), units)

        ends = "refused past that" if size.policy == "refuse" else "stops there"
        if low is not None and high is not None:
            unit = words(high).split(" ")[-1]
            low_text = words(low).removesuffix(f" {unit}")
            self.limits.setText(f"{low_text} … {words(high)}")
            on_hover(self.limits, f"From {words(low)} to {words(high)}, {ends}")
            share = (cell.wanted.value - low) / (high - low) if high > low else 0.0
            self.bar.set_share(min(1.0, max(0.0, share)), bool(cell.held_at))
        else:
            self.limits.setText(
                f"at least {words(low)}" if low is not None else f"at most {words(high or 0.0)}"
            )

    def set_link(self, link: str) -> None:
        """Light the row up as one that is used by (``below``) or uses (``above``) the one under the
        pointer."""
        if link != self.property("link"):
            self.setProperty("link", link)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """A solid bar at the left of what is used, a broken one at the left of what uses."""
        super().paintEvent(event)
        link = self.property("link")
        if link:
            style = Qt.PenStyle.SolidLine if link == "below" else Qt.PenStyle.DotLine
            painter = QPainter(self)
            painter.setPen(
                QPen(
                    QColor(theme().slate if link == "below" else theme().plum),
                    3,
                    style,
                    Qt.PenCapStyle.FlatCap,
                )
            )
            painter.drawLine(1, 3, 1, self.height() - 3)

    def set_chosen(self, chosen: bool) -> None:
        restyle(self, chosen=chosen)
        if not chosen:
            self.close_details()
        self.more.setVisible(bool(self.more.text()) and chosen and self.details is None)

    # Editing the formula

    def _edit_clicked(self) -> None:
        self.chosen.emit(self.name)
        self.edit()

    def edit(self) -> None:
        """Type another formula."""
        size = self.size_
        if size is None or self.editor is not None:
            return
        units = self.session.units(size)
        editor = FormulaEdit(
            self.session.design.formula_of(size),
            lambda: self.session.table,
            wanted=KINDS.get(size.kind),
            units=units,
            own_name=self.name,
        )
        self.editor = editor
        editor.committed.connect(self._commit)
        editor.made.connect(self._make)
        editor.dropped.connect(self.stop_editing)
        self.formula.hide()
        self.value.hide()
        self.wrong.hide()
        self._line.addWidget(editor, 21)
        editor.show()
        self._whole.activate()  # a second click may be waiting, and is for the line
        editor.begin()

    def stop_editing(self) -> None:
        editor, self.editor = self.editor, None
        if editor is not None:
            self._line.removeWidget(editor)
            editor.hide()
            editor.deleteLater()
        self.formula.show()
        self.value.setVisible(self.shows != "formulas" or not self.formula.whole())
        self.wrong.setVisible(bool(self.wrong.text()))

    def _make(self, name: str, formula: str) -> None:
        size = self.size_
        group = size.group if size else ""
        self.session.make_size(name, formula, group)

    def _commit(self, text: str) -> None:
        forward = self.editor is not None and self.editor.line.hasFocus()
        self.stop_editing()
        self.session.edit(
            lambda design: edits.set_formula(design, self.name, text), f"{self.name} = {text}"
        )
        if forward:
            self.next.emit(self.name)

    def _drag(self, steps: int) -> None:
        self.chosen.emit(self.name)
        nudge_size(self.session, self.name, steps)

    # Details

    def open_details(self) -> None:
        """Name, note, group, limits and step, to be changed."""
        size = self.size_
        if self.details is not None or size is None:
            return
        self.details = SizeDetails(self.session, size)
        self._whole.addWidget(self.details)
        self.more.hide()

    def close_details(self) -> None:
        details, self.details = self.details, None
        if details is not None:
            details.hide()
            details.deleteLater()

    # Dragging to another place

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The mark is the handle: dragging it drags the size."""
        moving = event if watched is self.mark and event.type() == QEvent.Type.MouseMove else None
        if isinstance(moving, QMouseEvent) and moving.buttons() & Qt.MouseButton.LeftButton:
            drag = QDrag(self)
            data = QMimeData()
            data.setData(_MOVED, self.name.encode("utf8"))
            drag.setMimeData(data)
            drag.setPixmap(self.grab())
            drag.exec(Qt.DropAction.MoveAction)
            return True
        return super().eventFilter(watched, event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(_MOVED):
            event.acceptProposedAction()
            restyle(self, hover=True)

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        restyle(self, hover=False)

    def dropEvent(self, event: QDropEvent) -> None:
        """Put the dragged size in the place of this one, into its group."""
        name = bytes(event.mimeData().data(_MOVED).data()).decode("utf8")
        size, names = self.size_, [other.name for other in self.session.design.sizes]
        if size is not None and name in names and name != self.name:
            to = names.index(self.name)
            self.session.edit(
                lambda design: edits.move_size(design, name, to, size.group), f"move {name}"
            )

    # Pointer and keys

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit(self.name)
        self.setFocus()
        if self.formula.geometry().contains(event.position().toPoint()) and self.formula.whole():
            self.edit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.edit()

    def enterEvent(self, event: QEnterEvent) -> None:
        restyle(self, hover=True)
        self.pointed.emit(self.name)

    def leaveEvent(self, event: object) -> None:
        restyle(self, hover=False)
        self.pointed.emit("")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2)
            and self.editor is None
        ):
            self.chosen.emit(self.name)
            self.edit()
        elif event.key() == Qt.Key.Key_Delete and self.editor is None:
            self.delete()
        elif event.key() == Qt.Key.Key_U and self.editor is None:
            self.follow.emit(self.name, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif begins_number(typed_text(event)) and self.editor is None:
            self.chosen.emit(self.name)
            self.edit()
            self.begin_with(typed_text(event))
        else:
            super().keyPressEvent(event)

    def begin_with(self, text: str) -> None:
        """What was typed is the beginning of another formula."""
        if self.editor is not None:
            self.editor.begin_with(text)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.chosen.emit(self.name)
        menu = QMenu(self)
        menu.addAction("Change the formula", self.edit)
        menu.addAction("Name, note, limits …", self.open_details)
        menu.addSeparator()
        sizes = [size.name for size in self.session.design.sizes]
        at = sizes.index(self.name)
        up = menu.addAction("Move up", lambda: self._move(at - 1))
        down = menu.addAction("Move down", lambda: self._move(at + 1))
        up.setEnabled(at > 0)
        down.setEnabled(at < len(sizes) - 1)
        menu.addSeparator()
        menu.addAction("Delete", self.delete)
        if edits.users_of(self.session.design, self.name):
            menu.addAction(
                "Delete, and put its formula in its place", lambda: self.delete_with(value=False)
            )
            menu.addAction(
                "Delete, and put its value in its place", lambda: self.delete_with(value=True)
            )
        menu.exec(event.globalPos())

    def _move(self, to: int) -> None:
        group = self.session.design.sizes[to].group
        self.session.edit(
            lambda design: edits.move_size(design, self.name, to, group), f"move {self.name}"
        )

    def delete_with(self, *, value: bool) -> None:
        """Delete, with the formula or the present value in every place where the size is used."""
        size, cell = self.size_, self.session.table.cells.get(self.name)
        if size is None or (value and cell is None):
            return
        instead = (
            say(cell.wanted).replace("°", " deg")
            if value and cell
            else self.session.design.formula_of(size)
        )
        self.session.edit(
            lambda design: edits.delete_size(design, self.name, instead), f"delete {self.name}"
        )

    def delete(self) -> None:
        self.session.edit(
            lambda design: edits.delete_size(design, self.name), f"delete {self.name}"
        )
