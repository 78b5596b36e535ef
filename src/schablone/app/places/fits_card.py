"""Fits found by feel: which slot of the comb the tab presses into, holds in, slides in and is loose
in."""

from __future__ import annotations

import datetime
from collections.abc import Mapping

from pydantic import ValidationError
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from ...core.design import Design
from ...core.design.evaluate import table_of
from ...core.formula.habits import FITS
from ...core.process import Process
from ...core.process.taking_over import calibrated_fits
from ...core.quantity import plain
from ..readings_left import ReadingsLeft, texts_of
from ..theme import theme
from ..widgets.basics import button, label

#: The test piece that is tried by hand.
COMB = "slot-and-tab-comb"
#: What each class of fit feels like.
_FEELS = {
    "press": "it goes in by hammer or vice, and stays",
    "push": "it goes in by hand, and stays",
    "sliding": "it moves by hand, without play",
    "loose": "it falls in, with play",
}
SLOTS = 8


def gaps_of(comb: Design, process: Process) -> tuple[list[float], float]:
    """The gap of each slot of the comb, mm: how much wider it finishes than the tab; and how wide
    that is, mm."""
    cells = table_of(comb, process).cells
    first, more = cells["first"].wanted.value, cells["more"].wanted.value
    return [round(first + number * more, 6) for number in range(SLOTS)], cells["tab"].wanted.value


class FitsCard(QWidget):
    """Takes the place of readings and plot while the test piece is the comb. ``made`` gives the
    process with its new gaps; ``left`` keeps what was chosen until then."""

    made = Signal(object)

    def __init__(self, left: ReadingsLeft) -> None:
        super().__init__()
        self.left = left
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addWidget(label("2  Try the tab in each slot", "heading"))
        column.addWidget(
            label(
                "The shallowest slot is the first and the narrowest; each is a little wider "
                "than the one before. "
                "Choose the slot in which the tab feels as it should.",
                "quiet",
                wrap=True,
            )
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(10)
        self.slots: dict[str, QComboBox] = {}
        self.now: dict[str, QLabel] = {}
        for row, fit in enumerate(FITS):
            grid.addWidget(label(fit, "strong"), row, 0)
            grid.addWidget(label(_FEELS[fit], "quiet"), row, 1)
            box = self.slots[fit] = QComboBox()
            box.setMinimumWidth(190)
            box.setAccessibleName(f"slot of a {fit} fit")
            box.currentIndexChanged.connect(self._choose)
            grid.addWidget(box, row, 2)
            self.now[fit] = label("", "quiet")
            grid.addWidget(self.now[fit], row, 3)
        grid.setColumnStretch(3, 1)
        column.addLayout(grid)
        self.said = label("", "", wrap=True)
        self.wrong = label("", "wrong", wrap=True)
        column.addWidget(self.said)
        column.addWidget(self.wrong)
        self.save = button(
            "Use these gaps", "main", self.take_over, "Save them as a new state of the process"
        )
        column.addWidget(self.save, 0, Qt.AlignmentFlag.AlignLeft)
        self.picture = CombPicture()
        column.addWidget(self.picture, 1)

    def begin(self, process: Process, comb: Design) -> None:
        """Show the slots of a comb, and which of them were chosen and not taken over: by their
        gaps, for with other figures of the machine other slots are printed."""
        self.process, (self.gaps, self.tab) = process, gaps_of(comb, process)
        before = texts_of(self.left.of(process.name, COMB), "gaps")
        for fit, box in self.slots.items():
            box.blockSignals(True)
            box.clear()
            box.addItem("not tried", None)
            for number, gap in enumerate(self.gaps, 1):
                box.addItem(f"slot {number}: gap {_signed(gap)} mm", gap)
                if before.get(fit) == [str(gap)]:
                    box.setCurrentIndex(number)
            box.blockSignals(False)
            self.now[fit].setText(f"now {_signed(process.clearance(fit, self.tab))} mm")
        self.wrong.setText("")
        self._say()

    def chosen(self) -> dict[str, float]:
        """The gap of every fit for which a slot is chosen, mm."""
        return {
            fit: box.currentData()
            for fit, box in self.slots.items()
            if box.currentData() is not None
        }

    def _choose(self) -> None:
        chosen = {fit: [str(gap)] for fit, gap in self.chosen().items()}
        self.left.keep(self.process.name, COMB, {"gaps": chosen} if chosen else {})
        self._say()

    def _say(self) -> None:
        chosen = self.chosen()
        self.picture.show_chosen(
            {fit: box.currentIndex() for fit, box in self.slots.items() if box.currentIndex() > 0}
        )
        self.save.setEnabled(bool(chosen))
        missing = [fit for fit in FITS if fit not in chosen]
        kept = f" Gaps of {', '.join(missing)} stay as they are." if chosen and missing else ""
        grow = bool(self.process.fits.reference)
        held = f" They hold at {plain(self.tab)} mm and grow with the size." if grow else ""
        self.said.setText(f"{len(chosen)} of {len(FITS)} chosen.{kept}{held}")

    def take_over(self) -> None:
        try:
            today = datetime.date.today().isoformat()
            made = calibrated_fits(self.process, self.chosen(), today, self.tab)
        except ValidationError:
            self.wrong.setText(
                "From press over push and sliding to loose the slots must get wider; look at "
                "those that stay as they are, too."
            )
            return
        self.wrong.setText("")
        self.made.emit(made)

    def forget(self) -> None:
        """What was chosen has been taken over."""
        for box in self.slots.values():
            box.setCurrentIndex(0)


class CombPicture(QWidget):
    """The comb from above with its slots numbered, and over each the fits for which it was
    chosen."""

    def __init__(self) -> None:
        super().__init__()
        self.chosen: Mapping[str, int] = {}
        self.setMinimumHeight(150)
        self.setAccessibleName("the comb with its slots")

    def show_chosen(self, chosen: Mapping[str, int]) -> None:
        self.chosen = chosen
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, t = QPainter(self), theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide = min(self.width() - 8.0, 640.0)
        high = min(self.height() - 48.0, wide * 0.26)
        pitch, top = wide / (SLOTS + 0.45), 38.0
        path = QPainterPath(QPointF(4, top + high))
        path.lineTo(4, top)
        for number in range(SLOTS):
            left = 4 + pitch * (number + 0.45)
            depth = high * (0.25 + 0.06 * number)
            for x, y in (
                (left, 0),
                (left, depth),
                (left + pitch * 0.55, depth),
                (left + pitch * 0.55, 0),
            ):
                path.lineTo(x, top + y)
        path.lineTo(4 + wide, top)
        path.lineTo(4 + wide, top + high)
        path.closeSubpath()
        painter.fillPath(path, QColor(t.kraft))
        painter.setPen(QPen(QColor(t.ink), 1.4))
        painter.drawPath(path)
        for number in range(SLOTS):
            left = 4 + pitch * (number + 0.45)
            words = " ".join(fit for fit, slot in self.chosen.items() if slot == number + 1)
            painter.setPen(QColor(t.ink))
            painter.drawText(
                QRectF(left, top + high - 26, pitch * 0.55, 20),
                Qt.AlignmentFlag.AlignCenter,
                str(number + 1),
            )
            if words:
                painter.setPen(QColor(t.madder))
                spot = QRectF(left - pitch * 0.45, 0, pitch * 1.45, top - 6)
                painter.drawText(
                    spot,
                    Qt.AlignmentFlag.AlignHCenter
                    | Qt.AlignmentFlag.AlignBottom
                    | Qt.TextFlag.TextWordWrap,
                    words,
                )


def _signed(gap: float) -> str:
    return plain(gap, 3).replace("-", "−")
