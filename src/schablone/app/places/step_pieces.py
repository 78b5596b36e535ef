"""The pieces of a step's sentence as things to click: formulas, choices, picks, other steps and
parts."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QToolButton,
    QWidget,
)

from ...core.design import Design
from ...core.design import edit as edits
from ...core.design.text import title_of
from ...core.sketch.drawing import X_AXIS, Y_AXIS
from ...core.sketch.sentences import say_element
from ...core.steps import Step
from ...core.steps.selecting import EdgeRule, say_shape
from ...core.steps.sentence import (
    AnchorPiece,
    BoughtPiece,
    ChoicePiece,
    EdgesPiece,
    FacesPiece,
    FormulaPiece,
    LinePiece,
    ListPiece,
    PartPiece,
    PlacePiece,
    PointPiece,
    PointsPiece,
    PortPiece,
    SentencePiece,
    SizePiece,
    StencilPiece,
    StepPiece,
    TextPiece,
    TiesPiece,
    Words,
    say_place,
    say_step,
)
from ...core.steps.sketch import Sketch
from ..session import Session
from ..widgets.basics import Flow, button, label, on_hover
from ..widgets.lines import KeptLine
from .bought_pieces import bought_chip
from .stencil_pieces import stencil_chip

#: Of what is picked, so many letters are said in full; of more, the first and how many there are.
_MOST_LETTERS = 40


class SentencePieces(QFrame):
    """Makes the widget of each piece; what is chosen is set on the step by :meth:`put`."""

    chosen = Signal(str)
    pick_wanted = Signal(str, str)
    ties_wanted = Signal(str)

    def __init__(self, session: Session, step: Step, number: int) -> None:
        super().__init__()
        self.session, self.name, self.number = session, step.name, number
        self.chips: dict[str, QWidget] = {}

    @property
    def step(self) -> Step:
        step = self.session.design.step(self.name)
        assert step is not None
        return step

    def edit(self, path: str) -> None:
        """Type another formula in the place of its chip."""
        raise TypeError("a card says how its formulas are typed")

    def put(self, path: str, value: Any) -> None:
        raise TypeError("a card says how its fields are set")

    def _piece(self, step: Step, piece: SentencePiece) -> QWidget:
        match piece:
            case Words():
                return label(piece.text, "quiet")
            case FormulaPiece():
                return self._formula_chip(step, piece.path)
            case PointsPiece():
                return self._points(step, piece)
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
                    step,
                    piece.path,
                    [rule.words() for rule in edits.get_path(step, piece.path)],
                    edges=True,
                )
            case FacesPiece():
                names = edits.get_path(step, piece.path)
                return self._picks(step, piece.path, [say_place(n) for n in names], edges=False)
            case LinePiece():
                return self._line(step, piece)
            case SizePiece():
                return self._size(step, piece)
            case PointPiece() | BoughtPiece() | AnchorPiece() | PortPiece() | StencilPiece():
                return self._from_the_shelf(step, piece)
            case ListPiece() | TiesPiece():
                return self._list(step, piece)

    def _from_the_shelf(
        self,
        step: Step,
        piece: PointPiece | BoughtPiece | AnchorPiece | PortPiece | StencilPiece,
    ) -> QWidget:
        if isinstance(piece, StencilPiece):
            return stencil_chip(self, step, piece)
        return bought_chip(self, step, piece)

    def _ties(self) -> QWidget:
        return button(
            "Tie faces …",
            "link",
            lambda: self.ties_wanted.emit(self.name),
            "Pick faces in the view, and say what holds between them",
        )

    def _list(self, step: Step, piece: ListPiece | TiesPiece) -> QWidget:
        """One more or one less of a list; ties are made in the view."""
        if isinstance(piece, TiesPiece):
            return self._ties()
        rows = QWidget()
        row = QHBoxLayout(rows)
        row.setContentsMargins(0, 0, 0, 0)
        now = edits.get_path(step, piece.path)
        more = button(
            f"+ {piece.what}",
            "link",
            lambda: self.put(piece.path, (*now, piece.new)),
            f"One more {piece.what}",
        )
        row.addWidget(more)
        self.chips[f"{piece.path}+"] = more
        if len(now) > piece.least:
            less = button(
                f"− {piece.what}",
                "link",
                lambda: self.put(piece.path, now[:-1]),
                f"Take the last {piece.what} away",
            )
            row.addWidget(less)
            self.chips[f"{piece.path}-"] = less
        return rows

    def _formula_chip(self, step: Step, path: str, short: int = 29) -> QPushButton:
        text = str(edits.get_path(step, path))
        shown = text if len(text) <= short else f"{text[: short - 2]}…"
        slot = next((slot for slot in step.slots() if slot.path == path), None)
        chip = button(shown, "chip", lambda: self.edit(path), text)
        chip.setAccessibleName(f"{slot.label if slot else path}: {text}")
        self.chips[path] = chip
        return chip

    def _points(self, step: Step, piece: PointsPiece) -> QWidget:
        """A small table: the number of each point, its x and its y."""
        box = QWidget()
        box.setProperty("full_line", True)
        table = QGridLayout(box)
        table.setContentsMargins(0, 0, 0, 0)
        table.setHorizontalSpacing(6)
        table.setVerticalSpacing(3)
        for column, words in enumerate(("", "x", "y")):
            table.addWidget(label(words, "small"), 0, column)
        for k in range(len(edits.get_path(step, piece.path))):
            table.addWidget(label(str(k + 1), "small"), k + 1, 0)
            for column, axis in enumerate(("x", "y"), 1):
                flow = Flow()
                flow.put(self._formula_chip(step, f"{piece.path}.{k}.{axis}", short=12))
                table.addWidget(flow, k + 1, column)
        table.setColumnStretch(1, 1)
        table.setColumnStretch(2, 1)
        return box

    def _choice(self, step: Step, piece: ChoicePiece) -> QToolButton:
        chip = QToolButton()
        chip.setObjectName("choice")
        now = edits.get_path(step, piece.path)
        chip.setText(piece.options.get(now, str(now)))
        chip.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        chip.setAccessibleName(f"{piece.path}: {chip.text()}")
        menu = QMenu(chip)
        for value, words in piece.options.items():
            menu.addAction(words, lambda value=value: self.put(piece.path, value))
        chip.setMenu(menu)
        self.chips[piece.path] = chip
        return chip

    def _place(self, step: Step, piece: PlacePiece) -> QToolButton:
        chip = QToolButton()
        chip.setObjectName("pick")
        place = str(edits.get_path(step, piece.path))
        chip.setText(say_place(place) if place else "pick a face")
        chip.setCheckable(True)
        on_hover(chip, "Click, then pick a flat face in the view")
        chip.setAccessibleName(f"{piece.path}: {chip.text()}")
        self.chips[piece.path] = chip
        if piece.planes:
            menu = QMenu(chip)
            for plane, words in (
                ("ground", "the ground"),
                ("front", "the front plane"),
                ("side", "the side plane"),
            ):
                menu.addAction(words, lambda plane=plane: self.put(piece.path, plane))
            menu.addAction(
                "a face, picked in the view", lambda: self.pick_wanted.emit(self.name, piece.path)
            )
            chip.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
            chip.setMenu(menu)
            chip.setCheckable(False)
        else:
            chip.clicked.connect(lambda: self.pick_wanted.emit(self.name, piece.path))
        return chip

    def _picks(self, step: Step, path: str, words: list[str], *, edges: bool) -> QToolButton:
        """What is picked, in words, with a menu to pick more and to leave some out."""
        chip = QToolButton()
        chip.setObjectName("pick")
        nothing = "pick edges" if edges else "pick a face"
        whole = "; ".join(words) or nothing
        many = len(words) > 1 and len(whole) >= _MOST_LETTERS
        chip.setText(f"{words[0]} and {len(words) - 1} more" if many else whole)
        chip.setAccessibleName(f"{path}: {chip.text()}")
        on_hover(chip, "\n".join(words) or "Click to pick in the view")
        chip.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(chip)
        if edges:
            menu.addAction(
                "Pick an edge in the view", lambda: self.pick_wanted.emit(self.name, f"{path}+edge")
            )
            menu.addAction(
                "All edges of a face, picked in the view",
                lambda: self.pick_wanted.emit(self.name, f"{path}+around"),
            )
            for how, what in (
                ("upright", "Upright edges of"),
                ("level", "Level edges of"),
                ("all", "All edges of"),
            ):
                listed = menu.addMenu(what)
                for other in self.session.design.steps[: self.number - 1]:
                    if other.kind != "sketch":
                        rule = EdgeRule(how=how, of=(other.name,))  # type: ignore[arg-type]
                        listed.addAction(
                            title_of(other.name), lambda rule=rule: self.add_pick(path, rule)
                        )
            listed = menu.addMenu("Edges of all that a shape raised")
            for shape in self._shapes():
                raised = EdgeRule(how="raised", of=(shape,))
                listed.addAction(say_shape(shape), lambda rule=raised: self.add_pick(path, rule))
        else:
            menu.addAction(
                "Pick a face in the view", lambda: self.pick_wanted.emit(self.name, f"{path}+face")
            )
            listed = menu.addMenu("All faces that a shape raised")
            for shape in self._shapes():
                listed.addAction(say_shape(shape), lambda shape=shape: self.add_pick(path, shape))
        if words:
            menu.addSeparator()
        for k, text in enumerate(words):
            menu.addAction(f"Leave out {text}", lambda k=k: self._leave_out(path, k))
        chip.setMenu(menu)
        self.chips[path] = chip
        return chip

    def _shapes(self) -> list[str]:
        """The shapes that steps above raised, as ``step/side/shape``."""
        shapes = []
        for other in self.session.design.steps[: self.number - 1]:
            sketch = self.session.design.step(str(getattr(other, "sketch", "")))
            if isinstance(sketch, Sketch) and other.kind in ("extrude", "revolve", "lead"):
                names = [shape.name for shape in sketch.shapes] + [
                    c.name for c in sketch.drawing.curves if not c.helper
                ]
                shapes += [f"{other.name}/side/{name}" for name in names]
        return shapes

    def add_pick(self, path: str, picked: object) -> None:
        """One more face or edge rule, unless it is there already."""
        now = edits.get_path(self.step, path)
        if picked not in now:
            self.put(path, (*now, picked))

    def _leave_out(self, path: str, number: int) -> None:
        now = edits.get_path(self.step, path)
        self.put(path, tuple(item for k, item in enumerate(now) if k != number))

    def _line(self, step: Step, piece: LinePiece) -> QToolButton:
        chip = QToolButton()
        chip.setObjectName("pick")
        chip.setText(say_element(str(edits.get_path(step, piece.path))))
        chip.setAccessibleName(f"{piece.path}: {chip.text()}")
        chip.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(chip)
        sketch = self.session.design.step(str(getattr(step, piece.sketch)))
        lines = (
            [c.name for c in sketch.drawing.curves if c.kind == "line"]
            if isinstance(sketch, Sketch)
            else []
        )
        for name in (X_AXIS, Y_AXIS, *lines):
            menu.addAction(say_element(name), lambda name=name: self.put(piece.path, name))
        chip.setMenu(menu)
        self.chips[piece.path] = chip
        return chip

    def _text(self, step: Step, piece: TextPiece) -> QLineEdit:
        line = KeptLine(str(edits.get_path(step, piece.path)))
        line.setAccessibleName("text on the part")
        line.setFixedWidth(150)
        line.editingFinished.connect(
            lambda: (
                line.text() != str(edits.get_path(self.step, piece.path))
                and self.put(piece.path, line.text())
            )
        )
        return line

    def _other_step(self, step: Step, piece: StepPiece) -> QToolButton:
        chip, menu = self.menu_of(piece.path, say_step(str(edits.get_path(step, piece.path))))
        before = [
            s
            for s in self.session.design.steps[: self.number - 1]
            if s.kind in piece.kinds or (piece.repeatable and s.repeatable)
        ]
        for other in before:
            menu.addAction(title_of(other.name), lambda name=other.name: self.put(piece.path, name))
        if not before:
            menu.addAction("There is none above this step yet.").setEnabled(False)
        return chip

    def _other_part(self, step: Step, piece: PartPiece) -> QToolButton:
        now = str(edits.get_path(step, piece.path))
        chip, menu = self.menu_of(piece.path, say_step(now) if now else "pick a part")
        for part in self.session.design.parts:
            if piece.itself or part.name != getattr(step, "part", ""):
                menu.addAction(
                    part.title or part.name, lambda name=part.name: self.put(piece.path, name)
                )
        if piece.new:
            menu.addAction("A new part", lambda: self._set_new_part(piece.path))
        return chip

    def _set_new_part(self, path: str) -> None:
        """Make a part and choose it."""

        def change(design: Design) -> Design:
            wider, name = edits.add_part(design, "other half")
            return edits.change_step(wider, self.name, path, name)

        self.session.edit(change, "new part")

    def _size(self, step: Step, piece: SizePiece) -> QToolButton:
        now = str(edits.get_path(step, piece.path))
        chip, menu = self.menu_of(piece.path, say_step(now) if now else "pick a size")
        for size in self.session.design.sizes:
            menu.addAction(say_step(size.name), lambda name=size.name: self.put(piece.path, name))
        return chip

    def menu_of(self, path: str, words: str) -> tuple[QToolButton, QMenu]:
        """A thing to click in the sentence that opens a menu."""
        chip = QToolButton()
        chip.setObjectName("pick")
        chip.setText(words)
        chip.setAccessibleName(f"{path}: {words}")
        chip.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(chip)
        chip.setMenu(menu)
        self.chips[path] = chip
        return chip, menu
