"""``schablone-window``: the application.

``schablone-window [FILE] [--picture OUT.png [--view NAME] [--size WxH]]``
"""

from __future__ import annotations

import argparse
import gc
import os
import re
import sys
from pathlib import Path
from types import ModuleType
from typing import NoReturn

FINE, PROBLEMS, WRONG_USE = 0, 1, 2


def _size(text: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d{3,5})x(\d{3,5})", text)
    if match is None:
        raise argparse.ArgumentTypeError(f"“{text}” is no size; write it as 1280x800")
    return int(match[1]), int(match[2])


def _parse(arguments: list[str] | None) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="start", description="Open Schablone.")
    parser.add_argument(
        "file", nargs="?", type=Path, help="a design (.schablone) or an edition (.zip)"
    )
    parser.add_argument(
        "--picture", metavar="OUT.png", type=Path, help="render the window to a picture and end"
    )
    parser.add_argument(
        "--view",
        default="shape",
        help="with --picture: shape, process, prove, publish, learn or adjust",
    )
    parser.add_argument("--size", type=_size, default=(1280, 800), help="with --picture: WxH")
    return parser.parse_args(arguments)


def main(arguments: list[str] | None = None) -> int:
    """Open the window, or render it to a picture; the result is the exit code."""
    options = _parse(arguments)
    if sys.platform.startswith("linux") and not (
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")
    ):
        print(
            "There is no display to open a window on; ./start --picture "
            "OUT.png renders it to a picture.",
            file=sys.stderr,
        )
        return WRONG_USE
    code: int = load_window().open_application(options)
    return code


def load_window() -> ModuleType:
    """Load what the window and workers have in common, set aside what workers are copies of, and
    load the window beside it."""
    gc.disable()  # all of it stays: to look through it for cycles again and again takes a tenth
    from ..core import design  # noqa: F401
    from ..worker import talk  # noqa: F401
    from .worker_process import begin_workers

    begin_workers()
    from . import bindings  # noqa: F401 - before Qt
    from . import application  # isort: skip

    gc.freeze()  # and stays disabled: from now on it is looked through by `cycles`
    return application


def run() -> NoReturn:
    """Entry point of the ``schablone-window`` command."""
    raise SystemExit(main())


if __name__ == "__main__":
    run()
