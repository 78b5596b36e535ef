"""Opening, saving, dropping, recovering, exporting, publishing, adjusting: through the real
windows."""

import io
import os
import subprocess
import sys
from pathlib import Path

import pytest
import trimesh
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication, QLabel, QMenu, QProgressDialog, QPushButton

from schablone.app.journal import Journal, left_behind
from schablone.app.library import Library
from schablone.app.places import step_deeds
from schablone.core.design import edit, read_design
from schablone.core.editions import make_edition
from schablone.core.process import shipped_processes
from schablone.core.process.store import write_process
from tests.conftest import SLIDE
from tests.window.hands import Hands


def settle(qtbot, window) -> None:
    qtbot.waitUntil(window.is_settled)


def width(window, text: str) -> None:
    window.session.edit(lambda design: edit.set_formula(design, "width", text), f"width = {text}")


def drop(window, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    buttons = (
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    enter = QDragEnterEvent(QPoint(400, 300), *buttons)
    QApplication.sendEvent(window, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(window, QDropEvent(QPointF(400, 300), *buttons))


def test_saving_and_opening_again(qtbot, window, tmp_path: Path) -> None:
    width(window, "288 mm")
    assert window.windowTitle().startswith("*")
    path = tmp_path / "mine.schablone"
    assert window.files.save_to(path)
    assert not window.windowTitle().startswith("*")
    assert "saved · mine.schablone" in window.header.saved.whole()
    assert read_design(path).size("width").formula == "288 mm"
    assert read_design(SLIDE).size("width").formula == "372 mm"  # the demo was opened as a copy
    assert window.session.library.recent()[0] == path
    menu = QMenu()
    window.files.fill_recent(menu)
    assert menu.actions()[0].text().startswith("mine")


def test_a_file_with_the_same_part_and_the_same_file_again(qtbot, window, tmp_path: Path) -> None:
    other = tmp_path / "other.schablone"
    other.write_text(
        SLIDE.read_text("utf8").replace("Thickness of the plate.", "Another note."), "utf8"
    )
    for _ in range(2):
        assert window.files.open_path(other)
        settle(qtbot, window)
        assert list(window.part.known) == ["slide"]
    shown = window.shape.view.parts
    window.session.edit(lambda design: edit.change_step(design, "dowel_bore", "y", "height"), "y")
    settle(qtbot, window)
    assert window.shape.view.grey
    assert window.shape.view.parts == shown


def test_a_file_that_cannot_be_read_or_written_is_told_and_nothing_is_lost(
    qtbot, window, tmp_path: Path
) -> None:
    broken = tmp_path / "broken.schablone"
    broken.write_bytes(SLIDE.read_bytes()[:700])
    before = window.session.design
    assert not window.files.open_path(broken)
    assert "broken.schablone is" in window.strip.said.text()
    assert window.session.design is before
    width(window, "288 mm")
    assert not window.files.save_to(tmp_path / "none" / "x.schablone")
    assert "Not saved" in window.strip.said.text()
    answers = window.strip.findChildren(QPushButton)
    assert "Save as …" in [answer.text() for answer in answers]
    assert not window.session.is_saved


def test_files_are_dropped_on_the_window(qtbot, window, tmp_path: Path) -> None:
    other = tmp_path / "other.schablone"
    other.write_text(SLIDE.read_text("utf8").replace("372 mm", "222 mm"), "utf8")
    drop(window, other)
    assert window.strip.said.text() == ""
    settle(qtbot, window)
    assert window.session.design.size("width").formula == "222 mm"
    process = tmp_path / "mine.json"
    process.write_text(
        write_process(shipped_processes()[0].with_(name="Printer Mine", hole_gain=-0.3)), "utf8"
    )
    drop(window, process)
    assert window.session.process.name == "Printer Mine"
    assert window.session.design.process == "Printer Mine"
    faulty = tmp_path / "faulty.json"
    faulty.write_text("{}")
    drop(window, faulty)
    assert "missing" in window.process.trouble.text()


def test_unsaved_work_is_offered_after_a_crash(qtbot, application, tmp_path: Path) -> None:
    """A process of its own edits and is killed without a chance to say goodbye."""
    code = f"""
import os, signal
from pathlib import Path
from schablone.app.journal import Journal
from schablone.app.library import Library
from schablone.app.session import Session
from schablone.core.design import edit
folder = Path({str(tmp_path)!r})
session = Session(Library(folder / "c", folder / "d"), Journal(folder / "unsaved"))
session.open(Path({str(SLIDE)!r}))
session.edit(lambda design: edit.set_formula(design, "width", "123 mm"), "width")
os.kill(os.getpid(), signal.SIGKILL)
"""
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == -9
    window = application.open_design_window(None)
    window.show()
    window.files.offer_left_behind()
    assert "“Entrance slide” was not saved" in window.strip.said.text()
    take_up = window.strip.answers.itemAt(0).widget()
    qtbot.mouseClick(take_up, Qt.MouseButton.LeftButton)
    assert window.session.design.size("width").formula == "123 mm"
    assert window.session.path == SLIDE
    assert not window.session.is_saved
    assert not window.strip.isVisible()


def test_living_windows_and_broken_journals_are_left_alone(tmp_path: Path, slide) -> None:
    living = Journal(tmp_path)
    living.write(slide, None)
    assert left_behind(tmp_path) == ([], [])
    (tmp_path / "1-1.json").write_text("{ broken")
    assert left_behind(tmp_path) == ([], [tmp_path / "1-1.damaged"])
    assert left_behind(tmp_path) == ([], [])  # set aside, and not asked about again
    living._lock.close()  # as when the process ends
    ((left,), _) = left_behind(tmp_path)
    assert left.design == slide
    left.discard()
    assert left_behind(tmp_path) == ([], [])
    closed = Journal(tmp_path)
    closed.write(slide, None)
    closed.close()
    assert left_behind(tmp_path) == ([], [])
    first, second = Journal(tmp_path), Journal(tmp_path)
    first.write(slide, None)
    first.clear()  # saved: its window is still open, with nothing in its journal
    second.write(slide, None)
    assert second.trouble == ""
    nowhere = Journal(Path("/proc/nowhere"))
    nowhere.write(slide, None)
    assert "cannot be kept safe" in nowhere.trouble


def test_a_new_design_from_nothing_to_a_part(qtbot, window) -> None:
    window.files.new()
    settle(qtbot, window)
    assert window.foot.figures.text() == "no part yet"
    assert window.session.process.name == "Printer Amsel · PETG"
    window.shape.steps.add_step("sketch")
    assert window.shape.is_drawing
    sheet = window.shape.board.paper
    sheet.take("rectangle")
    sheet.click_at((-30.0, -20.0))
    sheet.click_at((30.0, 20.0))
    for _ in range(4):
        sheet.escape()
    assert window.shape.is_drawing  # nobody is out by one press too many
    qtbot.keyClick(sheet, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert not window.shape.is_drawing
    window.shape.steps.add_step("extrude")
    settle(qtbot, window)
    assert "60 × 40 × 10 mm" in window.foot.figures.text()
    card = window.shape.steps.cards["sketch"]
    step_deeds.add_shape(card, "circle")
    settle(qtbot, window)
    assert window.part.report["parts"][0]["volume"] == pytest.approx(
        (60 * 40 - 3.141592653589793 * 25) * 10
    )


def test_exporting_what_is_sent(qtbot, window, tmp_path: Path) -> None:
    path = tmp_path / "slide.stl"
    window.files.export_to(path)
    qtbot.waitUntil(path.exists)
    qtbot.waitUntil(lambda: "Wrote slide.stl" in window.foot.said.whole())
    mesh = trimesh.load(path)
    assert mesh.extents[0] == pytest.approx((372 - 0.06) / 0.997, abs=1e-4)
    width(window, "passage")
    window.session.edit(lambda design: edit.change_step(design, "plate", "by", "nix"), "by")
    window.files.export_to(tmp_path / "other.stl")
    qtbot.waitUntil(lambda: "Not exported" in window.strip.said.text())
    assert not (tmp_path / "other.stl").exists()


def test_an_edition_is_made_on_another_machine_by_its_figures(
    qtbot, window, application, tmp_path: Path
) -> None:
    design = window.session.design
    (tmp_path / "edition.zip").write_bytes(
        make_edition(design, shipped_processes()[:2], lambda *_: b"picture")
    )
    adjust = application.open_adjust_window(tmp_path / "edition.zip")
    adjust.show()
    adjust.set_value("width", "196 mm")
    adjust.set_value("board", "1 mm")  # nobody may adjust it
    assert "board" not in adjust.values
    Hands(qtbot, adjust).find("your machine").setFocus()
    qtbot.keyClick(adjust.machines.box, Qt.Key.Key_Down)
    assert adjust.process.name == "Printer Zeisig · PLA"
    qtbot.waitUntil(adjust.is_settled)
    made = tmp_path / "made.stl"
    adjust.export_to(made)
    qtbot.waitUntil(lambda: "Wrote made.stl" in adjust.said.text())
    mesh = trimesh.load(io.BytesIO(made.read_bytes()), file_type="stl")
    assert mesh.extents[0] == pytest.approx((196 - 0.12) / 0.999, abs=1e-4)
    adjust.fields["passage"].slider.setValue(1000)
    qtbot.waitUntil(adjust.is_settled)
    assert adjust.table.cells["passage"].wanted.value == 14


def test_an_edition_that_is_no_edition_is_told_in_the_window(qtbot, window, tmp_path: Path) -> None:
    fake = tmp_path / "fake.zip"
    fake.write_bytes(b"PK\x03\x04 nothing")
    window.files.open_path(fake)
    assert "is not opened" in window.strip.said.text()


def test_process_prove_and_learn(qtbot, window, tmp_path: Path) -> None:
    window.go("process")
    table = window.process.table
    rows = {
        table.item(i, 0).text(): [table.item(i, c).text() for c in (1, 2, 3, 7, 8)]
        for i in range(table.rowCount())
    }
    assert rows["width"][:4] == ["372 mm", "373.059 mm", "372 mm", "as wanted, not measured"]
    assert rows["dowel"][4] == "not a measure of this part"
    window.session.use_process(shipped_processes()[1])
    settle(qtbot, window)
    # The look at the whole shape, whether anything is too thin, comes a moment after the picture.
    qtbot.waitUntil(lambda: window.header.verdict.text() == "9 of 10 hold")
    qtbot.mouseClick(window.header.verdict, Qt.MouseButton.LeftButton)
    assert window.stack.currentWidget() is window.prove
    assert window.prove.title.text() == "1 of 10 does not hold"
    prove = window.prove
    prove.name.setText("Light enough")
    qtbot.keyClicks(prove.formula.line, "width < 300 mm")
    prove.formula.line.completer_.popup().hide()
    qtbot.keyClick(prove.formula.line, Qt.Key.Key_Return)
    settle(qtbot, window)
    failing = [finding["name"] for finding in prove.findings if not finding["holds"]]
    assert failing == ["Fits on the bed of Printer Zeisig · PLA", "Light enough"]
    prove._remove("Light enough")
    window.session.undo()
    assert window.session.design.checks[-1].name == "Light enough"
    window.go("learn")
    for title in window.learn.pages:
        window.learn.show_page(title)
        assert len(window.learn.browser.toPlainText()) > 300
    assert window.learn.grab().width() > 100


def test_everything_can_be_reached_with_the_keyboard_and_has_a_name(qtbot, window) -> None:
    from PySide6.QtWidgets import QAbstractButton, QComboBox, QLineEdit, QWidget

    for place in ("shape", "process", "prove", "publish", "learn"):
        window.go(place)
        qtbot.wait(20)
        for kind in (QAbstractButton, QComboBox, QLineEdit):
            for widget in window.findChildren(kind):
                inner = widget.objectName().startswith("qt_") or isinstance(
                    widget.parentWidget(), QComboBox
                )
                if widget.isVisible() and not inner:
                    named = (
                        widget.accessibleName()
                        or getattr(widget, "text", lambda: "")()
                        or getattr(widget, "placeholderText", lambda: "")()
                    )
                    assert named, (place, widget)
                    assert (
                        widget.focusPolicy() != Qt.FocusPolicy.NoFocus
                        or widget.objectName() in ("rail", "choice", "pick", "plain")
                    ), widget
    assert isinstance(window.childAt(QPoint(20, 60)), QWidget)


def test_variants_are_chosen_edited_and_pasted(qtbot, window) -> None:
    assert window.files.open_path(SLIDE.with_name("frame-runner.schablone"))
    settle(qtbot, window)
    strip = window.shape.sizes.variants
    qtbot.mouseClick(strip.pills["U 1 1/4"], Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert window.session.table.cells["wall"].wanted.value == pytest.approx(25.4 / 8)
    window.files.edit_size_table()
    sheet = window.files.size_table
    sheet.table.item(2, 1).setText("1 1/2 in")
    assert window.session.table.cells["depth"].wanted.value == pytest.approx(38.1)
    sheet.table.item(2, 1).setText("1 1/2 inn")
    assert "U 1 1/4, depth" in sheet.wrong.text()
    assert window.session.table.cells["depth"].wanted.value == pytest.approx(38.1)
    QApplication.clipboard().setText("variant\tdepth [in]\tbrdth\nA\t1\t2\n")
    sheet.paste()
    assert "Nothing was taken over" in sheet.wrong.text()
    assert "Did you mean “breadth”" in sheet.wrong.text()
    QApplication.clipboard().setText(
        "variant\tdepth [in]\tbreadth [in]\nA\t1\t3/4\nB\t3\t1\nC\t1 1/4\t1\n"
    )
    sheet.paste()
    assert [row.name for row in window.session.design.table.rows] == ["A", "B", "C"]
    sheet.add_column("screw")
    sheet.add_variant("D")
    assert window.session.design.table.row("D").cells["screw"] == "4 mm"
    window.session.undo()
    window.session.undo()


def test_what_cannot_be_read_of_ones_own_is_set_aside_and_told(
    qtbot, application, tmp_path
) -> None:
    config, data = tmp_path / "own config", tmp_path / "own data"
    (data / "processes").mkdir(parents=True)
    config.mkdir()
    (config / "settings.json").write_text("[" * 100_000)
    (data / "processes" / "mine.json").write_text('{"format": "schablone process"')
    library = application.library = Library(config, data)
    window = application.open_design_window(None)
    window.show()
    window.files.offer_left_behind()
    hands = Hands(qtbot, window)
    assert hands.says("settings.json is nested too deeply")
    assert hands.says("mine.json is cut off")
    library.keep("dark", True)
    assert (config / "settings.damaged").read_text() == "[" * 100_000
    assert Library(config, data).settings == {"dark": True}


def test_a_file_that_never_comes_can_be_given_up(qtbot, window, tmp_path) -> None:
    os.mkfifo(tmp_path / "pipe.schablone")
    before = window.session.design
    beats: list[int] = []
    timer = QTimer(interval=20)
    timer.timeout.connect(lambda: beats.append(1))
    timer.start()

    def give_up() -> None:
        asked = [
            top for top in QApplication.topLevelWidgets() if isinstance(top, QProgressDialog)
            and top.isVisible()
        ]  # fmt: skip
        if not asked or len(beats) <= 20:  # the window lives while it is waited for
            return QTimer.singleShot(50, give_up)
        (asking,) = asked
        assert any("Reading pipe.schablone" in one.text() for one in asking.findChildren(QLabel))
        (button,) = asking.findChildren(QPushButton)
        assert button.text() == "Give it up"
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)

    give_up()
    assert not window.files.open_path(tmp_path / "pipe.schablone")
    assert "you gave it up" in window.strip.said.text()
    assert window.session.design == before
    assert len(beats) > 20
    # The next file is read as ever.
    assert window.files.open_path(SLIDE)
