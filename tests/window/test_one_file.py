"""One file and many hands: another window or program writes to the file that is open here."""

from __future__ import annotations

from pathlib import Path

import pytest

from schablone.core.design import edit, read_design, save_design
from tests.window.test_shape import settle


@pytest.fixture
def opened(qtbot, window, tmp_path: Path):
    """A window with a design saved to a file of its own, one edit ahead of it."""
    path = tmp_path / "mine.schablone"
    assert window.files.save_to(path)
    window.session.edit(lambda design: edit.set_formula(design, "height", "40 mm"), "height")
    settle(qtbot, window)
    return path


def change(path: Path, height: str) -> None:
    """What another program does."""
    save_design(edit.set_formula(read_design(path), "height", height), path)


def answers(window) -> list[str]:
    return [
        window.strip.answers.itemAt(k).widget().text() for k in range(window.strip.answers.count())
    ]


def click(qtbot, window, words: str) -> None:
    from PySide6.QtCore import Qt

    buttons = [window.strip.answers.itemAt(k).widget() for k in range(window.strip.answers.count())]
    qtbot.mouseClick(next(one for one in buttons if one.text() == words), Qt.MouseButton.LeftButton)


def test_a_change_by_another_is_told_while_one_works(qtbot, window, opened) -> None:
    change(opened, "55 mm")
    qtbot.waitUntil(window.strip.isVisible)
    assert "mine.schablone was changed meanwhile" in window.strip.said.text()
    assert answers(window) == ["Keep mine", "Take theirs", "What differs?", "Save as …"]


def test_the_last_save_does_not_win_without_a_word(qtbot, window, opened) -> None:
    change(opened, "55 mm")
    assert not window.files.save()
    assert read_design(opened).formula_of(read_design(opened).size("height")) == "55 mm"
    click(qtbot, window, "Keep mine")
    assert read_design(opened).formula_of(read_design(opened).size("height")) == "40 mm"
    assert window.session.is_saved
    assert window.files.save()


def test_theirs_is_taken_and_undo_brings_mine_back(qtbot, window, opened) -> None:
    change(opened, "55 mm")
    assert not window.files.save()
    click(qtbot, window, "Take theirs")
    size = window.session.design.size("height")
    assert window.session.design.formula_of(size) == "55 mm"
    assert window.session.is_saved
    window.session.undo()
    assert window.session.design.formula_of(window.session.design.size("height")) == "40 mm"
    assert not window.session.is_saved


def test_a_file_that_is_gone_is_told_and_written_again(qtbot, window, opened) -> None:
    opened.unlink()
    assert not window.files.save()
    assert "not there any more" in window.strip.said.text()
    click(qtbot, window, "Write it again")
    assert opened.exists()


def test_ones_own_saving_is_no_change_by_another(qtbot, window, opened) -> None:
    for height in ("41 mm", "42 mm", "43 mm"):
        window.session.edit(
            lambda design, h=height: edit.set_formula(design, "height", h), "height"
        )
        assert window.files.save()
        qtbot.wait(300)
    qtbot.wait(600)
    assert not window.strip.isVisible()
