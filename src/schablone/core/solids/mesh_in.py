"""Meshes of other programs: read from STL, 3MF or OBJ, looked at, and mended where that changes
nothing of the shape."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from itertools import pairwise
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ..practice.files import NotReadable, triangles_of
from ..quantity import plain

Floats = NDArray[np.float64]
Numbers = NDArray[np.int64]

#: So many triangles are taken.
MOST = 200_000
#: What the units of 3MF come to, mm.
_MM = {"MicroMeter": 1e-3, "MilliMeter": 1.0, "CentiMeter": 10.0, "Inch": 25.4, "Foot": 304.8,
       "Meter": 1000.0}  # fmt: skip
#: So many edges are parted where a corner lies on them.
_MOST_SPLIT = 200
#: Corners nearer than a share of the part are one: the first at which it is closed.
_WELDS = (2e-7, 2e-6, 2e-5)


class NotAMesh(NotReadable):
    """A mesh that encloses nothing, or cannot be read; says why."""


@dataclass(frozen=True)
class Net:
    """A closed mesh: points, (n, 3), mm; triangles, (m, 3), seen from outside counter-clockwise;
    what was mended, in words."""

    points: Floats
    triangles: Numbers
    mended: tuple[str, ...] = ()

    @property
    def corners(self) -> Floats:
        """(m, 3, 3)."""
        return self.points[self.triangles]

    @property
    def volume(self) -> float:
        """mm³."""
        a, b, c = self.corners.transpose(1, 0, 2)
        return float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6

    @property
    def size(self) -> float:
        """The diagonal of the box around it, mm."""
        return float(np.linalg.norm(np.ptp(self.points, axis=0)))


def read_net(data: bytes, name: str) -> Net:
    """The mesh of a file, mended.

    Raises:
        NotAMesh: where it cannot be read, is too large, or encloses nothing.
    """
    ending = PurePath(name).suffix.lower()
    try:
        if ending == ".obj":
            soup = _obj(data, name)
        elif ending == ".stl" and _is_written_out(data):
            soup = _stl_in_words(data, name)
        else:
            soup = triangles_of(data, name)
            if ending == ".3mf":
                soup = _three_mf(data, name)
    except NotReadable as error:
        if isinstance(error, NotAMesh):
            raise
        raise NotAMesh(f"{error}.") from None
    if len(soup) > MOST:
        raise NotAMesh(f"{name} has {len(soup):,} triangles; {MOST:,} are taken.")
    if not np.isfinite(soup).all() or float(np.abs(soup).max(initial=0.0)) > 1e6:
        raise NotAMesh(f"{name} has corners that lie nowhere.")
    return mended(np.asarray(soup, dtype=float))


def _three_mf(data: bytes, name: str) -> Floats:
    """The triangles of all that a 3MF file builds, where it is built, mm. That the archive is sound
    and no larger than it may be was looked at before."""
    import lib3mf

    model = lib3mf.get_wrapper().CreateModel()
    try:
        model.QueryReader("3mf").ReadFromBuffer(data)
        to_mm = _MM[model.GetUnit().name]
        # Parts of parts, turned and scaled as they are put together.
        merged = model.MergeToModel()
        meshes = merged.GetMeshObjects()
        triangles = []
        while meshes.MoveNext():
            mesh = meshes.GetCurrentMeshObject()
            points = np.array([list(p.Coordinates) for p in mesh.GetVertices()])
            corners = np.array([list(t.Indices) for t in mesh.GetTriangleIndices()])
            if len(corners):
                triangles.append(points[corners])
    except (lib3mf.ELib3MFException, KeyError, IndexError) as error:
        raise NotReadable(f"{name} is no whole 3MF file") from error
    if not triangles:
        raise NotReadable(f"{name} builds nothing")
    return np.asarray(np.concatenate(triangles) * to_mm)


def _is_written_out(data: bytes) -> bool:
    """Whether an STL file is text; binary ones may begin with the same word."""
    if data.lstrip()[:5].lower() != b"solid" or b"facet" not in data[:1000].lower():
        return False
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else 0
    return len(data) != 84 + 50 * count


def _stl_in_words(data: bytes, name: str) -> Floats:
    words = data.lower().split()
    at = [k for k, word in enumerate(words) if word == b"vertex"]
    if len(at) % 3 or not at:
        raise NotReadable(f"{name} is cut off")
    try:
        corners = np.array([[float(w) for w in words[k + 1 : k + 4]] for k in at])
        return corners.reshape(-1, 3, 3)
    except ValueError:
        raise NotReadable(f"{name} has a corner that is no number") from None


def _obj(data: bytes, name: str) -> Floats:
    """The faces of a Wavefront OBJ file as triangles; others are cut into some."""
    points: list[list[float]] = []
    faces: list[tuple[int, int, int]] = []
    for number, line in enumerate(data.decode("latin1").splitlines(), 1):
        words = line.split()
        try:
            if words[:1] == ["v"]:
                points.append([float(word) for word in words[1:4]])
            elif words[:1] == ["f"]:
                corners = [int(word.partition("/")[0]) for word in words[1:]]
                corners = [c - 1 if c > 0 else len(points) + c for c in corners]
                faces += [(corners[0], a, b) for a, b in pairwise(corners[1:])]
        except ValueError:
            raise NotReadable(f"{name} cannot be read at line {number}") from None
        if len(faces) > MOST or len(points) > 3 * MOST:
            raise NotReadable(f"{name} is too large: {MOST:,} triangles are taken")
    if not faces:
        raise NotReadable(f"{name} holds no faces")
    if any(len(point) != 3 for point in points) or not all(
        0 <= c < len(points) for face in faces for c in face
    ):
        raise NotReadable(f"{name} has a face whose corner is not there")
    return np.asarray(np.array(points)[np.array(faces)])


def mended(soup: Floats) -> Net:
    """A closed mesh of triangles, (m, 3, 3) in mm: corners that lie together made one, triangles
    without area and doubles left out, all of them turned outwards.

    Raises:
        NotAMesh: where it is not closed, or encloses nothing.
    """
    said: list[str] = []
    first_trouble = ""
    for weld in _WELDS:
        points, triangles = _welded(soup, weld)
        whole = len(triangles)
        a, b, c = triangles.T
        triangles = triangles[(a != b) & (b != c) & (c != a)]
        _, first = np.unique(np.sort(triangles, axis=1), axis=0, return_index=True)
        triangles = triangles[np.sort(first)]
        if not len(triangles):
            raise NotAMesh("It has no triangle with an area.")
        triangles, split = _split_at_corners(points, triangles, weld)
        trouble = _is_open(points, triangles)
        if not trouble:
            break
        first_trouble = first_trouble or trouble
    else:
        raise NotAMesh(first_trouble)
    if weld > _WELDS[0]:
        size = float(np.linalg.norm(np.ptp(points, axis=0)))
        said.append(f"corners up to {plain(size * weld, 4)} mm apart brought together")
    if split:
        said.append(f"{split} edge{'s' * (split != 1)} parted at corners that lie on them")
    if gone := whole - len(triangles) + split:
        said.append(f"{gone} triangle{'s' * (gone != 1)} without area or twice there left out")
    triangles, turned = _turned_alike(triangles)
    if turned:
        said.append(f"{turned} triangle{'s' * (turned != 1)} turned round")
    triangles, kept = _largest(points, triangles)
    if kept:
        said.append(kept)
    used, inverse = np.unique(triangles, return_inverse=True)
    return Net(points[used], inverse.reshape(-1, 3).astype(np.int64), tuple(said))


def _welded(soup: Floats, share: float) -> tuple[Floats, Numbers]:
    """Points, each once, and triangles of them."""
    flat, number = np.unique(soup.reshape(-1, 3), axis=0, return_inverse=True)
    size = float(np.linalg.norm(np.ptp(flat, axis=0))) or 1.0
    near = cKDTree(flat).query_pairs(size * share, output_type="ndarray")
    graph = coo_matrix((np.ones(len(near)), tuple(near.T)), shape=(len(flat), len(flat)))
    _, label = connected_components(graph, directed=False)
    _, first = np.unique(label, return_index=True)
    return flat[first], label[number.ravel()].reshape(-1, 3).astype(np.int64)


def edges_of(triangles: Numbers) -> tuple[Numbers, Numbers]:
    """The edges of triangles, both ends in order of their numbers, (3 m, 2), and which triangle
    each is of."""
    pairs = triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
    return np.sort(pairs, axis=1), np.repeat(np.arange(len(triangles)), 3)


def _split_at_corners(points: Floats, triangles: Numbers, share: float) -> tuple[Numbers, int]:
    """Triangles of which an edge with nothing beside passes a corner of others, parted there; and
    how often."""
    size = float(np.linalg.norm(np.ptp(points, axis=0))) or 1.0
    rows = triangles.tolist()
    count = 0
    while count < _MOST_SPLIT:
        edges, of = edges_of(np.array(rows))
        _, inverse, counts = np.unique(edges, axis=0, return_inverse=True, return_counts=True)
        open_ = np.flatnonzero(counts[inverse.ravel()] == 1)
        if not len(open_):
            break
        ends = np.unique(edges[open_])
        before = count
        for row in open_.tolist():
            a, b = edges[row].tolist()
            way = points[b] - points[a]
            far = float(np.linalg.norm(way))
            along = (points[ends] - points[a]) @ way / far
            off = np.linalg.norm(points[ends] - points[a] - np.outer(along, way / far), axis=1)
            on = (off < size * share) & (along > size * share) & (along < far - size * share)
            if not on.any():
                continue
            v = int(ends[on][0])
            k = int(of[row])
            one = rows[k]
            at = next(n for n in range(3) if {one[n], one[(n + 1) % 3]} == {a, b})
            p, q, r = one[at], one[(at + 1) % 3], one[(at + 2) % 3]
            rows[k] = [p, v, r]
            rows.append([v, q, r])
            count += 1
            break
        if count == before:
            break
    return np.array(rows, dtype=np.int64), count


def _is_open(points: Floats, triangles: Numbers) -> str:
    """Why triangles enclose nothing, with a spot; empty where they do."""
    edges, _ = edges_of(triangles)
    known, counts = np.unique(edges, axis=0, return_counts=True)
    open_, many = int((counts == 1).sum()), int((counts > 2).sum())
    if not open_ and not many:
        return ""
    at = points[known[counts != 2][0]].mean(axis=0)
    where = ", ".join(f"{c:.4g}" for c in at)
    what = (
        f"It is not closed: {open_} edge{'s' * (open_ != 1)} with nothing beside"
        if open_
        else f"It touches itself along {many} edge{'s' * (many != 1)}"
    )
    return f"{what}, one of them near {where} mm."


def _turned_alike(triangles: Numbers) -> tuple[Numbers, int]:
    """Triangles that look to the same side as their neighbours, and how many were turned."""
    if _are_alike(triangles):
        return triangles, 0
    edges, of = edges_of(triangles)
    order = np.lexsort(edges.T)
    pairs = of[order].reshape(-1, 2)
    beside: list[list[int]] = [[] for _ in triangles]
    for a, b in pairs.tolist():
        beside[a].append(b)
        beside[b].append(a)
    flipped = triangles.copy()
    seen = np.zeros(len(flipped), dtype=bool)
    turned = 0
    for start in range(len(flipped)):
        if seen[start]:
            continue
        seen[start] = True
        todo = deque([start])
        while todo:
            one = todo.popleft()
            mine = {(int(flipped[one][k]), int(flipped[one][(k + 1) % 3])) for k in range(3)}
            for other in beside[one]:
                if seen[other]:
                    continue
                seen[other] = True
                a, b, c = (int(v) for v in flipped[other])
                if mine & {(a, b), (b, c), (c, a)}:
                    flipped[other] = (a, c, b)
                    turned += 1
                todo.append(other)
    return flipped, turned


def _are_alike(triangles: Numbers) -> bool:
    """Whether each edge runs one way in one triangle and the other way in another."""
    count = int(triangles.max()) + 1
    ahead = triangles.ravel() * count + triangles[:, [1, 2, 0]].ravel()
    return len(np.unique(ahead)) == len(ahead)


def _largest(points: Floats, triangles: Numbers) -> tuple[Numbers, str]:
    """Of several bodies the largest, with the hollows in it; and what was left out, in words."""
    edges, of = edges_of(triangles)
    pairs = of[np.lexsort(edges.T)].reshape(-1, 2)
    count = len(triangles)
    graph = coo_matrix((np.ones(len(pairs)), tuple(pairs.T)), shape=(count, count))
    shells, label = connected_components(graph, directed=False)
    volumes = []
    for shell in range(shells):
        a, b, c = points[triangles[label == shell]].transpose(1, 0, 2)
        volumes.append(float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6)
    outer = int(np.argmax(np.abs(volumes)))
    if abs(volumes[outer]) < 1e-9:
        raise NotAMesh("It encloses nothing.")
    boxes = [_box(points, triangles[label == shell]) for shell in range(shells)]
    inside = [
        shell
        for shell in range(shells)
        if shell != outer
        and bool((boxes[shell][0] > boxes[outer][0]).all())
        and bool((boxes[shell][1] < boxes[outer][1]).all())
        and _lies_within(points, triangles[label == outer], triangles[label == shell])
    ]
    turned = triangles.copy()
    for shell in (outer, *inside):
        # The outside looks out, hollows look in.
        if (volumes[shell] < 0) == (shell == outer):
            turned[label == shell] = turned[label == shell][:, [0, 2, 1]]
    kept = np.isin(label, [outer, *inside])
    left = shells - 1 - len(inside)
    said = f"{left} smaller bod{'y' if left == 1 else 'ies'} left out" if left else ""
    return turned[kept], said


def _box(points: Floats, triangles: Numbers) -> tuple[Floats, Floats]:
    mine = points[triangles.ravel()]
    return mine.min(axis=0), mine.max(axis=0)


def _lies_within(points: Floats, outer: Numbers, inner: Numbers) -> bool:
    """Whether a shell lies within another: how often the outer one winds around a corner of it, by
    solid angles (van Oosterom and Strackee 1983)."""
    at = points[inner[0][0]]
    a, b, c = (points[outer] - at).transpose(1, 0, 2)
    la, lb, lc = (np.linalg.norm(v, axis=1) for v in (a, b, c))
    det = np.einsum("ij,ij->i", a, np.cross(b, c))
    rest = (
        la * lb * lc
        + np.einsum("ij,ij->i", a, b) * lc
        + np.einsum("ij,ij->i", b, c) * la
        + np.einsum("ij,ij->i", c, a) * lb
    )
    return abs(float(np.arctan2(det, rest).sum())) / (2 * np.pi) > 0.5
