"""Every formula of every kind of step, given what nobody wants: an answer in words, and everything
before it still there."""

from __future__ import annotations

import re

import pytest

from schablone.core.design.edit import change_step
from schablone.core.design.rebuild import Memory, Rebuilt, rebuild
from schablone.core.formula.errors import FormulaError
from schablone.core.process import LensView, neutral
from tests.core.every_step import BLOCK, CASES, case

VIEW = LensView("wanted", neutral())
MEMORY = Memory(2000)
#: Zero, below zero, tiny, huge, of another kind, no formula, unknown, cut off, without a value.
BAD = (
    "0 mm", "-5 mm", "0.0001 mm", "1e6 mm", "1e300 mm", "2 kg", "0", "-3", "1e6", "1e-9", "400 deg",
    "-20 deg", "1e9 deg", "",
    "nosuch", "1 mm +", "2 mm / 0", "sqrt(0 - 1) * 1 mm", "true",
)  # fmt: skip
#: What only a program says.
JARGON = re.compile(
    r"Error|\bNone\b(?! fits)|Traceback|\bnan\b|\binf\b|Standard_|StdFail|gp_|KeyError|NoneType"
)


def built(design) -> Rebuilt:
    return rebuild(design, VIEW, MEMORY)


@pytest.mark.parametrize("name", CASES)
def test_as_it_stands_it_is_built(name):
    found = built(case(name))
    # Nothing is known here of a machine that bends: that is told, and nothing else.
    told = [problem.text for problem in found.problems if "k-factor" not in problem.what]
    assert told == []
    assert found.steps["it"].state == "built"


#: Kinds of which each attempt takes the kernel long.
LONG = ("sweep", "lead", "lead along a formula", "give_sizes")


@pytest.mark.parametrize(
    "name", [pytest.param(n, marks=[pytest.mark.nightly] if n in LONG else []) for n in CASES]
)
def test_bad_formulas_are_told_in_words_and_lose_nothing(name):
    design = case(name)
    step = design.step("it")
    before = [one.name for one in design.steps if one.name != "it"]
    for slot in step.slots():
        for bad in BAD:
            try:
                changed = change_step(design, "it", slot.path, bad)
            except FormulaError:
                continue  # refused where it is typed; the design stays as it was
            found = built(changed)
            where = (slot.path, bad)
            assert all(found.steps[one].state in ("built", "carried") for one in before), where
            if found.steps["it"].state == "built":
                assert all(figures.volume > 0 for figures in found.figures.values()), where
                continue
            told = [
                problem
                for problem in found.problems
                if problem.name == "it" and problem.severity == "error"
            ]
            assert told, where
            for problem in told:
                assert problem.what.endswith("."), where
                assert not JARGON.search(problem.text), (where, problem.text)
            part = found.figures.get("part")
            assert part is not None, where
            assert part.volume > 0, where


@pytest.mark.parametrize(
    "name", [name for name, (_, step) in CASES.items() if step["kind"] != "sketch"]
)
def test_switched_off_or_left_out_the_part_is_as_before(name):
    off = built(case(name, on=False))
    left = built(case(name, when="1 > 2"))
    assert (off.steps["it"].state, left.steps["it"].state) == ("off", "left out")
    assert {part: figures.volume for part, figures in off.figures.items()} == {
        part: figures.volume for part, figures in left.figures.items()
    }


@pytest.mark.parametrize("name", CASES)
def test_what_it_stands_on_may_go(name):
    """Without the steps before, the block apart, it says what is missing; it never takes the block
    with it."""
    design = case(name)
    bare = design.model_copy(update={"steps": (*design.steps[: len(BLOCK)], design.step("it"))})
    found = built(bare)
    assert found.figures["part"].volume > 0
    if found.steps["it"].state not in ("built", "carried"):
        assert [p for p in found.problems if p.name == "it"]
        assert not any(JARGON.search(problem.text) for problem in found.problems)


@pytest.mark.parametrize("name", CASES)
def test_it_reads_as_a_sentence_with_all_its_formulas(name):
    from schablone.core.design.text import told_step

    design = case(name)
    text = " ".join(told_step(design.step("it"), design, None))
    assert len(text) > 5
    for slot in design.step("it").slots():
        if slot.formula.strip() and not slot.path.startswith("shapes."):
            assert slot.formula in text, slot.path
