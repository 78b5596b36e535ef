"""What machines need of whole parts, against plain polygons doing the same beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from shapely.geometry import Polygon

from parts import timed
from schablone.core.design import read_design
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.kernel.body import Body
from schablone.core.kernel.flat import (
    moved_off,
    moved_off_and_relieved,
    plate_of,
    relieved,
    tapered,
)
from schablone.core.kernel.naming import FaceName
from schablone.core.process import neutral, shipped_processes
from schablone.core.prove.size_report import size_report
from schablone.core.prove.thin import _LOOKED_AT, thin_places
from schablone.core.sketch.loops import Loop
from schablone.core.sketch.regions import Region
from schablone.core.sketch.shapes import rectangle

TOP = Path(__file__).resolve().parent.parent


#: Every kind of corner relieved on its bisector.
CORNERS = dict.fromkeys(("notch", "opening", "pocket"), "corner")


def _middle(loop: Loop) -> tuple[float, float]:
    x0, y0, x1, y1 = loop.bounds()
    return (x0 + x1) / 2, (y0 + y1) / 2


def middle(run: Callable[[], object], times: int = 7) -> float:
    """The median of some runs, in milliseconds."""
    return sorted(timed(run) for _ in range(times))[times // 2]


def run(say: Callable[..., None]) -> None:
    """Kerf on the excluder panel, relief on a board of the hive box, and the size report of every
    demo."""
    design = read_design(TOP / "demo" / "excluder-panel.schablone")
    body = rebuild(design, design.seen("wanted", neutral()), Memory()).bodies["panel"]
    region = body.prisms[0].region
    flat = Polygon(region.outer.points(0.005), [hole.points(0.005) for hole in region.holes])
    ours = middle(lambda: moved_off(body, plate_of(body), 0.08))
    theirs = middle(lambda: flat.buffer(0.08, join_style="mitre"))
    say(
        f"half a kerf around {len(region.holes)} slots (wanted: 300 ms)",
        ours,
        theirs,
        "polygon buffer, arcs lost",
    )
    ours = middle(
        lambda: relieved(
            moved := moved_off(body, plate_of(body), 0.08), plate_of(moved), 2.0, CORNERS
        ),
        3,
    )
    say(
        f"kerf and corner relief around {len(region.holes)} rounded slots (wanted: 300 ms)",
        ours,
        theirs,
        "polygon buffer, arcs lost",
    )
    square = Region(
        region.outer, tuple(rectangle(h.name, *_middle(h), 28.0, 4.2) for h in region.holes)
    )
    sides = {c.name: FaceName("cut", "side", c.name) for loop in square.loops for c in loop.curves}
    panel = Body((replace(body.prisms[0], region=square, sides=sides),))
    ours = middle(
        lambda: relieved(
            moved := moved_off(panel, plate_of(panel), 0.08), plate_of(moved), 2.0, CORNERS
        ),
        3,
    )
    say(
        f"kerf and corner relief of {4 * len(square.holes)} square corners (wanted: 300 ms)",
        ours,
        theirs,
        "polygon buffer, arcs lost",
    )
    ours = middle(lambda: tapered(body, plate_of(body), 0.4).figures(), 3)
    say("a leaning cut around them, weighed", ours, theirs, "polygon buffer, arcs lost")
    box = read_design(TOP / "demo" / "hive-box.schablone")
    board = rebuild(box, box.seen("wanted", neutral()), Memory()).bodies["front"]
    plate = plate_of(board)
    board.solid()
    say(
        "corner relief of a board with 20 inner corners",
        middle(lambda: relieved(board, plate, 6.0, CORNERS), 3),
        middle(board.solid().is_valid, 3),
        "the kernel's check of the board",
    )
    say(
        "the same with kerf, level by level",
        middle(lambda: moved_off_and_relieved(board, plate, 0.08, 6.0, CORNERS), 3),
        middle(lambda: relieved(moved_off(board, plate, 0.08), plate, 6.0, CORNERS), 3),
        "the kernel's booleans",
    )
    cap = read_design(TOP / "demo" / "feeder-cap.schablone")
    amsel = shipped_processes()[0].with_(smallest=0.8)
    built = rebuild(cap, cap.seen("wanted", amsel), Memory())
    meshes = {name: made.mesh(0.03) for name, made in built.bodies.items()}

    def look() -> object:
        _LOOKED_AT.clear()
        return thin_places(built, meshes)

    say(
        "the look for thin places in the feeder cap",
        middle(look, 3),
        middle(lambda: built.bodies["cap"].mesh(0.03), 3),
        "its mesh",
    )
    for path in sorted((TOP / "demo").glob("*.schablone")):
        report(path, say)


def report(path: Path, say: Callable[..., None]) -> None:
    """The size report of one demo against its rebuild."""
    demo = read_design(path)
    machine = next((p for p in shipped_processes() if p.name == demo.process), neutral())
    cold = timed(lambda: rebuild(demo, demo.seen("wanted", machine), Memory()))
    built = rebuild(demo, demo.seen("wanted", machine), Memory())
    ours = middle(lambda: size_report(demo, measures_of(demo, built), machine, built.table), 3)
    say(f"size report of {path.stem} (wanted: 100 ms)", ours, cold, "a cold rebuild")
