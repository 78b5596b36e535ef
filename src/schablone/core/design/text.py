"""The design in words: numbered sentences with formulas and values, as Markdown."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..bought import BoughtPart
from ..kernel.naming import speaking_of
from ..markup import as_typed, code, paragraphs
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
from ..words import say_name
from .edit import get_path
from .evaluate import role_of, table_of
from .facing import facing
from .model import Design
from .rebuild import StepState


def sentence_of(step: Step, design: Design, state: StepState | None = None) -> list[str]:
    """The lines of a step's sentence; formulas in back-ticks, with their values where they are
    known."""
    with speaking_of(facing(design)):
        return _sentence(step, state)


def _sentence(step: Step, state: StepState | None) -> list[str]:
    lines = []
    for line in step.sentence():
        words = [said for piece in line if (said := said_piece(piece, step, state)) is not None]
        if words:
            lines.append(" ".join(words))
    return lines


def plain_sentence(step: Step) -> str:
    """A step's sentence as plain text, formulas as they were typed."""
    words = []
    for line in step.sentence():
        for piece in line:
            if isinstance(piece, FormulaPiece):
                words.append(str(get_path(step, piece.path)))
            elif (said := said_piece(piece, step, typed=str)) is not None:
                words.append(said)
    return " ".join(words)


def said_piece(
    piece: SentencePiece,
    step: Step,
    state: StepState | None = None,
    typed: Callable[[str], str] = as_typed,
) -> str | None:
    """One piece of a sentence in Markdown, or in plain text where ``typed`` leaves what people
    typed as it is; None for what says nothing, as a button that adds."""
    if isinstance(piece, Words):
        return piece.text
    if isinstance(piece, (ListPiece, TiesPiece)):
        return None
    value = get_path(step, piece.path)
    match piece:
        case FormulaPiece():
            return _said_formula(piece.path, str(value), state)
        case PointsPiece():
            return " · ".join(
                " ".join(
                    _said_formula(f"{piece.path}.{k}.{axis}", str(getattr(point, axis)), state)
                    for axis in ("x", "y")
                )
                for k, point in enumerate(value)
            )
        case ChoicePiece():
            return piece.options.get(value, "?")
        case EdgesPiece():
            return "; ".join(typed(rule.words()) for rule in value) or "no edges yet"
        case FacesPiece():
            return "; ".join(typed(say_place(name)) for name in value) or "no face yet"
        case SizePiece():
            return code(str(value))
    said = typed(_SAID[type(piece)](value))
    if isinstance(piece, TextPiece):
        return f"“{said}”"
    is_strong = isinstance(piece, PartPiece | StepPiece) and typed is as_typed
    return f"*{said}*" if is_strong else said


def _said_formula(path: str, formula: str, state: StepState | None) -> str:
    value = state.values.get(path) if state else None
    shown = say(value) if value else ""
    return code(formula) + (f" ({shown})" if shown and shown != formula else "")


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


def told_step(
    step: Step, design: Design, state: StepState | None = None, note: Callable[[str], str] = str
) -> list[str]:
    """A step in words, with its condition, its note (``note`` says it), and whether it is switched
    off."""
    lines = sentence_of(step, design, state) or [""]
    if step.when:
        lines.append(f"Made only if {code(step.when)}.")
    if not step.on:
        lines.append("Switched off.")
    if step.note:
        lines.append(note(step.note))
    return lines


def title_of(name: str) -> str:
    """The name of a step as a heading: ``passage_row`` is ``Passage row``."""
    words = say_name(name)
    return words[:1].upper() + words[1:]


def told_bought(part: BoughtPart) -> str:
    """A bought part in words: what it is, its dimensions, what it needs."""
    told = [as_typed(part.said)]
    told += [
        f"{say_name(d.name)} {code(d.formula)}{f' ± {d.tolerance:g} mm' if d.tolerance else ''}"
        for d in part.dimensions
    ]
    fields = type(part.outline).model_fields
    told += [
        f"{name} {code(str(getattr(part.outline, name)))}"
        for name in ("length", "width", "diameter", "height")
        if name in fields
    ]
    for what, listed in (("anchors", part.anchors), ("holes", part.holes), ("ports", part.ports)):
        if listed:
            told.append(f"{what}: {', '.join(say_name(one.name) for one in listed)}")
    return "; ".join(told)


def told_stencil(stencil: Stencil) -> list[str]:
    """A stencil in words: what it is, its sizes, and its steps one by one."""
    told = [f"{as_typed(stencil.said)}, edition {as_typed(stencil.edition)}"]
    told += [
        f"{say_name(size.name)} {code(size.formula)}, {'open' if size.open else 'worked out'}"
        for size in stencil.sizes
    ]
    told += [f"{title_of(step.name)}: {' '.join(_sentence(step, None))}" for step in stencil.steps]
    return told


def design_text(
    design: Design, process: Process, states: dict[str, StepState] | None = None
) -> str:
    """The whole design in Markdown."""
    table = table_of(design, process)
    lines = [f"# {as_typed(design.name)}", ""]
    if design.note:
        lines += [paragraphs(design.note), ""]
    lines += [
        f"Made by: {as_typed(process.name)}. Lengths in millimetres unless a unit is given.",
        "",
        "## Sizes",
        "",
    ]
    group = None
    for size in design.sizes:
        if size.group != group:
            group = size.group
            lines += (
                ["", f"### {as_typed(group)}", ""]
                if group and lines[-1]
                else [f"### {as_typed(group)}", ""]
                if group
                else []
            )
        cell = table.cells.get(size.name)
        value = say(cell.wanted, size.units or design.units) if cell else "no value"
        formula = design.formula_of(size)
        shown = f" = {code(formula)}" if formula != value else ""
        limits = _limits_text(size.low, size.high, size.policy)
        tail = ". ".join(as_typed(text) for text in (limits, size.note) if text)
        lines.append(
            f"- **{size.name}** is {value}{shown} "
            f"({role_of(size, formula)}){'; ' + tail if tail else ''}"
        )
    if design.table.rows:
        lines += ["", "## Size table", "", f"| variant | {' | '.join(design.table.columns)} |"]
        lines.append("|---" * (len(design.table.columns) + 1) + "|")
        for row in design.table.rows:
            shown = as_typed(row.name)
            name = f"**{shown}** (in force)" if row.name == design.table.current else shown
            lines.append(
                f"| {name} | "
                f"{' | '.join(as_typed(row.cells.get(c, '')) for c in design.table.columns)} |"
            )
    if design.bought:
        lines += ["", "## Bought parts", ""]
        lines += [f"- **{part.name}**: {told_bought(part)}" for part in design.bought]
    if design.stencils:
        lines += ["", "## Stencils", ""]
        for stencil in design.stencils:
            first, *rest = told_stencil(stencil)
            lines += [f"- **{stencil.name}**: {first}", *(f"    - {line}" for line in rest)]
    lines += ["", "## Steps", ""]
    group = ""
    for number, step in enumerate(design.steps, 1):
        if step.group != group:
            group = step.group
            lines += ["", f"### {as_typed(group)}", ""] if group else [""]
        first, *rest = told_step(step, design, states.get(step.name) if states else None, as_typed)
        lines.append(f"{number}. **{title_of(step.name)}**: {first}")
        lines += [f"   {line}" for line in rest]
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
    number = len(design.steps)
    for on, words in treatments.get(process.family, []):
        if on:
            number += 1
            lines.append(f"{number}. Before it is sent, {words}.")
    if design.checks or design.least_gap:
        lines += ["", "## Must hold", ""]
        if design.least_gap:
            lines.append(f"- What does not touch is {code(design.least_gap)} apart at least.")
        lines += [f"- {as_typed(check.name)}: {code(check.formula)}" for check in design.checks]
    return "\n".join(lines) + "\n"


def _limits_text(low: str, high: str, policy: str) -> str:
    if not (low or high):
        return ""
    past = "held there" if policy == "stop" else "refused past that"
    if low and high:
        return f"from {low} to {high}, {past}"
    return f"at least {low}, {past}" if low else f"at most {high}, {past}"


_PAGE = """<!DOCTYPE html>
<html lang="en"><head><meta charset="utf-8"><title>{title}</title><style>
body {{ font: 15px/1.5 "IBM Plex Sans", sans-serif; color: #23282e; max-width: 46em;
    margin: 2.5em auto; padding: 0 1em; }}
h1 {{ font-size: 1.7em; margin: 0 0 .6em; }} h2 {{ font-size: 1.15em; margin: 1.8em 0 .5em; }}
h3 {{ font-size: 1em; margin: 1.2em 0 .3em; color: #5b646d; }} li {{ margin: .3em 0; }}
code {{ font: .92em "IBM Plex Mono", monospace; background: #f1f3f4; padding: .05em .3em;
    border-radius: 3px; }}
table {{ border-collapse: collapse; }} td, th {{ border-bottom: 1px solid #d5dadd;
    padding: .3em .9em .3em 0; text-align: left; }}
@media print {{ body {{ margin: 0; max-width: none; font-size: 10.5pt; }} h2,
    h3 {{ break-after: avoid; }} li, tr {{ break-inside: avoid; }} }}
</style></head><body>
{body}
</body></html>
"""


def as_html(text: str, title: str) -> str:
    """Markdown of this module as one HTML page that needs nothing else, fit to print."""
    import html

    import markdown

    body = markdown.markdown(text, extensions=["tables", "sane_lists"])
    return _PAGE.format(title=html.escape(title), body=body)
