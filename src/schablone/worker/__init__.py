"""Rebuilds in a process of their own: the kernel may be slow or crash there without harm to the
window."""
