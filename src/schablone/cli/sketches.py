"""What a sketch still lets move and what of it is at odds, in words."""

from __future__ import annotations

from typing import Any

from ..core.design.rebuild import Rebuilt
from ..core.design.slots import slot_values
from ..core.quantity import plain, say_spot
from ..core.sketch.diagnose import diagnose
from ..core.sketch.sentences import say_element
from ..core.steps.drawn import settled_drawing
from ..core.steps.sketch import Sketch


def told_of(step: Sketch, built: Rebuilt) -> dict[str, Any]:
    """Freedoms, loose elements, what is at odds, how many regions, and ends that meet nothing."""
    told: dict[str, Any] = {"freedoms": 0, "loose": [], "at_odds": [], "regions": None, "gaps": []}
    words = []
    numbers = slot_values(step.slots(), built.table).numbers
    if step.drawing.elements:
        try:
            settled = settled_drawing(step.drawing, numbers)
        except ValueError as error:
            told["at_odds"] = list(getattr(error, "names", ())) or [str(error)]
            words.append(f"at odds: {error}")
        else:
            seen = diagnose(settled.system, settled.x)
            freedoms, loose = seen.freedoms, sorted(seen.loose)
            told["freedoms"], told["loose"] = freedoms, loose
            if freedoms:
                names = ", ".join(say_element(name) for name in loose[:8]) + (
                    " …" if len(loose) > 8 else ""
                )
                words.append(
                    f"{plain(freedoms)} freedom{'s' * (freedoms != 1)} left: {names} can still move"
                )
            else:
                words.append("settled, nothing can move")
    drawing = built.drawings.get(step.name)
    if drawing is not None:
        plan = drawing.arrangement()
        told["regions"] = len(plan.faces)
        words.append(f"{plain(len(plan.faces))} region{'s' * (len(plan.faces) != 1)}")
        for gap in plan.gaps[:4]:
            if gap.away > 0:
                x, y = gap.at
                told["gaps"].append(
                    {"curve": gap.curve, "at": [x, y], "other": gap.other, "away": gap.away}
                )
                words.append(
                    f"{say_element(gap.curve)} ends at {say_spot(x, y)}, {gap.away:.3g} "
                    f"mm beside {say_element(gap.other)}"
                )
    told["words"] = "; ".join(words) or "empty"
    return told
