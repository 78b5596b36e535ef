"""The design file, edits, words and checks."""

import errno
import json
import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import (
    Check,
    Design,
    Size,
    edit,
    read_design,
    read_design_text,
    save_design,
    write_design,
)
from schablone.core.design.file import json_schema
from schablone.core.design.text import design_text
from schablone.core.formula import FormulaError
from schablone.core.problem import SchabloneError
from schablone.core.process import Process, neutral, shipped_processes
from schablone.core.prove import findings
from schablone.core.steps import KINDS
from tests.conftest import SLIDE, TOP, plate

# The file


def test_a_design_is_read_as_it_is_written(slide: Design) -> None:
    assert read_design_text(write_design(slide)) == slide
    assert write_design(read_design_text(write_design(slide))) == write_design(slide)
    assert SLIDE.read_text("utf8") == write_design(slide)  # the demo is kept in the file's own form


def test_a_changed_size_changes_one_line(slide: Design) -> None:
    before = write_design(slide).splitlines()
    after = write_design(edit.set_formula(slide, "width", "300 mm")).splitlines()
    assert sum(a != b for a, b in zip(before, after, strict=True)) == 1


@given(st.integers(0, SLIDE.stat().st_size - 3))
def test_a_cut_off_file_is_refused_in_words(at: int) -> None:
    with pytest.raises(SchabloneError) as caught:
        read_design_text(SLIDE.read_bytes()[:at].decode("utf8", "ignore"), "slide")
    assert "slide" in str(caught.value)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"version": 2}, "newer Schablone"),
        ({"format": "poem"}, "no Schablone design"),
        ({"sizes": [{"name": "1st", "formula": "1"}]}, "a name has letters"),
        ({"sizes": [{"name": "if", "formula": "1"}]}, "word of the formula language"),
        (
            {"sizes": [{"name": "a", "formula": "1"}, {"name": "a", "formula": "2"}]},
            "two sizes are called “a”",
        ),
        ({"sizes": [{"name": "a"}]}, "“sizes → number 1 → formula” is missing"),
        ({"sizes": [{"name": "a", "formula": "1" * 3000}]}, "longer than 2000"),
        ({"steps": [{"kind": "knit", "name": "k"}]}, "kind that is not known here"),
        ({"steps": [{"name": "k"}]}, "does not say its kind"),
        ({"steps": [{"kind": "hole", "name": "h", "flavour": "red"}]}, "not known here"),
        ({"parts": []}, "parts"),
    ],
)
def test_faulty_files_are_refused_with_the_place(change: dict, says: str) -> None:
    data = {"format": "schablone design", "version": 1, **change}
    with pytest.raises(SchabloneError) as caught:
        read_design_text(json.dumps(data))
    assert says in str(caught.value)


@pytest.mark.parametrize("text", ["", "[]", "3", '"x"', "{", "[" * 100_000, "\x00", "{}"])
def test_no_file_at_all_is_refused(text: str) -> None:
    with pytest.raises(SchabloneError):
        read_design_text(text)


def test_a_full_disk_loses_nothing(
    slide: Design, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "slide.schablone"
    save_design(slide, path)

    def full(handle: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(SchabloneError, match="the disk is full"):
        save_design(edit.set_formula(slide, "width", "1 mm"), path)
    assert read_design(path) == slide
    assert [entry.name for entry in tmp_path.iterdir()] == ["slide.schablone"]


def test_places_that_cannot_be_written_are_told(slide: Design, tmp_path: Path) -> None:
    with pytest.raises(SchabloneError, match="no such file or folder"):
        save_design(slide, tmp_path / "none" / "x.schablone")
    with pytest.raises(SchabloneError, match="it is a folder"):
        save_design(slide, tmp_path)
    huge = tmp_path / "huge.schablone"
    huge.touch()
    os.truncate(huge, 30_000_000)
    with pytest.raises(SchabloneError, match="larger than 20 MB"):
        read_design(huge)


def test_the_schema_in_the_docs_is_that_of_the_models() -> None:
    written = json.loads((TOP / "docs" / "design.schema.json").read_text("utf8"))
    assert written == json_schema()


# Edits


def test_edits_return_a_new_design_and_leave_the_old(slide: Design) -> None:
    before = write_design(slide)
    changed = edit.set_formula(slide, "width", "300 mm")
    assert changed.size("width").formula == "300 mm"
    assert write_design(slide) == before


def test_renaming_a_size_reaches_every_formula_and_back(slide: Design) -> None:
    renamed = edit.rename_size(slide, "passage", "opening")
    text = write_design(renamed)
    assert "inside(opening)" in text
    assert '"opening + web"' in text
    assert '"opening >= 8 mm"' in text
    assert renamed.publish.adjust[2].size == "opening"
    assert edit.rename_size(renamed, "opening", "passage") == slide


def test_renaming_a_step_reaches_references_and_outputs(slide: Design) -> None:
    renamed = edit.rename_step_everywhere(slide, "plate", "board_plate")
    assert renamed.step("passage_hole").face == "board_plate/end"
    row = edit.rename_step_everywhere(renamed, "passage_row", "line")
    assert row.size("spacing").formula == "line.pitch"
    back = edit.rename_step_everywhere(
        edit.rename_step_everywhere(row, "line", "passage_row"), "board_plate", "plate"
    )
    assert back == slide


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: edit.add_size(d, "width", "3 mm"), "already"),
        (lambda d: edit.add_size(d, "if", "3 mm"), "word of the formula language"),
        (lambda d: edit.add_size(d, "3d", "3 mm"), "cannot be a name"),
        (lambda d: edit.add_size(d, "lip", "3 mm +"), "stops in the middle"),
        (lambda d: edit.rename_size(d, "width", "height"), "already"),
        (lambda d: edit.rename_size(d, "nix", "w"), "no size “nix”"),
        (
            lambda d: edit.delete_size(d, "width"),
            "still used by passages, left_over, step outline, step passage_row, step dowel_pair",
        ),
        (lambda d: edit.delete_step(d, "plate"), "still used: passage_hole, dowel_bore"),
        (lambda d: edit.delete_step(d, "passage_row"), "passage_row.pitch"),
        (lambda d: edit.rename_step_everywhere(d, "plate", "outline"), "already"),
        (lambda d: edit.change_step(d, "plate", "direction", "sideways"), "must be"),
        (lambda d: edit.change_size(d, "width", policy="bend"), "must be"),
    ],
)
def test_edits_that_are_not_possible_say_why(slide: Design, change, says: str) -> None:
    with pytest.raises(FormulaError) as caught:
        change(slide)
    assert says in caught.value.what


def test_moving_and_deleting(slide: Design) -> None:
    moved = edit.move_size(slide, "board", 0, "Stock")
    assert [size.name for size in moved.sizes][:2] == ["board", "width"]
    assert moved.sizes[0].group == "Stock"
    lone = edit.add_size(slide, "spare", "3 mm")
    assert edit.delete_size(lone, "spare") == slide
    assert edit.move_step(slide, "dowel_pair", 0).steps[0].name == "dowel_pair"
    assert edit.free_name(slide, "plate") == "plate_2"
    nested = edit.change_step(slide, "outline", "drawing.dimensions.0.formula", "width + 1 mm")
    assert nested.step("outline").drawing.dimensions[0].formula == "width + 1 mm"


def test_users_are_found_everywhere(slide: Design) -> None:
    assert edit.users_of(slide, "web") == ["passages", "left_over", "check Webs do not break"]
    assert edit.users_of(slide, "board") == ["web", "step plate"]


# Words and checks


def test_a_design_in_words(slide: Design, amsel: Process, build) -> None:
    text = design_text(slide, amsel, build(slide, amsel).steps)
    assert "- **width** is 372 mm (set); from 40 mm to 600 mm, held there." in text
    assert "- **web** is 5 mm = `max(5 mm, board)` (worked out)" in text
    assert "2. **Plate**: extrude *outline* by `board` (4 mm) upwards" in text
    assert "hole ø `inside(passage)` (8 mm) in top of plate through" in text
    assert text.count("\n") > 40


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_of_step_has_words_and_slots_that_exist(kind: str) -> None:
    step = KINDS[kind](name="one")
    for line in step.sentence():
        for piece in line:
            if hasattr(piece, "path"):
                edit.get_path(step, piece.path)
    for slot in step.slots():
        assert edit.get_path(step, slot.path) == slot.formula
    assert step.title
    assert step.purpose
    assert type(step).__module__.endswith(f".{kind}")  # by this name a file finds it


def test_checks_hold_or_say_why_not(slide: Design, build) -> None:
    amsel, zeisig = shipped_processes()[:2]
    assert all(finding.holds for finding in findings(slide, build(slide, amsel)))
    by_name = {finding.name: finding for finding in findings(slide, build(slide, zeisig))}
    bed = by_name["Fits on the bed of Printer Zeisig · PLA"]
    assert not bed.holds
    assert "longer than the bed by 152 mm" in bed.why
    narrow = {
        finding.name: finding
        for finding in findings(slide, build(slide, amsel, passage="6 mm", width="30 mm"))
    }
    assert not narrow["Drones can pass"].holds
    assert "passage = 6 mm" in narrow["Drones can pass"].why
    assert not narrow["Every size is inside its limits"].holds
    broken = slide.with_(checks=(Check(name="odd", formula="width + 1"),))
    assert "a length" in next(
        f.why for f in findings(broken, build(broken, amsel)) if f.name == "odd"
    )
    assert not next(
        f for f in findings(Design(), build(Design())) if f.name == "The part is solid"
    ).holds


def test_what_may_be_adjusted_must_have_limits(slide: Design, build) -> None:
    open_ended = edit.change_size(slide, "width", high="")
    found = {f.name: f for f in findings(open_ended, build(open_ended, neutral()))}
    assert "no lower or no upper limit" in found["What others may adjust has limits"].why


def test_models_are_immutable_values() -> None:
    size = Size(name="a", formula="1 mm")
    with pytest.raises(Exception, match="frozen"):
        size.formula = "2 mm"
    assert size.with_(formula="2 mm") != size
    assert plate() == plate()


def test_groups_move_together_and_are_renamed(slide: Design) -> None:
    moved = edit.move_group(slide, "Dowels", "Plate")
    names = [size.name for size in moved.sizes]
    assert names[: len([s for s in slide.sizes if s.group == "Dowels"])] == [
        s.name for s in slide.sizes if s.group == "Dowels"
    ]
    assert sorted(names) == sorted(size.name for size in slide.sizes)
    assert {s.group for s in edit.rename_group(slide, "Dowels", "Pins").sizes} == {
        "Plate",
        "Passages",
        "Pins",
    }
