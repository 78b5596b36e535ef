"""The piece of a sentence that says which stencil is put in: a menu of those of the design and of
the shelf."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import QMenu, QToolButton

from ...core.design import Design
from ...core.design import edit as edits
from ...core.design.stencil_edit import chosen, put_stencil, unpacked
from ...core.design.stencil_open import closed_again, is_opened, opened_here
from ...core.formula import FormulaError
from ...core.reuse import Stencil
from ...core.steps import Step
from ...core.steps.sentence import StencilPiece
from ...core.steps.stencil import PutIn
from ...core.words import capital, say_name
from ..session import Session
from .bought_pieces import Card


def stencil_chip(card: Card, step: Step, piece: StencilPiece) -> QToolButton:
    """The stencil as something to click that opens a menu."""
    now = str(edits.get_path(step, piece.path))
    here = {stencil.name: stencil for stencil in card.session.design.stencils}
    words = here[now].said if now in here else say_name(now) or "pick a stencil"
    chip, menu = card.menu_of(piece.path, words)
    for stencil in here.values():
        menu.addAction(stencil.said, lambda name=stencil.name: _choose(card, name))
    if here:
        menu.addSeparator()
    sorts: dict[str, QMenu] = {}
    for stencil in card.session.library.stencils():
        sort = stencil.sort or "other things"
        if sort not in sorts:
            sorts[sort] = menu.addMenu(capital(sort))
        sorts[sort].addAction(stencil.said, lambda stencil=stencil: _take(card, stencil))
    return chip


class StencilCard(Card, Protocol):
    """What the menu of a step needs of its card."""

    shelf_wanted: SignalInstance
    stencil_wanted: SignalInstance


def offer_stencils(menu: QMenu, card: StencilCard, step: Step) -> None:
    """What can be done with a stencil that is put in, or to make one of a step."""
    if isinstance(step, PutIn):
        menu.addAction("Look at its stencil …", card.shelf_wanted.emit)
        menu.addAction("Open it here", lambda: _open(card))
        menu.addAction("Unpack into plain steps", lambda: _unpack(card))
    elif is_opened(card.session.design, step.name):
        menu.addAction("Close the stencil again", lambda: close_stencil(card.session, step.name))
    elif step.in_stencils:
        menu.addAction("Make a stencil of it …", lambda: card.stencil_wanted.emit((step.name,)))


def close_stencil(session: Session, name: str) -> None:
    """Close a stencil that is opened, and say what changed in it."""
    try:
        closed, told = closed_again(session.design, name, session.table)
    except FormulaError as error:
        session.said.emit(f"{error.what} {error.hint or ''}".strip())
        return
    if session.edit(lambda _: closed, f"close {say_name(name)}"):
        session.said.emit(" ".join(told) or f"{say_name(name)} is as it was.")


def _open(card: Card) -> None:
    name = card.name
    card.session.edit(lambda design: opened_here(design, name), f"open {say_name(name)}")


def _unpack(card: Card) -> None:
    name = card.name
    card.session.edit(lambda design: unpacked(design, name), f"unpack {say_name(name)}")


def _choose(card: Card, name: str) -> None:
    card.session.edit(lambda design: chosen(design, card.name, name), f"{say_name(name)} instead")


def _take(card: Card, stencil: Stencil) -> None:
    """Take a stencil from the shelf into the design, and let the step put it in."""

    def change(design: Design) -> Design:
        wider, name = put_stencil(design, stencil)
        return chosen(wider, card.name, name)

    card.session.edit(change, f"{stencil.said} from the shelf")
