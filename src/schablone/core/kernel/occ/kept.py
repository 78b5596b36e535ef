"""What was worked out of faces and edges, kept with them: most changes leave most of a part as it
is, so that the next time it takes no more than what is new."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray
from OCP.gp import gp_Translation
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Shape

T = TypeVar("T")


def as_drawn(shape: TopoDS_Shape) -> tuple[TopoDS_Shape, NDArray[np.float64] | None]:
    """A shape without the place that it was moved to, and how far that is, (3,) mm; itself and None
    where it was not moved, or turned as well. What is known of one of many that are alike holds for
    all."""
    location = shape.Location()
    if location.IsIdentity():
        return shape, None
    place = location.Transformation()
    if place.Form() != gp_Translation:
        return shape, None
    by = place.TranslationPart()
    return shape.Located(TopLoc_Location()), np.array([by.X(), by.Y(), by.Z()])


class KeptByShape(Generic[T]):
    """What was worked out of shapes, that which was used last; so many bytes of it at most.
    ``size_of`` tells how many one takes."""

    def __init__(self, most: int, size_of: Callable[[T], int]) -> None:
        self.most, self.size, self.size_of = most, 0, size_of
        self._by: OrderedDict[tuple[int, Hashable], tuple[TopoDS_Shape, T]] = OrderedDict()

    def get(self, shape: TopoDS_Shape, how: Hashable, make: Callable[[], T]) -> T:
        """What is kept of a shape under ``how`` it was made; made where there is none yet."""
        key = hash(shape), how
        known = self._by.get(key)
        if known is not None and known[0].IsSame(shape):
            self._by.move_to_end(key)
            return known[1]
        made = make()
        if known is not None:
            self.size -= self.size_of(self._by.pop(key)[1])
        self._by[key] = shape, made
        self.size += self.size_of(made)
        while self.size > self.most:
            self.size -= self.size_of(self._by.popitem(last=False)[1][1])
        return made

    def clear(self) -> None:
        """Forget all."""
        self._by.clear()
        self.size = 0
