"""The promise of the product, counted: simulated makers take editions, choose sizes within their
ranges, make them on machines of hidden habits, and the fits are counted on what was truly made,
beside what the same machines make without correction."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from pathlib import Path

from schablone.core.design import Design, read_design
from schablone.core.design.rebuild import Memory
from schablone.core.gallery import Maker, made_by, makers
from schablone.core.gallery.makers import coupon_features
from schablone.core.gallery.promise import Promise
from schablone.core.practice.features import Measurable
from schablone.core.process import neutral, shipped_processes
from schablone.core.publish.life import coming_edition, with_edition

_DEMO = Path(__file__).resolve().parent.parent / "demo"
PRINTED, CUT = ("filament print", "resin print"), ("laser or knife", "router")


def test_pieces() -> dict[str, list[Measurable]]:
    """The features of the coupons that ship, for each kind of machine."""
    found = {}
    for name, ending, kinds in (
        ("printing-coupon", ".stl", PRINTED),
        ("cutting-coupon", ".dxf", CUT),
    ):
        design = read_design(_DEMO / f"{name}.schablone")
        found |= dict.fromkeys(kinds, coupon_features(design, ending))
    return found


def rack() -> Design:
    """A cut rack: a slot that a board slides into, and holes for a dowel."""
    cut = {"kind": "extrude", "by": "3 mm", "mode": "cut"}
    return Design.model_validate(
        {
            "name": "Rack", "process": "Laser Specht · birch plywood",
            "sizes": [
                {"name": "board", "formula": "9 mm", "low": "7 mm", "high": "12 mm"},
                {"name": "dowel", "formula": "8 mm", "low": "7 mm", "high": "16 mm"},
                {"name": "slot", "formula": "slot_for(board, sliding)"},
                {"name": "bore", "formula": "hole_for(dowel, push)"},
            ],
            "steps": [
                {"kind": "sketch", "name": "outline", "shapes": [
                    {"kind": "rectangle", "name": "r", "width": "120 mm", "height": "60 mm"}]},
                {"kind": "extrude", "name": "plate", "sketch": "outline", "by": "3 mm"},
                {"kind": "sketch", "name": "slot_at", "shapes": [
                    {"kind": "rectangle", "name": "r", "x": "-30 mm", "width": "slot",
                     "height": "40 mm"}]},
                {**cut, "name": "slot_cut", "sketch": "slot_at"},
                {"kind": "sketch", "name": "bore_at", "shapes": [
                    {"kind": "circle", "name": "c", "x": "30 mm", "diameter": "bore"}]},
                {**cut, "name": "bore_cut", "sketch": "bore_at"},
            ],
            "publish": {"adjust": [{"size": "board"}, {"size": "dowel"}]},
        }
    )  # fmt: skip


def keep(design: Design, some: Sequence[Maker], counted: Mapping[str, Promise]) -> list[str]:
    """Let makers make an edition; the reasons of those who could not."""
    process = next((p for p in shipped_processes() if p.name == design.process), neutral())
    edition = with_edition(design, coming_edition(design, process), process, "2026-05-30")
    memory, refused = Memory(), []
    for maker in some:
        made = made_by(maker, edition, memory)
        if isinstance(made, str):
            refused.append(made)
            continue
        for promise in counted.values():
            promise.count(edition, maker, made)
    return refused


def run(count: int = 50) -> None:
    """So many makers for each of four editions."""
    pieces, whole = test_pieces(), Promise.empty()
    demos = [
        (read_design(_DEMO / f"{name}.schablone"), PRINTED)
        for name in ("entrance-slide", "feeder-cap", "queen-case")
    ]
    head = ("edition", "calibrated", "uncorrected", "never calibrated", "uncorrected", "refused")
    print("".join(f"{word:>19}" for word in head), flush=True)
    for design, kinds in [*demos, (rack(), CUT)]:
        mine, begun = Promise.empty(), time.perf_counter()
        refused = keep(design, makers(kinds, count, pieces), {"mine": mine, "whole": whole})
        row = [str(share) for share in (*mine.calibrated(), *mine.others())]
        took = time.perf_counter() - begun
        print("".join(f"{word:>19}" for word in (design.name, *row, str(len(refused)))), end="")
        print(f"   {took:.0f} s", flush=True)
        for (word, care), share in sorted(mine.corrected.items()):
            print(f"{'':19}{word:>12} {care:<10}{share!s:>12}", flush=True)
    right, plain = whole.calibrated()
    print(f"\nfits of calibrated makers in their class: {right} ({right.right / right.of:.1%}); ")
    print(f"the same without correction: {plain} ({plain.right / plain.of:.1%})")
    print(f"of those of which it was said that they hold: {whole.held}")
