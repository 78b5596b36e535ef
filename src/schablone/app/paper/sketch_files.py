"""A sketch read from files and written to them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from ...core.problem import SchabloneError
from ...core.whole_files import write_whole
from ..reading import read_file
from ..saving import ask_file
from .desk import Desk
from .paper import Paper


class SketchFiles:
    """Outlines from DXF onto the sheet, and the sketch as DXF or SVG."""

    def __init__(self, desk: Desk, paper: Paper) -> None:
        self.desk, self.paper = desk, paper

    def read_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.paper, "Read outlines", "", "DXF outlines (*.dxf)"
        )
        if path:
            self.read_from(Path(path))

    def read_from(self, path: Path) -> None:
        """Lay the outlines of a DXF file onto the sheet."""
        try:
            outlines = read_file(self.paper, "outlines", path, self.desk.settled_drawing())
        except SchabloneError as error:
            self.desk.said.emit(error.problems[0].text)
            return
        if self.desk.put(outlines.drawing, f"read {path.name}"):
            self.paper.fit()
        self.desk.said.emit(" ".join(outlines.notes) or f"Read {path.name}; nothing was left out.")

    def write_dialog(self) -> None:
        if self._refuses():
            return
        kinds = (("DXF", ".dxf"), ("SVG", ".svg"))
        path = ask_file(self.paper, "Write the sketch", self.desk.name, *kinds)
        if path is not None:
            self.write_to(path)

    def write_to(self, path: Path) -> None:
        """Write the sketch as DXF or SVG."""
        if self._refuses():
            return
        from ...core.publish.drawing_files import drawing_file  # loads when it is asked for

        helpers = {e.name for e in self.desk.drawing.curves if e.helper}
        drawn = [(name, curve) for name, curves in self.desk.curves.items() for curve in curves]
        outlines = [
            *self.desk.shape_curves,
            *(curve for name, curve in drawn if name not in helpers),
        ]
        try:
            data = drawing_file(
                outlines, [curve for name, curve in drawn if name in helpers], path.name
            )
            write_whole(path, data)
        except SchabloneError as error:
            self.desk.said.emit(error.problems[0].text)
            return
        self.desk.said.emit(f"Wrote {path.name}.")

    def _refuses(self) -> bool:
        """Whether what is drawn is not what was asked for; that is said."""
        if self.desk.trouble:
            self.desk.said.emit(f"Nothing is written. {self.desk.trouble}")
        return bool(self.desk.trouble)
