"""A stencil made of steps of a design: what they need from outside becomes open sizes, an anchor
and further faces; what cannot be open is said."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError

from ..formula.errors import FormulaError
from ..formula.rewrite import columns_in, names_in, replace_names
from ..formula.tree import Name, Output
from ..formula.value_table import ValueTable
from ..kernel.frame import GROUND, PLANES, Frame
from ..kernel.naming import FaceName, owner_of, say_face
from ..quantity import formula_of
from ..reuse import HERE, HOST, FurtherFace, FurtherPart, Stencil, StencilSize
from ..sketch.tracing import edges_followed
from ..steps import KINDS
from ..steps.base import Step
from ..steps.hole import Hole
from ..steps.plane import Plane
from ..steps.put_in import Given, GivenFace, GivenPart, PutIn
from ..steps.repeating import Repeats
from ..steps.ring import Ring
from ..steps.sketch import Sketch
from ..words import say_name, say_validation
from .edit import free_name, map_step, with_steps_renamed
from .model import Design, Size
from .stencil_edit import put_stencil

#: The plane within a stencil that is drawn on where the anchor is not the origin of its face.
_DRAWN_ON = "drawn_on"


@dataclass(frozen=True, slots=True)
class Anchorage:
    """Where the anchor of a new stencil lies: on which face of the design (empty: the ground), at
    which formulas of its x and y."""

    face: str = ""
    x: str = "0 mm"
    y: str = "0 mm"


@dataclass(frozen=True, slots=True)
class Asked:
    """A size that the steps need from outside: what it is called in the stencil, the formula of the
    design that it stands for, its value there, and whether it is suggested to be open."""

    name: str
    formula: str
    value: str
    open: bool = True


@dataclass(slots=True)
class Draft:
    """What becomes of steps as a stencil.

    ``steps`` are those of the design that it is made of, with those that were taken in since others
    need them (``also``). ``cannot`` says what cannot be open; then there is no ``stencil``.
    ``instead`` puts the stencil where the steps were.
    """

    steps: tuple[str, ...]
    also: tuple[str, ...] = ()
    anchor: Anchorage = Anchorage()
    asked: tuple[Asked, ...] = ()
    faces: Mapping[str, str] = field(default_factory=dict)
    parts: Mapping[str, str] = field(default_factory=dict)
    cannot: tuple[str, ...] = ()
    stencil: Stencil | None = None
    instead: PutIn | None = None


def stencil_of(
    design: Design,
    names: Collection[str],
    table: ValueTable,
    *,
    called: str = "",
    opens: Mapping[str, bool] | None = None,
    anchor: Anchorage | None = None,
    frames: Mapping[str, Frame] | None = None,
) -> Draft:
    """A stencil of some steps of a design, as it is suggested. ``table`` has the values of its
    sizes; ``opens`` says of sizes whether they are to be open, where not as suggested; ``anchor``
    where its anchor is to lie. ``frames`` are those of the faces of the parts, by name: with them
    is seen whether what repeats along the axes of the design may."""
    taken, also = _with_needed(design, names)
    draft = Draft(tuple(step.name for step in taken), also)
    if not taken:
        draft.cannot = ("No steps are chosen.",)
        return draft
    cannot = [said for step in taken if (said := cannot_be_in(design, step))]
    outside = _outside_faces(taken)
    draft.anchor = anchor or _likely_anchor(taken, outside)
    cannot += _grounded(taken, draft.anchor)
    cannot += _along_other_axes(taken, draft.anchor, frames or {})
    own = [step.works_on() for step in taken if step.works_on()]
    main = _main_part(draft.anchor, design, own)
    draft.parts = {say_plain(part): part for part in dict.fromkeys(own) if part != main}
    draft.faces = {
        _face_name(face, k): face
        for k, face in enumerate(f for f in outside if f != draft.anchor.face)
    }
    if cannot:
        draft.cannot = tuple(cannot)
        return draft
    # What others measure on its faces must go on being measured from where it is.
    rest = [step for step in design.steps if step not in taken]
    places = (str(getattr(step, name)) for step in rest for name in step.places)
    others = {owner_of(place.split("/")[0]) for place in places}
    drawn, moved = _drawn_from_anchor(taken, draft, main, not others & set(draft.steps))
    sizes, draft.asked, names_of, missing = _sizes(design, drawn, table, opens or {})
    if missing:
        draft.cannot = tuple(missing)
        return draft
    steps = [map_step(step, _renames(names_of)) for step in drawn]
    if moved:
        steps.insert(0, map_step(moved, _renames(names_of)))
    name = say_plain(called) or say_plain(taken[-1].name)
    try:
        draft.stencil = Stencil(
            name=name,
            title=called,
            author=design.publish.author,
            licence=design.publish.licence,
            sizes=tuple(sizes),
            faces=tuple(
                FurtherFace(name=one, note=say_face(face)) for one, face in draft.faces.items()
            ),
            parts=tuple(
                FurtherPart(name=one, note=say_name(part)) for one, part in draft.parts.items()
            ),
            steps=tuple(steps),
        )
    except ValidationError as error:
        draft.cannot = (say_validation(error, "design", "")[0].what,)
        return draft
    draft.instead = _instead(design, draft, main)
    return draft


def replaced(design: Design, draft: Draft) -> Design:
    """The design with the stencil put in where its steps were.

    Raises:
        FormulaError: where others build on what would be gone.
    """
    assert draft.stencil is not None
    assert draft.instead is not None
    wider, called = put_stencil(design, draft.stencil)
    gone = set(draft.steps)
    step = draft.instead.model_copy(update={"stencil": called})
    inner = {old: f"{step.name}.{old}" for old in gone}
    steps: list[Step] = []
    for one in _in_place(wider, gone, step):
        if one is step:
            steps.append(one)
            continue
        if used := sorted(_used_whole(one) & gone):
            raise FormulaError(
                f"“{say_name(one.name)}” uses “{say_name(used[0])}” itself.",
                None,
                "Take it into the stencil as well, or keep the steps as they are.",
            )
        steps.append(with_steps_renamed(one, inner))

    def new_name(node: Name | Output) -> str | None:
        if isinstance(node, Output) and node.step in gone:
            return f"{step.name}.{node.name}"
        return None

    steps = [
        map_step(one, lambda text: replace_names(text, new_name)) if one.name != step.name else one
        for one in steps
    ]
    sizes = tuple(
        size.model_copy(
            update={
                name: replace_names(getattr(size, name), new_name)
                for name in ("formula", "low", "high", "step", "tolerance")
            }
        )
        for size in wider.sizes
    )
    return wider.model_copy(update={"steps": tuple(steps), "sizes": sizes})


def _in_place(design: Design, gone: Collection[str], step: PutIn) -> list[Step]:
    """The steps with one for those that go, where the last of them was; what stands on these, and
    came before that, comes just behind it."""
    last = max(k for k, one in enumerate(design.steps) if one.name in gone)
    on_it = set(gone)
    before: list[Step] = []
    behind: list[Step] = []
    for k, one in enumerate(design.steps):
        if one.name in gone:
            if k == last:
                before.append(step)
            continue
        needs = {owner_of(needed) for needed in (*one.needs(), one.carries())}
        if k < last and needs & on_it:
            on_it.add(one.name)
            behind.append(one)
        else:
            before.append(one)
    at = before.index(step) + 1
    return [*before[:at], *behind, *before[at:]]


def say_plain(text: str) -> str:
    """A name for formulas, of words."""
    joined = "_".join("".join(c if c.isalnum() else " " for c in text).lower().split())
    return f"s_{joined}" if joined[:1].isdigit() else joined


def _with_needed(design: Design, names: Collection[str]) -> tuple[list[Step], tuple[str, ...]]:
    """The steps in their order, with sketches and steps that they use as a whole; and those."""
    taken = set(names)
    while True:
        steps = [step for step in design.steps if step.name in taken]
        wanted = {used for step in steps for used in _used_whole(step)} - taken
        wanted = {name for name in wanted if design.step(name) is not None}
        if not wanted:
            break
        taken |= wanted
    also = tuple(step.name for step in design.steps if step.name in taken - set(names))
    return [step for step in design.steps if step.name in taken], also


def _used_whole(step: Step) -> set[str]:
    """The steps that one uses as a whole: its sketch, what it repeats."""
    return {str(getattr(step, name)) for name in step.refers} & set(step.needs())


def cannot_be_in(design: Design, step: Step) -> str:
    """Why a step cannot be one of a stencil; empty where it can."""
    said = f"“{say_name(step.name)}”"
    if not step.in_stencils:
        kind = KINDS[step.kind].title.lower()
        return f"{said} cannot be one of its steps: “{kind}” reaches further than where it stands."
    if isinstance(step, Repeats) and step.what == "part":
        return f"{said} repeats the whole part."
    if isinstance(step, Sketch) and edges_followed(step.drawing):
        return f"{said} follows edges of the part, which another part does not have."
    for slot in step.slots():
        try:
            if columns_in(slot.formula):
                return f"{said} reads the size table, which stays with the design."
        except FormulaError:
            return f"{said} has a formula that cannot be read: “{slot.formula}”."
    return ""


def _faces_of(step: Step) -> list[str]:
    """The faces that a step names."""
    found = [str(getattr(step, name)) for name in step.places]
    found += [face for name in step.face_lists for face in getattr(step, name)]
    found += [face for name in step.edge_rules for rule in getattr(step, name) for face in rule.of]
    return [face for face in found if "/" in face and " " not in face]


def _outside_faces(taken: list[Step]) -> list[str]:
    """The faces of other steps that some steps stand on, those most often named first."""
    own = {step.name for step in taken}
    named = (face for step in taken for face in _faces_of(step))
    faces = Counter(face for face in named if owner_of(face.split("/")[0]) not in own)
    return [face for face, _ in faces.most_common()]


def _likely_anchor(taken: list[Step], outside: list[str]) -> Anchorage:
    """On the face that is named most, at the place of the first shape or hole on it."""
    face = outside[0] if outside else ""
    for step in taken:
        if isinstance(step, Sketch) and step.plane == (face or "ground") and step.shapes:
            shape = step.shapes[0]
            return Anchorage(face, getattr(shape, "x", "0 mm"), getattr(shape, "y", "0 mm"))
        if isinstance(step, Hole) and step.face == face and step.where == "here":
            return Anchorage(face, step.x, step.y)
    return Anchorage(face)


def _grounded(taken: list[Step], anchor: Anchorage) -> list[str]:
    """What is drawn on planes of the design though the stencil is anchored on a face."""
    if not anchor.face:
        return []
    found = []
    for step in taken:
        for name in step.places:
            if str(getattr(step, name)) in PLANES and not isinstance(step, Repeats):
                found.append(
                    f"“{say_name(step.name)}” lies on a plane of the design, not on the part; "
                    "draw it on a face."
                )
    return found


def _along_other_axes(
    taken: list[Step], anchor: Anchorage, frames: Mapping[str, Frame]
) -> list[str]:
    """What repeats along axes of the design that are not those of the anchor's face."""
    frame = frames.get(anchor.face, GROUND)
    level = frame.x == GROUND.x and frame.y == GROUND.y
    found = []
    for step in taken:
        if not isinstance(step, Repeats) or step.axes:
            continue
        said = f"“{say_name(step.name)}”"
        if not level:
            found.append(
                f"{said} goes along axes of the design, and the face of the anchor has others: "
                "let it go along those of a plane on that face."
            )
        elif isinstance(step, Ring) and frame.origin[:2] != (0.0, 0.0):
            found.append(f"{said} turns about an axis that lies elsewhere on that face.")
    return found


def _main_part(anchor: Anchorage, design: Design, own: list[str]) -> str:
    """The part that the stencil is put into: that of the anchor's face, or most steps'."""
    maker = design.step(owner_of(anchor.face.split("/")[0])) if anchor.face else None
    if maker is not None and maker.works_on():
        return maker.works_on()
    return Counter(own).most_common(1)[0][0] if own else design.parts[0].name


def _face_name(face: str, number: int) -> str:
    """What a further face is called within the stencil."""
    try:
        words = say_plain(FaceName.read(face).words())
    except ValueError:
        words = ""
    return words if words and words != "here" else f"face_{number + 1}"


def _drawn_from_anchor(
    taken: list[Step], draft: Draft, main: str, may_shift: bool
) -> tuple[list[Step], Step | None]:
    """The steps with the host's faces and parts for those of the design, drawn from the anchor: by
    places at it becoming zero, where they ``may_shift``, or else by a plane that lies back from it;
    that plane."""
    anchor = draft.anchor
    faces = {face: f"{HOST}/{name}" for name, face in draft.faces.items()}
    on = anchor.face or "ground"
    at_zero = may_shift and _all_at(taken, on, anchor)
    moved = anchor.x.strip() not in ("0", "0 mm") or anchor.y.strip() not in ("0", "0 mm")
    plane = moved and not at_zero
    here = f"{_DRAWN_ON}/here" if plane else (HERE if anchor.face else "ground")
    parts = {part: name for name, part in draft.parts.items()} | {main: HOST}
    found = []
    for step in taken:
        changes: dict[str, Any] = {}
        for name in step.places:
            place = str(getattr(step, name))
            if place == on:
                changes[name] = here
            elif place in PLANES and plane:
                changes[name] = f"{_DRAWN_ON}/{place}"
            elif place in faces:
                changes[name] = faces[place]
        known = {**faces, **({anchor.face: HERE} if anchor.face else {})}
        for name in step.face_lists:
            changes[name] = tuple(known.get(face, face) for face in getattr(step, name))
        for name in step.edge_rules:
            changes[name] = tuple(
                rule.model_copy(update={"of": tuple(known.get(face, face) for face in rule.of)})
                for rule in getattr(step, name)
            )
        if "part" in type(step).model_fields:
            changes["part"] = parts.get(str(getattr(step, "part")), HOST)  # noqa: B009
        changes["group"] = ""
        unused = [name for name in step.refers if getattr(step, name) not in _used_whole(step)]
        changes |= dict.fromkeys(unused, "")
        own = _at_zero(step, on, taken) if moved and at_zero else step
        found.append(own.model_copy(update=changes))
    back = (
        Plane(name=_DRAWN_ON, part=HOST, face=HERE, x=_minus(anchor.x), y=_minus(anchor.y))
        if plane
        else None
    )
    return found, back


def _minus(formula: str) -> str:
    return "0 mm" if formula.strip() in ("0", "0 mm") else f"-({formula.strip()})"


def _all_at(taken: list[Step], on: str, anchor: Anchorage) -> bool:
    """Whether all that is measured in the axes of the anchor's face stands at the anchor itself, by
    the same formulas, so that it can stand at zero instead."""
    at = (anchor.x, anchor.y)
    for step in taken:
        if isinstance(step, (Ring, Plane)):
            return False
        if isinstance(step, Sketch) and _in_its_axes(step.plane, on, taken):
            if step.drawing.elements:
                return False
            for shape in step.shapes:
                if (getattr(shape, "x", None), getattr(shape, "y", None)) != at:
                    return False
        elif (
            isinstance(step, Hole)
            and step.where == "here"
            and _in_its_axes(step.face, on, taken)
            and (step.x, step.y) != at
        ):
            return False
    return True


def _in_its_axes(place: str, on: str, taken: list[Step]) -> bool:
    """Whether positions on a face are measured in the axes of the anchor's face: on that, and on
    the ends and floors of what was drawn on it."""
    if place == on:
        return True
    step, _, role = place.partition("/")
    return step in {one.name for one in taken} and role.split("/")[0] in ("start", "end", "floor")


def _at_zero(step: Step, on: str, taken: list[Step]) -> Step:
    zero = {"x": "0 mm", "y": "0 mm"}
    if isinstance(step, Sketch) and _in_its_axes(step.plane, on, taken):
        return step.model_copy(
            update={"shapes": tuple(shape.model_copy(update=zero) for shape in step.shapes)}
        )
    if isinstance(step, Hole) and _in_its_axes(step.face, on, taken) and step.where == "here":
        return step.model_copy(update=zero)
    return step


def _renames(names: Mapping[str, str]) -> Any:
    return lambda text: replace_names(text, lambda node: names.get(node.name))


def _used(steps: list[Step], own: set[str]) -> dict[str, None]:
    """The names that formulas of the steps use, of sizes and of steps that are none of them."""
    found: dict[str, None] = {}
    for step in steps:
        texts = [(step.when, set[str]())]
        texts += [(slot.formula, set(step.runs_over(slot.path))) for slot in step.slots()]
        for text, runs_over in texts:
            if text.strip():
                found |= dict.fromkeys(
                    name
                    for name in sorted(names_in(text))
                    if name not in runs_over
                    and name not in ("pi", "yes", "no")
                    and owner_of(name) not in own
                )
    return found


def _sizes(
    design: Design, steps: list[Step], table: ValueTable, opens: Mapping[str, bool]
) -> tuple[list[StencilSize], tuple[Asked, ...], dict[str, str], list[str]]:
    """The sizes of the stencil, what they stand for, what each is called in it, what is missing.

    A size that follows from others which the steps use as well goes on following from them; all
    else is open.
    """
    own = {step.name for step in steps} | {HOST}
    direct = _used(steps, own)
    names: dict[str, str] = {}
    for name in direct:
        plain = name.replace(".", "_")
        while plain in names.values() or plain in own:
            plain += "_"
        names[name] = plain
    sizes: list[StencilSize] = []
    asked: list[Asked] = []
    missing: list[str] = []
    for name in _in_order(design, direct):
        size = design.size(name)
        cell = table.cells.get(name)
        if cell is None:
            missing.append(f"“{name}” has no value, so nothing can be open with it.")
            continue
        value = formula_of(cell.wanted.value, cell.wanted.kind)
        follows = size is not None and _follows(design, size, direct)
        is_open = opens.get(name, not follows)
        formula = value
        if size is not None and (follows or _is_plain(design.formula_of(size))):
            formula = _renames(names)(design.formula_of(size))
        if not is_open and not follows:
            formula = value
        asked.append(Asked(names[name], name, value, is_open))
        low, high = (
            (_bound(size.low, names), _bound(size.high, names)) if size is not None else ("", "")
        )
        sizes.append(
            StencilSize(
                name=names[name],
                formula=formula,
                open=is_open,
                note=size.note if size is not None else "",
                low=low,
                high=high,
            )
        )
    return sizes, tuple(asked), names, missing


def _in_order(design: Design, names: Mapping[str, None]) -> list[str]:
    """As the sizes stand in the design, outputs of steps last."""
    place = {size.name: k for k, size in enumerate(design.sizes)}
    return sorted(names, key=lambda name: (place.get(name, len(place)), name))


def _is_plain(formula: str) -> bool:
    """Whether a formula uses nothing else, and so holds anywhere."""
    try:
        return not names_in(formula) and not columns_in(formula)
    except FormulaError:
        return False


def _follows(design: Design, size: Size, used: Mapping[str, None]) -> bool:
    """Whether a size follows from others that the steps use, and from nothing else."""
    try:
        names = names_in(design.formula_of(size)) - {"pi", "yes", "no"}
        return bool(names) and names <= set(used) and not columns_in(design.formula_of(size))
    except FormulaError:
        return False


def _bound(text: str, names: Mapping[str, str]) -> str:
    """A limit, where all that it uses is in the stencil."""
    try:
        used = names_in(text) if text.strip() else frozenset[str]()
    except FormulaError:
        return ""
    return _renames(names)(text) if used <= set(names) | {"pi"} else ""


def _instead(design: Design, draft: Draft, main: str) -> PutIn | None:
    """The step that puts the stencil where its steps were; none where these stood on no face."""
    if not draft.anchor.face or draft.stencil is None:
        return None
    open_names = {size.name for size in draft.stencil.open_sizes}
    rest = design.model_copy(
        update={"steps": tuple(s for s in design.steps if s.name not in draft.steps)}
    )
    return PutIn(
        name=free_name(rest, draft.stencil.name),
        stencil=draft.stencil.name,
        part=main,
        face=draft.anchor.face,
        x=draft.anchor.x,
        y=draft.anchor.y,
        given=tuple(
            Given(size=one.name, formula=one.formula)
            for one in draft.asked
            if one.name in open_names
        ),
        faces=tuple(GivenFace(name=name, face=face) for name, face in draft.faces.items()),
        parts=tuple(GivenPart(name=name, part=part) for name, part in draft.parts.items()),
    )
