"""What goes between those who take part in a range run: one JSON object a line.

A ``Task`` is what is to be proved; a builder gets it first, then numbered points, and answers each
with its number and outcome.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict

from ..core.design.file import read_design_text
from ..core.process.model import Process
from ..core.prove.ranges.allowed import Allowed, allowed_of


class Task(BaseModel):
    """A design with the process it is made by, and all that are known; ``kept`` is where outcomes
    are kept, empty for nowhere."""

    model_config = ConfigDict(frozen=True)

    design: str
    process: Process
    known: tuple[Process, ...] = ()
    kept: str = ""

    def allowed(self) -> Allowed:
        """What may vary of it."""
        return allowed_of(read_design_text(self.design), self.process, self.known)


def line(data: dict[str, Any]) -> bytes:
    """One message."""
    return json.dumps(data, ensure_ascii=False).encode("utf8") + b"\n"


@dataclass(slots=True)
class Lines:
    """Puts messages together from pieces of bytes as they arrive."""

    pending: bytes = b""

    def feed(self, data: bytes) -> list[dict[str, Any]]:
        """Add bytes; the messages that are complete."""
        *whole, self.pending = (self.pending + data).split(b"\n")
        return [json.loads(text) for text in whole if text.strip()]
