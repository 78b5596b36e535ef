"""The sheet of paper itself: turns the pointer and the keyboard into strokes, choices and drags."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QWheelEvent,
)

from ...core.quantity import LENGTH, plain
from ...core.sketch.drawing import Dimension
from ...core.sketch.snap import Snap, snap, still
from ...core.words import say_name, sentence
from .clipboard import Clipboard
from .desk import Desk
from .dimensions import give_formula, put_figure
from .number_field import NumberField
from .picture import REACH, SheetPicture
from .preview import preview_of
from .tools import BY_NAME, Stroke, drawn, drawn_size, draws_nothing, typed_end

XY = tuple[float, float]
#: How far aside what is pasted lies, pixels.
_ASIDE = 24
#: Clicks of one stroke that are no farther apart are one, pixels.
_APART = 3


class Paper(SheetPicture):
    """The drawing area. ``asked`` says what the tool in hand waits for; ``left`` that Escape has
    nothing left to end."""

    asked = Signal(str)
    clicked = Signal(QPointF)
    left = Signal()
    tool_changed = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("sheet of paper")
        self.helper = False
        self.number, self.clipboard = NumberField(self, desk.session), Clipboard(desk)
        self._pressed: QPointF | None = None
        self._press_name = ""
        self._panning: QPointF | None = None
        self._moving_label: Dimension | None = None
        #: What keys do, by the way they are written.
        self.keys: dict[str, Callable[[], object]] = {}
        desk.changed.connect(self._follow)

    def _follow(self) -> None:
        """The drawing may be another: a stroke goes on from where its points are now."""
        if self.stroke.snaps:
            drawing = self.desk.settled_drawing()
            self.stroke.snaps = [still(snapped, drawing) for snapped in self.stroke.snaps]
        self.update()

    # Tools

    def take(self, name: str) -> None:
        """Take a tool in hand, or none with an empty name."""
        self.number.close()
        self.tool = BY_NAME.get(name)
        self.stroke, self.declined, self.preview = Stroke(), False, {}
        self.mode = ""
        self.desk.stop_wiggle()
        self.setCursor(Qt.CursorShape.CrossCursor if self.tool else Qt.CursorShape.ArrowCursor)
        self.tool_changed.emit(name if self.tool else "")
        self._ask()
        self.setFocus()
        self.update()

    def _ask(self) -> None:
        if self.tool is None:
            self.asked.emit("")
            return
        at = min(len(self.stroke.snaps), len(self.tool.asks) - 1)
        text = self.tool.asks[at]
        if self.stroke.snaps and len(self.stroke.typed) < len(self.tool.types):
            text += f"  Or type the {self.tool.types[len(self.stroke.typed)]}."
        self.asked.emit(text)

    def click_at(self, at: XY) -> None:
        """One click of the tool in hand at a place on the paper."""
        if self.tool is None:
            return
        self.snap = self._snap_at(at)
        taken = self.snap
        if self.declined:
            taken = Snap(self.snap.xy if self.snap.point else at)
        nothing = draws_nothing(self.tool, self.stroke, taken.xy, _APART / self.scale)
        if nothing:
            # A double click, mostly: the stroke waits where it is.
            or_type = ", or type its size" if self._wants_number() else ""
            self.desk.said.emit(f"{nothing}{or_type}.")
            return
        # What is drawn goes onto the drawing as it stands, not as it was drawn before sizes
        # changed.
        self.stroke.snaps.append(taken)
        self.declined = False
        closes = self.tool.goes_on and len(self.stroke.snaps) == 2 and bool(self.snap.point)
        if not self.tool.any_number and len(self.stroke.snaps) == len(self.tool.asks):
            self._finish(goes_on=self.tool.goes_on and not closes)
        self._ask()
        self.update()

    def _finish(self, *, goes_on: bool = False) -> None:
        tool = self.tool
        assert tool is not None
        last = self.stroke.snaps[-1]
        before = self.desk.settled_drawing()
        try:
            changed, names = drawn(tool, before, self.stroke, helper=self.helper)
        except ValueError as error:
            self.desk.said.emit(sentence(str(error)))
            self.stroke = Stroke(sides=self.stroke.sides)
            return
        if not self.desk.put(changed, f"draw {tool.words.lower()}"):
            self.desk.said.emit("That could not be drawn.")
        self.stroke = Stroke(sides=self.stroke.sides)
        self.preview = {}
        if goes_on and names:
            end = self._end_of(names[-1], last)
            if end:
                self.stroke.snaps.append(Snap(self.desk.xy(end), say_name(end), end))
        self._ask()

    def _end_of(self, curve: str, last: Snap) -> str:
        """The point at which the next stroke goes on."""
        element = self.desk.drawing.element(curve)
        ends = [getattr(element, "start", ""), getattr(element, "end", "")]
        known = [name for name in ends if name]
        return min(known, key=lambda name: math.dist(self.desk.xy(name), last.xy)) if known else ""

    def _snap_at(self, at: XY) -> Snap:
        start = None
        # Its own beginning is nothing that a stroke could end on.
        without = {snap.point for snap in self.stroke.snaps if snap.point}
        if self.tool is not None and self.tool.any_number:
            without = {snap.point for snap in self.stroke.snaps[-1:] if snap.point}
        if self.tool is not None and self.tool.levels and self.stroke.snaps:
            start = self.stroke.snaps[-1].xy
        near = REACH / self.scale
        return snap(
            self.desk.settled_drawing(),
            self.desk.curves,
            at,
            near,
            start=start,
            without=without,
            grid=self.grid() if self.grid_on else 0.0,
        )

    def _show_preview(self, at: XY) -> None:
        """The stroke as it would be drawn now."""
        self.preview = {} if self.tool is None else preview_of(self.tool, self.stroke, at)

    # Typing

    def _wants_number(self) -> bool:
        """Whether the stroke under way can take one more number."""
        tool = self.tool
        if tool is None or not self.stroke.snaps or len(self.stroke.typed) >= len(tool.types):
            return False
        return tool.name != "slot" or len(self.stroke.snaps) >= 2

    def type_number(self, first: str) -> None:
        """Open the field at the pointer for a number, a formula or ``name = formula``."""
        tool = self.tool
        if tool is None or not self._wants_number():
            return
        what = tool.types[len(self.stroke.typed)]
        self.number.open(
            first,
            f"{what}, such as 12 mm",
            self._number_typed,
            self.to_screen(self.snap.xy).toPoint() + QPoint(14, 14),
            as_it_is=self._as_drawn(),
        )

    def _as_drawn(self) -> str:
        """The figure that is asked for, as the pointer draws it just now."""
        assert self.tool is not None
        value = drawn_size(self.tool, self.stroke, self.snap.xy)
        return plain(value, 3) + " mm" if value > 1e-6 else ""

    def _number_typed(self, text: str) -> None:
        table = self.desk.session.table
        value = table.compile(text, LENGTH).value(table.env()).value
        self.number.close()
        tool = self.tool
        if tool is None:
            return
        if value <= 0:
            self.desk.said.emit(f"{text} is {value:g} mm; it must be above zero.")
            return
        self.stroke.typed.append((text, value))
        end = typed_end(tool, self.stroke, self.snap.xy)
        if end is None:
            self.type_number("")
            self._ask()
            return
        level = self.snap.level if tool.levels else None
        self.stroke.snaps.append(Snap(end.xy, level=level))
        self._finish(goes_on=tool.goes_on)
        self.update()

    def edit_dimension(self, name: str) -> None:
        """Type another formula for a dimension where it stands."""
        rule = next((d for d in self.desk.drawing.dimensions if d.name == name), None)
        if rule is None:
            return
        if rule.reads:
            self.desk.said.emit(f"It is read off. Use it as {self.desk.name}.{name} in formulas.")
            return
        box = next(
            (item.box for item in self._labels if item.rule.name == name), QRectF(20, 20, 10, 10)
        )

        def take(text: str) -> None:
            self.number.close()
            give_formula(self.desk, name, text)

        at, angle = box.topLeft().toPoint(), rule.kind == "angle"
        self.number.open(rule.formula, "formula", take, at, angle=angle).line.selectAll()

    # Events

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        q = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._panning = q
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.take("") if self.tool else None
            return
        self.number.close()
        if self.tool is not None:
            self.click_at(self.to_paper(q))
            return
        if self.mode:
            self.clicked.emit(q)
            return
        self._pressed, self._press_name = q, self.hit(q)
        rule = next((d for d in self.desk.drawing.dimensions if d.name == self._press_name), None)
        self._moving_label = rule

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        q = event.position()
        if self._panning is not None:
            self.origin += q - self._panning
            self._panning = q
            self.update()
            return
        at = self.to_paper(q)
        if self.tool is not None:
            self.snap = self._snap_at(at) if not self.declined else Snap(at)
            self._show_preview(self.snap.xy)
            self.update()
            return
        if self._pressed is not None and (q - self._pressed).manhattanLength() > 4:
            self._drag(q, at)
            return
        if self.mode in ("bring", "regions"):
            self._hover_mode(q)
            return
        if self._pressed is None:
            name = self.hit(q)
            self.desk.point_at(frozenset({name}) if name else frozenset())
            self.setCursor(
                Qt.CursorShape.PointingHandCursor if name else Qt.CursorShape.ArrowCursor
            )

    def _hover_mode(self, q: QPointF) -> None:
        """Light up the edge or region that a click would take."""
        paper = self.to_paper(q)
        edge = self.under.near(paper, REACH / self.scale) if self.mode == "bring" else ""
        face = self.desk.arrangement.at(*paper) if self.mode == "regions" else None
        region = face.name if face else ""
        if (edge, region) != (self._hovered_edge, self._hovered_region):
            self._hovered_edge, self._hovered_region = edge, region
            self.update()

    def begin(self, mode: str, ask: str) -> None:
        """Give clicks another meaning, until Escape."""
        self.take("")
        self.mode, self._hovered_edge, self._hovered_region = mode, "", ""
        self.asked.emit(ask)
        self.update()

    def _drag(self, q: QPointF, at: XY) -> None:
        assert self._pressed is not None
        if self._moving_label is not None:
            start = self.to_paper(self._pressed)
            self._box = None
            self._label_shift = (at[0] - start[0], at[1] - start[1])
            self.update()
        elif self.desk.dragging:
            self.desk.drag_to(self.to_paper(self._pressed), at)
        elif self._press_name and self._press_name in self.desk.drawing.by_name:
            if self.desk.take_hold(self._press_name):
                self.desk.drag_to(self.to_paper(self._pressed), at)
            else:
                self._pressed = None
        else:
            self._box = QRectF(self._pressed, q).normalized()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        q = event.position()
        if self._panning is not None:
            self._panning = None
            return
        pressed, self._pressed = self._pressed, None
        adding = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if (
            self._moving_label is not None
            and pressed is not None
            and (q - pressed).manhattanLength() > 4
        ):
            self._put_label(self._moving_label, pressed, q)
        elif self.desk.dragging:
            self.desk.let_go()
        elif self._box is not None:
            box, self._box = self._box, None
            inside = self.inside(box)
            self.desk.choose(
                list(dict.fromkeys([*self.desk.chosen, *inside])) if adding else inside
            )
        elif pressed is not None:
            name = self._press_name
            if adding and name:
                self.desk.toggle(name)
            else:
                self.desk.choose([name] if name else [])
        self._moving_label = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        name = self.hit(event.position())
        if any(d.name == name for d in self.desk.drawing.dimensions):
            # A figure is typed whatever is in hand; the first of the two clicks began no stroke.
            self.stroke, self.preview = Stroke(sides=self.stroke.sides), {}
            self.edit_dimension(name)
        elif self.tool is not None and self.tool.any_number:
            self.end_stroke()

    def _put_label(self, rule: Dimension, pressed: QPointF, q: QPointF) -> None:
        label = next((item for item in self._labels if item.rule.name == rule.name), None)
        if label is not None:
            put_figure(self.desk, rule, self.to_paper(label.box.center() + (q - pressed)))

    def wheelEvent(self, event: QWheelEvent) -> None:
        factor = 1.0015 ** event.angleDelta().y()
        factor = min(max(self.scale * factor, 0.02), 2000.0) / self.scale
        q = event.position()
        self.origin = q + (self.origin - q) * factor
        self.scale *= factor
        self.update()

    @staticmethod
    def _key(event: QKeyEvent) -> str:
        return QKeySequence(event.keyCombination()).toString()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, text = event.key(), event.text()
        if key == Qt.Key.Key_Escape:
            self.escape()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self.left.emit()
            else:
                self.end_stroke()
        elif self._wants_number() and text and (text.isalnum() or text in "._(="):
            # A letter begins a formula here: a command would take it away from under the fingers.
            self.type_number("" if text == "=" else text)
        elif self.tool is not None and key == Qt.Key.Key_Tab:
            self.type_number("")
        elif (
            self.tool is not None
            and self.tool.name == "polygon"
            and text in ("+", "-", "−")
            and text
        ):
            self.stroke.sides = min(60, max(3, self.stroke.sides + (1 if text == "+" else -1)))
            self._show_preview(self.snap.xy)
            self.update()
        elif self.tool is not None and key == Qt.Key.Key_Space:
            self.declined = not self.declined
            self.snap = Snap(self.to_paper(QPointF(self.mapFromGlobal(self.cursor().pos()))))
            self.update()
        elif self._key(event) in self.keys:
            self.keys[self._key(event)]()
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        # Tab types a number while a stroke is under way instead of leaving the sheet.
        # Single letters are the sheet's own while it has the keyboard, whatever the menus do with
        # them.
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            drawing = (
                self.tool is not None and bool(self.stroke.snaps) and event.text().isprintable()
            )
            plain = event.modifiers() in (
                Qt.KeyboardModifier.NoModifier,
                Qt.KeyboardModifier.ShiftModifier,
            )
            if self._key(event) in self.keys or (drawing and plain and event.text()):
                event.accept()
                return True
        is_tab = (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() == Qt.Key.Key_Tab
        )
        if is_tab and self.tool is not None and self.stroke.snaps:
            self.type_number("")
            return True
        return super().event(event)

    def escape(self) -> None:
        """Give up the stroke, then the tool, then the choice. Leaving the paper takes another key:
        nobody should be out by one press too many."""
        if self.number.edit is not None:
            self.number.close()
        elif self.stroke.snaps:
            self.stroke, self.preview = Stroke(sides=self.stroke.sides), {}
            self._ask()
        elif self.tool is not None or self.mode:
            self.take("")
        elif self.desk.chosen:
            self.desk.choose([])
        else:
            self.desk.said.emit("Nothing is under way. Ctrl+Enter goes back to the part.")
        self.update()

    def end_stroke(self) -> None:
        """Enter: a curve through any number of points is done."""
        if self.tool is not None and self.tool.any_number and len(self.stroke.snaps) >= 2:
            self._finish()
            self.update()

    # Copy and paste

    def copy(self) -> None:
        """Keep what is chosen."""
        self.clipboard.copy()

    def paste(self) -> None:
        """What was copied, a little aside."""
        self.clipboard.paste(_ASIDE / self.scale)
