"""What the window asks of its worker and what that answers: two closed lists of messages, checked
on both sides. Each subject has a module.

A design travels as the text of its file: writing and reading it takes two milliseconds for the
demos, less than keeping track of what changed on both sides would.
"""

from collections.abc import Mapping
from typing import Annotated, Any, get_args

from pydantic import Field

from .drawing import (
    DimensionDrawn,
    DrawSheet,
    DrawSizes,
    PageDrawn,
    SheetDrawn,
    SizesAsked,
    SizesDrawn,
    StrokeDrawn,
    ViewDrawn,
    WordsDrawn,
)
from .laying import (
    BarsAsked,
    BarsTold,
    LaidOut,
    LaidStock,
    LayingOut,
    LayOut,
    ListedReport,
    Rings,
    SheetAsked,
)
from .looking import (
    AtAsked,
    BendTo,
    BentTo,
    BuildAt,
    BuiltAt,
    Deviate,
    Deviated,
    Follow,
    Followed,
    GaugeBetween,
    Gauged,
    Glance,
    Glanced,
    Tried,
    Try,
)
from .message import XYZ, Cancel, GivenUp, Message, Progress, Ready, Refused
from .part import (
    BOUGHT,
    BendReport,
    BlankReport,
    ComesOff,
    DrawingReport,
    FaceReport,
    FindingReport,
    Looked,
    Near,
    NearReport,
    PanelReport,
    PartReport,
    ReadOff,
    Rebuild,
    RebuildDone,
    Report,
    StepReport,
    ThingReport,
    Unfolded,
)
from .practice import (
    BendStrips,
    FeatureFound,
    FeatureMeasured,
    Features,
    FeaturesFound,
    PieceMeasured,
    Practise,
    StripMeasured,
    StripsBent,
)
from .stencils import AreaReport, PictureStencils, StencilReport, StencilsPictured
from .tying import (
    FoundReport,
    LooseReport,
    OfferReport,
    TieFaces,
    TiesTold,
    TyingAsked,
    Wiggle,
    Wiggled,
)
from .writing import Export, ExportAll, Exported, WriteBendSheet, Writing

__all__ = [
    "ABOUT", "BOUGHT", "XYZ", "About", "Answer", "AreaReport", "AtAsked",
    "BarsAsked", "BarsTold", "BendReport", "BendStrips", "BendTo", "BentTo", "BlankReport",
    "BuildAt", "BuiltAt", "Cancel", "ComesOff", "Deviate", "Deviated", "DimensionDrawn",
    "DrawSheet", "DrawSizes", "DrawingReport", "Export", "ExportAll", "Exported", "FaceReport",
    "FeatureFound", "FeatureMeasured", "Features", "FeaturesFound", "FindingReport", "Follow",
    "Followed", "FoundReport", "GaugeBetween", "Gauged", "GivenUp", "Glance", "Glanced",
    "LaidOut", "LaidStock", "LayOut", "LayingOut", "ListedReport", "Looked",
    "LooseReport", "Near", "NearReport", "OfferReport", "PageDrawn", "PanelReport",
    "PartReport", "PictureStencils", "PieceMeasured", "Practise", "Progress", "ReadOff",
    "Ready", "Rebuild", "RebuildDone", "Refused", "Report", "Request", "Rings", "SheetAsked",
    "SheetDrawn", "SizesAsked", "SizesDrawn", "StencilReport", "StencilsPictured", "StepReport",
    "StripMeasured", "StripsBent", "StrokeDrawn", "ThingReport", "TieFaces", "TiesTold",
    "Tried", "Try", "TyingAsked", "Unfolded", "ViewDrawn", "Wiggle", "Wiggled", "WordsDrawn",
    "WriteBendSheet", "Writing", "answer_of", "request_of",
]  # fmt: skip

Request = Annotated[
    Cancel
    | Rebuild
    | Export
    | ExportAll
    | WriteBendSheet
    | Follow
    | Try
    | GaugeBetween
    | Glance
    | BendTo
    | LayOut
    | BuildAt
    | Deviate
    | TieFaces
    | Wiggle
    | DrawSheet
    | DrawSizes
    | Features
    | PictureStencils
    | Practise
    | BendStrips,
    Field(discriminator="do"),
]
About = (
    Follow | Try | GaugeBetween | Glance | BendTo | LayOut | BuildAt | Deviate | TieFaces | Wiggle
    | DrawSheet | DrawSizes
)  # fmt: skip
#: What is asked about a design, by its word.
ABOUT: dict[str, type[About]] = {
    "follow": Follow,
    "try": Try,
    "gauge": GaugeBetween,
    "glance": Glance,
    "bend_to": BendTo,
    "deviate": Deviate,
    "lay out": LayOut,
    "at": BuildAt,
    "tie faces": TieFaces,
    "wiggle": Wiggle,
    "draw sheet": DrawSheet,
    "draw sizes": DrawSizes,
}

Answer = Annotated[
    Ready | GivenUp | Refused | Progress | RebuildDone | Unfolded | ReadOff
    | Near | ComesOff | Looked | Exported | Followed | Tried | Gauged | Glanced | BentTo
    | BuiltAt | Deviated | LaidOut | TiesTold | Wiggled | FeaturesFound | StencilsPictured
    | PieceMeasured | StripsBent | SheetDrawn | SizesDrawn,
    Field(discriminator="answer"),
]  # fmt: skip


def _by_word(messages: Any, field: str) -> dict[str, type[Message]]:
    union, _ = get_args(messages)
    return {kind.model_fields[field].default: kind for kind in get_args(union)}


_REQUESTS, _ANSWERS = _by_word(Request, "do"), _by_word(Answer, "answer")


def request_of(header: Mapping[str, Any]) -> Request:
    """A request as it came from the window.

    Raises:
        ValueError: where it is none.
    """
    request: Request = _message(_REQUESTS, "do", header)
    return request


def answer_of(header: Mapping[str, Any]) -> Answer:
    """An answer as it came from the worker.

    Raises:
        ValueError: where it is none.
    """
    answer: Answer = _message(_ANSWERS, "answer", header)
    return answer


def _message(kinds: Mapping[str, type[Message]], field: str, header: Mapping[str, Any]) -> Any:
    """What pydantic needs to check a kind of message is made when the first of that kind comes: all
    of them would take a tenth of the time in which a window begins."""
    if (kind := kinds.get(header.get(field, ""))) is None:
        raise ValueError(f"no message has the word {header.get(field)!r} as its “{field}”")
    return kind.model_validate(header)
