"""Reading exported files as a machine does: meshes of STL and 3MF, closed outlines of DXF."""

from __future__ import annotations

import io
import math
import zipfile
from pathlib import PurePath
from typing import Any
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

from ..files import LARGEST

Floats = NDArray[np.float64]

_LARGEST = LARGEST["made"]
#: The widest gap in an outline that is a tab, mm.
_WIDEST_GAP = 40.0
_UNITS = {
    "micron": 0.001,
    "millimeter": 1.0,
    "centimeter": 10.0,
    "inch": 25.4,
    "foot": 304.8,
    "meter": 1000.0,
}


class NotReadable(ValueError):
    """A file that no machine here takes; says why."""


def triangles_of(data: bytes, name: str) -> Floats:
    """The triangles of a mesh file, (n, 3, 3), mm.

    Raises:
        NotReadable: where it is no STL or 3MF, is cut off, or holds nothing.
    """
    ending = PurePath(name).suffix.lower()
    if len(data) > _LARGEST:
        raise NotReadable(f"{name} is larger than {_LARGEST // 1_000_000} MB")
    triangles = (
        _stl(data, name)
        if ending == ".stl"
        else _three_mf(data, name)
        if ending == ".3mf"
        else None
    )
    if triangles is None:
        raise NotReadable(f"{name} is no STL or 3MF file; printers take these")
    if not len(triangles):
        raise NotReadable(f"{name} holds no triangles")
    return triangles


def _stl(data: bytes, name: str) -> Floats:
    if len(data) < 84:
        raise NotReadable(f"{name} is cut off")
    count = int.from_bytes(data[80:84], "little")
    if len(data) < 84 + 50 * count:
        raise NotReadable(f"{name} is cut off: it says {count} triangles")
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    return np.frombuffer(data, record, count, 84)["corners"].astype(np.float64)


def _three_mf(data: bytes, name: str) -> Floats:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            model = next(n for n in archive.namelist() if n.lower().endswith(".model"))
            if archive.getinfo(model).file_size > _LARGEST:
                raise NotReadable(f"{name} unpacks to more than {_LARGEST // 1_000_000} MB")
            text = archive.read(model)
        if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
            raise NotReadable(f"{name} holds what no model needs")
        root = ElementTree.fromstring(text)
    except (zipfile.BadZipFile, StopIteration, ElementTree.ParseError, KeyError) as error:
        raise NotReadable(f"{name} is no whole 3MF file") from error
    scale = _UNITS.get(root.get("unit", "millimeter"), 1.0)
    space = "{*}"
    triangles = []
    for mesh in root.iter():
        if not mesh.tag.endswith("}mesh"):
            continue
        points = np.array(
            [
                [float(v.get(a, "0")) for a in "xyz"]
                for v in mesh.iterfind(f"{space}vertices/{space}vertex")
            ]
        )
        corners = [
            [int(t.get(a, "0")) for a in ("v1", "v2", "v3")]
            for t in mesh.iterfind(f"{space}triangles/{space}triangle")
        ]
        if len(points) and corners:
            triangles.append(points[np.array(corners)])
    return np.concatenate(triangles) * scale if triangles else np.zeros((0, 3, 3))


def outlines_of(data: bytes, name: str) -> list[Floats]:
    """The closed outlines of a DXF file that are cut through, as points, (n, 2) each, mm.

    Raises:
        NotReadable: where it is no DXF file, or nothing in it closes.
    """
    import ezdxf
    from ezdxf import recover
    from ezdxf.units import conversion_factor
    from shapely import polygonize, union_all
    from shapely.geometry import LineString

    try:
        document, _ = recover.read(io.BytesIO(data))
    except (OSError, ezdxf.DXFError, UnicodeDecodeError) as error:
        raise NotReadable(f"{name} is no DXF file that can be read") from error
    scale = conversion_factor(document.units, ezdxf.units.MM) if document.units else 1.0
    rings: list[Floats] = []
    lines = []
    for entity in document.modelspace():
        kind = entity.dxftype()
        if entity.dxf.layer.upper().startswith(("POCKET", "REGISTER", "NOTE")):
            continue  # cut to a depth, cut already, or only to be read
        if kind == "CIRCLE":
            rings.append(np.array([tuple(p)[:2] for p in entity.flattening(0.001)])[:-1] * scale)
        elif kind == "LINE":
            lines.append(LineString([tuple(entity.dxf.start)[:2], tuple(entity.dxf.end)[:2]]))
        elif kind in ("ARC", "ELLIPSE", "SPLINE"):
            lines.append(LineString([tuple(p)[:2] for p in entity.flattening(0.001)]))
    if lines:
        snapped = _bridged(union_all(lines, grid_size=1e-5))
        # Every ring once: also those that lie within another.
        for polygon in polygonize([snapped]).geoms:
            for ring in (polygon.exterior, *polygon.interiors):
                points = np.array(ring.coords)[:-1] * scale
                if not any(
                    len(points) == len(known)
                    and np.allclose(sorted(points.tolist()), sorted(known.tolist()), atol=1e-4)
                    for known in rings
                ):
                    rings.append(points)
    if not rings:
        raise NotReadable(f"{name} holds no closed outline")
    return rings


def _bridged(lines: Any) -> Any:
    """Lines with their gaps closed: a piece that is held by tabs is broken out of its sheet, and
    filed flush. Each free end is joined to the nearest other one."""
    from shapely import line_merge, union_all
    from shapely.geometry import LineString

    merged = line_merge(lines)
    chains = [line for line in getattr(merged, "geoms", [merged]) if not line.is_closed]
    if not chains:
        return lines
    ends = np.array([line.coords[k] for line in chains for k in (0, -1)])
    apart = np.linalg.norm(ends[:, None] - ends[None], axis=2)
    apart[np.diag_indices(len(ends))] = np.inf
    for k in range(0, len(ends), 2) if len(chains) > 1 else ():
        # both ends of one piece: the gaps lie between pieces
        apart[k, k + 1] = apart[k + 1, k] = np.inf
    bridges = []
    while np.isfinite(apart).any() and apart.min() <= _WIDEST_GAP:
        i, j = np.unravel_index(int(np.argmin(apart)), apart.shape)
        bridges.append(LineString([ends[i], ends[j]]))
        apart[[i, j]] = apart[:, [i, j]] = np.inf
    return union_all([lines, *bridges], grid_size=1e-5)


#: Corners of a whole circle are no farther apart than this, seen from its middle.
_APART = math.radians(60)


def circle_of(points: Floats) -> tuple[float, float, float] | None:
    """Centre and diameter, mm, of a ring of points if it is a whole circle, else None (algebraic
    fit; I. Kåsa, A circle fitting procedure and its error analysis, IEEE Transactions IM-25, 1976).
    Machines run along its chords: the diameter is that of a circle that encloses as much."""
    if len(points) < 8:
        return None
    x, y = points[:, 0], points[:, 1]
    matrix = np.stack([x, y, np.ones(len(x))], 1)
    a, b, c = np.linalg.lstsq(matrix, x * x + y * y, rcond=None)[0]
    cx, cy = a / 2, b / 2
    radius = math.sqrt(max(c + cx * cx + cy * cy, 0.0))
    off = np.abs(np.hypot(x - cx, y - cy) - radius)
    if off.max() >= max(1e-3, 2e-3 * radius):
        return None
    # A piece of a circle, cut off along a chord, has its corners on one, too.
    around = np.sort(np.arctan2(y - cy, x - cx))
    if np.diff(around, append=around[0] + 2 * math.pi).max() > _APART:
        return None
    area = abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2
    return float(cx), float(cy), 2 * math.sqrt(area / math.pi)
