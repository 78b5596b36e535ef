"""What is done with a step as a whole, from its menu: much of it is typed under its sentence."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from ...core.design import Design
from ...core.design import edit as edits
from ...core.quantity import TRUTH, Kind
from ...core.steps.closed_shapes import SHAPES, Polyline, Vertex
from ...core.steps.sentence import say_step
from ...core.steps.sketch import Sketch
from ..widgets.formula_edit import FormulaEdit
from ..widgets.lines import AskedLine

if TYPE_CHECKING:
    from .step_card import StepCard


def delete(card: StepCard) -> None:
    """Take the step out of the design."""
    name = card.name
    card.session.edit(lambda design: edits.delete_step(design, name), f"delete {say_step(name)}")


def to_new_part(card: StepCard, title: str) -> None:
    """Let the step make a part of its own."""

    def change(design: Design) -> Design:
        wider, name = edits.add_part(design, title)
        return edits.change_step(wider, card.name, "part", name)

    card.session.edit(change, f"new part {title}")


def ask(card: StepCard, what: str, take: Callable[[str], None]) -> None:
    """Ask for a line of text under the sentence."""
    card.open()
    line = AskedLine(what.partition(",")[0], placeholder=what)
    card.put_under(line)
    line.taken.connect(lambda text: text and take(text))
    line.begin()


def edit_note(card: StepCard) -> None:
    """Type a note."""
    placeholder = "a note for whoever reads this later"
    line = AskedLine(f"note on {card.name}", card.step.note, placeholder)
    card.put_under(line)
    line.taken.connect(lambda text: text != card.step.note and card.put("note", text))
    line.begin(over_all=False)


def edit_condition(card: StepCard) -> None:
    """Type when the step is made."""
    _edit_truth(card, "when", "made only if, for example, height > 120 mm")


def edit_omitted(card: StepCard) -> None:
    """Type which members of a row or grid are left out."""
    numbers = card.step.with_(omit="true").runs_over("omit")
    first = next(iter(numbers))
    _edit_truth(card, "omit", f"left out if, for example, {first} == 2", numbers)


def _edit_truth(
    card: StepCard, path: str, placeholder: str, over: Mapping[str, Kind] | None = None
) -> None:
    editor = FormulaEdit(
        str(edits.get_path(card.step, path)),
        lambda: card.session.table,
        wanted=TRUTH,
        placeholder=placeholder,
        may_be_empty=True,
        over=over,
    )
    card.put_under(editor)
    editor.committed.connect(lambda text: card.put(path, text))
    for end in (editor.committed, editor.dropped):
        end.connect(lambda *_: (editor.hide(), editor.deleteLater()))
    editor.begin()


# Shapes of a sketch


def add_shape(card: StepCard, kind: str) -> None:
    """One more shape in a sketch, of a kind."""
    cls = next(shape for shape in SHAPES if shape.model_fields["kind"].default == kind)
    step = card.step
    assert isinstance(step, Sketch)
    taken = {shape.name for shape in step.shapes}
    name, number = kind, 2
    while name in taken:
        name, number = f"{kind}_{number}", number + 1
    shape = cls(name=name)
    if cls is Polyline:
        shape = Polyline(name=name, points=(Vertex(), Vertex(x="20 mm"), Vertex(y="20 mm")))
    card.put("shapes", (*step.shapes, shape))


def remove_shape(card: StepCard, name: str) -> None:
    """Take a shape out of a sketch."""
    step = card.step
    assert isinstance(step, Sketch)
    card.put("shapes", tuple(shape for shape in step.shapes if shape.name != name))
