"""One module is all that a new kind of step takes: it lies outside of the program, and no other
file knows of it."""

from __future__ import annotations

import os
import subprocess
import sys

from schablone.core.steps import FOLDERS, KINDS
from tests.conftest import TOP


def test_one_module_is_all() -> None:
    assert "stud" not in KINDS
    environment = {**os.environ, FOLDERS: str(TOP / "tests" / "own_kinds")}
    command = [
        sys.executable,
        "-m",
        "pytest",
        "-q",
        "-p",
        "no:cacheprovider",
        "tests/window/own_kind_journey.py",
    ]
    done = subprocess.run(command, cwd=TOP, env=environment, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout[-4000:]
    assert done.stdout.startswith("..")  # both of them were run
