"""What was copied from a sheet of paper."""

from __future__ import annotations

from ...core.sketch.copying import copied
from ...core.sketch.drawing import Drawing
from .desk import Desk


class Clipboard:
    """The elements that were chosen, in the drawing that they were copied from."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self._held: tuple[Drawing, list[str]] | None = None

    def copy(self) -> None:
        """Take what is chosen."""
        self._held = (self.desk.settled_drawing(), list(self.desk.chosen))

    def paste(self, aside: float) -> None:
        """Draw it once more, so many mm to the right and below."""
        if self._held is None:
            return
        source, chosen = self._held
        names = [name for name in chosen if name in source.by_name]
        if not names:
            return
        before, way = self.desk.settled_drawing(), (1.0, 0.0, 0.0, 1.0, aside, -aside)
        changed, made = copied(before, names, [way], source=source)
        if self.desk.put(changed, "paste"):
            self.desk.choose([made[0][name] for name in names])
