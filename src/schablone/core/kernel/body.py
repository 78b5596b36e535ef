"""A body: what a part is made of at some step, as prisms, as a kernel solid, or as a folded
sheet."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial, reduce
from typing import TYPE_CHECKING, Literal

import shapely
from shapely.geometry import Polygon

from ..layers import layered
from ..sketch.regions import Region, polygon_of
from .figures import Figures, NoEffect, NothingLeft
from .folding import CannotFold, Folded, joined_sheets, joints_agree, with_tools
from .folding.figures import figures_of
from .folding.meshing import mesh_of_folded
from .frame import Frame, Vector, as_vector
from .level import Levelled, levelled
from .mesh import FINE, FOR_FITS, Mesh, mesh_of_prism
from .motion import Motion
from .naming import FaceName
from .prism import Prism, bore, in_frame
from .tools import ToNext, Tool, TurnedToNext

if TYPE_CHECKING:
    from .occ import Solid
    from .occ.stretched import Stretched

Operation = Literal["add", "cut", "common"]


@dataclass(frozen=True, slots=True)
class Body:
    """Prisms that lie apart, one kernel solid, a solid that is ``stretched`` when it is needed, or
    a folded sheet with its blank; with frames of its flat faces by name. A blank knows the sheet
    that it is the ``blank_of``."""

    prisms: tuple[Prism, ...] = ()
    made: Solid | None = None
    frames: Mapping[FaceName, Frame] = field(default_factory=dict)
    folded: Folded | None = None
    blank_of: Folded | None = None
    stretched: Stretched | None = None

    @classmethod
    def of(cls, prisms: Sequence[Prism]) -> Body:
        frames: dict[FaceName, Frame] = {}
        for prism in prisms:
            frames |= prism.frames()
        return cls(tuple(prisms), None, frames)

    @classmethod
    def of_sheet(cls, folded: Folded) -> Body:
        return cls((), None, folded.face_frames(), folded)

    def solid(self) -> Solid:
        """The kernel's solid, made from the prisms where there is none yet. Loads the geometry
        kernel."""
        from . import occ

        if self.folded is not None:
            return occ.solid_of_folded(self.folded)
        if self.stretched is not None:
            return self.stretched.made
        return self.made or occ.solid_of(self.prisms)

    def drawn(self) -> Solid:
        """The solid before it is stretched, which has as many faces and edges, and their names."""
        return self.stretched.solid if self.stretched is not None else self.solid()

    def is_sound(self) -> bool:
        """Whether it encloses a volume. Prisms do by construction; a sheet where its bends go on
        into its panels, a kernel solid is looked at."""
        if self.prisms:
            return True
        if self.folded is not None:
            return joints_agree(self.folded)
        if self.stretched is not None:
            return self.drawn().is_closed()
        return self.made is not None and self.made.is_closed()

    def mesh(self, tolerance: float = FINE) -> Mesh:
        """A closed mesh with chords within ``tolerance`` mm."""
        if self.prisms:
            return Mesh.joined([mesh_of_prism(prism, tolerance) for prism in self.prisms])
        if self.folded is not None:
            return mesh_of_folded(self.folded, tolerance)
        if self.stretched is not None:
            return self.stretched.mesh(tolerance)
        from .occ import meshing as occ_mesh

        return occ_mesh.mesh_of(self.solid(), tolerance)

    def mesh_to_send(self) -> Mesh:
        """The mesh that machines are sent: chords of round walls take nothing off their diameter on
        the whole, and nowhere 2 µm."""
        return self.mesh(self.fineness())

    def fineness(self) -> float:
        """How near to the surface the mesh that is sent lies, mm. With free surfaces, which are no
        fits, as near as what is shown: ten times as many triangles would say nothing."""
        if self.prisms or self.folded is not None:
            return FOR_FITS
        if self.stretched is not None:
            return self.stretched.fineness
        from .occ.solids import is_free

        return FINE if is_free(self.solid().shape) else FOR_FITS

    def box(self) -> tuple[Vector, Vector]:
        """Corners of the box along the axes."""
        if not self.prisms:
            return self.figures().bounds
        boxes = [prism.bounds() for prism in self.prisms]
        if len(boxes) == 1:
            return boxes[0]
        low = as_vector(min(box[0][i] for box in boxes) for i in range(3))
        high = as_vector(max(box[1][i] for box in boxes) for i in range(3))
        return low, high

    def figures(self) -> Figures:
        if self.folded is not None:
            return figures_of(self.folded)
        if self.stretched is not None:
            return self.stretched.figures
        if not self.prisms:
            return self.solid().figures
        low, high = self.box()
        volume = sum(prism.volume for prism in self.prisms)
        area = sum(prism.area for prism in self.prisms)
        weighed = [(prism.volume, prism.centre()) for prism in self.prisms]
        centre = as_vector(math.fsum(v * c[i] for v, c in weighed) / volume for i in range(3))
        return Figures(volume, area, (low, high), centre)

    def outline_of(self, name: FaceName, frame: Frame) -> Polygon | None:
        """The outline, without its holes, of a flat face in the coordinates of a frame on it, or
        None.

        Where one name is borne by several pieces, the outline of all together.
        """
        flat = self.folded.prisms() if self.folded is not None else self.prisms
        mine = [prism for prism in flat if name in (prism.start, prism.end)]
        if mine:
            outer = [replace(prism, region=Region(prism.region.outer)) for prism in mine]
            level = [in_frame(prism, frame) for prism in outer]
            pieces = [polygon_of(prism.region.outer) for prism in level if prism is not None]
        else:
            from .occ import flat_sections as occ_flat

            rings = [
                ring for ring in occ_flat.outer_points(self.solid(), name, frame) if len(ring) > 2
            ]
            pieces = [Polygon(ring) for ring in rings]
        if not pieces:
            return None
        if len(pieces) == 1 and pieces[0].is_valid:
            return pieces[0]
        whole = shapely.union_all(shapely.make_valid(pieces), grid_size=1e-6)
        return (
            Polygon(whole.convex_hull.exterior)
            if whole.geom_type != "Polygon"
            else Polygon(whole.exterior)
        )

    def has_face(self, name: FaceName) -> bool:
        """Whether a face of a name is there; that of an end is found without a look at all."""
        if any(name in (prism.start, prism.end) for prism in self.prisms):
            return True
        return name in self.names()

    def names(self) -> set[FaceName]:
        """Names of the faces that are there."""
        if self.prisms:
            return set().union(*(prism.names() for prism in self.prisms))
        if self.folded is not None:
            return self.folded.names()
        return set(self.drawn().names)


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
    """
    if body is None:
        return Applied(_first(operation, tools, stretch))
    if body.folded is not None:
        sheet, took_part = with_tools(body.folded, operation, tools)
        return Applied(_still_sheet(body, sheet), _idle(took_part))
    new = {
        name: frame.turned_over() if operation == "cut" else frame
        for tool in tools
        for name, frame in tool.frames().items()
    }
    frames = layered(body.frames).with_more(new)
    prisms = [tool for tool in tools if isinstance(tool, Prism)]
    if len(prisms) < len(tools):
        return _by_kernel(body, operation, tools, frames)
    prisms = [tool.stretched(stretch) for tool in prisms]
    found = _in_outline(body.prisms, operation, prisms)
    if found is None:
        return _by_kernel(body, operation, prisms, frames)
    if not found.prisms:
        raise NothingLeft("nothing would be left of the part")
    if operation == "cut" and not any(found.took_part):
        raise NoEffect("it meets no material")
    return Applied(Body(found.prisms, None, frames), _idle(found.took_part))


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
        found = levelled(prisms[:1], "add", prisms[1:])
        if found is not None:
            return Body(found.prisms, None, frames)
    head = tools[0]
    if isinstance(head, Prism):
        body = Body((head.stretched(stretch),), None, Body.of([head]).frames)
    else:
        from . import occ

        body = Body((), occ.solid_of_tool(head), head.frames())
    return apply(body, "add", tools[1:], stretch).body if len(tools) > 1 else body


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
        Body((), solid, frames), _left_no_trace(solid, operation, tools) if len(tools) > 1 else ()
    )


def _left_no_trace(solid: Solid, operation: Operation, tools: Sequence[Tool]) -> tuple[int, ...]:
    """The tools of which no face is left: they met nothing, or lay within the part. A tool whose
    names others bear, too, counts as seen."""
    if operation == "common":
        return ()
    left = set(solid.names)
    return tuple(k for k, tool in enumerate(tools) if not tool.names() & left)


def stretched(body: Body, factors: Vector, anew: Callable[[], Body] | None = None) -> Body:
    """The body stretched along the axes; its frames stay in the design's own space. ``anew`` makes
    it of tools that are stretched, where the kernel fails at stretching the whole."""
    if factors == (1.0, 1.0, 1.0):
        return body
    if body.prisms:
        return Body(tuple(prism.stretched(factors) for prism in body.prisms), None, body.frames)
    from .occ.stretched import Stretched

    other = (lambda: anew().solid()) if anew is not None else None
    return Body((), None, body.frames, stretched=Stretched(body.solid(), factors, anew=other))


def unfolded(body: Body) -> Body:
    """The blank of a folded sheet, where it lies before it is folded.

    Raises:
        ValueError: where it would overlap itself.
    """
    if body.folded is None:
        return body
    blank = body.folded.blank
    return Body((blank,), None, {**body.frames, **blank.frames()}, None, body.folded)


def placed_body(body: Body, motion: Motion) -> Body:
    """The body moved, turned or mirrored."""
    frames = {name: motion.frame(frame) for name, frame in body.frames.items()}
    if body.folded is not None:
        return Body((), None, frames, body.folded.moved(motion))
    if body.prisms:
        return Body(tuple(prism.placed(motion) for prism in body.prisms), None, frames)
    if body.stretched is not None:
        return Body((), None, frames, stretched=body.stretched.placed(motion))
    from .occ import change as occ_change

    return Body((), occ_change.moved(body.solid(), motion), frames)


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
    from . import occ

    solids = [image.solid().of_member(number) for number, image in images]
    return Body((), occ.united(solids), frames)


def _no_sheets(*bodies: Body) -> None:
    if any(body.folded is not None for body in bodies):
        raise CannotFold(
            "Several folded sheets, or a sheet and something else, cannot be one part.",
            "Give each a part of its own: then each has its blank.",
        )


def renamed(body: Body, step: str, role: str) -> Body:
    """The body with its faces named after a step and its role, what they were before following as
    the element."""

    def of(name: FaceName) -> FaceName:
        return name.made_by(step, role)

    frames = {of(name): frame for name, frame in body.frames.items()}
    if body.folded is not None:
        return Body((), None, frames, body.folded.renamed(of))
    prisms = tuple(
        replace(
            p,
            start=of(p.start),
            end=of(p.end),
            sides={key: of(name) for key, name in p.sides.items()},
        )
        for p in body.prisms
    )
    whole = body.solid() if body.stretched is not None else body.made
    made = None if whole is None else replace(whole, names=tuple(of(name) for name in whole.names))
    return Body(prisms, made, frames)
