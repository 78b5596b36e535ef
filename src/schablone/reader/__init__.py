"""The one door for what comes from outside: every file that somebody else may have written is read
in a process of its own, within limits, and only what it holds comes back."""

from .door import Reading, begin, open_door, read, read_all

__all__ = ["Reading", "begin", "open_door", "read", "read_all"]
