"""Process: the machines that are known, with their habits, and the sizes through the three
lenses."""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from ...core.formula.functions import FITS
from ...core.problem import SchabloneError
from ...core.process import Process
from ...core.process.sure import HOLDS_95
from ...core.process.told_apart import say_spacing, spacing, with_spacing
from ...core.prove.size_report import SizeLine, size_report
from ...core.quantity import LENGTH, plain, say
from ...core.words import say_name
from ..session import Session
from ..theme import theme
from ..widgets.basics import button, clear, label, on_hover, restyle, scrolled

#: How high the first line of a card is, pixels.
_HEAD = 28
#: How many parts stand beside each other.
_BESIDE = 4
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


class ProcessPlace(QWidget):
    """Choose the machine, see what it does to every size."""

    calibrate_wanted = Signal(object)
    edit_wanted = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.cards: dict[str, QFrame] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(28, 20, 28, 18)
        layout.setSpacing(12)
        head = QHBoxLayout()
        head.addWidget(label("Process", "page_title"))
        head.addStretch(1)
        head.addWidget(
            button(
                "Add a process file …", "", self.add_file, "Take a process file into your library"
            )
        )
        layout.addLayout(head)
        layout.addWidget(
            label(
                "You type finished sizes. The machine's habits are kept here, and every size "
                "that is sent is corrected for them.",
                "quiet",
                wrap=True,
            )
        )
        inner = QWidget()
        inner.setObjectName("page")
        self._cards = QHBoxLayout(inner)
        self._cards.setContentsMargins(0, 0, 0, 0)
        self._cards.setSpacing(14)
        scroll = self._scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        layout.addWidget(scroll)
        self.trouble = label("", "wrong", wrap=True)
        self.trouble.hide()
        layout.addWidget(self.trouble)
        self.told = label("", "quiet", wrap=True)
        self.told.hide()
        layout.addWidget(self.told)
        rows = QWidget()
        rows.setObjectName("page")
        self._parts = QGridLayout(rows)
        self._parts.setContentsMargins(0, 0, 8, 0)
        self._parts.setHorizontalSpacing(8)
        self.parts = scrolled(rows, sideways=True)
        layout.addWidget(self.parts)
        self.table_title = label("", "heading")
        layout.addWidget(self.table_title)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels(_COLUMNS)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setTabKeyNavigation(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setAccessibleName("sizes by lens")
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(8, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(64)
        for column in range(1, 6):
            item = self.table.horizontalHeaderItem(column)
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        for column in (0, 6, 7, 8):
            self.table.horizontalHeaderItem(column).setTextAlignment(
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            )
        layout.addWidget(self.table, 1)
        session.changed.connect(self.refresh)
        session.read_off.connect(self.refresh)

    def _show_in_use(self) -> None:
        """Scroll to the machine that the design is made by."""
        if (card := self.cards.get(self.session.process.name)) is not None:
            self._scroll.ensureWidgetVisible(card, 20, 0)

    def refresh(self) -> None:
        if not self.isVisible():
            return
        clear(self._cards)
        self.cards = {}
        for process in self.session.library.processes():
            card = self._card(process)
            self.cards[process.name] = card
            self._cards.addWidget(card)
        self._cards.addStretch(1)
        # As high as the card of the machine of which most is known.
        tallest = max((card.sizeHint().height() for card in self.cards.values()), default=0)
        bar = self._scroll.horizontalScrollBar().sizeHint().height()
        self._scroll.setFixedHeight(tallest + bar + 4)
        QTimer.singleShot(0, self._show_in_use)
        self._show_parts()
        self._fill_table()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.told.hide()  # what it told was of what was done before
        self.refresh()

    def _show_parts(self) -> None:
        """By which machine each part is made, where there are several parts."""
        parts = self.session.design.parts if len(self.session.design.parts) > 1 else ()
        self.parts.setVisible(bool(parts))
        self.parts.setFixedHeight(40 * min(2, -(-len(parts) // _BESIDE)) + 4)
        clear(self._parts)
        self.machine_of: dict[str, QComboBox] = {}
        for number, part in enumerate(parts):
            title = part.title or say_name(part.name)
            box = self.machine_of[part.name] = QComboBox()
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            box.setAccessibleName(f"machine that makes {title}")
            box.addItem("as the design", "")
            for process in self.session.library.processes():
                box.addItem(process.name, process.name)
            if part.process and box.findData(part.process) < 0:
                box.addItem(f"{part.process}, not known here", part.process)
            box.setCurrentIndex(max(0, box.findData(part.process)))
            box.activated.connect(
                lambda _, box=box, name=part.name: self.session.make_part_by(
                    name, str(box.currentData())
                )
            )
            row, column = divmod(number, _BESIDE)
            self._parts.addWidget(label(f"{title} by", "quiet"), row, 2 * column)
            self._parts.addWidget(box, row, 2 * column + 1)
            self._parts.setColumnStretch(2 * column + 1, 1)

    def _card(self, process: Process) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        card.setFixedWidth(352)
        in_use = process in self.session.machines_at_work()
        restyle(card, chosen=in_use)
        layout = QVBoxLayout(card)
        layout.setContentsMargins(16, 12, 16, 12)
        layout.setSpacing(8)
        head = QHBoxLayout()
        head.addStrut(_HEAD)
        head.addWidget(label(process.name, "heading"))
        head.addStretch(1)
        mine = [part for part, (machine, _) in self.session.machines.items() if machine is process]
        if in_use:
            head.addWidget(
                label(f"makes {say_name(', '.join(mine))}" if mine else "in use", "good")
            )
        else:
            head.addWidget(
                button(
                    "Use",
                    "link",
                    lambda: self.session.use_process(process),
                    f"Make this design for {process.name}",
                )
            )
        layout.addLayout(head)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(4)
        for row, (words, figure) in enumerate(card_lines(process)):
            grid.addWidget(label(words, "quiet"), row, 0)
            grid.addWidget(label(figure), row, 1)
        grid.setColumnStretch(1, 1)
        if spacing(process):
            grid.addWidget(
                button("Space its fits", "link", lambda: self.space_fits(process),
                       say_spacing(process)),
                grid.rowCount(), 1, Qt.AlignmentFlag.AlignLeft,
            )  # fmt: skip
        layout.addLayout(grid)
        layout.addStretch(1)
        foot = QHBoxLayout()
        foot.addWidget(label(how_well(process), "small"))
        foot.addStretch(1)
        foot.addWidget(
            button(
                "Edit",
                "link",
                lambda: self.edit_wanted.emit(process),
                f"Change the figures of {process.name}",
            )
        )
        foot.addWidget(
            button(
                "Calibrate",
                "link",
                lambda: self.calibrate_wanted.emit(process),
                f"Measure what {process.name} does",
            )
        )
        layout.addLayout(foot)
        on_hover(card, process.note)
        card.setAccessibleName(process.name + (", in use" if in_use else ""))
        return card

    def space_fits(self, process: Process) -> None:
        """Move fits apart that the machine cannot tell from each other; the state before stays."""
        words = say_spacing(process)
        made = with_spacing(process, datetime.date.today().isoformat())
        try:
            self.session.library.keep_process(made)
            self.session.process_changed()
            self.refresh()
            self.told.setText(f"{words} Calibrate → Compare, or go back … has the fits before.")
        except SchabloneError as error:
            self.told.setText(str(error))
        self.told.show()

    def _fill_table(self) -> None:
        session = self.session
        lines = size_report(
            session.design, session.measures, session.process, session.table, session.machines
        )
        self.table_title.setText(
            f"Sizes on {' and '.join(p.name for p in self.session.machines_at_work())}"
        )
        self.table.setRowCount(len(lines))
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
            how = (
                f"{row.process.name}: {_how(line)}" if made and self.session.others else _how(line)
            )
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
                self.table.setItem(number, column, item)

    def add_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Add a process file", "", "Process (*.json)")
        if path:
            self.take_file(Path(path))

    def take_file(self, path: Path) -> None:
        """Take a process file into the library and use it, or say what is wrong with it."""
        try:
            process = self.session.library.add_process(path)
        except SchabloneError as error:
            self.trouble.setText("\n".join(str(problem) for problem in error.problems))
            self.trouble.show()
            return
        self.trouble.hide()
        self.session.use_process(process)
        self.refresh()


def card_lines(process: Process) -> list[tuple[str, str]]:
    """The figures of a process that matter most, in words, by its kind."""
    fits = [
        ", ".join(f"{fit} {_minus(process.clearance(fit))}" for fit in two)
        for two in (FITS[:2], FITS[2:])
    ]
    lines: list[tuple[str, str]] = []
    if process.family == "print":
        lines += [
            (
                "Shrinks",
                f"{plain(process.shrinkage_xy, 2)} % in x and y, "
                f"{plain(process.shrinkage_z, 2)} % in z",
            ),
            ("Holes come out", _round(process.hole_gain, process.hole_small)),
            ("Outsides come out", _round(process.peg_gain, process.peg_small)),
        ]
        if process.height_gain:
            lines.append(("Heights come out", _signed(process.height_gain)))
        if process.first_layer:
            lines.append(("First layer", f"{plain(process.first_layer, 2)} mm wider all around"))
        if process.length_gain is not None and process.length_gain != process.peg_gain:
            lines[2:] = [
                ("Pegs come out", lines[2][1]),
                ("Outsides come out", _signed(process.length_gain)),
                *lines[3:],
            ]
        if process.opening_gain is not None and process.opening_gain != process.hole_gain:
            lines.insert(2, ("Openings come out", _signed(process.opening_gain)))
    elif process.kind == "router":
        lines += [
            (
                "Cutter",
                f"ø {plain(process.cutter)} mm, "
                f"{process.say_reliefs() or 'inner corners left round'}",
            ),
            ("Cuts free", _signed(process.path_gain)),
        ]
    elif process.kind == "folding":
        lines += [
            (
                f"{b.material} {plain(b.thickness)}",
                f"radius {plain(b.radius, 2)}, off {plain(b.deduction, 2)} mm, back "
                f"{plain(b.springs_back, 1)}°",
            )
            for b in [bend for bend in process.bends if bend.angle == 90][:4]
        ]
    else:
        lines += [
            (f"{k.material or 'any material'} {plain(k.thickness)}", f"kerf {plain(k.kerf)} mm")
            for k in process.kerfs[:3]
        ]
    if process.stock:
        lines.append(
            (
                "Stock",
                ", ".join(f"{s.name} is {plain(s.measured)}" for s in process.stock[:2]) + " mm",
            )
        )
    lines += [
        ("Gap for a fit", f"{fits[0]},"),
        ("", f"{fits[1]} mm"),
        ("Bed", " × ".join(plain(length, 0) for length in process.bed) + " mm"),
    ]
    return lines


def how_well(process: Process) -> str:
    """How well its figures are known, in words."""
    bent = [bend.known for bend in process.bends if bend.known is not None]
    if bent:
        last = max(known.date for known in bent)
        return f"calibrated {last}, {sum(known.strips for known in bent)} strips"
    calibrated = [known for known in process.known.values() if known.source == "calibrated"]
    if calibrated:
        newest = max(calibrated, key=lambda known: known.date)
        return f"calibrated {newest.date}, {newest.readings} readings"
    return "from a data sheet" if process.known else "figures as typed, not measured"


def _minus(number: float) -> str:
    return plain(number).replace("-", "−")


def _signed(gain: float) -> str:
    if gain == 0:
        return "true to size"
    return f"{plain(abs(gain), 2)} mm {'larger' if gain > 0 else 'smaller'}"


def _round(gain: float, small: float) -> str:
    """What round walls gain, and what small ones do."""
    words = _signed(gain)
    if not small:
        return words
    at_four = round(gain + small / 4, 2)
    if not at_four:
        return f"{words}, true at ø 4"
    way = "" if gain * at_four > 0 else " larger" if at_four > 0 else " smaller"
    return f"{words}, {plain(abs(at_four), 2)}{way} at ø 4"


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
