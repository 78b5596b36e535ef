"""Range runs in processes of their own: interrupted and killed at any moment they go on and come to
the same; what ends a builder is told; a cluster builds the same."""

from __future__ import annotations

import contextlib
import json
import os
import random
import signal
import socket
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import pytest

from schablone.cli.main import main
from schablone.core.design import Adjustable, Publishing, edit
from schablone.core.design.file import save_design, write_design
from schablone.core.process import neutral, shipped_processes
from schablone.core.prove.ranges.judge import Failure, Outcome, outcome_from
from schablone.core.prove.ranges.result import say_proof
from schablone.core.steps import FOLDERS
from schablone.prover.crew import Crew
from schablone.prover.kept import Kept
from schablone.prover.results import read_result
from schablone.prover.run import RangeRun
from schablone.prover.talk import Lines, Task, line
from tests.conftest import TOP
from tests.core.test_ranges import hole, ranged

PROVE = [sys.executable, "-m", "schablone.cli.main", "prove"]
BREAKS = ranged(
    {"a": ("8 mm", "4 mm", "20 mm"), "b": ("30 mm", "10 mm", "60 mm")},
    hole("a"),
    checks={"apart": "not (a > 15 mm and b < 20 mm)"},
)
#: So much is built in a run of the tests.
BUILDS = "40"


def command(folder: Path, *more: str) -> list[str]:
    save_design(BREAKS, folder / "design.schablone")
    file, kept = str(folder / "design.schablone"), str(folder / "kept.sqlite")
    return [*PROVE, file, "--builds", BUILDS, "--json", "--kept", kept, *more]


def told(process: subprocess.CompletedProcess) -> dict:
    assert process.returncode in (0, 1), process.stderr
    return json.loads(process.stdout)


@pytest.fixture(scope="module")
def whole(tmp_path_factory) -> dict:
    """What a run comes to that nobody disturbs."""
    folder = tmp_path_factory.mktemp("whole")
    done = subprocess.run(command(folder), capture_output=True, text=True, check=False)
    assert done.returncode == 1, done.stderr
    found = told(done)
    (cause,) = found["breaks"]
    assert cause["away"] == ["a", "b"]
    assert cause["mend"] is not None
    return found


def killed_again_and_again(folder: Path, times: int, *, seed: int) -> dict:
    """Ended at so many random moments, each time started again; then let be."""
    chance = random.Random(seed)
    for _ in range(times):
        running = subprocess.Popen(
            command(folder), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        time.sleep(chance.uniform(0.2, 5.0))
        running.kill()
        running.wait()
    return told(subprocess.run(command(folder), capture_output=True, text=True, check=False))


def test_a_run_that_is_killed_goes_on_and_comes_to_the_same(whole: dict, tmp_path: Path) -> None:
    assert killed_again_and_again(tmp_path, 1, seed=5) == whole


@pytest.mark.nightly
def test_a_run_that_is_killed_at_twenty_moments_comes_to_the_same(
    whole: dict, tmp_path: Path
) -> None:
    assert killed_again_and_again(tmp_path, 20, seed=6) == whole


def test_builders_that_are_killed_are_started_again(whole: dict, tmp_path: Path) -> None:
    task = Task(design=write_design(BREAKS), process=neutral(), known=shipped_processes())
    crew, chance, kills = Crew(task, 2), random.Random(8), 0
    run = RangeRun(task, crew, int(BUILDS))
    built = 0

    def count(*_: object) -> None:
        nonlocal built
        built += 1

    for _ in run.go(count):
        if built > 5 * (kills + 1) and kills < 5 and crew.pids:
            with contextlib.suppress(ProcessLookupError):
                os.kill(chance.choice(crew.pids), signal.SIGKILL)
            kills += 1
    run.close()
    assert kills == 5
    assert all("worked out" not in f.check for o in run.errands.seen.values() for f in o.failures)
    assert [list(one.cause.away) for one in run.found] == [whole["breaks"][0]["away"]]
    failing = sum(not run.errands.seen[point].holds for point in run.planned)
    assert failing == sum(one["failing"] for one in whole["machines"].values())


def test_what_is_built_once_is_not_built_again(whole: dict, tmp_path: Path) -> None:
    first = subprocess.run(command(tmp_path), capture_output=True, text=True, check=False)
    kept = Kept(tmp_path / "kept.sqlite")
    assert kept._open is not None
    built = "SELECT count(*), max(number) FROM outcomes WHERE key NOT LIKE 'result:%'"
    before = kept._open.execute(built).fetchone()
    again = subprocess.run(command(tmp_path), capture_output=True, text=True, check=False)
    after = kept._open.execute(built).fetchone()
    kept.close()
    assert told(first) == told(again) == whole
    assert before == after


@pytest.mark.nightly
def test_a_damaged_cache_costs_time_only(whole: dict, tmp_path: Path) -> None:
    (tmp_path / "kept.sqlite").write_bytes(b"SQLite format 3\0" + bytes(range(256)) * 40)
    done = subprocess.run(command(tmp_path), capture_output=True, text=True, check=False)
    assert told(done) == whole


def test_a_point_that_ends_its_builder_is_told(tmp_path: Path) -> None:
    """A kind of step that falls over where a size is large."""
    script = f"""
import sys
sys.path.insert(0, {str(TOP)!r})
from tests.hosts.test_prover import ends_builders
ends_builders()
"""
    environment = {**os.environ, FOLDERS: str(TOP / "tests" / "harmful_kinds")}
    done = subprocess.run(
        [sys.executable, "-c", script], env=environment, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr[-3000:]


def ends_builders() -> None:
    """Runs where the harmful kind is known."""
    design = ranged(
        {"deep": ("3 mm", "1 mm", "9 mm")}, {"kind": "ender", "name": "end", "depth": "deep"}
    )
    task = Task(design=write_design(design), process=shipped_processes()[0])
    run = RangeRun(task, Crew(task, 2), 5)
    for _ in run.go():
        pass
    run.close()
    for point in run.planned:
        assert run.errands.seen[point].holds == (point.value("deep") <= 5)
    (found,) = run.found
    assert found.cause.failure.check == "The part can be worked out"
    assert "kernel ended" in found.cause.failure.why
    (edge,) = found.cause.edges
    assert 5 - 0.02 <= edge.holds <= 5 < edge.fails <= 5.02


@pytest.mark.nightly
def test_an_edition_tells_how_it_was_proved(tmp_path: Path) -> None:
    known = shipped_processes()
    design = BREAKS.with_(
        checks=(), process=known[0].name,
        publish=Publishing(adjust=(Adjustable(size="a", high="12 mm"), Adjustable(size="b"))),
    )  # fmt: skip
    save_design(design, tmp_path / "d.schablone")
    environment = {**os.environ, "XDG_CACHE_HOME": str(tmp_path / "cache")}

    def run(*words: str) -> None:
        command = [sys.executable, "-m", "schablone.cli.main", *words]
        done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr

    def readme(name: str) -> str:
        run("publish", str(tmp_path / "d.schablone"), "-o", str(tmp_path / name))
        with zipfile.ZipFile(tmp_path / name) as edition:
            assert b"Proved" not in edition.read("LICENCE.txt")
            return edition.read("README.md").decode()

    assert "Proved" not in readme("before.zip")
    run("prove", str(tmp_path / "d.schablone"), "--builds", "30")
    told = readme("proved.zip").partition("## Proved")[2]
    assert "30 builds over its whole range, on Printer Amsel" in told
    assert "all hold." in told
    # Another design is not proved by that.
    save_design(edit.change_step(design, "plate", "by", "5 mm"), tmp_path / "d.schablone")
    assert "Proved" not in readme("changed.zip")


def test_a_proof_says_what_breaks_as_well(whole: dict) -> None:
    result = {
        "whole": True, "done": 40, "machines": {"P": [40, 3]}, "unsure": [],
        "found": [{**whole["breaks"][0], "elsewhere": False}],
    }  # fmt: skip
    told = say_proof(result)
    assert told.startswith("40 builds over its whole range, on P. It breaks: With a ")
    assert "apart" in told
    assert say_proof({**result, "whole": False}) == ""
    assert say_proof(None) == ""
    other = {**result["found"][0], "elsewhere": True, "title": "On Q"}
    words = say_proof({**result, "found": [other]})
    assert "On the machine that it was made for all hold." in words
    assert words.endswith("Not made: On Q.")
    words = say_proof({**result, "found": [], "unsure": ["At 3 builds: No kerf is known"]})
    assert words.endswith(" all hold. At 3 builds: No kerf is known.")


def test_two_may_keep_at_once(tmp_path: Path) -> None:
    one, other = Kept(tmp_path / "k.sqlite"), Kept(tmp_path / "k.sqlite")
    one.put("a", "1")
    other.put("a", "2")
    other.put("b", "3")
    assert (one.get("a"), one.get("b"), one.get("c")) == ("2", "3", None)
    one.close()
    assert one.get("a") is None
    assert Kept(None).get("a") is None


def test_the_process_of_a_window_tells_maps_and_stops(tmp_path: Path) -> None:
    task = Task(
        design=write_design(BREAKS), process=shipped_processes()[0], kept=str(tmp_path / "k.sqlite")
    )
    running = subprocess.Popen(
        [sys.executable, "-m", "schablone.prover"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    assert running.stdin is not None
    assert running.stdout is not None
    lines = Lines()

    def until(word: str, count: int = 1) -> list[dict]:
        found: list[dict] = []
        while len(found) < count:
            data = running.stdout.readline()
            assert data, f"it ended before it told “{word}”"
            told = lines.feed(data)
            # What is told bears the number of the task that it is told of.
            assert {message["of"] for message in told} <= {of}
            found += [message[word] for message in told if word in message]
        return found

    def tell(**message: object) -> None:
        running.stdin.write(line(message))
        running.stdin.flush()

    of = 3
    tell(task=task.model_dump(mode="json"), of=of, builds=30)
    (ready,) = until("ready")
    assert [(span["name"], span["low"]) for span in ready["spans"]] == [("a", 4), ("b", 10)]
    assert ready["before"] is None
    assert ready["so_far"] is None
    tell(do="map", across="a", up="b", number=7)
    (begun,) = until("map")
    assert [len(values) for values in begun["values"]] == [17, 17]
    places = until("place", 17 * 17)
    assert {one["number"] for one in places} == {7}
    for one in places:
        a, b = begun["values"][0][one["i"]], begun["values"][1][one["j"]]
        assert one["holds"] == (not (a > 15 and b < 20))
    tell(do="run")
    until("built", 5)
    tell(do="stop")
    (result,) = until("done")
    assert not result["whole"]
    assert result["done"] < result["count"]
    tell(do="run")
    (result,) = until("done")
    assert result["whole"]
    assert result["found"][0]["away"] == ["a", "b"]
    of = 4
    tell(task=task.model_dump(mode="json"), of=of, builds=30)
    (ready,) = until("ready")
    assert ready["before"] == result
    running.stdin.close()
    assert running.wait(20) == 0
    running.stdout.close()


@pytest.mark.parametrize(
    "text",
    [None, "", "{", "7", '"found"', '{"found": 3}', '{"done": 1}', '{"done": [], "count": 2}'],
)
def test_what_is_kept_damaged_counts_as_not_there(text: str | None) -> None:
    assert read_result(text) == (None, None)


def test_how_far_a_run_had_got_is_told_apart_from_what_came_of_it() -> None:
    so_far = {"done": 5, "count": 40, "whole": False}
    assert read_result(json.dumps(so_far)) == (None, so_far)
    result = {**so_far, "machines": {"Amsel": [5, 0]}, "notes": [], "unsure": [], "found": []}
    assert read_result(json.dumps(result)) == (result, None)


@pytest.mark.parametrize("more", [["--builds", "0"], ["--builds", "many"], ["--hands", "-1"]])
def test_a_wrong_count_is_said_in_words(more: list[str], capsys) -> None:
    with pytest.raises(SystemExit) as ended:
        main(["prove", "x.schablone", *more])
    assert ended.value.code == 2
    assert "is no count" in capsys.readouterr().err


def test_where_there_is_no_cluster_that_is_said(tmp_path: Path) -> None:
    save_design(BREAKS, tmp_path / "d.schablone")
    words = ["prove", str(tmp_path / "d.schablone"), "--cluster", "tcp://127.0.0.1:1", "--fresh"]
    code = (
        "from schablone.cli.main import main\n"
        "from schablone.prover import cluster\n"
        "cluster._PATIENCE = 0.5\n"
        f"raise SystemExit(main({words!r}))\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert "There is no cluster at tcp://127.0.0.1:1" in done.stderr


@pytest.mark.nightly
def test_a_cluster_builds_the_same_though_a_worker_is_killed(whole: dict, tmp_path: Path) -> None:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        address = f"tcp://127.0.0.1:{free.getsockname()[1]}"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    port = address.rpartition(":")[2]
    dask = [sys.executable, "-m", "dask"]
    scheduler = subprocess.Popen(
        [*dask, "scheduler", "--host", "127.0.0.1", "--port", port, "--no-dashboard"], **quiet
    )
    workers = [
        subprocess.Popen(
            [*dask, "worker", address, "--nthreads", "1", "--no-dashboard", "--no-nanny",
             "--local-directory", str(tmp_path / f"w{k}")], **quiet,
        )
        for k in range(2)
    ]  # fmt: skip
    try:
        from distributed import Client

        with Client(address, timeout=60) as client:
            client.wait_for_workers(2, timeout=60)
        running = subprocess.Popen(
            command(tmp_path, "--cluster", address), stdout=subprocess.PIPE, text=True
        )
        kept = Kept(tmp_path / "kept.sqlite")
        assert kept._open is not None
        while kept._open.execute("SELECT count(*) FROM outcomes").fetchone()[0] < 8:
            assert running.poll() is None
            time.sleep(0.1)
        kept.close()
        workers[0].kill()
        out, _ = running.communicate(timeout=240)
        assert json.loads(out) == whole
    finally:
        for process in (*workers, scheduler):
            process.kill()
            process.wait()


def test_what_cannot_be_told_apart_from_a_fault_is_no_fault_of_the_design() -> None:
    """An outcome survives its way as text, whatever is in it."""
    odd = Outcome(
        (Failure("“quoted”\n", 'a "b" \\ c', "", "step", "ä", True),), (("n", 3.0),), (("a", "b"),)
    )
    assert outcome_from(odd.as_text()) == odd
