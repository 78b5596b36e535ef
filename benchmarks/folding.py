"""A tray with twelve flanges, closed corners and forty slots: its thickness edited until the worker
has its report, and until it is drawn in the window, against the raw kernel making the same solid by
its own booleans."""

from __future__ import annotations

import itertools
import math
import time
from collections.abc import Callable

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopoDS import TopoDS_Shape
from OCP.TopTools import TopTools_ListOfShape

from schablone.core.design import Design, write_design
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.process import LensView, neutral
from schablone.worker.report import report_of

LONG, WIDE, HIGH, BRIM, LIP = 300.0, 200.0, 40.0, 20.0, 12.0


def tray() -> Design:
    """Four walls, a brim on each, a lip on each brim; a field of slots in the middle."""

    def on(*faces: str) -> list[dict[str, object]]:
        return [{"how": "around", "of": [face]} for face in faces]

    corners = {"corners": "meeting", "gap": "0.3 mm"}
    return Design.model_validate(
        {
            "name": "Tray",
            "sizes": [{"name": "metal", "formula": "1 mm"}],
            "steps": [
                {"kind": "sketch", "name": "flat", "shapes": [
                    {"kind": "rectangle", "name": "o", "width": f"{LONG} mm",
                     "height": f"{WIDE} mm"}]},
                {"kind": "sheet", "name": "base", "sketch": "flat", "thickness": "metal"},
                {"kind": "flange", "name": "walls", "edges": on("base/end"),
                 "height": f"{HIGH} mm", **corners},
                {"kind": "flange", "name": "brims", "edges": on("walls/tip"), "way": "down",
                 "height": f"{BRIM} mm"},
                {"kind": "flange", "name": "lips", "edges": on("brims/tip"), "way": "down",
                 "height": f"{LIP} mm"},
                {"kind": "sketch", "name": "drawn", "plane": "base/end", "shapes": [
                    {"kind": "slot", "name": "s", "length": "16 mm", "width": "4 mm",
                     "x": "-115 mm", "y": "-60 mm"}]},
                {"kind": "extrude", "name": "slot", "sketch": "drawn", "mode": "cut",
                 "extent": "both", "by": "20 mm"},
                {"kind": "grid", "name": "slots", "of": "slot", "columns": "10", "rows": "4",
                 "column_pitch": "24 mm", "row_pitch": "30 mm", "place": "on"},
            ],
        }
    )  # fmt: skip


def _listed(shapes: list[TopoDS_Shape]) -> TopTools_ListOfShape:
    found = TopTools_ListOfShape()
    for shape in shapes:
        found.Append(shape)
    return found


def raw(t: float) -> None:
    """The same by boxes and quarter rings: about as many faces, fused and cut by the kernel."""
    shapes = [BRepPrimAPI_MakeBox(gp_Pnt(-LONG / 2, -WIDE / 2, 0), LONG, WIDE, t).Shape()]
    for side, (along, across) in enumerate(
        ((LONG, WIDE), (LONG, WIDE), (WIDE, LONG), (WIDE, LONG))
    ):
        sign = 1 if side % 2 else -1
        for level, high in ((0.0, HIGH), (HIGH, BRIM), (HIGH - 1, LIP)):
            off = sign * (across / 2 + (0.0 if level == 0 else 10.0))
            x, y = (-along / 2, off) if side < 2 else (off, -along / 2)
            size = (along, t, high) if side < 2 else (t, along, high)
            shapes.append(BRepPrimAPI_MakeBox(gp_Pnt(x, y, level), *size).Shape())
            way = gp_Dir(1, 0, 0) if side < 2 else gp_Dir(0, 1, 0)
            axes = gp_Ax2(gp_Pnt(x, y, level + t), way)
            ring = BRepPrimAPI_MakeCylinder(axes, 2 * t, along, math.pi / 2).Shape()
            hole = BRepPrimAPI_MakeCylinder(axes, t, along, math.pi / 2).Shape()
            shapes.append(BRepAlgoAPI_Cut(ring, hole).Shape())
    fuse = BRepAlgoAPI_Fuse()
    fuse.SetArguments(_listed(shapes[:1]))
    fuse.SetTools(_listed(shapes[1:]))
    fuse.Build()
    cutters = []
    for i, j in itertools.product(range(10), range(4)):
        x, y = -115 + 24 * i, -60 + 30 * j
        ends = [
            BRepPrimAPI_MakeCylinder(
                gp_Ax2(gp_Pnt(x + k, y, -5), gp_Dir(0, 0, 1)), 2.0, 12.0
            ).Shape()
            for k in (-6, 6)
        ]
        cutters += [*ends, BRepPrimAPI_MakeBox(gp_Pnt(x - 6, y - 2, -5), 12, 4, 12).Shape()]
    cut = BRepAlgoAPI_Cut()
    cut.SetArguments(_listed([fuse.Shape()]))
    cut.SetTools(_listed(cutters))
    cut.Build()
    BRepMesh_IncrementalMesh(cut.Shape(), 0.03)


def in_the_window() -> tuple[list[float], list[float]]:
    """Times from the Enter that ends an edit of the thickness, and from the keys that undo it,
    until the part is drawn in the real window, ms."""
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication
    from tests.window.hands import Hands

    from hands import Waiting, begun
    from schablone.app.application import wait_for_part

    application, folder = begun()
    path = folder / "tray.schablone"
    path.write_text(write_design(tray()))
    window = application.open_design_window(path)
    window.resize(1280, 800)
    window.show()
    QApplication.setActiveWindow(window)
    wait_for_part(window)
    view, hands = window.shape.view, Hands(Waiting(), window, pause=0)

    def until_drawn(act: Callable[[], object]) -> float:
        frames, begun = view.drawn.times, time.perf_counter()
        act()
        while view.drawn.times == frames and time.perf_counter() - begun < 10:
            QApplication.processEvents()
        took = (time.perf_counter() - begun) * 1000
        QTest.qWait(1200)
        return took

    edits, undone = [], []
    control = Qt.KeyboardModifier.ControlModifier
    for k in range(1, 9):
        hands.press(Qt.Key.Key_Escape)  # Enter has gone on to the next line, which is the same
        hands.size("metal").setFocus()
        hands.type(f"{1 + 0.1 * k:.1f} mm")
        QTest.qWait(600)
        edits.append(until_drawn(lambda: hands.press(Qt.Key.Key_Return)))
        undone.append(until_drawn(lambda: hands.press(Qt.Key.Key_Z, control)))
    window.worker.close()
    return edits, undone


def measured() -> tuple[list[float], list[float], list[float]]:
    """Times of edits, of undoing each, and of the raw kernel, ms."""
    design, view, memory = tray(), LensView("wanted", neutral()), Memory()

    def shown(metal: float) -> float:
        begun = time.perf_counter()
        built = rebuild(design, view, memory, {"metal": f"{metal} mm"})
        assert built.whole, built.problems
        report_of(design, built, {})
        return (time.perf_counter() - begun) * 1000

    shown(1.0)
    edits, undone, kernel = [], [], []
    for k in range(1, 9):
        edits.append(shown(1.0 + 0.1 * k))
        undone.append(shown(1.0 + 0.1 * (k - 1)))
        begun = time.perf_counter()
        raw(1.0 + 0.1 * k)
        kernel.append((time.perf_counter() - begun) * 1000)
    return edits, undone, kernel
