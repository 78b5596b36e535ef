"""A small picture of the part after a step, with what the step made lit up."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QFrame, QVBoxLayout

from ..theme import theme
from ..view3d.camera import Camera
from ..view3d.drawn_mesh import Colour, colour
from ..view3d.shown import ShownPart
from ..widgets.basics import label

_PICTURE = QSize(216, 150)


class GlanceCard(QFrame):
    """Stands beside the card of a step while the pointer rests on it. Takes no keys and no
    clicks."""

    def __init__(self) -> None:
        super().__init__(None, Qt.WindowType.ToolTip | Qt.WindowType.WindowTransparentForInput)
        self.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)
        self.setObjectName("card")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 5)
        layout.setSpacing(3)
        self.picture = label("")
        self.picture.setFixedSize(_PICTURE)
        layout.addWidget(self.picture)
        self.said = label("", "small")
        layout.addWidget(self.said)

    def show_parts(self, parts: list[ShownPart], made: frozenset[str]) -> None:
        """Paint parts, the faces that some steps made in madder."""
        count = sum(face["step"] in made for part in parts for face in part.faces)
        self.picture.setPixmap(small_picture(parts, _PICTURE, made))
        self.said.setText(
            f"after this step; {count} of its faces are lit" if count else "after this step"
        )
        self.adjustSize()


def small_picture(
    parts: list[ShownPart], size: QSize, made: frozenset[str] = frozenset()
) -> QPixmap:
    """Parts from the corner, at twice the size for sharp screens."""
    from ..view3d.scene import Scene

    t, scene = theme(), Scene()
    lit: dict[tuple[int, int], Colour] = {
        (number, k): colour(t.madder)
        for number, part in enumerate(parts)
        for k, face in enumerate(part.faces)
        if face["step"] in made
    }
    scene.show(
        [part.shape for part in parts], [colour(t.kraft)] * len(parts), colour(t.ink), lit, 2.0
    )
    points = np.concatenate([part.shape.points for part in parts]).astype(np.float64)
    width, height = 3 * size.width(), 3 * size.height()
    pixels = scene.render(Camera().fitted(points, width / height), width, height, colour(t.surface))
    scene.release()
    image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_RGBX8888).copy()
    picture = QPixmap.fromImage(
        image.scaled(
            size * 2, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
    )
    picture.setDevicePixelRatio(2.0)
    return picture
