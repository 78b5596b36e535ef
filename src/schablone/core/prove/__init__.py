"""Whether the design holds: its own checks and those that every design must pass."""

from .checks import Finding, findings

__all__ = ["Finding", "findings"]
