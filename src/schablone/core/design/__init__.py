"""The design as a value: its model, its file, its edits, and its rebuild."""

from .file import read_design, read_design_text, save_design, write_design
from .model import Adjustable, Check, Design, Part, Preset, Publishing, Size, SizeTable, Variant

__all__ = [
    "Adjustable",
    "Check",
    "Design",
    "Part",
    "Preset",
    "Publishing",
    "Size",
    "SizeTable",
    "Variant",
    "read_design",
    "read_design_text",
    "save_design",
    "write_design",
]
