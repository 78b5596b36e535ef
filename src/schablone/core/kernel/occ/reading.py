"""Solids out of STEP files."""

from __future__ import annotations

import math
import tempfile
from functools import lru_cache
from pathlib import Path

from OCP.BinTools import BinTools
from OCP.BRepGProp import BRepGProp
from OCP.GeomAbs import GeomAbs_Plane
from OCP.GProp import GProp_GProps
from OCP.IFSelect import IFSelect_RetDone
from OCP.Interface import Interface_Static
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_REVERSED
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape

from ...words import number_word
from ..frame import Frame, Vector
from ..mesh import FINE
from ..naming import NAMELESS
from .bounds import bounds_of
from .endless import endless
from .exchange import quiet
from .mending import Mended, solid_in
from .meshing import mesh_of
from .recognised import recognised
from .rehearsal import survives
from .solids import Solid, faces_of, is_free

#: So long, seconds, may a first look at a file take.
_PATIENCE = 120
#: No solid that is read is larger, mm.
_LARGEST = 20_000.0
#: With this begins what a copy says of a file that is none.
_REFUSED = "refused: "


def read_step(data: bytes) -> TopoDS_Shape:
    """The solid of a STEP file, in mm; of several the one with the most faces.

    Raises:
        ValueError: where it is no STEP file, is damaged, or has no solid.
    """
    return step_in(data).shape


@lru_cache(maxsize=8)
def step_in(data: bytes) -> Mended:
    """The same, with what was mended in words.

    The kernel's reader may end the process on a damaged file, so that it is read in a copy of the
    process first, and all that will be asked of its solid is asked there.

    Raises:
        ValueError: where it is no STEP file, is damaged, or has no solid.
    """
    if not data.lstrip().startswith(b"ISO-10303-21"):
        raise ValueError("this is no STEP file: it does not begin with ISO-10303-21")
    with tempfile.TemporaryDirectory(prefix="schablone-") as folder:
        path, made = str(Path(folder, "a.step")), Path(folder, "a.bin")
        words = made.with_suffix(".txt")
        Path(path).write_bytes(data)
        if not survives(lambda: _rehearsed(path, made), _PATIENCE):
            raise ValueError("the STEP file is damaged: no reader gets through it")
        mended = Mended(_taken_over(made), words.read_text("utf8"))
        return _simplified(mended, Path(folder, "b.bin")) if is_free(mended.shape) else mended


def _simplified(mended: Mended, made: Path) -> Mended:
    """A solid with the splines in it taken for what they are, tried in a copy of the process as
    well: where that one does not come through, the splines stay."""
    told = made.with_suffix(".txt")

    def tried() -> None:
        shape, count = recognised(mended.shape)
        if count:
            BinTools.Write_s(shape, str(made))
            _asked_all(shape)
            told.write_text(str(count), "utf8")  # last: all before came through

    if not survives(tried, _PATIENCE) or not told.exists():
        return mended
    count = int(told.read_text("utf8"))
    many = f"{number_word(count)} faces" if count > 1 else "one face"
    words = f"It has {many} written as splines that are flat or round, taken as what they are."
    return Mended(_taken_over(made), f"{mended.words} {words}".strip())


def _rehearsed(path: str, made: Path) -> None:
    """Read a file in a copy of the process, and leave there what was read, or why it was not. It is
    not read a second time: that one may go on for ever where the first came through."""
    try:
        mended = _read(path)
    except ValueError as error:
        made.write_text(f"{_REFUSED}{error}", "utf8")
        return
    made.with_suffix(".txt").write_text(mended.words, "utf8")
    BinTools.Write_s(mended.shape, str(made))
    _asked_all(mended.shape)


def _taken_over(made: Path) -> TopoDS_Shape:
    """What a copy of the process has read."""
    told = made.read_bytes()[:2000] if made.exists() else b""
    if told.startswith(_REFUSED.encode()):
        raise ValueError(told.decode("utf8", "replace").removeprefix(_REFUSED))
    shape = TopoDS_Shape()
    if not told or not BinTools.Read_s(shape, str(made)) or shape.IsNull():
        raise ValueError("the STEP file is damaged: no reader gets through it")
    return shape


def _asked_all(shape: TopoDS_Shape) -> None:
    """What is asked of a solid before it is used: its figures, whether it is sound, its mesh."""
    solid = Solid(shape, tuple(NAMELESS for _ in faces_of(shape)))
    assert solid.figures.volume
    assert solid.is_valid()
    mesh_of(solid, FINE)


def _read(path: str) -> Mended:
    quiet()
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    reader = STEPControl_Reader()
    if reader.ReadFile(path) != IFSelect_RetDone:
        raise ValueError("the STEP file cannot be read; perhaps it is cut off")
    reader.TransferRoots()
    whole = reader.OneShape()
    mended = solid_in(whole) if not whole.IsNull() else None
    if mended is None:
        raise ValueError("the STEP file has no solid, only surfaces or nothing")
    low, high = bounds_of(mended.shape)
    across = math.dist(low, high)
    if across > _LARGEST:
        raise ValueError(
            f"its solid is {across / 1000:.4g} m across, and nothing that large is made here; "
            "perhaps the file was written in another unit"
        )
    return mended


def described(data: bytes) -> tuple[int, tuple[tuple[int, Frame], ...], tuple[Vector, Vector]]:
    """How many faces the solid of a STEP file has, the frames of those that are flat by their
    numbers from 1 (origin in the middle, normal outwards), and the corners of its box, mm."""
    solid = read_step(data)
    faces = faces_of(solid)
    flat = [
        (k, frame)
        for k, face in enumerate(faces, 1)
        if (frame := _frame_of(TopoDS.Face_s(face))) is not None
    ]
    return len(faces), tuple(flat), bounds_of(solid)


def _frame_of(face: TopoDS_Face) -> Frame | None:
    surface = endless(face)
    if surface.GetType() != GeomAbs_Plane:
        return None
    middle = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, middle)
    at, axes = middle.CentreOfMass(), surface.Plane().Position()
    x, n = axes.XDirection(), axes.Direction()
    if not axes.Direct():
        n.Reverse()
    y = n.Crossed(x)
    frame = Frame((at.X(), at.Y(), at.Z()), (x.X(), x.Y(), x.Z()), (y.X(), y.Y(), y.Z()))
    return frame.turned_over() if face.Orientation() == TopAbs_REVERSED else frame
