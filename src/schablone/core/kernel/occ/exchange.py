"""STEP files."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from pathlib import Path

from OCP.APIHeaderSection import APIHeaderSection_MakeHeader
from OCP.IFSelect import IFSelect_RetDone
from OCP.Message import Message, Message_Gravity
from OCP.ShapeCustom import ShapeCustom
from OCP.ShapeFix import ShapeFix_SplitCommonVertex
from OCP.StepBasic import StepBasic_Product
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer
from OCP.StepData import StepData_StepModel
from OCP.TCollection import TCollection_HAsciiString
from OCP.TopAbs import TopAbs_VERTEX
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

from .outlines import wires_of
from .solids import Solid, faces_of


def quiet() -> None:
    """Keep the kernel's progress chatter off the standard output."""
    for printer in list(Message.DefaultMessenger_s().Printers()):
        printer.SetTraceLevel(Message_Gravity.Message_Fail)


def step_of(solids: Sequence[tuple[str, Solid]]) -> bytes:
    """A STEP file (AP214, mm) with one product for each solid.

    Raises:
        ValueError: where the kernel cannot write a solid.
    """
    quiet()
    writer = STEPControl_Writer()
    # Not the writer's own transfer: before it that looks whether outlines of a face share a corner,
    # each outline beside each other one, which takes minutes for a field of holes.
    session, model = writer.WS(), writer.Model()
    model.SetLocalLengthUnit(1.0)
    session.TransferWriter().SetTransferMode(STEPControl_AsIs.value)
    for name, solid in solids:
        known = model.NbEntities()
        shape = _as_written(solid.shape)
        if session.TransferWriteShape(shape, True) != IFSelect_RetDone:
            raise ValueError(f"the kernel could not write “{name}” as STEP")
        _name_products(model, known, name)
    APIHeaderSection_MakeHeader(0).Apply(model)
    _sign(writer, ", ".join(name for name, _ in solids))
    handle, path = tempfile.mkstemp(suffix=".step")
    os.close(handle)
    try:
        if writer.Write(path) != IFSelect_RetDone:
            raise ValueError("the kernel could not write the STEP file")
        return Path(path).read_bytes()
    finally:
        Path(path).unlink(missing_ok=True)


def _as_written(shape: TopoDS_Shape) -> TopoDS_Shape:
    """A shape as STEP has it: right-handed surfaces, and corners that outlines of a face share
    parted."""
    if any(map(_shares_corners, faces_of(shape))):
        context = ShapeFix_SplitCommonVertex()
        context.Init(shape)
        context.Perform()
        shape = context.Shape()
    return ShapeCustom.DirectFaces_s(shape)


def _shares_corners(face: TopoDS_Shape) -> bool:
    """Whether two outlines of a face meet in a corner."""
    wires = wires_of(TopoDS.Face_s(face))
    together, apart = TopTools_IndexedMapOfShape(), 0
    for wire in wires:
        alone = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(wire, TopAbs_VERTEX, alone)
        TopExp.MapShapes_s(wire, TopAbs_VERTEX, together)
        apart += alone.Extent()
    return apart != int(together.Extent())


def _name_products(model: StepData_StepModel, known: int, name: str) -> None:
    """Give the products that came after so many entities their name: the kernel's own counts up as
    long as it runs, and the same solids are to give the same file."""
    for at in range(known + 1, model.NbEntities() + 1):
        product = model.Value(at)
        if isinstance(product, StepBasic_Product):
            product.SetName(TCollection_HAsciiString(name))
            product.SetId(TCollection_HAsciiString(name))


def _sign(writer: STEPControl_Writer, title: str) -> None:
    """Say in the file's head what is in it, and who wrote it. Its day is fixed: the same solids
    give the same bytes, which say nothing of the author's day."""

    def text(words: str) -> TCollection_HAsciiString:
        return TCollection_HAsciiString(words.encode("ascii", "replace").decode("ascii"))

    head = APIHeaderSection_MakeHeader(writer.Model())
    head.SetName(text(title[:200]))
    head.SetTimeStamp(text("2000-01-01T00:00:00"))
    head.SetAuthorValue(1, text(""))
    head.SetOrganizationValue(1, text(""))
    head.SetOriginatingSystem(text("Schablone"))
