"""The Qt application."""

from .overrides import settle_errors

# Before any class is made that Qt calls.
settle_errors()
