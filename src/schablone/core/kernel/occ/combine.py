"""Tools put to solids, each outcome looked at in a second way."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from OCP.BRep import BRep_Builder
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shape

from ..guided import Guided
from ..guided_skin import skin_of
from ..mesh import Mesh, Skin
from ..naming import FaceName
from ..prism import Prism
from ..second import agrees
from ..tools import Placed, Revolved, ToNext, Tool, TurnedToNext, claimed, divided
from .aside import set_aside
from .booleans import joined_shapes
from .meshing import mesh_of
from .seated import seated, shortened
from .shaped import turned_to_next, up_to_next
from .solids import Made, Solid, in_order, is_free
from .tool_shapes import shape_of

#: By what share what is made of a tool may differ from what it must be.
_CLAIMED, _TURNED = 1e-5, 1e-4
#: How many stations a face of a led section goes over where the usual number fails.
_OTHER_DIVISIONS = (8, 17, 5)
#: Chord tolerance of meshes for the second reckoning, mm.
_SECOND = 0.05


def solid_of_tool(tool: Tool) -> Solid:
    """The solid of one tool."""
    return _as_claimed(tool, in_order(*shape_of(tool)))


def solid_of(prisms: Sequence[Prism]) -> Solid:
    """The solid of prisms that lie apart; several become one compound."""
    made = [shape_of(prism) for prism in prisms]
    if len(made) == 1:
        return in_order(*made[0])
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for shape, _ in made:
        builder.Add(compound, shape)
    return in_order(compound, [pair for _, named in made for pair in named])


def combine(solid: Solid, operation: str, tools: Sequence[Tool]) -> Solid:
    """Add tools to a solid, cut them from it, or keep what is common, in one boolean; where they
    stand on flat faces or are sunk into them, without one.

    Faces keep their names by the kernel's history.

    A face that the boolean divides gives its name to all its pieces.
    """
    quick = seated(solid, operation, tools)
    if quick is not None:
        return quick
    tools = shortened(solid, operation, tools)
    made = [_next_of(solid, operation, tool) or shape_of(tool) for tool in tools]
    whole = [in_order(*one) for one in made]
    for tool, one in zip(tools, whole, strict=True):
        _as_claimed(tool, one)
    aside = set_aside(solid, operation, made)
    if aside is not None:
        rest = _by_kernel(aside.rest, operation, tools, made, whole)
        again = aside.put_back(rest) if rest is not None else None
        if again is not None:
            return again
    outcome = _by_kernel(solid, operation, tools, made, whole)
    if outcome is None:
        raise ValueError(
            "the geometry kernel's answer does not agree with a second reckoning of it"
        )
    return outcome


def _by_kernel(
    solid: Solid,
    operation: str,
    tools: Sequence[Tool],
    made: Sequence[Made],
    whole: Sequence[Solid],
) -> Solid | None:
    """The kernel's boolean with what was ``made`` of tools, as solids ``whole``, in the first way
    that agrees with a second reckoning; None where none does."""
    outcome = joined_shapes(solid, operation, made)
    if not any(is_free(shape) for shape in (solid.shape, *(shape for shape, _ in made))):
        weights = [_weight_of(tool, one) for tool, one in zip(tools, whole, strict=True)]
        if _can_be(solid, operation, weights, outcome):
            return outcome
    elif _agrees(solid, operation, tools, whole, outcome):
        return outcome
    for other in _other_ways(solid, operation, tools, made):
        if _agrees(solid, operation, tools, whole, other):
            return other
    return None


def _as_claimed(tool: Tool, made: Solid) -> Solid:
    """What the kernel made of a tool, if it has the volume that the tool's own figures give.

    Raises:
        ValueError: where it has not.
    """
    wanted = claimed(tool)
    if wanted is not None and not isinstance(tool, Prism):
        got = made.volume
        # Turned ellipses, as a stretch makes them of circles, the kernel measures no better.
        turned = isinstance(tool.tool if isinstance(tool, Placed) else tool, Revolved) and is_free(
            made.shape
        )
        if abs(got - wanted) > (_TURNED if turned else _CLAIMED) * wanted:
            raise ValueError(
                f"the geometry kernel makes {got:.6g} mm³ of what encloses {wanted:.6g} mm³"
            )
    return made


def _weight_of(tool: Tool, made: Solid) -> float:
    """The volume of a tool, mm³: a prism knows it from its outlines."""
    return tool.volume if isinstance(tool, Prism) else made.volume


def _can_be(solid: Solid, operation: str, tools: Sequence[float], outcome: Solid) -> bool:
    """Whether a volume lies between the least and the most that an operation can leave with tools
    of so many mm³."""
    before, after = solid.volume, outcome.volume if not outcome.is_empty() else 0.0
    slack = 1e-7 * (before + math.fsum(tools))
    least, most = {
        "add": (max(before, *tools), before + math.fsum(tools)),
        "cut": (before - math.fsum(tools), before),
        "common": (0.0, min(before, math.fsum(tools))),
    }[operation]
    return least - slack <= after <= most + slack


def _other_ways(
    solid: Solid, operation: str, tools: Sequence[Tool], made: Sequence[Made]
) -> Iterator[Solid]:
    """The same boolean in ways that often come out where the first does not: one tool after the
    other, and with the surfaces of tools divided at other places."""
    if operation != "common" and len(made) > 1:
        step = solid
        for one in made:
            step = joined_shapes(step, operation, [one])
        yield step
    for stations in _OTHER_DIVISIONS:
        others = [divided(tool, stations) for tool in tools]
        if any(other is not None for other in others):
            remade = [
                one if other is None else shape_of(other)
                for one, other in zip(made, others, strict=True)
            ]
            yield joined_shapes(solid, operation, remade)


def _agrees(
    solid: Solid, operation: str, tools: Sequence[Tool], made: Sequence[Solid], outcome: Solid
) -> bool:
    """Whether the kernel's answer has the volume that meshes come to as well."""
    before = solid.volume, mesh_of(solid, _SECOND)
    weighed = [(one.volume, _net_of(tool, one)) for tool, one in zip(tools, made, strict=True)]
    return agrees(before, operation, weighed, outcome.volume)


def _net_of(tool: Tool, made: Solid) -> Mesh | Skin:
    """What stands for a tool in the second reckoning."""
    inner = tool.tool if isinstance(tool, Placed) else tool
    if not isinstance(inner, Guided):
        return mesh_of(made, _SECOND)
    skin = skin_of(inner, _SECOND)
    return skin if not isinstance(tool, Placed) else skin.moved(tool.motion)


def _next_of(
    solid: Solid, operation: str, tool: Tool
) -> tuple[TopoDS_Shape, list[tuple[TopoDS_Shape, FaceName]]] | None:
    """The shape of a tool that goes to the next face, or None where it is of another kind."""
    inner = tool.tool if isinstance(tool, Placed) else tool
    if isinstance(inner, TurnedToNext):
        return turned_to_next(
            solid, operation, inner, tool.motion if isinstance(tool, Placed) else None
        )
    if not isinstance(inner, ToNext):
        return None
    prism = inner.prism.placed(tool.motion) if isinstance(tool, Placed) else inner.prism
    return up_to_next(solid, operation, inner, prism)
