"""The map beside a range run: two sizes are chosen, their map is painted, its places are looked
at."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from ...core.prove.ranges.told import CauseTold
from ...core.quantity import COUNT, Kind, Quantity
from ...core.words import listed, say_name
from ...prover.talk import MapTold, PlaceTold
from ..prover_client import ProverClient
from ..session import Session
from ..widgets.basics import button, label
from ..widgets.range_map import Axis, Cell, RangeMap


class MapSide(QWidget):
    """``begins``: the prover must have the design in hand now. ``look_wanted`` as that of the
    page."""

    begins = Signal()
    look_wanted = Signal(dict, str, str)

    def __init__(self, session: Session, prover: ProverClient) -> None:
        super().__init__()
        self.setObjectName("page")
        self.session, self.prover = session, prover
        self.spans: dict[str, tuple[float, float, Kind]] = {}
        self._number, self._has_chosen = 0, False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(label("Map of", "strong"))
        self.across, self.up = QComboBox(), QComboBox()
        self.across.setAccessibleName("size across the map")
        self.up.setAccessibleName("size up the map")
        row.addWidget(self.across)
        row.addWidget(label("and", ""))
        row.addWidget(self.up)
        row.addStretch(1)
        self.paint = button("Paint it", "link", self.paint_map, "Build the design all over the map")
        row.addWidget(self.paint)
        layout.addLayout(row)
        for box in (self.across, self.up):
            box.activated.connect(lambda _: self._choose_sizes())
        self.map = RangeMap()
        self.map.chosen.connect(self._look_at_cell)
        layout.addWidget(self.map, 1)
        self.legend = label("", "small", wrap=True)
        layout.addWidget(self.legend)
        self.wait()
        prover.map_begun.connect(self._begun)
        prover.place.connect(self._place)

    def wait(self) -> None:
        """Until it is known which sizes may vary, nothing can be painted over them."""
        self.paint.setEnabled(False)

    def take(self, spans: dict[str, tuple[float, float, Kind]]) -> None:
        """Take up what may vary; a map needs two sizes."""
        self.spans = spans
        names = list(spans)
        for box, first in ((self.across, 0), (self.up, 1)):
            kept = box.currentData()
            box.clear()
            for name in names:
                box.addItem(say_name(name), name)
            at = names.index(kept) if kept in names else min(first, len(names) - 1)
            box.setCurrentIndex(at)
        self.setVisible(len(names) > 1)
        self._other_sizes()

    def _choose_sizes(self) -> None:
        self._has_chosen = True
        self._other_sizes()

    def propose(self, causes: Sequence[CauseTold]) -> None:
        """The sizes with which it breaks, unless somebody has chosen others."""
        pair = next((one["away"] for one in causes if len(one["away"]) > 1), None)
        names = list(dict.fromkeys(pair or [name for one in causes for name in one["away"]]))
        if self._has_chosen or self.map.across.values or not names:
            return
        names += [name for name in self.spans if name not in names]
        for box, name in zip((self.across, self.up), names, strict=False):
            box.setCurrentIndex(box.findData(name))
        self._other_sizes()

    def _other_sizes(self) -> None:
        self._number += 1  # what is still told of the map before is not of this one
        self.map.begin(Axis("", []), Axis("", []), (0.0, 0.0))
        different = self.across.currentData() != self.up.currentData()
        self.paint.setEnabled(different)
        self.legend.setText(
            "Every place of it is a build: where it holds, where it fails, and where counts change."
            if different
            else "Choose two different sizes."
        )

    def paint_map(self) -> None:
        """Build it over the two sizes that are chosen."""
        self.begins.emit()
        if not self.paint.isEnabled():
            return  # something has changed since: what may vary is looked at first
        self._number += 1
        self.prover.map(self.across.currentData(), self.up.currentData(), self._number)
        paused = self.prover.is_paused and self.prover.is_running
        self.legend.setText("Paused: go on, and it is built first." if paused else "Building …")

    def _begun(self, told: MapTold) -> None:
        if told["number"] != self._number:
            return
        axes, now = [], []
        for box, values in zip((self.across, self.up), told["values"], strict=True):
            name = box.currentData()
            kind = self.spans[name][2]
            said = [self.session.say(Quantity(value, kind)) for value in values]
            axes.append(Axis(name, values, said))
            cell = self.session.table.cells.get(name)
            now.append(cell.wanted.value if cell is not None else values[0])
        self.map.begin(axes[0], axes[1], (now[0], now[1]))

    def _place(self, told: PlaceTold) -> None:
        if told["number"] != self._number or not self.map.across.values:
            return
        cell = Cell(told["holds"], told["why"], told["counts"], told["point"], told["stride"])
        self.map.put(told["i"], told["j"], cell)
        whole = len(self.map.across.values) * len(self.map.up.values)
        done = len(self.map.cells)
        fails = sum(one.holds is False for one in self.map.cells.values())
        state = f"{done} of {whole} places built. " if done < whole else ""
        counts = self._what_counts()
        self.legend.setText(
            f"{state}Plain: holds; hatched: fails ({fails}); the cross is the design as it is"
            f"{counts}. Click a place to see the part there."
        )

    def _what_counts(self) -> str:
        counted = [cell.counts for cell in self.map.cells.values() if cell.counts]
        differs = [
            name for name in (counted[0] if counted else ()) if len({c[name] for c in counted}) > 1
        ]
        return f"; numbers: {say_name(differs[0])}" if differs else ""

    def _look_at_cell(self, cell: Cell) -> None:
        assert cell.point is not None
        values = cell.point["values"]
        shown = [
            f"{say_name(axis.name)} {self._said(axis.name, values[axis.name])}"
            for axis in (self.map.across, self.map.up)
        ]
        why = "; ".join(cell.why) if cell.why else "All checks hold."
        self.look_wanted.emit(cell.point, f"With {listed(shown)}", why)

    def _said(self, name: str, value: float) -> str:
        return self.session.say(
            Quantity(value, self.spans[name][2] if name in self.spans else COUNT)
        )
