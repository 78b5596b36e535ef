"""The journal against killed windows, lost power, damaged files and full disks."""

from __future__ import annotations

import errno
import os
import random
import signal
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.app import journal as journals
from schablone.app.journal import Journal, left_behind
from schablone.core.design import Design, edit
from schablone.reader import door
from schablone.reader.inputs import INPUTS
from tests.conftest import examples


def design(number: int) -> Design:
    return Design.model_validate(
        {"name": f"State {number}", "sizes": [{"name": "width", "formula": f"{number} mm"}]}
    )


def ended(journal: Journal) -> None:
    """The window ends without a chance to say goodbye."""
    assert journal._lock is not None
    journal._lock.close()


def test_the_last_edit_is_there_at_once_and_on_the_disk_soon(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    for number in range(5):
        journal.write(design(number), Path("/a/b.schablone"))
        (file,) = tmp_path.glob("*.journal")
        assert f"State {number}" in file.read_text()
    journal._syncing.wait()
    assert journal.is_synced
    ended(journal)
    ((left,), damaged) = left_behind(tmp_path)
    assert (left.design.name, left.path, left.lost) == ("State 4", Path("/a/b.schablone"), 0)
    assert damaged == []
    left.discard()
    assert list(tmp_path.iterdir()) == []


def test_it_does_not_grow_for_ever(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    for number in range(150):
        journal.write(design(number), None)
        (file,) = tmp_path.glob("*.journal")
        assert len(file.read_bytes().splitlines()) <= 60
    ended(journal)
    ((left,), _) = left_behind(tmp_path)
    assert left.design.name == "State 149"


@given(
    st.integers(1, 6),
    st.integers(0, 5),
    st.sampled_from(["cut", "zeros", "noise", "flipped"]),
    st.randoms(use_true_random=False),
)
@examples(80)
def test_lost_power_loses_nothing_that_was_on_the_disk(
    tmp_path_factory, count: int, synced: int, how: str, rng: random.Random
) -> None:
    """What was on the disk is whole; of what came after the disk may have any part, or nonsense in
    its place."""
    folder = tmp_path_factory.mktemp("power")
    journal, ends = Journal(folder), []
    for number in range(count):
        journal.write(design(number), None)
        (file,) = folder.glob("*.journal")
        ends.append(len(file.read_bytes()))
    safe = min(synced, count - 1)
    data = file.read_bytes()
    head, tail = data[: ends[safe]], bytearray(data[ends[safe] :])
    if how == "cut":
        tail = tail[: rng.randint(0, len(tail))]
    elif tail:
        start = rng.randint(0, len(tail) - 1)
        for k in range(start, len(tail)):
            tail[k] = {"zeros": 0, "noise": rng.randint(0, 255)}.get(how, tail[k] ^ 1)
    file.write_bytes(head + bytes(tail))
    ended(journal)
    ((left,), damaged) = left_behind(folder)
    number = int(left.design.name.split()[1])
    assert number >= safe
    assert left.design == design(number)
    assert damaged == []
    if number < count - 1 and len(tail) == len(data) - ends[safe]:
        assert left.lost >= 1


@pytest.mark.parametrize("text", [b"nonsense\n", b"{" * 100_000, b"\x00" * 500, b"[]\n"])
@pytest.mark.parametrize("ending", [".journal", ".json"])
def test_what_cannot_be_read_is_set_aside_and_told(tmp_path: Path, text: bytes, ending: str):
    whole = Journal(tmp_path)
    whole.write(design(7), None)
    ended(whole)
    (tmp_path / f"9-9{ending}").write_bytes(text)
    ((left,), damaged) = left_behind(tmp_path)
    assert left.design.name == "State 7"
    assert damaged == [tmp_path / "9-9.damaged"]
    assert damaged[0].read_bytes() == text
    assert left_behind(tmp_path)[1] == []


def test_a_full_disk_is_told_and_over_when_it_is_over(tmp_path: Path, monkeypatch) -> None:
    journal = Journal(tmp_path)
    journal.write(design(1), None)
    real = os.write

    def full(handle: int, data: bytes) -> int:
        real(handle, bytes(data)[:20])  # half a record is written first
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(journals.os, "write", full)
        journal.write(design(2), None)
        assert "No space left" in journal.trouble
    journal.write(design(3), None)
    assert journal.trouble == ""
    ended(journal)
    ((left,), _) = left_behind(tmp_path)
    assert left.design.name == "State 3"


@pytest.mark.nightly
def test_windows_killed_while_they_write_lose_nothing(tmp_path: Path) -> None:
    """Each says what it has written; none may lose it."""
    code = """
import os, sys
from pathlib import Path
from schablone.app.journal import Journal
from tests.window.test_journal import design
journal = Journal(Path(sys.argv[1]))
for number in range(100000):
    journal.write(design(number), None)
    os.write(1, f"{number}\\n".encode())
"""
    rng = random.Random(4)
    for k in range(10):
        folder = tmp_path / str(k)
        running = subprocess.Popen(
            [sys.executable, "-c", code, str(folder)], stdout=subprocess.PIPE
        )
        assert running.stdout is not None
        for _ in range(rng.randint(1, 200)):
            told = int(running.stdout.readline())
        running.kill()
        rest = running.stdout.read().split()
        running.wait()
        told = int(rest[-1]) if rest else told
        ((left,), damaged) = left_behind(folder)
        # What was written and not told yet may be there, too.
        assert told <= int(left.design.name.split()[1]) <= told + 1
        assert damaged == []


def test_the_window_says_that_work_is_not_safe_until_it_is_read(qtbot, window, monkeypatch):
    def full(handle: int, data: bytes) -> int:
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(journals.os, "write", full)
        window.session.edit(lambda d: edit.set_formula(d, "width", "333 mm"), "width")
    assert "No space left" in window.strip.said.text()
    assert window.strip.isVisibleTo(window)
    window.session.edit(lambda d: edit.set_formula(d, "width", "334 mm"), "width")
    assert "kept safe again" in window.foot.said.whole()


def test_a_damaged_last_edit_is_told_with_what_is_offered(qtbot, application) -> None:
    folder = application.journal.folder
    journal = Journal(folder)
    for number in range(3):
        journal.write(design(number), None)
    (file,) = folder.glob("*.journal")
    file.write_bytes(file.read_bytes()[:-30])
    ended(journal)
    window = application.open_design_window(None)
    window.files.offer_left_behind()
    said = window.strip.said.text()
    assert "“State 1” was not saved" in said
    assert "Its last edit cannot be read" in said


def test_work_that_nobody_got_to_read_stays_where_it_is(tmp_path: Path, monkeypatch) -> None:
    journal = Journal(tmp_path)
    journal.write(design(3), None)
    ended(journal)
    (file,) = tmp_path.glob("*.journal")
    one = INPUTS["unsaved"]

    def ends(*_):
        os.kill(os.getpid(), signal.SIGKILL)

    # Its reader is ended, whoever does that: what it was to read may be whole.
    monkeypatch.setattr(door, "_aside", None)
    monkeypatch.setitem(INPUTS, "unsaved", replace(one, read=ends))
    assert left_behind(tmp_path) == ([], [file])
    monkeypatch.setitem(INPUTS, "unsaved", one)
    (left,), damaged = left_behind(tmp_path)
    assert left.design == design(3)
    assert not damaged
