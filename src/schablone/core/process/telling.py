"""What a calibration says in words: what is odd about the readings and the likely cause, what they
cannot tell, what would help."""

from __future__ import annotations

from collections.abc import Sequence

from ..quantity import plain
from .calibrate import Calibration
from .model import NAMES
from .readings import Reading, say_slipped

#: How many standard uncertainties something must be off before it is told, and how far at least, mm
#: or percent.
_SURE, _ZERO, _AXES, _SCALED = 2.6, 0.02, 0.04, 0.35
#: By how much the ± must shrink before it is worth another piece.
_WORTH = 0.9
#: What would tell a figure.
_NEEDS = {
    "shrinkage_xy": "lengths that differ much", "shrinkage_z": "heights that differ much",
    "hole_gain": "holes",
    "hole_small": "at least three different holes", "opening_gain": "openings", "peg_gain": "pegs",
    "peg_small": "at least three different pegs", "length_gain": "short lengths",
    "height_gain": "low heights", "first_layer": "steps as high as the first layer",
    "kerf": "openings",
    "cutter": "square openings from corner to corner",
}  # fmt: skip


def told(calibration: Calibration, everything: Sequence[Reading]) -> list[str]:
    """All of it, the most pressing first. ``everything``: the readings of all pieces one after the
    other."""
    words = [say_slipped(everything[k]) for k in sorted(calibration.slipped)]
    words += _far_off(calibration, everything)
    zero, sure = calibration.zero
    if abs(zero) > max(_ZERO, _SURE * sure):
        way = "large" if zero > 0 else "small"
        words.append(
            f"Inside and outside alike reads {plain(abs(zero), 2)} mm too {way}: does the "
            "caliper show that when it is closed? "
            "It is allowed for."
        )
    words += _scaled(calibration)
    across, unsure = (calibration.allowed or {}).get("x_and_y", (0.0, 1.0))
    if abs(across) > max(_AXES, _SURE * unsure):
        more, less = ("x", "y") if across > 0 else ("y", "x")
        words.append(
            f"Along {more} it shrinks by {plain(abs(across), 2)} % more than along {less}. "
            "That is not corrected, but allowed for."
        )
    for name in sorted(calibration.wide, key=list(_NEEDS).index):
        what = NAMES[name][0]
        words.append(
            f"The {what} cannot be told from these readings and stays as it was; measure "
            f"{_NEEDS[name]} for it."
        )
    now, then = calibration.once_more
    if then < _WORTH * now:
        words.append(
            "One piece does not show how the machine differs from day to day. Made and "
            "measured once more on another day, ± of "
            f"the next piece goes from {plain(now, 2)} to {plain(then, 2)} mm."
        )
    return words


def _far_off(calibration: Calibration, everything: Sequence[Reading]) -> list[str]:
    """Features that lie far off, and two of a kind that fit when they are swapped."""
    features: dict[tuple[str, float, str], list[Reading]] = {}
    for k in sorted(calibration.outliers):
        reading = everything[k]
        features.setdefault((reading.feature, reading.drawn, reading.label), []).append(reading)
    firsts = [many[0] for many in features.values()]
    words, swapped = [], set[int]()
    for i, one in enumerate(firsts):
        for j, other in enumerate(firsts[:i]):
            apart = one.drawn - other.drawn
            if (
                one.feature == other.feature
                and apart
                and abs((one.measured - other.measured) / apart + 1) < 0.3
            ):
                words.append(f"{one.words} and {other.words} read as if they were swapped.")
                swapped |= {i, j}
    words += [
        f"{one.words} lies far off the others." for i, one in enumerate(firsts) if i not in swapped
    ]
    return words


def _scaled(calibration: Calibration) -> list[str]:
    """Everything larger or smaller by the same share, in all directions: that is no shrinkage."""
    shares = [calibration.figures.get(name) for name in ("shrinkage_xy", "shrinkage_z")]
    if None in shares or calibration.wide & {"shrinkage_xy", "shrinkage_z"}:
        return []
    across, up = float(shares[0] or 0), float(shares[1] or 0)
    if max(across, up) > -_SCALED or abs(across - up) > 0.3:
        return []
    percent = plain(100 - (across + up) / 2, 1)
    return [
        "Everything came out larger by the same share. Was it scaled "
        f"to {percent} % before it was made?"
    ]
