"""Round edges: a fillet of a radius on chosen edges."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from typing import Literal

from ..kernel.body import Body
from ..kernel.figures import is_kernel_failure
from ..kernel.naming import FaceName
from ..model import FormulaText
from .base import Slot, Step
from .selecting import EdgeRules, chosen_edges, part_with
from .sentence import EdgesPiece, FormulaPiece, Sentence, Words
from .workshop import Feature, StepError, Workshop, above_zero

#: How often a size that fits is looked for where one does not, halving.
_TRIALS = 7
#: Shares of a size that does not fit which are tried beside halving, below and above it.
_BELOW, _ABOVE = (0.97, 0.9, 0.75, 0.5), (1.03, 1.1, 1.5, 2.0)
#: So long, s, may one such trial take, and about so long all of them.
_TAKES, _LOOKS_FOR = 3, 8.0


class Fillet(Step):
    """Rounds edges. They are chosen by rules, so that they stay the same edges when sizes and
    counts change."""

    order = 50
    in_stencils = True
    title = "Round edges"
    purpose = "A fillet on edges, or on all edges of a face"
    also = "radius soft"
    asks = "edges+edge"
    edge_rules = ("edges",)

    kind: Literal["fillet"] = "fillet"
    edges: EdgeRules = ()
    radius: FormulaText = "2 mm"

    def slots(self) -> tuple[Slot, ...]:
        return (Slot("radius", self.radius, "radius"),)

    def only_prisms(self) -> bool:
        return False

    def sentence(self) -> Sentence:
        return (
            (Words("round"), EdgesPiece("edges"), Words("by a radius of"), FormulaPiece("radius")),
        )

    def feature(self, shop: Workshop) -> Feature:
        radius = above_zero(shop.values["radius"], "radius", self.radius, "radius")
        part = part_with(shop.bodies, self.edges, "edges")

        def change(body: Body) -> Body:
            from ..kernel.occ import change as occ_change

            solid = body.solid()
            chosen = chosen_edges(solid, self.edges, "edges")
            named = [(edge.edge, name_for(self.name, "round", edge.between)) for edge in chosen]
            return changed(
                body,
                lambda size: occ_change.rounded(solid, named, size),
                radius,
                self.radius,
                "radius",
                "radius",
                narrow=lambda: occ_change.narrowest(solid, [edge for edge, _ in named]),
            )

        return Feature("add", part, change=change)


def name_for(step: str, role: str, between: tuple[FaceName, FaceName]) -> FaceName:
    """The name of the face that comes in the place of an edge, from the two faces beside it."""
    words = []
    for name in sorted(between):
        words.append(".".join(part for part in (name.step, name.role, name.element) if part))
    member = max((name.member for name in between), key=len)
    return FaceName(step, role, ".".join(words), member)


def _said(below: float, above: float, *, in_time: bool) -> str:
    """What would fit instead, above and below what was asked for, 0 where nothing was found; all
    of it was tried to its end where that was ``in_time``."""
    if above > 0:
        if below <= 0 and not in_time:
            return f"About {above:.3g} mm works here"
        smaller = f"About {below:.3g} mm works here" if below > 0 else "No smaller one works here"
        return f"{smaller}, and so does {above:.3g} mm"
    if not in_time:
        return (
            f"About {below:.3g} mm works here" if below > 0 else "What would fit takes long to find"
        )
    return (
        f"About {below:.3g} mm is the most that works here"
        if below > 0
        else "No smaller one works here either"
    )


def changed(
    body: Body,
    make: Callable[[float], object],
    size: float,
    formula: str,
    what: str,
    where: str,
    on: str = "edges",
    narrow: Callable[[], tuple[float, FaceName] | None] = lambda: None,
    besides: str = "",
) -> Body:
    """The body after a change of its edges or faces that may not fit; ``narrow`` gives the
    narrowest face beside them, ``besides`` is told as well where it does not.

    Raises:
        StepError: says that it does not fit, and up to what it would.
    """
    from ..kernel.occ import Solid
    from ..kernel.occ.change import NotMade
    from ..kernel.occ.rehearsal import comes_out

    def sound(value: float) -> Solid | None:
        try:
            solid = make(value)
        except Exception as error:
            if not isinstance(error, NotMade) and not is_kernel_failure(error):
                raise
            return None
        assert isinstance(solid, Solid)
        return solid if solid.is_valid() else None

    solid = sound(size)
    if solid is not None:
        return Body((), solid, body.frames)
    beside = narrow()
    # What fits is no larger than the part, and mostly than the narrowest face: few trials find it
    # even below a slipped point.
    low, high = (
        0.0,
        min(size, math.dist(*body.figures().bounds), beside[0] if beside is not None else math.inf),
    )
    until, in_time = time.monotonic() + _LOOKS_FOR, True

    def fits_too(value: float) -> bool:
        """In a copy of the process: what does not fit can take the kernel minutes, or end it."""
        nonlocal in_time
        begun = time.monotonic()
        fits = begun < until and comes_out(lambda: sound(value) is not None, _TAKES)
        in_time = in_time and (fits or (begun < until and time.monotonic() - begun < _TAKES))
        return fits

    for _ in range(_TRIALS):
        middle = (low + high) / 2
        low, high = (middle, high) if fits_too(middle) else (low, middle)
    # What fits need not fit all the way up: a larger one may do where this one and some below it do
    # not.
    below = next((size * k for k in _BELOW if size * k > low and fits_too(size * k)), low)
    above = next((size * k for k in _ABOVE if fits_too(size * k)), 0.0)
    fits = _said(below, above, in_time=in_time)
    tight = beside is not None and beside[0] < 2 * size
    told = (
        f" The {beside[1].words()} is only {beside[0]:.4g} mm wide there."
        if tight and beside is not None
        else ""
    )
    raise StepError(
        f"A {what} of {size:.4g} mm (from “{formula}”) does not fit "
        f"on these {on}.{told} {fits}.{besides}",
        f"Make “{formula}” smaller, or choose fewer {on}.",
        where,
        length=beside[0] if tight and beside is not None else 0.0,
    )
