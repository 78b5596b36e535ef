"""Solids out of STEP files."""

from __future__ import annotations

import os
import tempfile
from functools import lru_cache
from pathlib import Path

from OCP.IFSelect import IFSelect_RetDone
from OCP.Interface import Interface_Static
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS_Shape

from .occ import faces_of
from .occ_exchange import quiet


@lru_cache(maxsize=8)
def read_step(data: bytes) -> TopoDS_Shape:
    """The solid of a STEP file, in mm; of several the one with the most faces.

    Raises:
        ValueError: where it is no STEP file, or has no solid.
    """
    if not data.lstrip().startswith(b"ISO-10303-21"):
        raise ValueError("this is no STEP file: it does not begin with ISO-10303-21")
    quiet()
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    handle, path = tempfile.mkstemp(suffix=".step")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        reader = STEPControl_Reader()
        if reader.ReadFile(path) != IFSelect_RetDone:
            raise ValueError("the STEP file cannot be read; perhaps it is cut off")
        reader.TransferRoots()
        whole = reader.OneShape()
    finally:
        Path(path).unlink(missing_ok=True)
    solids: list[TopoDS_Shape] = []
    found = TopExp_Explorer(whole, TopAbs_SOLID) if not whole.IsNull() else None
    while found is not None and found.More():
        solids.append(found.Current())
        found.Next()
    if not solids:
        raise ValueError("the STEP file has no solid, only surfaces or nothing")
    return max(solids, key=lambda solid: len(faces_of(solid)))
