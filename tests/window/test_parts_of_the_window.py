"""Session, library, theme, camera, cards and fields on their own."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QSize, Qt
from PySide6.QtGui import QColor, QImage
from PySide6.QtWidgets import QLabel, QLineEdit

from schablone.app.journal import Journal
from schablone.app.library import Library
from schablone.app.places import step_deeds
from schablone.app.places.size_table import SizeTableSheet
from schablone.app.places.step_card import StepCard
from schablone.app.places.steps_panel import new_step
from schablone.app.session import Session
from schablone.app.theme import DARK, LIGHT, icon
from schablone.app.view3d.camera import STANDARD, Camera
from schablone.app.view3d.picture import paint_parts, png, shape_of
from schablone.app.widgets.basics import Elided, Flow, LimitBar, RoleMark
from schablone.app.widgets.formula_edit import FormulaEdit
from schablone.app.widgets.lens_switch import LensSwitch
from schablone.core.design import Design, Variant, edit
from schablone.core.design.model import SizeTable
from schablone.core.formula.evaluation import evaluate
from schablone.core.formula.value_table import Entry
from schablone.core.problem import SchabloneError
from schablone.core.process import neutral, shipped_processes
from schablone.core.quantity import COUNT
from schablone.core.steps import KINDS
from tests.conftest import SLIDE, plate

# Session


@pytest.fixture
def session(tmp_path: Path) -> Session:
    found = Session(Library(tmp_path / "config", tmp_path / "data"), Journal(tmp_path / "unsaved"))
    found.open_copy(SLIDE)
    return found


def put(session: Session, name: str, text: str, together: str = "") -> bool:
    return session.edit(
        lambda design: edit.set_formula(design, name, text), f"{name} = {text}", together
    )


@given(st.lists(st.sampled_from(["undo", "redo", "1 mm", "50 mm", "70 mm"]), max_size=25))
def test_undo_and_redo_walk_through_a_list_of_values(tmp_path_factory, moves: list[str]) -> None:
    folder = tmp_path_factory.mktemp("session")
    session = Session(Library(folder, folder), Journal(folder / "unsaved"))
    session.take(plate(sizes={"a": "3 mm"}), None)
    past, future = [session.design], []
    for move in moves:
        if move == "undo":
            session.undo()
            if len(past) > 1:
                future.append(past.pop())
        elif move == "redo":
            session.redo()
            if future:
                past.append(future.pop())
        elif put(session, "a", move):
            past.append(session.design)
            future.clear()
        assert session.design == past[-1]
        assert bool(session.can_undo) == (len(past) > 1)
        assert bool(session.can_redo) == bool(future)


def test_changes_of_one_drag_are_one_undo_and_the_next_drag_another(session: Session) -> None:
    for width in (373, 374, 375):
        put(session, "width", f"{width} mm", "drag width")
    session.settle()
    for width in (376, 377):
        put(session, "width", f"{width} mm", "drag width")
    session.undo()
    assert session.design.size("width").formula == "375 mm"
    session.undo()
    assert session.design.size("width").formula == "372 mm"
    assert session.is_saved


def test_an_edit_that_is_not_possible_is_said_and_changes_nothing(session: Session, qtbot) -> None:
    before = session.design
    with qtbot.waitSignal(session.said) as caught:
        assert not put(session, "width", "1 +")
    assert "stops in the middle" in caught.args[0]
    assert session.design is before
    assert not put(session, "width", "372 mm")  # no change is no edit
    assert not session.can_undo


def test_every_edit_is_in_the_journal_at_once(session: Session, tmp_path: Path) -> None:
    put(session, "width", "111 mm")
    (file,) = (tmp_path / "unsaved").glob("*.journal")
    assert "111 mm" in file.read_text()
    put(session, "height", "33 mm")
    assert "33 mm" in file.read_text()
    session.save(tmp_path / "mine.schablone")
    assert not file.exists()
    session.undo()
    assert "111 mm" in file.read_text()


def test_a_process_that_is_not_known_is_said(session: Session, qtbot) -> None:
    with qtbot.waitSignal(session.said) as caught:
        session.take(session.design.model_copy(update={"process": "Printer Nix"}), None)
    assert "“Printer Nix” is not known here" in caught.args[0]
    assert session.process.name == neutral().name


# Library


def test_settings_and_recent_files_are_kept(tmp_path: Path) -> None:
    library = Library(tmp_path / "config", tmp_path / "data")
    files = [tmp_path / f"{i}.schablone" for i in range(14)]
    for file in files:
        file.touch()
        library.remember(file)
    library.remember(files[3])
    again = Library(tmp_path / "config", tmp_path / "data")
    assert again.recent()[:2] == [files[3], files[13]]
    assert len(again.recent()) == 10
    # Two runs of the program do not forget for each other.
    again.keep("dark", True)
    library.remember(files[12])
    assert Library(tmp_path / "config", tmp_path / "data").settings["dark"]
    again.remember(files[11])
    assert again.recent()[:3] == [files[11], files[12], files[3]]
    files[3].unlink()
    assert again.recent()[2] == files[13]
    (tmp_path / "config" / "settings.json").write_text("{ broken")
    assert Library(tmp_path / "config", tmp_path / "data").recent() == []


def test_own_processes_are_added_replace_and_may_be_faulty(tmp_path: Path) -> None:
    library = Library(tmp_path / "config", tmp_path / "data")
    library.keep_process(shipped_processes()[0].with_(hole_gain=-0.5))
    assert [process.name for process in library.processes()] == [
        process.name for process in shipped_processes()
    ]
    assert library.process("Printer Amsel · PETG").hole_gain == -0.5
    (library.own.folder / "bad.json").write_text("{}")
    library.read_own()
    assert library.problems
    assert len(library.processes()) == 7


def test_names_that_would_be_one_file_stay_two(tmp_path: Path) -> None:
    """What is kept under one name does not go over what is kept under another, nor over a file
    that cannot be read; and what is taken away is what was named."""
    library, first = Library(tmp_path / "config", tmp_path / "data"), shipped_processes()[0]
    folder = library.own.folder
    folder.mkdir(parents=True)
    (folder / "printer-mine.json").write_text("{")
    names = ["Printer mine", "printer · MINE", "Printer-mine", "x" * 79, "x" * 80, "…", "!"]
    for number, name in enumerate(names):
        library.keep_process(first.with_(name=name, hole_gain=-0.1 * number))
    again = Library(tmp_path / "config", tmp_path / "data")
    assert {one.name: one.hole_gain for one in again.own_processes()} == {
        name: -0.1 * number for number, name in enumerate(names)
    }
    assert (folder / "printer-mine.json").read_text() == "{"
    # Kept again it goes where it was, also where the file is called otherwise.
    (folder / "printer-mine-2.json").rename(folder / "anything.json")
    again.keep_process(first.with_(name="Printer mine", hole_gain=0.3))
    again.forget_process("printer · MINE")
    again.forget_process("printer mine")  # nothing is called that
    assert [name for name in names if again.process(name)] == [names[0], *names[2:]]
    assert again.process("Printer mine").hole_gain == 0.3
    assert len(list(folder.iterdir())) == len(names)  # one taken away, one that cannot be read


def test_where_nothing_can_be_kept_it_is_said(tmp_path: Path) -> None:
    library = Library(tmp_path / "config", tmp_path / "data")
    (tmp_path / "data").mkdir()
    (tmp_path / "data" / "processes").write_text("in the way")
    with pytest.raises(SchabloneError, match="processes could not be written"):
        library.keep_process(shipped_processes()[0])


# Theme


def _contrast(a: str, b: str) -> float:
    """Contrast ratio as WCAG 2 defines it."""

    def luminance(text: str) -> float:
        channels = [int(text[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("t", [LIGHT, DARK], ids=["light", "dark"])
def test_text_can_be_read(t) -> None:
    grounds = (t.paper, t.surface, t.chip)
    for ground in grounds:
        assert _contrast(t.ink, ground) >= 7
        assert _contrast(t.quiet, ground) >= 4.5, (t.quiet, ground)
    for text in (t.madder, t.sage_text, t.ochre_text, t.plum_text, t.slate_text):
        assert _contrast(text, t.surface) >= 4.5, text
    assert _contrast(t.ochre_text, t.ochre_wash) >= 4.5
    assert _contrast(t.rail_text, t.rail) >= 4.5
    assert _contrast("#1F2A37", t.kraft) >= 4.5


@pytest.mark.parametrize(
    "name", ["shape", "process", "prove", "publish", "learn", *KINDS, "undo", "redo", "more"]
)
def test_icons_are_drawn(qapp, name: str) -> None:
    image = icon(name, "#000000", 28).pixmap(QSize(28, 28)).toImage()
    inked = sum(
        QColor(image.pixelColor(x, y)).alpha() > 100
        for x in range(image.width())
        for y in range(image.height())
    )
    assert inked > 8


# Camera and picture


@given(
    st.floats(-180, 180),
    st.floats(-90, 90),
    st.floats(1, 1000),
    st.floats(-200, 200),
    st.floats(-100, 100),
)
def test_what_is_projected_is_met_by_the_line_of_sight(
    turn: float, height: float, span: float, x: float, y: float
) -> None:
    camera = Camera(turn, height, span, (3.0, -2.0, 5.0))
    right, up, towards = camera.axes()
    basis = np.stack([right, up, towards])
    assert np.allclose(basis @ basis.T, np.eye(3), atol=1e-12)
    point = np.array([x, y, 7.0])
    px, py = camera.project(point, 800, 600)[0]
    start, direction = camera.ray(px, py, 800, 600)
    off = np.cross(point - start, direction)
    assert np.linalg.norm(off) < 1e-5


def test_standard_directions_look_where_they_say() -> None:
    assert np.allclose(Camera().looking("top").axes()[2], (0, 0, 1))
    assert np.allclose(Camera().looking("front").axes()[2], (0, -1, 0))
    assert np.allclose(Camera().looking("side").axes()[2], (1, 0, 0))
    assert set(STANDARD) == {"top", "front", "side", "corner"}


@given(st.integers(2, 30), st.floats(0.3, 3))
def test_fitting_brings_everything_into_the_picture(count: int, aspect: float) -> None:
    points = np.random.default_rng(count).normal(size=(count, 3)) * (100, 5, 30) + 400
    pixels = Camera(20, 30).fitted(points, aspect).project(points, 600 * aspect, 600)
    assert (pixels >= -1e-6).all()
    assert (pixels <= np.array([600 * aspect, 600]) + 1e-6).all()


def test_the_picture_shows_the_part_in_its_colour(build, slide: Design) -> None:
    mesh = build(slide).bodies["slide"].mesh(0.1)
    image = QImage.fromData(paint_parts([mesh], 400, 250))
    assert (image.width(), image.height()) == (400, 250)
    middle = QColor(image.pixelColor(200, 125))
    corner = QColor(image.pixelColor(3, 3))
    assert middle.red() > middle.blue() + 40  # kraft
    assert corner.lightness() > 240
    assert len(shape_of(mesh).edge_lengths) == len(mesh.edges)
    square = QImage.fromData(png(np.full((4, 6, 4), 7, np.uint8)))
    assert (square.width(), square.height(), square.pixelColor(5, 3).red()) == (6, 4, 7)


# Small widgets


def test_words_flow_on_to_the_next_line(qtbot) -> None:
    flow = Flow(5, 4)
    qtbot.addWidget(flow)
    words = [QLabel("word " * 3) for _ in range(6)]
    for word in words:
        flow.put(word)
    flow.resize(200, 400)
    flow.show()
    narrow, wide = flow.heightForWidth(150), flow.heightForWidth(2000)
    assert narrow > 2 * wide
    assert words[1].y() > words[0].y() or words[1].x() > words[0].x()
    extra = QLabel("between")
    flow.put(extra, after=words[0])
    assert flow._words.index(extra) == 1
    flow.take(extra)
    assert extra not in flow._words


def test_lines_are_shortened_and_tell_the_whole(qtbot) -> None:
    line = Elided("a very long formula that does not fit", "mono")
    qtbot.addWidget(line)
    line.resize(60, 20)
    line.show()
    line.grab()
    assert line.toolTip() == "a very long formula that does not fit"
    line.resize(900, 20)
    line.grab()
    assert line.toolTip() == ""


def test_marks_and_bars_have_words(qtbot) -> None:
    mark, bar, lens = RoleMark(), LimitBar(), LensSwitch()
    for widget in (mark, bar, lens):
        qtbot.addWidget(widget)
        widget.show()
    drawn = set()
    for role in ("set", "worked out", "read off", "from the process"):
        mark.set_role(role)
        assert role in mark.toolTip()
        drawn.add(bytes(mark.grab().toImage().constBits()))
    assert len(drawn) == 4  # never by colour alone: four shapes
    bar.set_share(0.25, False)
    assert "25%" in bar.accessibleName()
    chosen: list[str] = []
    lens.chosen.connect(chosen.append)
    lens.resize(lens.sizeHint())
    qtbot.mouseClick(lens, Qt.MouseButton.LeftButton, pos=QPoint(250, 15))
    qtbot.keyClick(lens, Qt.Key.Key_Left)
    qtbot.keyClick(lens, Qt.Key.Key_Left)
    qtbot.keyClick(lens, Qt.Key.Key_Left)
    assert chosen == ["expected", "sent", "wanted"]


# The formula field


def field(qtbot, text: str = "", **options) -> FormulaEdit:
    sheet = evaluate(
        [Entry("width", "40 mm"), Entry("wall", "2 mm"), Entry("n", "3")], (), neutral()
    )
    found = FormulaEdit(text, lambda: sheet, **options)
    qtbot.addWidget(found)
    found.show()
    return found


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("width * 2", "= 80 mm"),
        ("width * 2 deg", "= 1.396 mm"),
        ("widht", "Did you mean “width”"),
        ("width +", "stops in the middle"),
        ("lip = width", "makes the size “lip”: 40 mm"),
        ("wall = 3 mm", "There is a size “wall” already"),
        ("lip = widht", "Did you mean “width”"),
        ("", "There is no formula"),
    ],
)
def test_the_field_says_value_or_error_while_typing(qtbot, typed: str, says: str) -> None:
    found = field(qtbot, "1 mm")
    found.line.clear()
    qtbot.keyClicks(found.line, typed)
    found.check()
    assert says in found.said.text()


def test_the_field_takes_over_only_what_is_right(qtbot) -> None:
    found = field(qtbot, "1", wanted=COUNT)
    taken: list[str] = []
    made: list[tuple[str, str]] = []
    dropped: list[bool] = []
    found.committed.connect(taken.append)
    found.made.connect(lambda name, formula: made.append((name, formula)))
    found.dropped.connect(lambda: dropped.append(True))
    found.line.setText("width")
    assert not found.commit()
    assert "a count is wanted" in found.said.text()
    found.line.setText("  n + 1 ")
    assert found.commit()
    assert taken == ["n + 1"]
    other = field(qtbot, "1 mm")
    other.made.connect(lambda name, formula: made.append((name, formula)))
    other.committed.connect(taken.append)
    other.line.setText("lip = 3 mm")
    other.commit()
    assert made == [("lip", "3 mm")]
    assert taken[-1] == "lip"
    same = field(qtbot, "1 mm")
    same.dropped.connect(lambda: dropped.append(True))
    same.commit()
    assert dropped


def test_functions_complete_with_their_parentheses(qtbot) -> None:
    found = field(qtbot)
    found.line.setText("2 * flo")
    offers = dict(found._offers())
    assert "floor" in offers
    assert "floor(x)" in offers["floor"]
    found.line.offer([("floor", "floor(x)")])
    found.line.model.clear()
    found.line.setText("wi")
    assert next(iter(found._offers()))[0] == "width"
    found.line.setText("hole_for(width, sl")
    assert "sliding" in dict(found._offers())


# Step cards


def card(session: Session, name: str, qtbot) -> StepCard:
    names = [step.name for step in session.design.steps]
    found = StepCard(session, session.design.step(name), names.index(name) + 1)
    qtbot.addWidget(found)
    found.show()
    return found


def test_a_card_is_renamed_noted_and_given_a_condition(session: Session, qtbot) -> None:
    found = card(session, "passage_row", qtbot)
    found.rename()
    line = found.findChild(QLineEdit)
    line.setText("bee row")
    line.editingFinished.emit()
    assert session.design.step("bee_row") is not None
    assert session.design.size("spacing").formula == "bee_row.pitch"
    found = card(session, "bee_row", qtbot)
    step_deeds.edit_note(found)
    line = found.findChild(QLineEdit)
    line.setText("for workers and drones")
    line.editingFinished.emit()
    assert session.design.step("bee_row").note == "for workers and drones"
    found.open()
    found.show_step(session.design.step("bee_row"))
    assert "for workers and drones" in found.aside.text()
    step_deeds.edit_condition(found)
    editor = found.findChildren(FormulaEdit)[-1]
    editor.line.setText("width")
    assert not editor.commit()
    editor.line.setText("width > 60 mm")
    assert editor.commit()
    assert session.design.step("bee_row").when == "width > 60 mm"
    found.show_step(session.design.step("bee_row"))
    assert "made only if width > 60 mm" in found.aside.text()


def test_the_menu_of_a_card_switches_moves_and_deletes(session: Session, qtbot) -> None:
    def choose(name: str, words: str) -> None:
        actions = card(session, name, qtbot)._menu().actions()
        next(action for action in actions if action.text() == words).trigger()

    choose("dowel_pair", "Switch off")
    assert not session.design.step("dowel_pair").on
    choose("dowel_pair", "Switch on")
    choose("dowel_pair", "Move up")
    assert [step.name for step in session.design.steps][-2:] == ["dowel_pair", "dowel_bore"]
    choose("dowel_pair", "Move down")
    choose("dowel_pair", "Delete")
    assert session.design.step("dowel_pair") is None
    for _ in range(5):
        session.undo()
    assert session.is_saved


def test_a_card_shows_what_is_wrong_and_who_carries_it(session: Session, qtbot) -> None:
    from schablone.core.problem import Problem

    found = card(session, "dowel_bore", qtbot)
    found.open()
    found.show_state(
        {"state": "carried", "by": "dowel_pair", "values": {"diameter": [6.2, [1, 0, 0, ""]]}}, []
    )
    assert "carried by dowel pair" in found.aside.text()
    assert found.chips["diameter"].toolTip() == "= 6.2 mm"
    problem = Problem(
        area="step", name="dowel_bore", field="y", what="It breaks out.", hint="Move it."
    )
    found.show_state({"state": "failed", "values": {}}, [problem, problem])
    assert found.wrong.text() == "It breaks out. Move it."
    assert found.chips["y"].property("wrong") is True
    assert found.chips["x"].property("wrong") is False


def test_new_steps_stand_on_what_is_just_above(slide: Design) -> None:
    assert new_step(slide, "extrude").sketch == "outline"
    assert new_step(slide, "extrude").part == "slide"
    assert new_step(slide, "row").of == ""  # a row of rows is asked for, not guessed
    assert (
        new_step(plate({"kind": "hole", "name": "bore", "face": "plate/end"}), "row").of == "bore"
    )
    assert new_step(slide, "sketch").name == "sketch"
    assert not new_step(Design(), "sketch").drawing.elements  # an empty sheet to draw on


def test_two_variants_are_compared_and_follow_edits(qtbot, session: Session) -> None:
    rows = tuple(
        Variant(name=name, cells={"width": width})
        for name, width in (("wide", "372 mm"), ("slim", "300 mm"))
    )
    session.edit(
        lambda d: edit.put_size_table(d, SizeTable(columns=("width",), rows=rows, current="wide")),
        "table",
    )
    sheet = SizeTableSheet(session)
    qtbot.addWidget(sheet)
    sheet.compare_chosen()
    assert "Choose two variants" in sheet.wrong.text()
    sheet.table.selectRow(1)
    sheet.compare_chosen()
    lines = sheet.comparison
    said = {
        lines.item(row, 0).text(): [lines.item(row, column).text() for column in (1, 2, 3)]
        for row in range(lines.rowCount())
    }
    assert said["width"] == ["372 mm", "300 mm", "-72 mm"]
    assert said["passages"] == ["26", "21", "-5"]
    session.edit(lambda d: edit.put_cell(d, "slim", "width", "372 mm"), "same")
    assert lines.horizontalHeaderItem(0).text() == "no size differs"
    session.edit(lambda d: edit.rename_row(d, "slim", "slender"), "rename")
    assert not lines.isVisibleTo(sheet)


def test_what_is_wrong_in_variants_that_are_not_in_force_is_seen(qtbot, session) -> None:
    def put(**widths: str) -> None:
        rows = tuple(Variant(name=name, cells={"width": text}) for name, text in widths.items())
        session.edit(lambda d: edit.put_size_table(d, SizeTable(columns=("width",), rows=rows)), "")

    put(right="300 mm", bare="300", huge="9 m", lost="wdth")
    sheet = SizeTableSheet(session)
    qtbot.addWidget(sheet)
    sheet.show()

    def marked() -> list[bool]:
        cells = [sheet.table.item(row, 1) for row in range(sheet.table.rowCount())]
        return [cell.data(Qt.ItemDataRole.BackgroundRole) is not None for cell in cells]

    qtbot.waitUntil(lambda: marked() == [False, True, True, True])
    assert sheet.wrong.text().startswith("bare, width: “300” is a count, a length is wanted.")
    assert "above its upper limit" in sheet.table.item(2, 1).toolTip()
    assert "There is no size “wdth”" in sheet.table.item(3, 1).toolTip()
    put(right="300 mm", bare="300 mm")
    qtbot.waitUntil(lambda: marked() == [False, False] and not sheet.wrong.text())
    # Where something else of the sheet changes, all of them are looked at again.
    session.edit(lambda d: edit.change_size(d, "width", high="299 mm"), "")
    qtbot.waitUntil(lambda: marked() == [True, True])


def test_inches_for_looking_change_nothing_but_what_is_shown(window) -> None:
    before = window.session.design
    window.session.look_in("in")
    assert window.shape.sizes.rows["height"].value.text() == "1.4961 in"
    assert window.session.design is before
    assert window.session.is_saved
    window.session.look_in("")
    assert window.shape.sizes.rows["height"].value.text() == "38 mm"


def test_what_is_only_handed_on_is_gone_with_the_program(tmp_path: Path) -> None:
    script = (
        "from schablone.app.scratch import scratch_file as made; a, b = made('x'), made('x');"
        "a.write_text('1'); b.write_text('2'); print(a.read_text(), b.read_text(), a, sep='\\n')"
    )
    done = subprocess.run(
        [sys.executable, "-c", script],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "TMPDIR": str(tmp_path)},
    )
    one, other, place = done.stdout.splitlines()
    assert (one, other) == ("1", "2")
    assert Path(place).is_relative_to(tmp_path)
    assert list(tmp_path.iterdir()) == []
