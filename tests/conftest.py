"""What tests share: the demo design, its processes, and small designs made on the spot."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from schablone.core.design import Design, read_design
from schablone.core.design.rebuild import Rebuilt, rebuild
from schablone.core.process import Lens, LensView, Process, neutral, shipped_processes

#: As many examples of a property as ./check tries, and ./check --all.
_DAILY, _NIGHTLY = 16, 120
for _name, _examples in (("daily", _DAILY), ("nightly", _NIGHTLY)):
    settings.register_profile(
        _name,
        deadline=None,
        max_examples=_examples,
        suppress_health_check=[HealthCheck.function_scoped_fixture],
        derandomize=True,
    )


def pytest_configure(config: pytest.Config) -> None:
    daily = config.getoption("-m") == "not nightly"
    settings.load_profile("daily" if daily else "nightly")


def examples(most: int) -> settings:
    """For a property of its own number of examples: ``most`` in ./check --all, a third of them in
    ./check, but no fewer than ten where there are as many."""
    whole = settings().max_examples == _NIGHTLY
    return settings(max_examples=most if whole else max(most // 3, min(most, 10)))


TOP = Path(__file__).resolve().parent.parent
SLIDE = TOP / "demo" / "entrance-slide.schablone"
#: The names of all demo designs; those that take long to build are tried by ./check --all. That all
#: of them build and what must hold holds is tried each time (core/test_demos.py).
_LONG = ("smoker-heat-guard", "winter-lid", "queen-case", "hive-box", "scale-foot")
DEMOS = [
    pytest.param(path.stem, marks=[pytest.mark.nightly] if path.stem in _LONG else [])
    for path in sorted((TOP / "demo").glob("*.schablone"))
]


#: How long a test waits for what should come, ms. A wait that succeeds costs only what it takes, so
#: one patience fits all; machines that run the checks may be ten times as slow as a desk's.
PATIENCE = 240_000


@pytest.fixture
def qtbot(qtbot):
    """The bot of pytest-qt, whose waits all have the same long patience."""
    qtbot.waitUntil = partial(qtbot.waitUntil, timeout=PATIENCE)
    qtbot.waitSignal = partial(qtbot.waitSignal, timeout=PATIENCE)
    qtbot.waitSignals = partial(qtbot.waitSignals, timeout=PATIENCE)
    return qtbot


@pytest.fixture
def slide() -> Design:
    return read_design(SLIDE)


@pytest.fixture
def amsel() -> Process:
    return shipped_processes()[0]


@pytest.fixture
def zeisig() -> Process:
    return shipped_processes()[1]


@pytest.fixture
def build() -> Callable[..., Rebuilt]:
    """Rebuild with some sizes given other formulas: ``build(design, process, "sent", width="300
    mm")``."""

    def run(
        design: Design, process: Process | None = None, lens: Lens = "wanted", **given: str
    ) -> Rebuilt:
        return rebuild(
            design, LensView(lens, process or neutral(), design.scale_for_shrinkage), given=given
        )

    return run


def of_kind(kind: str, name: str, **fields: object) -> dict:
    """A step or a shape as a file has it."""
    return {"kind": kind, "name": name, **fields}


def plate(*steps: dict, sizes: dict[str, str] | None = None, **more: object) -> Design:
    """A design with a plate of 100 × 40 × 4 mm about the origin and some steps on it."""
    first = [
        {
            "kind": "sketch",
            "name": "outline",
            "shapes": [{"kind": "rectangle", "name": "edge", "width": "100 mm", "height": "40 mm"}],
        },
        {"kind": "extrude", "name": "plate", "sketch": "outline", "by": "4 mm"},
    ]
    listed = [{"name": name, "formula": formula} for name, formula in (sizes or {}).items()]
    return Design.model_validate(
        {"name": "Plate", "sizes": listed, "steps": [*first, *steps], **more}
    )


def slide_volume(
    width: float, height: float, board: float, count: int, passage: float, dowel_hole: float
) -> float:
    """The closed formula of the entrance slide's volume."""
    holes = count * math.pi / 4 * passage**2 + 2 * math.pi / 4 * dowel_hole**2
    return (width * height - holes) * board
