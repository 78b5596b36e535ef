"""To the workshop: what is made and bought, and how it lies on sheets and beds."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from ..core.formula import FormulaError, parse
from ..core.formula.typed import typed_length
from ..core.problem import SchabloneError
from ..core.publish.names import laid_stem
from ..core.publish.parts_list import ListedPart, as_csv
from ..core.quantity import plain
from ..core.whole_files import write_whole
from ..core.words import say_name
from ..worker import talk
from .bars_page import BarsPage
from .layout_drawing import LayoutDrawing
from .off_cut_bar import OffCutBar
from .saving import ask_file, may_go_over
from .session import Session
from .widgets.basics import button, clear, label, restyle
from .widgets.lines import KeptLine

#: Asks the worker: how it is to be laid, and what takes the answer.
Ask = Callable[[talk.LayingOut, Callable[[Any], None]], None]

#: After so long without a change the parts are laid again, ms.
_REST = 250


#: What is chosen to have lengths cut from bars.
BARS = "Lengths cut from bars"


class LayoutWindow(QWidget):
    """Follows every edit of the design. What is typed here is kept as long as it is open."""

    def __init__(self, session: Session, ask: Ask, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(f"{session.design.name}, to the workshop")
        self.resize(1180, 740)
        self.session, self._ask = session, ask
        self.asked = talk.LayingOut()
        self.answer: talk.LaidOut | None = None
        #: By stock what was laid last without trouble, and what was put by hand in it.
        self._good: dict[str, tuple[talk.LaidStock, list[Any]]] = {}
        self._number = 0
        #: What the list shows, and its fields for how many, by part.
        self._listed: list[talk.ListedReport] | None = None
        self._counts: dict[str, KeptLine] = {}
        self._rest = QTimer(self, singleShot=True, interval=_REST)
        self._rest.timeout.connect(self.lay)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(label("To the workshop", "page_title"))
        head.addStretch(1)
        self.save_list = button("Save the list …", "plain", self._save_list, "As CSV")
        self.save_files = button(
            "Save the sheets …", "main", self._save_dialog, "A file for each sheet or bed"
        )
        head.addWidget(self.save_list)
        head.addWidget(self.save_files)
        layout.addLayout(head)
        columns = QHBoxLayout()
        columns.setSpacing(22)
        self._list = QVBoxLayout()
        self._list.setSpacing(4)
        left = QWidget()
        left.setFixedWidth(400)
        left.setLayout(self._list)
        self._list.setContentsMargins(0, 0, 0, 0)
        columns.addWidget(left)
        right = QVBoxLayout()
        right.setSpacing(8)
        settings = self._settings()
        right.addWidget(self.stocks)
        self.pages = QStackedWidget()
        right.addWidget(self.pages, 1)
        sheets = QWidget()
        page = QVBoxLayout(sheets)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(8)
        page.addLayout(settings)
        self.off_cuts = OffCutBar(session)
        self.off_cuts.changed.connect(self.lay)
        self.off_cuts.told.connect(self._say)
        page.addWidget(self.off_cuts)
        self.drawing = LayoutDrawing()
        self.drawing.moved.connect(self._moved)
        self.drawing.freed.connect(self._freed)
        page.addWidget(self.drawing, 1)
        self.said = label("", "", wrap=True)
        page.addWidget(self.said)
        page.addWidget(
            label(
                "Drag a part to put it by hand; R turns the chosen one, Delete lets it go again.",
                "small",
            )
        )
        self.bars = BarsPage()
        self.bars.asked.connect(self.lay)
        self.pages.addWidget(sheets)
        self.pages.addWidget(self.bars)
        columns.addLayout(right, 1)
        layout.addLayout(columns, 1)
        session.changed.connect(self._rest.start)
        self.lay()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Answers that come later find nobody any more."""
        self._number = -1
        super().closeEvent(event)

    def _settings(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.stocks = QComboBox()
        self.stocks.setAccessibleName("what the parts are cut or printed from")
        self.stocks.activated.connect(lambda _: self._choose_stock())
        self.fields: dict[str, QLineEdit] = {}
        for name, words, wide in (
            ("length", "", 62), ("width", "×", 62), ("gap", "mm, parts apart by", 50),
            ("margin", "mm, from the edge by", 50),
        ):  # fmt: skip
            if words:
                row.addWidget(label(words, "quiet"))
            line = KeptLine()
            line.setFixedWidth(wide)
            line.setAlignment(Qt.AlignmentFlag.AlignRight)
            line.setAccessibleName(f"{name} in mm")
            line.editingFinished.connect(self._typed)
            self.fields[name] = line
            row.addWidget(line)
        row.addWidget(label("mm", "quiet"))
        self.grain = button("Keep to the grain", "plain", self._turn_grain, "Turn over end only")
        self.grain.setCheckable(True)
        row.addStretch(1)
        row.addWidget(self.grain)
        return row

    # Asking

    def lay(self) -> None:
        """Lay the parts as the design and the fields have it."""
        self._rest.stop()
        self._number += 1
        number = self._number
        self._say("The parts are being laid …")
        self.asked.bars = self.bars.wanted() if self._is_bars else None
        self.asked.off_cuts = self.off_cuts.sizes()
        # What is found at once is shown at once; a better one may come of it in a while.
        first = self.asked.model_copy(update={"effort": 0.0})
        self._ask(first, lambda answer: self._take_first(answer, number))

    def _take_first(self, answer: Any, number: int) -> None:
        self._take(answer, number)
        stock = self._stock()
        if number != self._number or stock is None or self._is_bars:
            return
        if not stock["trouble"]:
            self._say(f"{self.said.text()} · looking for a better way …")
        self._ask(self.asked, lambda better: self._take(better, number))

    def _take(self, answer: Any, number: int) -> None:
        if number != self._number:
            return  # something was changed meanwhile
        if isinstance(answer, talk.Refused):
            self.bars.refuse(answer.text)
            self.answer = None
            self.drawing.show_stock(None)
            self._say(answer.text, wrong=True)
            return
        if answer.bars is not None:
            self._show_list(answer.parts)
            self.bars.show_told(answer.bars)
            return
        answer = answer.model_copy(update={"stocks": [self._kept(one) for one in answer.stocks]})
        self.answer = answer
        self.bars.know([part["part"] for part in answer.parts if part["made"]])
        now = self.stocks.currentText()
        names = [*(stock["stock"] for stock in answer.stocks), BARS]
        if names != [self.stocks.itemText(k) for k in range(self.stocks.count())]:
            self.stocks.clear()
            self.stocks.addItems(names)
            self.stocks.setCurrentIndex(names.index(now) if now in names else 0)
        self._show_list(answer.parts)
        self._show_stock()
        if answer.files:
            many = len(answer.files)
            folder = Path(answer.files[0]).parent
            self._say(f"{many} file{'s' if many != 1 else ''} written to {folder}.")

    def _say(self, text: str, *, wrong: bool = False) -> None:
        restyle(self.said, wrong=wrong)
        self.said.setText(text)

    def _kept(self, stock: talk.LaidStock) -> talk.LaidStock:
        """What came; or where a part was put by hand to where it cannot lie, what was there before
        with the reason: the part goes back."""
        mine = self.asked.sheets.get(stock["stock"])
        good = self._good.get(stock["stock"])
        if not stock["trouble"]:
            self._good[stock["stock"]] = (stock, list(mine.fixed) if mine is not None else [])
        elif mine is not None and good is not None and mine.fixed != good[1]:
            mine.fixed = list(good[1])
            return {**good[0], "trouble": stock["trouble"]}
        return stock

    def _stock(self) -> talk.LaidStock | None:
        if self.answer is None:
            return None
        name = self.stocks.currentText()
        return next((stock for stock in self.answer.stocks if stock["stock"] == name), None)

    def _mine(self) -> talk.SheetAsked:
        return self.asked.sheets.setdefault(self.stocks.currentText(), talk.SheetAsked())

    # Showing

    @property
    def _is_bars(self) -> bool:
        return self.stocks.currentText() == BARS

    def _choose_stock(self) -> None:
        self._show_stock()
        # While bars were looked at no sheets were laid: what is known of them may be of before.
        if self._is_bars or self.asked.bars is not None:
            self.lay()

    def _show_stock(self) -> None:
        self.pages.setCurrentIndex(1 if self._is_bars else 0)
        stock = self._stock()
        self.off_cuts.show_stock(stock)
        self.drawing.show_stock(stock)
        self.save_files.setEnabled(stock is not None)
        if stock is None:
            self._say("Nothing is made of it: every count comes to 0.")
            return
        for line, value in zip(self.fields.values(), stock["sheet"], strict=True):
            if not line.hasFocus():
                line.setText(plain(value, 2))
        self.grain.setChecked(stock["keeps_grain"])
        if stock["trouble"]:
            self._say(stock["trouble"], wrong=True)
            return
        what = "sheet" if stock["flat"] else "bed"
        count = stock["sheets"]
        parts = len(stock["items"])
        cut = f" · {stock['cut'] / 1000:.4g} m of cuts" if stock["cut"] else ""
        self._say(
            f"{parts} part{'s' if parts != 1 else ''} on {count} {what}"
            f"{'s' if count != 1 else ''} · {100 * stock['used']:.1f} % used{cut}{_takes(stock)}"
        )

    def _show_list(self, parts: list[talk.ListedReport]) -> None:
        if parts == self._listed:
            return
        self._listed = parts
        held = self._let_go_of_count()
        clear(self._list)
        grid_of = QWidget()
        grid = QGridLayout(grid_of)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(1, 1)
        row = 0
        for made, heading in ((True, "MADE"), (False, "BOUGHT")):
            mine = [part for part in parts if part["made"] == made]
            if mine:
                grid.addWidget(label(heading, "group"), row, 0, 1, 3)
                row += 1
            for part in mine:
                grid.addWidget(self._count(part), row, 0, Qt.AlignmentFlag.AlignTop)
                text = QVBoxLayout()
                text.setSpacing(0)
                text.addWidget(label(part["title"], "strong", wrap=True))
                text.addWidget(label(f"{part['size']} · {part['what']}", "small", wrap=True))
                holder = QWidget()
                holder.setLayout(text)
                text.setContentsMargins(0, 0, 0, 0)
                grid.addWidget(holder, row, 1)
                grid.addWidget(self._sums(part), row, 2, Qt.AlignmentFlag.AlignTop)
                row += 1
        self._list.addWidget(grid_of)
        known = [part for part in parts if part["mass"] is not None]
        total = sum((part["mass"] or 0.0) * part["count"] for part in known)
        self._list.addWidget(label(f"In all {total:.4g} g.", "quiet"))
        self._list.addStretch(1)
        if held is not None and (line := self._counts.get(held[0])) is not None:
            line.setText(held[1])
            line.setFocus()
            line.setCursorPosition(held[2])

    def _let_go_of_count(self) -> tuple[str, str, int] | None:
        """The part whose count is being typed, what stands there, and where the cursor is: the
        list is put up anew, and nothing of it may be lost, or taken for all of it."""
        held = None
        for name, line in self._counts.items():
            if isValid(line) and line.hasFocus():
                held = name, line.text(), line.cursorPosition()
                line.blockSignals(True)
        self._counts = {}
        return held

    def _count(self, part: talk.ListedReport) -> QWidget:
        """How many: of what is made a formula that can be typed."""
        if not part["made"]:
            many = label(f"{part['count']}", "strong")
            many.setFixedWidth(48)
            many.setAlignment(Qt.AlignmentFlag.AlignRight)
            return many
        own = next((one for one in self.session.design.parts if one.name == part["part"]), None)
        line = KeptLine(own.count if own is not None else "1")
        line.setFixedWidth(54)
        line.setAlignment(Qt.AlignmentFlag.AlignRight)
        line.setAccessibleName(f"how many of {part['title']}")
        line.editingFinished.connect(lambda: self._set_count(part["part"], line.text().strip()))
        self._counts[part["part"]] = line
        return line

    def _sums(self, part: talk.ListedReport) -> QWidget:
        mass = "" if part["mass"] is None else f"{part['mass'] * part['count']:.4g} g"
        price = part["price"]
        cost = "" if price is None else f"{price * part['count']:.2f} {part['currency']}"
        sums = label("\n".join(text for text in (mass, cost) if text), "quiet")
        sums.setAlignment(Qt.AlignmentFlag.AlignRight)
        return sums

    # Hands

    def _set_count(self, name: str, text: str) -> None:
        own = next((part for part in self.session.design.parts if part.name == name), None)
        if own is None or text == own.count:
            return
        try:
            parse(text)
        except FormulaError as error:
            which = own.title or say_name(name)
            self._say(f"How many of {which}, “{text}”: {error.what} {error.hint}", wrong=True)
            if (line := self._counts.get(name)) is not None:
                line.setText(own.count)
            return
        self.session.edit(
            lambda design: design.model_copy(
                update={
                    "parts": tuple(
                        part.with_(count=text) if part.name == name else part
                        for part in design.parts
                    )
                }
            ),
            f"{text} of {name}",
        )

    def _typed(self) -> None:
        stock = self._stock()
        if stock is None:
            return
        values: list[float] = []
        wrong = ""
        for line, now in zip(self.fields.values(), stock["sheet"], strict=True):
            value = typed_length(line.text())
            least = 1.0 if len(values) < 2 else 0.0
            if value is None or not least <= value < 1e5:
                wrong = f"“{line.text()}” cannot be its {line.accessibleName().split()[0]}: type a "
                wrong += f"length from {plain(least)} mm on, such as 1200, 120 cm or 4 ft."
                value = now
                line.setText(plain(now, 2))
            values.append(value)
        if wrong:
            self._say(wrong, wrong=True)
            return
        if all(abs(a - b) < 1e-9 for a, b in zip(values, stock["sheet"], strict=True)):
            return
        mine = self._mine()
        mine.size = (values[0], values[1])
        mine.gap, mine.margin, mine.fixed = values[2], values[3], []
        self.lay()

    def _turn_grain(self) -> None:
        self._mine().grain = "keep" if self.grain.isChecked() else "any"
        self.lay()

    def _moved(self, item: int, sheet: int, x: float, y: float, turn: float) -> None:
        mine = self._mine()
        mine.fixed = [one for one in mine.fixed if one[0] != item]
        mine.fixed.append((item, sheet, x, y, turn))
        self.lay()

    def _freed(self, item: int) -> None:
        mine = self._mine()
        mine.fixed = [one for one in mine.fixed if one[0] != item]
        self.lay()

    # Files

    def _save_dialog(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Save the sheets into a folder")
        begins = laid_stem(self.session.design.name, 1)
        if folder and may_go_over(self, Path(folder), begins=begins):
            self.save_to(Path(folder))

    def save_to(self, folder: Path) -> None:
        """Write a file for each sheet and bed."""
        self._number += 1
        number = self._number
        asked = self.asked.model_copy(update={"folder": str(folder)})
        self._ask(asked, lambda answer: self._take(answer, number))

    def _save_list(self) -> None:
        name = f"{self.session.design.name} parts"
        path = ask_file(self, "Save the list", name, ("CSV", ".csv"))
        if path is not None:
            self.save_list_to(path)

    def save_list_to(self, path: Path) -> None:
        """Write the list of parts."""
        if self.answer is None:
            return
        rows = [
            ListedPart(
                part["title"], part["count"], part["made"], part["what"], part["size"],
                part["mass"], part["price"], part["currency"],
            )
            for part in self.answer.parts
        ]  # fmt: skip
        try:
            write_whole(path, as_csv(rows).encode("utf8"))
            self._say(f"{path.name} written.")
        except SchabloneError as error:
            self._say(str(error), wrong=True)


def _takes(stock: talk.LaidStock) -> str:
    """How long it takes and what it costs, or what would have to be known for that."""
    known = f" · {stock['takes']}" if stock["takes"] else ""
    missing = f". Not known: {', '.join(stock['missing'])}" if stock["missing"] else ""
    return f"{known}{missing}"
