"""The menu of a step."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QMenu

from ...core.design import edit as edits
from ...core.steps.repeating import Repeats
from ...core.steps.sheet import Sheet
from ...core.steps.sketch import Sketch
from . import step_deeds as deeds
from .part_menu import (
    offer_cutters,
    offer_lying,
    offer_machines,
    offer_materials,
    offer_part_tints,
    offer_tints,
)
from .stencil_pieces import offer_stencils

if TYPE_CHECKING:
    from .step_card import StepCard


def menu_of(card: StepCard) -> QMenu:
    """What can be done with a step as a whole."""
    step, session = card.step, card.session
    menu = QMenu(card)
    menu.addAction("Rename", card.rename)
    if step.on:
        menu.addAction("Switch off", lambda: card.put("on", False))
    else:
        menu.addAction("Switch on", lambda: card.put("on", True))
    if session.until == card.name:
        menu.addAction("Back to the end of the build", lambda: session.work_at(""))
    else:
        menu.addAction("Work at this step", lambda: session.work_at(card.name))
    if "part" in type(step).model_fields:
        _offer_part(menu.addMenu("Part"), card)
    menu.addAction("Make only if …", lambda: deeds.edit_condition(card))
    for figure in step.measures():
        menu.addAction(
            f"Make a size of its {figure}",
            lambda figure=figure: card.session.make_size(
                f"{card.name}_{figure}", f"{card.name}.{figure}"
            ),
        )
    if isinstance(step, Repeats) and not step.omit:
        menu.addAction("Leave some out …", lambda: deeds.edit_omitted(card))
    menu.addAction("Note …", lambda: deeds.edit_note(card))
    offer_tints(
        menu.addMenu("Colour of its faces"), step.colour, lambda tint: card.put("colour", tint)
    )
    _offer_groups(menu.addMenu("Group"), card)
    offer_stencils(menu, card, step)
    if isinstance(step, Sketch) and step.shapes:
        shapes = menu.addMenu("Remove a shape")
        for shape in step.shapes:
            shapes.addAction(shape.name, lambda name=shape.name: deeds.remove_shape(card, name))
    menu.addSeparator()
    _offer_moves(menu, card)
    menu.addSeparator()
    menu.addAction("Delete", lambda: deeds.delete(card))
    return menu


def _offer_part(parts: QMenu, card: StepCard) -> None:
    """Of which part the step is, and what that is of and made by."""
    session, mine = card.session, str(getattr(card.step, "part", ""))
    for part in session.design.parts:
        entry = parts.addAction(
            part.title or part.name, lambda name=part.name: card.put("part", name)
        )
        entry.setCheckable(True)
        entry.setChecked(part.name == mine)
    parts.addSeparator()
    offer_materials(parts.addMenu("Material"), session, mine, partial(deeds.ask, card))
    offer_machines(parts.addMenu("Made by"), session, mine)
    if session.is_printed(mine):
        offer_lying(parts.addMenu("Printed"), session, mine)
    offer_part_tints(parts.addMenu("Colour"), session, mine)
    if any(isinstance(one, Sheet) and one.part == mine for one in session.design.steps):
        offer_cutters(parts.addMenu("Blank cut by"), session, mine)
    parts.addAction(
        "New part …",
        lambda: deeds.ask(
            card, "name of the new part, such as lid", partial(deeds.to_new_part, card)
        ),
    )


def _offer_groups(groups: QMenu, card: StepCard) -> None:
    """The group that the step stands in."""
    own, steps = card.step.group, card.session.design.steps
    for group in dict.fromkeys(s.group for s in steps if s.group and s.group != own):
        groups.addAction(group, lambda group=group: card.put("group", group))
    groups.addAction(
        "New group …",
        lambda: deeds.ask(
            card, "name of the group, such as lid", lambda text: card.put("group", text)
        ),
    )
    if own:
        groups.addAction("Out of the group", lambda: card.put("group", ""))


def _offer_moves(menu: QMenu, card: StepCard) -> None:
    """One place earlier or later in the build."""
    session, at = card.session, card.number - 1

    def move(to: int) -> None:
        session.edit(lambda d: edits.move_step(d, card.name, to), f"move {card.name}")

    up = menu.addAction("Move up", lambda: move(at - 1))
    down = menu.addAction("Move down", lambda: move(at + 1))
    up.setEnabled(at > 0)
    down.setEnabled(at < len(session.design.steps) - 1)
