"""Hosts range runs: builders in processes of their own, what they found kept on disk, one that
directs them.

``builder`` is a process that judges one point after the other; ``crew`` starts, watches and
restarts several on this machine, ``cluster`` has them elsewhere; ``errands`` gives them what is
asked; ``run`` is a range run from plan to what breaks; ``kept`` holds outcomes on disk; ``talk``
says what goes between a window and the process that runs ``__main__``.
"""
