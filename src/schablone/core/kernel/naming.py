"""Where a face comes from, as a name that outlives changed sizes and counts.

A name is the step that made the face, its role there, the sketch element that raised it, and for members of
a row their number from 1. It is written ``plate/side/outline.left`` or ``passage/wall#3``.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

_FORM = re.compile(r"^(?P<step>\w+)/(?P<role>\w+)(?:/(?P<element>[\w.]+))?(?:#(?P<member>\d+(?:\.\d+)*))?$")

_ROLE_WORDS = {"start": "start", "end": "end", "side": "side", "wall": "wall", "floor": "floor"}


@dataclass(frozen=True, slots=True, order=True)
class FaceName:
    """The provenance of a face."""

    step: str
    role: str
    element: str = ""
    member: tuple[int, ...] = ()

    def __str__(self) -> str:
        element = f"/{self.element}" if self.element else ""
        member = f"#{'.'.join(map(str, self.member))}" if self.member else ""
        return f"{self.step}/{self.role}{element}{member}"

    @classmethod
    def read(cls, text: str) -> FaceName:
        """The name that :meth:`__str__` wrote.

        Raises:
            ValueError: if the text is no name of a face.
        """
        match = _FORM.match(text)
        if match is None:
            raise ValueError(f"“{text}” is no name of a face")
        member = tuple(int(part) for part in (match["member"] or "").split(".") if part)
        return cls(match["step"], match["role"], match["element"] or "", member)

    def of_member(self, number: int) -> FaceName:
        """The name of the same face on a member of a row."""
        return FaceName(self.step, self.role, self.element, (number, *self.member))

    def made_by(self, step: str, role: str) -> FaceName:
        """The name that a step gives to what it makes of this face: ``copy/top/plate.side.left``."""
        return FaceName(
            step, role, f"{self.step}.{self.role}" + (f".{self.element}" if self.element else ""), self.member
        )

    def words(self, normal: tuple[float, float, float] | None = None) -> str:
        """The name as people say it: ``top of plate``, ``wall of passage 3``."""
        what = _ROLE_WORDS.get(self.role, self.role)
        if self.role in ("start", "end") and normal is not None:
            what = _facing(normal) or what
        if self.role == "side" and self.element:
            shape, _, edge = self.element.partition(".")
            what = f"{edge} side" if edge and not edge.isdigit() else f"side {edge or shape}"
        number = " " + ".".join(map(str, self.member)) if self.member else ""
        return f"{what} of {say_name(self.step)}{number}"


def say_name(name: str) -> str:
    """An identifier as people write it: ``row_of_passages`` is ``row of passages``."""
    return name.replace("_", " ")


def _facing(normal: tuple[float, float, float]) -> str:
    for axis, words in enumerate((("left end", "right end"), ("front", "back"), ("bottom", "top"))):
        if abs(normal[axis]) > 0.999:
            return words[normal[axis] > 0]
    return ""
