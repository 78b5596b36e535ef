"""Beside the sheet: what is still loose, what can be asked of what is chosen, and all that must
hold, in words."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from ...core.formula import FormulaError
from ...core.formula.parse import check_name
from ...core.quantity import ANGLE, LENGTH, Quantity
from ...core.sketch.drawing import Constraint, Dimension, Drawing, FormulaCurve
from ...core.sketch.offers import Offer, offers_for
from ...core.sketch.pen import Pen
from ...core.sketch.revise import put_element, put_rule, renamed, without
from ...core.sketch.sentences import say_constraint, say_dimension, say_element
from ...core.words import say_name
from ..widgets.basics import (
    Flow,
    ScrollColumn,
    button,
    clear,
    kept_place,
    label,
    restyle,
    scrolled,
)
from ..widgets.lines import KeptLine
from .desk import Desk
from .paper import Paper
from .rule_row import RuleRow

#: So many of the ways in which a drawing can still move are listed.
_MOST_WAYS = 12


class PaperPanel(QWidget):
    """The right column while a sketch is drawn. ``done`` asks to go back to the part."""

    done = Signal()

    def __init__(self, desk: Desk, paper: Paper) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.desk, self.paper = desk, paper
        self.rows: dict[str, RuleRow] = {}
        self.offers: list[tuple[Offer, QWidget]] = []
        self._go_on_to = ""
        head = QHBoxLayout()
        self.title = label("Drawing", "heading")
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(
            button("Back to the part", "link", self.done.emit, "Back to the part (Ctrl+Enter)")
        )
        self.state = label("", "strong", wrap=True)
        self.trouble = label("", "wrong", wrap=True)
        inner = ScrollColumn()
        inner.setObjectName("page")
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 6, 0)
        self._list.setSpacing(3)
        area = scrolled(inner)
        self.area = area
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 6, 10)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addWidget(self.state)
        layout.addWidget(self.trouble)
        layout.addWidget(area, 1)
        self._shown: tuple[object, ...] = ()
        desk.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the desk; the list is laid out anew only where it changed."""
        desk = self.desk
        if not desk.name or desk.dragging:
            return
        self.title.setText(say_name(desk.name).capitalize())
        self._say_state()
        self.trouble.setText(desk.trouble)
        self.trouble.setVisible(bool(desk.trouble))
        shown = (
            desk.drawing.rules,
            tuple(desk.chosen),
            desk.freedoms,
            desk.drawing.elements,
            tuple(desk.values.items()),
        )
        if shown != self._shown:
            self._shown = shown
            self._lay_out()
        for name, row in self.rows.items():
            rule = row.rule
            lit = (
                name in desk.pointed or name in desk.chosen or not desk.pointed.isdisjoint(rule.of)
            )
            restyle(row, chosen=lit, wrong=name in desk.at_odds)
            if row.instead is not None:
                row.instead.setVisible(name in desk.at_odds)

    def _say_state(self) -> None:
        desk = self.desk
        if desk.trouble:
            self.state.setText("Something does not hold")
        elif not desk.drawing.elements:
            self.state.setText("An empty sheet: choose a tool above and draw.")
        elif desk.freedoms == 0:
            self.state.setText("Settled: nothing can move.")
        else:
            ways = "way" if desk.freedoms == 1 else "ways"
            self.state.setText(f"Loose: it can still move in {desk.freedoms} {ways}.")

    def _lay_out(self) -> None:
        held, is_typed_at = QApplication.focusWidget(), self._go_on_to
        was_here = held is not None and self.isAncestorOf(held)
        with kept_place(self.area):
            self._fill()
        if held is not None and was_here and not held.isVisible() and is_typed_at not in self.rows:
            # What was pressed is gone, and Qt gives the keys to whatever comes next in the window;
            # whoever draws goes on with the next key on the sheet.
            self.paper.setFocus()

    def _fill(self) -> None:
        desk = self.desk
        # Rows that say the same stay: making all anew would be felt with every stroke.
        kept = {row.shown: row for row in self.rows.values() if row.editor is None}
        for row in kept.values():
            self._list.removeWidget(row)
        clear(self._list)
        self.rows = {}
        self._lay_chosen()
        if desk.freedoms and desk.diagnosis is not None:
            self._list.addWidget(label("STILL LOOSE", "group"))
            ways = Flow(4, 4)
            for number, text in enumerate(desk.freedom_words(_MOST_WAYS)):
                chip = button(
                    text, "chip", lambda number=number: desk.wiggle(number), f"Wiggle {text} (W)"
                )
                chip.setAccessibleName(f"Wiggle {text}")
                ways.put(chip)
            self._list.addWidget(ways)
            if desk.freedoms > _MOST_WAYS:
                self._list.addWidget(label(f"and {desk.freedoms - _MOST_WAYS} more", "quiet"))
        if desk.drawing.dimensions:
            self._list.addWidget(label("DIMENSIONS", "group"))
        for dimension in desk.drawing.dimensions:
            self._add_row(dimension, kept)
        if desk.drawing.constraints:
            self._list.addWidget(label("WHAT MUST HOLD", "group"))
        for constraint in desk.drawing.constraints:
            self._add_row(constraint, kept)
        self._list.addStretch(1)
        for row in kept.values():
            row.hide()
            row.deleteLater()
        if self._go_on_to in self.rows:
            self.rows[self._go_on_to].edit()
        self._go_on_to = ""

    def _add_row(
        self,
        rule: Constraint | Dimension,
        kept: dict[tuple[Constraint | Dimension, str, str], RuleRow],
    ) -> None:
        if isinstance(rule, Constraint):
            words, text = say_constraint(rule, self.desk.drawing), ""
        else:
            words, text = say_dimension(rule), rule.formula
            if rule.reads:
                text = f"reads {self.paper.words_of(rule).strip('()')}"
        row = kept.pop((rule, words, text), None)
        if row is None:
            row = RuleRow(self, rule, words, text)
            row.pointed.connect(lambda name: self.desk.point_at(frozenset({name} if name else ())))
            row.chosen.connect(lambda name: self.desk.choose([name]))
        self.rows[rule.name] = row
        self._list.addWidget(row)

    # What is chosen

    def _lay_chosen(self) -> None:
        desk = self.desk
        self.offers = []
        if not desk.chosen:
            return
        card = QFrame()
        card.setObjectName("card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(10, 8, 8, 8)
        layout.setSpacing(5)
        layout.addWidget(
            label(", ".join(say_element(name) for name in desk.chosen[:4]), "strong", wrap=True)
        )
        flow = Flow(5, 5)
        for offer in offers_for(desk.drawing, desk.chosen):
            chip = button(
                _short(offer), "pill", lambda offer=offer: self.accept(offer), offer.words
            )
            chip.installEventFilter(self)
            self.offers.append((offer, chip))
            flow.put(chip)
        layout.addWidget(flow)
        self._lay_element(layout)
        foot = Flow(4, 4)
        elements = desk.drawing.by_name
        known = [name for name in desk.chosen if name in elements]
        if known:
            helper = all(elements[name].helper for name in known)
            foot.put(
                button(
                    "Make outline" if helper else "Make helper",
                    "link",
                    lambda: self.make_helper(not helper),
                    "Helper or outline (H)",
                )
            )
        if len(known) == 1 and len(desk.chosen) == 1:
            foot.put(
                button(
                    "Rename", "link", lambda: self._rename(layout, known[0]), "Give it another name"
                )
            )
        removable = [name for name in desk.chosen if name not in ("origin", "x_axis", "y_axis")]
        if removable:
            foot.put(button("Remove", "link", lambda: self.remove(removable), "Remove (Del)"))
        layout.addWidget(foot)
        self._list.addWidget(card)

    def _lay_element(self, layout: QVBoxLayout) -> None:
        """Formulas of a chosen curve by formula."""
        desk = self.desk
        element = desk.drawing.element(desk.chosen[0]) if len(desk.chosen) == 1 else None
        if not isinstance(element, FormulaCurve):
            return
        fields = ["radius"] if element.form == "polar" else ["x", "y"]
        for field in ("parameter", "first", "last", *fields, "turn"):
            line = QHBoxLayout()
            words = {"first": f"{element.parameter} from", "last": f"{element.parameter} to"}.get(
                field, field
            )
            line.addWidget(label(words, "quiet"))
            edit = KeptLine(str(getattr(element, field)))
            edit.setObjectName("formula")
            edit.setAccessibleName(f"{words} of {element.name}")
            edit.editingFinished.connect(
                lambda field=field, edit=edit: self._put_field(element, field, edit.text())
            )
            line.addWidget(edit, 1)
            layout.addLayout(line)
        other = "xy" if element.form == "polar" else "polar"
        words = "as x and y" if other == "xy" else "as radius by angle"
        layout.addWidget(
            button(f"Give it {words}", "link", lambda: self._change_form(element, other), words)
        )

    def _put_field(self, element: FormulaCurve, field: str, text: str) -> None:
        if text.strip() == getattr(element, field):
            return
        try:
            if field == "parameter":
                check_name(text.strip())
            now = self.desk.settled_drawing().element(element.name) or element
            drawing = put_element(
                self.desk.settled_drawing(), now.model_copy(update={field: text.strip()})
            )
        except (FormulaError, ValueError) as error:
            self.desk.said.emit(str(error))
            return
        self.desk.put(drawing, f"{field} of {element.name}")

    def _change_form(self, element: FormulaCurve, form: str) -> None:
        changes = {"form": form}
        if form == "xy" and not element.x:
            changes |= {
                "parameter": "s",
                "first": "0 mm",
                "last": "40 mm",
                "x": "s",
                "y": "5 mm * sin(s / (40 mm) * 360 deg)",
            }
        elif form == "polar" and not element.radius:
            changes |= {
                "parameter": "turned",
                "first": "0 deg",
                "last": "360 deg",
                "radius": "20 mm",
            }
        drawing = put_element(self.desk.settled_drawing(), element.model_copy(update=changes))
        self.desk.put(drawing, f"form of {element.name}")

    def _rename(self, layout: QVBoxLayout, old: str) -> None:
        line = KeptLine(old)
        line.setAccessibleName(f"name of {old}")
        layout.addWidget(line)
        line.setFocus()
        line.selectAll()

        def take() -> None:
            new = line.text().strip().replace(" ", "_")
            taken = {*self.desk.drawing.by_name, *(rule.name for rule in self.desk.drawing.rules)}
            try:
                check_name(new)
            except FormulaError as error:
                self.desk.said.emit(f"{error.what} {error.hint}")
                return
            if new != old and new in taken:
                self.desk.said.emit(f"There is a “{new}” already.")
            elif new != old:
                drawing = renamed(self.desk.settled_drawing(), old, new)
                if self.desk.put(drawing, f"{old} is now {new}"):
                    self.desk.choose([new])

        line.returnPressed.connect(take)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The pointer on an offer shows what would move."""
        kind = event.type()
        if kind == QEvent.Type.Enter:
            offer = next((o for o, chip in self.offers if chip is watched), None)
            if offer is not None and not offer.measures:
                self.paper.preview = self.desk.would_move(self._with(offer)[0])
                self.paper.show_preview_of_offer(bool(self.paper.preview))
        elif kind == QEvent.Type.Leave:
            self.paper.preview = {}
            self.paper.show_preview_of_offer(False)
        return False

    def _with(self, offer: Offer) -> tuple[Drawing, str]:
        pen = Pen(self.desk.settled_drawing())
        if offer.kind == "tangent":
            self._give_handles(pen, offer.of)
        name = pen.hold(offer.kind, *offer.of)  # type: ignore[arg-type]
        return pen.drawing, name

    def _give_handles(self, pen: Pen, of: tuple[str, ...]) -> None:
        """A smooth curve that is to be tangent at an end needs its handle there."""
        from ...core.sketch.drawing import Arc, Line, Spline

        known = self.desk.drawing.by_name
        for name in of:
            curve = known.get(name)
            others = [known[n] for n in of if n != name and n in known]
            if isinstance(curve, Spline):
                ends = {
                    p
                    for o in others
                    if isinstance(o, (Line, Arc, Spline, FormulaCurve))
                    for p in (o.start, o.end)
                }
                for end, at_start in ((curve.start, True), (curve.end, False)):
                    if end in ends:
                        pen.handle(name, at_start=at_start)

    def accept(self, offer: Offer) -> None:
        """Add what was offered. A dimension starts at what it measures now, and is opened for
        typing."""
        self.paper.preview = {}
        desk = self.desk
        pen = Pen(desk.settled_drawing())
        if offer.measures:
            name = pen.fresh(offer.kind)
            draft = Dimension(name=name, kind=offer.kind, of=offer.of, reads=True)  # type: ignore[arg-type]
            if desk.settled is None or not desk.settled.solution.holds:
                desk.said.emit("First let everything else hold again.")
                return
            try:
                value = desk.settled.system.would_start_at(draft, desk.settled.x)
            except (ValueError, KeyError) as error:
                desk.said.emit(str(error))
                return
            if value < 0:
                both = " and ".join(map(say_element, offer.of)).capitalize()
                desk.said.emit(f"{both} cross: drag one clear of the other first.")
                return
            kind = ANGLE if offer.kind == "angle" else LENGTH
            formula = str(Quantity(round(value, 3), kind)).replace("°", " deg")
            self._go_on_to = name
            desk.put_rule(
                draft.model_copy(update={"reads": False, "formula": formula}), offer.words
            )
            return
        drawing, name = self._with(offer)
        if desk.is_redundant(drawing, name):
            desk.said.emit("That holds already; the other constraints see to it.")
            return
        desk.put(drawing, offer.words)

    def make_helper(self, helper: bool) -> None:
        from ...core.sketch.revise import as_helpers

        self.desk.put(
            as_helpers(self.desk.settled_drawing(), self.desk.chosen, helper=helper),
            "helper" if helper else "outline",
        )

    def remove(self, names: list[str]) -> None:
        """Take elements or rules out."""
        self.desk.put(
            without(self.desk.settled_drawing(), names),
            "remove " + ", ".join(map(say_name, names[:3])),
        )

    def read_off(self, name: str) -> None:
        """Let a dimension measure what it set until now."""
        rule = next(d for d in self.desk.drawing.dimensions if d.name == name)
        read = rule.model_copy(update={"reads": True, "formula": ""})
        self.desk.put(put_rule(self.desk.drawing, read), f"read {say_name(name)} off")

    def edit_next(self, name: str, way: int) -> None:
        """The dimension after one, or before it; after the last comes the first."""
        typed = [d.name for d in self.desk.drawing.dimensions if not d.reads]
        if name in typed:
            following = typed[(typed.index(name) + way) % len(typed)]
            if following in self.rows:
                self.rows[following].edit()

    def set_formula(self, name: str, formula: str) -> None:
        """Give a dimension another formula, and go on to the next one in the list."""
        names = [d.name for d in self.desk.drawing.dimensions if not d.reads]
        at = names.index(name) + 1 if name in names else 0
        self._go_on_to = names[at] if at < len(names) else ""
        rule = next(d for d in self.desk.drawing.dimensions if d.name == name)
        changed = put_rule(
            self.desk.settled_drawing(), rule.model_copy(update={"formula": formula})
        )
        if not self.desk.put(changed, f"{say_name(name)} = {formula}"):
            self._shown = ()
            self.refresh()


def _short(offer: Offer) -> str:
    words = {
        "coincident": "one point",
        "on": "lies on it",
        "horizontal": "level",
        "vertical": "upright",
        "parallel": "parallel",
        "perpendicular": "square",
        "collinear": "in one line",
        "concentric": "same centre",
        "at_30": "at 30°",
        "at_45": "at 45°",
        "at_60": "at 60°",
        "tangent": "tangent",
        "equal": "equal",
        "symmetric": "mirrored",
        "midpoint": "middle",
        "fixed": "stays here",
        "distance": "distance" if len(offer.of) > 1 else "length",
        "across": "distance across",
        "upright": "distance upright",
        "angle": "angle",
        "radius": "radius",
        "diameter": "diameter",
        "arc_length": "arc length",
    }
    return words[offer.kind]
