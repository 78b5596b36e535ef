"""What runs apart from the rest: how a process of its own comes to be by being copied, and what it
may use of the machine."""
