"""The geometry kernel, behind one door: all that knows it lies in this package, and only
:mod:`..body`, :mod:`..flat` and the steps that change solids come in.

From the ground up: solids with the names of their faces, and what is measured on them (``solids``,
``patch``, ``bounds``); shapes of outlines, prisms and other tools (``prisms``, ``guided_shapes``,
``shaped``, ``tool_shapes``); booleans, and tools put to solids with a second look at each outcome
(``booleans``, ``combine``); meshes, changes, files.
"""

from .booleans import merged, united
from .combine import combine, solid_of, solid_of_tool
from .folded_solid import solid_of_folded
from .solids import Solid

__all__ = ["Solid", "combine", "merged", "solid_of", "solid_of_folded", "solid_of_tool", "united"]
