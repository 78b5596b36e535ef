"""Builders elsewhere: a Dask cluster that is there already, with Schablone installed on it. An
optional extra."""

from __future__ import annotations

import threading
from functools import lru_cache

from distributed import Client, Future, KilledWorker

from ..core.problem import Problem, SchabloneError
from ..core.prove.ranges.allowed import Point, point_as_data, point_from
from ..core.prove.ranges.judge import Judge, Outcome, outcome_from
from ..core.prove.ranges.told import PointTold
from .crew import ENDED
from .talk import Task

#: So many points are with the cluster for each of its threads.
_AHEAD = 2
#: How long to look for it, s.
_PATIENCE = 10.0


@lru_cache(maxsize=2)
def _judge(task: str) -> Judge:
    """Kept by each worker, with what it has built."""
    from ..core.kernel.threads import do_without_threads
    from .builder import judge_of
    from .kept import Kept

    do_without_threads()
    return judge_of(Task.model_validate_json(task), Kept(None))


def _outcome_of(task: str, point: PointTold) -> str:
    """What comes of a point; runs on the cluster."""
    return _judge(task).outcome(point_from(point)).as_text()


class Cluster:
    """Gives the points of one task to a cluster. One of its workers that ends has its points done
    by another; a point that ends several is told to end them."""

    def __init__(self, task: Task, address: str) -> None:
        """Raises SchabloneError where there is no cluster at the address."""
        # What is kept is kept here: workers may have no disk of ours.
        self._task = task.model_copy(update={"kept": ""}).model_dump_json()
        try:
            self._client = Client(address, timeout=_PATIENCE, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise SchabloneError(
                Problem(
                    area="file",
                    what=f"There is no cluster at {address}.",
                    hint="Start a scheduler and workers there, or build without.",
                )
            ) from error
        self._told: list[tuple[int, Outcome]] = []
        self._asked: dict[int, Future] = {}
        self._news = threading.Condition()
        self._fault: Exception | None = None

    def has_room(self) -> bool:
        """Whether it is worth giving it another point."""
        threads = sum(int(count) for count in self._client.nthreads().values())
        return len(self._asked) < max(1, _AHEAD * threads)

    def ask(self, number: int, point: Point) -> None:
        """Have a point judged."""
        future = self._client.submit(
            _outcome_of, self._task, point_as_data(point), pure=False, retries=1
        )
        self._asked[number] = future
        future.add_done_callback(lambda done: self._done(number, done))

    def _done(self, number: int, future: Future) -> None:
        """Comes from a thread of the client's."""
        if future.status == "cancelled":
            return
        outcome, fault = ENDED, None
        try:
            outcome = outcome_from(future.result())
        except KilledWorker:
            pass  # it ended every worker that had it
        except Exception as error:
            fault = error
        with self._news:
            self._fault = self._fault or fault
            self._told.append((number, outcome))
            self._news.notify()

    def told(self, timeout: float) -> list[tuple[int, Outcome]]:
        """What was found since one asked last; waits for so long, s, for something. Raises
        SchabloneError where the cluster cannot build at all: that is no fault of the design."""
        with self._news:
            if not self._told:
                self._news.wait(timeout)
            told, self._told = self._told, []
            if self._fault is not None:
                raise SchabloneError(_cannot_build(self._fault)) from self._fault
        for number, _ in told:
            self._asked.pop(number, None)
        return told

    def close(self) -> None:
        """Ask for nothing more; the cluster stays."""
        self._client.cancel(list(self._asked.values()))
        self._client.close()


def _cannot_build(error: Exception) -> Problem:
    return Problem(
        area="file",
        what=f"The cluster could not build: {error}.",
        hint="Look whether the same Schablone is installed on it.",
    )
