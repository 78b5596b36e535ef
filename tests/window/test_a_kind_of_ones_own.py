"""One module is all that a new kind of step takes: it lies outside of the program, and no other
file knows of it."""

from __future__ import annotations

import os
import subprocess
import sys

from schablone.core.steps import FOLDERS, KINDS
from tests.conftest import TOP


def run(journey: str, kinds: str) -> str:
    environment = {**os.environ, FOLDERS: str(TOP / "tests" / kinds)}
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", journey]
    done = subprocess.run(command, cwd=TOP, env=environment, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout[-4000:]
    return done.stdout


def test_one_module_is_all() -> None:
    assert "stud" not in KINDS
    assert run("tests/window/own_kind_journey.py", "own_kinds").startswith("..")  # both were run


def test_a_step_that_ends_workers_is_left_out() -> None:
    assert run("tests/window/harmful_kind_journey.py", "harmful_kinds").startswith(".")
