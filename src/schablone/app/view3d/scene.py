"""Draws parts into a picture with VTK, off screen: the same code serves the window and the
edition's picture.

Drawing off screen keeps the view an ordinary widget: notes can lie over it, it works under X11 and
Wayland alike, and needs no display at all for pictures on the command line.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import vtkmodules.vtkRenderingOpenGL2
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkObject, vtkPoints, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPlane, vtkPolyData
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkLight,
    vtkPolyDataMapper,
    vtkRenderer,
    vtkRenderWindow,
)

from .camera import Camera
from .drawn_mesh import Colour, DrawnMesh
from .section import cut_face

_ = vtkmodules.vtkRenderingOpenGL2  # registers the drawing back end
# Without a display VTK falls back to drawing in memory and says so on every start; nobody needs to
# read it.
vtkObject.GlobalWarningDisplayOff()


@dataclass(frozen=True, slots=True)
class Section:
    """A plane square to an axis (0, 1, 2) at a place, mm. What lies above it goes, or below it with
    a ``sign`` of −1.
    ``colour`` is that of the cut."""

    axis: int
    at: float
    sign: float
    colour: Colour

    def plane(self) -> vtkPlane:
        plane = vtkPlane()
        normal, origin = [0.0, 0.0, 0.0], [0.0, 0.0, 0.0]
        normal[self.axis], origin[self.axis] = -self.sign, self.at
        plane.SetNormal(*normal)
        plane.SetOrigin(*origin)
        return plane


class Scene:
    """One off-screen picture with the parts in it."""

    def __init__(self) -> None:
        self.window = vtkRenderWindow()
        self.window.SetOffScreenRendering(1)
        # Smooth edges come from drawing at twice the size, which software drawing does faster than
        # sampling.
        self.window.SetMultiSamples(0)
        self.renderer = vtkRenderer()
        self.window.AddRenderer(self.renderer)
        self.renderer.RemoveAllLights()
        self.renderer.AutomaticLightCreationOff()
        for place, strength in (
            ((-0.4, 0.9, 1.0), 0.56),
            ((0.8, 0.2, 0.6), 0.28),
            ((0.0, -0.4, 1.0), 0.36),
        ):
            light = vtkLight()
            light.SetLightTypeToCameraLight()
            light.SetPosition(*place)
            light.SetFocalPoint(0, 0, 0)
            light.SetIntensity(strength)
            self.renderer.AddLight(light)
        self.renderer.GetActiveCamera().ParallelProjectionOn()
        self.shapes: list[DrawnMesh] = []
        self._section: Section | None = None
        #: The lines with their widths at one point of the picture for each of the window.
        self._lines: list[tuple[vtkActor, float]] = []
        #: Draws which face is seen at each pixel; made when it is asked for.
        self._faces: FaceMap | None = None

    def show(
        self,
        shapes: list[DrawnMesh],
        bodies: Sequence[Colour],
        ink: Colour,
        lit: dict[tuple[int, int], Colour],
        line: float,
        section: Section | None = None,
        faint: frozenset[int] = frozenset(),
    ) -> None:
        """Put parts into the picture, each in the colour of its body. ``lit`` gives faces, by part
        and number, a colour of their own; of what lies beyond a ``section`` nothing is shown, and
        the cut is filled with its colour; parts that are ``faint`` are seen through."""
        self.shapes, self._section = shapes, section
        self._forget_faces()
        self._empty()
        for number, shape in enumerate(shapes):
            actors = [_surface(shape, number, bodies[number], lit)]
            if number in faint:
                actors[0].GetProperty().SetOpacity(0.22)
            if len(shape.edges):
                actors.append(self._kept(_lines(shape, ink), line))
            for actor in actors:
                if section is not None:
                    actor.GetMapper().AddClippingPlane(section.plane())
                self.renderer.AddActor(actor)
            if section is not None:
                filled = cut_face(shape, section.axis, section.at)
                if len(filled):
                    self.renderer.AddActor(_flat(filled, section.colour))

    def mark_lines(self, lines: list[NDArray[np.float64]], ink: Colour, width: float) -> None:
        """Thick lines on the parts, (k, 3) each, hidden where the parts hide them."""
        if lines:
            none = np.zeros((0, 3), dtype=np.int64)
            lengths = np.array([len(line) for line in lines])
            marks = DrawnMesh(
                np.zeros((0, 3)),
                none,
                np.zeros(0, dtype=np.int64),
                np.zeros((0, 3, 3)),
                np.concatenate(lines),
                lengths,
            )
            self.renderer.AddActor(self._kept(_lines(marks, ink), width))

    def lay_over(self, shapes: list[DrawnMesh], ink: Colour, line: float) -> None:
        """Lay the edges of other parts over the picture, with a breath of their surfaces."""
        for shape in shapes:
            if not len(shape.edges):
                continue
            ghost = _surface(shape, -1, ink, {})
            ghost.GetProperty().SetOpacity(0.10)
            for actor in (ghost, self._kept(_lines(shape, ink), line)):
                self.renderer.AddActor(actor)

    def warm_up(self) -> None:
        """Draw a picture that nobody sees: the first one takes what all later ones need."""
        _pixels(self.window, 16, 16)

    def release(self) -> None:
        """Give the memory of the picture back: tens of megabytes that would else stay as long as
        anything refers to it."""
        self._forget_faces()
        self._empty()
        self.window.Finalize()
        self.shapes = []

    def _empty(self) -> None:
        self.renderer.RemoveAllViewProps()
        self._lines = []

    def _kept(self, lines: vtkActor, width: float) -> vtkActor:
        """Lines whose width follows the ratio of a drawing."""
        self._lines.append((lines, width))
        return lines

    def _forget_faces(self) -> None:
        if self._faces is not None:
            self._faces.release()
            self._faces = None

    def faces_seen(
        self, camera: Camera, width: int, height: int, counts: list[int]
    ) -> NDArray[np.int32]:
        """Which face is seen at each pixel, (height, width): faces are counted through all parts,
        of which each has so many; −1 where none is."""
        if self._faces is None:
            self._faces = FaceMap(self.shapes, counts, self._section)
        return self._faces.seen(camera, width, height, self._reach(np.array(camera.centre)))

    def render(
        self,
        camera: Camera,
        width: int,
        height: int,
        background: Colour,
        ratio: float = 1.0,
        *,
        quick: bool = False,
    ) -> NDArray[np.uint8]:
        """The picture as (height, width, 4) bytes, red first, the top row first. Lines are
        ``ratio`` times as wide as they were put in; for a ``quick`` one as thin as can be."""
        for lines, wide in self._lines:
            lines.GetProperty().SetLineWidth(1.0 if quick else wide * ratio)
        self.renderer.SetBackground(*background)
        _place(self.renderer, camera, self._reach(np.array(camera.centre)))
        return _pixels(self.window, width, height)

    def _reach(self, centre: NDArray[np.floating]) -> float:
        """Half the depth that must be between the clipping planes."""
        far = [np.abs(corner - centre).max() for shape in self.shapes for corner in shape.bounds()]
        return float(2.0 * max(far, default=50.0) + 10.0)


class FaceMap:
    """Draws every face in a colour of its own, without light or smoothing, and reads off which is
    seen where: what the pointer is on is told from it at once."""

    def __init__(self, shapes: list[DrawnMesh], counts: list[int], section: Section | None) -> None:
        self.window = vtkRenderWindow()
        self.window.SetOffScreenRendering(1)
        self.window.SetMultiSamples(0)
        self.renderer = vtkRenderer()
        self.renderer.SetBackground(0.0, 0.0, 0.0)
        self.renderer.GetActiveCamera().ParallelProjectionOn()
        self.window.AddRenderer(self.renderer)
        before = 1  # black is where nothing is
        for shape, count in zip(shapes, counts, strict=True):
            codes = shape.face_of.astype(np.int64) + before
            before += count
            tint = np.stack([codes >> 16 & 255, codes >> 8 & 255, codes & 255], 1)
            actor = _tinted(shape, tint.astype(np.uint8))
            actor.GetProperty().LightingOff()
            if section is not None:
                actor.GetMapper().AddClippingPlane(section.plane())
            self.renderer.AddActor(actor)

    def seen(self, camera: Camera, width: int, height: int, reach: float) -> NDArray[np.int32]:
        """The number of the face at each pixel, (height, width), −1 where there is none."""
        _place(self.renderer, camera, reach)
        pixels = _pixels(self.window, width, height).astype(np.int32)
        return (pixels[..., 0] << 16 | pixels[..., 1] << 8 | pixels[..., 2]) - 1

    def release(self) -> None:
        self.renderer.RemoveAllViewProps()
        self.window.Finalize()


def _place(renderer: vtkRenderer, camera: Camera, reach: float) -> None:
    """Look as the camera does; what lies within ``reach`` mm of its centre is seen."""
    seen = renderer.GetActiveCamera()
    _, up, towards = camera.axes()
    centre = np.array(camera.centre)
    seen.SetFocalPoint(*centre)
    seen.SetPosition(*(centre + towards * (2 * reach)))
    seen.SetViewUp(*up)
    seen.SetParallelScale(camera.span / 2)
    seen.SetClippingRange(0.5 * reach, 3.5 * reach)


def _pixels(window: vtkRenderWindow, width: int, height: int) -> NDArray[np.uint8]:
    """The picture as (height, width, 4) bytes, red first, the top row first."""
    window.SetSize(width, height)
    window.Render()
    pixels = vtkUnsignedCharArray()
    window.GetRGBACharPixelData(0, 0, width - 1, height - 1, 0, pixels, 0)
    array: NDArray[np.uint8] = vtk_to_numpy(pixels).reshape(height, width, 4)
    return np.ascontiguousarray(array[::-1])


def _surface(
    shape: DrawnMesh, number: int, body: Colour, lit: dict[tuple[int, int], Colour]
) -> vtkActor:
    count = int(shape.face_of.max()) + 1 if len(shape.face_of) else 0
    colours = np.tile(np.array(body), (count, 1))
    for (part, face), own in lit.items():
        if part == number and face < count:
            colours[face] = own
    tint = (colours * 255).astype(np.uint8)[shape.face_of]
    actor = _tinted(shape, tint)
    actor.GetProperty().SetAmbient(0.18)
    actor.GetProperty().SetDiffuse(0.95)
    return actor


def _tinted(shape: DrawnMesh, tint: NDArray[np.uint8]) -> vtkActor:
    """The triangles of a part, each in its own colour (m, 3)."""
    corners = shape.points[shape.triangles].reshape(-1, 3).astype(np.float32)
    data = vtkPolyData()
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(corners), deep=True))
    data.SetPoints(points)
    count = len(shape.triangles)
    cells = vtkCellArray()
    offsets = numpy_to_vtkIdTypeArray(np.arange(0, 3 * count + 1, 3, dtype=np.int64), deep=True)
    cells.SetData(offsets, numpy_to_vtkIdTypeArray(np.arange(3 * count, dtype=np.int64), deep=True))
    data.SetPolys(cells)
    data.GetPointData().SetNormals(
        numpy_to_vtk(np.ascontiguousarray(shape.normals.reshape(-1, 3)), deep=True)
    )
    data.GetCellData().SetScalars(numpy_to_vtk(np.ascontiguousarray(tint), deep=True))
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(data)
    mapper.SetResolveCoincidentTopologyToPolygonOffset()
    mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(1.0, 1.0)
    actor = vtkActor()
    actor.SetMapper(mapper)
    return actor


def _flat(triangles: NDArray[np.float64], filled: Colour) -> vtkActor:
    """Triangles (m, 3, 3) in one colour, whatever the light."""
    data, points, cells = vtkPolyData(), vtkPoints(), vtkCellArray()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(triangles.reshape(-1, 3)), deep=True))
    count = len(triangles)
    offsets = numpy_to_vtkIdTypeArray(np.arange(0, 3 * count + 1, 3, dtype=np.int64), deep=True)
    cells.SetData(offsets, numpy_to_vtkIdTypeArray(np.arange(3 * count, dtype=np.int64), deep=True))
    data.SetPoints(points)
    data.SetPolys(cells)
    mapper, actor = vtkPolyDataMapper(), vtkActor()
    mapper.SetInputData(data)
    actor.SetMapper(mapper)
    actor.GetProperty().SetColor(*filled)
    actor.GetProperty().LightingOff()
    return actor


def _lines(shape: DrawnMesh, ink: Colour) -> vtkActor:
    data = vtkPolyData()
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(shape.edges.astype(np.float32)), deep=True))
    data.SetPoints(points)
    cells = vtkCellArray()
    offsets = np.concatenate([[0], np.cumsum(shape.edge_lengths)]).astype(np.int64)
    numbers = np.arange(len(shape.edges), dtype=np.int64)
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=True), numpy_to_vtkIdTypeArray(numbers, deep=True)
    )
    data.SetLines(cells)
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(data)
    mapper.SetRelativeCoincidentTopologyLineOffsetParameters(-1.0, -1.0)
    actor = vtkActor()
    actor.SetMapper(mapper)
    actor.GetProperty().SetColor(*ink)
    actor.GetProperty().LightingOff()
    return actor
