"""The one line that a card says of a step."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt

from schablone.app.places.step_brief import BriefLine, Run

RUNS = (Run("bevel the edges of the bottom of plate by"), Run("1 mm", "by"), Run("evenly"))


@pytest.mark.parametrize("width", [120, 200, 260, 400])
def test_words_are_cut_short_before_a_formula_is(qtbot, width: int) -> None:
    line = BriefLine(RUNS)
    qtbot.addWidget(line)
    line.resize(width, line.sizeHint().height())
    line.show()
    line.grab()
    wanted = []
    line.edit_wanted.connect(wanted.append)
    for x in range(0, width, 4):
        qtbot.mouseClick(line, Qt.MouseButton.LeftButton, pos=QPoint(x, 9))
    assert set(wanted) == {"by"}
    assert len(wanted) >= 5  # wide enough to be read
