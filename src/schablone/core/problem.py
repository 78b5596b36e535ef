"""What is wrong, where, and what to do: the one form in which every part of Schablone reports."""

from typing import Literal

from .model import Frozen

Severity = Literal["error", "warning", "note"]
Area = Literal["size", "step", "check", "process", "design", "file", "publish", "part"]


class Problem(Frozen):
    """One thing that a person should know.

    ``area`` and ``name`` say where (the size *width*), ``field`` which formula of it, ``span`` the
    offending characters of that formula. ``waits_for`` names the place whose problem is the real
    cause. ``asks``: nothing is wrong, something is still to be chosen.
    """

    area: Area
    name: str = ""
    field: str = ""
    what: str
    hint: str = ""
    severity: Severity = "error"
    span: tuple[int, int] | None = None
    waits_for: str = ""
    asks: bool = False

    @property
    def text(self) -> str:
        """The problem in one line, with what to do."""
        return f"{self.what} {self.hint}".strip()

    @property
    def place(self) -> str:
        """Where it is, in words: ``size width``."""
        return f"{self.area} {self.name}".strip()

    def __str__(self) -> str:
        return f"{self.place}: {self.text}"


class SchabloneError(Exception):
    """Raised where a single thing went wrong; carries the problems as they are to be shown."""

    def __init__(self, *problems: Problem) -> None:
        super().__init__("\n".join(str(problem) for problem in problems))
        self.problems = problems


def errors(problems: tuple[Problem, ...] | list[Problem]) -> tuple[Problem, ...]:
    """Those problems that keep a design from being made."""
    return tuple(problem for problem in problems if problem.severity == "error")
