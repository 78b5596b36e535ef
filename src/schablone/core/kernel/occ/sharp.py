"""A solid with its rounded edges taken off, in layers as they stand on each other, and made again
with the kernel's own rounding: so the faces beside them can move."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from OCP.BRepAlgoAPI import BRepAlgoAPI_Defeaturing
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.Standard import Standard_Failure
from OCP.TopAbs import TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Shape

from .history import became, listed
from .rehearsal import made_apart
from .roundings import Rounding, by_face, roundings_of, uppermost
from .skeleton import Skeleton, skeleton_of
from .solids import Solid, faces_of

Floats = NDArray[np.float64]

#: To what share the volume has to be the same where roundings are taken off and made again.
_SAME = 1e-7
#: So much is tried to take the roundings of a solid off, faces times roundings, and so much of it
#: at once: more would take the kernel more than a minute, and at once more than in turns. Work and
#: no clock, so that the same solid gets the same everywhere; the clock (s) is for what comes to no
#: end.
_WORK, _AT_ONCE, _PATIENCE = 24_000, 12_000, 120


@dataclass(frozen=True)
class Layer:
    """A solid with some roundings and without them. ``faces`` gives the face there of each face
    here, None for a rounding."""

    whole: Skeleton
    bare: Skeleton
    faces: tuple[int | None, ...]
    roundings: tuple[Rounding, ...]


@dataclass(frozen=True)
class Sharp:
    """A solid without its roundings, the layers of these from the last one made inwards.

    ``faces`` gives the face of the sharp solid for each face of the whole one, None for a rounding;
    ``roundings`` have the numbers of the whole one. ``kept`` are roundings that could not be taken
    off and made again: nothing beside them may move.
    """

    skeleton: Skeleton
    layers: tuple[Layer, ...]
    faces: tuple[int | None, ...]
    roundings: tuple[Rounding, ...]
    kept: frozenset[int]


class NotRounded(ValueError):
    """Roundings that cannot be made again; ``faces`` are their numbers."""

    def __init__(self, faces: Sequence[int]) -> None:
        super().__init__("they do not fit any more")
        self.faces = tuple(faces)


def sharp_of(whole: Skeleton) -> Sharp:
    """A solid without its roundings, as far as they can be made again to the same solid."""
    skeleton, layers = whole, list[Layer]()
    at: list[int | None] = list(range(len(whole.faces)))
    roundings: list[Rounding] = []
    kept: set[int] = set()
    budget = _Budget(_WORK)
    while True:
        back = {now: k for k, now in enumerate(at) if now is not None}
        groups = [
            group
            for group in uppermost(skeleton, roundings_of(skeleton))
            if not {back[one.face] for one in group} & kept
        ]
        if not groups:
            break
        layer, lost = _first_layer(skeleton, groups, budget)
        kept |= {back[one.face] for one in lost}
        if layer is None:
            continue
        layers.append(layer)
        roundings += [replace(one, face=back[one.face], between=None if one.between is None else
                              (back[one.between[0]], back[one.between[1]]))
                      for one in layer.roundings]  # fmt: skip
        at = [None if now is None else layer.faces[now] for now in at]
        skeleton = layer.bare
    left = {k for k, now in enumerate(at) if now is not None}
    kept |= {k for k in left if at[k] in by_face(roundings_of(skeleton))}
    return Sharp(skeleton, tuple(layers), tuple(at), tuple(roundings), frozenset(kept))


@dataclass
class _Budget:
    """The work that may still be done on one solid."""

    left: int

    def pays(self, work: int) -> bool:
        """Whether there is enough left; then it is spent."""
        if work > self.left:
            return False
        self.left -= work
        return True


def _first_layer(
    skeleton: Skeleton, groups: Sequence[Sequence[Rounding]], budget: _Budget
) -> tuple[Layer | None, list[Rounding]]:
    """The solid without some groups of roundings: all where they go together, or else the first
    half, quarter ... that does. With it the roundings that were found to have to stay: all where
    none go."""
    together = [one for group in groups for one in group]
    work = len(together) * len(skeleton.faces)
    if work <= _AT_ONCE and budget.pays(work):
        layer = _without(skeleton, together)
        if layer is not None:
            return layer, []
    if len(groups) == 1:
        return None, together
    half = len(groups) // 2
    layer, lost = _first_layer(skeleton, groups[:half], budget)
    if layer is None:
        layer, also = _first_layer(skeleton, groups[half:], budget)
        lost += also
    return layer, lost


def _without(skeleton: Skeleton, roundings: Sequence[Rounding]) -> Layer | None:
    """The solid with roundings taken off; None where it is not the same with them made again."""
    # The kernel may end over roundings that it did not make itself.
    made = made_apart(lambda: _tried_without(skeleton, roundings), _PATIENCE)
    if made is None:
        return None
    return _layer_of(skeleton, roundings, skeleton_of(made[0]), made[1])


def _layer_of(
    skeleton: Skeleton,
    roundings: Sequence[Rounding],
    bare: Skeleton,
    faces: tuple[int | None, ...],
) -> Layer | None:
    placed = [_placed(one, skeleton, bare, faces) for one in roundings]
    if any(one is None for one in placed):
        return None
    return Layer(skeleton, bare, faces, tuple(one for one in placed if one is not None))


def _tried_without(
    skeleton: Skeleton, roundings: Sequence[Rounding]
) -> tuple[TopoDS_Shape, tuple[int | None, ...]] | None:
    """The shape without roundings, and its faces by those of the solid."""
    maker = BRepAlgoAPI_Defeaturing()
    maker.SetShape(skeleton.shape)
    for one in roundings:
        maker.AddFaceToRemove(skeleton.faces[one.face].shape)
    try:
        maker.Build()
        if not maker.IsDone():
            return None
        shape = maker.Shape()
        faces = _after(maker, skeleton, shape, {one.face for one in roundings})
    except (RuntimeError, Standard_Failure):
        return None
    if faces is None:
        return None
    bare = skeleton_of(_solid_in(shape))
    layer = _layer_of(skeleton, roundings, bare, faces)
    if layer is None:
        return None
    try:
        again = _rounded(layer, bare.shape, {k: e.shape for k, e in enumerate(bare.edges)}, {}, {})
    except NotRounded:
        return None
    before, after = (Solid(s, ()).volume for s in (skeleton.shape, again.shape))
    same = abs(before - after) <= _SAME * abs(before)
    whole = same and len(faces_of(again.shape)) == len(skeleton.faces)
    return (bare.shape, faces) if whole else None


def _after(
    maker: BRepAlgoAPI_Defeaturing, skeleton: Skeleton, shape: TopoDS_Shape, gone: set[int]
) -> tuple[int | None, ...] | None:
    """The faces of a shape without some, by the numbers of those before; None where others are
    gone, or not all of these."""
    now = faces_of(_solid_in(shape))
    numbers: list[int | None] = []
    for k, face in enumerate(skeleton.faces):
        after = listed(maker.Modified(face.shape)) or [face.shape]
        at = next((n for n, f in enumerate(now) if any(f.IsSame(a) for a in after)), None)
        if (at is None) != (k in gone):
            return None
        numbers.append(at)
    return tuple(numbers)


def _placed(
    one: Rounding, before: Skeleton, bare: Skeleton, faces: Sequence[int | None]
) -> Rounding | None:
    """A rounding with the edge of the sharp solid that it rounds: between its two faces, and the
    nearest."""
    if one.between is None:
        return one
    pair = {faces[k] for k in one.between}
    middle = before.faces[one.face].middle
    near = [
        (min(float(np.linalg.norm(p - middle)) for p in _points(bare, number)), number)
        for number, edge in enumerate(bare.edges)
        if set(edge.faces) == pair and not edge.smooth
    ]
    return replace(one, edge=min(near)[1]) if near else None


def _points(skeleton: Skeleton, edge: int) -> list[Floats]:
    one = skeleton.edges[edge]
    a, b = (skeleton.corners[c] for c in one.ends)
    return [one.middle, (a + one.middle) / 2, (b + one.middle) / 2]


def _solid_in(shape: TopoDS_Shape) -> TopoDS_Shape:
    """The one solid of a shape; the shape where it is several."""
    solids = TopExp_Explorer(shape, TopAbs_SOLID)
    if not solids.More():
        return shape
    first = solids.Current()
    solids.Next()
    return shape if solids.More() else first


@dataclass(frozen=True)
class Rounded:
    """A solid with roundings: the shape, and what became of each face, by its number there."""

    shape: TopoDS_Shape
    faces: Mapping[int, list[TopoDS_Shape]]


def rounded_again(
    sharp: Sharp,
    shape: TopoDS_Shape,
    faces: Mapping[int, TopoDS_Shape],
    edges: Mapping[int, TopoDS_Edge],
    radii: Mapping[int, float],
) -> Rounded:
    """A sharp solid with all its roundings made again. ``edges`` and ``faces`` are those of the
    sharp solid as it is now, by number; ``radii`` those of roundings that are no longer what they
    were, by their numbers in the whole solid, as are the faces of what comes back.

    Raises:
        NotRounded: where they do not fit; it names the roundings, by number in the whole solid.
    """
    # The numbers in the whole solid of the faces of each layer.
    numbers = [list[int](range(len(sharp.faces)))]
    for layer in sharp.layers:
        above = numbers[-1]
        inside = {now: above[k] for k, now in enumerate(layer.faces) if now is not None}
        numbers.append([inside[k] for k in range(len(layer.bare.faces))])
    now = Rounded(shape, {k: [face] for k, face in faces.items()})
    for depth in range(len(sharp.layers) - 1, -1, -1):
        layer, above = sharp.layers[depth], numbers[depth]
        wanted = {k: radii[number] for k, number in enumerate(above) if number in radii}
        current = edges if depth == len(sharp.layers) - 1 else _edges_now(layer.bare, now)
        try:
            now = _rounded(layer, now.shape, current, wanted, now.faces)
        except NotRounded as error:
            raise NotRounded([above[k] for k in error.faces]) from None
    last = numbers[0] if sharp.layers else numbers[-1]
    return Rounded(now.shape, {last[k]: faces for k, faces in now.faces.items()})


def _edges_now(skeleton: Skeleton, now: Rounded) -> dict[int, TopoDS_Edge]:
    """The edges of a solid, by number, as they are in a later state of it: told by the faces beside
    them and around their ends."""
    here = {_signature(skeleton, k): k for k in range(len(skeleton.edges))}
    number = {}
    for k, faces in now.faces.items():
        for face in faces:
            number[face.TShape()] = k
    later = skeleton_of(now.shape)
    names = {n: number.get(face.shape.TShape()) for n, face in enumerate(later.faces)}
    edges = {}
    for edge in range(len(later.edges)):
        same = here.get(_signature(later, edge, names))
        if same is not None:
            edges[same] = TopoDS.Edge_s(later.edges[edge].shape)
    return edges


def _signature(
    skeleton: Skeleton, edge: int, names: Mapping[int, int | None] | None = None
) -> tuple[frozenset[int | None], frozenset[frozenset[int | None]]]:
    def named(faces: Sequence[int] | frozenset[int]) -> frozenset[int | None]:
        return frozenset(names[k] if names is not None else k for k in faces)

    one = skeleton.edges[edge]
    return named(one.faces), frozenset(named(skeleton.around[c]) for c in one.ends)


def _rounded(
    layer: Layer,
    shape: TopoDS_Shape,
    edges: Mapping[int, TopoDS_Edge],
    radii: Mapping[int, float],
    faces: Mapping[int, list[TopoDS_Shape]],
) -> Rounded:
    """The bare solid of a layer, as it is now, with the roundings of the layer.

    Raises:
        NotRounded: where they do not fit; it names them.
    """
    maker = BRepFilletAPI_MakeFillet(shape)
    mine = [one for one in layer.roundings if one.edge >= 0]
    missing = [one.face for one in mine if one.edge not in edges]
    if missing:
        raise NotRounded(missing)
    for one in mine:
        maker.Add(radii.get(one.face, one.radius), edges[one.edge])
    tried = [one.face for one in mine]
    back = {now: k for k, now in enumerate(layer.faces) if now is not None}
    try:
        maker.Build()
        if not maker.IsDone():
            raise NotRounded(_culprits(mine, maker, edges) or tried)
        made = maker.Shape()
        kept: dict[int, list[TopoDS_Shape]] = {}
        for k, current in faces.items():
            kept[back[k]] = [piece for face in current for piece in became(maker, face)]
        for one in mine:
            kept[one.face] = listed(maker.Generated(edges[one.edge]))
    except (RuntimeError, Standard_Failure):
        raise NotRounded(tried) from None
    known = [f for current in kept.values() for f in current]
    fresh = [f for f in faces_of(made) if not any(f.IsSame(one) for one in known)]
    corners = [one.face for one in layer.roundings if one.edge < 0]
    for number, face in zip(corners, fresh, strict=False):
        kept[number] = [face]
    return Rounded(made, kept)


def _culprits(
    mine: Sequence[Rounding], maker: BRepFilletAPI_MakeFillet, edges: Mapping[int, TopoDS_Edge]
) -> list[int]:
    """The roundings at which the kernel gave up, where it tells."""
    bad: list[int] = []
    for k in range(maker.NbFaultyContours()):
        contour = maker.FaultyContour(k + 1)
        inside = [maker.Edge(contour, n + 1) for n in range(maker.NbEdges(contour))]
        bad += [one.face for one in mine if any(edges[one.edge].IsSame(edge) for edge in inside)]
    return bad
