"""What came of a run, found again: by the design, the machines and the program that builds."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

from pydantic import TypeAdapter

from ..core.prove.ranges.told import ResultTold, SoFarTold
from .kept import Kept, engine
from .talk import Task


def key_of_task(task: Task) -> str:
    """Another text where anything of a task is another, but for where its outcomes are kept."""
    told = json.dumps(task.model_dump(mode="json", exclude={"kept"}), sort_keys=True)
    return hashlib.sha256(f"{engine()} {told}".encode()).hexdigest()


def kept_result(task: Task) -> ResultTold | None:
    """What came of the last run of a task, wherever that was; None where there was none, or
    something of it has changed since."""
    kept = Kept(Path(task.kept) if task.kept else None)
    text = kept.get(f"result:{key_of_task(task)}")
    kept.close()
    result, _ = read_result(text)
    return result


def read_result(text: str | None) -> tuple[ResultTold | None, SoFarTold | None]:
    """What is kept of a run: what came of it, or else how far it had got. What is kept damaged
    counts as not there: it is built again."""
    try:
        result = json.loads(text or "{}")
        if "found" in result:
            return TypeAdapter(ResultTold).validate_python(result), None
        return None, TypeAdapter(SoFarTold).validate_python(result) if result else None
    except (ValueError, TypeError):
        return None, None
