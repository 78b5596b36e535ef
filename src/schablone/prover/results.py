"""What came of a run, found again: by the design, the machines and the program that builds."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any

from .kept import Kept, engine
from .talk import Task


def key_of_task(task: Task) -> str:
    """Another text where anything of a task is another, but for where its outcomes are kept."""
    told = json.dumps(task.model_dump(mode="json", exclude={"kept"}), sort_keys=True)
    return hashlib.sha256(f"{engine()} {told}".encode()).hexdigest()


def kept_result(task: Task) -> dict[str, Any] | None:
    """What came of the last run of a task, wherever that was; None where there was none, or
    something of it has changed since."""
    kept = Kept(Path(task.kept) if task.kept else None)
    text = kept.get(f"result:{key_of_task(task)}")
    kept.close()
    found: dict[str, Any] | None = json.loads(text) if text else None
    return found if found is not None and "found" in found else None
