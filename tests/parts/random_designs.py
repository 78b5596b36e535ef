"""Random designs over all kinds of step, by a seed: ordinary enough to come out mostly, odd enough
to meet and touch."""

from __future__ import annotations

import random

from tests.conftest import of_kind

from .making import Step, circle, extrude, polygon, rectangle, sketch, slot, step


def mm(value: float) -> str:
    return f"{value:.6g} mm"


class Dice(random.Random):
    def size(self, low: float, high: float) -> float:
        """A length, as often as not a round one, so that things meet."""
        return self.choice([self.uniform(low, high), float(self.randint(round(low), round(high)))])

    def shape(self, name: str, reach: float) -> Step:
        x, y = mm(self.size(-reach, reach)), mm(self.size(-reach, reach))
        kind = self.randint(0, 3)
        if kind == 0:
            return rectangle(
                name,
                mm(self.size(3, 20)),
                mm(self.size(3, 20)),
                x,
                y,
                turn=self.choice(["0 deg", "90 deg", "30 deg"]),
            )
        if kind == 1:
            return circle(name, mm(self.size(2, 16)), x, y)
        if kind == 2:
            wide = self.size(2, 8)
            return slot(
                name,
                mm(wide + self.size(1, 14)),
                mm(wide),
                x,
                y,
                turn=self.choice(["0 deg", "45 deg"]),
            )
        a, b = self.size(4, 16), self.size(4, 16)
        return polygon(name, (x, y), (f"{x} + {mm(a)}", y), (x, f"{y} + {mm(b)}"))


def random_steps(seed: int) -> list[Step]:
    """A block, and two to six things done to it."""
    dice = Dice(seed)
    wide, deep, high = dice.size(30, 60), dice.size(25, 50), dice.size(6, 20)
    steps: list[Step] = [
        sketch("o", rectangle("edge", mm(wide), mm(deep))),
        extrude("block", "o", mm(high)),
    ]
    ways = [
        _boss,
        _pocket,
        _through,
        _hole,
        _row,
        _mirror,
        _ring,
        _fillet,
        _chamfer,
        _shell,
        _revolve,
        _cut_off,
        _wire,
        _lean,
        _loft,
        _rib,
    ]
    for number in range(dice.randint(2, 6)):
        steps += dice.choice(ways)(dice, f"s{number}", high)
    return steps


def _boss(dice: Dice, name: str, high: float) -> list[Step]:
    return [
        sketch(f"{name}_o", dice.shape("a", 15), dice.shape("b", 15), plane="block/end"),
        extrude(name, f"{name}_o", mm(dice.size(2, 12))),
    ]


def _pocket(dice: Dice, name: str, high: float) -> list[Step]:
    by = mm(dice.size(1, max(2, high - 1)))
    return [
        sketch(f"{name}_o", dice.shape("a", 15), plane="block/end"),
        extrude(name, f"{name}_o", by, mode="cut", direction="down"),
    ]


def _through(dice: Dice, name: str, high: float) -> list[Step]:
    return [
        sketch(f"{name}_o", dice.shape("a", 15), dice.shape("b", 15)),
        extrude(name, f"{name}_o", "1 mm", mode="cut", extent="through"),
    ]


def _hole(dice: Dice, name: str, high: float) -> list[Step]:
    form = dice.choice(["plain", "countersunk", "counterbored"])
    more = {"head": "9 mm", "head_depth": "2 mm"} if form != "plain" else {}
    place = {"x": mm(dice.size(-10, 10)), "y": mm(dice.size(-8, 8))}
    return [
        step(
            "hole", name, face="block/end", diameter=mm(dice.size(2, 5)), form=form, **place, **more
        )
    ]


def _row(dice: Dice, name: str, high: float) -> list[Step]:
    along = dice.choice(["x", "y"])
    return [
        *_through(dice, f"{name}_of", high),
        step(
            "row",
            name,
            of=f"{name}_of",
            how="on",
            along=along,
            count=str(dice.randint(0, 4)),
            pitch=mm(dice.size(2, 14)),
        ),
    ]


def _ring(dice: Dice, name: str, high: float) -> list[Step]:
    return [
        *_boss(dice, f"{name}_of", high),
        step("ring", name, of=f"{name}_of", count=str(dice.randint(1, 5))),
    ]


def _mirror(dice: Dice, name: str, high: float) -> list[Step]:
    return [
        *_boss(dice, f"{name}_of", high),
        step("mirror", name, of=f"{name}_of", plane=dice.choice(["side", "front"])),
    ]


def _fillet(dice: Dice, name: str, high: float) -> list[Step]:
    return [
        step(
            "fillet",
            name,
            edges=[{"how": "between", "of": ["block/side/edge.left", "block/side/edge.top"]}],
            radius=mm(dice.size(1, 4)),
        )
    ]


def _chamfer(dice: Dice, name: str, high: float) -> list[Step]:
    return [
        step(
            "chamfer",
            name,
            edges=[{"how": "between", "of": ["block/side/edge.right", "block/side/edge.top"]}],
            by=mm(dice.size(1, 3)),
        )
    ]


def _shell(dice: Dice, name: str, high: float) -> list[Step]:
    return [step("shell", name, faces=["block/start"], wall=mm(dice.size(1, 3)))]


def _revolve(dice: Dice, name: str, high: float) -> list[Step]:
    r = dice.size(4, 10)
    half = polygon(
        "half",
        ("0 mm", mm(high / 2)),
        (mm(r), mm(high / 2)),
        (mm(r / 2), mm(high + 6)),
        ("0 mm", mm(high + 6)),
    )
    return [
        sketch(f"{name}_o", half, plane="front"),
        step("revolve", name, sketch=f"{name}_o", mode=dice.choice(["add", "cut"])),
    ]


def _cut_off(dice: Dice, name: str, high: float) -> list[Step]:
    return [
        step(
            "cut_off",
            name,
            plane="side",
            at=mm(dice.size(8, 20)),
            angle=f"{dice.choice([0, 15, 30])} deg",
        )
    ]


def _wire(dice: Dice, name: str, high: float) -> list[Step]:
    r = dice.size(10, 16)
    return [
        step(
            "sweep",
            name,
            wire=mm(dice.size(2, 4)),
            last="360 deg",
            x=f"{r:.4g} mm*cos(turned)",
            y=f"{r:.4g} mm*sin(turned)",
            z=mm(high),
        )
    ]


def _lean(dice: Dice, name: str, high: float) -> list[Step]:
    shape = rectangle("a", mm(dice.size(8, 16)), mm(dice.size(8, 16)), mm(dice.size(-8, 8)))
    return [
        sketch(f"{name}_o", shape, plane="block/end"),
        extrude(name, f"{name}_o", mm(dice.size(2, 6)), sides="leaning", lean="10 deg"),
    ]


def _loft(dice: Dice, name: str, high: float) -> list[Step]:
    x = mm(dice.size(-10, 10))
    return [
        sketch(f"{name}_a", rectangle("r", "12 mm", "12 mm", x), plane="block/end"),
        sketch(f"{name}_b", rectangle("r", "6 mm", "6 mm", x), lift=mm(high + 10)),
        step("loft", name, first=f"{name}_a", last=f"{name}_b"),
    ]


def _rib(dice: Dice, name: str, high: float) -> list[Step]:
    elements = [
        {"kind": "point", "name": "a", "x": -12, "y": dice.randint(-6, 6)},
        {"kind": "point", "name": "b", "x": 9, "y": 3},
        {"kind": "line", "name": "way", "start": "a", "end": "b"},
    ]
    return [
        of_kind("sketch", f"{name}_o", plane="block/end", drawing={"elements": elements}),
        step("rib", name, sketch=f"{name}_o", thickness=mm(dice.size(1, 3)), by="6 mm"),
    ]
