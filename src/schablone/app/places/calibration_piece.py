"""The test piece of a calibration: which ones go with a machine, and the one that is chosen."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from ...core.design import Design
from ...core.design import edit as edits
from ...core.formula.typed import typed_length
from ...core.process import Process, neutral
from ...core.process.known import Stock
from ...reader import read
from ..demo import demo_design
from .fits_card import COMB

#: A test piece is bevelled by no more, mm: the steps that show the first layer are as high.
_BEVELLED = 0.2


def pieces_for(process: Process) -> list[tuple[str, str]]:
    """The test pieces that go with a kind of process: what each is for, and the name of its
    design."""
    if process.family == "cut":
        corners = [("corners and the cutter", "corner-coupon")]
        more = corners if process.kind == "router" else []
        return [("sizes", "cutting-coupon"), *more, ("fits", COMB)]
    return [("sizes", "printing-coupon"), ("a quick check", "quick-coupon"), ("fits", COMB)]


@dataclass(frozen=True, slots=True)
class TestPiece:
    """The one that is chosen: ``name`` is that of its design, ``stock`` what it is cut from, where
    a stock of the process is known."""

    process: Process
    name: str
    stock: Stock | None = None

    @property
    def is_cut(self) -> bool:
        return self.process.family == "cut"

    @property
    def ending(self) -> str:
        """That of the file that its machine takes."""
        return ".dxf" if self.is_cut else ".3mf"

    def design(self) -> Design:
        """Its design, as thick as the stock."""
        design = _shipped(self.name)
        if self.stock is not None and design.size("thick") is not None:
            design = edits.set_formula(design, "thick", f"{self.stock.measured:g} mm")
        return design

    @property
    def maker(self) -> Process:
        """What it is corrected for: nothing, except that fits are tried on what the machine makes
        of them, and the first layer is bevelled as in any design, as far as the steps at its bed
        are high."""
        if self.name == COMB:
            return self.process
        if self.is_cut:
            return neutral()
        return neutral().with_(first_layer=min(self.process.first_layer, _BEVELLED))

    @property
    def cut_from(self) -> tuple[str, float]:
        """The material and the nominal thickness, mm, that a kerf read on it is of."""
        if not self.is_cut:
            return "", 0.0
        if self.stock is not None:
            return self.stock.material, self.stock.nominal
        thick = _shipped(self.name).size("thick")
        return self.process.material.name, (typed_length(thick.formula) if thick else None) or 3.0

    @property
    def left_as(self) -> str:
        """What its readings are kept under: of another stock it is another piece."""
        stock = self.stock
        return f"{self.name} of {stock.name}, {stock.nominal:g} mm" if stock else self.name


@lru_cache(maxsize=8)
def _shipped(name: str) -> Design:
    design: Design = read("design", demo_design(name))
    return design
