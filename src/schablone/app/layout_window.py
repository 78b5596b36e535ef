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
    QHBoxLayout,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ..core.formula.typed import typed_length
from ..core.problem import SchabloneError
from ..core.publish.names import laid_stem
from ..core.publish.parts_list import as_csv
from ..core.quantity import plain
from ..core.whole_files import write_whole
from ..worker import talk
from .bars_page import BarsPage
from .hand_put import HandPut
from .layout_drawing import LayoutDrawing, SheetsAround
from .layout_parts import PartsToMake, rows_of
from .off_cut_bar import OffCutBar
from .saving import ask_file, may_go_over
from .session import Session
from .widgets.basics import button, label, restyle
from .widgets.lines import KeptLine

#: Asks the worker: how it is to be laid, and what takes the answer.
Ask = Callable[[talk.LayingOut, Callable[[Any], None]], None]

#: After so long without a change the parts are laid again, ms.
_REST = 250
#: No sheet is longer, mm.
_LONGEST = 1e5


#: What is chosen to have lengths cut from bars.
BARS = "Lengths cut from bars"


class LayoutWindow(QWidget):
    """Follows every edit of the design. What is typed here is kept as long as it is open."""

    def __init__(self, session: Session, ask: Ask, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.session, self._ask = session, ask
        self._say_whose()
        self.resize(1180, 740)
        self.asked = talk.LayingOut()
        self.answer: talk.LaidOut | None = None
        #: By stock what was laid last without trouble, and what was put by hand in it.
        self._good: dict[str, tuple[talk.LaidStock, list[Any]]] = {}
        #: What was wrong with what a hand did last, by stock, and under "" with what was typed:
        #: answers to earlier questions do not wipe it away.
        self._objected: dict[str, str] = {}
        self._hand_put = HandPut()
        #: The parts list as it is shown; None where there is none.
        self._listed: list[talk.ListedReport] | None = None
        #: Where the sheets are to be written as soon as the design as it is lies on them.
        self._waiting: Path | None = None
        #: Questions are numbered; the last one that was answered.
        self._number = self._answered = 0
        self._rest = QTimer(self, singleShot=True, interval=_REST)
        self._rest.timeout.connect(lambda: self.lay())
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
        self.parts = PartsToMake(session)
        self.parts.objected.connect(self._object)
        columns.addWidget(self.parts)
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
        self.around = SheetsAround(self.drawing)
        page.addWidget(self.around, 1)
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
        session.taken.connect(self._begin_anew)
        session.changed.connect(self._rest.start)
        session.changed.connect(self._say_whose)
        self.lay()

    def _begin_anew(self) -> None:
        """What was typed and put by hand was so for the parts of another design."""
        self.asked, self._good, self._hand_put = talk.LayingOut(), {}, HandPut()
        self._number += 1  # what was asked of that is not wanted any more
        self._waiting = None
        self.bars.begin_anew()

    def _say_whose(self) -> None:
        self.setWindowTitle(f"{self.session.design.name}, to the workshop")

    def closeEvent(self, event: QCloseEvent) -> None:
        """Answers that come later find nobody any more."""
        self._number = -1
        super().closeEvent(event)

    def _settings(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.stocks = QComboBox()
        self.stocks.setAccessibleName("what the parts are cut or printed from")
        self.stocks.setPlaceholderText("Nothing is made")
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

    def lay(self, *, stays: bool = False) -> None:
        """Lay the parts as the design and the fields have it; what lies beside the one that was put
        by hand ``stays`` there, or not."""
        self._rest.stop()
        for one in self.asked.sheets.values():
            one.lying = one.lying if stays else []
        self._number += 1
        number = self._number
        self._objected.clear()
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
        if not stock["trouble"] and not self._objection(stock):
            self._say(f"{self.said.text()} · looking for a better way …")
        self._look_on(number)

    def _look_on(self, number: int) -> None:
        """Look for a better way. What else is asked of the worker comes first; then it begins
        again."""

        def take(answer: Any) -> None:
            if not isinstance(answer, talk.GivenUp):
                self._take(answer, number)
            elif number == self._number:
                self._look_on(number)

        self._ask(self.asked, take)

    def _take(self, answer: Any, number: int) -> None:
        if number != self._number:
            return  # something was changed meanwhile
        self._answered = number
        self._listed = None if isinstance(answer, talk.Refused) else answer.parts
        self.save_list.setEnabled(self._listed is not None)
        if isinstance(answer, talk.Refused):
            self.bars.refuse(answer.text)
            self.answer, self._waiting = None, None
            self.drawing.show_stock(None)
            self._say(answer.text, wrong=True)
            return
        is_new = self.bars.know([part["part"] for part in answer.parts if part["made"]])
        if answer.bars is not None:
            self.parts.show_parts(answer.parts)
            if is_new:
                self.lay()  # of parts that came meanwhile nobody has asked yet
            else:
                self.bars.show_told(answer.bars)
            return
        if moved := self._hand_put.follow(answer.stocks, self.asked.sheets):
            for name in moved:
                self._good.pop(name, None)
            self.lay()
            return
        answer = answer.model_copy(update={"stocks": [self._kept(one) for one in answer.stocks]})
        self.answer = answer
        now = self.stocks.currentText()
        names = [*(stock["stock"] for stock in answer.stocks), BARS]
        if names != [self.stocks.itemText(k) for k in range(self.stocks.count())]:
            self.stocks.clear()
            self.stocks.addItems(names)
            # Without any sheet nothing is chosen: bars are only where a hand has chosen them.
            first = 0 if answer.stocks else -1
            self.stocks.setCurrentIndex(names.index(now) if now in names else first)
        self.parts.show_parts(answer.parts)
        self._show_stock()
        if self._waiting is not None:
            self.save_to(self._waiting)

    def _say(self, text: str, *, wrong: bool = False) -> None:
        restyle(self.said, wrong=wrong)
        self.said.setText(text)

    def _object(self, text: str) -> None:
        self._objected[""] = text
        self._say(text, wrong=True)

    def _objection(self, stock: talk.LaidStock) -> str:
        return self._objected.get(stock["stock"]) or self._objected.get("", "")

    def _kept(self, stock: talk.LaidStock) -> talk.LaidStock:
        """What came; or where a part was put by hand to where it cannot lie, what was there before
        with the reason: the part goes back."""
        mine = self.asked.sheets.get(stock["stock"])
        good = self._good.get(stock["stock"])
        if not stock["trouble"]:
            if mine is not None:  # sheets that became empty are gone
                mine.fixed = [put[:5] for put in stock["puts"] if put[5]]
            self._good[stock["stock"]] = (stock, list(mine.fixed) if mine is not None else [])
        elif mine is not None and good is not None and mine.fixed != good[1]:
            mine.fixed = list(good[1])
            self._objected[stock["stock"]] = stock["trouble"]
            return good[0]
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
        self.grain.setVisible(stock["flat"])  # what is printed has none
        trouble = stock["trouble"] or self._objection(stock)
        if trouble:
            self._say(trouble, wrong=True)
            return
        what = "sheet" if stock["flat"] else "bed"
        count = stock["sheets"]
        parts = len(stock["items"])
        cut = f" · {stock['cut'] / 1000:.4g} m of cuts" if stock["cut"] else ""
        self._say(
            f"{parts} part{'s' if parts != 1 else ''} on {count} {what}"
            f"{'s' if count != 1 else ''} · {100 * stock['used']:.1f} % used{cut}{_takes(stock)}"
        )

    # Hands

    def _typed(self) -> None:
        stock = self._stock()
        if stock is None:
            return
        values: list[float] = []
        wrong = ""
        for line, now in zip(self.fields.values(), stock["sheet"], strict=True):
            value = typed_length(line.text())
            least = 1.0 if len(values) < 2 else 0.0
            if value is None or not least <= value <= _LONGEST:
                wrong = f"“{line.text()}” cannot be its {line.accessibleName().split()[0]}: type a "
                wrong += f"length from {plain(least)} mm to {plain(_LONGEST / 1000)} m, such as "
                wrong += "1200, 120 cm or 4 ft."
                value = now
                line.setText(plain(now, 2))
            values.append(value)
        if wrong:
            self._object(wrong)
            return
        self._objected.pop("", None)
        if all(abs(a - b) < 1e-9 for a, b in zip(values, stock["sheet"], strict=True)):
            self._show_stock()
            return
        mine = self._mine()
        mine.size = (values[0], values[1])
        mine.gap, mine.margin, mine.fixed = values[2], values[3], []
        if (good := self._good.get(stock["stock"])) is not None:
            self._good[stock["stock"]] = (good[0], [])  # no hand is to blame for what comes of it
        self.lay()

    def _turn_grain(self) -> None:
        self._mine().grain = "keep" if self.grain.isChecked() else "any"
        self.lay()

    def _moved(self, item: int, sheet: int, x: float, y: float, turn: float) -> None:
        mine, stock = self._mine(), self._stock()
        mine.fixed = [one for one in mine.fixed if one[0] != item]
        mine.fixed.append((item, sheet, x, y, turn))
        mine.lying = [put[:5] for put in stock["puts"]] if stock is not None else []
        self.lay(stays=True)

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
        """Write a file for each sheet and bed, of the design as it is."""
        if self._rest.isActive():
            self.lay()
        if self._answered != self._number:
            self._waiting = folder
            return
        self._number += 1
        number, self._waiting = self._number, None
        asked = self.asked.model_copy(update={"folder": str(folder)})

        def take(answer: Any) -> None:
            self._take(answer, number)
            if number == self._number and isinstance(answer, talk.LaidOut):
                self._say_written(answer, folder)

        self._ask(asked, take)

    def _say_written(self, answer: talk.LaidOut, folder: Path) -> None:
        """How many files were written, and of which sheets there are none."""
        many = len(answer.files)
        left = [f"{one['stock']}: {one['trouble']}" for one in answer.stocks if one["trouble"]]
        said = f"{many} file{'s' if many != 1 else ''} written to {folder}."
        if left:
            said = f"{said if many else ''} Not written: {' '.join(left)}".strip()
        self._say(said, wrong=bool(left))

    def _save_list(self) -> None:
        name = f"{self.session.design.name} parts"
        path = ask_file(self, "Save the list", name, ("CSV", ".csv"))
        if path is not None:
            self.save_list_to(path)

    def save_list_to(self, path: Path) -> None:
        """Write the list of parts."""
        if self._listed is None:
            return
        rows = rows_of(self._listed)
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
