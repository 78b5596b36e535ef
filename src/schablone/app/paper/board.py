"""The sheet with its tools above it, as it takes the place of the part while a sketch is drawn."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from ...core.design import edit as edits
from ...core.sketch.drawing import Line
from ...core.steps.place import Place
from ...core.words import say_name
from ...worker import talk
from ..session import Session
from ..view3d.shown import ShownPart
from ..widgets.basics import button, label, on_hover, restyle, rule
from .desk import Desk
from .panel import PaperPanel
from .paper import Paper
from .rework import Rework
from .sketch_files import SketchFiles
from .tools import BY_NAME
from .under import Held, Under

# The words above the sheet, each with the tools that it opens.
_GROUPS = (
    ("Line", ("line",)),
    ("Rectangle", ("rectangle", "rectangle_about")),
    ("Circle", ("circle", "circle_through", "ellipse")),
    ("Arc", ("arc_through", "arc", "arc_on")),
    ("Slot", ("slot",)),
    ("Polygon", ("polygon",)),
    ("Curve", ("curve", "formula")),
    ("Point", ("point",)),
)


class Board(QWidget):
    """Tools, sheet, and the panel that goes beside it. ``left`` asks to go back to the part."""

    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.session = session
        self._wiggled = 0
        self._parts: list[ShownPart] = []
        self._step_of_regions = ""
        self.desk = Desk(session)
        self.paper = Paper(self.desk)
        self.panel = PaperPanel(self.desk, self.paper)
        self.rework, self.files = Rework(self.desk, self.paper), SketchFiles(self.desk, self.paper)
        self.panel.done.connect(self.left)
        self.paper.left.connect(self.left)
        self.desk.said.connect(session.said)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._tools())
        layout.addWidget(rule())
        layout.addWidget(self.paper, 1)
        self.ask = label("", "strong", wrap=True)
        self.ask.setContentsMargins(14, 5, 14, 6)
        layout.addWidget(self.ask)
        self.paper.asked.connect(self._asked)
        self.paper.tool_changed.connect(self._mark_tool)
        self.paper.clicked.connect(self._clicked)
        keys = self.paper.keys
        for tool in BY_NAME.values():
            keys[tool.key] = lambda name=tool.name: self.paper.take(name)
        keys |= {
            "H": self._helper_key,
            "I": self.begin_bringing,
            "F": self.paper.fit,
            "G": self._toggle_grid,
            "W": self.wiggle_next,
            "Del": self._remove_chosen,
            "Backspace": self._remove_chosen,
            "Ctrl+C": self.paper.copy,
            "Ctrl+V": self.paper.paste,
            "Ctrl+A": lambda: self.desk.choose([curve.name for curve in self.desk.drawing.curves]),
        }
        self._asked("")

    def _remove_chosen(self) -> None:
        if self.desk.chosen:
            self.panel.remove(list(self.desk.chosen))

    def wiggle_next(self) -> None:
        """Wiggle along one freedom after another."""
        if self.desk.freedoms:
            self.desk.wiggle(self._wiggled % self.desk.freedoms)
            self._wiggled += 1

    def _tools(self) -> QWidget:
        rework = self.rework
        bar = QWidget()
        bar.setObjectName("sheet")
        rows = QVBoxLayout(bar)
        rows.setContentsMargins(10, 4, 10, 4)
        rows.setSpacing(2)
        first, second = QHBoxLayout(), QHBoxLayout()
        for line in (first, second):
            line.setSpacing(0)
            rows.addLayout(line)
        self.tool_buttons: dict[str, QToolButton] = {}
        for words, names in _GROUPS:
            tool_button = QToolButton()
            tool_button.setObjectName("plain")
            tool_button.setText(words)
            tool_button.setCheckable(True)
            tool = BY_NAME[names[0]]
            on_hover(tool_button, f"{tool.words} ({tool.key})")
            tool_button.setAccessibleName(tool.words)
            tool_button.clicked.connect(lambda _=False, name=names[0]: self.paper.take(name))
            if len(names) > 1:
                menu = QMenu(tool_button)
                for name in names:
                    entry = BY_NAME[name]
                    menu.addAction(
                        f"{entry.words}\t{entry.key}", lambda name=name: self.paper.take(name)
                    )
                tool_button.setPopupMode(QToolButton.ToolButtonPopupMode.DelayedPopup)
                tool_button.setMenu(menu)
                on_hover(tool_button, f"{tool.words} ({tool.key}); hold for more")
            for name in names:
                self.tool_buttons[name] = tool_button
            first.addWidget(tool_button)
        first.addStretch(1)
        self.helper = QToolButton()
        self.helper.setObjectName("plain")
        self.helper.setText("Helpers")
        self.helper.setCheckable(True)
        on_hover(self.helper, "What is drawn is a helper and no part of an outline (H)")
        self.helper.toggled.connect(self._draw_helpers)
        first.addWidget(self.helper)
        for words, does, tip in (
            ("Mirror", rework.mirror, "Mirror what is chosen about the line that was chosen last"),
            ("Row", lambda: rework.how_many(rework.repeat), "Repeat what is chosen in a row"),
            (
                "Ring",
                lambda: rework.how_many(rework.ring),
                "Repeat what is chosen around a point chosen last, or the origin",
            ),
            (
                "Offset",
                rework.offset,
                "A copy of chosen closed geometry at a distance, held there; negative is inwards",
            ),
            ("Wall", rework.wall, "A second outline at a distance from all that is drawn"),
            (
                "Split",
                rework.split,
                "Cut a chosen line or arc in two in its middle, or at a chosen point on it",
            ),
            ("Trim", rework.begin_trim, "Take away pieces up to the next crossing, click by click"),
            (
                "Bring in",
                self.begin_bringing,
                "Edges of the part below as helpers that follow it (I)",
            ),
        ):
            second.addWidget(button(words, "plain", does, tip))
        second.addStretch(1)
        self.figures = QToolButton()
        self.figures.setObjectName("plain")
        self.figures.setText("values ▾")
        on_hover(self.figures, "Show dimensions as value, name or formula")
        shows = QMenu(self.figures)
        for word in ("values", "names", "formulas"):
            shows.addAction(word, lambda word=word: self.show_figures(word))
        self.figures.setMenu(shows)
        self.figures.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        second.addWidget(self.figures)
        file_button = QToolButton()
        file_button.setObjectName("plain")
        file_button.setText("File ▾")
        on_hover(file_button, "Read outlines from DXF, write the sketch as DXF or SVG")
        entries = QMenu(file_button)
        entries.addAction("Read outlines from DXF …", self.files.read_dialog)
        entries.addAction("Write the sketch as DXF or SVG …", self.files.write_dialog)
        file_button.setMenu(entries)
        file_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        second.addWidget(file_button)
        second.addWidget(
            button("Fit", "plain", self.paper.fit, "All of the drawing on the sheet (F)")
        )
        return bar

    # Coming and going

    def open(self, name: str) -> None:
        """Draw on a sketch step."""
        self.desk.open(name)
        self._lay_under()
        self.paper.take("")
        self.paper.fit()
        self.panel.refresh()
        self.paper.setFocus()

    def close_desk(self) -> None:
        self.paper.take("")
        self.desk.close()

    # Small things

    def _asked(self, text: str) -> None:
        idle = (
            "Take a tool, or choose something: Shift adds to the "
            "choice, dragging moves what is loose."
        )
        self.ask.setText(text or idle)
        restyle(self.ask)

    def _mark_tool(self, name: str) -> None:
        chosen = self.tool_buttons.get(name)
        for tool_button in set(self.tool_buttons.values()):
            tool_button.setChecked(tool_button is chosen)

    def _draw_helpers(self, on: bool) -> None:
        self.paper.helper = on

    def _helper_key(self) -> None:
        """With something chosen, make it helper or outline; with nothing, draw helpers from now
        on."""
        elements = self.desk.drawing.by_name
        known = [name for name in self.desk.chosen if name in elements]
        if known and self.paper.tool is None:
            self.panel.make_helper(not all(elements[name].helper for name in known))
        else:
            self.helper.toggle()

    def _toggle_grid(self) -> None:
        self.paper.grid_on = not self.paper.grid_on
        self.paper.update()

    def show_figures(self, word: str) -> None:
        self.paper.figures_as = word
        self.figures.setText(f"{word} ▾")
        self.paper.update()

    def _clicked(self, q: QPointF) -> None:
        match self.paper.mode:
            case "trim":
                self.rework.trim_at(q)
            case "bring":
                self.bring_at(q)
            case "regions":
                self.choose_region_at(q)

    # The part under the sheet

    def show_drawings(
        self, drawings: dict[str, talk.DrawingReport], parts: list[ShownPart]
    ) -> None:
        """What a rebuild said: where sketches lie, and the parts whose edges lie under them."""
        self._parts = parts
        self.desk.reported = drawings
        if self.desk.name:
            self.desk.refresh()
            self._lay_under()

    def _lay_under(self) -> None:
        frame = self.desk.reported.get(self.desk.name)
        names = [step.name for step in self.session.design.steps]
        before = (
            frozenset(names[: names.index(self.desk.name)])
            if self.desk.name in names
            else frozenset()
        )
        self.paper.under = Under.of(self._parts, frame, before) if frame else Under()
        self.paper.under.held = self._held()
        self.paper.update()

    def _held(self) -> dict[str, Held]:
        """What the bought parts stand on that are placed on this drawing, by their step."""
        held = {}
        known = self.desk.drawing.by_name if self.desk.settled is not None else {}
        for step in self.session.design.steps:
            if not isinstance(step, Place) or step.sketch != self.desk.name:
                continue
            name = {"point": step.point, "line": step.about}.get(step.where, "")
            element = known.get(name)
            if isinstance(element, Line):
                held[step.name] = Held.by(name, (element.start, element.end), self.desk.xy)
            elif element is not None:
                held[step.name] = Held.by(name, (name,), self.desk.xy)
        return held

    def begin_bringing(self) -> None:
        """From now on a click brings in an edge of the part below."""
        if not self.paper.under.edges:
            self.desk.said.emit("No edges of earlier steps lie under this sheet.")
            return
        self.paper.begin("bring", "Click on edges of the part to bring them in. Escape ends it.")

    def bring_at(self, q: QPointF) -> None:
        edge = self.paper.under.near(self.paper.to_paper(q), 9.0 / self.paper.scale)
        if edge:
            self.desk.bring_in(edge, self.paper.under.edges[edge])

    # Regions for a step

    def choose_regions(self, step: str) -> None:
        """From now on a click chooses or leaves out a region for a step."""
        self._step_of_regions = step
        self._take_regions()
        words = say_name(step)
        self.paper.begin("regions", f"Click on the regions that “{words}” uses. Escape goes back.")

    def _take_regions(self) -> None:
        step = self.session.design.step(self._step_of_regions)
        self.paper.region_names = tuple(getattr(step, "regions", ()))

    def choose_region_at(self, q: QPointF) -> None:
        arrangement = self.desk.arrangement
        face = arrangement.at(*self.paper.to_paper(q))
        if face is None:
            return
        used = {f.name for name in self.paper.region_names for f in arrangement.named(name)}
        names = tuple(
            f.name for f in arrangement.faces if (f.name in used) != (f.name == face.name)
        )
        step = self._step_of_regions
        self.session.edit(
            lambda design: edits.change_step(design, step, "regions", names), f"regions of {step}"
        )
        self._take_regions()
        self.paper.update()
