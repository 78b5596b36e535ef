"""The drawing sheet of a design: its paper, scale, projection and cuts, and its pages to put right
by hand."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QSignalBlocker, Qt, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Design
from ...core.design import sheet_by_hand as by_hand
from ...core.design.model import CutAcross, PutByHand
from ...core.quantity import LENGTH
from ...core.words import say_name
from ...worker import talk
from ..saving import ask_file
from ..session import Session
from ..widgets.basics import button, clear, label
from ..widgets.formula_edit import FormulaEdit
from ..widgets.in_hand import amiss
from .canvas import Chosen, SheetCanvas

#: Asks the worker for the pages, or with a path for a file; what takes the answer comes last.
Ask = Callable[[str, Callable[[Any], None]], None]

#: After so long without a change the sheet is drawn again, ms.
_REST = 250
_SCALES = ("10:1", "5:1", "2:1", "1:1", "1:2", "1:5", "1:10", "1:20", "1:50")
_ANGLES = {"first": "first-angle projection", "third": "third-angle projection"}
_ACROSS = {"y": "seen from the front", "x": "seen from the side", "z": "seen from above"}
#: A dimension stands no nearer to its view than this, mm.
_NEAREST = 3.0
_KINDS = (("PDF", ".pdf"), ("SVG", ".svg"), ("DXF", ".dxf"))


class SheetWindow(QWidget):
    """Follows every edit of the design; the last good page stays where a newer one cannot be
    drawn."""

    def __init__(self, session: Session, ask: Ask, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(1180, 780)
        self.session, self._ask = session, ask
        self.pages: list[talk.PageDrawn] = []
        self._number, self._answered, self._at, self._open = 0, 0, 0, True
        self._cuts_shown: tuple[CutAcross, ...] | None = None
        self._rest = QTimer(self, singleShot=True, interval=_REST)
        self._rest.timeout.connect(self.draw)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 14)
        layout.setSpacing(10)
        layout.addLayout(self._head())
        layout.addLayout(self._settings())
        self._cuts = QVBoxLayout()
        self._cuts.setSpacing(4)
        layout.addLayout(self._cuts)
        self.trouble = label("", "wrong", wrap=True)
        self.trouble.hide()
        layout.addWidget(self.trouble)
        self.canvas = SheetCanvas()
        self.canvas.moved.connect(self._moved)
        self.canvas.to_list.connect(self._to_list)
        self.canvas.freed.connect(self._freed)
        self.canvas.chosen_changed.connect(lambda _: self._say())
        layout.addWidget(self.canvas, 1)
        self.said = label("", "small", wrap=True)
        layout.addWidget(self.said)
        session.changed.connect(self._show_settings)
        session.changed.connect(self._rest.start)
        self._show_settings()
        self._say()
        self.draw()

    # Building

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label("Drawing sheet", "page_title"))
        row.addStretch(1)
        self.before = button("‹", "plain", lambda: self._turn(-1), "the page before")
        self.where = label("", "quiet")
        self.after = button("›", "plain", lambda: self._turn(1), "the next page")
        self.before.setAccessibleName("the page before")
        self.after.setAccessibleName("the next page")
        self.write = button(
            "Write the sheet …", "main", self._write, "As PDF, SVG or DXF, in true size"
        )
        row.addWidget(self.before)
        row.addWidget(self.where)
        row.addWidget(self.after)
        row.addSpacing(12)
        row.addWidget(self.write)
        return row

    def _settings(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.paper = self._box("paper", {"A4": "A4", "A3": "A3", "A2": "A2"}, "paper")
        scales = {"": "largest scale", **{scale: scale for scale in _SCALES}}
        self.scale = self._box("scale", scales, "scale")
        self.angle = self._box("angle", _ANGLES, "where views lie")
        for one in (self.paper, self.scale, self.angle):
            row.addWidget(one)
        row.addSpacing(12)
        row.addWidget(label("Cut open:", "quiet"))
        for axis, words in _ACROSS.items():
            row.addWidget(button(words, "link", lambda axis=axis: self._add_cut(axis), "Add a cut"))
        row.addStretch(1)
        self.back = button(
            "Let everything find its place",
            "link",
            self._let_all_go,
            "Undo all that was moved by hand",
        )
        row.addWidget(self.back)
        return row

    def _box(self, field: str, entries: dict[str, str], name: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for key, words in entries.items():
            box.addItem(words, key)
        box.activated.connect(lambda _: self._set(name, **{field: box.currentData()}))
        return box

    def _show_settings(self) -> None:
        self.setWindowTitle(f"{self.session.design.title}, drawing sheet")
        sheet = self.session.design.publish.sheet
        for box, value in (
            (self.paper, sheet.paper), (self.scale, sheet.scale), (self.angle, sheet.angle),
        ):  # fmt: skip
            with QSignalBlocker(box):
                if box.findData(value) < 0:
                    box.addItem(value, value)
                box.setCurrentIndex(box.findData(value))
        self.back.setEnabled(bool(sheet.dimensions or sheet.views))
        if sheet.cuts == self._cuts_shown:
            return
        self._cuts_shown = sheet.cuts
        clear(self._cuts)
        for number, cut in enumerate(sheet.cuts):
            self._cuts.addLayout(self._cut_row(number, cut))

    def _cut_row(self, number: int, cut: CutAcross) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        letter = "ABCD"[number]
        row.addWidget(label(f"{letter}–{letter}", "strong"))
        row.addWidget(label(f"{_ACROSS[cut.across]}, at {cut.across} =", "quiet"))
        field = FormulaEdit(
            cut.at,
            lambda: self.session.table,
            wanted=LENGTH,
            units=self.session.units(),
            placeholder="the middle",
        )
        field.setFixedWidth(230)
        field.line.setAccessibleName(f"where cut {letter} lies")
        field.committed.connect(lambda text: self._change_cut(number, text))
        field.made.connect(self.session.make_size)
        field.dropped.connect(self._rows_anew)
        row.addWidget(field)
        if cut.at:
            row.addWidget(
                button(
                    "Back to the middle", "link", lambda: self._change_cut(number, ""), "Through it"
                )
            )
        row.addWidget(
            button("Remove the cut", "link", lambda: self._drop_cut(number), "Draw it whole")
        )
        row.addStretch(1)
        return row

    def _rows_anew(self) -> None:
        """A field that was left as it was is done; another takes its place."""
        self._cuts_shown = None
        QTimer.singleShot(0, self, self._show_settings)

    # Drawing

    def draw(self) -> None:
        """Ask for the pages anew."""
        self._number += 1
        number = self._number

        def answered(answer: talk.SheetDrawn | talk.Refused | talk.GivenUp) -> None:
            if not self._open or number != self._number:
                return
            if isinstance(answer, talk.GivenUp):
                self._rest.start()  # the part goes first; what was drawn of the sheet is kept
                return
            self._answered = number
            if isinstance(answer, talk.Refused):
                self.trouble.setText(answer.text)
                self.trouble.show()
                return
            self.trouble.hide()
            self.pages = answer.pages
            self._turn(0)

        self._ask("", answered)

    def is_settled(self) -> bool:
        """Whether what is seen is the sheet of the design as it is."""
        return self._answered == self._number and not self._rest.isActive()

    def _turn(self, by: int) -> None:
        self._at = min(max(self._at + by, 0), max(len(self.pages) - 1, 0))
        page = self.pages[self._at] if self.pages else None
        self.canvas.show_page(page)
        self.before.setEnabled(self._at > 0)
        self.after.setEnabled(self._at + 1 < len(self.pages))
        if page is not None:
            part = say_name(page["part"]) if page["part"] else "sizes"
            scale = f", {page['scale']}" if page["scale"] else ""
            several = f"  ·  {self._at + 1} of {len(self.pages)}" if len(self.pages) > 1 else ""
            self.where.setText(f"{part}{scale}{several}")
        for one in (self.before, self.after):
            one.setVisible(len(self.pages) > 1)
        self._say()

    def _say(self) -> None:
        chosen = self.canvas.chosen
        if chosen is None:
            text = (
                "Drag a size or a view to put it elsewhere; Page down takes the next one in hand."
            )
        elif chosen.kind == "view":
            text = f"The view {chosen.name} is in hand: arrow keys move it, Backspace lets it go."
        else:
            text = (
                f"{chosen.name} is in hand: arrow keys move it (Shift finely), Delete puts it in "
                "the list, Backspace lets it find its place."
            )
        listed = [
            one.size for one in self.session.design.publish.sheet.dimensions if one.view == "list"
        ]
        if listed:
            text += f" In the list by hand: {', '.join(listed)}."
        self.said.setText(text)

    # Hands

    def _edit(self, change: Callable[[Design], Design], did: str) -> None:
        try:
            change(self.session.design)
        except ValidationError:
            self.said.setText("That is no place on this paper.")
            self.draw()
            return
        self.session.edit(change, did)

    def _set(self, name: str, **changes: Any) -> None:
        self._edit(lambda design: by_hand.with_sheet(design, **changes), f"{name} of the sheet")

    @property
    def _page(self) -> talk.PageDrawn:
        return self.pages[self._at]

    def _moved(self, chosen: Chosen, right: float, up: float) -> None:
        part = self._page["part"]
        if chosen.kind == "view":
            self._edit(
                lambda design: by_hand.move_view(design, part, chosen.name, right, up),
                f"move the view {chosen.name}",
            )
            return
        one = next(d for d in self._page["dimensions"] if d["size"] == chosen.name)
        x, y = one["way"]
        if (x, y) == (0.0, 0.0):
            out, along = one["out"] + up, one["along"] + right
        else:
            # Away from the view, and along what is measured: to the right, or upwards.
            sign = 1.0 if one["out"] > 0 else -1.0
            across = (x * sign, y * sign)
            low, high = self._reach(one["view"], across)
            level = (high if sign > 0 else low) + one["out"]
            level += right * across[0] + up * across[1]
            if level > (low + high) / 2:
                out = max(level - high, _NEAREST)
            else:
                out = min(level - low, -_NEAREST)
            along = one["along"] + right * across[1] - up * across[0]
        where = PutByHand(part=part, size=chosen.name, view=one["view"], out=out, along=along)
        self._edit(lambda design: by_hand.put(design, where), f"move {chosen.name} on the sheet")

    def _reach(self, name: str, across: tuple[float, float]) -> tuple[float, float]:
        """From where to where a view reaches in a direction, mm on paper."""
        view = next(view for view in self._page["views"] if view["name"] == name)
        x0, y0, x1, y1 = view["box"]
        reached = [x * across[0] + y * across[1] for x in (x0, x1) for y in (y0, y1)]
        return min(reached), max(reached)

    def _to_list(self, size: str) -> None:
        where = PutByHand(part=self._page["part"], size=size, view="list")
        self._edit(lambda design: by_hand.put(design, where), f"{size} into the list")

    def _freed(self, chosen: Chosen) -> None:
        part = self._page["part"]
        if chosen.kind == "dimension":
            self._edit(
                lambda design: by_hand.let_go(design, part, chosen.name),
                f"let {chosen.name} find its place",
            )
            return
        known = next(
            (
                one
                for one in self.session.design.publish.sheet.views
                if (one.part, one.view) == (part, chosen.name)
            ),
            None,
        )
        if known is not None:
            self._moved(chosen, -known.right, -known.up)

    def _let_all_go(self) -> None:
        self._edit(by_hand.all_let_go, "let all find its place on the sheet")

    def _add_cut(self, axis: str) -> None:
        cuts = self.session.design.publish.sheet.cuts
        if len(cuts) == 4:
            self.said.setText("Four cuts are the most on one sheet.")
            return
        self._set("a cut", cuts=(*cuts, {"across": axis}))

    def _change_cut(self, number: int, at: str) -> None:
        cuts = list(self.session.design.publish.sheet.cuts)
        cuts[number] = cuts[number].model_copy(update={"at": at})
        self._set("place of a cut", cuts=tuple(cuts))

    def _drop_cut(self, number: int) -> None:
        cuts = self.session.design.publish.sheet.cuts
        self._set("no cut", cuts=(*cuts[:number], *cuts[number + 1 :]))

    # The file

    def _write(self) -> None:
        if wrong := amiss(self):
            self.said.setText(f"Not written: something that was typed is not right yet. {wrong}")
            return
        folder = self.session.path.parent if self.session.path else Path.home()
        name = f"{self.session.design.name} sheet"
        path = ask_file(self, "Write the sheet", name, *_KINDS, folder=folder)
        if path is not None:
            self.write_to(path)

    def write_to(self, path: Path) -> None:
        """Write the sheet to a file."""

        def answered(answer: talk.SheetDrawn | talk.Refused) -> None:
            if isinstance(answer, talk.Refused):
                if self._open:
                    self.trouble.setText(answer.text)
                    self.trouble.show()
                return
            self.session.said.emit(f"Wrote {path.name}, {answer.bytes / 1000:,.0f} kB.")
            if self._open:
                self.said.setText(f"Wrote {path.name}, {answer.bytes / 1000:,.0f} kB.")

        self._ask(str(path), answered)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Answers that come later find nobody any more."""
        self._open = False
        super().closeEvent(event)
