"""Short ways to write designs down, and what a part of the corpus is."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from schablone.core.design import Design
from tests.conftest import of_kind

Step = dict[str, object]


def sketch(name: str, *shapes: Step, plane: str = "ground", **more: object) -> Step:
    return {"kind": "sketch", "name": name, "plane": plane, "shapes": list(shapes), **more}


def rectangle(
    name: str, width: str, height: str, x: str = "0 mm", y: str = "0 mm", **more: object
) -> Step:
    return {**of_kind("rectangle", name, width=width, height=height, x=x, y=y), **more}


def circle(name: str, diameter: str, x: str = "0 mm", y: str = "0 mm") -> Step:
    return {"kind": "circle", "name": name, "diameter": diameter, "x": x, "y": y}


def slot(
    name: str, length: str, width: str, x: str = "0 mm", y: str = "0 mm", **more: object
) -> Step:
    return {"kind": "slot", "name": name, "length": length, "width": width, "x": x, "y": y, **more}


def polygon(name: str, *points: tuple[str, str]) -> Step:
    return {"kind": "polyline", "name": name, "points": [{"x": x, "y": y} for x, y in points]}


def extrude(name: str, of: str, by: str, **more: object) -> Step:
    return {"kind": "extrude", "name": name, "sketch": of, "by": by, **more}


def cut(name: str, of: str, **more: object) -> Step:
    return {**of_kind("extrude", name, sketch=of, mode="cut", extent="through"), **more}


def step(kind: str, name: str, **more: object) -> Step:
    return {"kind": kind, "name": name, **more}


def drawn(
    name: str,
    elements: Sequence[Step],
    rules: Sequence[Step] = (),
    dims: Sequence[Step] = (),
    **more: object,
) -> Step:
    """A sketch that is a drawing with constraints and dimensions."""
    drawing = {"elements": list(elements), "constraints": list(rules), "dimensions": list(dims)}
    return {"kind": "sketch", "name": name, "drawing": drawing, **more}


def point(name: str, x: float, y: float, **more: object) -> Step:
    return {"kind": "point", "name": name, "x": x, "y": y, **more}


def line(name: str, start: str, end: str, **more: object) -> Step:
    return {"kind": "line", "name": name, "start": start, "end": end, **more}


def round_(name: str, centre: str, radius: float, **more: object) -> Step:
    return {"kind": "circle", "name": name, "centre": centre, "radius": radius, **more}


def rule(kind: str, *of: str) -> Step:
    return {"name": f"{kind}_{'_'.join(of)}", "kind": kind, "of": list(of)}


def dim(kind: str, formula: str, *of: str) -> Step:
    return {"name": f"{kind}_{'_'.join(of)}", "kind": kind, "of": list(of), "formula": formula}


@dataclass(frozen=True)
class Part:
    """A part of an everyday shop: its sizes with the values they take one after another, its steps,
    and what must come of it.

    ``expects`` gets the sizes in mm, degrees and counts, and gives figures worked out by hand:
    ``volume`` mm³, ``area`` mm², ``bounds`` as lengths along x, y and z. ``closely`` is by what
    share the volume may differ.
    """

    name: str
    sizes: Mapping[str, Sequence[str]]
    steps: Sequence[Step]
    expects: Callable[[Mapping[str, float]], Mapping[str, object]]
    closely: float = 1e-7
    nightly: bool = False
    more: Mapping[str, object] = field(default_factory=dict)

    def design(self) -> Design:
        sizes = [{"name": name, "formula": values[0]} for name, values in self.sizes.items()]
        return Design.model_validate(
            {"name": self.name, "sizes": sizes, "steps": list(self.steps), **self.more}
        )

    def cases(self) -> list[dict[str, str]]:
        """All sizes at their first values, then each at each of its others, then all at their
        last."""
        first = {name: values[0] for name, values in self.sizes.items()}
        last = {name: values[-1] for name, values in self.sizes.items()}
        others = [
            {**first, name: value} for name, values in self.sizes.items() for value in values[1:]
        ]
        found: list[dict[str, str]] = []
        for case in [first, *others, last]:
            if case not in found:
                found.append(case)
        return found
