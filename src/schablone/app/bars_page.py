"""Lengths cut from bars: which parts, from which bars, and how each bar is cut."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from ..core.formula.typed import typed_length, typed_number
from ..core.problem import SchabloneError
from ..core.quantity import plain
from ..core.whole_files import write_whole
from ..worker import talk
from .saving import ask_file
from .theme import mono, theme
from .widgets.basics import button, clear, label, restyle, scrolled
from .widgets.lines import KeptLine

#: How high a bar is drawn, and how far the next is below it, pixels.
_BAR, _NEXT = 34, 52
_DECIMAL = re.compile(r"(?<=\d),(?=\d{1,2}(?!\d))")


class BarsPage(QWidget):
    """``asked`` says that something was typed or chosen: ask again with :meth:`wanted`."""

    asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.told: talk.BarsTold | None = None
        self._out: set[str] = set()
        self._listed: list[str] = []
        self._good: dict[str, str] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.fields: dict[str, QLineEdit] = {}
        for name, words, text, wide in (
            ("bars", "Bars of", "2400", 150), ("kerf", "mm, the saw cuts", "3", 50),
            ("allowance", "mm wide, left for finishing", "0", 50),
        ):  # fmt: skip
            row.addWidget(label(words, "quiet"))
            line = KeptLine(text)
            line.setFixedWidth(wide)
            line.setAlignment(Qt.AlignmentFlag.AlignRight)
            line.setAccessibleName(
                {"bars": "lengths of bars", "kerf": "width of the saw's cut in mm",
                 "allowance": "left for finishing in mm"}[name]
            )  # fmt: skip
            line.editingFinished.connect(self._typed)
            self.fields[name] = line
            self._good[name] = text
            row.addWidget(line)
        row.addWidget(label("mm", "quiet"))
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(
            label(
                "Several lengths with a comma between; a price after a colon, such as 2400:7.50, "
                "3000:9.",
                "small",
            )
        )
        self._parts = QVBoxLayout()
        self._parts.setSpacing(2)
        column.addLayout(self._parts)
        self.drawing = BarsDrawing()
        column.addWidget(scrolled(self.drawing, sideways=True), 1)
        foot = QHBoxLayout()
        self.said = label("", "", wrap=True)
        foot.addWidget(self.said, 1)
        self.save = button("Save the cut list …", "plain", self._save, "As CSV")
        foot.addWidget(self.save)
        column.addLayout(foot)

    def wanted(self) -> talk.BarsAsked:
        """What is asked as it was last taken over: who is still typing has not asked yet."""
        return self._read(self._good)

    def _read(self, texts: Mapping[str, str]) -> talk.BarsAsked:
        """What is asked as the fields would have it; raises ValueError where a text is none."""
        # A comma right before the last one or two figures is a decimal comma: 7,50.
        typed = _DECIMAL.sub(".", texts["bars"])
        bars = []
        for text in typed.replace(";", ",").split(","):
            length, _, price = text.partition(":")
            worth = _known(typed_number(price)) if price.strip() else 1.0
            bars.append((_known(typed_length(length)), worth))
        parts = [name for name in self._listed if name not in self._out]
        return talk.BarsAsked(
            bars=bars,
            kerf=_known(typed_length(texts["kerf"])),
            allowance=_known(typed_length(texts["allowance"])),
            parts=parts,
        )

    def _typed(self) -> None:
        texts = {name: line.text() for name, line in self.fields.items()}
        try:
            asked = self._read(texts)
            good = all(0 < length < 1e5 and 0 < price < 1e6 for length, price in asked.bars)
            good = good and 0 <= asked.kerf < 100 and 0 <= asked.allowance < 1000
        except ValueError:
            good = False
        if not good:
            for name, line in self.fields.items():
                line.setText(self._good[name])
            self._say(
                "Lengths are above zero, in mm or with their unit, with a comma between, such as "
                "2400, 8 ft.",
                wrong=True,
            )
        elif texts != self._good:
            self._good = texts
            self.asked.emit()

    def begin_anew(self) -> None:
        """Another design: none of its parts was left out."""
        self._out, self._listed = set(), []

    def know(self, parts: list[str]) -> bool:
        """The names of the parts that could be cut from bars; whether they are others than
        before."""
        before, self._listed = self._listed, parts
        return parts != before

    def show_told(self, told: talk.BarsTold) -> None:
        """Show how bars are cut."""
        self.told = told
        clear(self._parts)
        for name, title, length, count in told["lengths"]:
            box = QCheckBox(f"{count} × {title}, {plain(length, 2)} mm")
            box.setChecked(name not in self._out)
            box.toggled.connect(lambda on, name=name: self._choose(name, on=on))
            self._parts.addWidget(box, 0, Qt.AlignmentFlag.AlignLeft)
        self.drawing.show_told(told)
        self.save.setEnabled(bool(told["cuts"]))
        restyle(self.said, wrong=bool(told["trouble"]))
        self.said.setText(told["trouble"] or _summed(told))

    def refuse(self, why: str) -> None:
        """The design cannot be built: no bars are shown, and why."""
        self.told = None
        self.drawing.show_told(None)
        self.save.setEnabled(False)
        restyle(self.said, wrong=True)
        self.said.setText(why)

    def _choose(self, name: str, *, on: bool) -> None:
        self._out = self._out - {name} if on else self._out | {name}
        self.asked.emit()

    def _save(self) -> None:
        path = ask_file(self, "Save the cut list", "bars", ("CSV", ".csv"))
        if path is not None:
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write the list of cuts."""
        if self.told is None:
            return
        from ..core.together import cut_list  # what lays parts takes long to load

        try:
            write_whole(path, cut_list(self.told["cuts"]).encode("utf8"))
            self._say(f"{path.name} written.")
        except SchabloneError as error:
            self._say(str(error), wrong=True)

    def _say(self, text: str, *, wrong: bool = False) -> None:
        restyle(self.said, wrong=wrong)
        self.said.setText(text)


def _summed(told: talk.BarsTold) -> str:
    if not told["cuts"]:
        return "Choose at least one part that is cut from bars."
    bars = told["bars"]
    best = "the fewest or cheapest there can be" if told["optimal"] else "perhaps not the fewest"
    return f"{bars} bar{'s' if bars != 1 else ''}, {100 * told['used']:.1f} % used, {best}."


class BarsDrawing(QWidget):
    """One row for each way that a bar is cut: how often, its pieces, and what is left over."""

    def __init__(self) -> None:
        super().__init__()
        self.told: talk.BarsTold | None = None
        self.setAccessibleName("how each bar is cut")
        self.setMinimumSize(300, 120)

    def sizeHint(self) -> QSize:
        rows = len(self.told["cuts"]) if self.told is not None else 0
        return QSize(560, 24 + _NEXT * max(rows, 2))

    def show_told(self, told: talk.BarsTold | None) -> None:
        self.told = told
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.view))
        if self.told is None or not self.told["cuts"]:
            return
        painter.setFont(mono(11))
        metrics = painter.fontMetrics()
        left = 58.0
        longest = max(length for length, *_ in self.told["cuts"])
        scale = (self.width() - left - 16) / longest
        for row, (length, times, pieces, rest) in enumerate(self.told["cuts"]):
            top = 14.0 + row * _NEXT
            painter.setPen(QColor(t.ink))
            painter.drawText(QPointF(14, top + _BAR / 2 + metrics.ascent() / 2 - 1), f"{times} ×")
            painter.setPen(QPen(QColor(t.rule), 1.2))
            painter.setBrush(QColor(t.surface))
            painter.drawRect(QRectF(left, top, length * scale, _BAR))
            at = left
            spare = (length - rest - sum(long for _, long in pieces)) / max(len(pieces), 1)
            for name, long in pieces:
                box = QRectF(at, top, long * scale, _BAR)
                painter.setPen(QPen(QColor(t.ink), 1.1))
                painter.setBrush(QColor(t.kraft))
                painter.drawRect(box)
                said = metrics.elidedText(
                    f"{name} {plain(long, 1)}", Qt.TextElideMode.ElideRight, int(box.width() - 6)
                )
                painter.setPen(QColor("#1F2A37"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, said)
                at += (long + spare) * scale
            over = QRectF(at, top, left + length * scale - at, _BAR)
            if over.width() > 46:
                painter.setPen(QColor(t.quiet))
                painter.drawText(over, Qt.AlignmentFlag.AlignCenter, f"{plain(rest, 1)} left")


def _known(value: float | None) -> float:
    if value is None:
        raise ValueError
    return value
