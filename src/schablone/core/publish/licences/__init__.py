"""Licences that are offered: their names, their texts in full, and what they ask of adaptations."""

from __future__ import annotations

from importlib.resources import files

from ...design.model import Design

#: Licences that are offered, by their short names.
LICENCES = {
    "CC-BY-4.0": "Creative Commons Attribution 4.0 International",
    "CC-BY-SA-4.0": "Creative Commons Attribution-ShareAlike 4.0 International",
    "CC0-1.0": "Creative Commons Zero 1.0 Universal (public domain dedication)",
    "Apache-2.0": "Apache License 2.0",
    "MIT": "MIT License",
}

#: Licences that an adaptation must keep.
SHARE_ALIKE = ("CC-BY-SA-4.0",)


def licence_name(design: Design) -> str:
    """The licence of a design in words."""
    return licence_words(design.publish.licence)


def licence_words(short: str) -> str:
    """A licence by its short name in words."""
    return f"{LICENCES[short]} ({short})" if short in LICENCES else short or "All rights reserved"


def licence_in_full(short: str) -> str:
    """The text of a licence by its short name; empty where it is none of those offered."""
    if short not in LICENCES:
        return ""
    return files(__package__).joinpath(f"{short}.txt").read_text("utf8")
