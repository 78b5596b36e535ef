"""The page of an edition, opened from disk in a real browser."""

from __future__ import annotations

import io
import os
import re
import shutil
import subprocess
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtGui import QImage

from schablone.app.view3d.picture import paint_parts
from schablone.core.design import read_design
from schablone.core.editions import make_edition
from schablone.core.process import shipped_processes
from tests.conftest import SLIDE

BROWSER = shutil.which("chromium") or shutil.which("chromium-browser")
pytestmark = pytest.mark.skipif(
    BROWSER is None and not Path("/etc/debian_version").exists(),
    reason="no Chromium, and not Debian, where ./check installs one",
)


@pytest.fixture(scope="module")
def page(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("edition")
    data = make_edition(read_design(SLIDE), shipped_processes()[:1], paint_parts)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        archive.extractall(folder)
    return folder / "README.html"


def browse(page: Path, *options: str) -> str:
    """Open a page without a network or a window; what the browser prints."""
    assert BROWSER is not None
    done = subprocess.run(
        [
            BROWSER, "--headless=new", "--no-sandbox", "--use-angle=swiftshader",
            "--enable-unsafe-swiftshader", "--hide-scrollbars", "--virtual-time-budget=4000",
            "--host-resolver-rules=MAP * 0.0.0.0", "--enable-logging=stderr",
            f"--user-data-dir={page.parent / 'browser'}", *options, page.as_uri(),
        ],
        capture_output=True, text=True, timeout=120, check=False, env={**os.environ},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    told = [line for line in done.stderr.splitlines() if "CONSOLE" in line]
    assert not told, told
    return done.stdout


def picture(page: Path, to: Path, wide: int, high: int, *options: str) -> np.ndarray:
    """A picture of the page as (height, width, 3) of 0 to 255."""
    browse(page, f"--window-size={wide},{high}", f"--screenshot={to}", *options)
    image = QImage(str(to)).convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1)
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(int)


def test_the_part_turns_and_without_webgl_a_picture_stays(page: Path) -> None:
    turn = re.compile(r'class="turn"[^>]*')
    told = turn.search(browse(page, "--dump-dom"))
    assert told is not None
    assert 'data-state="turns"' in told[0]
    still = turn.search(browse(page, "--dump-dom", "--disable-3d-apis"))
    assert still is not None
    assert 'data-state="still"' in still[0]
    assert "data-why" not in still[0]


@pytest.mark.nightly
def test_it_is_drawn_light_and_dark_wide_and_narrow(page: Path, tmp_path: Path) -> None:
    light = picture(page, tmp_path / "light.png", 1000, 900)
    dark = picture(
        page, tmp_path / "dark.png", 1000, 900, "--blink-settings=preferredColorScheme=0"
    )
    assert light[2, 2].tolist() == [0xF6, 0xF3, 0xEC]
    assert dark[2, 2].tolist() == [0x20, 0x26, 0x2D]
    # The part fills its place: kraft, in the light of the viewer, over some of the picture.
    red, green, blue = (light[..., i] for i in range(3))
    kraft = (red > 140) & (red - blue > 50) & (green < red) & (green > blue)
    columns = np.nonzero(kraft.any(axis=0))[0]
    assert columns.max() - columns.min() > 600
    # On a phone nothing is wider than the screen but what scrolls by itself.
    told = browse(page, "--window-size=390,844", "--dump-dom")
    assert "<main>" in told
    phone = picture(page, tmp_path / "phone.png", 500, 1200)
    assert phone.shape[1] == 500
    assert phone[400:, -3:].reshape(-1, 3).std(axis=0).max() < 12  # the margin is empty


def test_it_can_be_printed(page: Path, tmp_path: Path) -> None:
    browse(page, f"--print-to-pdf={tmp_path / 'page.pdf'}", "--no-pdf-header-footer")
    data = (tmp_path / "page.pdf").read_bytes()
    assert data.startswith(b"%PDF")
    assert 1 <= len(re.findall(rb"/Type /Page\b", data)) <= 8
