"""What has to do with no design: pictures of stencils, what can be measured on the file of a test
piece, and what a practice machine makes of one."""

from __future__ import annotations

from pathlib import Path

from ..core.design.stencil_picture import seen_from_above
from ..core.practice.features import Measurable
from ..core.practice.machines import machine, practise_bending
from ..core.reuse import parse_stencil
from ..reader import read
from . import talk


def answer_of_files(
    request: talk.Features | talk.PictureStencils | talk.Practise | talk.BendStrips,
) -> talk.Answer:
    """Answer what is asked of files.

    Raises:
        SchabloneError: where one of them cannot be read.
    """
    match request:
        case talk.Features():
            return _features_found(request)
        case talk.PictureStencils():
            return _pictures(request)
        case talk.Practise():
            return _practised(request)
        case talk.BendStrips():
            return _bent(request)


def _features_found(request: talk.Features) -> talk.FeaturesFound:
    features = [_feature(feature) for feature in read("measurable", Path(request.path))]
    return talk.FeaturesFound(id=request.id, features=features)


def _pictures(request: talk.PictureStencils) -> talk.StencilsPictured:
    """How stencils look from above."""
    pictures: list[talk.StencilReport] = []
    for text in request.stencils:
        areas, trouble = seen_from_above(parse_stencil(text, "stencil"))
        told: list[talk.AreaReport] = [
            {"cut": one.cut, "depth": one.depth, "rings": [list(ring) for ring in one.rings]}
            for one in areas
        ]
        pictures.append({"areas": told, "trouble": trouble})
    return talk.StencilsPictured(id=request.id, pictures=pictures)


def _practised(request: talk.Practise) -> talk.PieceMeasured:
    """What a practice machine makes of an exported file, measured."""
    maker, features = machine(request.machine), read("measurable", Path(request.path))
    piece = maker.make(features, request.piece, request.day, request.layer, request.thickness)
    measured: list[talk.FeatureMeasured] = [
        {**_feature(feature), "readings": list(readings)}
        for feature, readings in maker.measure(piece, request.times, request.piece)
    ]
    return talk.PieceMeasured(id=request.id, measured=measured, closed=maker.caliper.closed())


def _bent(request: talk.BendStrips) -> talk.StripsBent:
    """What a practice machine bends of a drawing of blanks, measured."""
    flat = read("strips", Path(request.path))
    bent, radius = practise_bending(
        flat, request.machine, request.thickness, request.piece, request.times
    )
    strips: list[talk.StripMeasured] = [
        {
            "blank": round(flat.length, 2),
            "thickness": thick,
            "told": flat.angle,
            "readings": list(readings),
        }
        for flat, thick, readings in bent
    ]
    return talk.StripsBent(id=request.id, strips=strips, radius=radius)


def _feature(feature: Measurable) -> talk.FeatureFound:
    return {
        "kind": feature.kind,
        "size": feature.size,
        "label": feature.label,
        "axis": feature.axis,
    }
