"""Whether folded parts can be folded: one blank that lies in its sheet, bends that the machine can
make, room beside them, and nothing in the way."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from shapely.geometry import Point, Polygon

from ..design.rebuild import Rebuilt
from ..kernel.folding import Folded
from ..kernel.folding.bend_lines import BendLine, bend_lines
from ..kernel.folding.sheet import Bend
from ..kernel.folding.ways import in_the_way
from ..process.bend_chart import BendFigures, bend_figures
from ..process.model import Process
from ..quantity import plain
from ..words import capital, say_name
from .finding import Finding

#: A hole keeps this many thicknesses from where a bend starts, or it is drawn towards it: what
#: shops ask for as 2.5 thicknesses and the radius from the face of the flange.
_CLEAR = 2.5
#: What a caliper would feel of a hole that is drawn, mm.
_FELT = 0.01
#: The least inside radius that sheets take without cracking, in thicknesses, where nothing better
#: is known; hems are pressed shut all the same.
_LEAST_RADIUS = {"Aluminium": 0.5, "Steel": 0.5, "Copper": 0.3, "Brass": 0.5}
_LEAST_RADIUS_ELSE = 1.0
_HEM = 150.0
#: How near to the end of a bend it is looked whether the sheet goes on, mm.
_BESIDE = 0.01


@dataclass(frozen=True, slots=True)
class _Sheet:
    """A folded part as it is looked at."""

    name: str
    folded: Folded
    machine: Process
    material: str
    cutter: Process | None = None

    def figures(self, bend: Bend) -> BendFigures:
        radius = bend.radius
        return bend_figures(
            self.machine, self.material, self.folded.thickness, abs(bend.angle), radius
        )


def _sheets(built: Rebuilt) -> Iterator[_Sheet]:
    for name, body in built.bodies.items():
        folded = body.folded or body.blank_of
        if folded is not None:
            cut = built.view.cutter_of(name)
            machine = built.view_of(name).process
            yield _Sheet(name, folded, machine, built.made_of[name], cut.process if cut else None)


def folding(built: Rebuilt) -> list[Finding]:
    """The checks of folded parts that take no time to speak of."""
    sheets = list(_sheets(built))
    if not sheets:
        return []
    return [
        _first_wrong("Every blank is one flat piece", sheets, _blank),
        _first_wrong("Every bend can be made", sheets, _bends),
        _first_wrong("Holes keep clear of the bends", sheets, _holes),
        _first_wrong("The ends of all bends are freed", sheets, _ends),
    ]


def folding_ways(built: Rebuilt, alive: Callable[[], bool] = lambda: True) -> list[Finding]:
    """Whether folded parts run into themselves, at the end or on the way, which takes a moment."""
    sheets = list(_sheets(built))
    if not sheets:
        return []

    def way(sheet: _Sheet) -> _Wrong:
        met = None
        if alive():
            met = in_the_way(sheet.folded, [line.number for line in bend_lines(sheet.folded)])
        if met is None:
            return False, "", ""
        when = "when it is folded" if met.at_the_end else f"while {met.bend} is bent"
        return (
            True,
            f"{capital(met.one)} runs into {met.other} {when}",
            "Change their heights or angles, or open the corner.",
        )

    return [_first_wrong("Nothing is in the way while it is folded", sheets, way)]


#: Whether something is wrong, what speaks for or against it, and what to do.
_Wrong = tuple[bool, str, str]


def _first_wrong(
    title: str, sheets: Sequence[_Sheet], check: Callable[[_Sheet], _Wrong]
) -> Finding:
    """A check of all folded parts: the first of which it does not hold, or what speaks for it."""
    good = ""
    for sheet in sheets:
        is_wrong, why, hint = check(sheet)
        if is_wrong:
            of = f"{say_name(sheet.name)}: " if len(sheets) > 1 else ""
            return Finding(title, False, f"{of}{why}.", hint, False, "part", sheet.name)
        good = why
    return Finding(title, True, good if len(sheets) == 1 else f"{len(sheets)} parts")


def _blank(sheet: _Sheet) -> _Wrong:
    try:
        x0, y0, x1, y1 = sheet.folded.blank.region.outer.bounds()
    except ValueError as error:
        what = str(error)
        return (
            True,
            capital(what),
            "Make flanges lower or shorter, or leave a gap between them.",
        )
    wide, high = x1 - x0, y1 - y0
    size = f"{plain(wide, 2)} × {plain(high, 2)} mm"
    thick = sheet.folded.thickness
    known = [
        stock
        for stock in sheet.machine.stock
        if stock.material in (sheet.material, "") and abs(stock.measured - thick) < 1e-6
    ]
    fits = [
        stock
        for stock in known
        if max(wide, high) <= max(stock.size) and min(wide, high) <= min(stock.size)
    ]
    bed = sorted(sheet.cutter.bed[:2]) if sheet.cutter is not None else []
    over = bed and (min(wide, high) > bed[0] or max(wide, high) > bed[1])
    if sheet.cutter is not None and over:
        room = " × ".join(plain(length, 0) for length in bed[::-1])
        return (
            True,
            f"It is {size}, and the bed of {sheet.cutter.name} {room} mm",
            "Choose a larger machine for the blank, or make it of several pieces.",
        )
    if known and not fits:
        room = " × ".join(plain(length, 0) for length in max(stock.size for stock in known))
        return (
            True,
            f"It is {size}, and the sheet {room} mm",
            "Make the part smaller, or of several pieces.",
        )
    return False, size, ""


def _bends(sheet: _Sheet) -> _Wrong:
    thick = sheet.folded.thickness
    longest = sheet.machine.longest_bend
    lines = bend_lines(sheet.folded)
    for line in lines:
        figures = sheet.figures(sheet.folded.bends[line.number])
        least = figures.least_flange
        if least and line.reach < least and abs(line.angle) < _HEM and not _pressed(sheet, line):
            return (
                True,
                f"Beyond the middle of {_say(line)} only {plain(line.reach, 2)} mm lie on the die; "
                f"it needs {plain(least, 2)} mm",
                "Make the flange higher, or bend it on a narrower die. An offset needs a tool that "
                "presses it in one stroke.",
            )
        if longest and line.long > longest:
            return (
                True,
                f"{capital(_say(line))} is {plain(line.long, 1)} mm long; {sheet.machine.name} "
                f"bends up to {plain(longest, 1)} mm",
                "Choose a longer machine, or divide the part.",
            )
        if too_high := _too_high(sheet, line):
            return (
                True,
                f"When {line.title} is made, what is bent already stands {plain(too_high, 1)} mm "
                f"high; {sheet.machine.name} has room for {plain(sheet.machine.open_height, 1)} mm",
                "Make it lower, bend it in another order, or choose a machine with more room.",
            )
        if along := _along_grain(sheet, line):
            return (
                True,
                f"{capital(line.title)} runs along the grain of {along}, and may crack",
                "Turn the drawing by a quarter, or choose other stock.",
            )
        share = _LEAST_RADIUS.get(sheet.material, _LEAST_RADIUS_ELSE)
        if line.radius < share * thick - 1e-9 and abs(line.angle) < _HEM:
            return (
                True,
                f"{capital(_say(line))} has a radius of {plain(line.radius, 2)} mm inside; "
                f"{sheet.material} of {plain(thick, 2)} mm cracks below about "
                f"{plain(share * thick, 2)} mm",
                "Make the radius larger.",
            )
    return False, f"{len(lines)} bends", ""


def _too_high(sheet: _Sheet, line: BendLine) -> float:
    """How high what is bent already stands over the bend that is made, mm, where that is more than
    the machine has room for; else 0."""
    room, folded = sheet.machine.open_height, sheet.folded
    if not room:
        return 0.0
    bend = folded.bends[line.number]
    before = {other.number for other in bend_lines(folded)[: line.order - 1]}
    shares = [1.0 if k in before else 0.0 for k in range(len(folded.bends))]
    frames = folded.placed(shares)
    base, up = frames[bend.parent], 1.0 if bend.angle > 0 else -1.0
    highest = 0.0
    for frame, panel in zip(frames, folded.panels, strict=True):
        for x, y in panel.region.outer.points(1.0).tolist():
            highest = max(highest, up * base.coordinates(frame.at(x, y))[2])
    return highest if highest > room else 0.0


def _along_grain(sheet: _Sheet, line: BendLine) -> str:
    """The stock along whose grain a bend runs, as the blank is drawn; empty where it does not."""
    (x0, y0), (x1, y1) = line.pieces[0]
    for stock in sheet.machine.stock:
        mine = abs(stock.measured - sheet.folded.thickness) < 1e-6
        if mine and stock.material in (sheet.material, "") and stock.grain:
            across = abs(y1 - y0) if stock.grain == "x" else abs(x1 - x0)
            if across < 0.3 * line.long:
                return stock.name
    return ""


def _pressed(sheet: _Sheet, line: BendLine) -> bool:
    """Whether a bend is the first of an offset that the machine presses in one stroke."""
    folded, bends = sheet.folded, sheet.folded.bends
    bend, web = bends[line.number], folded.hanging_on(line.number)
    back = [
        k
        for k, other in enumerate(bends)
        if other.parent == web and abs(other.angle + bend.angle) < 1e-9 and other.out == bend.out
    ]
    if not back:
        return False
    beyond = folded.frames[folded.hanging_on(back[0])]
    lift = abs(folded.frames[bend.parent].coordinates(beyond.origin)[2])
    return lift <= sheet.machine.offset_tool + 1e-9


def _holes(sheet: _Sheet) -> _Wrong:
    clear = _CLEAR * sheet.folded.thickness
    nearest: tuple[float, str, Bend] | None = None
    for number, panel in enumerate(sheet.folded.panels):
        mine = [
            b for k, b in enumerate(sheet.folded.bends) if number == b.parent or panel.bend == k
        ]
        for hole in panel.region.holes:
            ring = Polygon(hole.points(0.01))
            for bend in mine:
                for region in bend.regions:
                    far = ring.distance(Polygon(region.outer.points(0.01)))
                    if nearest is None or far < nearest[0]:
                        nearest = (far, panel.sides[hole.curves[0].name].words(), bend)
    if nearest is None:
        return False, "", ""
    far, wall, bend = nearest
    pulled = _pulled(sheet, bend, far / clear)
    if pulled >= _FELT:
        return (
            True,
            f"The {wall} begins {plain(far, 2)} mm from {bend.title}; nearer than "
            f"{plain(clear, 2)} mm it is drawn towards the bend, by up to {plain(pulled, 2)} mm",
            "Move it away, or cut it across the bend.",
        )
    return False, f"{plain(far, 2)} mm at least", ""


def _pulled(sheet: _Sheet, bend: Bend, share: float) -> float:
    """How far the edge of a hole is drawn at most, mm: by half of what the outer face of the bend
    is stretched, the less the further it is away. ``share``: how far it is away, of where it is
    clear."""
    stretched = math.radians(abs(bend.angle)) * sheet.folded.thickness
    return stretched * (1 - sheet.figures(bend).k) / 2 * (1 - share)


def _ends(sheet: _Sheet) -> _Wrong:
    corners: list[tuple[float, float]] = []
    for bend in sheet.folded.bends:
        region = sheet.folded.panels[bend.parent].region
        there = region.polygon(0.01)
        foot = bend.foot()
        low, high = foot[0][0], foot[-1][1]
        for end, beside in ((low, low - _BESIDE), (high, high + _BESIDE)):
            at = bend.from_own().point((_BESIDE, beside))
            if there.contains(Point(at)):
                return (
                    True,
                    f"The sheet goes on beside the end of {bend.title}, and would tear there",
                    "Choose a relief for its ends.",
                )
            corner = bend.from_own().point((0.0, end))
            if any(abs(corner[0] - x) + abs(corner[1] - y) < 1e-6 for x, y in corners):
                return (
                    True,
                    f"{capital(bend.title)} meets another bend in a corner of the sheet",
                    "Cut a hole where bends meet.",
                )
            corners.append(corner)
    return False, "", ""


def _say(line: BendLine) -> str:
    return line.title
