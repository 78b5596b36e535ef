"""The worker: messages, answers, being overtaken, cancelled and killed."""

import io
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QTimer

from schablone.app import worker_process
from schablone.app.supervisor import Supervisor, processor_time
from schablone.app.view3d.shown import part_from
from schablone.app.worker_client import WorkerClient
from schablone.core.design import Design, edit, write_design
from schablone.core.process import Process
from schablone.worker import talk
from schablone.worker.main import Worker
from schablone.worker.messages import Unpacker, pack


@given(
    st.lists(st.tuples(st.integers(0, 9), st.lists(st.floats(-10, 10), max_size=6)), max_size=5),
    st.integers(1, 40),
)
def test_messages_come_together_from_any_pieces(messages, cut: int) -> None:
    data = b"".join(pack({"id": number}, {"x": np.array(values)}) for number, values in messages)
    unpacker = Unpacker()
    found = [
        message for i in range(0, len(data), cut) for message in unpacker.feed(data[i : i + cut])
    ]
    assert [header["id"] for header, _ in found] == [number for number, _ in messages]
    assert [arrays["x"].tolist() for _, arrays in found] == [values for _, values in messages]


@pytest.fixture
def worker(qtbot):
    client = WorkerClient()
    client.start()
    yield client
    client.close()


def ask(
    qtbot, worker: WorkerClient, design: Design, process: Process, lens="wanted", known=None
) -> tuple[dict, dict]:
    with qtbot.waitSignal(worker.rebuilt) as caught:
        worker.rebuild(design, lens, process, known or {}, {})
    return caught.args


def test_a_rebuild_brings_mesh_names_and_figures(
    qtbot, worker, slide: Design, amsel: Process
) -> None:
    header, arrays = ask(qtbot, worker, slide, amsel)
    (part,) = header["parts"]
    assert header["whole"]
    assert part["title"] == "Entrance slide"
    shown = part_from(part, arrays, 0)
    assert shown.shape.triangles.max() < len(shown.shape.points)
    assert {face["words"] for face in shown.faces} >= {
        "top of plate",
        "wall of passage hole 26",
        "wall of dowel bore 2",
    }
    start, towards = np.array([0.0, 0.0, 100.0]), np.array([0.0, 0.0, -1.0])
    hit = shown.shape.pick(start, towards)
    assert shown.faces[hit[0]]["name"] == "plate/end"
    assert hit[1] == pytest.approx(96, abs=1e-3)
    assert shown.shape.pick(start + np.array([0, 500, 0]), towards) is None


def test_what_the_window_has_already_is_not_sent_again(
    qtbot, worker, slide: Design, amsel: Process
) -> None:
    header, _ = ask(qtbot, worker, slide, amsel)
    known = {part["name"]: part["key"] for part in header["parts"]}
    again, arrays = ask(qtbot, worker, slide, amsel, known=known)
    assert again["parts"][0]["unchanged"]
    assert not arrays


def test_the_newest_request_is_answered(qtbot, worker, slide: Design, amsel: Process) -> None:
    answers = []
    worker.rebuilt.connect(lambda header, arrays: answers.append(header))
    for width in range(100, 140):
        worker.rebuild(edit.set_formula(slide, "width", f"{width} mm"), "wanted", amsel, {}, {})
    qtbot.waitUntil(lambda: not worker.is_busy)
    assert len(answers) == 1
    low, high = answers[0]["parts"][0]["bounds"]
    assert high[0] - low[0] == pytest.approx(139)


def kill(worker: WorkerClient) -> None:
    """End it as soon as it is there: no process has the number 0, but all of ours would go."""
    while not worker.pid:
        time.sleep(0.005)
    os.kill(worker.pid, signal.SIGKILL)


def test_a_killed_worker_starts_again_and_answers(
    qtbot, worker, slide: Design, amsel: Process
) -> None:
    ask(qtbot, worker, slide, amsel)
    before = worker.pid
    with qtbot.waitSignals([worker.started_again, worker.rebuilt]):
        worker.rebuild(edit.set_formula(slide, "width", "250 mm"), "wanted", amsel, {}, {})
        os.kill(before, signal.SIGKILL)
    assert worker.pid != before
    assert ask(qtbot, worker, slide, amsel)[0]["whole"]


def test_a_worker_that_does_not_begin_is_started_again(
    qtbot, slide: Design, amsel: Process
) -> None:
    """Whatever holds it up before it says that it is ready: it must not keep the window waiting for
    ever."""
    client = WorkerClient()
    ordinary, patience = client.command, client.starting.interval()
    client.command = ["-c", "import time; time.sleep(100)"]
    client.starting.setInterval(700)
    client.start()
    client.command = ordinary
    client.started_again.connect(lambda: client.starting.setInterval(patience))
    client.rebuild(slide, "wanted", amsel, {}, {})
    with qtbot.waitSignal(client.rebuilt):
        pass
    client.close()


def test_a_program_that_cannot_be_started_is_tried_again(
    qtbot, slide: Design, amsel: Process, monkeypatch
) -> None:
    import sys

    client = WorkerClient()
    with monkeypatch.context() as patch:
        patch.setattr(sys, "executable", "/nowhere/python")
        patch.setattr(worker_process, "_original", None)
        client.start()
    client.rebuild(slide, "wanted", amsel, {}, {})
    with qtbot.waitSignal(client.rebuilt):
        pass
    client.close()


def test_what_kills_the_worker_again_and_again_is_given_up(
    qtbot, worker, slide: Design, amsel: Process
) -> None:
    ask(qtbot, worker, slide, amsel)
    fresh = worker.started_again.connect(lambda: QTimer.singleShot(0, lambda: kill(worker)))
    with qtbot.waitSignal(worker.refused) as caught:
        worker.rebuild(slide, "sent", amsel, {}, {})
        kill(worker)
    assert "ended several times" in caught.args[0][0].what
    worker.started_again.disconnect(fresh)
    qtbot.wait(300)
    assert ask(qtbot, worker, slide, amsel)[0]["whole"]


def test_cancelling_leaves_the_worker_ready(qtbot, worker, slide: Design, amsel: Process) -> None:
    ask(qtbot, worker, slide, amsel)
    with qtbot.waitSignal(worker.working):
        worker.rebuild(edit.set_formula(slide, "width", "555 mm"), "wanted", amsel, {}, {})
    worker.cancel()
    assert not worker.is_busy
    assert ask(qtbot, worker, slide, amsel)[0]["whole"]


def test_export_writes_or_says_why_not(
    qtbot, worker, slide: Design, amsel: Process, tmp_path: Path
) -> None:
    answers: list = []
    worker.export(slide, "sent", amsel, tmp_path / "a.stl", answers.append)
    worker.export(
        edit.set_formula(slide, "width", "wdth"), "sent", amsel, tmp_path / "b.stl", answers.append
    )
    worker.export(slide, "sent", amsel, tmp_path / "none" / "c.stl", answers.append)
    qtbot.waitUntil(lambda: len(answers) == 3)
    assert isinstance(answers[0], talk.Exported)
    assert (tmp_path / "a.stl").stat().st_size == answers[0].bytes
    assert "wdth" in answers[1].text
    assert "no such file or folder" in answers[2].text


def test_a_worker_that_stands_still_is_noticed_and_started_again(
    qtbot, worker, slide: Design, amsel: Process
) -> None:
    ask(qtbot, worker, slide, amsel)
    worker.supervisor.patience = 2000
    before = worker.pid
    os.kill(before, signal.SIGSTOP)
    with qtbot.waitSignal(worker.rebuilt):
        worker.rebuild(edit.set_formula(slide, "width", "251 mm"), "wanted", amsel, {}, {})
    assert worker.pid != before


def test_an_edit_after_giving_up_does_not_save_a_worker_that_hangs(
    qtbot, worker, slide: Design, amsel: Process
) -> None:
    ask(qtbot, worker, slide, amsel)
    before = worker.pid
    os.kill(before, signal.SIGSTOP)
    worker.rebuild(edit.set_formula(slide, "width", "252 mm"), "wanted", amsel, {}, {})
    worker.cancel()
    with qtbot.waitSignal(worker.rebuilt):
        worker.rebuild(edit.set_formula(slide, "width", "253 mm"), "wanted", amsel, {}, {})
    assert worker.pid != before


def test_one_that_works_hard_is_left_to_it(qtbot) -> None:
    busy = subprocess.Popen([sys.executable, "-c", "while True: pass"])
    told = []
    look = Supervisor(lambda: busy.pid, lambda: True)
    look.timer.stop()  # looked at by hand: a machine with much to do may leave it without its turn
    look.patience = 5 * look.timer.interval()
    look.stands_still.connect(lambda: told.append(1))
    for _ in range(20):
        before = processor_time(busy.pid)
        qtbot.waitUntil(lambda before=before: processor_time(busy.pid) > before)
        look.look()
    assert not told
    busy.send_signal(signal.SIGSTOP)
    for _ in range(8):
        look.look()
    assert told
    busy.kill()
    busy.wait()
    assert processor_time(busy.pid) == 0


def answers_of(*requests: dict) -> list:
    """What a worker in this process answers to requests."""
    sink = io.BytesIO()
    worker = Worker(io.BufferedReader(io.BytesIO(b"".join(pack(one) for one in requests))), sink)  # type: ignore[arg-type]
    worker.read_requests()  # all of them are there before the first is answered
    worker.run()
    return [talk.answer_of(header) for header, _ in Unpacker().feed(sink.getvalue())]


def test_a_fault_of_ours_is_told_as_ours_and_the_next_request_is_answered(
    slide: Design, amsel: Process, monkeypatch, capfd
) -> None:
    from schablone.worker import main as module

    def broken(*_: object, **__: object) -> None:
        raise KeyError("edge")

    scene = {
        "design": write_design(slide),
        "lens": "wanted",
        "process": amsel.model_dump(mode="json"),
    }
    monkeypatch.setattr(module, "what_follows", broken)
    _, refused, gauged = answers_of(
        {"do": "follow", "id": 1, "about": "width", **scene},
        {"do": "gauge", "id": 2, "about": "nothing | nowhere", **scene},
    )
    assert refused.ours
    assert "This is a fault in Schablone, not in your design (KeyError" in refused.text
    assert "KeyError" in capfd.readouterr().err
    assert not gauged.ours
    assert isinstance(gauged, talk.Refused)


def test_a_request_that_is_none_is_our_fault_and_ends_nothing(capfd) -> None:
    _, odd, lost = answers_of(
        {"do": "dance", "id": 4}, {"do": "features", "id": 5, "path": "/nowhere/a.stl"}
    )
    assert (odd.id, odd.ours) == (4, True)
    assert (lost.id, lost.ours) == (5, False)


def test_a_sheet_that_is_looked_at_gives_way_to_the_part_and_to_a_later_sheet(
    slide: Design, amsel: Process, tmp_path
) -> None:
    scene = {
        "design": write_design(slide),
        "lens": "wanted",
        "process": amsel.model_dump(mode="json"),
    }
    file = tmp_path / "slide.svg"
    answers = answers_of(
        {"do": "draw sheet", "id": 1, "about": "", **scene},
        {"do": "draw sheet", "id": 2, "about": str(file), **scene},
        {"do": "rebuild", "id": 3, "known": {}, "given": {}, **scene},
        {"do": "draw sheet", "id": 4, "about": "", **scene},
        {"do": "draw sheet", "id": 5, "about": "", **scene},
    )
    of = {answer.id: answer for answer in answers if answer.id != 3}
    assert [type(of[number]) for number in (1, 2, 4, 5)] == [
        talk.GivenUp, talk.SheetDrawn, talk.GivenUp, talk.SheetDrawn,
    ]  # fmt: skip
    assert file.stat().st_size == of[2].bytes  # what is written is written
    assert any(isinstance(answer, talk.RebuildDone) for answer in answers)
