"""What connects a window with its worker: bytes both ways, and the end."""

from __future__ import annotations

import os
import signal

import pytest

from schablone.app import worker_process
from schablone.app.worker_client import WorkerClient
from schablone.app.worker_link import WorkerLink
from schablone.app.worker_process import WorkerProcess, a_worker, begin_one
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
    link = WorkerLink(WorkerProcess(("-c", code)))
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
def begun():
    begin_one()
    spare = worker_process._spare
    assert spare is not None
    yield spare
    spare.kill()
    spare.is_over_within(5)
    spare.let_go()
    worker_process._spare = None


def test_the_one_that_was_begun_is_taken_once_and_copies_of_this_process_have_none_of_it(
    begun: WorkerProcess,
) -> None:
    handles = (begun.socket.fileno(), begun.errors, begun.end)
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
    other = a_worker(("-c", "pass"))
    assert other is not begun
    assert other.is_over_within(20)
    other.let_go()
    assert a_worker() is begun
    assert worker_process._spare is None


def test_one_that_ended_before_it_was_taken_is_replaced(
    qtbot, begun: WorkerProcess, slide: Design, amsel: Process
) -> None:
    os.kill(begun.pid, signal.SIGKILL)
    client = WorkerClient()
    client.start()
    client.rebuild(slide, "wanted", amsel, {}, {})
    with qtbot.waitSignal(client.rebuilt):
        pass
    assert client.pid not in (0, begun.pid)
    client.close()
