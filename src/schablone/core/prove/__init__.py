"""Whether the design holds: its own checks and those that every design must pass."""

from .checks import close_findings, findings, quick_findings
from .finding import Finding

__all__ = ["Finding", "close_findings", "findings", "quick_findings"]
