"""What is asked while faces of a plain solid are tied: what can be tied by what, what is not tied
yet, and how that can still move."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace

from ..core.design.model import Design
from ..core.design.rebuild import Memory, Rebuilt, rebuild
from ..core.kernel.body import Body
from ..core.kernel.naming import FaceName
from ..core.kernel.occ import Solid
from ..core.problem import Problem, SchabloneError
from ..core.process.lens import LensView
from ..core.quantity import Quantity
from ..core.solids.left_behind import Loose, left_behind
from ..core.solids.offers import Offer, as_formula, offers
from ..core.solids.recognise import Found, recognised, say_plain_face
from ..core.solids.settle import Held, NotHeld
from ..core.solids.ties import EDGE, named, say_tie, say_tie_place
from ..core.solids.wiggle import modes_of, wiggled
from ..core.steps.give_sizes import GiveSizes, ready_of
from ..core.steps.workshop import StepError
from . import talk
from .messages import Arrays
from .report import report_of


def ties_told(
    request: talk.TieFaces, design: Design, view: LensView, memory: Memory
) -> talk.TiesTold:
    """The state of a step that ties faces, and what can be made of what was picked."""
    asked = talk.TyingAsked.model_validate_json(request.about)
    step = _step(design, asked.step)
    try:
        ready, _, _ = _ready(design, step, view, memory)
    except StepError as error:
        return talk.TiesTold(id=request.id, step=step.name, trouble=error.what)
    picks = [place for place in asked.picks if _is_there(ready, place)]
    taken = {(tie.kind, tie.of) for tie in step.ties}
    return talk.TiesTold(
        id=request.id,
        step=step.name,
        freedoms=len(ready.modes),
        measured={str(k): as_formula(step.ties[k], v) for k, v in ready.measured.items()},
        wrong={str(k): f"{error.what} {error.hint}" for k, error in ready.problems.items()},
        said={place: _said(ready, place) for place in picks},
        offers=[_offer(ready, one) for one in offers(ready, picks)] if picks else [],
        loose=[_loose(ready, one) for one in left_behind(ready)],
        found=[
            _found(one)
            for one in recognised(ready.plain)
            if not any((tie.kind, tie.of) in taken for tie in one.ties)
        ],
    )


def swings(
    request: talk.Wiggle, design: Design, view: LensView, memory: Memory
) -> Iterator[tuple[talk.Wiggled, Arrays]]:
    """The part at each place of a swing.

    Raises:
        SchabloneError: where the face cannot move.
    """
    asked = talk.TyingAsked.model_validate_json(request.about)
    step = _step(design, asked.step)
    try:
        ready, values, built = _ready(design, step, view, memory)
        solids = _swing(ready, values, FaceName.read(asked.picks[0]))
    except (StepError, NotHeld, ValueError, IndexError) as error:
        raise _refusal(step, getattr(error, "what", "")) from None
    if not solids:
        raise _refusal(step, "")
    for number, solid in enumerate(solids):
        body = Body((), solid, built.bodies[step.part].frames)
        here = replace(
            built, bodies={**built.bodies, step.part: body},
            figures={**built.figures, step.part: body.figures()}, keys={},
        )  # fmt: skip
        report, arrays = report_of(design, here, {})
        last = number == len(solids) - 1
        told = talk.Wiggled(id=request.id, number=number, last=last, report=report)
        yield told, arrays


def _swing(ready: Held, values: Mapping[int, float], face: FaceName) -> list[Solid]:
    if face in ready.plain.roundings:
        first = len(ready.surfaces) - len(ready.rounds)
        surface = ready.same[first + ready.rounds.index(face)]
    else:
        surface = ready.same[ready.plain.place[face]]
    modes = modes_of(ready, surface)
    return wiggled(ready, values, modes[0]) if modes else []


def _refusal(step: GiveSizes, what: str) -> SchabloneError:
    text = what or "There is no room in which this face could move."
    return SchabloneError(
        Problem(area="step", name=step.name, what=text, hint="Tie it, or leave it where it is.")
    )


def _step(design: Design, name: str) -> GiveSizes:
    step = design.step(name)
    if not isinstance(step, GiveSizes):
        raise SchabloneError(
            Problem(area="design", what=f"“{name}” ties no faces.", hint="Choose another step.")
        )
    return step


def _ready(
    design: Design, step: GiveSizes, view: LensView, memory: Memory
) -> tuple[Held, dict[int, float], Rebuilt]:
    """The ties of a step, made ready on the part as it is before it, with the values that they have
    now.

    Raises:
        StepError: where there is no part.
    """
    before = [one for one in design.steps[: design.steps.index(step)] if one.on]
    plain = replace(view, lens="wanted")
    built = rebuild(design, plain, memory, until=before[-1].name) if before else None
    body = built.bodies.get(step.part) if built is not None else None
    if body is None or built is None:
        raise StepError(
            "There is no part yet whose faces could be tied.",
            "Read one in first: File, Import a solid.",
        )
    ready = ready_of(body, step.ties)
    whole = rebuild(design, plain, memory, until=step.name)
    state = whole.steps.get(step.name)
    values = _values(step, state.values if state is not None else {})
    return ready, values, whole if step.part in whole.bodies else built


def _values(step: GiveSizes, given: Mapping[str, Quantity]) -> dict[int, float]:
    values = {}
    for path, quantity in given.items():
        k = int(path.split(".")[1])
        is_angle = step.ties[k].kind == "angle"
        values[k] = math.radians(quantity.value) if is_angle else quantity.value
    return values


def _is_there(ready: Held, place: str) -> bool:
    try:
        names = named(place)
    except ValueError:
        return False
    known = {*ready.plain.place, *ready.plain.roundings}
    return all(name in known for name in names)


def _said(ready: Held, place: str) -> str:
    if EDGE in place:
        return say_tie_place(place)
    return say_plain_face(ready.plain, named(place)[0])


def _offer(ready: Held, one: Offer) -> talk.OfferReport:
    again = [say_tie(ready.ties[k]) for k in one.repeats]
    return {
        "tie": one.tie,
        "words": one.words,
        "formula": as_formula(one.tie, one.now) if one.now is not None else "",
        "repeats": " and ".join(again) or ("what is pinned" if one.tie.reads else ""),
    }


def _loose(ready: Held, one: Loose) -> talk.LooseReport:
    return {
        "faces": [str(name) for name in one.pieces],
        "said": say_plain_face(ready.plain, one.face),
        "how": one.how,
        "ties": one.ties,
        "words": one.words,
    }


def _found(one: Found) -> talk.FoundReport:
    return {
        "words": one.words,
        "faces": [str(name) for name in one.faces],
        "ties": one.ties,
    }
