"""A mapping that grows by copies of itself, each of which stays as it is.

Bodies know the faces of all that was cut from them; with a thousand cuts one after the other,
copying what is known each time is what takes longest.
"""

from __future__ import annotations

from collections.abc import ItemsView, Iterator, Mapping, ValuesView
from typing import TypeVar

K = TypeVar("K")
V = TypeVar("V")


class Layers(Mapping[K, V]):
    """Entries in the order in which they first came, as those of a :class:`dict`. A step of n takes
    O(log n) on the average, a look O(log n), and all steps together keep O(n log n) entries at most
    (layers are put together as in a binary counter: each is larger than all that follow it)."""

    __slots__ = ("_layers",)

    def __init__(self, first: Mapping[K, V] | None = None) -> None:
        self._layers: tuple[dict[K, V], ...] = (dict(first),) if first else ()

    def with_more(self, more: Mapping[K, V]) -> Layers[K, V]:
        """This mapping with other entries, which stand for those of the same keys."""
        layers, new = list(self._layers), dict(more)
        while layers and len(layers[-1]) <= len(new):
            new = {**layers.pop(), **new}
        longer: Layers[K, V] = Layers()
        longer._layers = (*layers, new) if new else tuple(layers)
        return longer

    def __getitem__(self, key: K) -> V:
        for layer in reversed(self._layers):
            if key in layer:
                return layer[key]
        raise KeyError(key)

    def _whole(self) -> dict[K, V]:
        """All in one layer, which it is from then on."""
        if len(self._layers) != 1:
            whole: dict[K, V] = {}
            for layer in self._layers:
                whole |= layer
            self._layers = (whole,)
        return self._layers[0]

    def __iter__(self) -> Iterator[K]:
        return iter(self._whole())

    def __len__(self) -> int:
        return len(self._whole())

    def items(self) -> ItemsView[K, V]:
        """Those of all layers."""
        return self._whole().items()

    def values(self) -> ValuesView[V]:
        """Those of all layers."""
        return self._whole().values()

    def __repr__(self) -> str:
        return f"Layers({self._whole()!r})"


def layered(mapping: Mapping[K, V]) -> Layers[K, V]:
    """A mapping as one that grows so; itself where it is one."""
    return mapping if isinstance(mapping, Layers) else Layers(mapping)
