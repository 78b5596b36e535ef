"""The application as a person has it: a process of its own on an X server with a window manager,
keys and a pointer that come from the server."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from schablone.core.design.file import read_design
from schablone.core.design.rebuild import rebuild
from schablone.core.process import LensView, neutral

TOOLS = ("Xvfb", "openbox", "xdotool")


class Desktop:
    """An X server of its own, and what xdotool does on it."""

    def __init__(self, folder: Path) -> None:
        self.processes: list[subprocess.Popen[bytes]] = []
        read, write = os.pipe()
        self._start(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24"], pass_fds=(write,)
        )
        os.close(write)
        with os.fdopen(read) as told:
            number = told.readline().strip()
        self.env = {
            **os.environ,
            "DISPLAY": f":{number}",
            "QT_QPA_PLATFORM": "xcb",
            **{f"XDG_{name}_HOME": str(folder / name) for name in ("CONFIG", "DATA", "STATE")},
        }
        self._start(["openbox"])

    def _start(self, command: list[str], **more: object) -> None:
        env = getattr(self, "env", None)
        quiet = subprocess.DEVNULL
        self.processes.append(
            subprocess.Popen(command, env=env, stdout=quiet, stderr=quiet, **more)  # type: ignore[call-overload]
        )

    def open(self) -> None:
        """Start the application, and wait until its window is there and has the keyboard."""
        self._start([sys.executable, "-m", "schablone.app.main"])
        window = self.wait_for_window("Schablone")
        self.do("windowactivate", "--sync", window, "windowsize", window, "1280", "780")
        self.do("windowmove", window, "0", "0")
        time.sleep(1.0)

    def wait_for_window(self, name: str) -> str:
        for _ in range(240):
            found = self.do("search", "--onlyvisible", "--name", name, check=False).split()
            if found:
                return found[-1]
            time.sleep(0.25)
        raise AssertionError(f"no window “{name}” came up")

    def do(self, *words: str, check: bool = True) -> str:
        done = subprocess.run(
            ["xdotool", *words], env=self.env, capture_output=True, text=True, check=check
        )
        return done.stdout

    def press(self, keys: str, rest: float = 0.25) -> None:
        self.do("key", "--clearmodifiers", keys)
        time.sleep(rest)

    def type(self, text: str, rest: float = 0.25) -> None:
        """At eighty characters a second."""
        self.do("type", "--delay", "12", text)
        time.sleep(rest)

    def move(self, x: int, y: int) -> None:
        self.do("mousemove", "--sync", str(x), str(y))
        time.sleep(0.15)

    def click(self, x: int, y: int) -> None:
        self.move(x, y)
        self.do("click", "1")
        time.sleep(0.25)

    def close(self) -> None:
        for process in reversed(self.processes):
            process.terminate()
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait(10)


@pytest.fixture
def desktop(tmp_path) -> Iterator[Desktop]:
    missing = [tool for tool in TOOLS if shutil.which(tool) is None]
    assert not missing, f"these programs are missing: {missing}; ./check installs them"
    found = Desktop(tmp_path)
    yield found
    found.close()


def test_from_an_empty_sheet_to_a_saved_plate(desktop, tmp_path) -> None:
    """Sizes by keys, an outline by pointer and keys, a part, a saved file."""
    desktop.open()
    desktop.press("ctrl+n")
    desktop.press("n")
    for size in ("length = 120 mm", "wide = 30 mm", "thick = length/30"):
        desktop.type(size)
        desktop.press("Return")
    desktop.click(690, 700)  # beside everything, in the view: it has the keyboard then
    desktop.press("a", 0.6)
    desktop.type("sketch")
    desktop.press("Return", 1.0)
    desktop.press("shift+r")
    desktop.click(690, 430)
    desktop.move(800, 380)
    for name in ("length", "wide"):
        desktop.type(name)
        desktop.press("Return")
    desktop.press("ctrl+Return", 1.0)
    desktop.press("a", 0.6)
    desktop.type("extrude")
    desktop.press("Return", 2.0)
    path = tmp_path / "plate.schablone"
    desktop.press("ctrl+shift+s", 1.5)
    desktop.type(str(path))
    desktop.press("Return", 1.5)
    design = read_design(path)
    assert [step.kind for step in design.steps] == ["sketch", "extrude"]
    typed = [rule.formula for rule in design.steps[0].drawing.dimensions]
    assert typed == ["length", "wide"]  # each once, though a list of completions was open
    built = rebuild(design, LensView("wanted", neutral()))
    assert built.whole
    (figures,) = built.figures.values()
    assert figures.volume == pytest.approx(120 * 30 * 10)  # 10 mm until it is told another
