"""What a step came to, looked at before it is used: what of it did nothing, whether a folded sheet
is one still, whether it closes to a solid."""

from __future__ import annotations

from collections.abc import Sequence

from ..kernel.body import Body
from ..kernel.folding import refuse_open
from ..kernel.level import Touching
from ..kernel.mesh_pieces import touching as touching_triangles
from ..kernel.operations import Applied
from ..kernel.tools import title_of
from ..steps.workshop import COVER, Feature, Remark, StepError
from ..words import capital


def remarks_on(feature: Feature, done: Applied) -> list[Remark]:
    """What should be known of what came of a step."""
    told = (_idle(feature, done.idle) if done.idle else None, _covered(feature, done.body))
    return [remark for remark in told if remark is not None]


def _idle(feature: Feature, numbers: Sequence[int]) -> Remark:
    """What of a step changes nothing."""
    names = [title_of(feature.tools[k]) for k in numbers if k < len(feature.tools)]
    said = _listed(names)
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
    return Remark(capital(text))


def _covered(feature: Feature, body: Body) -> Remark | None:
    """Which holes begin under something that stands on their face: that is a face then."""
    covers = {
        name: title_of(tool)
        for tool in (feature.tools if feature.operation == "cut" else ())
        for name in tool.names()
        if name.role == COVER
    }
    names = list(dict.fromkeys(covers[name] for name in covers.keys() & body.names()))
    if not names:
        return None
    said = _listed(sorted(names))
    begins = "begin" if len(names) > 1 else "begins"
    return Remark(
        f"{capital(said)} {begins} under what stands on the face there; that is left as it is.",
        "To go through that as well, let it begin on the face above; or move one of them.",
    )


def _listed(names: Sequence[str]) -> str:
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


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
        CannotFold: where a folded sheet does not.
        Touching: where pieces of it touch along a line only.
    """
    body = done.body
    if body.folded is not None:
        refuse_open(body.folded)
        return done
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
