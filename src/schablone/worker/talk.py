"""What the window asks of its worker and what that answers: two closed lists of messages, checked
on both sides.

A design travels as the text of its file: writing and reading it takes two milliseconds for the
demos, less than keeping track of what changed on both sides would.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, NotRequired

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter
from typing_extensions import TypedDict

from ..core.problem import Problem
from ..core.process.lens import Lens
from ..core.process.model import FeatureKind, Process
from ..core.sketch.tracing import Form

XYZ = tuple[float, float, float]
#: Begins the name of what a step placed, as a part that is shown and not made.
BOUGHT = "bought:"


class _Message(BaseModel):
    """A message; ``id`` is the number of the request that it is or answers."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    id: int = 0


# What the window asks


class Cancel(_Message):
    """Give up the rebuild at work."""

    do: Literal["cancel"] = "cancel"


class _OfADesign(_Message):
    """A design as text, seen through a lens on a process; ``others`` are those of parts that have
    their own."""

    design: str
    lens: Lens
    process: Process
    others: tuple[Process, ...] = ()


class Rebuild(_OfADesign):
    """Build it, up to a step where one is named. ``known``: by part, the key of what the window has
    already; ``given``:
    other formulas for some sizes; ``without``: steps that have ended workers, which are left
    out."""

    do: Literal["rebuild"] = "rebuild"
    known: dict[str, str] = {}
    given: dict[str, str] = {}
    until: str = ""
    without: tuple[str, ...] = ()


class Export(_OfADesign):
    """Write its parts to a file."""

    do: Literal["export"] = "export"
    path: str
    given: dict[str, str] = {}


class Follow(_OfADesign):
    """Which faces follow a size?"""

    do: Literal["follow"] = "follow"
    about: str


class Try(_OfADesign):
    """The part for each value of a size that is worth trying."""

    do: Literal["try"] = "try"
    about: str


class GaugeBetween(_OfADesign):
    """What lies between two spots or faces, by name with a bar between them?"""

    do: Literal["gauge"] = "gauge"
    about: str


class Glance(_OfADesign):
    """The part as it is after a step."""

    do: Literal["glance"] = "glance"
    about: str


class BendTo(_OfADesign):
    """Folded parts on their way: all bends bent by a share, from 0 for flat to 1."""

    do: Literal["bend_to"] = "bend_to"
    about: str


class LayOut(_OfADesign):
    """Lay the parts on sheets and beds; ``about`` is a :class:`LayingOut` as JSON."""

    do: Literal["lay out"] = "lay out"
    about: str


class BuildAt(_OfADesign):
    """The part with other formulas for some sizes; ``about`` is an :class:`AtAsked` as JSON."""

    do: Literal["at"] = "at"
    about: str


class Deviate(_OfADesign):
    """How far is what is expected from what is wanted?"""

    do: Literal["deviate"] = "deviate"
    about: str = ""


class TieFaces(_OfADesign):
    """What can faces be tied by, and what is not tied yet? ``about`` is a :class:`TyingAsked` as
    JSON."""

    do: Literal["tie faces"] = "tie faces"
    about: str


class Wiggle(_OfADesign):
    """How can a face still move? ``about`` is a :class:`TyingAsked` as JSON whose one pick is the
    face."""

    do: Literal["wiggle"] = "wiggle"
    about: str


class DrawSheet(_OfADesign):
    """Draw the parts with their sizes on a drawing sheet; where ``about`` is the path of a file,
    write it."""

    do: Literal["draw sheet"] = "draw sheet"
    about: str = ""


class DrawSizes(_OfADesign):
    """Where are sizes measured? ``about`` is a :class:`SizesAsked` as JSON."""

    do: Literal["draw sizes"] = "draw sizes"
    about: str


class Features(_Message):
    """What can be measured on an exported file?"""

    do: Literal["features"] = "features"
    path: str


class PictureStencils(_Message):
    """How do stencils look from above? Each as the text of its file."""

    do: Literal["picture stencils"] = "picture stencils"
    stencils: tuple[str, ...]


class Practise(_Message):
    """Let a practice machine make the piece of a file on a day, and measure it so many times."""

    do: Literal["practice"] = "practice"
    path: str
    machine: str
    piece: int
    day: int
    layer: float = 0.0
    times: Annotated[int, Field(ge=1, le=20)] = 3


class BendStrips(_Message):
    """Let a practice machine bend the strips of a drawing of blanks, of a nominal thickness, mm,
    and measure each so many times."""

    do: Literal["bend"] = "bend"
    path: str
    machine: str
    thickness: Annotated[float, Field(gt=0, le=50)]
    piece: int
    times: Annotated[int, Field(ge=1, le=20)] = 2


Request = Annotated[
    Cancel
    | Rebuild
    | Export
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


# What a rebuild tells: plain data, as it is used all over the window


class StepReport(TypedDict):
    """The state of a step, by which other one it is as it is, and the values of its formulas with
    their kinds."""

    state: str
    by: str
    values: dict[str, list[Any]]
    note: NotRequired[str]


class FindingReport(TypedDict):
    """A check: whether it holds, why, and what to do."""

    name: str
    holds: bool
    why: str
    hint: str
    own: bool
    area: str
    place: str


class FaceReport(TypedDict):
    """A face, its name and words; where it is flat with its frame."""

    name: str
    exact: str
    step: str
    flat: bool
    words: str
    origin: NotRequired[XYZ]
    x: NotRequired[XYZ]
    y: NotRequired[XYZ]


class PartReport(TypedDict):
    """A part: its figures in mm, mm² and mm³, density in g/cm³; its mesh is in the arrays unless it
    is unchanged."""

    name: str
    title: str
    key: str
    volume: float
    area: float
    bounds: tuple[XYZ, XYZ]
    centre: XYZ
    density: float
    material: str
    tabs: list[Any]
    marks: list[Any]
    unchanged: NotRequired[bool]
    faces: NotRequired[list[FaceReport]]
    edge_faces: NotRequired[Sequence[tuple[int, int]]]


class ThingReport(TypedDict):
    """The bought parts that one step placed, as one shape: how many, which way is up, what one
    weighs, g, where that is known, and where their common centre lies then; and the mesh after
    those of the parts unless it is unchanged."""

    name: str
    step: str
    title: str
    key: str
    count: int
    up: XYZ
    mass: float | None
    centre: XYZ
    tabs: list[Any]
    marks: list[Any]
    unchanged: NotRequired[bool]
    faces: NotRequired[list[FaceReport]]
    edge_faces: NotRequired[Sequence[tuple[int, int]]]


class NearReport(TypedDict):
    """Two things next to each other: how (``apart``, ``touching``, ``pressed``, ``into``), by how
    many mm, where, and in words."""

    first: str
    second: str
    how: str
    gap: float
    at: XYZ
    words: str


class PanelReport(TypedDict):
    """A flat panel on the blank: its faces by name, its outlines, mm."""

    title: str
    faces: list[str]
    rings: list[list[tuple[float, float]]]


class BendReport(TypedDict):
    """A bend on the blank, in its place of the order: its faces, its strip and the pieces of its
    middle line; angle and the one that the machine is told, degrees; inside radius, length on the
    blank, k-factor, distance to the stop, mm; and whether the machine's chart has it."""

    order: int
    faces: list[str]
    rings: list[list[tuple[float, float]]]
    lines: list[list[tuple[float, float]]]
    up: bool
    angle: float
    told: float
    radius: float
    length: float
    k: float
    stop: float
    charted: bool
    within: tuple[float, float] | None


class BlankReport(TypedDict):
    """The blank of a folded part, mm, mm² and g; ``trouble`` says why there is none."""

    part: str
    title: str
    trouble: str
    thickness: float
    material: str
    machine: str
    cutter: str
    lens: str
    size: tuple[float, float]
    area: float
    mass: float
    cut: float
    pierces: int
    rings: list[list[tuple[float, float]]]
    marks: list[list[tuple[float, float]]]
    panels: list[PanelReport]
    bends: list[BendReport]


class DrawingReport(TypedDict):
    """Where a sketch lies, its lines and lone points in space, mm, and the edges that it follows:
    their form, points and radius, mm."""

    origin: XYZ
    x: XYZ
    y: XYZ
    lines: list[list[XYZ]]
    marks: list[XYZ]
    traces: dict[str, tuple[Form, Any, float]]


class Report(TypedDict):
    """What a rebuild tells."""

    lens: Lens
    process: str
    whole: bool
    problems: list[Mapping[str, object]]
    steps: dict[str, StepReport]
    findings: list[FindingReport]
    drawings: dict[str, DrawingReport]
    measured: dict[str, float]
    anchors: Any
    notes: Any
    parts: list[PartReport]
    things: list[ThingReport]


# What the worker answers


class Ready(_Message):
    """It has begun."""

    answer: Literal["ready"] = "ready"


class GivenUp(_Message):
    """What was at work has been given up."""

    answer: Literal["cancelled"] = "cancelled"


class Refused(_Message):
    """It cannot be done, and why. ``ours``: the fault is in the program and not in what was
    asked."""

    answer: Literal["refused"] = "refused"
    problems: tuple[Problem, ...] = Field(min_length=1)
    ours: bool = False

    @property
    def text(self) -> str:
        """The first problem in one line."""
        return self.problems[0].text


class Progress(_Message):
    """A step is at work; without a name, all of them are done and the part is looked at."""

    answer: Literal["progress"] = "progress"
    step: int
    steps: int
    name: str = ""


class RebuildDone(_Message):
    """The part; its meshes are in the arrays."""

    answer: Literal["rebuilt"] = "rebuilt"
    report: Report


class ReadOff(_Message):
    """What the sizes are measures of, as :class:`~schablone.core.design.measures.Measures` writes
    it."""

    answer: Literal["read off"] = "read off"
    measures: Any


class Unfolded(_Message):
    """The blanks of folded parts."""

    answer: Literal["unfolded"] = "unfolded"
    blanks: list[BlankReport]


class Near(_Message):
    """What lies next to what, the nearest first."""

    answer: Literal["near"] = "near"
    pairs: list[NearReport]


class ComesOff(_Message):
    """Which way parts come off each other, in words."""

    answer: Literal["comes off"] = "comes off"
    words: list[str]


class Looked(_Message):
    """The checks that look at the whole shape."""

    answer: Literal["looked"] = "looked"
    findings: list[FindingReport]


class Exported(_Message):
    """The file is written."""

    answer: Literal["exported"] = "exported"
    path: str
    bytes: int


class Followed(_Message):
    """The faces that moved, stay, came and went with a size, tried from and to."""

    answer: Literal["followed"] = "followed"
    size: str
    moved: list[str]
    stays: list[str]
    came: list[str]
    went: list[str]
    from_: list[Any]
    to: list[Any]
    trouble: str


class Tried(_Message):
    """One value of a size: its number among so many, what changed, and the part."""

    answer: Literal["tried"] = "tried"
    number: int
    count: int
    last: bool
    value: list[Any]
    formula: str
    why: str
    counts: dict[str, float]
    changed: dict[str, float]
    report: Report


class Gauged(_Message):
    """The two ends of a distance, mm."""

    answer: Literal["gauged"] = "gauged"
    ends: tuple[XYZ, XYZ]


class SheetAsked(BaseModel):
    """How the parts of one stock are to be laid, mm; what is None is as the machine has it.
    ``fixed`` are those that were put by hand: number of the part, sheet, x, y, turn."""

    model_config = ConfigDict(extra="forbid")

    size: tuple[float, float] | None = None
    gap: float | None = None
    margin: float | None = None
    grain: Literal["", "keep", "any"] = ""
    fixed: list[tuple[int, int, float, float, float]] = []


class BarsAsked(BaseModel):
    """Lengths to be cut from bars: those that there are with their prices, how wide the saw cuts,
    how much is left for finishing, mm, and the parts that are cut so."""

    model_config = ConfigDict(extra="forbid")

    bars: list[tuple[float, float]]
    kerf: float = 3.0
    allowance: float = 0.0
    parts: list[str] = []


class BarsTold(TypedDict):
    """How bars are cut: for each way the bar's length, how often, the pieces with their lengths,
    and what is left over, mm; the lengths of parts that could be cut so; how many bars, which share
    of them is used, whether there can be no better way, and why there is none."""

    cuts: list[tuple[float, int, list[tuple[str, float]], float]]
    lengths: list[tuple[str, str, float, int]]
    bars: int
    used: float
    optimal: bool
    trouble: str


class LayingOut(BaseModel):
    """What is asked of a layout: sheets by stock, off-cuts by stock that are used before new
    sheets, what is cut from bars, where files go, empty for nowhere, and how long to look for a
    better one, s."""

    model_config = ConfigDict(extra="forbid")

    sheets: dict[str, SheetAsked] = {}
    off_cuts: dict[str, list[tuple[float, float]]] = {}
    bars: BarsAsked | None = None
    folder: str = ""
    patience: float = 3.0


class LaidItem(TypedDict):
    """A part to be laid: what it is called, and its outline with holes in its own coordinates."""

    title: str
    rings: list[list[tuple[float, float]]]


class LaidStock(TypedDict):
    """How the parts of one stock lie: the sheet as it was taken (length, width, gap, margin),
    whether parts keep to its grain, the parts, and where each is: part, sheet, x, y, turn, by hand.
    ``trouble`` says why they could not be laid. ``of`` is the stock itself where this is an
    off-cut of it, of ``off_cut`` mm, ``rest`` the strip that is left in the end; ``takes`` says
    how long it takes and what it costs, ``missing`` what is not known of that."""

    stock: str
    of: str
    off_cut: tuple[float, float] | None
    rest: tuple[float, float] | None
    takes: str
    missing: list[str]
    sheet: tuple[float, float, float, float]
    keeps_grain: bool
    flat: bool
    items: list[LaidItem]
    puts: list[tuple[int, int, float, float, float, bool]]
    sheets: int
    used: float
    cut: float
    trouble: str


class ListedReport(TypedDict):
    """A line of the parts list."""

    title: str
    part: str
    count: int
    made: bool
    what: str
    size: str
    mass: float | None
    price: float | None
    currency: str


class LaidOut(_Message):
    """How the parts lie, what is made and bought, and which files were written; or, where that was
    asked for, how bars are cut."""

    answer: Literal["laid out"] = "laid out"
    stocks: list[LaidStock]
    parts: list[ListedReport]
    files: list[str]
    bars: BarsTold | None = None


class Glanced(_Message):
    """The part after a step."""

    answer: Literal["glanced"] = "glanced"
    step: str
    report: Report


class BentTo(_Message):
    """The parts with their bends bent by a share."""

    answer: Literal["bent_to"] = "bent_to"
    report: Report


class AtAsked(BaseModel):
    """Formulas that are given for some sizes, and whether the part is for a small picture."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    given: dict[str, str]
    small: bool = False


class BuiltAt(_Message):
    """The part with the formulas that were given."""

    answer: Literal["built at"] = "built at"
    report: Report


class Deviated(_Message):
    """By part, how far each face lies from where it is wanted, mm."""

    answer: Literal["deviated"] = "deviated"
    parts: dict[str, list[Any]]


class TyingAsked(BaseModel):
    """What is asked of a step that ties faces: its name, and the places that were picked."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    step: str
    picks: tuple[str, ...] = ()


class OfferReport(TypedDict):
    """A tie that is possible, as data of the step, in words, and what it measures now as it is
    typed; ``repeats`` in words what it would say again."""

    tie: dict[str, Any]
    words: str
    formula: str
    repeats: str


class LooseReport(TypedDict):
    """A face that nobody tied: how it can move, and the ties that would most likely hold it, with
    words for them."""

    faces: list[str]
    said: str
    how: str
    ties: list[dict[str, Any]]
    words: str


class FoundReport(TypedDict):
    """Something that faces have in common, and the ties that would keep it."""

    words: str
    faces: list[str]
    ties: list[dict[str, Any]]


class TiesTold(_Message):
    """The state of a step that ties faces: how many ways the part can still move, what is not tied,
    what was found; what ties measure, by their number; and for what was picked words and offers.
    ``trouble`` says why there is none of it."""

    answer: Literal["ties told"] = "ties told"
    step: str
    freedoms: int = 0
    measured: dict[str, str] = {}
    wrong: dict[str, str] = {}
    said: dict[str, str] = {}
    offers: list[OfferReport] = []
    loose: list[LooseReport] = []
    found: list[FoundReport] = []
    trouble: str = ""


class Wiggled(_Message):
    """The part at one place of a swing of a face that can still move."""

    answer: Literal["wiggled"] = "wiggled"
    number: int
    last: bool
    report: Report


class StrokeDrawn(TypedDict):
    """Lines of a page that are drawn alike: the name of their pen, and their points, mm."""

    pen: str
    lines: list[list[tuple[float, float]]]


class WordsDrawn(TypedDict):
    """A line of letters on a page, and the corners of what it covers, mm."""

    text: str
    at: tuple[float, float]
    size: float
    align: Literal["start", "middle", "end"]
    angle: float
    bold: bool
    corners: list[tuple[float, float]]


class ViewDrawn(TypedDict):
    """A view on a page, and the box around it, mm."""

    name: str
    box: tuple[float, float, float, float]
    strokes: list[StrokeDrawn]
    title: WordsDrawn | None


class DimensionDrawn(TypedDict):
    """A size on a page: at which view, how far from it and from the middle of what it measures, in
    which direction it goes away (of a note: none), mm on paper."""

    size: str
    view: str
    out: float
    along: float
    way: tuple[float, float]
    words: WordsDrawn
    strokes: list[StrokeDrawn]


class PageDrawn(TypedDict):
    """A page of a drawing sheet; ``listed`` are the sizes that stand in a list on it."""

    part: str
    wide: float
    high: float
    scale: str
    views: list[ViewDrawn]
    dimensions: list[DimensionDrawn]
    strokes: list[StrokeDrawn]
    words: list[WordsDrawn]
    listed: list[str]


class SizesAsked(BaseModel):
    """The sizes that are to be shown where they are measured, with other formulas for some."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    sizes: tuple[str, ...]
    given: dict[str, str] = {}


class SizesDrawn(_Message):
    """A small page for each size that is a length on a part."""

    answer: Literal["sizes drawn"] = "sizes drawn"
    pages: dict[str, PageDrawn]


class SheetDrawn(_Message):
    """The pages of a drawing sheet, and the size of the file that was written, 0 for none."""

    answer: Literal["sheet drawn"] = "sheet drawn"
    pages: list[PageDrawn]
    path: str
    bytes: int


class AreaReport(TypedDict):
    """What a stencil cuts or adds, seen from above."""

    cut: bool
    depth: float
    rings: list[list[tuple[float, float]]]


class StencilReport(TypedDict):
    """How a stencil looks, or what is wrong with it."""

    areas: list[AreaReport]
    trouble: str


class StencilsPictured(_Message):
    """How stencils look, in the order in which they were asked for."""

    answer: Literal["stencils pictured"] = "stencils pictured"
    pictures: list[StencilReport]


class FeatureFound(TypedDict):
    """Something to measure on a piece: its kind, its size as it was sent, mm, its words, and along
    which axis it lies."""

    kind: FeatureKind
    size: float
    label: str
    axis: str


class FeaturesFound(_Message):
    """All that can be measured."""

    answer: Literal["features"] = "features"
    features: list[FeatureFound]


class FeatureMeasured(FeatureFound):
    """The same with what was read, mm."""

    readings: list[float]


class PieceMeasured(_Message):
    """What was read on a piece, and what the closed caliper shows, mm."""

    answer: Literal["measured"] = "measured"
    measured: list[FeatureMeasured]
    closed: float


class StripMeasured(TypedDict):
    """One bent strip: the length of its blank, its thickness, the angle that the machine was told,
    and what was read, time after time: both legs and the angle; mm and degrees."""

    blank: float
    thickness: float
    told: float
    readings: list[tuple[float, float, float]]


class StripsBent(_Message):
    """What was read on bent strips, and the inside radius that a gauge shows, mm."""

    answer: Literal["bent"] = "bent"
    strips: list[StripMeasured]
    radius: float


Answer = Annotated[
    Ready | GivenUp | Refused | Progress | RebuildDone | Unfolded | ReadOff
    | Near | ComesOff | Looked | Exported | Followed | Tried | Gauged | Glanced | BentTo
    | BuiltAt | Deviated | LaidOut | TiesTold | Wiggled | FeaturesFound | StencilsPictured
    | PieceMeasured | StripsBent | SheetDrawn | SizesDrawn,
    Field(discriminator="answer"),
]  # fmt: skip

REQUESTS: TypeAdapter[Request] = TypeAdapter(Request)
ANSWERS: TypeAdapter[Answer] = TypeAdapter(Answer)
