"""Practice machines: simulated printers and cutters with hidden habits, and what can be measured on what they make.

They take the exported file itself, never the design, so that the whole way from a calibration to a fit can be learned
and tested without a workshop.
"""

from .features import Feature, features_of_file
from .machines import PracticeCutter, PracticePrinter, machines

__all__ = ["Feature", "PracticeCutter", "PracticePrinter", "features_of_file", "machines"]
