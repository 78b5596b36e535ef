"""Kinds of quantity and the units they are written in.

A number is kept as a float in base units: millimetres, grams and degrees, and powers of them.
Degrees rather than radians, so that the angles people type (30, 45, 90) are exact. The *kind* of a
number is the triple of exponents of length, mass and angle. Angle counts as a kind of its own so
that ``width + 30 deg`` is caught, but an angle times a length is an arc length (see
:meth:`Kind.times`).
"""

from __future__ import annotations

import math
from fractions import Fraction
from typing import NamedTuple

import numpy as np

#: The longest length of which anything is made here, mm: beyond it the geometry loses its digits.
LONGEST_MADE = 1e6


class Kind(NamedTuple):
    """Exponents of length, mass and angle, or one of the special kinds named by ``tag``."""

    length: int = 0
    mass: int = 0
    angle: int = 0
    tag: str = ""

    @property
    def label(self) -> str:
        """What a person calls it: ``length``, ``count``, ``area`` …"""
        if self.tag:
            return self.tag
        known = _LABELS.get(self)
        if known:
            return known
        powers = zip(("length", "mass", "angle"), self[:3], strict=True)
        return " × ".join(
            f"{name}^{power}" if power != 1 else name for name, power in powers if power
        )

    @property
    def with_article(self) -> str:
        """The label with its article: ``a length``, ``an area``."""
        return f"{'an' if self.label[0] in 'aeiou' else 'a'} {self.label}"

    @property
    def plural(self) -> str:
        """The label for several: ``lengths``, ``masses``."""
        label = self.label
        return (
            label[:-1] + "ies"
            if label.endswith("ty")
            else label + ("es" if label.endswith("s") else "s")
        )

    def times(self, other: Kind) -> tuple[Kind, float]:
        """Kind of a product, and the factor its value takes.

        An angle times a length is an arc length: the angle is then taken in radians and disappears.
        """
        length, mass, angle = (a + b for a, b in zip(self[:3], other[:3], strict=True))
        if angle and length:
            return Kind(length, mass, 0), math.radians(1.0) ** angle
        return Kind(length, mass, angle), 1.0

    def inverse(self) -> Kind:
        """Kind of one over this."""
        return Kind(-self.length, -self.mass, -self.angle)

    def power(self, exponent: int) -> Kind:
        """Kind of a whole power."""
        return Kind(self.length * exponent, self.mass * exponent, self.angle * exponent)

    def root(self, degree: int) -> Kind | None:
        """Kind of a root, or None where there is no such kind (the root of a length)."""
        if any(exponent % degree for exponent in self[:3]):
            return None
        length, mass, angle = (exponent // degree for exponent in self[:3])
        return Kind(length, mass, angle)


COUNT = Kind()
LENGTH = Kind(length=1)
AREA = Kind(length=2)
VOLUME = Kind(length=3)
MASS = Kind(mass=1)
ANGLE = Kind(angle=1)
DENSITY = Kind(length=-3, mass=1)
TRUTH = Kind(tag="truth")
#: The kind of a plain 0, which goes with everything.
ZERO = Kind(tag="zero")

_LABELS = {
    COUNT: "count",
    LENGTH: "length",
    AREA: "area",
    VOLUME: "volume",
    MASS: "mass",
    ANGLE: "angle",
    DENSITY: "density",
}


#: Kinds that a designer can ask of a size, by name.
KINDS = {kind.label: kind for kind in (COUNT, LENGTH, AREA, VOLUME, MASS, ANGLE, DENSITY, TRUTH)}


class Unit(NamedTuple):
    """A unit: its kind and its exact size in base units."""

    kind: Kind
    factor: Fraction


def _linear() -> dict[str, Unit]:
    inch = Fraction(254, 10)
    lengths = {
        "µm": Fraction(1, 1000),
        "um": Fraction(1, 1000),
        "mm": Fraction(1),
        "cm": Fraction(10),
        "m": Fraction(1000),
        "in": inch,
        '"': inch,
        "ft": inch * 12,
        "'": inch * 12,
        "thou": inch / 1000,
    }
    units = {name: Unit(LENGTH, factor) for name, factor in lengths.items()}
    # The micro sign and the Greek letter look alike; keyboards give either.
    units["μm"] = units["µm"]
    units |= {"g": Unit(MASS, Fraction(1)), "kg": Unit(MASS, Fraction(1000))}
    units |= {
        "deg": Unit(ANGLE, Fraction(1)),
        "°": Unit(ANGLE, Fraction(1)),
        "turn": Unit(ANGLE, Fraction(360)),
    }
    units["rad"] = Unit(ANGLE, Fraction(180.0 / math.pi))
    units["%"] = Unit(COUNT, Fraction(1, 100))
    for mass, volume in (("g", "cm"), ("kg", "m")):
        density = Unit(DENSITY, units[mass].factor / lengths[volume] ** 3)
        units[f"{mass}/{volume}³"] = units[f"{mass}/{volume}^3"] = density
    return units


#: Every unit by the way it is written, without powers.
UNITS: dict[str, Unit] = _linear()


def unit(text: str) -> Unit:
    """Look up a unit with an optional power: ``mm``, ``cm²``, ``m^3``.

    Raises:
        KeyError: if there is no such unit.
    """
    if text in UNITS:
        return UNITS[text]
    for mark, exponent in (("²", 2), ("³", 3), ("^2", 2), ("^3", 3)):
        if text.endswith(mark):
            base = UNITS[text.removesuffix(mark)]
            return Unit(base.kind.power(exponent), base.factor**exponent)
    raise KeyError(text)


class Quantity(NamedTuple):
    """A value in base units with its kind. ``value`` is 0.0 or 1.0 for a truth."""

    value: float
    kind: Kind

    def __str__(self) -> str:
        return say(self)


def plain(number: float, decimals: int = 4) -> str:
    """A number as people write it: no exponent, no trailing zeros, no minus zero."""
    if not math.isfinite(number):
        return "no number"
    if number and (abs(number) >= 1e12 or abs(number) < 0.5 * 10**-decimals):
        return f"{number:.6g}"
    text = f"{number:.{decimals}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def say_spot(*place: float) -> str:
    """A spot in the plane or in space, mm, as people write it: ``x 10, y 2.5 mm``."""
    return (
        ", ".join(f"{k} {plain(round(c, 3), 3)}" for k, c in zip("xyz", place, strict=False))
        + " mm"
    )


_DISPLAY = {
    LENGTH: ("mm", 1.0, 3),
    AREA: ("mm²", 1.0, 2),
    VOLUME: ("mm³", 1.0, 2),
    MASS: ("g", 1.0, 3),
    ANGLE: ("°", 1.0, 4),
    DENSITY: ("g/cm³", 1000.0, 4),
}


def inches(value: float, denominator: int) -> str:
    """Millimetres as inches with a fraction, to the nearest of a denominator: ``1 3/4 in``.

    Where the fraction is not exact to a thousandth of a millimetre, a ``~`` stands before it.
    """
    parts = round(abs(value) / 25.4 * denominator)
    whole, rest = divmod(parts, denominator)
    fraction = Fraction(rest, denominator)
    text = " ".join(
        part
        for part in (str(whole) if whole or not rest else "", str(fraction) if rest else "")
        if part
    )
    exact = abs(parts * 25.4 / denominator - abs(value)) < 1e-3
    return f"{'' if exact else '~'}{'-' if value < 0 and parts else ''}{text} in"


def say(quantity: Quantity, units: str = "mm", denominator: int = 0) -> str:
    """A quantity as text with its unit, in millimetres or (``units="in"``) inches; lengths in
    inches as fractions where a denominator is given."""
    value, kind = quantity
    if kind == TRUTH:
        return "yes" if value else "no"
    if kind in (COUNT, ZERO):
        return plain(value, 6)
    if units == "in" and kind.length and not (kind.mass or kind.angle) and kind.length <= 3:
        if denominator and kind == LENGTH:
            return inches(value, denominator)
        mark = {1: "in", 2: "in²", 3: "in³"}.get(kind.length)
        if mark:
            return f"{plain(value / 25.4**kind.length, 4)} {mark}"
    if kind in _DISPLAY:
        mark, factor, decimals = _DISPLAY[kind]
        gap = "" if mark == "°" else " "
        return f"{plain(value * factor, decimals)}{gap}{mark}"
    parts = zip(("mm", "g", "°"), kind[:3], strict=True)
    return f"{plain(value, 6)} " + "·".join(f"{n}^{p}" if p != 1 else n for n, p in parts if p)


def formula_of(value: float, kind: Kind) -> str:
    """A value as a formula of its kind, to every digit."""
    if kind == TRUTH:
        return "1 == 1" if value else "1 == 0"
    number = np.format_float_positional(value, unique=True, trim="-")
    if kind in (COUNT, ZERO):
        return number
    if kind == ANGLE:
        return f"{number} deg"
    if kind == MASS:
        return f"{number} g"
    return f"{number} mm" + {1: "", 2: "²", 3: "³"}.get(kind.length, f"^{kind.length}")


def grams(volume: float, density: float) -> float:
    """The mass, g, of a volume, mm³, of a density, g/cm³."""
    return volume * density / 1000


def grams_if_known(volume: float, density: float | None) -> float | None:
    """The same; None where nobody knows the density."""
    return None if density is None else grams(volume, density)


def say_grams(mass: float) -> str:
    """A mass, g, as it is said of parts: ``0.35 g``, ``52.3 g``, ``13.2 kg``."""
    if abs(mass) < 1:
        return f"{mass:.2g} g"
    number, unit = (mass, "g") if abs(mass) < 9_999.5 else (mass / 1000, "kg")
    return f"{plain(number, 1 if abs(number) < 99.95 else 0)} {unit}"
