"""What the card of a process says of it: its habits line by line, and how well they are known."""

from __future__ import annotations

from ...core.formula.habits import FITS
from ...core.process import Process
from ...core.quantity import plain


def card_lines(process: Process) -> list[tuple[str, str]]:
    """The figures of a process that matter most, in words, by its kind."""
    fits = [
        ", ".join(f"{fit} {_minus(process.clearance(fit))}" for fit in two)
        for two in (FITS[:2], FITS[2:])
    ]
    reference = process.fits.reference
    at = f"of {plain(reference)} mm" if reference else ""
    lines: list[tuple[str, str]] = []
    if process.family == "print":
        lines += [
            (
                "Shrinks",
                f"{plain(process.shrinkage_xy, 2)} % in x and y, "
                f"{plain(process.shrinkage_z, 2)} % in z",
            ),
            ("Holes come out", _round(process.hole_gain, process.hole_small)),
            ("Outsides come out", _round(process.peg_gain, process.peg_small)),
        ]
        if process.height_gain:
            lines.append(("Heights come out", _signed(process.height_gain)))
        if process.first_layer:
            lines.append(("First layer", f"{plain(process.first_layer, 2)} mm wider all around"))
        if process.length_gain is not None and process.length_gain != process.peg_gain:
            lines[2:] = [
                ("Pegs come out", lines[2][1]),
                ("Outsides come out", _signed(process.length_gain)),
                *lines[3:],
            ]
        if process.opening_gain is not None and process.opening_gain != process.hole_gain:
            lines.insert(2, ("Openings come out", _signed(process.opening_gain)))
    elif process.kind == "router":
        lines += [
            (
                "Cutter",
                f"ø {plain(process.cutter)} mm, "
                f"{process.say_reliefs() or 'inner corners left round'}",
            ),
            ("Cuts free", _signed(process.path_gain)),
        ]
    elif process.kind == "folding":
        lines += [
            (
                f"{b.material} {plain(b.thickness)}",
                f"radius {plain(b.radius, 2)}, off {plain(b.deduction, 2)} mm, back "
                f"{plain(b.springs_back, 1)}°",
            )
            for b in [bend for bend in process.bends if bend.angle == 90][:4]
        ]
    else:
        lines += [
            (f"{k.material or 'any material'} {plain(k.thickness)}", f"kerf {plain(k.kerf)} mm")
            for k in process.kerfs[:3]
        ]
    if process.stock:
        lines.append(
            (
                "Stock",
                ", ".join(f"{s.name} is {plain(s.measured)}" for s in process.stock[:2]) + " mm",
            )
        )
    lines += [
        ("Gap for a fit", f"{fits[0]},"),
        (at, f"{fits[1]} mm"),
        ("Bed", " × ".join(plain(length, 0) for length in process.bed) + " mm"),
    ]
    return lines


def how_well(process: Process) -> str:
    """How well its figures are known, in words."""
    bent = [bend.known for bend in process.bends if bend.known is not None]
    if bent:
        last = max(known.date for known in bent)
        return f"calibrated {last}, {sum(known.strips for known in bent)} strips"
    calibrated = [known for known in process.known.values() if known.source == "calibrated"]
    if calibrated:
        newest = max(calibrated, key=lambda known: known.date)
        return f"calibrated {newest.date}, {newest.readings} readings"
    return "from a data sheet" if process.known else "figures as typed, not measured"


def _minus(number: float) -> str:
    return plain(number).replace("-", "−")


def _signed(gain: float) -> str:
    if gain == 0:
        return "true to size"
    return f"{plain(abs(gain), 2)} mm {'larger' if gain > 0 else 'smaller'}"


def _round(gain: float, small: float) -> str:
    """What round walls gain, and what small ones do."""
    words = _signed(gain)
    if not small:
        return words
    at_four = round(gain + small / 4, 2)
    if not at_four:
        return f"{words}, true at ø 4"
    way = "" if gain * at_four > 0 else " larger" if at_four > 0 else " smaller"
    return f"{words}, {plain(abs(at_four), 2)}{way} at ø 4"
