"""The page of an edition: one HTML file that works from disk, without a network."""

from .html import Page, page_html
from .part_file import glb

__all__ = ["Page", "glb", "page_html"]
