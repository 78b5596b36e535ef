"""The practice gallery: a made-up place where editions are shared, with people who make them.

It is a folder on this machine. Its makers are simulated: each has a practice machine whose habits
nobody reads, some calibrated it well, some did not. With it the promise that the same edition comes
out with the same fit everywhere can be tried without a workshop.
"""

from .makers import MadeUp, Maker, made_by, makers
from .place import Gallery, Shared

__all__ = ["Gallery", "MadeUp", "Maker", "Shared", "made_by", "makers"]
