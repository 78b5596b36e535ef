"""Reports about editions, and what many of them say: against makes drawn by other code."""

import base64
import re

import numpy as np
import pytest

from schablone.core.problem import SchabloneError
from schablone.core.process import Process, shipped_processes
from schablone.core.publish.hearing import by_edition, heard
from schablone.core.publish.reports import (
    Machine,
    Measured,
    Report,
    machine_of,
    parse_report,
    write_report,
)

DAY = "2026-05-01"
SIZES = {"hole": 6.2, "width": 120.0, "slot": 8.0}


def makes(
    machines: int = 6,
    each: int = 1,
    seed: int = 1,
    design: dict[str, float] | None = None,
    one: dict[str, float] | None = None,
    noise: float = 0.03,
    machine: float = 0.02,
    calibrated: int = 99,
) -> list[Report]:
    """Reports of some machines: each leans by its own share, each make scatters; ``design`` is off
    on all, ``one`` on the first; so many were ``calibrated``."""
    chance = np.random.default_rng(seed)
    found = []
    for number in range(machines):
        leans = {name: chance.normal(0, machine) for name in SIZES}
        for _ in range(each):
            measured = tuple(
                Measured(
                    size=name, wanted=size, expected=size,
                    sure=1.96 * float(np.hypot(noise, machine)),
                    measured=size + leans[name] + chance.normal(0, noise)
                    + (design or {}).get(name, 0.0)
                    + ((one or {}).get(name, 0.0) if number == 0 else 0.0),
                    low=size - 0.1, high=size + 0.1,
                )
                for name, size in SIZES.items()
            )  # fmt: skip
            found.append(
                Report(
                    edition="tray", who=f"maker {number}", measured=measured, fits="yes",
                    machine=Machine(name="P", calibrated=DAY if number < calibrated else ""),
                )
            )  # fmt: skip
    return found


def test_what_is_off_everywhere_is_the_designs_and_on_one_machine_that_machines() -> None:
    found = heard(makes(8, design={"slot": 0.15}, one={"hole": 0.4}))
    sizes = {size.name: size for size in found.sizes}
    assert sizes["slot"].by == pytest.approx(-0.15, abs=0.05)
    mend = f"slot - {-sizes['slot'].by:.2f}".rstrip("0")
    assert f"that is the design's. Where a step uses it, {mend} mm would" in sizes["slot"].says
    assert sizes["hole"].by == 0.0
    assert sizes["width"].says.startswith("comes out as it is wanted, within 0.0")
    blamed = [machine for machine in found.machines if machine.says]
    assert [machine.name for machine in blamed] == ["P of maker 0"]
    assert "hole comes off 0.4" in blamed[0].says or "hole comes off 0.3" in blamed[0].says
    assert blamed[0].says.endswith(f"on it alone: it was calibrated on {DAY} and should be again")


@pytest.mark.parametrize(("off", "t"), [((-3, -1, 1, 3), 5.841), ((-50, 0, 50), 9.925)])
def test_no_size_is_praised_beyond_what_was_heard(off: tuple[int, ...], t: float) -> None:
    told = [
        makes(1, noise=0, machine=0, design=dict.fromkeys(SIZES, by / 1000))[0].model_copy(
            update={"who": str(by)}
        )
        for by in off
    ]
    # Student's quantile out of a printed table, for 99 of 100; hands add 0.008 mm to all.
    far = t * np.hypot(np.std(off, ddof=1) / 1000 / len(off) ** 0.5, 0.008)
    for size in heard(told).sizes:
        said = float(re.findall(r"[0-9.]+(?= mm)", size.says)[0])
        assert far <= said <= far + 0.01
        assert size.says.startswith("comes out" if far <= 0.1 else "is not seen to be off, but may")


def test_nothing_is_said_of_too_few_machines() -> None:
    for count, many in ((1, "1 machine:"), (2, "2 machines:")):
        found = heard(makes(count, 5, design={"slot": 0.5}))
        assert all(size.says.startswith(f"heard of {many}") for size in found.sizes)
        assert all(size.by == 0 for size in found.sizes)
    assert heard([]).reports == 0


@pytest.mark.parametrize(("others", "alone"), [(0, False), (2, False), (3, True)])
def test_of_one_machine_alone_is_said_only_where_others_were_heard(others, alone) -> None:
    found = heard(makes(1 + others, 3, one={"hole": 0.4}))
    [blamed] = [machine for machine in found.machines if machine.says]
    assert ("on it alone" in blamed.says) == alone
    assert ("whether it is the machine's or the design's" in blamed.says) != alone


def test_machines_that_nobody_calibrated_do_not_speak_of_the_design() -> None:
    """They may all lean the same way, as printed holes do; and none of them is off alone."""
    for calibrated, told in ((0, "but none of them was"), (1, "but 1 of them was")):
        found = heard(makes(8, calibrated=calibrated, design={"slot": 0.3}))
        slot = next(size for size in found.sizes if size.name == "slot")
        assert slot.by == 0
        assert slot.everywhere == pytest.approx(0.3, abs=0.05)
        assert slot.says.startswith(("comes out 0.3", "comes out 0.2"))
        assert f"{told} calibrated: too few" in slot.says
        assert not any("slot" in machine.says for machine in found.machines)
    # Those that were are heard without them: these come out right, the others do not.
    mixed = [*makes(4), *makes(9, seed=2, calibrated=4, design={"slot": 0.3})[4:]]
    slot = next(size for size in heard(mixed).sizes if size.name == "slot")
    assert slot.says.startswith(("comes out as it is wanted, within", "is not seen to be off"))


def test_what_a_later_edition_mended_is_not_laid_at_its_door() -> None:
    old = [one.with_(number="1.9") for one in makes(6, design={"slot": 0.2})]
    new = [one.with_(number="1.10") for one in makes(6, seed=5)]
    other = makes(1)
    told = by_edition([*other, *old, *new])
    assert list(told.items()) == [("1.10", new), ("1.9", old), ("", other)]
    by = {number: [bool(size.by) for size in heard(told[number]).sizes] for number in told}
    assert any(by["1.9"])
    assert not any(by["1.10"])


def test_where_nothing_is_wrong_little_is_blamed() -> None:
    """Machines that differ as it is stated: the share of false alarms over many sets."""
    design = machine = tried = 0
    for seed in range(150):
        found = heard(makes(6, 1, seed=1000 + seed))
        design += sum(bool(size.by) for size in found.sizes)
        machine += any(one.says for one in found.machines)
        tried += len(found.sizes)
    assert design / tried < 0.02
    assert machine / 150 < 0.08


def test_what_is_planted_is_found() -> None:
    right = wrong = lonely = 0
    for seed in range(80):
        found = heard(makes(6, 1, seed=2000 + seed, design={"slot": 0.15}, one={"width": -0.3}))
        sizes = {size.name: size for size in found.sizes}
        right += abs(sizes["slot"].by + 0.15) < 0.06
        wrong += bool(sizes["width"].by) or bool(sizes["hole"].by)
        says = {one.name: one.says for one in found.machines}
        lonely += says["P of maker 0"].startswith("width comes off")
    assert right >= 76
    assert lonely >= 76
    assert wrong <= 4


def test_counts_of_fits_are_counts() -> None:
    reports = makes(4, 2)
    reports[0] = reports[0].with_(fits="no")
    reports[1] = reports[1].with_(fits="almost")
    found = heard(reports)
    assert found.fits == (6, 1, 1)
    within = [m.low <= m.measured <= m.high for r in reports for m in r.measured]
    assert found.as_meant == (sum(within), len(within))


def test_a_report_comes_back_as_it_was() -> None:
    picture = base64.b64encode(b"\x89PNG\r\n\x1a\n" + b"0" * 40).decode()
    for process in shipped_processes():
        report = makes(1)[0].with_(
            machine=machine_of(process), pictures=(picture,), date="2026-05-30", words="Fits."
        )
        assert parse_report(write_report(report), "a.report") == report
        assert report.picture(0).startswith(b"\x89PNG")
        assert report.machine.figures


@pytest.mark.parametrize(
    "change",
    [
        '"words": 3', '"fits": "well"', '"date": "yesterday"', '"pictures": ["%%%"]',
        '"pictures": ["' + base64.b64encode(b"<svg>").decode() + '"]', '"number": "1"',
        '"measured": [{"size": "a", "wanted": 1e999, "expected": 1, "measured": 1}]',
        '"measured": [{"size": "a"}]', '"unknown": 1',
        '"machine": {"name": "P", "figures": {"a": "b"}}',
    ],
)  # fmt: skip
def test_what_is_no_report_is_refused_in_words(change: str) -> None:
    text = '{"format": "schablone report", "version": 1, ' + change + "}"
    with pytest.raises(SchabloneError) as refused:
        parse_report(text, "a.report")
    assert refused.value.problems[0].what


def test_what_comes_off_is_laid_at_the_machine_that_it_was_made_on() -> None:
    """A design whose parts are printed and cut; only one of the cutters is off."""

    def on_two(report: Report, slot: str) -> Report:
        measured = [
            one.model_copy(update={"on": slot if one.size == "slot" else "P"})
            for one in report.measured
        ]
        return report.model_copy(
            update={"measured": tuple(measured), "others": (Machine(name=slot, calibrated=DAY),)}
        )

    told = [on_two(report, "Laser") for report in makes(6, 2, one={"slot": 0.5})]
    found = heard(told)
    [blamed] = [machine for machine in found.machines if machine.says]
    assert blamed.name == "Laser of maker 0"
    assert blamed.says.startswith("slot comes off 0.")
    assert {machine.makes for machine in found.machines} == {2}
    assert len(found.machines) == 12
    assert {make.machine for size in found.sizes if size.name == "hole" for make in size.makes} == {
        f"P of maker {number}" for number in range(6)
    }
    of_nobody = told[0].model_copy(update={"others": ()})
    assert of_nobody.made_on(of_nobody.measured[-1]) is None


def test_a_make_of_which_nobody_knows_how_sure_it_is_does_not_outweigh_all_others() -> None:
    known = makes(6, design={"slot": 0.0}, noise=0.02)
    off = makes(1, one={"slot": 0.12}, noise=0)[0]
    unknown = off.model_copy(
        update={
            "who": "somebody",
            "measured": tuple(one.model_copy(update={"sure": 0.0}) for one in off.measured),
        }
    )
    [slot] = [size for size in heard([*known, unknown]).sizes if size.name == "slot"]
    plain_mean = np.mean([make.off for make in slot.makes])
    assert slot.mean == pytest.approx(plain_mean, abs=slot.around / 2)
    assert abs(slot.mean) < 0.05
    # And of few machines, nobody is blamed for what nobody knows.
    assert not any(machine.says for machine in heard([unknown]).machines)


def test_all_that_is_known_of_a_machine_goes_into_a_report() -> None:
    """A kerf of each material and thickness; two materials of one thickness are two."""
    laser = next(p for p in shipped_processes() if p.kind == "laser or knife")
    kerfs = tuple(
        {"material": f"Stuff {k % 25} {'x' * 280}", "thickness": 1 + k // 25, "kerf": 0.1 + k / 1e4}
        for k in range(500)
    )
    told = machine_of(Process.model_validate(laser.model_dump() | {"kerfs": kerfs}))
    known = [value for name, value in told.figures.items() if name.startswith("kerf in")]
    assert sorted(known) == pytest.approx([0.1 + k / 1e4 for k in range(500)])
