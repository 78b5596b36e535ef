"""STEP files."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from pathlib import Path

from OCP.IFSelect import IFSelect_RetDone
from OCP.Interface import Interface_Static
from OCP.Message import Message, Message_Gravity
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

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
    handle, path = tempfile.mkstemp(suffix=".step")
    os.close(handle)
    try:
        if writer.Write(path) != IFSelect_RetDone:
            raise ValueError("the kernel could not write the STEP file")
        return Path(path).read_bytes()
    finally:
        Path(path).unlink(missing_ok=True)
