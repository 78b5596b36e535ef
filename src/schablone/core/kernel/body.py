"""A body: what a part is made of at some step, as prisms, as a kernel solid, as a folded sheet, or
of triangles."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import shapely
from shapely.geometry import Polygon

from ..sketch.regions import Region, polygon_of
from .figures import Figures, OnlyTriangles
from .folding import Folded, closes
from .folding.figures import figures_of
from .folding.meshing import mesh_of_folded
from .frame import Frame, Vector, as_vector
from .mesh import FINE, FOR_FITS, Mesh, mesh_of_prism
from .meshed import Meshed
from .motion import Motion
from .naming import FaceName
from .prism import Prism, in_frame

if TYPE_CHECKING:
    from .occ import Solid
    from .occ.stretched import Stretched


@dataclass(frozen=True, slots=True)
class Body:
    """Prisms that lie apart, one kernel solid, a solid that is ``stretched`` when it is needed, a
    folded sheet with its blank, or a free form of triangles (``meshed``); with frames of its flat
    faces by name. A blank knows the sheet that it is the ``blank_of``."""

    prisms: tuple[Prism, ...] = ()
    made: Solid | None = None
    frames: Mapping[FaceName, Frame] = field(default_factory=dict)
    folded: Folded | None = None
    blank_of: Folded | None = None
    stretched: Stretched | None = None
    meshed: Meshed | None = None

    @classmethod
    def of(cls, prisms: Sequence[Prism]) -> Body:
        """A body of prisms that lie apart."""
        frames: dict[FaceName, Frame] = {}
        for prism in prisms:
            frames |= prism.frames()
        return cls(tuple(prisms), None, frames)

    @classmethod
    def of_sheet(cls, folded: Folded) -> Body:
        """A body that is a folded sheet."""
        return cls((), None, folded.face_frames(), folded)

    @classmethod
    def of_triangles(cls, meshed: Meshed, frames: Mapping[FaceName, Frame]) -> Body:
        """A free form, with the frames of its flat faces."""
        return cls((), None, frames, meshed=meshed)

    def solid(self) -> Solid:
        """The kernel's solid, made from the prisms where there is none yet. Loads the geometry
        kernel.

        Raises:
            OnlyTriangles: where it is a free form of triangles.
        """
        from . import occ

        if self.meshed is not None:
            raise OnlyTriangles

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
        if self.meshed is not None:
            return self.meshed.is_sound()
        if self.folded is not None:
            return closes(self.folded)
        if self.stretched is not None:
            return self.drawn().is_closed()
        return self.made is not None and self.made.is_closed()

    def holds_as_a_solid(self) -> bool:
        """Whether the kernel finds nothing wrong with its solid: of prisms that it closes, of what
        the kernel made by its full check of every face, edge and corner."""
        if self.meshed is not None:
            return self.meshed.is_sound()
        solid = self.drawn()
        return solid.is_closed() and (bool(self.prisms) or solid.is_valid())

    def mesh(self, tolerance: float = FINE) -> Mesh:
        """A closed mesh with chords within ``tolerance`` mm; that of a free form of triangles is
        what it is."""
        if self.meshed is not None:
            return self.meshed.mesh
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
        if self.prisms or self.folded is not None or self.meshed is not None:
            return FOR_FITS
        if self.stretched is not None:
            return self.stretched.fineness
        from .occ.solids import is_free

        return FINE if is_free(self.solid().shape) else FOR_FITS

    def box(self) -> tuple[Vector, Vector]:
        """Corners of the box along the axes, mm."""
        if not self.prisms:
            return self.figures().bounds
        boxes = [prism.bounds() for prism in self.prisms]
        if len(boxes) == 1:
            return boxes[0]
        low = as_vector(min(box[0][i] for box in boxes) for i in range(3))
        high = as_vector(max(box[1][i] for box in boxes) for i in range(3))
        return low, high

    def figures(self) -> Figures:
        """Volume, mm³, surface, mm², the box around it and its centre of mass, mm."""
        if self.meshed is not None:
            return self.meshed.figures
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
        elif self.meshed is not None:
            pieces = [polygon_of(one.outer) for one in self.meshed.regions_of(name, frame)]
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
        return set(self.meshed.names if self.meshed is not None else self.drawn().names)


def stretched(body: Body, factors: Vector, anew: Callable[[], Body] | None = None) -> Body:
    """The body stretched along the axes; its frames stay in the design's own space. ``anew`` makes
    it of tools that are stretched, where the kernel fails at stretching the whole."""
    if factors == (1.0, 1.0, 1.0):
        return body
    if body.prisms:
        return Body(tuple(prism.stretched(factors) for prism in body.prisms), None, body.frames)
    if body.meshed is not None:
        return Body.of_triangles(body.meshed.stretched(factors), body.frames)
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
    if body.meshed is not None:
        return Body.of_triangles(body.meshed.placed(motion), frames)
    from .occ import change as occ_change

    return Body((), occ_change.moved(body.solid(), motion), frames)


def renamed(body: Body, step: str, role: str) -> Body:
    """The body with its faces named after a step and its role, what they were before following as
    the element."""
    return named_anew(body, lambda name: name.made_by(step, role))


def named_anew(body: Body, of: Callable[[FaceName], FaceName]) -> Body:
    """The body with other names of its faces."""
    frames = {of(name): frame for name, frame in body.frames.items()}
    if body.folded is not None:
        return Body((), None, frames, body.folded.renamed(of))
    if body.meshed is not None:
        return Body.of_triangles(body.meshed.renamed(of), frames)
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
