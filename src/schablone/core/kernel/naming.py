"""Where a face comes from, as a name that outlives changed sizes and counts.

A name is the step that made the face, its role there, the sketch element that raised it, and for
members of a row their number. It is written ``plate/side/outline.left`` or ``passage/wall#3``. The
first member bears the bare name, ``passage/wall``: so a face keeps its name when a row, a ring or a
mirror image comes later.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from functools import total_ordering

from ..words import say_name

_FORM = re.compile(
    r"^(?P<step>\w+(?:\.\w+)*)/(?P<role>\w+)(?:/(?P<element>[\w.]+))?(?:#(?P<member>\d+(?:\.\d+)*))?$"
)

_ROLE_WORDS = {
    "start": "near end",
    "end": "far end",
    "side": "side",
    "wall": "wall",
    "floor": "floor",
    "free": "free form",
    "here": "plane",
    "ground": "plane",
}

#: Which way ends look, as words by step and role, in the design that is spoken of.
_facing: ContextVar[Mapping[tuple[str, str], str] | None] = ContextVar("facing", default=None)


@contextmanager
def speaking_of(facing: Mapping[tuple[str, str], str]) -> Iterator[None]:
    """Say ends as they look (*top*, *left end*) in everything that is said meanwhile; ``facing`` by
    step and role."""
    token = _facing.set(facing)
    try:
        yield
    finally:
        _facing.reset(token)


def speak_of(facing: Mapping[tuple[str, str], str]) -> None:
    """The same from now on, for a program that shows one design."""
    _facing.set(facing)


@total_ordering
@dataclass(frozen=True, slots=True, eq=False)
class FaceName:
    """The provenance of a face. ``member`` counts from 1, outermost repeat first; leading ones tell
    nothing apart."""

    step: str
    role: str
    element: str = ""
    member: tuple[int, ...] = ()

    @property
    def _told_by(self) -> tuple[str, str, str, tuple[int, ...]]:
        member = self.member
        while member and member[0] == 1:
            member = member[1:]
        return self.step, self.role, self.element, member

    def __eq__(self, other: object) -> bool:
        return self._told_by == other._told_by if isinstance(other, FaceName) else NotImplemented

    def __lt__(self, other: FaceName) -> bool:
        return self._told_by < other._told_by

    def __hash__(self) -> int:
        return hash(self._told_by)

    def __str__(self) -> str:
        step, role, element, member = self._told_by
        number = f"#{'.'.join(map(str, member))}" if member else ""
        return f"{step}/{role}{f'/{element}' if element else ''}{number}"

    @property
    def exact(self) -> str:
        """The name with the number of its member, also where that is 1: for rules that mean this
        member and no other."""
        return f"{self}#1" if self.member and not self._told_by[3] else str(self)

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

    @property
    def bare(self) -> tuple[str, str, str]:
        """What all members of a row have alike: step, role and element."""
        return self.step, self.role, self.element

    def of_member(self, number: int) -> FaceName:
        """The name of the same face on a member of a row."""
        return FaceName(self.step, self.role, self.element, (number, *self.member))

    def unlike(self, other: FaceName) -> tuple[bool, bool, bool, FaceName]:
        """An order of names by how little they are like another one: of the same step, role and
        element first."""
        return self.step != other.step, self.role != other.role, self.element != other.element, self

    def made_by(self, step: str, role: str) -> FaceName:
        """The name that a step gives to what it makes of this face:
        ``copy/top/plate.side.left``."""
        return FaceName(
            step,
            role,
            f"{self.step}.{self.role}" + (f".{self.element}" if self.element else ""),
            self.member,
        )

    def words(self) -> str:
        """The name as people say it, the same everywhere: ``top of plate``, ``wall of passage
        3``."""
        step, role, element, member = self._told_by
        if not step:
            return "a face"
        what = _ROLE_WORDS.get(role, say_name(role))
        if role in ("start", "end"):
            what = (_facing.get() or {}).get((step, role), what)
        elif role == "side" and element:
            shape, _, edge = element.partition(".")
            what = (
                f"{say_name(edge)} side"
                if edge and not edge[0].isdigit()
                else f"side {say_name(edge or shape)}"
            )
        elif role == "face" and element.isdigit():
            what = f"face {element}"
        number = " " + ".".join(map(str, member)) if member else ""
        if role == "inside" and (of := self._made_from()) is not None:
            return f"inner {of.words()}{number}"
        return f"{what} of {say_within(step)}{number}"

    def _made_from(self) -> FaceName | None:
        """The face that :meth:`made_by` made this one of."""
        step, _, rest = self.element.partition(".")
        role, _, element = rest.partition(".")
        return FaceName(step, role, element) if role else None


#: The name of a face of which nothing tells where it comes from. No step can be called so.
NAMELESS = FaceName("", "face")


def say_within(step: str) -> str:
    """A step as people say it, with the stencil that it is a step of: ``pocket in grip``."""
    owner, _, inner = step.partition(".")
    return f"{say_name(inner)} in {say_name(owner)}" if inner else say_name(owner)


def owner_of(step: str) -> str:
    """The step of the design that a step belongs to: itself, or that which puts its stencil in, as
    ``grip`` does ``grip.pocket``."""
    return step.partition(".")[0]


def step_renamed(text: str, old: str, new: str) -> str:
    """The name of a step or of a face after a step was renamed, those within its stencil
    included."""
    rest = text[len(old) :]
    return new + rest if text.startswith(old) and rest[:1] in ("", "/", ".") else text


def say_face(text: str) -> str:
    """A written name of a face in words, whatever it is."""
    try:
        return FaceName.read(text).words()
    except ValueError:
        return say_name(text.replace("/", " "))
