"""Whether the design holds: its own checks and those that every design must pass."""

from .checks import findings
from .finding import Finding

__all__ = ["Finding", "findings"]
