"""A part built: what is asked for it, and all that the window is told of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal, NotRequired

from typing_extensions import TypedDict

from ...core.process.lens import Lens
from ...core.sketch.tracing import Form
from .message import XYZ, Message, OfADesign

#: Begins the name of what a step placed, as a part that is shown and not made.
BOUGHT = "bought:"


class Rebuild(OfADesign):
    """Build it, up to a step where one is named. ``known``: by part, the key of what the window has
    already; ``given``: other formulas for some sizes; ``without``: steps that have ended workers,
    which are left out."""

    do: Literal["rebuild"] = "rebuild"
    known: dict[str, str] = {}
    given: dict[str, str] = {}
    until: str = ""
    without: tuple[str, ...] = ()


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
    """A part: its figures in mm, mm² and mm³, density in g/cm³, None where nobody knows it; its
    mesh is in the arrays unless it is unchanged."""

    name: str
    title: str
    key: str
    volume: float
    area: float
    bounds: tuple[XYZ, XYZ]
    centre: XYZ
    density: float | None
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
    mass: float | None
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


class RebuildDone(Message):
    """The part; its meshes are in the arrays."""

    answer: Literal["rebuilt"] = "rebuilt"
    report: Report


class ReadOff(Message):
    """What the sizes are measures of, as :class:`~schablone.core.design.measures.Measures` writes
    it."""

    answer: Literal["read off"] = "read off"
    measures: Any


class Unfolded(Message):
    """The blanks of folded parts."""

    answer: Literal["unfolded"] = "unfolded"
    blanks: list[BlankReport]


class Near(Message):
    """What lies next to what, the nearest first."""

    answer: Literal["near"] = "near"
    pairs: list[NearReport]


class ComesOff(Message):
    """Which way parts come off each other, in words."""

    answer: Literal["comes off"] = "comes off"
    words: list[str]


class Looked(Message):
    """The checks that look at the whole shape."""

    answer: Literal["looked"] = "looked"
    findings: list[FindingReport]
