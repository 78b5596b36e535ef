"""The drawing sheet of a design: views, cuts and a picture of each part, with every size once, as
PDF, SVG or DXF."""

from .compose import drawing_pages
from .page import Page
from .writers import sheet_file

__all__ = ["Page", "drawing_pages", "sheet_file"]
