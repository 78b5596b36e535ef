"""A solid as it is stretched along the axes, for shrinkage.

Stretched by different factors, cylinders are cylinders no more, and the kernel makes splines of all
that there is: slow, and of round walls it knows nothing any longer. The triangles that machines are
sent need none of that. They are those of the solid itself, moved: so round walls keep what was done
for their diameters. An exact solid is made where one is asked for.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ..figures import Figures, is_kernel_failure
from ..frame import Vector, as_vector
from ..mesh import FINE, FOR_FITS, Mesh
from ..motion import Motion
from .change import moved, stretched
from .face_facts import facts_of
from .meshing import mesh_of
from .solids import Solid, is_free

#: By what share the volume of a solid that was stretched may differ from what it must be: so well
#: is it measured on rational surfaces.
VOLUME = 1e-4
#: How far chords may be off, mm, where only areas before and after are compared: by what share a
#: face grows depends on which ways it faces, and few triangles tell that.
_FOR_AREAS = 0.5


@dataclass(frozen=True)
class Stretched:
    """A ``solid`` that is stretched along the axes by ``factors``, then placed by a ``motion``.
    ``anew`` makes it in another way, where there is one; the kernel may fail at stretching."""

    solid: Solid
    factors: Vector
    motion: Motion = field(default_factory=Motion)
    anew: Callable[[], Solid] | None = field(default=None, compare=False)

    def placed(self, motion: Motion) -> Stretched:
        """The same moved, turned or mirrored."""
        return replace(self, motion=motion.after(self.motion))

    @property
    def fineness(self) -> float:
        """How near to the surface the mesh that is sent lies, mm."""
        return (FINE if is_free(self.solid.shape) else FOR_FITS) * max(1.0, *self.factors)

    def mesh(self, tolerance: float) -> Mesh:
        """A closed mesh with chords within ``tolerance`` mm."""
        rows = np.array(self.motion.rows) @ np.diag(self.factors)
        before = mesh_of(self.solid, tolerance / max(1.0, *self.factors))
        return before.mapped(rows, np.array(self.motion.shift))

    @cached_property
    def figures(self) -> Figures:
        """Its figures, from those of the solid: exact, but for the surface of curved faces, each of
        which grows by the same share as its triangles."""
        if any(abs(value - round(value)) > 1e-12 for row in self.motion.rows for value in row):
            return self.made.figures  # its box is none of the box before
        before = self.solid.figures
        ends = [self._there(corner) for corner in before.bounds]
        low, high = (as_vector(of(pair) for pair in zip(*ends, strict=True)) for of in (min, max))
        return Figures(
            before.volume * math.prod(self.factors),
            self._surface(),
            (low, high),
            self._there(before.centre),
        )

    def _there(self, point: Vector) -> Vector:
        wide = as_vector(c * factor for c, factor in zip(point, self.factors, strict=True))
        return self.motion.point(wide)

    def _surface(self) -> float:
        fx, fy, fz = self.factors
        if fx == fy == fz:
            return self.solid.figures.area * fx * fx
        before = mesh_of(self.solid, _FOR_AREAS)
        wide = before.mapped(np.diag(self.factors), np.zeros(3))
        # Each face grows as its triangles do, which have somewhat less surface than it has.
        exact = np.array([facts_of(face).area for face in self.solid.faces()])
        was, now = (
            np.bincount(before.face_of, mesh.areas(), len(exact)) for mesh in (before, wide)
        )
        return float((exact * np.divide(now, was, np.ones_like(was), where=was > 0)).sum())

    @cached_property
    def made(self) -> Solid:
        """The solid itself.

        Raises:
            ValueError: where the kernel fails at it in every way there is.
        """
        must = self.solid.figures.volume * math.prod(self.factors)
        for way in (lambda: stretched(self.solid, self.factors), self.anew):
            try:
                solid = way() if way is not None else None
            except Exception as error:
                if not isinstance(error, ValueError) and not is_kernel_failure(error):
                    raise
                continue
            if solid is not None and abs(solid.figures.volume - must) <= VOLUME * must:
                return solid if self.motion.is_nothing else moved(solid, self.motion)
        raise ValueError(
            "stretched for shrinkage, it does not come to the volume that it must have"
        )
