"""Faces and edges that are picked on the part for a field of a step."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtWidgets import QLabel

from ...core.design import Design
from ...core.design import edit as edits
from ...core.steps.anchored import Anchored
from ...core.steps.selecting import EdgeRule
from ..session import Session
from ..view3d.view import PartView
from .steps_panel import StepsPanel

#: What is asked for, and what can answer it, by what stands behind the plus of a field.
_ASKED = {
    "edge": ("an edge", "edge"),
    "around": ("a face for its edges", "face"),
    "face": ("a face", "face"),
    "": ("a flat face", "flat"),
}


class Picks:
    """Waits for what a field of a step asks for. A field ``edges+edge`` takes one after the other,
    until it is given up; any other is done with one flat face."""

    def __init__(self, session: Session, view: PartView, steps: StepsPanel, said: QLabel) -> None:
        self.session, self.view, self.steps, self.said = session, view, steps, said
        self._for: tuple[str, str] | None = None

    @property
    def is_waiting(self) -> bool:
        """Whether something is to be picked."""
        return self._for is not None

    def begin(self, step: str, path: str) -> None:
        """Wait for a field of a step; again to give it up."""
        if self.stop():
            return
        self._for = (step, path)
        self.view.mark()
        what, answers = _ASKED[path.partition("+")[2]]
        self.said.setText(f"Pick {what} (Esc gives up)")
        self.steps.cards[step].set_picking(path, True)
        self.view.ask_for(f"Pick {what}", answers)
        self.view.setFocus()

    def stop(self) -> bool:
        """Give up waiting; True if there was something to give up."""
        if self._for is None:
            return False
        step, path = self._for
        self._for = None
        self.view.ask_for("")
        self.said.setText("")
        if step in self.steps.cards:
            self.steps.cards[step].set_picking(path, False)
        return True

    def take(self, face: Mapping[str, Any]) -> None:
        """What was clicked; nothing beside the part."""
        if self._for is None or not face:
            return
        step, path = self._for
        if "+" in path:
            self._take_one_more(step, path, face)
            return
        if not face["flat"]:
            self.said.setText("That face is not flat. Pick a flat one (Esc gives up)")
            return
        self.stop()
        if face["step"] == step:
            self.session.said.emit("A step cannot stand on a face that it makes itself.")
            return
        placed = self._placed(step, path, face)
        part = self._part_of(face) if path == "face" else ""

        def change(design: Design) -> Design:
            design = edits.change_step(design, step, path, face["name"])
            if isinstance(design.step(step), Anchored) and part:
                design = edits.change_step(design, step, "part", part)
            for field, formula in placed.items():
                design = edits.change_step(design, step, field, formula)
            return design

        self.session.edit(change, f"face of {step}")

    def _part_of(self, face: Mapping[str, Any]) -> str:
        """The part that a face was picked on."""
        names = (part.name for part in self.view.parts if face["name"] in part.face_names())
        return next(names, "")

    def _placed(self, step: str, path: str, face: Mapping[str, Any]) -> dict[str, str]:
        """Where a step lies that is put on a face for the first time: where it was clicked, in
        whole millimetres."""
        current, at = self.session.design.step(step), face.get("at") or ()
        kind = type(current)
        own = kind.model_fields if current is not None else {}
        fresh = (
            path == "face"
            and not getattr(current, "face", "")
            and bool(at)
            and {"x", "y"} <= own.keys()
        )
        if not fresh or any(getattr(current, name) != own[name].default for name in ("x", "y")):
            return {}
        away = [p - q for p, q in zip(at, face["origin"], strict=True)]
        along = {
            name: sum(a * b for a, b in zip(away, face[name], strict=True)) for name in ("x", "y")
        }
        return {name: f"{round(value) + 0} mm" for name, value in along.items()}

    def _take_one_more(self, step: str, path: str, picked: Mapping[str, Any]) -> None:
        """One more face, or rule for edges, for a step; picking goes on until Escape."""
        field, _, what = path.partition("+")
        if what == "edge" and "edge" not in picked:
            self.said.setText("No edge is near enough. Pick an edge (Esc gives up)")
            return
        # A rule for the first member of a row says so; without a number it would mean all of them.
        names = (
            tuple(picked["edge"])
            if what == "edge"
            else (picked["name"] if what == "face" else picked["exact"],)
        )
        if any(name.split("/")[0] == step for name in names):
            self.session.said.emit("A step cannot stand on what it makes itself.")
            return
        how = "between" if what == "edge" else "around"
        item: object = names[0] if what == "face" else EdgeRule(how=how, of=names)  # type: ignore[arg-type]
        self.steps.cards[step].add_pick(field, item)
