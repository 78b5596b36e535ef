"""Random designs built through two routes that share as little as can be: the same volume, or
words."""

from __future__ import annotations

import re
import subprocess
import sys
from unittest.mock import patch

import pytest

from schablone.core.design import Design
from schablone.core.design.rebuild import Memory, Rebuilt, rebuild
from schablone.core.kernel import operations as bodies
from schablone.core.kernel.mesh import Mesh
from schablone.core.kernel.second import manifold_of
from schablone.core.process import LensView, neutral
from tests.conftest import TOP

from .random_designs import random_steps

WANTED = LensView("wanted", neutral())
JARGON = re.compile(
    r"Error|\bNone\b(?! fits)|Traceback|\bnan\b|\binf\b|Standard_|StdFail|gp_|BRep|\w+/\w+/"
)
#: Those that take a moment only; all of them are tried by ./check --all.
QUICK = range(11, 23)
#: Kept from design to design, as a session does.
MEMORY = Memory(3000)


def build(seed: int, memory: Memory | None = None) -> Rebuilt:
    return rebuild(
        Design.model_validate({"name": f"random {seed}", "steps": random_steps(seed)}),
        WANTED,
        memory,
    )


def told_in_words(found: Rebuilt) -> None:
    for problem in found.problems:
        assert problem.what.rstrip().endswith("."), problem.text
        assert not JARGON.search(problem.text), problem.text


def both_routes(seed: int, memory: Memory | None = None) -> None:
    """Build a design with what is remembered, from nothing, and with everything by the kernel's
    booleans."""
    kept = build(seed, memory)
    told_in_words(kept)
    fresh = build(seed)
    assert [s.state for s in kept.steps.values()] == [s.state for s in fresh.steps.values()]
    volume = kept.figures["part"].volume
    assert fresh.figures["part"].volume == pytest.approx(volume, rel=1e-7)
    mesh: Mesh = kept.bodies["part"].mesh(0.02)
    assert abs(mesh.volume() - volume) <= 0.02 * kept.figures["part"].area + 1e-6 * volume
    with patch.object(bodies, "_in_outline", lambda *_: None):
        slow = build(seed)
    told_in_words(slow)
    if [s.state for s in slow.steps.values()] == [s.state for s in kept.steps.values()]:
        assert slow.figures["part"].volume == pytest.approx(volume, rel=1e-7)


@pytest.mark.parametrize("seed", QUICK)
def test_two_routes_come_to_the_same(seed: int) -> None:
    both_routes(seed, MEMORY)


@pytest.mark.nightly
@pytest.mark.parametrize("seed", [seed for seed in range(300) if seed not in QUICK])
def test_so_do_three_hundred(seed: int) -> None:
    """Each in a process of its own: what the kernel may end is rehearsed, so that it never ends
    this one."""
    script = f"from tests.parts.test_two_routes import both_routes; both_routes({seed})"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, cwd=TOP)
    assert done.returncode == 0, done.stderr[-2000:]


def test_steps_in_any_order_that_means_the_same() -> None:
    """Cuts through everything, and what stands apart, may come in any order."""
    import itertools

    from .making import circle, cut, extrude, rectangle, sketch

    base = [sketch("o", rectangle("e", "60 mm", "40 mm")), extrude("plate", "o", "5 mm")]
    ways = [
        [sketch("a", circle("c", "8 mm", "-10 mm")), cut("one", "a")],
        [sketch("b", rectangle("r", "14 mm", "6 mm", "-4 mm")), cut("two", "b")],
        [
            sketch("d", circle("p", "6 mm", "20 mm"), plane="plate/end"),
            extrude("post", "d", "9 mm"),
        ],
    ]
    volumes = []
    for order in itertools.permutations(ways):
        steps = [*base, *(step for way in order for step in way)]
        found = rebuild(Design.model_validate({"name": "x", "steps": steps}), WANTED)
        assert found.whole
        volumes.append(found.figures["part"].volume)
    assert volumes == pytest.approx([volumes[0]] * len(volumes), rel=1e-9)


def test_the_second_reckoning_tells_a_lost_piece() -> None:
    """A boolean that silently loses what was added does not pass."""
    from schablone.core.kernel.second import agrees

    one, two = build(0).bodies["part"], build(1).bodies["part"]
    first, second = ((b.figures().volume, b.mesh(0.05)) for b in (one, two))
    a, b = manifold_of(first[1]), manifold_of(second[1])
    assert a is not None
    assert b is not None
    whole = (a + b).volume()
    assert agrees(first, "add", [second], whole)
    assert not agrees(first, "add", [second], first[0])
    assert not agrees(first, "cut", [second], first[0])
