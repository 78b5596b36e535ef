"""Writes files for machines: single ones, all that the machines of a design take, and the sheet by
which a part is folded."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ..core.design import Design
from ..core.design.rebuild import Memory, Rebuilt, rebuild
from ..core.problem import SchabloneError, errors
from ..core.process.lens import LensView
from ..core.publish.bend_sheet import bend_sheet
from ..core.publish.exports import export
from ..core.publish.pieces import endings_of, pieces_of
from ..core.whole_files import write_whole
from . import talk

#: Hears how far a rebuild is: the number of the step, of how many, and its name.
Progress = Callable[[int, int, str], None]


def written(
    request: talk.Writing, design: Design, view: LensView, memory: Memory, at: Progress
) -> talk.Exported:
    """Build a design, write what is asked for, and tell.

    Raises:
        SchabloneError: where something of it cannot be built or written; files that were written
            before that stay.
    """
    given = {} if isinstance(request, talk.WriteBendSheet) else request.given
    built = rebuild(design, view, memory, given, at)
    if wrong := errors(built.problems):
        raise SchabloneError(*wrong)
    bytes_ = 0
    paths = []
    for path, data in _files(request, design, built):
        write_whole(path, data)
        paths.append(str(path))
        bytes_ += len(data)
    return talk.Exported(id=request.id, paths=tuple(paths), bytes=bytes_)


def _files(request: talk.Writing, design: Design, built: Rebuilt) -> list[tuple[Path, bytes]]:
    match request:
        case talk.Export():
            path = Path(request.path)
            return [(path, export(pieces_of(design, built, path.suffix), path.name))]
        case talk.ExportAll():
            stem = Path(request.stem)
            paths = [stem.with_name(stem.name + ending) for ending in endings_of(design, built)]
            return [
                (path, export(pieces_of(design, built, path.suffix), path.name)) for path in paths
            ]
        case talk.WriteBendSheet():
            path, names = Path(request.path), list(built.bodies)
            pieces = pieces_of(design, built)
            mine = [p for name, p in zip(names, pieces, strict=True) if name == request.part]
            return [(path, bend_sheet(mine, "svg" if path.suffix.lower() == ".svg" else "pdf"))]
