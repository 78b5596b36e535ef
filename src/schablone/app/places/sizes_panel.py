"""The sheet of sizes: groups, a filter, and a line for new ones."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QGuiApplication, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...core.design import Design
from ...core.design import edit as edits
from ...core.design.exchange import read_sizes, write_sizes
from ...core.design.lens_table import seen_through
from ...core.design.model import Size
from ...core.formula import FormulaError
from ...core.formula.spelled import spelled
from ...core.problem import Problem, SchabloneError
from ...core.steps.row import Row
from ...core.words import say_name
from ..session import Session
from ..widgets.basics import clear, label, rule, scrolled, show_if
from ..widgets.formula_edit import FormulaEdit
from ..widgets.typed import claims_typing, typed_text
from .group_head import GroupHead
from .size_row import SizeRow
from .variant_strip import VariantStrip

#: So many rows are shown at once.
MOST_ROWS = 150


class SizesPanel(QWidget):
    """All sizes of the design. ``pointed`` is emitted with the name of the size under the pointer,
    or ``""``."""

    pointed = Signal(str)
    said = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("column")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.rows: dict[str, SizeRow] = {}
        self.chosen = ""
        self.shows = "both"
        self._layout_of: tuple[tuple[str, str], ...] | None = None
        head = QHBoxLayout()
        head.addWidget(label("Sizes", "heading"))
        head.addStretch(1)
        self.finder = QLineEdit()
        self.finder.setPlaceholderText("find a size")
        self.finder.setAccessibleName("find a size")
        self.finder.setFixedWidth(150)
        self.finder.setClearButtonEnabled(True)
        self.finder.textChanged.connect(self._look_for)
        head.addWidget(self.finder)
        inner = QWidget()
        inner.setObjectName("column")
        self._rows = QVBoxLayout(inner)
        self._rows.setContentsMargins(0, 0, 4, 0)
        self._rows.setSpacing(1)
        self.area = scrolled(inner)
        self.area.setObjectName("sheet")
        self._below = QVBoxLayout()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 10, 12)
        layout.setSpacing(8)
        layout.addLayout(head)
        layout.addWidget(self.area, 1)
        self.left_out = label("", "small")
        layout.addWidget(self.left_out)
        layout.addLayout(self._below)
        self.variants = VariantStrip(session)
        layout.addWidget(self.variants)
        self.new: FormulaEdit | None = None
        self._new_line()
        session.changed.connect(self.refresh)
        session.read_off.connect(self.refresh)
        session.taken.connect(self._new_line)

    def begin_typing(self) -> None:
        """The keyboard goes to the line for a new size."""
        self.new.line.setFocus()

    def event(self, event: QEvent) -> bool:
        return claims_typing(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """A letter that is typed among the sizes looks for one: no command takes it."""
        if text := typed_text(event):
            self.finder.setFocus()
            self.finder.setText(text)
        else:
            super().keyPressEvent(event)

    def _new_line(self) -> None:
        """A fresh line for a new size."""
        clear(self._below)
        self.new = FormulaEdit(
            "", lambda: self.session.table, placeholder="name = formula", definition_only=True
        )
        self.new.line.setAccessibleName("new size: name = formula")
        self.new.made.connect(self._make)
        self._below.addWidget(self.new)

    def _make(self, name: str, formula: str) -> None:
        size = self.session.design.size(self.chosen)
        if size is None and self.session.design.sizes:
            size = self.session.design.sizes[-1]
        group = size.group if size else ""
        if self.session.make_size(name, formula, group):
            self._new_line()
            self.choose(name)
            if self.new is not None:
                self.new.line.setFocus()

    def refresh(self) -> None:
        """Show the design in hand."""
        design = self.session.design
        layout, more = self._some_rows()
        if layout != self._layout_of:
            self._lay_out(layout)
        self.left_out.setVisible(more > 0)
        self.left_out.setText(f"and {more:,} more; type what to look for")
        self.variants.refresh()
        session = self.session
        shown = seen_through(
            design, session.measures, session.view, session.table, session.machines
        )
        users = self._users()
        problems: dict[str, list[Problem]] = {}
        for problem in session.table.problems:
            problems.setdefault(problem.name, []).append(problem)
        for name, row in self.rows.items():
            told = self._explain(name, users.get(name, ()))
            if name not in shown and name in session.table.cells:
                told = f"{_why_unseen(name in session.measures.of)}\n{told}".strip()
            row.refresh(problems.get(name, []), shown.get(name, ()), told)

    def _some_rows(self) -> tuple[tuple[tuple[str, str], ...], int]:
        """Names and groups of the sizes that get a row, and how many more there are. Of very many
        only the first that are looked for get one, and the one that is chosen."""
        sizes = list(self.session.design.sizes)
        more = 0
        if len(sizes) > MOST_ROWS:
            text = self.finder.text()
            sizes = [one for one in sizes if one.name == self.chosen or self._is_meant(one, text)]
            mine = [size for size in sizes[MOST_ROWS:] if size.name == self.chosen]
            more = max(0, len(sizes) - MOST_ROWS - len(mine))
            sizes = [*sizes[:MOST_ROWS], *mine]
        return tuple((size.name, size.group) for size in sizes), more

    def _users(self) -> dict[str, list[str]]:
        """By size, the steps whose formulas name it, or the condition that they are made on."""
        users: dict[str, list[str]] = {}
        for step in self.session.design.steps:
            formulas = [step.when, *(slot.formula for slot in step.slots())]
            for name in {name for text in formulas if text for name in _names(text)}:
                users.setdefault(name, []).append(step.name)
        return users

    def _lay_out(self, layout: tuple[tuple[str, str], ...]) -> None:
        editing = next((name for name, row in self.rows.items() if row.editor is not None), "")
        self._layout_of = layout
        # Rows stay: a row made anew for each size would be felt with every new one.
        old, self.rows = self.rows, {}
        for row in old.values():
            self._rows.removeWidget(row)
        clear(self._rows)
        group: str | None = None
        for name, group_of in layout:
            if group_of != group:
                group = group_of
                if group:
                    self._rows.addSpacing(8)
                    self._rows.addWidget(GroupHead(self.session, group))
                    self._rows.addWidget(rule())
            row = old.pop(name) if name in old else self._row(name)
            row.set_chosen(name == self.chosen)
            self.rows[name] = row
            self._rows.addWidget(row)
        for row in old.values():
            row.hide()
            row.deleteLater()
        if not layout:
            text = "No sizes yet. Type one below, with its unit:\nwidth = 120 mm"
            self._rows.addWidget(label(text, "quiet", wrap=True))
        self._rows.addStretch(1)
        if editing in self.rows and self.rows[editing].editor is None:
            self.rows[editing].edit()
        self._filter(self.finder.text())

    def _row(self, name: str) -> SizeRow:
        row = SizeRow(self.session, name)
        row.chosen.connect(self.choose)
        row.next.connect(self._go_on)
        row.pointed.connect(self._point)
        row.follow.connect(self._follow)
        row.shows = self.shows
        return row

    def _filter(self, text: str) -> None:
        known = {size.name: size for size in self.session.design.sizes}
        for name, row in self.rows.items():
            show_if(row, name in known and self._is_meant(known[name], text))

    def _look_for(self, text: str) -> None:
        if len(self.session.design.sizes) > MOST_ROWS:
            self.refresh()
        else:
            self._filter(text)

    def _point(self, name: str) -> None:
        """Light up what the size under the pointer uses (below it) and what uses it (above)."""
        uses = self.session.table.uses
        below = {used.split(".")[0] for used in uses.get(name, frozenset())}
        above = {user for user, used in uses.items() if name in used}
        for other, row in self.rows.items():
            row.set_link(
                "below" if name and other in below else "above" if name and other in above else ""
            )
        self.pointed.emit(name)

    def _follow(self, name: str, to_used: bool) -> None:
        """Go to the first size that uses this one, or that it uses; back again from there with the
        other key."""
        uses = self.session.table.uses
        others = (
            sorted(uses.get(name, ()))
            if to_used
            else [user for user, used in uses.items() if name in used]
        )
        following = next((other for other in others if other in self.rows), "")
        if following:
            self.choose(following)
            self.rows[following].setFocus()
        else:
            self.session.said.emit(f"{name} uses no size." if to_used else f"No size uses {name}.")

    def show_as(self, shows: str) -> None:
        """Show ``values``, ``formulas`` or ``both``."""
        self.shows = shows
        for row in self.rows.values():
            row.shows = shows
        self.refresh()

    def copy_all(self) -> None:
        """All sizes to the clipboard, as a spreadsheet takes them."""
        QGuiApplication.clipboard().setText(write_sizes(self.session.design, "\t"))
        self.session.said.emit(f"{len(self.session.design.sizes)} sizes copied.")

    def paste(self) -> None:
        """Sizes from the clipboard, over those of the same name and behind the others."""
        self.take(QGuiApplication.clipboard().text(), "paste sizes")

    def take(self, text: str, did: str) -> bool:
        """Sizes from text. Where anything is wrong nothing is taken over, and it is told."""
        try:
            pasted = read_sizes(text)
        except SchabloneError as error:
            more = f" And {len(error.problems) - 3} more." if len(error.problems) > 3 else ""
            self.said.emit(
                "Nothing was taken over. " + " ".join(p.text for p in error.problems[:3]) + more
            )
            return False
        return self.take_sizes(pasted, did)

    def take_sizes(self, pasted: Sequence[Size], did: str) -> bool:
        """Sizes over those of the same name and behind the others."""

        def change(design: Design) -> Design:
            for size in pasted:
                old = design.size(size.name)
                kept = old.with_(formula=size.formula) if old else size
                design = edits.put_size(design, kept)
            return design

        return self.session.edit(change, did)

    def choose(self, name: str) -> None:
        """Make a size the chosen one."""
        if name != self.chosen:
            if self.chosen in self.rows:
                self.rows[self.chosen].set_chosen(False)
            self.chosen = name
            if name not in self.rows and len(self.session.design.sizes) > MOST_ROWS:
                self.refresh()
        if name in self.rows:
            self.rows[name].set_chosen(True)
            self.area.ensureWidgetVisible(self.rows[name], 0, 20)

    def edit(self, name: str) -> None:
        """Choose a size and type its formula."""
        self.choose(name)
        if name in self.rows:
            self.rows[name].edit()

    def _go_on(self, name: str) -> None:
        names = list(self.rows)
        at = names.index(name) + 1 if name in names else 0
        if at < len(names):
            self.choose(names[at])
            self.rows[names[at]].setFocus()

    def _explain(self, name: str, steps: Sequence[str]) -> str:
        """How a value that a row works out comes about, and who uses the size."""
        size = self.session.design.size(name)
        lines = []
        if size is not None and "." in size.formula:
            step_name, _, output = size.formula.partition(".")
            step = self.session.design.step(step_name)
            if isinstance(step, Row):
                lines.append(step.explain(output, self._values_of(step)))
        elif size is not None:
            lines.append(spelled(self.session.design.formula_of(size), self.session.table))
        users = self.session.table.users_of(name)
        names = [user.split(".")[0].strip("[]") for user in users]
        used = list(dict.fromkeys([*names, *steps]))
        if any(item.size == name for item in self.session.design.publish.adjust):
            lines.append("others may adjust it")
        if used:
            times = "once" if len(used) == 1 else f"{len(used)} times"
            lines.append(f"used {times}: " + ", ".join(say_name(text) for text in used))
        return "\n".join(line for line in lines if line)

    def _is_meant(self, size: Size, text: str) -> bool:
        """Whether a size is one that is looked for."""
        wanted = text.strip().casefold()
        said = (size.name, self.session.design.formula_of(size), size.note)
        return not wanted or any(wanted in part.casefold() for part in said)

    def _values_of(self, step: Row) -> dict[str, float]:
        values = {}
        for slot in step.slots():
            try:
                values[slot.path] = (
                    self.session.table.compile(slot.formula, slot.kind)
                    .value(self.session.table.env())
                    .value
                )
            except FormulaError:
                return {}
        return values


@lru_cache(maxsize=4096)
def _names(formula: str) -> frozenset[str]:
    from ...core.formula import names_in

    try:
        return names_in(formula)
    except FormulaError:
        return frozenset()


def _why_unseen(is_built: bool) -> str:
    if is_built:
        return "What the machine makes of it is not worked out"
    return "Not known as long as steps that use it are not built"
