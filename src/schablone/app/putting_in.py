"""Putting a stencil in: it follows the pointer over the part until a click places it."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from ..core.design import Design
from ..core.design.stencil_edit import put_in
from ..core.problem import SchabloneError
from ..core.reuse import Stencil
from .places.shape import ShapePlace
from .session import Session
from .stencil_picture import StencilPictures
from .view3d.put_in_tool import PutInTool, Spot


class PuttingIn(QObject):
    """``place_wanted`` names the place that must be seen for that."""

    place_wanted = Signal(str)

    def __init__(self, session: Session, shape: ShapePlace, pictures: StencilPictures) -> None:
        super().__init__(shape)
        self.session, self.shape, self.pictures = session, shape, pictures
        self.stencil: Stencil | None = None
        self.tool = PutInTool(shape.view)
        self.tool.placed.connect(self._place)
        self.tool.told.connect(shape.prompt)

    def begin(self, stencil: Stencil) -> None:
        """Let a stencil follow the pointer."""
        view = self.shape.view
        self.place_wanted.emit("shape")
        self.shape.stop_drawing()
        self.shape.stop_picking()
        self.shape.see_as_it_is()
        if not view.parts:
            self.session.said.emit("There is no part yet that it could be put on.")
            return
        self.stencil = stencil
        self.tool.begin(())
        view.use_tool(self.tool)
        # The shelf was in front: keys and the pointer are wanted here now.
        view.window().activateWindow()
        view.setFocus()
        self.shape.prompt(
            f"Click where {stencil.said} goes (R turns it by a quarter, Esc gives up)"
        )
        self.pictures.ask([stencil], self._show_outlines)
        self._show_outlines()

    def _show_outlines(self) -> None:
        """Its outlines, once it is known how it looks."""
        report = self.pictures.known(self.stencil) if self.stencil is not None else None
        if report is not None and self.shape.view.tool is self.tool:
            self.tool.outlines = [ring for area in report["areas"] for ring in area["rings"]]
            self.shape.view.update()

    def _place(self, spot: Spot) -> None:
        stencil = self.stencil
        if stencil is None:
            return
        self.shape.view.use_tool(None)
        self.shape.prompt("")
        before = {step.name for step in self.session.design.steps}

        def change(design: Design) -> Design:
            return put_in(
                design, stencil, part=spot.part, face=str(spot.face["name"]),
                x=f"{spot.x} mm", y=f"{spot.y} mm", turn=f"{spot.turn} deg",
            )  # fmt: skip

        try:
            done = self.session.edit(change, f"put {stencil.said} in")
        except SchabloneError as error:
            self.session.said.emit(str(error))
            return
        if done:
            self.session.library.note_use(stencil.name)
            new = next(s.name for s in self.session.design.steps if s.name not in before)
            self.shape.choose("step", new)
