"""A stroke as it would be drawn now."""

from __future__ import annotations

from ...core.sketch.curves import Curve
from ...core.sketch.drawing import Drawing
from ...core.sketch.newton import Solution
from ...core.sketch.settled import Settled
from ...core.sketch.snap import Snap
from ...core.sketch.system import System
from .tools import BY_NAME, DrawingTool, Stroke, drawn

#: Tools whose strokes show something before they have all their clicks: the way to the next one.
_ON_THE_WAY = ("arc", "arc_through", "circle_through", "slot", "ellipse")


def preview_of(
    tool: DrawingTool, stroke: Stroke, at: tuple[float, float]
) -> dict[str, list[Curve]]:
    """The curves, by name, of a stroke that would go on at a place, (x, y) in mm; none where there
    is nothing to see of it yet."""
    snaps = [*(Snap(snap.xy) for snap in stroke.snaps), Snap(at)]
    is_whole = len(snaps) >= len(tool.asks)
    if not stroke.snaps or not (is_whole or tool.name in _ON_THE_WAY):
        return {}
    if not is_whole:
        tool = BY_NAME["circle" if tool.name == "arc" else "line"]
        snaps = [snaps[0], snaps[-1]]
    if tool.name == "arc_on":
        tool = BY_NAME["line"]
    try:
        mini, _ = drawn(tool, Drawing(), Stroke(snaps, [], stroke.sides), helper=False)
        system = System(mini)
        solution = Solution(system.start, True, system.targets)
        shown = Settled(mini, system, system.start, solution)
        return {curve.name: shown.curve(curve.name) for curve in mini.curves}
    except (ValueError, ArithmeticError, KeyError):
        return {}
