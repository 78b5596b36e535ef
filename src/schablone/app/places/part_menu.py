"""What is chosen for a whole part in the menu of one of its steps: what it is made of, and by which
machine."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import QMenu

from ...core.design import edit as edits
from ...core.formula.typed import typed_number
from ...core.process.lying import SIDES
from ...core.process.materials import MATERIALS
from ...core.steps.sentence import say_step
from ...core.words import capital
from ..session import Session
from ..view3d.apart import TINTS

#: Asks for a line of text: what for, and what takes it.
Ask = Callable[[str, Callable[[str], None]], None]


def offer_materials(menu: QMenu, session: Session, name: str, ask: Ask) -> None:
    """What the part is made of, from the table, or another with its density."""
    part = next((p for p in session.design.parts if p.name == name), None)
    if part is None:
        return
    for material in ("", *MATERIALS):
        words = material or f"{session.process.material.name}, as the process works it"
        entry = menu.addAction(words, lambda m=material: _make_of(session, name, m, None))
        entry.setCheckable(True)
        entry.setChecked(part.material == material)
    menu.addSeparator()
    menu.addAction(
        "Another …",
        lambda: ask(
            "material and density, such as cherry 0.58",
            lambda text: _other_material(session, name, text),
        ),
    )


def offer_machines(menu: QMenu, session: Session, name: str) -> None:
    """The process by which the part is made: the design's, or one of its own."""
    part = next((p for p in session.design.parts if p.name == name), None)
    if part is None:
        return
    for process in ("", *(p.name for p in session.library.processes())):
        words = process or f"{session.process.name}, as the design"
        entry = menu.addAction(words, lambda p=process: session.make_part_by(name, p))
        entry.setCheckable(True)
        entry.setChecked(part.process == process)


def offer_lying(menu: QMenu, session: Session, name: str) -> None:
    """On which of its sides the part lies on the bed that it is printed on."""
    part = next((p for p in session.design.parts if p.name == name), None)
    if part is None:
        return
    for down, words in SIDES.items():
        entry = menu.addAction(
            capital(words),
            partial(_change, session, name, f"lay {say_step(name)} {words}", down=down),
        )
        entry.setCheckable(True)
        entry.setChecked(part.down == down)


def offer_tints(menu: QMenu, now: str, choose: Callable[[str], object]) -> None:
    """The colours of the palette, and that of the lens."""
    for name in ("", *TINTS):
        entry = menu.addAction(name.capitalize() or "That of the lens", partial(choose, name))
        if name:
            square = QPixmap(14, 14)
            square.fill(QColor.fromRgbF(*TINTS[name]))
            entry.setIcon(QIcon(square))
        entry.setCheckable(True)
        entry.setChecked(name == now)


def offer_part_tints(menu: QMenu, session: Session, name: str) -> None:
    """The colour by which the part is told from others."""
    part = next((p for p in session.design.parts if p.name == name), None)
    if part is not None:
        offer_tints(
            menu,
            part.colour,
            lambda tint: _change(session, name, f"colour of {say_step(name)}", colour=tint),
        )


def _change(session: Session, name: str, did: str, **fields: object) -> None:
    """Give the part other fields."""
    session.edit(
        lambda design: design.model_copy(
            update={
                "parts": tuple(
                    part.with_(**fields) if part.name == name else part for part in design.parts
                )
            }
        ),
        did,
    )


def offer_cutters(menu: QMenu, session: Session, name: str) -> None:
    """The process that cuts the blank of a folded part: one that cuts, or none that is known."""
    part = next((p for p in session.design.parts if p.name == name), None)
    if part is None:
        return
    cutters = [p.name for p in session.library.processes() if p.family == "cut"]
    for process in ("", *cutters):
        words = process or "Not said: the blank is sent as it must come out"
        entry = menu.addAction(words, lambda p=process: session.cut_blank_by(name, p))
        entry.setCheckable(True)
        entry.setChecked(part.cut_by == process)


def _make_of(session: Session, part: str, material: str, density: float | None) -> None:
    session.edit(
        lambda design: edits.make_of(design, part, material, density),
        f"{say_step(part)} of {material or 'the process'}",
    )


def _other_material(session: Session, part: str, text: str) -> None:
    name, _, number = text.rpartition(" ")
    density = typed_number(number) or 0.0
    if not name or not 0 < density <= 30:
        session.said.emit("Type a name and a density in g/cm³ from 0 to 30, such as: cherry 0.58")
        return
    _make_of(session, part, name, density)
