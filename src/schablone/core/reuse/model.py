"""The file of a stencil: sketches and steps that follow each other, where they are anchored, and
the sizes that are open.

Within it the plane *ground* is that of the anchor, its x the anchor's direction; ``host`` is the
part that it is put into: as a part of steps, as ``host/here`` the face that the anchor lies on, and
in formulas as what is asked of it (``host.along``).
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ..formula.errors import FormulaError
from ..formula.parse import check_name
from ..formula.rewrite import columns_in, names_in
from ..model import FormulaText, Frozen, Identifier, OneLine, Paragraphs
from ..steps import KINDS, AnyStep
from ..steps.anchored import ASKED
from ..steps.base import Step
from ..words import say_name

#: The part that a stencil is put into, and the face that its anchor lies on.
HOST = "host"
HERE = f"{HOST}/here"

#: As of a design's sizes.
SizeKind = Literal["", "count", "length", "area", "volume", "mass", "angle", "density", "truth"]


class StencilSize(Frozen):
    """A size of a stencil. An ``open`` one is asked where the stencil is put in; its formula is
    what it is there at first. Past its limits the stencil is refused."""

    name: Identifier
    formula: FormulaText
    open: bool = True
    note: Paragraphs = ""
    low: FormulaText = ""
    high: FormulaText = ""
    kind: SizeKind = ""


class FurtherFace(Frozen):
    """A face beside the anchor's that the stencil asks for, within it ``host/name``."""

    name: Identifier
    note: OneLine = ""


class FurtherPart(Frozen):
    """A part beside the host that the stencil works on, or that it makes."""

    name: Identifier
    note: OneLine = ""


class StencilCheck(Frozen):
    """A statement about the stencil that holds or does not."""

    name: OneLine
    formula: FormulaText
    note: Paragraphs = ""


class Stencil(Frozen):
    """A reusable piece of design. ``edition`` tells versions apart; ``stays`` says whether its
    footprint must lie within the face, or may go over an edge of it."""

    format: Literal["schablone stencil"] = "schablone stencil"
    version: Literal[1] = 1
    name: Identifier
    title: OneLine = ""
    edition: OneLine = "1"
    sort: OneLine = ""
    note: Paragraphs = ""
    also: OneLine = ""
    author: OneLine = ""
    licence: OneLine = "CC-BY-4.0"
    stays: Literal["within", "over an edge"] = "within"
    sizes: Annotated[tuple[StencilSize, ...], Field(max_length=200)] = ()
    faces: Annotated[tuple[FurtherFace, ...], Field(max_length=10)] = ()
    parts: Annotated[tuple[FurtherPart, ...], Field(max_length=10)] = ()
    steps: Annotated[tuple[AnyStep, ...], Field(min_length=1, max_length=100)]
    checks: Annotated[tuple[StencilCheck, ...], Field(max_length=50)] = ()

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        self._names()
        for step in self.steps:
            self._step(step)
        known = {size.name for size in self.sizes}
        for text, runs_over in self.formulas():
            self._formula(text, known | runs_over)
            if both := known & runs_over:
                raise ValueError(f"“{min(both)}” is a size and what a formula of it runs over")
        return self

    def _names(self) -> None:
        for what, names in (
            ("sizes", [size.name for size in self.sizes]),
            ("steps", [step.name for step in self.steps]),
            ("faces", [face.name for face in self.faces]),
            ("parts", [part.name for part in self.parts]),
        ):
            twice = next((name for k, name in enumerate(names) if name in names[:k]), None)
            if twice is not None:
                raise ValueError(f"two {what} are called “{twice}”")
        steps = {step.name for step in self.steps}
        for size in self.sizes:
            try:
                check_name(size.name)
            except FormulaError as error:
                raise ValueError(error.what.rstrip(".")) from None
            if size.name in steps:
                raise ValueError(f"a step and a size are both called “{size.name}”")
        for name in (*steps, *(part.name for part in self.parts)):
            if name == HOST:
                raise ValueError("“host” is the part that a stencil is put into")
        if "here" in {face.name for face in self.faces}:
            raise ValueError("“host/here” is the face that the anchor lies on")

    def _step(self, step: Step) -> None:
        if not step.in_stencils:
            raise ValueError(
                f"“{say_name(step.name)}” cannot be in a stencil: "
                f"{KINDS[step.kind].title.lower()} changes more than where it stands"
            )
        before = [one.name for one in self.steps[: self.steps.index(step)]]
        for needed in step.needs():
            if needed != HOST and needed not in before:
                raise ValueError(
                    f"“{say_name(step.name)}” needs “{say_name(needed)}”, which is no step of "
                    "the stencil before it"
                )
        part = str(getattr(step, "part", HOST))
        if part not in (HOST, *(one.name for one in self.parts)):
            raise ValueError(
                f"“{say_name(step.name)}” works on “{say_name(part)}”, which is no part of the "
                "stencil; the part that it is put into is “host”"
            )

    def _formula(self, text: str, known: set[str]) -> None:
        try:
            names, columns = names_in(text), columns_in(text)
        except FormulaError as error:
            raise ValueError(f"“{text[:80]}” cannot be read: {error.what.rstrip('.')}") from None
        if columns:
            raise ValueError(f"“{text[:80]}” reads a size table, which stencils have none of")
        outputs = {step.name for step in self.steps}
        for name in names:
            step, _, output = name.rpartition(".")
            if step == HOST and output not in ASKED:
                raise ValueError(
                    f"a host cannot be asked for “{output}”; it tells {', '.join(ASKED)}"
                )
            if step not in ("", HOST) and step not in outputs:
                raise ValueError(f"“{text[:80]}” asks for “{step}”, which is no step of it")
            if not step and name not in known and name not in ("pi", "yes", "no"):
                raise ValueError(f"“{text[:80]}” uses “{name}”, which is no size of the stencil")

    def formulas(self) -> list[tuple[str, set[str]]]:
        """All formulas of it that are not empty, with the names that each runs over."""
        texts = [text for size in self.sizes for text in (size.formula, size.low, size.high)]
        texts += [check.formula for check in self.checks]
        texts += [step.when for step in self.steps]
        formulas = [(text, set[str]()) for text in texts]
        for step in self.steps:
            formulas += [(slot.formula, set(step.runs_over(slot.path))) for slot in step.slots()]
        return [(text, names) for text, names in formulas if text.strip()]

    @property
    def said(self) -> str:
        """What it is called."""
        return self.title or say_name(self.name)

    @property
    def open_sizes(self) -> tuple[StencilSize, ...]:
        """The sizes that are asked where it is put in."""
        return tuple(size for size in self.sizes if size.open)

    def size(self, name: str) -> StencilSize | None:
        return next((size for size in self.sizes if size.name == name), None)
