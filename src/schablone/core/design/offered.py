"""What an edition of a design offers: which sizes within which limits, and on which machines."""

from __future__ import annotations

from collections.abc import Sequence

from ..process.model import Process, neutral
from ..quantity import TRUTH
from .evaluate import table_of
from .model import Design, Size


def suitable(design: Design, processes: Sequence[Process]) -> list[Process]:
    """The processes that a design is something for: those of the family of its own; for one that
    names none, printers."""
    family = next(
        (process.family for process in processes if process.name == design.process), "print"
    )
    return [process for process in processes if process.family == family] or list(processes)


def with_edition_limits(design: Design) -> Design:
    """The design with the edition's narrower limits put onto its sizes. What is yes or no needs
    none: it may be both."""
    sizes = {size.name: size for size in design.sizes}
    for item in design.publish.adjust:
        if (size := sizes.get(item.size)) is not None:
            low, high = item.low or size.low, item.high or size.high
            sizes[item.size] = size.with_(low=low, high=high)
    free = [item.size for item in design.publish.adjust if _is_free(sizes.get(item.size))]
    for name in yes_or_no(design).intersection(free) if free else ():
        sizes[name] = sizes[name].with_(low="no", high="yes")
    return design.model_copy(update={"sizes": tuple(sizes.values())})


def without_limits(design: Design) -> list[str]:
    """The sizes that others may adjust, though a lower or an upper limit is missing."""
    limited = with_edition_limits(design)
    adjusted = [limited.size(item.size) for item in design.publish.adjust]
    return [size.name for size in adjusted if size is not None and not (size.low and size.high)]


def _is_free(size: Size | None) -> bool:
    return size is not None and not (size.low or size.high)


def yes_or_no(design: Design) -> frozenset[str]:
    """The sizes that are yes or no."""
    cells = table_of(design, neutral()).cells
    return frozenset(name for name, cell in cells.items() if cell.wanted.kind == TRUTH)
