"""A breath of light over faces: what is marked, and what the pointer is on.

It is laid over the picture, read off a map of which face is seen at each pixel, so that it follows
the pointer without the parts being drawn again.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

#: The faces of each part that is drawn, in the order in which they are counted.
Faces = Sequence[Sequence[Mapping[str, Any]]]

#: What is laid over faces, as alpha, red, green and blue: that are marked, and under the pointer.
_MARKED, _HOVERED = 0xA0FFF4DC, 0x6BFFFFFF
#: How wide a stripe and what lies between it and the next are, pixels, and what is laid there.
_STRIPES, _STRIPED, _BETWEEN = 14, 0x30FFF4DC, 0x58A63D2B


@dataclass(frozen=True, slots=True)
class Marks:
    """What is lit: the faces that steps made, faces by name, and part and number of the face under
    the pointer. ``striped`` faces are told apart from others by more than their tone."""

    steps: frozenset[str] = frozenset()
    faces: frozenset[str] = frozenset()
    hover: tuple[int, int] | None = None
    striped: bool = False

    def __bool__(self) -> bool:
        return bool(self.steps or self.faces or self.hover)


def face_of_number(number: int, faces: Faces) -> tuple[int, int] | None:
    """Part and face of a number that counts through all parts; None for −1."""
    for part, own in enumerate(faces):
        if 0 <= number < len(own):
            return part, number
        number -= len(own)
    return None


def light(seen: NDArray[np.int32], faces: Faces, marks: Marks) -> QImage:
    """The light as a picture of its own; ``seen`` (height, width) is the number of the face at each
    pixel, −1 where there is none."""
    count = sum(len(own) for own in faces)
    strength = np.zeros(count + 1, dtype=np.uint32)
    number = 0
    for part, own in enumerate(faces):
        for index, face in enumerate(own):
            if face["step"] in marks.steps or face["name"] in marks.faces:
                strength[number] = _MARKED
            if (part, index) == marks.hover:
                strength[number] = _HOVERED
            number += 1
    lit = np.ascontiguousarray(strength[seen])  # −1 is the last, which is dark
    height, width = lit.shape
    if marks.striped:
        slant = np.add.outer(np.arange(height), np.arange(width)) % _STRIPES
        marked = lit == _MARKED
        lit[marked] = np.where(slant[marked] < _STRIPES // 3, _BETWEEN, _STRIPED)
    return QImage(lit.data, width, height, 4 * width, QImage.Format.Format_ARGB32).copy()
