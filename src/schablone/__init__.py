"""Schablone: parametric parts that know the machine they are made on."""

import os

# A window, its worker and those that prove share the machine's processors. Linear algebra that
# spreads each of its small matrices over all of them waits for the others' turns: ten times as long
# where two processes do. To be said before NumPy is loaded, and inherited by processes begun here.
for _library in ("OPENBLAS", "OMP", "MKL"):
    os.environ.setdefault(f"{_library}_NUM_THREADS", "1")

__version__ = "0.1.0"
