"""A stencil made of steps of a design: what they need from outside becomes open sizes, an anchor
and further faces; what cannot be open is said."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

from pydantic import ValidationError

from ..formula.errors import FormulaError
from ..formula.rewrite import columns_in, replace_names
from ..formula.tree import Name, Output
from ..formula.value_table import ValueTable
from ..kernel.frame import GROUND, PLANES, Frame
from ..kernel.naming import FaceName, owner_of, say_face
from ..reuse import FurtherFace, FurtherPart, Stencil
from ..sketch.tracing import edges_followed
from ..steps import KINDS
from ..steps.base import Step
from ..steps.hole import Hole
from ..steps.repeating import Repeats
from ..steps.ring import Ring
from ..steps.sketch import Sketch
from ..steps.stencil import Given, GivenFace, GivenPart, PutIn
from ..words import say_name, say_validation
from .edit import free_name, map_step, with_steps_renamed
from .model import Design
from .stencil_anchor import Anchorage, drawn_from_anchor
from .stencil_edit import put_stencil
from .stencil_sizes import Asked, asked_sizes, renames


@dataclass(slots=True)
class Draft:
    """What becomes of steps as a stencil.

    ``steps`` are those of the design that it is made of, with those that were taken in since others
    need them (``also``). ``cannot`` says what cannot be open; then there is no ``stencil``.
    ``instead`` puts the stencil where the steps were.
    """

    steps: tuple[str, ...]
    also: tuple[str, ...] = ()
    anchor: Anchorage = field(default_factory=Anchorage)
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
    cannot += _along_other_axes(taken, draft.anchor, frames)
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
    drawn, moved = drawn_from_anchor(
        taken, draft.anchor, draft.faces, draft.parts, main, not others & set(draft.steps)
    )
    sizes, draft.asked, names_of, missing = asked_sizes(design, drawn, table, opens or {})
    if missing:
        draft.cannot = tuple(missing)
        return draft
    steps = [map_step(step, renames(names_of)) for step in drawn]
    if moved:
        steps.insert(0, map_step(moved, renames(names_of)))
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
        if used := sorted(one.uses_whole() & gone):
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
        wanted = {used for step in steps for used in step.uses_whole()} - taken
        wanted = {name for name in wanted if design.step(name) is not None}
        if not wanted:
            break
        taken |= wanted
    also = tuple(step.name for step in design.steps if step.name in taken - set(names))
    return [step for step in design.steps if step.name in taken], also


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
    faces = [str(getattr(step, name)) for name in step.places]
    faces += [face for name in step.face_lists for face in getattr(step, name)]
    faces += [face for name in step.edge_rules for rule in getattr(step, name) for face in rule.of]
    return [face for face in faces if "/" in face and " " not in face]


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
    grounded = []
    for step in taken:
        for name in step.places:
            if str(getattr(step, name)) in PLANES and not isinstance(step, Repeats):
                grounded.append(
                    f"“{say_name(step.name)}” lies on a plane of the design, not on the part; "
                    "draw it on a face."
                )
    return grounded


def _along_other_axes(
    taken: list[Step], anchor: Anchorage, frames: Mapping[str, Frame] | None
) -> list[str]:
    """What repeats along axes of the design that are not those of the anchor's face, or of which
    that cannot be seen."""
    frame = GROUND if frames is None or not anchor.face else frames.get(anchor.face)
    if frame is None:
        lost = [one for one in taken if isinstance(one, Repeats) and not one.axes]
        return [f"“{say_name(one.name)}” goes along axes, and the face of the anchor is not there."
                for one in lost]  # fmt: skip
    level = frame.x == GROUND.x and frame.y == GROUND.y
    across = []
    for step in taken:
        if not isinstance(step, Repeats) or step.axes:
            continue
        said = f"“{say_name(step.name)}”"
        if not level:
            across.append(
                f"{said} goes along axes of the design, and the face of the anchor has others: "
                "let it go along those of a plane on that face."
            )
        elif isinstance(step, Ring) and frame.origin[:2] != (0.0, 0.0):
            across.append(f"{said} turns about an axis that lies elsewhere on that face.")
    return across


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
