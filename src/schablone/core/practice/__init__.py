"""Practice machines: simulated printers and cutters with hidden habits, and what can be measured on
what they make.

They take the exported file itself, never the design, so that the whole way from a calibration to a
fit can be learned and tested without a workshop. They share no code with the processes that are
fitted to them: pieces are made the way things are made.
"""

from .features import Measurable, features_of_file
from .machines import PracticeMachine, machines, machines_for

__all__ = ["Measurable", "PracticeMachine", "features_of_file", "machines", "machines_for"]
