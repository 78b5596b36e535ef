"""Materials that workshops use, with their densities: for parts that are not made of what the
process prints.

Densities in g/cm³ as makers' data sheets and handbooks give them for common grades; wood at 12 %
moisture, as the middle of a wide range. A part may state a density of its own.
"""

from __future__ import annotations

MATERIALS: dict[str, float] = {
    "PLA": 1.24, "PETG": 1.27, "ABS": 1.04, "ASA": 1.07, "TPU": 1.21, "PA12": 1.01, "PC": 1.20,
    "PP": 0.90,
    "PE-HD": 0.95, "POM": 1.41, "PMMA (acrylic)": 1.19, "PVC": 1.40, "Casting resin": 1.10,
    "Printing resin, cured": 1.18,
    "Spruce": 0.45, "Pine": 0.52, "Larch": 0.59, "Beech": 0.72, "Oak": 0.70, "Ash": 0.69,
    "Maple": 0.63, "Walnut": 0.64,
    "Lime wood": 0.53, "Birch plywood": 0.68, "Poplar plywood": 0.45, "MDF": 0.75, "HDF": 0.88,
    "Chipboard": 0.65,
    "Cardboard, grey": 0.70, "Cork": 0.20, "EVA foam": 0.10, "Rubber": 1.15, "Leather": 0.90,
    "Aluminium": 2.70, "Steel": 7.85, "Stainless steel": 7.90, "Brass": 8.50, "Copper": 8.96,
    "Bronze": 8.80, "Zinc": 7.14,
    "Titanium": 4.51, "Glass": 2.50, "Beeswax": 0.96,
}  # fmt: skip
