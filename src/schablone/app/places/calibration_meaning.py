"""The third column of a calibration: what the readings mean."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout

from ...core.process import Process
from ...core.process.calibrate import Calibration
from ...core.process.model import NAMES
from ...core.process.readings import Reading
from ...core.process.telling import told
from ...core.quantity import plain
from ..widgets.basics import button, label, on_hover
from ..widgets.fit_plot import FitPlot


class MeaningColumn(QVBoxLayout):
    """Signals: ``together_chosen`` when pieces of other days are to be taken with this one or no
    longer, ``use_wanted``."""

    together_chosen = Signal()
    use_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setSpacing(8)
        self.addWidget(label("3  What it means", "heading"))
        self.plot = FitPlot()
        self.addWidget(self.plot, 1)
        self.figures = label("", "", wrap=True)
        self.addWidget(self.figures)
        self.told = label("", "small", wrap=True)
        self.addWidget(self.told)
        self.checked = label("", "", wrap=True)
        self.addWidget(self.checked)
        self.together = QCheckBox()
        on_hover(
            self.together, "Pieces of several days show how the machine differs from day to day"
        )
        self.together.clicked.connect(self.together_chosen.emit)
        self.addWidget(self.together)
        row = QHBoxLayout()
        row.addStretch(1)
        self.save = button(
            "Use these figures",
            "main",
            self.use_wanted.emit,
            "Save them as a new state of the process",
        )
        row.addWidget(self.save)
        self.addLayout(row)

    def show_fit(
        self, fit: Calibration | None, process: Process, readings: Sequence[Reading], words: str
    ) -> None:
        """Show what was found, beside the figures that the process has; ``readings`` are all that
        it was found from, ``words`` what they say of the process as it is."""
        self.checked.setText(words)
        self.checked.setVisible(bool(words))
        self.plot.show_fit(fit)
        self.figures.setText("\n".join(say_figures(fit, process)) if fit else "")
        self.told.setText("\n".join(told(fit, readings)) if fit else "")
        self.save.setEnabled(fit is not None)


def say_figures(calibration: Calibration, process: Process) -> list[str]:
    """The figures of a machine as they were found, each with how sure it is and what it was."""
    lines = []
    for name in calibration.names:
        if name in calibration.wide:
            continue
        words, unit = NAMES[name]
        figure = calibration.figures[name]
        before = getattr(process, name, None)
        # a cut that is too narrow is a path that gains
        if name == "kerf" and process.kind == "router":
            words, unit = NAMES["path_gain"]
            figure, before = -figure, process.path_gain
        value = plain(figure, 3).replace("-", "−")
        was = f"  (was {plain(before, 3).replace('-', '−')})" if isinstance(before, float) else ""
        sure = plain(calibration.factor * calibration.uncertainty(name), 3)
        lines.append(f"{words}: {value} ± {sure} {unit}{was}")
    return lines
