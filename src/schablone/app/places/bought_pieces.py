"""The pieces of a sentence that say what is bought, by which anchor it is held, for which port room
is made, and on which point it stands: menus to choose from."""

from __future__ import annotations

from typing import Any, Protocol

from PySide6.QtWidgets import QMenu, QToolButton

from ...core.bought import BoughtPart
from ...core.design import Design
from ...core.design import edit as edits
from ...core.design.bought_edit import put_bought, said_size
from ...core.sketch.sentences import say_element
from ...core.steps import Step
from ...core.steps.sentence import AnchorPiece, BoughtPiece, PointPiece, PortPiece
from ...core.steps.sketch import Sketch
from ...core.words import capital, say_name
from ..session import Session


class Card(Protocol):
    """What these pieces need of the card that they stand on."""

    session: Session
    name: str

    def put(self, path: str, value: Any) -> None: ...
    def menu_of(self, path: str, words: str) -> tuple[QToolButton, QMenu]: ...


def bought_chip(
    card: Card, step: Step, piece: PointPiece | BoughtPiece | AnchorPiece | PortPiece
) -> QToolButton:
    """The piece as something to click that opens a menu."""
    match piece:
        case PointPiece():
            return _point(card, step, piece)
        case BoughtPiece():
            return _bought(card, step, piece)
        case AnchorPiece():
            name = str(getattr(step, piece.thing))
            return _listed(card, step, piece.path, _part(card, name), anchors=True)
        case PortPiece():
            placing = card.session.design.step(str(getattr(step, piece.step)))
            name = placing.uses_bought() if placing is not None else ""
            return _listed(card, step, piece.path, _part(card, name), anchors=False)


def _part(card: Card, name: str) -> BoughtPart | None:
    return next((part for part in card.session.design.bought if part.name == name), None)


def _point(card: Card, step: Step, piece: PointPiece) -> QToolButton:
    now = str(edits.get_path(step, piece.path))
    chip, menu = card.menu_of(piece.path, say_element(now) if now else "pick a point")
    sketch = card.session.design.step(str(getattr(step, piece.sketch)))
    points = sketch.drawing.points if isinstance(sketch, Sketch) else ()
    for point in points:
        menu.addAction(say_element(point.name), lambda name=point.name: card.put(piece.path, name))
    if not points:
        menu.addAction("The sketch has no points yet.").setEnabled(False)
    return chip


def _bought(card: Card, step: Step, piece: BoughtPiece) -> QToolButton:
    """A bought part of the design, or one that is taken from the shelf into it."""
    now = str(edits.get_path(step, piece.path))
    parts = {part.name: part for part in card.session.design.bought}
    words = parts[now].said if now in parts else say_name(now) or "pick a bought part"
    chip, menu = card.menu_of(piece.path, words)
    for part in parts.values():
        menu.addAction(part.said, lambda name=part.name: card.put(piece.path, name))
    if parts:
        menu.addSeparator()
    sorts: dict[str, QMenu] = {}
    for part in card.session.library.bought():
        sort = part.sort or "other things"
        if sort not in sorts:
            sorts[sort] = menu.addMenu(capital(sort))
        sorts[sort].addAction(
            f"{part.said}, {said_size(part)}", lambda part=part: _take(card, piece.path, part)
        )
    return chip


def _take(card: Card, path: str, part: BoughtPart) -> None:
    """Take a bought part from the shelf into the design, and choose it."""

    def change(design: Design) -> Design:
        wider, name = put_bought(design, part)
        return edits.change_step(wider, card.name, path, name)

    card.session.edit(change, f"{part.said} from the shelf")


def _listed(
    card: Card, step: Step, path: str, part: BoughtPart | None, *, anchors: bool
) -> QToolButton:
    """An anchor or a port of what is placed; of ports also all of them."""
    listed: list[str] = [] if anchors else [""]
    if part is not None:
        listed += part.anchor_names() if anchors else [port.name for port in part.ports]
    now = str(edits.get_path(step, path))
    chip, menu = card.menu_of(path, say_name(now) or "all its ports")
    for name in listed:
        menu.addAction(say_name(name) or "all its ports", lambda name=name: card.put(path, name))
    return chip
