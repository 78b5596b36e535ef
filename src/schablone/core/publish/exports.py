"""Exports: STEP, STL, 3MF, DXF and SVG, and the bend sheet as PDF. Each returns the bytes of the
file; lengths are millimetres."""

from __future__ import annotations

import io
import struct
import uuid
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import PurePath
from typing import TYPE_CHECKING, Any

import numpy as np
from markupsafe import escape
from numpy.typing import NDArray

from ..kernel.figures import OnlyTriangles
from ..kernel.folding.bend_lines import BendLine
from ..kernel.mesh import Mesh
from ..kernel.tabs import NONE, Tabs, held
from ..problem import Problem, SchabloneError
from ..sketch.curves import Bezier, Curve, EllipticArc, Segment
from ..sketch.regions import Region
from .bend_sheet import bend_sheet
from .flat_layout import LETTER, LINE, Laid, laid_out
from .piece import Piece
from .rows import in_rows, square_row

if TYPE_CHECKING:
    from ..kernel.occ import Solid


def stl(pieces: Sequence[Piece]) -> bytes:
    """Binary STL, each part on its own place. The format has no units; they are mm, as everywhere
    in printing."""
    return placed_stl(pieces, _beside_each_other(_meshes(pieces)))


def three_mf(pieces: Sequence[Piece]) -> bytes:
    """3MF with the unit, each part's name and its material, each on its own place."""
    return placed_three_mf(pieces, _beside_each_other(_meshes(pieces)))


def _meshes(pieces: Sequence[Piece]) -> list[Mesh]:
    """What machines are sent.

    Raises:
        SchabloneError: names the part whose mesh has gaps.
    """
    meshes = [piece.body.mesh_to_send() for piece in pieces]
    for piece, mesh in zip(pieces, meshes, strict=True):
        if not mesh.is_closed():
            raise SchabloneError(
                Problem(
                    area="part",
                    name=piece.title,
                    what=f"The triangles of “{piece.title}” leave gaps, and a machine would fill "
                    "them as it likes.",
                    hint="Look for faces that only just touch, or export STEP.",
                )
            )
    return meshes


def _beside_each_other(meshes: list[Mesh]) -> list[Mesh]:
    """Meshes on one bed, none in another: a design draws its parts where they go together. One
    alone stays where it is drawn."""
    if len(meshes) < 2:
        return meshes
    ends = [(mesh.points.min(axis=0), mesh.points.max(axis=0)) for mesh in meshes]
    boxes = [(*low[:2].tolist(), *high[:2].tolist()) for low, high in ends]
    places = in_rows(boxes, square_row(boxes))
    return [
        replace(mesh, points=mesh.points + np.array([x, y, -low[2]]))
        for mesh, (x, y), (low, _) in zip(meshes, places, ends, strict=True)
    ]


def placed_stl(pieces: Sequence[Piece], meshes: Sequence[Mesh] = ()) -> bytes:
    """Binary STL of parts that lie on their places; ``meshes`` are theirs, where they are known."""
    mesh = Mesh.joined(meshes or _meshes(pieces))
    corners = mesh.points[mesh.triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = normals / np.where(lengths > 0, lengths, 1.0)
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    rows = np.zeros(len(corners), dtype=record)
    rows["normal"], rows["corners"] = normals, corners
    names = ", ".join(piece.title for piece in pieces)
    header = f"Schablone, mm, {_say_fineness(pieces, 'um')}: {names}".encode("ascii", "replace")[
        :80
    ]
    return header.ljust(80) + struct.pack("<I", len(rows)) + rows.tobytes()


def placed_three_mf(pieces: Sequence[Piece], meshes: Sequence[Mesh] = ()) -> bytes:
    """3MF of parts that lie on their places; ``meshes`` are theirs, where they are known."""
    import lib3mf  # here, since only this format pays for loading it

    library = lib3mf.get_wrapper()
    model = library.CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    model.GetMetaDataGroup().AddMetaData("", "Application", "Schablone", "xs:string", True)
    model.GetMetaDataGroup().AddMetaData(
        "", "Title", ", ".join(p.title for p in pieces), "xs:string", True
    )
    model.GetMetaDataGroup().AddMetaData(
        "", "Description", f"Its surface is {_say_fineness(pieces, 'µm')}.", "xs:string", True
    )
    model.SetBuildUUID(_lasting_id("build"))
    for number, (piece, mesh) in enumerate(zip(pieces, meshes or _meshes(pieces), strict=True)):
        item = model.AddMeshObject()
        item.SetName(piece.title)
        item.SetUUID(_lasting_id(f"part {number}"))
        item.SetGeometry(
            _structures(lib3mf.Position, mesh.points.astype("<f4")),
            _structures(lib3mf.Triangle, mesh.triangles.astype("<u4")),
        )
        if piece.material:
            group = model.AddBaseMaterialGroup()
            colour = group.AddMaterial(piece.material, library.RGBAToColor(201, 163, 106, 255))
            item.SetObjectLevelProperty(group.GetResourceID(), colour)
        laid = model.AddBuildItem(item, library.GetIdentityTransform())
        laid.SetUUID(_lasting_id(f"item {number}"))
    _, data = _buffer(model.QueryWriter("3mf"))
    return data


def _structures(kind: Any, rows: NDArray[Any]) -> Any:
    """Rows of numbers as structures of a library in C that hold one row each."""
    return (kind * len(rows)).from_buffer_copy(np.ascontiguousarray(rows))


def _say_fineness(pieces: Sequence[Piece], unit: str) -> str:
    """How near to the true surface the triangles of a file lie, in words."""
    most = max((piece.body.fineness() for piece in pieces), default=0.0)
    return f"within {1000 * most:.3g} {unit}"


def _lasting_id(what: str) -> str:
    """An id within one file, which is the same whenever that is written: the library would draw it
    by chance."""
    return str(uuid.uuid5(uuid.NAMESPACE_OID, what))


def _buffer(writer: Any) -> tuple[int, bytes]:
    data = writer.WriteToBuffer()
    return len(data), bytes(data)


def step(pieces: Sequence[Piece]) -> bytes:
    """STEP, exact surfaces."""
    from ..kernel.occ.exchange import step_of

    return step_of([(piece.title, _solid_of(piece)) for piece in pieces])


def _solid_of(piece: Piece) -> Solid:
    try:
        return piece.body.solid()
    except OnlyTriangles:
        raise SchabloneError(
            Problem(
                area="part",
                name=piece.title,
                what=f"“{piece.title}” is a free form made of triangles, and STEP holds exact "
                "faces.",
                hint="Export STL or 3MF.",
            )
        ) from None
    except ValueError as error:
        raise SchabloneError(
            Problem(
                area="part",
                name=piece.title,
                what=f"“{piece.title}” cannot be written as a solid: {error}.",
                hint="Export STL or 3MF, or STEP as it is wanted.",
            )
        ) from None


def dxf(pieces: Sequence[Piece]) -> bytes:
    """DXF of flat parts in mm, arcs as arcs, each part on its own place.

    Layers: OUTSIDE and INSIDE go through, outsides interrupted for tabs; ``POCKET 4.5`` is cut 4.5
    mm deep from the face that is seen; REGISTER is cut already and tells where the part lies; NOTE
    is text. BEND_UP and BEND_DOWN are the middle lines of bends, seen from above, each with its
    place in the order and its angle. MARK is engraved.
    """
    return drawn_dxf(laid_out(pieces))


def drawn_dxf(sheet: Sequence[Laid]) -> bytes:
    """DXF of parts that lie on their places."""
    import ezdxf.units  # here, since only this format pays for loading it

    document = ezdxf.new("R2010", units=ezdxf.units.MM)
    for name, color in (("OUTSIDE", 7), ("INSIDE", 5)):
        document.layers.add(name, color=color)
    space = document.modelspace()

    def put(curves: Sequence[Curve], name: str, color: int = 7) -> None:
        if curves and name not in document.layers:
            document.layers.add(name, color=color)
        for curve in curves:
            curve_in_dxf(space, curve, {"layer": name})

    for laid in sheet:
        for region in laid.outlines:
            for number, loop in enumerate(region.loops):
                whole = number > 0 or laid.register
                for chain in (loop.curves,) if whole else held(loop, laid.tabs).chains:
                    put(
                        chain, "REGISTER" if laid.register else "INSIDE" if number else "OUTSIDE", 8
                    )
        for pocket in laid.pockets:
            for loop in pocket.region.loops:
                put(loop.curves, f"POCKET {pocket.depth:.4g}", 3)
        put(laid.marks, "MARK", 4)
        for bend in laid.bends:
            layer = "BEND_UP" if bend.is_up else "BEND_DOWN"
            put([Segment(a, b) for a, b in bend.pieces], layer, 3 if bend.is_up else 1)
            (x0, y0), (x1, y1) = bend.pieces[0]
            space.add_text(
                say_bend(bend),
                height=LETTER,
                rotation=float(np.degrees(np.arctan2(y1 - y0, x1 - x0))),
                dxfattribs={"layer": layer, "insert": (x0, y0)},
            )
        if laid.notes and "NOTE" not in document.layers:
            document.layers.add("NOTE", color=8)
        for k, note in enumerate(laid.notes):
            at = (laid.note_at[0], laid.note_at[1] - k * LINE)
            space.add_text(note, height=LETTER, dxfattribs={"layer": "NOTE", "insert": at})
    return written_dxf(document)


def written_dxf(document: Any) -> bytes:
    """A DXF document as bytes; the same drawing gives the same ones, whenever it is written."""
    import ezdxf

    options = ezdxf.options
    before = options.write_fixed_meta_data_for_testing
    options.write_fixed_meta_data_for_testing = True  # the day and a number drawn by chance
    document.ezdxf_metadata()["CREATED_BY_EZDXF"] = ezdxf.__version__
    try:
        text = io.StringIO()
        document.write(text)
    finally:
        options.write_fixed_meta_data_for_testing = before
    return text.getvalue().encode("utf8")


def say_bend(bend: BendLine) -> str:
    """A bend in a few words: its place in the order, its way and its angle."""
    return f"{bend.order}: {'up' if bend.is_up else 'down'} {abs(bend.angle):.4g}°"


def curve_in_dxf(space: Any, curve: Curve, layer: dict[str, str]) -> None:
    """Put one curve into a DXF model space."""
    if isinstance(curve, Bezier):
        knots = [0.0] * 4 + [1.0] * 4
        points = [(*p, 0.0) for p in (curve.start, curve.first, curve.second, curve.end)]
        space.add_open_spline(points, degree=3, knots=knots, dxfattribs=layer)
        return
    if not isinstance(curve, EllipticArc):
        space.add_line(curve.start, curve.end, dxfattribs=layer)
        return
    low, high = sorted((curve.t0, curve.t1))
    if not curve.is_circular:
        upright = curve.ry > curve.rx
        major = (0.0, curve.ry) if upright else (curve.rx, 0.0)
        shift = -np.pi / 2 if upright else 0.0
        space.add_ellipse(
            curve.centre,
            major,
            min(curve.rx, curve.ry) / max(curve.rx, curve.ry),
            low + shift,
            high + shift,
            dxfattribs=layer,
        )
    elif curve.is_full:
        space.add_circle(curve.centre, curve.rx, dxfattribs=layer)
    else:
        space.add_arc(curve.centre, curve.rx, np.degrees(low), np.degrees(high), dxfattribs=layer)


def svg(pieces: Sequence[Piece]) -> bytes:
    """SVG of flat parts at true size, each on its own place: one path for each region, holes cut by
    the even-odd rule; where tabs hold the part, a path for each piece of the cut; pockets, notes
    and outlines that are cut already in groups of their own."""
    sheet = laid_out(pieces)
    boxes = [laid.bounds() for laid in sheet]
    x0, y0 = min(b[0] for b in boxes), min(b[1] for b in boxes)
    x1, y1 = max(b[2] for b in boxes), max(b[3] for b in boxes)
    return drawn_svg(sheet, ", ".join(piece.title for piece in pieces), (x0, y0, x1, y1))


def drawn_svg(sheet: Sequence[Laid], of: str, box: tuple[float, float, float, float]) -> bytes:
    """SVG of parts that lie on their places, as large as a box (x0, y0, x1, y1), mm; ``of`` is its
    title."""
    x0, y0, x1, y1 = box
    width, height = x1 - x0, y1 - y0
    cut = [
        d
        for laid in sheet
        if not laid.register
        for region in laid.outlines
        for d in _paths(region, laid.tabs, x0, y1)
    ]
    known = [
        d
        for laid in sheet
        if laid.register
        for region in laid.outlines
        for d in _paths(region, NONE, x0, y1)
    ]
    groups = [
        _group("cut", "#000000", cut),
        *([_group("register", "#A0A0A0", known)] if known else []),
    ]
    for depth in sorted({pocket.depth for laid in sheet for pocket in laid.pockets}):
        mine = [p for laid in sheet for p in laid.pockets if p.depth == depth]
        groups.append(
            _group(
                f"pocket-{depth:.4g}-mm",
                "#2E7D5B",
                [d for p in mine for d in _paths(p.region, NONE, x0, y1)],
            )
        )
    marks = [path_data([curve], x0, y1, closed=False) for laid in sheet for curve in laid.marks]
    if marks:
        groups.append(_group("mark", "#5E7A8C", marks))
    for way, color in ((True, "#2E7D5B"), (False, "#A5372A")):
        bends = [bend for laid in sheet for bend in laid.bends if bend.is_up == way]
        if bends:
            lines = [
                path_data([Segment(a, b)], x0, y1, closed=False) for k in bends for a, b in k.pieces
            ]
            groups.append(_group("bend-up" if way else "bend-down", color, lines))
    notes = [
        f'  <text x="{laid.note_at[0] - x0:.3f}" y="{y1 - laid.note_at[1] + k * LINE:.3f}" '
        f'font-size="{LETTER}" '
        f'fill="#A0A0A0">{escape(note)}</text>'
        for laid in sheet
        for k, note in enumerate(laid.notes)
    ]
    title = escape(of)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.6f}mm" height="{height:.6f}mm" '
        f'viewBox="0 0 {width:.6f} {height:.6f}">\n  <title>{title}</title>\n'
        + "\n".join([*groups, *notes])
        + "\n</svg>\n"
    ).encode()


def _group(name: str, color: str, paths: Sequence[str]) -> str:
    lines = "\n".join(f'  <path d="{data}"/>' for data in paths)
    return (
        f'  <g id="{name}" fill="none" fill-rule="evenodd" stroke="{color}" '
        f'stroke-width="0.1">\n{lines}\n  </g>'
    )


def _paths(region: Region, tabs: Tabs, x0: float, y1: float) -> list[str]:
    """Path data of a region: one for all of it, or one for each piece of its outline and one for
    its holes."""
    cut = held(region.outer, tabs)
    if not cut.gaps:
        return [" ".join(path_data(loop.curves, x0, y1) for loop in region.loops)]
    holes = " ".join(path_data(loop.curves, x0, y1) for loop in region.holes)
    return [
        *(path_data(chain, x0, y1, closed=False) for chain in cut.chains),
        *([holes] if holes else []),
    ]


def path_data(curves: Sequence[Curve], x0: float, y1: float, *, closed: bool = True) -> str:
    """Path data, in mm, of curves in a chain, with y downwards, as SVG has it."""

    def at(point: tuple[float, float]) -> str:
        return f"{point[0] - x0:.6f},{y1 - point[1]:.6f}"

    words = [f"M{at(curves[0].start)}"]
    for curve in curves:
        if isinstance(curve, Bezier):
            words.append(f"C{at(curve.first)} {at(curve.second)} {at(curve.end)}")
            continue
        if not isinstance(curve, EllipticArc):
            words.append(f"L{at(curve.end)}")
            continue
        # Half turns at most: SVG cannot draw a whole circle as one arc.
        parts = 2 if abs(curve.t1 - curve.t0) > np.pi + 1e-9 else 1
        clockwise_on_screen = 0 if curve.t1 > curve.t0 else 1
        for k in range(1, parts + 1):
            end = curve.at(curve.t0 + (curve.t1 - curve.t0) * k / parts)
            words.append(f"A{curve.rx:.6f},{curve.ry:.6f} 0 0 {clockwise_on_screen} {at(end)}")
    return " ".join([*words, "Z"] if closed else words)


#: What can be exported, by the ending of the file's name.
FORMATS: dict[str, Callable[[Sequence[Piece]], bytes]] = {
    ".step": step,
    ".stl": stl,
    ".3mf": three_mf,
    ".dxf": dxf,
    ".svg": svg,
    ".pdf": bend_sheet,
}


def export(pieces: Sequence[Piece], file_name: str) -> bytes:
    """The file that the ending of its name asks for.

    Raises:
        SchabloneError: for an unknown ending, nothing to export, or a part that the format cannot
        hold.
    """
    ending = PurePath(file_name).suffix.lower()
    ending = {".stp": ".step"}.get(ending, ending)
    if file_name.lower().endswith(".bends.svg"):
        return bend_sheet(pieces, "svg")
    if ending not in FORMATS:
        known = ", ".join(FORMATS)
        raise SchabloneError(
            Problem(
                area="file",
                name=file_name,
                what=f"“{ending or file_name}” is no format that is written here.",
                hint=f"Use {known}.",
            )
        )
    if not pieces:
        raise SchabloneError(
            Problem(
                area="design",
                what="There is no part to export.",
                hint="Mend what keeps it from being built.",
            )
        )
    return FORMATS[ending](pieces)
