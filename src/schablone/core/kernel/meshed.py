"""A body of triangles: a free form that no exact surfaces are known of.

Its triangles are parted into faces with names as those of any body. The general library for solids
of triangles, which gives a closed mesh for any two that are put together, does its booleans
(:mod:`.mesh_booleans`).
"""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeVar

import numpy as np
from manifold3d import Error, Manifold
from manifold3d import Mesh64 as Net
from numpy.typing import NDArray

from ..sketch.curves import Segment
from ..sketch.loops import Loop
from ..sketch.regions import Region
from .figures import Figures
from .frame import Frame, Vector, as_vector, facing
from .mesh import Lines, Mesh
from .motion import Motion
from .naming import FaceName
from .second import walls_along
from .triangles import signed_area

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

_T = TypeVar("_T")

#: Triangles of one face that lean less to each other, as a cosine, look round (30°).
_SMOOTH = 0.866
#: What lies within this of a face, mm, lies on it.
_AT = 1e-6
#: Corners of a flat face lie no farther off its plane, mm.
_FLAT = 1e-4
#: Rings smaller than this, mm², are none.
_NO_AREA = 1e-9


@dataclass(frozen=True)
class Meshed:
    """A closed mesh: ``points`` (n, 3), mm; ``triangles`` (m, 3) numbers of points,
    counter-clockwise seen from outside; ``face_of`` (m,) the number of each triangle's face in
    ``names``."""

    points: Floats
    triangles: Ints
    face_of: Ints
    names: tuple[FaceName, ...]

    @classmethod
    def of_mesh(cls, mesh: Mesh) -> Meshed:
        """What another body's mesh encloses; faces of one name become one."""
        names = tuple(dict.fromkeys(mesh.faces))
        number = np.array([names.index(name) for name in mesh.faces], dtype=np.int32)
        return cls(
            np.asarray(mesh.points, dtype=np.float64),
            mesh.triangles.astype(np.int32),
            number[mesh.face_of],
            names,
        )

    @classmethod
    def of_solid(cls, solid: Manifold, name: FaceName) -> Meshed:
        """What the library made, all of it one face."""
        net = solid.to_mesh64()
        triangles = np.asarray(net.tri_verts, dtype=np.int32)
        points = np.array(net.vert_properties[:, :3])
        return cls(points, triangles, np.zeros(len(triangles), dtype=np.int32), (name,))

    @cached_property
    def mark(self) -> int:
        """By this its triangles are known in what the library makes of it."""
        number: int = Manifold.reserve_ids(1)
        return number

    @property
    def solid(self) -> Manifold:
        """The same as the library has it; its triangles bear the numbers of their faces. It takes
        ten times the room of all else here, and is kept for those used last."""
        return _kept(_solids, self.mark, self._as_solid)

    def _as_solid(self) -> Manifold:
        # Copies: the library takes no arrays that may not be written to.
        return Manifold(
            Net(
                vert_properties=np.array(self.points, order="C"),
                tri_verts=np.array(self.triangles, dtype=np.uint64, order="C"),
                run_index=np.array([0, 3 * len(self.triangles)], dtype=np.uint64),
                run_original_id=np.array([self.mark], dtype=np.uint32),
                face_id=np.array(self.face_of, dtype=np.uint64, order="C"),
            )
        )

    def is_sound(self) -> bool:
        """Whether it encloses a volume."""
        return self.solid.status() == Error.NoError and not self.solid.is_empty()

    @cached_property
    def figures(self) -> Figures:
        """Volume, surface, box and centre of mass of what the triangles enclose, by the divergence
        theorem."""
        middle = (self.points.min(axis=0) + self.points.max(axis=0)) / 2
        a, b, c = (self.points[self.triangles[:, k]] - middle for k in range(3))
        across = np.cross(b - a, c - a)
        six = np.einsum("ij,ij->i", a, np.cross(b, c))
        volume = float(six.sum()) / 6
        centre = ((a + b + c) * six[:, None]).sum(axis=0) / 24 / volume + middle
        area = float(np.linalg.norm(across, axis=1).sum()) / 2
        return Figures(volume, area, self.box(), as_vector(map(float, centre)))

    def box(self) -> tuple[Vector, Vector]:
        """Corners of the box along the axes, mm."""
        low, high = self.points.min(axis=0), self.points.max(axis=0)
        return as_vector(map(float, low)), as_vector(map(float, high))

    def placed(self, motion: Motion) -> Meshed:
        """The same moved, turned or mirrored."""
        turned = slice(None, None, -1 if motion.mirrors else 1)
        return replace(
            self,
            points=self.points @ np.array(motion.rows).T + np.array(motion.shift),
            triangles=np.ascontiguousarray(self.triangles[:, turned]),
        )

    def stretched(self, factors: Vector) -> Meshed:
        """The same stretched along the axes by factors, exactly."""
        return replace(self, points=self.points * np.array(factors))

    def renamed(self, of: Callable[[FaceName], FaceName]) -> Meshed:
        """The same with other names of its faces."""
        return replace(self, names=tuple(of(name) for name in self.names))

    def only(self, kept: NDArray[np.bool_]) -> Meshed:
        """That of it which some of its triangles, (m,), enclose."""
        used, numbers = np.unique(self.triangles[kept], return_inverse=True)
        triangles = numbers.reshape(-1, 3).astype(np.int32)
        faces, face_of = np.unique(self.face_of[kept], return_inverse=True)
        names = tuple(self.names[k] for k in faces.tolist())
        return Meshed(self.points[used], triangles, face_of.astype(np.int32), names)

    @property
    def mesh(self) -> Mesh:
        """As it is shown and sent: round where triangles of one face lean little to each other,
        with the lines where faces meet. Kept for those used last."""
        return _kept(_meshes, self.mark, self._as_mesh)

    def _as_mesh(self) -> Mesh:
        return Mesh(
            self.points,
            self.triangles,
            self.face_of,
            self._normals(),
            self.names,
            Lines(self._drawn),
        )

    def _drawn(self) -> tuple[tuple[Floats, ...], tuple[tuple[int, int], ...]]:
        """The lines where faces meet, and between which."""
        lines = self._lines
        return tuple(self.points[line] for _, line in lines), tuple(pair for pair, _ in lines)

    def _normals(self) -> NDArray[np.float32]:
        """(m, 3, 3): at each corner the mean over the triangles of the face around it, by their
        areas."""
        a, b, c = (self.points[self.triangles[:, k]] for k in range(3))
        across = np.cross(b - a, c - a)
        flat = across / np.maximum(np.linalg.norm(across, axis=1), 1e-300)[:, None]
        key = self.triangles.astype(np.int64) * len(self.names) + self.face_of[:, None]
        _, at = np.unique(key.ravel(), return_inverse=True)
        count = int(at.max()) + 1
        mean = np.stack(
            [np.bincount(at, np.repeat(across[:, k], 3), count) for k in range(3)], axis=1
        )
        mean = mean / np.maximum(np.linalg.norm(mean, axis=1), 1e-300)[:, None]
        normals = mean[at].reshape(-1, 3, 3)
        creased = np.einsum("ijk,ik->ij", normals, flat) < _SMOOTH
        normals[creased] = np.repeat(flat[:, None], 3, axis=1)[creased]
        return np.asarray(normals, dtype=np.float32)

    def _sides(self) -> tuple[Ints, Ints, Ints]:
        """The sides of triangles, each once, as they run for one of both beside it, (e, 2); that
        triangle and the other one, (e,) each."""
        sides = self.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
        order = np.lexsort(np.sort(sides, axis=1).T)
        one, other = order[::2], order[1::2]
        return sides[one], (one // 3).astype(np.int32), (other // 3).astype(np.int32)

    @cached_property
    def _borders(self) -> tuple[Ints, Ints]:
        """The sides of triangles that another face lies beyond, as they run for the first face,
        (e, 2), and the numbers of both faces, (e, 2)."""
        sides, one, other = self._sides()
        both = self.face_of[np.stack([one, other], axis=1)]
        apart = both[:, 0] != both[:, 1]
        sides, both = sides[apart], both[apart]
        return np.concatenate([sides, sides[:, ::-1]]), np.concatenate([both, both[:, ::-1]])

    def contours(self, way: Vector) -> list[Floats]:
        """Lines within its faces at which these turn away from who looks against a direction,
        (k, 3) each; what is a free form has none that are smooth."""
        a, b, c = (self.points[self.triangles[:, k]] for k in range(3))
        across = np.cross(b - a, c - a)
        towards = across @ np.array(way) > 1e-9 * np.maximum(np.linalg.norm(across, axis=1), 1e-300)
        plain = np.array([name.role != "free" for name in self.names])[self.face_of]
        sides, one, other = self._sides()
        turns = (towards[one] != towards[other]) & plain[one]
        turns &= self.face_of[one] == self.face_of[other]
        ahead = np.where(towards[one][:, None], sides, sides[:, ::-1])[turns]
        lines = chained([(p, q) for p, q in ahead.tolist()], set())
        return [self.points[line] for line in lines]

    @cached_property
    def _lines(self) -> list[tuple[tuple[int, int], Ints]]:
        """The lines where two faces meet: the pair, and the points along it."""
        sides, faces = self._borders
        mine = faces[:, 0] < faces[:, 1]
        sides, faces = sides[mine], faces[mine]
        ends, count = np.unique(sides, return_counts=True)
        # Where more than one line goes through a point, all of them end.
        corners = set(ends[count != 2].tolist())
        by_pair: dict[tuple[int, int], list[tuple[int, int]]] = {}
        for (a, b), (f, g) in zip(sides.tolist(), faces.tolist(), strict=True):
            by_pair.setdefault((f, g), []).append((a, b))
        pairs_at: dict[int, set[tuple[int, int]]] = {}
        for pair, borders in by_pair.items():
            for side in borders:
                for point in side:
                    pairs_at.setdefault(point, set()).add(pair)
        corners |= {point for point, pairs in pairs_at.items() if len(pairs) > 1}
        return [
            (pair, np.array(line, dtype=np.int32))
            for pair, borders in by_pair.items()
            for line in chained(borders, corners)
        ]

    def lines(self) -> list[Floats]:
        """The lines where faces meet, (k, 3) each, mm."""
        return [self.points[line] for _, line in self._lines]

    def sides_of(self, face: int, others: Collection[int]) -> Ints:
        """The sides of the triangles of a face beyond which some others lie, by their numbers:
        their ends, (e, 2)."""
        sides, faces = self._borders
        mine: Ints = sides[(faces[:, 0] == face) & np.isin(faces[:, 1], list(others))]
        return mine

    def depth_under(self, frame: Frame) -> float:
        """How far the material reaches from a frame's origin against its normal, mm; 0 where there
        is none."""
        low, high = self.box()
        far = math.dist(low, high) + math.dist(frame.origin, low)
        back = as_vector(-c for c in frame.normal)
        walls = walls_along(self.solid, frame.origin, back, far)
        return next((wall for wall in walls if wall > _AT), 0.0)

    def plane_of(self, name: FaceName) -> Frame | None:
        """The plane that the triangles of a face lie in, in their middle, its normal outwards; None
        where they lie in none, or there are none. Of what is stretched, that of the stretched."""
        if name not in self.names:
            return None
        mine = self.points[self.triangles[self.face_of == self.names.index(name)]]
        across = np.cross(mine[:, 1] - mine[:, 0], mine[:, 2] - mine[:, 0])
        whole = across.sum(axis=0)
        long = float(np.linalg.norm(whole))
        if not long:
            return None
        normal = whole / long
        spots = mine.reshape(-1, 3)
        if float(np.ptp(spots @ normal)) > _FLAT:
            return None
        return facing(as_vector(spots.mean(axis=0).tolist()), as_vector(normal.tolist()))

    def regions_of(self, name: FaceName, frame: Frame) -> list[Region]:
        """The areas of a flat face, with their holes, in the coordinates of a frame on it."""
        if name not in self.names:
            return []
        number = self.names.index(name)
        sides, faces = self._borders
        mine = sides[faces[:, 0] == number].tolist()
        axes, origin = np.array([frame.x, frame.y]), np.array(frame.origin)
        lines = chained([(a, b) for a, b in mine], set())
        return regions_of_rings([(self.points[line[:-1]] - origin) @ axes.T for line in lines])


#: What was made of those used last, by their marks.
_solids: OrderedDict[int, Manifold] = OrderedDict()
_meshes: OrderedDict[int, Mesh] = OrderedDict()
_MOST_KEPT = 4


def _kept(known: OrderedDict[int, _T], mark: int, make: Callable[[], _T]) -> _T:
    kept = known.pop(mark, None)
    if kept is None:
        kept = make()
    known[mark] = kept
    while len(known) > _MOST_KEPT:
        known.popitem(last=False)
    return kept


def chained(sides: Iterable[tuple[int, int]], corners: set[int]) -> list[list[int]]:
    """Lines that sides, each from a point to another, make: end to start, as far as the next
    corner; those that close end with the point that they begin with."""
    ahead: dict[int, list[int]] = {}
    for a, b in sides:
        ahead.setdefault(a, []).append(b)
    # Lines between corners first: what is left are rings.
    starts = [a for a in ahead if a in corners]
    chains = []
    for start in [*starts, *ahead]:
        while ahead.get(start):
            line = [start, ahead[start].pop()]
            while line[-1] not in corners and line[-1] != start and ahead.get(line[-1]):
                line.append(ahead[line[-1]].pop())
            chains.append(line)
    return chains


def regions_of_rings(rings: Sequence[Floats]) -> list[Region]:
    """Areas that rings (k, 2) go round counter-clockwise, with those that run the other way within
    them as holes."""
    # Loops run counter-clockwise, those of holes as well.
    return [
        Region(loop_of(outer), tuple(loop_of(ring[::-1]) for ring in holes))
        for outer, holes in signed_rings(rings)
    ]


def signed_rings(rings: Sequence[Floats]) -> list[tuple[Floats, list[Floats]]]:
    """Of rings (k, 2) those that run counter-clockwise, each with those within it that run the
    other way."""
    from shapely.geometry import Polygon

    real = [ring for ring in rings if len(ring) > 2 and abs(signed_area(ring)) > _NO_AREA]
    outer = [ring for ring in real if signed_area(ring) > 0]
    areas = [Polygon(ring) for ring in outer]
    holes: list[list[Floats]] = [[] for _ in outer]
    for ring in real:
        if signed_area(ring) > 0:
            continue
        spot = Polygon(ring).representative_point()
        around = [k for k, area in enumerate(areas) if area.contains(spot)]
        if around:
            holes[min(around, key=lambda k: areas[k].area)].append(ring)
    return list(zip(outer, holes, strict=True))


def loop_of(ring: Floats) -> Loop:
    """The outline through points, (k, 2), mm."""
    points = [(float(u), float(v)) for u, v in ring]
    return Loop(
        tuple(
            Segment(a, b, str(k))
            for k, (a, b) in enumerate(zip(points, [*points[1:], points[0]], strict=True))
        )
    )
