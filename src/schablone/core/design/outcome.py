"""What a step came to, looked at before it is used: what of it did nothing, whether a folded sheet
is one still, whether it closes to a solid."""

from __future__ import annotations

from collections.abc import Sequence

from ..kernel.body import Body
from ..kernel.level import Touching
from ..kernel.mesh_pieces import touching as touching_triangles
from ..kernel.operations import Applied
from ..kernel.tools import title_of
from ..steps.workshop import Feature, Remark, StepError


def idle_remark(feature: Feature, numbers: Sequence[int]) -> Remark:
    """What of a step changes nothing."""
    names = [title_of(feature.tools[k]) for k in numbers if k < len(feature.tools)]
    said = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
    why = {
        "cut": "meet no material",
        "add": "lie within the part already",
        "common": "have nothing in common with the part",
    }
    many = why[feature.operation]
    one = {
        "cut": "meets no material",
        "add": "lies within the part already",
        "common": "has nothing in common with the part",
    }
    text = (
        f"{said} {many if len(names) > 1 else one[feature.operation]}; nothing comes of "
        f"{'them' if len(names) > 1 else 'it'}."
    )
    return Remark(f"{text[:1].upper()}{text[1:]}")


def still_sheet(before: Body, after: Body) -> Body:
    """What comes of a change; a folded sheet must stay one, or its blank would be lost unsaid.

    Raises:
        StepError: where it would be none any more.
    """
    if before.folded is not None and after.folded is None:
        raise StepError(
            "This would make something of the folded sheet that no blank can be cut for.",
            "Draw it in the sheet's outline, cut it straight through a panel, or cut it in the "
            "blank.",
        )
    return after


def sound(done: Applied) -> Applied:
    """The body, if it encloses a volume.

    Raises:
        StepError: where it does not.
        Touching: where pieces of it touch along a line only.
    """
    body = done.body
    touching = None
    if body.made is not None and not body.prisms:
        touching = body.made.touching()
    elif body.meshed is not None:
        touching = touching_triangles(body.meshed)
    if touching is not None:
        raise Touching(*touching)
    if not body.is_sound():
        raise StepError(
            "What this step makes does not close to a solid.",
            "Look for faces or edges that only just touch, and for very thin places.",
        )
    return done
