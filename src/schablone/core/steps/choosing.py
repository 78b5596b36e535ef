"""Which regions of a sketch a step uses, and what the machine makes of their outlines."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from ..kernel.level import KEEP_TOGETHER
from ..kernel.naming import FaceName
from ..process.lens import LensView
from ..quantity import say_spot
from ..sketch.arrangement import Face, arrange
from ..sketch.combining import pinches_of
from ..sketch.curves import EllipticArc
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from ..sketch.offsetting import moved_region
from ..sketch.regions import OutlinesCross, Region, regions_of
from ..words import say_name, sentence
from .sentence import SentencePiece, Words
from .workshop import Outlines, StepError, Workshop


class UsesRegions(Protocol):
    """A step that uses regions of a sketch: all that are no holes, those of some shapes, or those
    that are named."""

    @property
    def sketch(self) -> str: ...
    @property
    def shapes(self) -> tuple[str, ...]: ...
    @property
    def regions(self) -> tuple[str, ...]: ...


def sketch_of(shop: Workshop, sketch: str, where: str = "sketch") -> Outlines:
    """The outlines of a sketch before this step.

    Raises:
        StepError: where there is none, with those that there are.
    """
    drawing = shop.drawings.get(sketch)
    if drawing is None:
        what = (
            f"There is no sketch “{sketch}” before this step." if sketch else "No sketch is chosen."
        )
        raise StepError(what, "Choose one.", where, sorted(shop.drawings), asks=not sketch)
    return drawing


def only_region(drawing: Outlines, sketch: str, where: str, *, holes: bool = False) -> Region:
    """The one region of a sketch, for steps that use no more.

    Raises:
        StepError: where there are none or several, or holes in it where none are wanted.
    """
    arrangement = drawing.arrangement()
    regions = arrangement.regions(arrangement.material())
    count = sum(len(region.holes) for region in regions)
    if len(regions) != 1 or (count and not holes):
        raise StepError(
            f"The sketch “{sketch}” has {len(regions)} regions and {count} holes; for this it "
            "must have one region"
            f"{'' if holes else ' without holes'}.",
            "Draw one closed outline.",
            where,
        )
    return regions[0]


def chosen_regions(drawing: Outlines, step: UsesRegions, *, raised: bool) -> tuple[Region, ...]:
    """The regions that a step uses; ``raised`` where material comes of them.

    Raises:
        StepError: where one is lost, nothing is enclosed, or material would hang by a line.
    """
    try:
        regions = _chosen(drawing, step)
        if raised:
            for region in regions:
                _refuse_touching(region)
        return regions
    except StepError:
        raise
    except ValueError as error:
        text = str(error)
        raise StepError(sentence(text), "Change the sketch.", "sketch") from None


def _refuse_touching(region: Region) -> None:
    """Refuse a region whose outlines touch in single points.

    Raises:
        StepError: tells which, and where in the sketch.
        Tangled: where they lie so close together that they cannot be told apart.
    """
    pinches = pinches_of(region)
    if not pinches:
        return
    spot, names = pinches[0]
    lines = dict.fromkeys(_said(name) for name in names)
    raise StepError(
        f"In the sketch {' and '.join(lines)} {'touches itself' if len(lines) == 1 else 'touch'} "
        f"at {say_spot(*spot)}, and only in a point.",
        KEEP_TOGETHER,
        "sketch",
    )


def _said(curve: str) -> str:
    """A curve, or a piece of one, as words: “left of edge” for ``edge.left.2``."""
    shape, _, rest = curve.partition(".")
    side = rest.partition(".")[0]
    return f"“{say_name(side)} of {say_name(shape)}”" if side.isalpha() else f"“{say_name(shape)}”"


def _chosen(drawing: Outlines, step: UsesRegions) -> tuple[Region, ...]:
    # A shape of several outlines, such as a text, is chosen by its own name.
    heads: Mapping[str, str] = {name: name.partition(".")[0] for name in drawing.loops}
    lost = [
        name for name in step.shapes if name not in drawing.loops and name not in heads.values()
    ]
    if lost:
        raise StepError(
            f"The sketch “{step.sketch}” has no shape “{lost[0]}”.",
            "Choose another.",
            "shapes",
            sorted(set(heads.values())),
        )
    if step.regions:
        arrangement = drawing.arrangement()
        faces: dict[str, Face] = {}
        for name in step.regions:
            now = arrangement.named(name)
            if not now:
                raise StepError(
                    f"The region between {say_region(name)} is not there any more.",
                    "Choose another.",
                    "regions",
                    [face.name for face in arrangement.faces],
                )
            faces |= {face.name: face for face in now}
        return arrangement.regions(list(faces.values()))
    chosen = [
        name
        for name, head in heads.items()
        if not step.shapes or name in step.shapes or head in step.shapes
    ]
    loops = [drawing.loops[name] for name in chosen]
    if not drawing.curves or step.shapes:
        try:
            return regions_of(loops)
        except OutlinesCross:
            only = arrange([curve for loop in loops for curve in loop.curves])
            return only.regions(only.material())
    arrangement = drawing.arrangement()
    if not arrangement.faces:
        raise StepError(
            f"The sketch “{step.sketch}” encloses no area yet.",
            "Close its outline: lines must meet or cross all round.",
            "sketch",
        )
    return arrangement.regions(arrangement.material())


def with_gains(
    regions: tuple[Region, ...], mode: str, view: LensView, *, lying: bool = False
) -> tuple[Region, ...]:
    """Regions with the machine's gains on them: outlines of material grow by the outside gain,
    outlines of holes by the inside gain, half of it on each side. ``lying``: what is raised of them
    lies while the part is made, and so do round holes.

    Raises:
        StepError: where an outline closes up altogether.
    """
    sides = ("inside", "outside") if mode == "cut" else ("outside", "inside")
    kinds = ((0.0, False), (10.0, lying))
    if not any(view.gain(side, across, lying=lies) for side in sides for across, lies in kinds):
        return regions
    try:
        return tuple(grown for region in regions for grown in _grown(region, *sides, view, lying))
    except ValueError as error:
        text = str(error)
        raise StepError(sentence(text), "Change the sketch.", "sketch") from None


def sides_of(region: Region, step: str) -> dict[str, FaceName]:
    """Names for the faces that a region's curves make."""
    return {c.name: FaceName(step, "side", c.name) for loop in region.loops for c in loop.curves}


def say_regions(step: UsesRegions) -> list[tuple[SentencePiece, ...]]:
    """Which regions a step uses, in words; nothing where it uses all."""
    lines: list[tuple[SentencePiece, ...]] = []
    if step.regions:
        words = "; ".join(say_region(name) for name in step.regions[:3])
        lines.append((Words(f"only between {words}" + ("; …" if len(step.regions) > 3 else "")),))
    if step.shapes:
        lines.append((Words("only " + ", ".join(step.shapes)),))
    return lines


def _grown(region: Region, outside: str, inside: str, view: LensView, lying: bool) -> list[Region]:
    """A region with its outline and its holes moved outwards, each by half of the gain of its side;
    round ones by that of their diameter."""

    def by(loop: Loop, side: str) -> float:
        only = loop.curves[0]
        across = (
            2 * only.rx
            if len(loop.curves) == 1 and isinstance(only, EllipticArc) and only.is_circular
            else 0.0
        )
        return view.gain(side, across, lying=lying and across > 0) / 2

    return list(
        moved_region(region, by(region.outer, outside), [by(hole, inside) for hole in region.holes])
    )


def say_region(name: str) -> str:
    """A region by the curves around it."""
    curves = list(dict.fromkeys(say_name(side[:-1]) for side in name.split("#")[0].split()))
    return ", ".join(curves[:4]) + (" …" if len(curves) > 4 else "")


def point_of(shop: Workshop, sketch: str, point: str) -> tuple[Outlines, XY]:
    """A sketch, and where a point of it lies, for fields called ``sketch`` and ``point``.

    Raises:
        StepError: where there is no such sketch or point.
    """
    drawing = sketch_of(shop, sketch)
    spot = drawing.places.get(point) or drawing.marks.get(point)
    if spot is None:
        known = list(drawing.places)
        raise StepError(
            f"The sketch “{say_name(sketch)}” has no point “{point}”."
            if point
            else "No point is chosen.",
            "Choose one of its points." if known else "Draw a point in the sketch.",
            "point",
            known,
            asks=not point,
        )
    return drawing, spot
