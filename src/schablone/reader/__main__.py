"""A process that waits for files to read; the number of its connection is its only argument."""

import socket
import sys

from .inputs import INPUTS
from .serving import serve

if __name__ == "__main__":
    import schablone.core.design
    import schablone.core.publish.edition  # noqa: F401 (loaded once, for all copies)

    assert INPUTS
    serve(socket.socket(fileno=int(sys.argv[1])))
