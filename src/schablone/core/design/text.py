"""The design in words: numbered sentences with formulas and values, as Markdown."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..bought import BoughtPart
from ..kernel.naming import speaking_of
from ..markup import (
    Marked,
    as_typed,
    code,
    marked,
    page_of,
    paragraphs,
    table_head,
    table_row,
)
from ..process.model import Process
from ..quantity import say
from ..reuse import Stencil
from ..sketch.sentences import say_element
from ..steps import Step
from ..steps.sentence import (
    AnchorPiece,
    BoughtPiece,
    ChoicePiece,
    EdgesPiece,
    FacesPiece,
    FormulaPiece,
    LinePiece,
    ListPiece,
    PartPiece,
    PlacePiece,
    PointPiece,
    PointsPiece,
    PortPiece,
    SentencePiece,
    SizePiece,
    StencilPiece,
    StepPiece,
    TextPiece,
    TiesPiece,
    Words,
    say_place,
    say_step,
)
from ..words import capital, say_name
from .edit import get_path
from .evaluate import role_of, table_of
from .facing import facing
from .model import Design
from .rebuild import StepState


def sentence_of(step: Step, design: Design, state: StepState | None = None) -> list[Marked]:
    """The lines of a step's sentence; formulas in back-ticks, with their values where they are
    known."""
    with speaking_of(facing(design)):
        return _sentence(step, state)


def _sentence(step: Step, state: StepState | None) -> list[Marked]:
    lines = []
    for line in step.sentence():
        words = [said for piece in line if (said := marked_piece(piece, step, state)) is not None]
        if words:
            lines.append(Marked(" ").join(words))
    return lines


def plain_sentence(step: Step) -> str:
    """A step's sentence as plain text, formulas as they were typed."""
    pieces = (plain_piece(piece, step) for line in step.sentence() for piece in line)
    return " ".join(said for said in pieces if said is not None)


def plain_piece(piece: SentencePiece, step: Step) -> str | None:
    """One piece of a sentence in plain text, formulas as they were typed; None for what says
    nothing, as a button that adds."""
    if isinstance(piece, Words):
        return piece.text
    if isinstance(piece, (ListPiece, TiesPiece)):
        return None
    value = get_path(step, piece.path)
    match piece:
        case FormulaPiece() | SizePiece():
            return str(value)
        case PointsPiece():
            return " · ".join(f"{point.x} {point.y}" for point in value)
        case ChoicePiece():
            return piece.options.get(value, "?")
        case EdgesPiece():
            return "; ".join(rule.words() for rule in value) or "no edges yet"
        case FacesPiece():
            return "; ".join(say_place(name) for name in value) or "no face yet"
        case TextPiece():
            return f"“{value}”"
    return _SAID[type(piece)](value)


def marked_piece(piece: SentencePiece, step: Step, state: StepState | None) -> str | None:
    """The same, marked where it is a formula, with its value where that is known, or a name."""
    match piece:
        case FormulaPiece():
            return _said_formula(piece.path, str(get_path(step, piece.path)), state)
        case PointsPiece():
            return Marked(" · ").join(
                Marked(" ").join(
                    _said_formula(f"{piece.path}.{k}.{axis}", str(getattr(point, axis)), state)
                    for axis in ("x", "y")
                )
                for k, point in enumerate(get_path(step, piece.path))
            )
        case SizePiece():
            return code(str(get_path(step, piece.path)))
    said = plain_piece(piece, step)
    if said is not None and isinstance(piece, PartPiece | StepPiece):
        return marked("*{}*", said)
    return said


def _said_formula(path: str, formula: str, state: StepState | None) -> Marked:
    value = state.values.get(path) if state else None
    shown = say(value) if value else ""
    if shown and shown != formula:
        return marked("{} ({})", code(formula), shown)
    return code(formula)


_SAID: dict[type, Callable[[Any], str]] = {
    PlacePiece: say_place,
    StencilPiece: lambda value: say_name(str(value)) or "nothing yet",
    BoughtPiece: lambda value: say_name(str(value)) or "nothing yet",
    AnchorPiece: lambda value: say_name(str(value)),
    PointPiece: lambda value: say_element(str(value)) or "no point yet",
    PortPiece: lambda value: f"its {say_name(str(value))}" if value else "all its ports",
    LinePiece: lambda value: say_element(str(value)),
    PartPiece: lambda value: say_step(str(value)),
    TextPiece: str,
    StepPiece: say_step,
}


def told_step(step: Step, design: Design, state: StepState | None = None) -> list[Marked]:
    """A step in words, with its condition, its note, and whether it is switched off."""
    lines = sentence_of(step, design, state) or [Marked("")]
    if step.when:
        lines.append(marked("Made only if {}.", code(step.when)))
    if not step.on:
        lines.append(Marked("Switched off."))
    if step.note:
        lines.append(as_typed(step.note))
    return lines


def plain_step(step: Step) -> str:
    """The same on one line of plain text."""
    told = [plain_sentence(step)]
    told += [f"made only if {step.when}"] if step.when else []
    told += [] if step.on else ["switched off"]
    told += [step.note] if step.note else []
    return "; ".join(told)


def title_of(name: str) -> str:
    """The name of a step as a heading: ``passage_row`` is ``Passage row``."""
    words = say_name(name)
    return capital(words)


def told_bought(part: BoughtPart) -> Marked:
    """A bought part in words: what it is, its dimensions, what it needs."""
    told = [as_typed(part.said)]
    for d in part.dimensions:
        within = marked(" ± {:g} mm", d.tolerance) if d.tolerance else Marked("")
        told.append(marked("{} {}{}", say_name(d.name), code(d.formula), within))
    fields = type(part.outline).model_fields
    told += [
        marked("{} {}", name, code(str(getattr(part.outline, name))))
        for name in ("length", "width", "diameter", "height")
        if name in fields
    ]
    for what, listed in (("anchors", part.anchors), ("holes", part.holes), ("ports", part.ports)):
        if listed:
            told.append(marked("{}: {}", what, ", ".join(say_name(one.name) for one in listed)))
    return Marked("; ").join(told)


def told_stencil(stencil: Stencil) -> list[Marked]:
    """A stencil in words: what it is, its sizes, and its steps one by one."""
    told = [marked("{}, edition {}", stencil.said, stencil.edition)]
    for size in stencil.sizes:
        is_open = "open" if size.open else "worked out"
        told.append(marked("{} {}, {}", say_name(size.name), code(size.formula), is_open))
    for step in stencil.steps:
        said = Marked(" ").join(_sentence(step, None))
        told.append(marked("{}: {}", title_of(step.name), said))
    return told


def design_text(
    design: Design, process: Process, states: dict[str, StepState] | None = None
) -> Marked:
    """The whole design in Markdown."""
    lines = [marked("# {}", design.name), Marked("")]
    if design.note:
        lines += [paragraphs(design.note), Marked("")]
    made_by = marked("Made by: {}.", process.name)
    lines.append(made_by + Marked(" Lengths in millimetres unless a unit is given."))
    lines += [Marked(""), *_told_sizes(design, process), *_told_table(design)]
    lines += [*_told_shelf(design), *_told_steps(design, process, states), *_told_checks(design)]
    return page_of([*lines, Marked("")])


def _told_sizes(design: Design, process: Process) -> list[Marked]:
    lines = [Marked("## Sizes"), Marked("")]
    table = table_of(design, process)
    group = None
    for size in design.sizes:
        if size.group != group:
            group = size.group
            if group:
                lines += [Marked("")] if lines[-1] else []
                lines += [marked("### {}", group), Marked("")]
        cell = table.cells.get(size.name)
        value = say(cell.wanted, size.units or design.units) if cell else "no value"
        formula = design.formula_of(size)
        shown = marked(" = {}", code(formula)) if formula != value else Marked("")
        limits = _limits_text(size.low, size.high, size.policy)
        tail = Marked(". ").join(as_typed(text) for text in (limits, size.note) if text)
        line = marked("- **{}** is {}{} ({})", size.name, value, shown, role_of(size, formula))
        lines.append(line + (marked("; {}", tail) if tail else Marked("")))
    return lines


def _told_table(design: Design) -> list[Marked]:
    if not design.table.rows:
        return []
    columns = design.table.columns
    lines = [Marked(""), Marked("## Size table"), Marked("")]
    lines += table_head(["variant", *columns])
    for row in design.table.rows:
        is_chosen = row.name == design.table.current
        name = marked("**{}** (in force)" if is_chosen else "{}", row.name)
        lines.append(table_row([name, *(row.cells.get(column, "") for column in columns)]))
    return lines


def _told_shelf(design: Design) -> list[Marked]:
    """What was bought and what was put in."""
    lines = []
    if design.bought:
        lines += [Marked(""), Marked("## Bought parts"), Marked("")]
        lines += [marked("- **{}**: {}", part.name, told_bought(part)) for part in design.bought]
    if design.stencils:
        lines += [Marked(""), Marked("## Stencils"), Marked("")]
        for stencil in design.stencils:
            first, *rest = told_stencil(stencil)
            lines.append(marked("- **{}**: {}", stencil.name, first))
            lines += [marked("    - {}", line) for line in rest]
    return lines


def _told_steps(
    design: Design, process: Process, states: dict[str, StepState] | None
) -> list[Marked]:
    lines = [Marked(""), Marked("## Steps"), Marked("")]
    group = ""
    for number, step in enumerate(design.steps, 1):
        if step.group != group:
            group = step.group
            lines.append(Marked(""))
            lines += [marked("### {}", group), Marked("")] if group else []
        first, *rest = told_step(step, design, states.get(step.name) if states else None)
        lines.append(marked("{}. **{}**: {}", number, title_of(step.name), first))
        lines += [marked("   {}", line) for line in rest]
    number = len(design.steps)
    for words in _treatments(design, process):
        number += 1
        lines.append(marked("{}. Before it is sent, {}.", number, words))
    return lines


def _treatments(design: Design, process: Process) -> list[str]:
    """What is done to the parts at the end, for the machine."""
    treatments = {
        "print": [
            (design.scale_for_shrinkage, "the whole part is scaled for the machine's shrinkage"),
            (
                design.bevel_first_layer and process.first_layer > 0,
                "lower edges are bevelled for the first layer",
            ),
        ],
        "cut": [
            (design.cut_beside_line, "outlines are moved off the line by half of the cut"),
            (
                design.relieve_corners and bool(process.say_reliefs()),
                "inner corners are relieved for the cutter",
            ),
            (
                design.hold_by_tabs and process.tabs > 0,
                f"it is held in its sheet by {process.tabs} tabs",
            ),
        ],
    }
    return [words for on, words in treatments.get(process.family, []) if on]


def _told_checks(design: Design) -> list[Marked]:
    if not (design.checks or design.least_gap):
        return []
    lines = [Marked(""), Marked("## Must hold"), Marked("")]
    if design.least_gap:
        gap = code(design.least_gap)
        lines.append(marked("- What does not touch is {} apart at least.", gap))
    lines += [marked("- {}: {}", check.name, code(check.formula)) for check in design.checks]
    return lines


def _limits_text(low: str, high: str, policy: str) -> str:
    if not (low or high):
        return ""
    past = "held there" if policy == "stop" else "refused past that"
    if low and high:
        return f"from {low} to {high}, {past}"
    return f"at least {low}, {past}" if low else f"at most {high}, {past}"
