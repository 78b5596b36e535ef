"""The table of sizes as they are wanted, sent and expected, with what the machine does to each."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from ...core.process.sure import HOLDS_95
from ...core.prove.size_report import SizeLine
from ...core.quantity import LENGTH, plain, say
from ..theme import theme

_COLUMNS = (
    "size",
    "wanted",
    "sent",
    "expected",
    "± machine, mm",
    "± piece, mm",
    "meant to be",
    "verdict",
    "how the machine acts on it",
)


class SizesByLens(QTableWidget):
    """A line for each size."""

    def __init__(self) -> None:
        super().__init__(0, len(_COLUMNS))
        self.setHorizontalHeaderLabels(_COLUMNS)
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setTabKeyNavigation(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setAccessibleName("sizes by lens")
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(8, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(64)
        for column in range(1, 6):
            item = self.horizontalHeaderItem(column)
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        for column in (0, 6, 7, 8):
            self.horizontalHeaderItem(column).setTextAlignment(
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            )

    def show_lines(self, lines: Sequence[SizeLine], *, several: bool) -> None:
        """Show a report; each machine is named where ``several`` are at work."""
        self.setRowCount(len(lines))
        t = theme()
        for number, line in enumerate(lines):
            row = line.row
            made = row.is_made or bool(line.bent)
            if row.process.family == "fold":
                made = made and line.sure.measured
            unit = "°" if line.bent == "angle" else ""
            sure, piece = (
                f"{_sure(HOLDS_95 * one)}{unit}" if made else ""
                for one in (line.sure.mean, line.sure.piece)
            )
            how = f"{row.process.name}: {_how(line)}" if made and several else _how(line)
            texts = [
                row.name,
                say(row.wanted),
                say(row.sent),
                say(row.expected),
                sure,
                piece,
                _meant(line),
                _verdict(line),
                how,
            ]
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if 0 < column < 6:
                    item.setTextAlignment(
                        Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    )
                if column == 2:
                    item.setForeground(QColor(t.slate_text))
                if column == 3:
                    item.setForeground(QColor(t.plum_text))
                if column == 7:
                    item.setForeground(QColor(_ink(line)))
                self.setItem(number, column, item)


def _verdict(line: SizeLine) -> str:
    """The verdict, with how far it is off."""
    if line.verdict == "not made by the machine":
        return ""
    if line.verdict.startswith("as wanted"):
        return line.verdict
    if line.verdict == "holds":
        return "holds"
    if line.verdict == "likely":
        return "likely: not sure enough"
    return f"{line.row.difference:+.3f} mm, {line.verdict}".replace("-", "−", 1)


def _ink(line: SizeLine) -> str:
    """What is not sure stands out; what nobody measured is no good news."""
    t = theme()
    if line.verdict in ("off", "likely"):
        return t.ochre_text
    made = line.row.is_made or line.bent
    return t.sage_text if made and line.sure.measured else t.quiet


def _sure(around: float) -> str:
    """A ±, mm."""
    return plain(around, 3) if around > 5e-5 else "–"


def _meant(line: SizeLine) -> str:
    """The tolerance or the fit of a size."""
    if line.meant is None:
        return ""
    return line.meant.trouble or line.meant.words


def _how(line: SizeLine) -> str:
    """In words: which habit acts on the size, and whether it is corrected."""
    row = line.row
    if line.bent:
        bent = {"leg": "a leg, measured over a bend", "angle": "the angle of a bend"}[line.bent]
        return f"{bent}; its blank is cut for that"
    if row.wanted.kind != LENGTH:
        return "as it is"
    if row.is_made and row.process.family == "fold":
        return "cut into the blank"
    if not row.is_made:
        return "not a measure of this part"
    words = []
    correction = row.measure.correction
    if row.process.family == "print":
        along = "in height" if correction.axes == frozenset({"z"}) else "in x and y"
        words.append(
            f"shrinks {along}" if row.measure.direct else f"part of a distance that shrinks {along}"
        )
        words += {"inside": ["inside, like a hole"], "outside": ["outside"]}.get(
            correction.side, []
        )
        if correction.gains and not correction.side:
            words.append("from one side of the material to the other")
        elif (
            not correction.gains
            and along != "in height"
            and (row.process.peg_gain or row.process.hole_gain)
        ):
            words.append("gains of its ends apart")
    elif row.process.family == "cut":
        side = {
            "inside": "an opening, which a cut widens",
            "outside": "an outside, which a cut narrows",
        }
        words.append(
            side.get(
                correction.side, "as thick as the stock is" if row.measure.thick else "not at a cut"
            )
        )
    if line.leans > 5e-4:
        words.append(
            f"the cut leans, {plain(line.leans, 3)} mm from one side of the sheet to the other"
        )
    if abs(row.difference) > 5e-5:
        words.append("not corrected for that")
    if line.beyond:
        words.append(line.beyond)
    return ", ".join(words)
