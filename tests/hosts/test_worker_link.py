"""What connects a window with its worker: bytes both ways, and the end."""

from __future__ import annotations

import errno
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

from schablone.apart.copies import Original
from schablone.apart.serving import serve
from schablone.app import worker_process
from schablone.app.worker_client import WorkerClient
from schablone.app.worker_link import WorkerLink
from schablone.app.worker_process import a_worker
from schablone.core.design import Design
from schablone.core.process import Process

#: More than any socket holds.
MUCH = 5_000_000

ECHO = f"""
import sys
read = sys.stdin.buffer.read({MUCH})
sys.stderr.write("so many: %d" % len(read))
sys.stdout.buffer.write(read)
"""


def linked(code: str, **told: list[bytes]) -> WorkerLink:
    link = WorkerLink(a_worker(("-c", code)))
    for signal_, heard in told.items():
        getattr(link, signal_).connect(heard.append)
    return link


def test_much_goes_both_ways_and_the_end_comes_last(qtbot) -> None:
    heard: list[bytes] = []
    complained: list[bytes] = []
    link = linked(ECHO, heard=heard, complained=complained)
    data = os.urandom(MUCH)
    with qtbot.waitSignal(link.ended):
        link.send(data[:1000])
        link.send(data[1000:])
    assert b"".join(heard) == data
    assert b"".join(complained) == b"so many: %d" % MUCH
    assert link.pid == 0
    link.send(b"nobody is there")
    link.kill()
    link.close()


def test_one_that_does_not_read_keeps_nobody_waiting(qtbot) -> None:
    link = linked("import time; time.sleep(100)")
    link.send(bytes(MUCH))
    pid = link.pid
    link.close()
    with pytest.raises(ProcessLookupError):
        os.kill(pid, 0)


def test_one_that_closes_its_output_is_there_until_it_ends(qtbot) -> None:
    heard: list[bytes] = []
    link = linked("import os, time; os.close(1); os.close(0); time.sleep(0.5)", heard=heard)
    with qtbot.waitSignal(link.ended):
        qtbot.wait(100)
        link.send(bytes(MUCH))
    assert heard == []


@pytest.fixture
def original(monkeypatch):
    """What workers are copies of, begun for this test."""
    begun = Original.begun("schablone.worker")
    monkeypatch.setattr(worker_process, "_original", begun)
    yield begun
    worker_process._original.end()


def rebuilds(qtbot, slide: Design, amsel: Process) -> WorkerClient:
    client = WorkerClient()
    client.start()
    client.rebuild(slide, "wanted", amsel, {}, {})
    with qtbot.waitSignal(client.rebuilt):
        pass
    return client


def parent(pid: int) -> int:
    return int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[1])


def is_gone(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True


def test_copies_of_this_process_have_nothing_of_its_workers(original: Original) -> None:
    worker = a_worker()
    handles = (worker.socket.fileno(), worker.errors, worker.moves, original._connection.fileno())
    child = os.fork()
    if child == 0:
        left = 0
        for handle in handles:
            try:
                os.fstat(handle)
                left += 1
            except OSError:
                pass
        os._exit(left)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
    for handle in handles:
        os.fstat(handle)  # here it is held
    worker.let_go()
    worker.let_go()


def test_workers_are_copies_of_one_process_each_with_its_own_end(
    qtbot, original: Original, slide: Design, amsel: Process
) -> None:
    first, second = (rebuilds(qtbot, slide, amsel) for _ in range(2))
    assert parent(first.pid) == parent(second.pid) == original.pid
    with qtbot.waitSignal(first.started_again):
        os.kill(first.pid, signal.SIGSEGV)
    first.rebuild(slide, "wanted", amsel, {}, {})
    with qtbot.waitSignal(first.rebuilt):
        pass
    ended = first.pid, second.pid
    assert parent(first.pid) == original.pid
    for client in (first, second):
        client.close()
    assert all(is_gone(pid) for pid in ended)


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGSTOP])
def test_one_that_ended_or_stands_still_is_replaced(
    qtbot, monkeypatch, original: Original, slide: Design, amsel: Process, how: signal.Signals
) -> None:
    client = rebuilds(qtbot, slide, amsel)
    before = client.pid
    os.kill(original.pid, how)
    patience = client.starting.interval()
    with qtbot.waitSignal(client.started_again):
        client._end_worker()
    client.started_again.connect(lambda: client.starting.setInterval(patience))
    client.starting.start(500)  # so long is one waited for that only might come
    client.rebuild(slide, "wanted", amsel, {}, {})
    with qtbot.waitSignal(client.rebuilt):
        pass
    assert client.pid not in (0, before)
    assert parent(client.pid) != original.pid
    client.close()


def test_a_window_that_closes_before_its_worker_is_there_ends_no_other(
    qtbot, original: Original, slide: Design, amsel: Process
) -> None:
    client = rebuilds(qtbot, slide, amsel)
    os.kill(original.pid, signal.SIGSTOP)
    other = WorkerClient()
    other.start()
    other.close()
    os.kill(original.pid, signal.SIGCONT)
    client.rebuild(slide, "sent", amsel, {}, {})
    with qtbot.waitSignal(client.rebuilt):
        pass
    assert parent(client.pid) == original.pid
    children = Path(f"/proc/{original.pid}/task/{original.pid}/children")
    qtbot.waitUntil(lambda: children.read_text().split() == [str(client.pid)])
    client.close()


@pytest.mark.parametrize(
    "before", ["", "from schablone.app.main import load_window; load_window()\n"]
)
def test_all_of_it_goes_with_the_window_and_has_nothing_of_it(before: str) -> None:
    code = (
        f"{before}import os, signal\n"
        "from schablone.app.worker_process import a_worker\n"
        "worker = a_worker()\n"
        "assert worker._process.is_there_within(60)\n"
        "assert 'libQt' not in open(f'/proc/{worker.pid}/maps').read()\n"
        "print(worker._process._original.pid, worker.pid, flush=True)\n"
        "os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    pids = [int(word) for word in done.stdout.split()]
    assert len(pids) == 2, done.stderr
    until = time.monotonic() + 20
    while not all(is_gone(pid) for pid in pids):
        assert time.monotonic() < until
        time.sleep(0.02)


def test_where_no_copy_can_be_made_that_is_told_and_the_next_may_be() -> None:
    fork, fails = os.fork, [True]

    def serve_one(connection: socket.socket) -> None:
        def failing() -> int:
            if fails and fails.pop():
                raise BlockingIOError(errno.EAGAIN, "no more processes")
            return fork()

        os.fork = failing  # in the process that is copied only
        serve(connection, lambda wish, _: os._exit(len(wish)))

    served = Original.copied(serve_one)
    first, second = served.copy(b"12"), served.copy(b"123")
    assert first.is_over_within(20)
    assert first.pid == 0
    assert second.is_over_within(20)
    assert second.code == 3
    for copy in (first, second):
        copy.let_go()
    served.end()
