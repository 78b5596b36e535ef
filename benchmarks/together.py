"""A layout with twelve bought parts and what is made around them: a dimension edited until the
report is there; what lies next to what among thirty bodies; parts laid on a sheet against the
packing of the rectangles around them."""

from __future__ import annotations

import time
from pathlib import Path

from shapely.geometry import Polygon

from schablone.core.bought import bought_on_the_shelf
from schablone.core.design import Design
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.process import LensView, neutral
from schablone.core.prove.nearness import neighbours
from schablone.core.together import Sheet, lay_out
from schablone.core.together.rectangles import by_rectangles
from schablone.worker.report import report_of

TOP = Path(__file__).resolve().parent.parent


def case(count: int = 12, more: int = 0, *, free: bool = False) -> Design:
    """A tray with so many boards on points of one drawing, each held by two dimensions, with posts;
    ``more`` points that nothing stands on are held as well. With ``free`` the last board is not
    held."""
    board = next(part for part in bought_on_the_shelf() if part.name == "circuit_board")
    spots = [(k % 4, k // 4) for k in range(count + more)]
    points = [
        {"kind": "point", "name": f"p{k}", "x": 60.0 * a - 90, "y": 40.0 * b - 40}
        for k, (a, b) in enumerate(spots)
    ]
    dimensions = []
    for k, (a, b) in enumerate(spots):
        if free and k == count - 1:
            continue
        dimensions += [
            {"name": f"x{k}", "kind": "distance", "of": [f"p{k}", "y_axis"],
             "formula": f"{abs(60 * a - 90)} mm" if k else "first"},
            {"name": f"y{k}", "kind": "distance", "of": [f"p{k}", "x_axis"],
             "formula": f"{abs(40 * b - 40) or 0.001} mm"},
        ]  # fmt: skip
    tray = {"kind": "rectangle", "name": "o", "width": "280 mm", "height": "160 mm"}
    room = {**tray, "name": "i", "width": "272 mm", "height": "152 mm"}
    steps = [
        {"kind": "sketch", "name": "outline", "shapes": [tray]},
        {"kind": "extrude", "name": "tray", "sketch": "outline", "by": "30 mm"},
        {"kind": "sketch", "name": "inside", "lift": "4 mm", "shapes": [room]},
        {"kind": "extrude", "name": "room", "sketch": "inside", "mode": "cut", "by": "30 mm"},
        {"kind": "sketch", "name": "layout", "lift": "4 mm",
         "drawing": {"elements": points, "dimensions": dimensions}},
    ]  # fmt: skip
    for k in range(count):
        steps += [
            {"kind": "place", "name": f"board_{k}", "thing": board.name, "sketch": "layout",
             "point": f"p{k}", "lift": "5 mm"},
            {"kind": "posts_for", "name": f"posts_{k}", "of": f"board_{k}", "bore": "2 mm"},
        ]  # fmt: skip
    return Design.model_validate(
        {"name": "Case", "sizes": [{"name": "first", "formula": "90 mm"}], "steps": steps,
         "bought": [board.model_dump()]}
    )  # fmt: skip


def dragged() -> tuple[list[float], float]:
    """Times from each move of the pointer, while a board is dragged on a layout of twelve with
    forty dimensions, until all that is placed is painted where it goes; and of painting the sheet
    alone, ms."""
    from PySide6.QtCore import QPoint, Qt
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from hands import Painted, begun
    from schablone.app.application import wait_for_part
    from schablone.core.design import write_design

    application, folder = begun()
    path = folder / "case.schablone"
    path.write_text(write_design(case(12, 9, free=True)))
    window = application.open_design_window(path)
    window.resize(1280, 800)
    window.show()
    wait_for_part(window)
    window.shape.choose("step", "layout")
    window.shape.draw_chosen()
    paper = window.shape.board.paper
    while len(paper.under.held) < 12:
        QApplication.processEvents()
    assert len(paper.desk.drawing.dimensions) == 40
    handle, left = window.windowHandle(), Qt.MouseButton.LeftButton
    start = paper.mapTo(window, paper.to_screen(paper.desk.xy("p11")).toPoint())
    QTest.mouseMove(handle, start)
    QTest.mousePress(handle, left, Qt.KeyboardModifier.NoModifier, start)
    QTest.mouseMove(handle, start + QPoint(8, 4))
    QTest.qWait(200)
    assert paper.desk.dragging
    taken = []
    for k in range(5, 45):
        painted = Painted(paper)
        begun_at = time.perf_counter()
        QTest.mouseMove(handle, start + QPoint(2 * k, k))
        while not painted.count and time.perf_counter() - begun_at < 2:
            QApplication.processEvents()
        taken.append((time.perf_counter() - begun_at) * 1000)
        paper.removeEventFilter(painted)
    begun_at = time.perf_counter()
    for _ in range(20):
        paper.repaint()
    plain = (time.perf_counter() - begun_at) * 50
    QTest.mouseRelease(handle, left, Qt.KeyboardModifier.NoModifier, start + QPoint(80, 40))
    window.worker.close()
    return sorted(taken), plain


def measured() -> dict[str, tuple[float, float]]:
    """What was done, with its time and that of what it is compared with, ms."""
    design, view, memory = case(), LensView("wanted", neutral()), Memory()

    def edited(first: float) -> float:
        begun = time.perf_counter()
        built = rebuild(design, view, memory, {"first": f"{first} mm"})
        assert built.whole, built.problems
        report_of(design, built, {})
        return (time.perf_counter() - begun) * 1000

    whole = edited(90)
    edits = sorted(edited(90 + k) for k in range(1, 6))[2]
    thirty = case(29)
    built = rebuild(thirty, view, Memory(), until="layout")
    built = rebuild(thirty, view, Memory())
    meshes = {name: body.mesh(0.03) for name, body in built.bodies.items()}
    for things in built.things.values():
        for thing in things:
            thing.body.mesh(0.03)
    begun = time.perf_counter()
    pairs = neighbours(thirty, built, meshes)
    near = (time.perf_counter() - begun) * 1000
    assert pairs
    brackets = [
        Polygon([(0, 0), (90, 0), (90, 20), (20, 20), (20, 70), (0, 70)]) for _ in range(14)
    ]
    sheet = Sheet(600, 400)
    begun = time.perf_counter()
    laid = lay_out(brackets, sheet)
    took = (time.perf_counter() - begun) * 1000
    plain = by_rectangles(brackets, sheet)
    print(
        f"14 brackets on 600 × 400 mm: {laid.sheets} sheet, {laid.cost()[1]:.0f} mm of it; "
        f"as rectangles {plain.sheets}, {plain.cost()[1]:.0f} mm"
    )
    return {
        "twelve bought parts with posts, one moved": (edits, whole),
        "next to each other among thirty": (near, whole),
        "fourteen brackets laid": (took, whole),
    }
