"""Rebuilds against the raw kernel doing the same operations beside it."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from pathlib import Path

from schablone.core.design import Design, read_design
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.process import LensView, neutral

TOP = Path(__file__).resolve().parent.parent
WANTED = LensView("wanted", neutral())


def timed(run: Callable[[], object]) -> float:
    """One run, in milliseconds."""
    begun = time.perf_counter()
    run()
    return (time.perf_counter() - begun) * 1000


def panel(say: Callable[..., None]) -> None:
    """The excluder panel: an edit to the mesh, against one boolean with all slots and the kernel's
    own mesher."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.TopTools import TopTools_ListOfShape

    from schablone.core.kernel.occ.prisms import prism_shape

    design, memory = read_design(TOP / "demo" / "excluder-panel.schablone"), Memory()
    first = rebuild(design, WANTED, memory)
    webs = iter(f"{3.4 + 0.001 * k:.3f} mm" for k in range(1, 100))

    def edit() -> None:
        rebuild(design, WANTED, memory, given={"web": next(webs)}).bodies["panel"].mesh(0.03)

    ours = sorted(timed(edit) for _ in range(7))[3]
    slots = first.bodies["panel"].prisms[0].region.holes
    tool = first.bodies["panel"].prisms[0]

    def raw() -> None:
        from dataclasses import replace

        from schablone.core.kernel.naming import FaceName
        from schablone.core.sketch.regions import Region

        arguments, tools = TopTools_ListOfShape(), TopTools_ListOfShape()
        arguments.Append(BRepPrimAPI_MakeBox(460, 370, 2).Shape())
        for slot in slots:
            sides = {c.name: FaceName("s", "side") for c in slot.curves}
            moved = Region(slot.moved(230, 185))
            tools.Append(
                prism_shape(replace(tool, region=moved, low=-1.0, high=3.0, sides=sides))[0]
            )
        cut = BRepAlgoAPI_Cut()
        cut.SetArguments(arguments)
        cut.SetTools(tools)
        cut.Build()
        BRepMesh_IncrementalMesh(cut.Shape(), 0.03, False, 0.2)

    say(
        f"excluder panel, {len(slots)} slots, edit to mesh (wanted: 500 ms)",
        ours,
        timed(raw),
        "raw boolean and mesh",
    )
    say(
        "the same again: undo (wanted: 100 ms)",
        timed(lambda: rebuild(design, WANTED, memory)),
        ours,
        "the edit",
    )


def cap(say: Callable[..., None]) -> None:
    """The feeder cap, cold, against the same operations by hand."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
    from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeRevol
    from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt
    from OCP.TopAbs import TopAbs_EDGE
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS
    from OCP.TopTools import TopTools_ListOfShape

    design = read_design(TOP / "demo" / "feeder-cap.schablone")
    found = rebuild(design, WANTED)
    values = {name: cell.wanted.value for name, cell in found.table.cells.items()}
    plug, wall, deep, lead = (
        values["plug"] / 2,
        values["wall"],
        values["plug_depth"],
        values["lead_in"],
    )
    corners = [
        (0, 0),
        (values["flange"] / 2, 0),
        (values["flange"] / 2, wall),
        (plug, wall),
        (plug, wall + deep / 2),
        (plug - lead, wall + deep),
        (plug - lead - wall, wall + deep),
        (plug - lead - wall, wall),
        (0, wall),
    ]

    def raw() -> None:
        polygon = BRepBuilderAPI_MakePolygon()
        for x, z in corners:
            polygon.Add(gp_Pnt(x, 0, z))
        polygon.Close()
        face = BRepBuilderAPI_MakeFace(polygon.Wire()).Face()
        body = BRepPrimAPI_MakeRevol(
            face, gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), 2 * math.pi
        ).Shape()
        arguments, tools = TopTools_ListOfShape(), TopTools_ListOfShape()
        arguments.Append(body)
        count = round(values["vents"])
        for k in range(count):
            a, r = 2 * math.pi * k / count, values["board_hole"] / 2 - 12
            place = gp_Ax2(gp_Pnt(r * math.cos(a), r * math.sin(a), -50), gp_Dir(0, 0, 1))
            tools.Append(BRepPrimAPI_MakeCylinder(place, values["vent"] / 2, 100).Shape())
        cut = BRepAlgoAPI_Cut()
        cut.SetArguments(arguments)
        cut.SetTools(tools)
        cut.Build()
        edges = TopExp_Explorer(cut.Shape(), TopAbs_EDGE)
        fillet = BRepFilletAPI_MakeFillet(cut.Shape())
        from OCP.BRepAdaptor import BRepAdaptor_Curve
        from OCP.GeomAbs import GeomAbs_Circle

        seen = set()
        while edges.More():
            edge = TopoDS.Edge_s(edges.Current())
            curve = BRepAdaptor_Curve(edge)
            if (
                curve.GetType() == GeomAbs_Circle
                and abs(curve.Circle().Radius() - values["flange"] / 2) < 1e-6
            ):
                key = round(curve.Circle().Location().Z(), 6)
                if key not in seen:
                    seen.add(key)
                    fillet.Add(wall / 3, edge)
            edges.Next()
        fillet.Build()

    raw()
    baseline = sorted(timed(raw) for _ in range(5))[2]
    ours = sorted(timed(lambda: rebuild(design, WANTED, Memory())) for _ in range(5))[2]
    say("feeder cap, cold, sizes to solid (wanted: 1.15)", ours, baseline, "raw kernel")


def forty(say: Callable[..., None]) -> None:
    """A change in the last of 40 steps, against building all of them."""
    steps: list[dict[str, object]] = [
        {
            "kind": "sketch",
            "name": "outline",
            "shapes": [{"kind": "rectangle", "name": "edge", "width": "400 mm", "height": "60 mm"}],
        },
        {"kind": "extrude", "name": "plate", "sketch": "outline", "by": "10 mm"},
    ]
    for k in range(38):
        x, y = 10 * (k % 19) - 90, 12 if k < 19 else -12
        depth = "last_depth" if k == 37 else "4 mm"
        steps.append(
            {
                "kind": "hole",
                "name": f"bore_{k}",
                "face": "plate/end",
                "diameter": "6 mm",
                "x": f"{x} mm",
                "y": f"{y} mm",
                "extent": "depth",
                "depth": depth,
            }
        )
    design = Design.model_validate(
        {"name": "Forty", "sizes": [{"name": "last_depth", "formula": "4 mm"}], "steps": steps}
    )
    rebuild(design, WANTED)
    cold = timed(lambda: rebuild(design, WANTED, Memory()))
    memory = Memory()
    rebuild(design, WANTED, memory)
    depths = iter(f"{3 + 0.1 * k:.1f} mm" for k in range(1, 20))
    warm = sorted(
        timed(lambda: rebuild(design, WANTED, memory, given={"last_depth": next(depths)}))
        for _ in range(7)
    )[3]
    say("a change in the last of 40 steps (wanted: 0.15)", warm, cold, "all of them cold")


def run(say: Callable[..., None]) -> None:
    panel(say)
    cap(say)
    forty(say)
