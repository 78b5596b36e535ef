"""STEP files."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from pathlib import Path

from OCP.APIHeaderSection import APIHeaderSection_MakeHeader
from OCP.IFSelect import IFSelect_RetDone
from OCP.Interface import Interface_Static
from OCP.Message import Message, Message_Gravity
from OCP.StepBasic import StepBasic_Product
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer
from OCP.TCollection import TCollection_HAsciiString

from .solids import Solid


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
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    Interface_Static.SetCVal_s("write.step.schema", "AP214IS")
    writer = STEPControl_Writer()
    for name, solid in solids:
        Interface_Static.SetCVal_s("write.step.product.name", name)
        if writer.Transfer(solid.shape, STEPControl_AsIs) != IFSelect_RetDone:
            raise ValueError(f"the kernel could not write “{name}” as STEP")
    _name_products(writer)
    _sign(writer, ", ".join(name for name, _ in solids))
    handle, path = tempfile.mkstemp(suffix=".step")
    os.close(handle)
    try:
        if writer.Write(path) != IFSelect_RetDone:
            raise ValueError("the kernel could not write the STEP file")
        return Path(path).read_bytes()
    finally:
        Path(path).unlink(missing_ok=True)


def _name_products(writer: STEPControl_Writer) -> None:
    """Take the number off the names of products that the kernel counts up as long as it runs: the
    same solids are to give the same file."""
    model = writer.Model()
    for at in range(1, model.NbEntities() + 1):
        product = model.Value(at)
        if isinstance(product, StepBasic_Product):
            name = product.Name().ToCString().rpartition(" ")[0]
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
