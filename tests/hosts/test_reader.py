"""The one door for files from outside: what comes back, what it may cost, and what ends it."""

from __future__ import annotations

import ast
import contextlib
import json
import os
import pickle
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import pytest

import schablone
from schablone import reader
from schablone.apart import limits
from schablone.core.design import read_design, save_design
from schablone.core.design.rebuild import rebuild
from schablone.core.packed import packed
from schablone.core.problem import SchabloneError
from schablone.core.process import LensView, neutral, shipped_processes
from schablone.core.process.store import write_process
from schablone.core.publish.exports import export
from schablone.core.publish.pieces import pieces_of
from schablone.core.reuse import stencils_on_the_shelf, write_stencil
from schablone.reader import door, values
from schablone.reader.inputs import INPUTS, Input
from tests.conftest import TOP, plate

DEMOS = sorted((TOP / "demo").glob("*.schablone"))


@pytest.fixture(params=["a copy of this process", "one set aside"])
def way(request, monkeypatch):
    """Both ways in which a reader comes to be."""
    monkeypatch.setattr(door, "_aside", None)
    if request.param == "one set aside":
        reader.open_door()
    yield request.param
    if door._aside is not None:
        door._aside.end()


def refused(kind: str, path: Path, extra=None) -> str:
    with pytest.raises(SchabloneError) as caught:
        reader.read(kind, path, extra)
    return " ".join(problem.text for problem in caught.value.problems)


def test_what_comes_back_is_what_the_file_holds(way) -> None:
    assert reader.read("design", DEMOS[0]) == read_design(DEMOS[0])
    assert reader.read_all("design", DEMOS) == [read_design(path) for path in DEMOS]
    assert reader.read_all("design", []) == []


def test_processes_readings_tables_and_settings(way, tmp_path) -> None:
    process = shipped_processes()[0]
    (tmp_path / "p.json").write_text(write_process(process), "utf8")
    assert reader.read("process", tmp_path / "p.json") == process
    (tmp_path / "r.csv").write_text("hole [inch];second\n0.5;0.25\n1;\n", "utf8")
    assert reader.read("readings", tmp_path / "r.csv", 2) == [["12.7", "6.35"], ["25.4"]]
    assert "has 2 rows, there are 3" in refused("readings", tmp_path / "r.csv", 3)
    (tmp_path / "r.csv").write_text("hole [cm]\n1\n", "utf8")
    assert "neither in millimetres nor in inches" in refused("readings", tmp_path / "r.csv", 1)
    (tmp_path / "s.csv").write_text("name,formula\nwide,40 mm\n", "utf8")
    (size,) = reader.read("sizes", tmp_path / "s.csv")
    assert (size.name, size.formula) == ("wide", "40 mm")
    stencil = stencils_on_the_shelf()[0]
    (tmp_path / "s.stencil").write_text(write_stencil(stencil), "utf8")
    assert reader.read("stencil", tmp_path / "s.stencil") == stencil
    (tmp_path / "deep.stencil").write_text("[" * 900_000)
    assert "nested too deeply" in refused("stencil", tmp_path / "deep.stencil")
    (tmp_path / "settings.json").write_text('{"dark": true}')
    assert reader.read("settings", tmp_path / "settings.json") == {"dark": True}


def test_one_that_is_wrong_stops_no_other(way, tmp_path) -> None:
    (tmp_path / "wrong.schablone").write_text("[")
    first, second = reader.read_all("design", [tmp_path / "wrong.schablone", DEMOS[0]])
    assert isinstance(first, SchabloneError)
    assert second == read_design(DEMOS[0])
    assert "no such file" in refused("design", tmp_path / "nowhere")
    assert "folder" in refused("design", tmp_path)


def test_solids_are_looked_at_with_the_kernel_both_ways(way, tmp_path) -> None:
    built = rebuild(plate(), LensView("wanted", neutral()))
    data = export(pieces_of(plate(), built, ".step"), "plate.step")
    (tmp_path / "plate.step").write_bytes(data)
    count, flat, (low, high) = reader.read("description", tmp_path / "plate.step")
    assert (count, len(flat)) == (6, 6)
    assert [b - a for a, b in zip(low, high, strict=True)] == pytest.approx([100, 40, 4])
    outline = {"kind": "file", "file": "plate.step", "data": packed(data), "size": [100, 40, 4]}
    part = {"format": "schablone bought part", "version": 1, "name": "own", "outline": outline}
    (tmp_path / "own.bought").write_text(json.dumps(part))
    assert reader.read("bought", tmp_path / "own.bought").outline.size == (100, 40, 4)
    (tmp_path / "half.step").write_bytes(data[: len(data) // 2])
    assert "STEP file" in refused("description", tmp_path / "half.step")


def bad(monkeypatch, read, seconds: int = 5, memory: int = 100, waits: int = 60) -> str:
    """What is said of a file whose reader does this."""
    one = Input("bad", "a bad file", 100, memory, seconds, "anybody", read, "core.packed")
    monkeypatch.setitem(INPUTS, "bad", one)
    monkeypatch.setattr(door, "_aside", None)  # a copy of this process knows that kind
    monkeypatch.setattr(limits, "WAITS", waits)  # not for want of a turn on a busy machine
    monkeypatch.setattr(door, "WAITS", waits)
    return refused("bad", Path("/dev/null"))


def endless(*_):
    while True:
        pass


def endless_in_a_library(*_):
    int("7" * 4000) ** 30_000_000  # it does not come back to where anybody raises


class TestWhatCostsTooMuch:
    def test_memory(self, monkeypatch) -> None:
        said = bad(monkeypatch, lambda *_: bytearray(400_000_000))
        assert "needs more than 100 MB" in said

    def test_memory_in_small_pieces(self, monkeypatch) -> None:
        def grows(*_):
            found = []
            while True:
                found.append([None] * 1000)

        assert "needs more than 100 MB" in bad(monkeypatch, grows)

    def test_time(self, monkeypatch) -> None:
        assert "takes more than 1 s" in bad(monkeypatch, endless, seconds=1)

    def test_time_in_a_library(self, monkeypatch) -> None:
        assert "takes more than 1 s" in bad(monkeypatch, endless_in_a_library, seconds=1)

    @pytest.mark.parametrize("by_itself", [True, False])
    def test_waiting(self, monkeypatch, by_itself) -> None:
        def waits(*_):
            if not by_itself:  # only who waits for it ends it
                signal.alarm(0)
            time.sleep(600)

        said = bad(monkeypatch, waits, seconds=1, waits=0)
        assert "was waited for in vain" in said
        assert "harm" not in said  # nothing is known of the file

    def test_what_nobody_writes_to(self, tmp_path, monkeypatch) -> None:
        os.mkfifo(tmp_path / "pipe.json")
        slow = INPUTS["settings"]
        monkeypatch.setitem(
            INPUTS, "settings", Input("settings", "", 100, 100, 1, "", slow.read, slow.values)
        )
        monkeypatch.setattr(door, "_aside", None)
        assert "does not answer" in refused("settings", tmp_path / "pipe.json")


class TestWhatEndsAReader:
    def test_a_signal(self, monkeypatch) -> None:
        said = bad(monkeypatch, lambda *_: os.kill(os.getpid(), signal.SIGSEGV))
        assert "ended its reader" in said
        assert "Nothing else is lost" in said

    def test_a_fault_of_ours(self, monkeypatch) -> None:
        said = bad(monkeypatch, lambda *_: {}["nothing"])
        assert "fault in Schablone, not in the file" in said

    def test_what_is_no_value(self, monkeypatch) -> None:
        assert "ended its reader" in bad(monkeypatch, lambda *_: os.system)

    def test_one_of_several(self, monkeypatch, tmp_path) -> None:
        def reads(data, name, _):
            if data == b"bad":
                os.kill(os.getpid(), signal.SIGKILL)
            return name

        one = Input("bad", "a bad file", 100, 100, 5, "anybody", reads, "core.packed")
        monkeypatch.setitem(INPUTS, "bad", one)
        monkeypatch.setattr(door, "_aside", None)
        for name, held in (("a", b"good"), ("b", b"bad"), ("c", b"good")):
            (tmp_path / name).write_bytes(held)
        first, second, third = reader.read_all("bad", [tmp_path / name for name in "abc"])
        assert (first, third) == ("a", "c")
        assert "ended its reader" in str(second)

    @pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGSTOP])
    def test_the_one_set_aside(self, monkeypatch, how) -> None:
        monkeypatch.setattr(door, "_aside", None)
        monkeypatch.setattr(door, "_COPIES", 0.5)
        reader.open_door()
        aside = door._aside.pid
        os.kill(aside, how)
        # A fresh one is begun, and what was asked for comes.
        assert reader.read("design", DEMOS[0]) == read_design(DEMOS[0])
        assert reader.read("design", DEMOS[1]) == read_design(DEMOS[1])
        assert not Path(f"/proc/{aside}").exists()
        door._aside.end()


class TestValues:
    def test_nothing_that_runs(self) -> None:
        class Evil:
            def __reduce__(self):
                return os.system, ("true",)

        for evil in (Evil(), os.system, subprocess.run, eval, schablone):
            with pytest.raises((pickle.UnpicklingError, TypeError)):
                values.unpacked(pickle.dumps(evil))
        # Functions and modules of ours are no values either, nor what is reached through them.
        for module, name in (
            ("schablone.core.files", "read_bytes"),
            ("schablone.core.whole_files", "os.system"),
            ("schablone.reader.door", "subprocess"),
        ):
            data = b"\x80\x05\x8c" + bytes([len(module)]) + module.encode()
            data += b"\x8c" + bytes([len(name)]) + name.encode() + b"\x93."
            with pytest.raises(pickle.UnpicklingError):
                values.unpacked(data)

    def test_what_is_cut_off(self) -> None:
        data = values.packed(plate())
        assert values.unpacked(data) == plate()
        for length in range(0, len(data) - 1, 97):
            with pytest.raises(pickle.UnpicklingError):
                values.unpacked(data[:length])


def test_small_files_that_would_be_large_cost_nothing(way, tmp_path) -> None:
    path = tmp_path / "bomb.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_BZIP2) as archive:
        archive.writestr("design.schablone", b"\0" * 50_000_000)
    assert "packed in a way that editions are not" in refused("edition", path)
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for k in range(4):
            archive.writestr(f"{k}", b"\0" * 90_000_000)
    assert "it would be 360 MB large" in refused("edition", path)
    (tmp_path / "lists.schablone").write_text("[" + "[]," * 900_000 + "[]]")
    assert "more than 1,000,000 values" in refused("design", tmp_path / "lists.schablone")
    (tmp_path / "deep.schablone").write_text("[" * 900_000)
    assert "nested too deeply" in refused("design", tmp_path / "deep.schablone")


def test_all_that_is_read_goes_through_the_door() -> None:
    """No host reads a file of somebody else by itself."""
    reads = {
        "read_bytes", "read_text", "parse_json", "read_design", "read_edition", "read_process",
        "read_bought", "read_off_cuts", "read_step", "read_dxf", "features_of_file",
        "strips_of_file", "ZipFile", "load", "loads", "reader",
    }  # fmt: skip
    # Files of the program, its own messages and its own log.
    may = {
        "app/theme.py", "app/demo.py", "app/guard.py", "app/supervisor.py", "app/publisher.py",
        "worker/messages.py", "cli/making.py",
    }  # fmt: skip
    folder = Path(schablone.__file__).parent
    for host in ("app", "cli", "worker"):
        for path in (folder / host).rglob("*.py"):
            here = path.relative_to(folder).as_posix()
            for node in ast.walk(ast.parse(path.read_text("utf8"))):
                called = getattr(node, "func", None)
                name = getattr(called, "attr", getattr(called, "id", ""))
                assert name not in reads or here in may, f"{here}:{node.lineno} calls {name}"


def test_a_command_whose_kernel_ends_says_so(tmp_path) -> None:
    save_design(plate(), tmp_path / "plate.schablone")
    code = (
        "import os, signal, sys\n"
        "from schablone.cli import main\n"
        "main.main = lambda: os.kill(os.getpid(), signal.SIGSEGV)\n"
        "main.run()\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert "The geometry kernel ended at this" in done.stderr
    assert "Traceback" not in done.stderr


def test_a_worker_has_so_much_memory_and_knows_when_it_runs_short() -> None:
    code = (
        "from schablone.apart.limits import allow_one_more, is_nearly_full, limit_worker\n"
        "assert not is_nearly_full()\n"  # where nothing is limited nothing runs short
        "limit_worker()\n"
        "allow_one_more()\n"
        "assert not is_nearly_full()\n"
        "half = bytearray(600_000_000)\n"
        "assert is_nearly_full()\n"
        "try:\n"
        "    more = bytearray(600_000_000)\n"
        "except MemoryError:\n"
        "    print('no more')\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.stdout == "no more\n", done.stderr


def test_a_stopped_worker_goes_with_who_started_it(tmp_path) -> None:
    code = (
        "import os, signal, subprocess, sys, time\n"
        "worker = subprocess.Popen([sys.executable, '-m', 'schablone.worker'],\n"
        "                          stdin=subprocess.PIPE, stdout=subprocess.PIPE,\n"
        "                          stderr=subprocess.DEVNULL)\n"
        "worker.stdout.read(1)\n"  # it has begun
        "os.kill(worker.pid, signal.SIGSTOP)\n"
        "print(worker.pid, flush=True)\n"
        "os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    state = Path(f"/proc/{int(done.stdout)}/stat")
    until = time.monotonic() + 20
    while state.exists() and time.monotonic() < until:
        with contextlib.suppress(OSError):
            if state.read_text().rpartition(")")[2].split()[0] == "Z":
                break  # ended, and nobody has asked how
        time.sleep(0.05)
    else:
        is_there = state.exists()
        if is_there:
            os.kill(int(done.stdout), signal.SIGKILL)
        assert not is_there
