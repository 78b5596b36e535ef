"""The application as a person has it: a process of its own on an X server with a window manager,
keys and a pointer that come from the server."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest

from schablone.core.design.file import read_design
from schablone.core.design.rebuild import rebuild
from schablone.core.process import LensView, neutral

TOOLS = ("Xvfb", "openbox", "xdotool")
#: Rows and columns of the screen: all of it, and the middle of the view.
ALL, MIDDLE = np.s_[:, :], np.s_[260:700, 440:960]


class Desktop:
    """An X server of its own, what xdotool does on it, and an eye on its screen: a slow machine is
    waited for, as a person does."""

    def __init__(self, folder: Path) -> None:
        self.processes: list[subprocess.Popen[bytes]] = []
        self.folder = folder
        read, write = os.pipe()
        # Without repeating keys: a machine that stumbles between down and up would type twice.
        screen = ["-r", "-screen", "0", "1280x800x24", "-fbdir", str(folder)]
        self._start(["Xvfb", "-displayfd", str(write), *screen], pass_fds=(write,))
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
        for _ in range(240):  # the window manager may not be there yet
            if self.do("getactivewindow", check=False).strip():
                break
            time.sleep(0.25)
        self.do("windowactivate", "--sync", window, "windowsize", window, "1280", "780")
        self.do("windowmove", window, "0", "0")
        self.wait_for_rest()

    def screen(self) -> np.ndarray:
        """What is on the screen, (800, 1280): the file of Xvfb ends with the picture."""
        return np.fromfile(self.folder / "Xvfb_screen0", np.uint32)[-800 * 1280 :].reshape(
            800, 1280
        )

    def wait_for_rest(self) -> None:
        """Wait until nothing has moved for a while. What blinks is too small to count."""
        before, still = self.screen(), 0
        for _ in range(1200):
            time.sleep(0.1)
            now = self.screen()
            still = still + 1 if same(before, now) else 0
            before = now
            if still >= 6:
                return
        raise AssertionError("the screen never comes to rest")

    def until_it_shows(self, act: Callable[[], object], where: tuple[slice, slice] = ALL) -> None:
        """Do something that is seen (there), and wait until it is, and all is at rest again."""
        before = self.screen()
        act()
        for _ in range(1200):
            if not same(before[where], self.screen()[where]):
                return self.wait_for_rest()
            time.sleep(0.1)
        raise AssertionError("nothing is seen of what was done")

    def wait_for_window(self, name: str) -> str:
        for _ in range(480):
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

    def press(self, keys: str) -> None:
        self.do("key", "--clearmodifiers", keys)
        time.sleep(0.25)

    def type(self, text: str) -> None:
        """At eighty characters a second."""
        self.do("type", "--delay", "12", text)
        time.sleep(0.25)

    def move(self, x: int, y: int) -> None:
        self.do("mousemove", "--sync", str(x), str(y))
        time.sleep(0.15)

    def click(self, x: int, y: int) -> None:
        self.move(x, y)
        self.do("click", "1")
        time.sleep(0.25)

    def add(self, step: str) -> None:
        """Add a step by the keyboard."""
        self.until_it_shows(lambda: self.press("a"))
        self.type(step)
        self.wait_for_rest()
        self.until_it_shows(lambda: self.press("Return"), MIDDLE)

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


def same(one: np.ndarray, other: np.ndarray) -> bool:
    """Whether two looks at the screen differ by less than a field with its caret."""
    return int(np.count_nonzero(one != other)) < 500


def test_from_an_empty_sheet_to_a_saved_plate(desktop, tmp_path) -> None:
    """Sizes by keys, an outline by pointer and keys, a part, a saved file."""
    desktop.open()
    desktop.until_it_shows(lambda: desktop.press("ctrl+n"), MIDDLE)
    desktop.press("n")
    for size in ("length = 120 mm", "wide = 30 mm", "thick = length/30"):
        desktop.type(size)
        desktop.press("Return")
    desktop.wait_for_rest()
    desktop.click(690, 700)  # beside everything, in the view: it has the keyboard then
    desktop.add("sketch")
    desktop.press("shift+r")
    desktop.click(690, 430)
    desktop.until_it_shows(lambda: desktop.move(800, 380), MIDDLE)
    for name in ("length", "wide"):
        desktop.type(name)
        desktop.press("Return")
    desktop.wait_for_rest()
    desktop.until_it_shows(lambda: desktop.press("ctrl+Return"), MIDDLE)
    desktop.add("extrude")
    path = tmp_path / "plate.schablone"
    desktop.press("ctrl+shift+s")
    desktop.wait_for_window("Save as")
    desktop.wait_for_rest()
    desktop.type(str(path))
    desktop.press("Return")
    for _ in range(600):
        if path.exists():
            break
        time.sleep(0.1)
    design = read_design(path)
    assert [step.kind for step in design.steps] == ["sketch", "extrude"]
    typed = [rule.formula for rule in design.steps[0].drawing.dimensions]
    assert typed == ["length", "wide"]  # each once, though a list of completions was open
    built = rebuild(design, LensView("wanted", neutral()))
    assert built.whole
    (figures,) = built.figures.values()
    assert figures.volume == pytest.approx(120 * 30 * 10)  # 10 mm until it is told another
