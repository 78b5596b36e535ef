"""From parts to what is cut and printed: laid on sheets and beds, cut from bars.

``items`` are parts as they are laid, ``packing`` lays them on ``sheets`` (``rectangles``,
``nesting``), ``plans`` puts together what shares a stock, ``bars`` cuts lengths from bars,
``off_cuts`` fills what is left of others first, ``estimate`` says how long it takes and what it
costs, ``sheet_files`` writes what was laid.
"""

from .bars import Bar, BarPlan, Length, cut_from_bars, cut_list
from .estimate import Estimate, estimate
from .items import Item, items_of
from .off_cuts import divided, left_of
from .packing import lay_out
from .plans import Plan, by_stock, likely_sheet, plan
from .sheet_files import sheet_files
from .sheets import Layout, Put, Sheet

__all__ = [
    "Bar", "BarPlan", "Estimate", "Item", "Layout", "Length", "Plan", "Put", "Sheet",
    "by_stock", "cut_from_bars", "cut_list", "divided", "estimate", "items_of", "lay_out",
    "left_of", "likely_sheet", "plan", "sheet_files",
]  # fmt: skip
