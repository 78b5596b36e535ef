"""Edges chosen by rules that designers say: around a face, between two faces, upright ones, all of
a step."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field

from ..kernel.body import Body
from ..kernel.naming import FaceName, say_face, step_renamed
from ..model import Frozen, OneLine
from ..words import say_name
from .workshop import StepError

if TYPE_CHECKING:
    from ..kernel.occ import Solid
    from ..kernel.occ.change import KernelEdge

How = Literal["around", "between", "upright", "level", "all", "raised"]


class EdgeRule(Frozen):
    """One rule. ``around``: all edges of a face. ``between``: those between two faces. ``upright``,
    ``level`` and ``all``: the straight edges along the height, those that lie level, and all edges
    that a step made. ``raised``:
    those of all faces that a shape or curve of its sketch raised, given as ``step/side/shape``."""

    how: How = "around"
    of: Annotated[tuple[OneLine, ...], Field(min_length=1, max_length=2)]

    def words(self) -> str:
        if self.how == "around":
            return f"the edges of {say_face(self.of[0])}"
        if self.how == "between":
            return f"the edge between {' and '.join(say_face(name) for name in self.of)}"
        if self.how == "raised":
            return f"the edges of all that {say_shape(self.of[0])} raised"
        what = {"upright": "upright edges", "level": "level edges", "all": "all edges"}[self.how]
        return f"{what} of {say_name(self.of[0])}"

    def steps(self) -> tuple[str, ...]:
        """The steps that it builds on."""
        return tuple(name.split("/")[0] for name in self.of)

    def with_step_renamed(self, old: str, new: str) -> EdgeRule:
        named = tuple(step_renamed(name, old, new) for name in self.of)
        return self.model_copy(update={"of": named})


#: The rules of a step.
EdgeRules = Annotated[tuple[EdgeRule, ...], Field(max_length=100)]


def chosen_edges(solid: Solid, rules: Sequence[EdgeRule], where: str) -> list[KernelEdge]:
    """The edges of a solid that any of the rules means, each once.

    Raises:
        StepError: where a rule means none, with what there is instead.
    """
    from ..kernel.occ import change as occ_change

    edges = occ_change.edges_of(solid)
    chosen: dict[int, KernelEdge] = {}
    for rule in rules:
        meant = {k: edge for k, edge in enumerate(edges) if _means(rule, edge)}
        if not meant:
            faces = sorted({str(name) for edge in edges for name in edge.between})
            raise StepError(
                f"There is no edge any more where “{rule.words()}” says.",
                "Choose other edges.",
                where,
                faces,
            )
        chosen |= meant
    return list(chosen.values())


def _means(rule: EdgeRule, edge: KernelEdge) -> bool:
    match rule.how:
        case "around":
            return any(is_meant(name, rule.of[0]) for name in edge.between)
        case "between":
            a, b = edge.between
            first, second = rule.of[0], rule.of[-1]
            return (is_meant(a, first) and is_meant(b, second)) or (
                is_meant(a, second) and is_meant(b, first)
            )
        case "upright" | "level":
            made = any(name.step == rule.of[0] for name in edge.between)
            if not made or edge.direction is None:
                return False
            steep = abs(edge.direction[2])
            return steep > 1 - 1e-9 if rule.how == "upright" else steep < 1e-9
        case "raised":
            return any(from_shape(name, rule.of[0]) for name in edge.between)
    return any(name.step == rule.of[0] for name in edge.between)


def is_meant(name: FaceName, written: str) -> bool:
    """Whether a face is meant by a written name. One without the number of a member means that of
    every member."""
    if "#" not in written:
        return written in (str(name), str(name).split("#")[0])
    try:
        return FaceName.read(written) == name
    except ValueError:
        return False


def from_shape(name: FaceName, shape: str) -> bool:
    """Whether a face was raised by a shape or curve of a sketch, given as ``step/side/shape``."""
    step, element = shape.split("/")[0], shape.rpartition("/")[2]
    return name.step == step and (name.element == element or name.element.startswith(f"{element}."))


def say_shape(shape: str) -> str:
    """A shape of a step in words: ``outline in plate``."""
    return f"{say_name(shape.rpartition('/')[2])} in {say_name(shape.split('/')[0])}"


def part_with(bodies: Mapping[str, Body], rules: Sequence[EdgeRule], where: str) -> str:
    """The part that has the faces or steps that the rules name.

    Raises:
        StepError: where nothing is chosen, or no part has it.
    """
    if not rules:
        raise StepError(
            "No edges are chosen.", "Pick edges or a face in the view.", where, asks=True
        )
    wanted = rules[0].steps()[0]
    for part, body in bodies.items():
        if any(name.step == wanted for name in body.names()):
            return part
    raise StepError(
        f"No part has anything of “{say_name(wanted)}” any more.", "Choose other edges.", where
    )
