"""What an edition of a design offers: which sizes within which limits, and on which machines."""

from __future__ import annotations

from collections.abc import Sequence

from ..process.model import Process
from .model import Design


def suitable(design: Design, processes: Sequence[Process]) -> list[Process]:
    """The processes that a design is something for: those of the family of its own; for one that
    names none, printers."""
    family = next(
        (process.family for process in processes if process.name == design.process), "print"
    )
    return [process for process in processes if process.family == family] or list(processes)


def with_edition_limits(design: Design) -> Design:
    """The design with the edition's narrower limits and labels put onto its sizes."""
    sizes = list(design.sizes)
    for item in design.publish.adjust:
        for i, size in enumerate(sizes):
            if size.name == item.size:
                sizes[i] = size.with_(low=item.low or size.low, high=item.high or size.high)
    return design.model_copy(update={"sizes": tuple(sizes)})
