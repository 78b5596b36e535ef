"""Tools put to bodies, and bodies put together: in the plane where outlines say all, on a sheet's
blank, as triangles where one is a free form of them, else by the kernel's booleans."""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from functools import partial, reduce
from typing import TYPE_CHECKING, Literal

from ..layers import layered
from .body import Body, placed_body
from .figures import CannotBe, NoEffect, NothingLeft
from .folding import CannotFold, Folded, joined_sheets, with_tools
from .frame import Frame, Vector
from .level import Levelled, levelled
from .meshed import Meshed
from .motion import Motion
from .naming import FaceName
from .prism import Prism, bore, in_frame
from .tools import ForeignMesh, Placed, ToNext, Tool, TurnedToNext

if TYPE_CHECKING:
    from .occ import Solid

Operation = Literal["add", "cut", "common"]


@dataclass(frozen=True, slots=True)
class Applied:
    """A body after an operation, and which of the tools changed nothing, by their number."""

    body: Body
    idle: tuple[int, ...] = ()


def apply(
    body: Body | None,
    operation: Operation,
    tools: Sequence[Tool],
    stretch: Vector = (1.0, 1.0, 1.0),
) -> Applied:
    """Add tools to a body, cut them from it, or keep what both have in common, all in one
    operation.

    Tools are given in the design's own space and are stretched along the axes as they are used; the
    frames of the body stay in the design's space, so that positions on its faces need no
    stretching. In the plane where outlines say all, else by the kernel's booleans.

    Raises:
        NothingLeft: where no material would be left.
        NoEffect: where a cut meets nothing.
        Touching: where pieces would touch along a line only.
        CannotFold: where a folded sheet would be none any more.
        CannotBe: where a free form is asked what needs exact faces.
    """
    if body is None:
        return Applied(_first(operation, tools, stretch))
    if body.folded is not None:
        sheet, took_part = with_tools(body.folded, operation, tools)
        return Applied(_still_sheet(body, sheet), _idle(took_part))
    if body.meshed is not None or any(_is_mesh(tool) for tool in tools):
        return _as_triangles(body, operation, tools, stretch)
    frames = _with_frames(body, operation, tools)
    prisms = [tool for tool in tools if isinstance(tool, Prism)]
    if len(prisms) < len(tools):
        return _by_kernel(body, operation, tools, frames)
    prisms = [tool.stretched(stretch) for tool in prisms]
    quick = _in_outline(body.prisms, operation, prisms)
    if quick is None:
        return _by_kernel(body, operation, prisms, frames)
    if not quick.prisms:
        raise NothingLeft("nothing would be left of the part")
    if operation == "cut" and not any(quick.took_part):
        raise NoEffect("it meets no material")
    return Applied(Body(quick.prisms, None, frames), _idle(quick.took_part))


def _with_frames(
    body: Body, operation: Operation, tools: Sequence[Tool]
) -> Mapping[FaceName, Frame]:
    """The frames of a body with those of tools: what is cut looks the other way."""
    new = {
        name: frame.turned_over() if operation == "cut" else frame
        for tool in tools
        for name, frame in tool.frames().items()
    }
    return layered(body.frames).with_more(new)


def _is_mesh(tool: Tool) -> bool:
    return isinstance(tool.tool if isinstance(tool, Placed) else tool, ForeignMesh)


def as_triangles(body: Body) -> Meshed:
    """A body as a free form: round walls as exact as they are sent."""
    return body.meshed or Meshed.of_mesh(body.mesh_to_send())


def _as_triangles(
    body: Body, operation: Operation, tools: Sequence[Tool], stretch: Vector
) -> Applied:
    from .mesh_booleans import put_together

    before = as_triangles(body)
    others = [_triangles_of(before, operation, tool, stretch) for tool in tools]
    outcome = put_together(before, operation, others)
    if outcome is None:
        raise NothingLeft("nothing would be left of the part")
    changed = abs(outcome.figures.volume - before.figures.volume)
    if (
        operation == "cut"
        and set(outcome.names) == set(before.names)
        and changed <= 1e-9 * before.figures.volume
    ):
        raise NoEffect("it meets no material")
    made = Body.of_triangles(outcome, _with_frames(body, operation, tools))
    return Applied(made, _no_trace(set(outcome.names), operation, tools) if len(tools) > 1 else ())


def _triangles_of(body: Meshed, operation: Operation, tool: Tool, stretch: Vector) -> Meshed:
    """A tool as triangles; one that goes to the next face, as far as that of the body."""
    from .mesh_booleans import up_to_next

    inner, motion = (tool.tool, tool.motion) if isinstance(tool, Placed) else (tool, Motion())
    if isinstance(inner, TurnedToNext):
        raise CannotBe(
            "How far it turns to the next face of a free form is not worked out.",
            "Turn it by an angle.",
        )
    if not isinstance(inner, ToNext):
        return as_triangles(_first("add", [tool], stretch))
    prism = inner.prism.placed(motion)
    frame = prism.frame if inner.goes_up else prism.frame.turned_over()
    far = prism.high if inner.goes_up else -prism.low
    return up_to_next(body, operation, as_triangles(_first("add", [prism], stretch)), frame, far)


def _still_sheet(body: Body, sheet: Folded) -> Body:
    """A sheet after a change of it; frames of faces that are gone are kept, as with other
    bodies."""
    return Body((), None, {**body.frames, **sheet.face_frames()}, sheet)


def _idle(took_part: Sequence[bool]) -> tuple[int, ...]:
    return tuple(k for k, took in enumerate(took_part) if not took)


def _in_outline(
    body: Sequence[Prism], operation: Operation, tools: Sequence[Prism]
) -> Levelled | None:
    """The operation as a matter of outlines, the quick way first; None where it is none."""
    if not body:
        return None
    if operation == "cut" and len(body) == 1:
        placed = [in_frame(tool, body[0].frame) for tool in tools]
        bored = bore(body[0], placed)
        if bored is not None:
            return Levelled((bored,), (True,) * len(tools))
    return levelled(body, operation, tools)


def _first(operation: Operation, tools: Sequence[Tool], stretch: Vector) -> Body:
    """The body that tools make where there is none yet.

    Raises:
        NoEffect: where there is nothing that they could be used on.
        Touching: where they touch along a line only.
    """
    if operation != "add":
        raise NoEffect("there is nothing to cut from yet")
    if any(isinstance(tool, (ToNext, TurnedToNext)) for tool in tools):
        raise NoEffect("there is no part yet whose face could stop it")
    plain = [tool for tool in tools if isinstance(tool, Prism)]
    if len(plain) == len(tools):
        prisms = [tool.stretched(stretch) for tool in plain]
        frames = Body.of(plain).frames
        if len(tools) == 1 or _apart(tools):
            return Body(tuple(prisms), None, frames)
        level = levelled(prisms[:1], "add", prisms[1:])
        if level is not None:
            return Body(level.prisms, None, frames)
    head = tools[0]
    if _is_mesh(head):
        body = _of_mesh(head)
    elif isinstance(head, Prism):
        body = Body((head.stretched(stretch),), None, Body.of([head]).frames)
    else:
        from . import occ

        body = Body((), occ.solid_of_tool(head), head.frames())
    return apply(body, "add", tools[1:], stretch).body if len(tools) > 1 else body


def _of_mesh(tool: Tool) -> Body:
    """The body of a mesh that a design keeps.

    Raises:
        ValueError: where it is damaged.
    """
    from .kept_mesh import kept_mesh

    inner, motion = (tool.tool, tool.motion) if isinstance(tool, Placed) else (tool, Motion())
    assert isinstance(inner, ForeignMesh)
    kept = kept_mesh(inner.data)
    names = tuple(inner.face(number) for number in range(1, kept.faces + 1))
    meshed = Meshed(kept.points, kept.triangles, kept.face_of, names)
    return Body.of_triangles(meshed.placed(motion), tool.frames())


def _by_kernel(
    body: Body, operation: Operation, tools: Sequence[Tool], frames: Mapping[FaceName, Frame]
) -> Applied:
    from . import occ

    before = body.solid()
    solid = occ.combine(before, operation, tools)
    if solid.is_empty():
        raise NothingLeft("nothing would be left of the part")
    if (
        operation == "cut"
        and len(solid.names) == len(before.names)
        and set(solid.names) == set(before.names)
    ):
        low, high = before.figures, solid.figures
        if abs(low.volume - high.volume) <= 1e-9 * low.volume:
            raise NoEffect("it meets no material")
    return Applied(
        Body((), solid, frames),
        _no_trace(set(solid.names), operation, tools) if len(tools) > 1 else (),
    )


def _no_trace(left: Set[FaceName], operation: Operation, tools: Sequence[Tool]) -> tuple[int, ...]:
    """The tools of which no face is left: they met nothing, or lay within the part. A tool whose
    names others bear, too, counts as seen."""
    if operation == "common":
        return ()
    return tuple(k for k, tool in enumerate(tools) if not tool.names() & left)


def _apart(tools: Sequence[Tool]) -> bool:
    boxes = [tool.bounds() for tool in tools]
    return all(
        any(a[0][k] > b[1][k] + 1e-6 or b[0][k] > a[1][k] + 1e-6 for k in range(3))
        for i, a in enumerate(boxes)
        for b in boxes[:i]
    )


def merged(body: Body, other: Body) -> Body:
    """Both bodies in one; pieces that lie apart stay prisms.

    Raises:
        CannotFold: where one is a folded sheet, whose blank would be lost.
    """
    _no_sheets(body, other)
    frames = {**other.frames, **body.frames}
    if body.prisms and other.prisms and _apart([*body.prisms, *other.prisms]):
        return Body((*body.prisms, *other.prisms), None, frames)
    if body.meshed is not None or other.meshed is not None:
        return _of_all([as_triangles(body), as_triangles(other)], frames)
    from . import occ

    return Body((), occ.united([body.solid(), other.solid()]), frames)


def united(body: Body, motions: Sequence[tuple[int, Motion]]) -> Body:
    """The body at several places at once, its faces numbered; pieces that lie apart stay prisms.

    Raises:
        CannotFold: where it is a folded sheet, and its images do not go on into each other.
    """
    images = [(number, placed_body(body, motion)) for number, motion in motions]
    frames = {
        name.of_member(n): frame for n, image in images for name, frame in image.frames.items()
    }
    if body.folded is not None:
        sheets = [
            image.folded.renamed(partial(FaceName.of_member, number=number))
            for number, image in images
            if image.folded is not None
        ]
        whole = reduce(joined_sheets, sheets)
        return Body((), None, {**frames, **whole.face_frames()}, whole)
    if body.prisms:
        prisms = [prism.of_member(number) for number, image in images for prism in image.prisms]
        if _apart(prisms):
            return Body(tuple(prisms), None, frames)
    if body.meshed is not None:
        numbered = [
            as_triangles(image).renamed(partial(FaceName.of_member, number=number))
            for number, image in images
        ]
        return _of_all(numbered, frames)
    from . import occ

    solids = [image.solid().of_member(number) for number, image in images]
    return Body((), occ.united(solids), frames)


def _of_all(pieces: Sequence[Meshed], frames: Mapping[FaceName, Frame]) -> Body:
    """Free forms in one body."""
    from .mesh_booleans import put_together

    whole = put_together(pieces[0], "add", pieces[1:]) if len(pieces) > 1 else pieces[0]
    assert whole is not None  # material that is added to is not lost
    return Body.of_triangles(whole, frames)


def combined_bodies(body: Body, operation: Operation, other: Body) -> Body:
    """A body with another one added, cut away, or what both have in common.

    Raises:
        NothingLeft: where that is nothing.
    """
    turned = {
        name: frame.turned_over() if operation == "cut" else frame
        for name, frame in other.frames.items()
    }
    frames = {**turned, **body.frames}
    if body.meshed is not None or other.meshed is not None:
        from .mesh_booleans import put_together

        outcome = put_together(as_triangles(body), operation, [as_triangles(other)])
        if outcome is None:
            raise NothingLeft("nothing would be left of the part")
        return Body.of_triangles(outcome, frames)
    from . import occ

    solid = occ.merged(body.solid(), operation, other.solid())
    if solid.is_empty():
        raise NothingLeft("nothing would be left of the part")
    return Body((), solid, frames)


def cut_beyond(body: Body, plane: Frame, name: FaceName) -> Body:
    """A body without what lies beyond a plane, on the side that it looks to; the face that is left
    there bears a name.

    Raises:
        NothingLeft: where all of it lies there.
        NoEffect: where none of it does.
    """
    frames = {**body.frames, name: plane}
    made: Meshed | Solid | None
    if body.meshed is not None:
        from .mesh_booleans import beyond, put_together

        away = as_triangles(Body.of([beyond(body.meshed, plane, name)]))
        made = put_together(body.meshed, "cut", [away])
        rest = Body.of_triangles(made, frames) if made is not None else None
    else:
        from .occ import change as occ_change

        made = occ_change.cut_off(body.solid(), plane, name)
        rest = None if made.is_empty() else Body((), made, frames)
    if made is None or rest is None:
        raise NothingLeft("nothing would be left of the part")
    if name not in made.names:
        raise NoEffect("the plane does not meet the part")
    return rest


def _no_sheets(*bodies: Body) -> None:
    if any(body.folded is not None for body in bodies):
        raise CannotFold(
            "Several folded sheets, or a sheet and something else, cannot be one part.",
            "Give each a part of its own: then each has its blank.",
        )
