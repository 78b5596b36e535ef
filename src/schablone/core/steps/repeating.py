"""What rows, grids, rings and mirrors have in common: a step that adds or cuts, or the part, at
several places."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import ClassVar, Literal

from ..kernel.body import Body
from ..kernel.motion import Motion
from ..kernel.operations import united
from ..kernel.tools import Tool, placed
from ..model import FormulaText, Identifier
from ..quantity import TRUTH
from .base import Slot, Step
from .sentence import ChoicePiece, FormulaPiece, SentencePiece, StepPiece, Words, say_step
from .workshop import Feature, Member, Remark, StepError, Workshop

#: The most members. A count beyond it is a slip in a formula, not a design.
MOST_MEMBERS = 5000


class Repeats(Step):
    """What steps that repeat share: of which step, or the whole part, and which members are left
    out.

    ``axes`` names a plane on a face whose axes count, those of the design where there is none.
    ``omit`` is a condition on the numbers of a member, such as ``number == 3``; members for which
    it holds are not made, the others keep their places and numbers.
    """

    refers: ClassVar[tuple[str, ...]] = ("of", "axes")

    what: Literal["step", "part"] = "step"
    of: Identifier | Literal[""] = ""
    part: Identifier = "part"
    axes: Identifier | Literal[""] = ""
    omit: FormulaText = ""

    def carries(self) -> str:
        return self.of if self.what == "step" else ""

    def needs(self) -> tuple[str, ...]:
        return tuple(name for name in super().needs() if self.what == "step" or name != self.of)

    def only_prisms(self) -> bool:
        return self.what == "step"

    def say_what(self) -> tuple[SentencePiece, ...]:
        """What is repeated, for the sentence."""
        which = ChoicePiece("what", {"step": "the step", "part": "the whole part"})
        axes = (Words("in the axes of"), StepPiece("axes", ("plane",))) if self.axes else ()
        return (
            which,
            *((StepPiece("of", repeatable=True),) if self.what == "step" else ()),
            *axes,
        )

    def say_omit(self) -> tuple[tuple[SentencePiece, ...], ...]:
        """Which members are left out, for the sentence: nothing where none is."""
        return (
            ((Words("leaving out those with"), FormulaPiece("omit")),) if self.omit.strip() else ()
        )

    def omit_slots(self, *counted: tuple[str, str]) -> tuple[Slot, ...]:
        """The slot that says who is left out, where one does."""
        return (
            (Slot("omit", self.omit, "who is left out", TRUTH, counted=counted),)
            if self.omit.strip()
            else ()
        )

    def repeat(self, shop: Workshop, motions: Mapping[tuple[int, ...], Motion]) -> Feature:
        """The step or the part under each motion that is not left out. Motions are by the numbers
        of the members."""
        axes = shop.axes(self.axes, "axes")
        kept = [
            (number, motion.within(axes))
            for number, (key, motion) in enumerate(motions.items(), 1)
            if not shop.values.get(f"omit@{'.'.join(map(str, key))}", 0.0)
        ]
        remarks = () if kept else (_none_of(len(motions), self.omit),)
        if self.what == "step":
            made = _numbered(seed_of(shop, self.of), kept)
            return replace(made, remarks=remarks)
        if not kept:
            raise StepError(
                "No member is left, and with it nothing of the part.",
                "Let the count be 1 at least.",
                "of",
            )

        def change(body: Body) -> Body:
            return united(body, kept)

        return Feature("add", self.part, change=change)


def _none_of(count: int, omit: str) -> Remark:
    """That a repeat makes nothing: quietly, since a count may well come to that."""
    return Remark(
        f"All {count} are left out (by “{omit}”): nothing is made."
        if count
        else "The count comes to 0: nothing is made."
    )


def seed_of(shop: Workshop, of: str) -> Feature:
    """What a step did, to be repeated.

    Raises:
        StepError: where there is no such step, or one that changes the part as a whole.
    """
    seed = shop.features.get(of)
    if seed is None:
        what = f"“{say_step(of)}” is not there to be repeated." if of else "No step is chosen."
        hint = "Choose a step above this one that adds or cuts."
        known = sorted(name for name in shop.features if "." not in name)
        raise StepError(what, hint, "of", known, asks=not of)
    if (seed.change is not None and seed.again is None) or seed.brings is not None:
        raise StepError(
            f"“{say_step(of)}” changes the part as a whole, and cannot be repeated.",
            "Choose another step.",
            "of",
        )
    return seed


def repeated(seed: Feature, motions: Iterable[Motion]) -> Feature:
    """The seed under each motion, its faces numbered from 1."""
    return _numbered(seed, list(enumerate(motions, 1)))


def _numbered(seed: Feature, motions: Sequence[tuple[int, Motion]]) -> Feature:
    if seed.host is not None:
        anchors = seed.members or (seed.host.frame,)
        members = tuple(motion.frame(frame) for _, motion in motions for frame in anchors)
        # What rounds or bevels edges chooses them by the names of their faces, which means those of
        # all members: it is done once, when all are there.
        then = (
            one if one.change is not None and one.again is None else _numbered(one, motions)
            for one in seed.then
        )
        return replace(seed, then=tuple(then) if motions else (), members=members)
    if seed.again is not None and motions:
        return _changed_again(seed, motions)
    tools: list[Tool] = []
    for number, motion in motions:
        tools += [placed(tool, motion).of_member(number) for tool in seed.tools]
    return Feature(seed.operation, seed.part, tools, seed.check, through=seed.through)


def _changed_again(seed: Feature, motions: Sequence[tuple[int, Motion]]) -> Feature:
    """A change of the part at several places."""
    again = seed.again
    assert again is not None

    def all_of(body: Body, elsewhere: Sequence[Member]) -> Body:
        members = [
            ((*numbers, number), outer.after(motion))
            for numbers, outer in elsewhere
            for number, motion in motions
        ]
        return again(body, members)

    def change(body: Body) -> Body:
        return all_of(body, [((), Motion())])

    return Feature(seed.operation, seed.part, change=change, again=all_of)


def whole(value: float, what: str, formula: str, where: str, least: int = 0) -> int:
    """A count.

    Raises:
        StepError: where it is no whole number, too small, or far too large.
    """
    if value != round(value) or value < least:
        raise StepError(
            f"The {what} is {value:g} (from “{formula}”); it must be a whole number from {least}.",
            f"Change “{formula}”.",
            where,
        )
    if value > MOST_MEMBERS:
        raise StepError(
            f"The {what} is {value:,.0f}; {MOST_MEMBERS:,} are the most.",
            f"Change “{formula}”.",
            where,
        )
    return int(value)
