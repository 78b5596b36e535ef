"""A sketch as a file of its own: DXF and SVG, outlines and helpers on layers of their own, lengths
in mm."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import PurePath

from ..problem import Problem, SchabloneError
from ..sketch.curves import Curve
from ..sketch.loops import Loop
from .exports import curve_in_dxf, path_data, written_dxf


def drawing_dxf(outlines: Sequence[Curve], helpers: Sequence[Curve]) -> bytes:
    """DXF: layers OUTLINE and HELPER, arcs as arcs."""
    import ezdxf.units  # here, since only this format pays for loading it

    document = ezdxf.new("R2010", units=ezdxf.units.MM)
    document.layers.add("OUTLINE", color=7)
    document.layers.add("HELPER", color=8)
    space = document.modelspace()
    for layer, curves in (("OUTLINE", outlines), ("HELPER", helpers)):
        for curve in curves:
            curve_in_dxf(space, curve, {"layer": layer})
    return written_dxf(document)


def drawing_svg(outlines: Sequence[Curve], helpers: Sequence[Curve]) -> bytes:
    """SVG at true size: one group for outlines, one for helpers."""
    boxes = [Loop((curve,)).bounds() for curve in (*outlines, *helpers)]
    x0, y0 = min(b[0] for b in boxes), min(b[1] for b in boxes)
    x1, y1 = max(b[2] for b in boxes), max(b[3] for b in boxes)
    groups = []
    for name, curves, dash in (
        ("outline", outlines, ""),
        ("helper", helpers, ' stroke-dasharray="2 1"'),
    ):
        paths = "\n".join(
            f'    <path d="{path_data((curve,), x0, y1, closed=False)}"/>' for curve in curves
        )
        if curves:
            groups.append(
                f'  <g id="{name}" fill="none" stroke="#000000" '
                f'stroke-width="0.1"{dash}>\n{paths}\n  </g>'
            )
    width, height = max(x1 - x0, 1e-3), max(y1 - y0, 1e-3)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.6f}mm" height="{height:.6f}mm" '
        f'viewBox="0 0 {width:.6f} {height:.6f}">\n' + "\n".join(groups) + "\n</svg>\n"
    ).encode()


_FORMATS: dict[str, Callable[[Sequence[Curve], Sequence[Curve]], bytes]] = {
    ".dxf": drawing_dxf,
    ".svg": drawing_svg,
}


def drawing_file(outlines: Sequence[Curve], helpers: Sequence[Curve], file_name: str) -> bytes:
    """The file that the ending of its name asks for.

    Raises:
        SchabloneError: for an unknown ending, or an empty sheet.
    """
    ending = PurePath(file_name).suffix.lower()
    if ending not in _FORMATS:
        raise SchabloneError(
            Problem(
                area="file",
                name=file_name,
                what=f"A sketch is written as DXF or SVG, not “{ending}”.",
            )
        )
    if not outlines and not helpers:
        raise SchabloneError(
            Problem(
                area="file",
                name=file_name,
                what="The sheet is empty.",
                hint="Draw something first.",
            )
        )
    return _FORMATS[ending](outlines, helpers)
