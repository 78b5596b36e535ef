"""Calibration: by hand, against a long sampling run, on machines that are not its model, and with
what goes wrong at a bench."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from schablone.core.design import read_design
from schablone.core.practice import features_of_file, machines
from schablone.core.practice.caliper import Caliper
from schablone.core.practice.cutting import Laser, Router
from schablone.core.practice.features import Measurable
from schablone.core.practice.printing import FilamentPrinter, ResinPrinter
from schablone.core.process import Process, neutral
from schablone.core.process.calibrate import calibrate, slopes
from schablone.core.process.checking import check, expected
from schablone.core.process.known import Material
from schablone.core.process.priors import PRIORS, noise_of
from schablone.core.process.readings import MadePiece, Reading, last_digit, rows_of
from schablone.core.process.store import parse_process, write_process
from schablone.core.process.sure import HOLDS_95, sure_of
from schablone.core.process.taking_over import (
    calibrated,
    calibrated_cut,
    calibrated_fits,
    retyped,
)
from schablone.core.process.telling import told
from tests.conftest import TOP
from tests.core.test_machines import laser, printer, router, sent_file

DAY = "2026-11-25"
MAKERS = {
    "filament print": FilamentPrinter.of,
    "resin print": ResinPrinter.of,
    "laser or knife": Laser.of,
    "router": Router.of,
}


def coupon(name: str, ending: str) -> list:
    data = sent_file(read_design(TOP / "demo" / f"{name}.schablone"), neutral(), ending)
    return features_of_file(data, f"c{ending}")


@pytest.fixture(scope="module")
def features() -> dict[str, list]:
    prints, cuts = coupon("printing-coupon", ".stl"), coupon("cutting-coupon", ".dxf")
    return {kind: prints if "print" in kind else cuts for kind in MAKERS}


def readings(measured) -> tuple[Reading, ...]:
    return tuple(
        Reading(f.kind, f.size, value, f.label, f.axis)
        for f, values in measured
        for value in values
    )


def made_by(
    kind: str, seed: int, features: list, day: int = 1, caliper: Caliper | None = None, maker=None
) -> MadePiece:
    caliper = caliper or Caliper.of(seed)
    piece = (maker or MAKERS[kind](seed)).make(features, 1000 * seed + day, 7000 * seed + day)
    return MadePiece(
        readings(caliper.readings(piece, 3, 100 * seed + day)), f"day {day}", caliper.closed()
    )


def layer_of(kind: str) -> float:
    return {"filament print": 0.2, "resin print": 0.05}.get(kind, 0.0)


def fitted(pieces, kind: str):
    return calibrate(pieces, kind, layer=layer_of(kind), cutter=6.0 if kind == "router" else 0.0)


def blank(kind: str) -> Process:
    if kind == "router":
        return router()
    if kind == "laser or knife":
        return laser()
    return Process(
        name="P", kind=kind, material=Material(name="stuff", density=1.0), layer=layer_of(kind)
    )


class TestFigures:
    def test_what_is_read_without_noise_is_found_again(self):
        """Shrinkage 0.4 %, holes −0.15 mm and −0.3 / d, straight walls ±0.1 mm, pegs +0.08 mm,
        heights 0.2 % and +0.04 mm."""
        made = {
            "hole": ((3, 4, 6, 10, 20), lambda d: d * 0.996 - 0.15 - 0.3 / d - 0.045 / d),
            "opening": ((5, 8, 12), lambda d: d * 0.996 - 0.1),
            "peg": ((4, 6, 10, 20), lambda d: d * 0.996 + 0.08),
            "length": ((8, 12, 70, 120), lambda d: d * 0.996 + 0.1),
            "height": ((4, 10, 30), lambda d: d * 0.998 + 0.04),
        }
        rows = [
            Reading(kind, d, of(d))
            for kind, (many, of) in made.items()
            for d in many
            for _ in range(3)
        ]
        found = calibrate([MadePiece(tuple(rows), DAY, 0.0)], "filament print")
        by_hand = {
            "shrinkage_xy": 0.4,
            "hole_gain": -0.15,
            "hole_small": -0.3,
            "opening_gain": -0.1,
            "peg_gain": 0.08,
            "length_gain": 0.1,
            "shrinkage_z": 0.2,
            "height_gain": 0.04,
        }
        for name, value in by_hand.items():
            assert found.figures[name] == pytest.approx(
                value, abs=HOLDS_95 * found.uncertainty(name)
            ), name
        for kind, (many, of) in made.items():
            says, *_ = found.expects(kind, np.array(many, dtype=float))
            # The flats of inner jaws are no doing of the machine's: a hole is wider than it reads.
            flats = np.array([0.045 / d if kind == "hole" else 0.0 for d in many])
            assert says == pytest.approx(np.array([of(d) for d in many]) + flats, abs=0.012)

    def test_it_agrees_with_a_long_sampling_run(self):
        """The posterior by a Metropolis walk over all figures, the day, the caliper and the noises,
        written out by itself."""
        chance = np.random.default_rng(4)
        rows = (
            [("hole", d) for d in (3, 5, 8, 14, 20)]
            + [("opening", d) for d in (5, 12)]
            + [("length", d) for d in (12, 70, 120)]
        )
        read = [
            d * 0.997
            + {"hole": -0.2 - 0.2 / d, "opening": -0.12, "length": 0.1}[kind]
            + chance.normal(0, 0.015)
            for kind, d in rows
        ]
        found = calibrate(
            [MadePiece(tuple(Reading(k, d, r) for (k, d), r in zip(rows, read, strict=True)), DAY)],
            "filament print",
        )
        prior = PRIORS["filament print"]
        causes = [
            c
            for c in prior.causes.values()
            if set(c[2])
            & {"hole_gain", "hole_small", "opening_gain", "length_gain", "shrinkage_xy"}
        ]
        days = [d for d in prior.days.values() if not {"height_gain", "first_layer"} & set(d[1])]
        sizes = np.array([d for _, d in rows], dtype=float)

        def column(moves) -> np.ndarray:
            return np.array(
                [
                    sum(
                        slopes(k, d, "", "filament print").get(n, 0) * by for n, by in moves.items()
                    )
                    for k, d in rows
                ]
            )

        inside = np.array([1.0 if kind != "length" else -1.0 for kind, _ in rows])
        flats = np.array([-1 / d if kind == "hole" else 0.0 for kind, d in rows])
        columns = (
            [column(m) for *_, m in causes]
            + [column(m) for _, m in days] * 2
            + [np.ones(len(rows)), inside, flats]
        )
        means = [m for m, *_ in causes] + [0.0] * (2 * len(days) + 2) + [0.045]
        spreads = (
            [s for _, s, _ in causes]
            + [s for s, _ in days]
            + [s * prior.pieces for s, _ in days]
            + [0.015, 0.004, 0.02]
        )
        design, mean, spread = np.stack(columns, 1), np.array(means), np.array(spreads)
        gained, round_ = np.array(read) - sizes, np.array([kind == "hole" for kind, _ in rows])
        usual = np.where(round_, prior.noise["round"], prior.noise["straight"])

        def log(point: np.ndarray) -> float:
            scaled, noises = point[:-2], point[-2:]
            noise = usual * np.exp(0.5 * np.where(round_, noises[0], noises[1]))
            # One reading each: what a hand adds is taken for half a hundredth of a millimetre or
            # its last digit.
            variance = noise**2 + 0.01**2 + (0.0002 * sizes) ** 2
            off = gained - design @ (mean + spread * scaled)
            tails = -3.5 * np.log1p(off**2 / (6 * variance)) - 0.5 * np.log(variance)
            return float(tails.sum() - 0.5 * (scaled @ scaled) - 0.5 * (noises @ noises))

        # Proposals shaped by the curvature at the usual noise.
        scaled = design * spread
        curved = np.linalg.inv(np.eye(len(mean)) + scaled.T @ (scaled / (usual**2 + 1e-4)[:, None]))
        steps = np.linalg.cholesky(
            np.block(
                [[curved, np.zeros((len(mean), 2))], [np.zeros((2, len(mean))), 0.5 * np.eye(2)]]
            )
        )
        at, value, walk = np.zeros(len(mean) + 2), -math.inf, []
        for turn in range(60_000):
            there = at + 0.55 * (steps @ chance.normal(0, 1, len(at)))
            then = log(there)
            if math.log(chance.random()) < then - value:
                at, value = there, then
            if turn > 6000:
                walk.append(at)
        drawn = mean + spread * np.array(walk)[:, :-2]
        ours = {name: (found.figures[name], found.uncertainty(name)) for name in found.figures}
        for name, (middle, sure) in ours.items():
            way = np.array([moves.get(name, 0.0) for *_, moves in causes])
            sampled = drawn[:, : len(causes)] @ way
            assert middle == pytest.approx(sampled.mean(), abs=0.2 * sampled.std()), name
            assert sure == pytest.approx(sampled.std(), rel=0.12), name

    def test_too_few_readings_say_so(self):
        with pytest.raises(ValueError, match="too few"):
            calibrate([MadePiece((Reading("hole", 4, 3.9),))], "filament print")

    def test_what_the_readings_do_not_tell_stays_as_it_was(self):
        holes = MadePiece(
            tuple(Reading("hole", d, d - 0.2) for d in (4, 6, 8, 10) for _ in range(3)), DAY
        )
        before = printer(shrinkage_xy=0.42, peg_gain=0.07)
        found = calibrate([holes], "filament print", before={"shrinkage_xy": 0.42})
        made = calibrated(before, found, DAY)
        assert "shrinkage_xy" in found.wide
        assert (made.shrinkage_xy, made.peg_gain) == (0.42, 0.07)
        assert [expected(made, "hole", d) for d in (4, 6, 8, 10)] == pytest.approx(
            [3.8, 5.8, 7.8, 9.8], abs=0.02
        )
        assert any("cannot be told" in words for words in told(found, holes.readings))

    def test_another_day_makes_the_next_piece_surer(self, features):
        kind = "filament print"
        pieces = [made_by(kind, 9, features[kind], day) for day in (1, 2, 3)]
        sure = []
        for count in (1, 3):
            found = fitted(pieces[:count], kind)
            sure.append(float(found.expects("hole", np.array([10.0]))[2][0]))
            now, then = found.once_more
            assert then < now
        assert sure[1] < 0.9 * sure[0]


class TestOnOtherMachines:
    """Machines that lay beads and burn, not the model with noise: see the table of
    ``benchmarks/run.py truth``."""

    @pytest.mark.parametrize("kind", MAKERS)
    def test_what_is_stated_holds(self, kind, features):
        inside, ratios = [], []
        for seed in range(40, 70):
            maker = MAKERS[kind](seed)
            found = fitted([made_by(kind, seed, features[kind])], kind)
            process = (
                calibrated(blank(kind), found, DAY)
                if "print" in kind
                else calibrated_cut(blank(kind), found, DAY, "", 4)
            )
            for one in maker.make(features[kind], 500 + seed, 900 + seed):
                f = one.feature
                says = expected(process, f.kind, f.size, "", 4.0)
                ways, spread = slopes(f.kind, f.size, f.axis, kind), process.spread_in("", 4.0)
                around = HOLDS_95 * sure_of(process, ways, f.size, spread, noise_of(f.kind)).piece
                inside.append(abs(one.size - says) <= around)
                ratios.append(around)
        assert np.mean(inside) >= 0.92
        assert np.median(ratios) < 0.14

    @pytest.mark.parametrize("digit", [0.02, 0.05, 0.1])
    def test_a_coarse_caliper_is_no_reason_for_certainty(self, digit, features):
        kind = "laser or knife"
        piece = made_by(kind, 5, features[kind], caliper=Caliper.of(5, digit))
        assert last_digit(piece.readings) == digit
        found = fitted([piece], kind)
        assert min(found.noise.values()) > 0.004
        assert found.uncertainty("kerf") > 0.008

    @pytest.mark.parametrize(("beside", "surely"), [(0.0, False), (0.0125, True)])
    def test_what_a_caliper_rounds_is_the_same_for_sizes_that_lie_alike(self, beside, surely):
        """A cut of 0.23 mm, a caliper of 0.1 mm. Whole sizes all read 0.2 mm more, be they ever so
        many; such as lie here and there between its digits give the cut away."""
        read = [
            Reading(kind, size, round(round((size + way * 0.23) / 0.1) * 0.1, 1), f"{kind} {k}")
            for kind, way in (("opening", 1), ("length", -1))
            for k in range(8)
            for size in [5.0 + 4 * k + beside * k]
            for _ in range(3)
        ]
        found = fitted([MadePiece(tuple(read), DAY, 0.0)], "laser or knife")
        off, around = found.figures["kerf"] - 0.23, HOLDS_95 * found.uncertainty("kerf")
        assert abs(off) <= around
        assert (abs(off) < 0.01) == surely
        assert around > 0.029 * HOLDS_95 / 2**0.5 or surely

    def test_each_piece_has_the_last_digit_of_its_own_caliper(self, features):
        """A fine reading beside it makes a coarse one no finer."""
        kind = "laser or knife"
        pieces = [
            made_by(kind, 5, features[kind], day=day, caliper=Caliper(digit))
            for day, digit in ((1, 0.1), (2, 0.01))
        ]
        rows, _, _ = rows_of(pieces)
        for number, piece in enumerate(pieces):
            alone, _, _ = rows_of([piece])
            mine = [row for row in rows if row.piece == number]
            assert [(r.variance, r.rounded) for r in mine] == [
                (r.variance, r.rounded) for r in alone
            ]
        steady = replace(pieces[0], readings=pieces[0].readings[::3] * 3)
        rows, _, _ = rows_of([steady, pieces[1]])
        assert {row.rounded for row in rows if row.piece == 0} == {0.1}
        assert {row.rounded for row in rows if row.piece == 1} == {0.0}

    @pytest.mark.parametrize("kind", ["filament print", "resin print"])
    def test_the_squeeze_of_the_first_layer_is_found(self, kind, features):
        """Against the difference of a step and of an outside of its size, over many days."""
        both = [Measurable("first layer", 50, 5, 5, "y"), Measurable("length", 50, 5, 5, "y")]
        held, off = [], []
        for seed in range(20):
            maker = MAKERS[kind](seed)
            days = [maker.make(both, 40 + day, 70 + day) for day in range(20)]
            squeezed = np.mean([(step.size - above.size) / 2 for step, above in days])
            found = fitted([made_by(kind, seed, features[kind])], kind)
            off.append(found.figures["first_layer"] - squeezed)
            held.append(abs(off[-1]) <= HOLDS_95 * found.uncertainty("first_layer"))
        assert np.mean(held) >= 0.9
        assert np.abs(off).max() < 0.06

    def test_thicker_stock_is_cut_otherwise(self):
        """A cutter gives way more the deeper it cuts; a beam's cut is narrower where it ends."""
        for kind in ("router", "laser or knife"):
            one = next(m for m in machines() if m.kind == kind)
            made = [
                one.make([Measurable("opening", 20, 0, 0, "x")], 1, through=thick)[0].size
                for thick in (2.0, 6.0, 20.0)
            ]
            assert made[0] > made[1] > made[2]
            assert made[0] - made[2] < 0.5

    def test_a_layer_that_reads_narrower_than_the_plate_is_not_squeezed_inwards(self, features):
        piece = made_by("filament print", 2, features["filament print"])
        narrow = tuple(
            replace(r, measured=r.drawn - 0.4) if r.feature == "first layer" else r
            for r in piece.readings
        )
        found = fitted([replace(piece, readings=narrow)], "filament print")
        assert found.figures["first_layer"] < 0
        assert calibrated(blank("filament print"), found, DAY).first_layer == 0

    def test_three_outliers_of_many_move_the_figures_by_less_than_their_uncertainty(self, features):
        kind = "filament print"
        piece = made_by(kind, 6, features[kind])
        clean = fitted([piece], kind)
        wrong = list(piece.readings)
        for k, by in ((3, 0.5), (40, -0.6), (60, 0.4)):
            wrong[k] = replace(wrong[k], measured=wrong[k].measured + by)
        found = fitted([replace(piece, readings=tuple(wrong))], kind)
        assert {3, 40, 60} <= found.outliers
        for name, value in clean.figures.items():
            assert found.figures[name] == pytest.approx(
                value, abs=HOLDS_95 * clean.uncertainty(name)
            ), name

    def test_the_shipped_ones_can_be_learned_from_their_files(self):
        for machine in machines():
            name, ending = (
                ("printing-coupon", ".3mf")
                if "print" in machine.kind
                else ("cutting-coupon", ".dxf")
            )
            data = sent_file(read_design(TOP / "demo" / f"{name}.schablone"), neutral(), ending)
            piece = machine.make(features_of_file(data, f"c{ending}"), 3, 1, layer_of(machine.kind))
            read = readings(machine.measure(piece, 3, 3))
            found = fitted([MadePiece(read, DAY, machine.caliper.closed())], machine.kind)
            assert len(found.figures) >= 1
            assert not [
                words
                for words in told(found, read)
                if "swapped" in words or "scaled" in words or "inches" in words
            ]

    def test_a_router_gives_its_cutter_away(self):
        """From corner to corner of a square of side w, with a cutter c and a cut k wider: (w + k)
        √2 - (√2 - 1) c."""
        squares = (16, 24, 36)
        read = [Reading("opening", w, w + 0.05) for w in squares for _ in range(2)]
        read += [
            Reading("diagonal", w * 2**0.5, (w + 0.05) * 2**0.5 - (2**0.5 - 1) * 5.9)
            for w in squares
            for _ in range(2)
        ]
        found = calibrate([MadePiece(tuple(read), DAY, 0.0)], "router", cutter=6.0)
        made = calibrated_cut(router(), found, DAY, "", 4)
        assert not found.slipped
        assert made.cutter == pytest.approx(5.9, abs=HOLDS_95 * found.uncertainty("cutter"))
        assert made.back_to(made.history[0]).cutter == 6


class TestAtTheBench:
    KIND = "filament print"

    @pytest.fixture(scope="class")
    def piece(self) -> MadePiece:
        return made_by(self.KIND, 7, coupon("printing-coupon", ".stl"), caliper=Caliper(zero=0.0))

    def words(self, piece: MadePiece) -> str:
        return "\n".join(told(fitted([piece], self.KIND), piece.readings))

    def test_a_good_piece_says_nothing_odd(self, piece):
        text = self.words(piece)
        assert not any(
            word in text for word in ("closed", "swapped", "scaled", "far off", "slipped")
        )

    def test_inches_are_told(self, piece):
        inches = replace(
            piece,
            readings=tuple(
                replace(r, measured=round(r.measured / 25.4, 3)) for r in piece.readings
            ),
        )
        with pytest.raises(ValueError, match="look like inches"):
            fitted([inches], self.KIND)

    def test_a_slipped_point_is_told_with_what_was_meant(self, piece):
        slipped = (
            replace(piece.readings[30], measured=piece.readings[30].measured * 10),
            *piece.readings,
        )
        text = self.words(replace(piece, readings=slipped))
        assert "a slipped point?" in text
        assert f"{piece.readings[30].measured:g} mm would fit" in text

    def test_swapped_rows_are_told(self, piece):
        # Ten and eight are too far apart to be anything but slipped; four and four and a half are
        # not.
        near = [Reading("hole", d, d - 0.25, f"hole {d}") for d in (4.0, 4.4) for _ in range(3)]
        near = [replace(r, measured=(8.4 - r.drawn) - 0.25) for r in near]
        text = self.words(replace(piece, readings=(*piece.readings, *near)))
        assert "swapped" in text

    def test_a_zero_that_is_off_is_told_and_allowed_for(self, piece):
        off = replace(
            piece,
            readings=tuple(replace(r, measured=r.measured + 0.1) for r in piece.readings),
            closed=None,
        )
        found, right = fitted([off], self.KIND), fitted([replace(piece, closed=None)], self.KIND)
        assert "when it is closed" in "\n".join(told(found, off.readings))
        assert "closed" not in "\n".join(told(right, piece.readings))
        assert found.figures["hole_gain"] == pytest.approx(right.figures["hole_gain"], abs=0.04)

    def test_a_scale_of_101_percent_is_told(self, piece):
        scaled = replace(
            piece,
            readings=tuple(
                replace(r, measured=round(r.measured * 1.014, 2)) for r in piece.readings
            ),
        )
        assert "Was it scaled to 101" in self.words(scaled)

    def test_a_check_piece_confirms_or_says_what_moved(self, piece):
        small = coupon("quick-coupon", ".stl")
        process = calibrated(blank(self.KIND), fitted([piece], self.KIND), DAY)
        usual = FilamentPrinter.of(7)
        holds = [
            check(process, made_by(self.KIND, 7, small, day, Caliper(), usual)).holds
            for day in range(20, 40)
        ]
        assert sum(holds) >= 18
        other_nozzle = replace(usual, flow=usual.flow + 0.25)
        result = check(process, made_by(self.KIND, 7, small, 20, Caliper(), other_nozzle))
        assert {"opening", "length"} <= set(result.moved)
        assert "another nozzle" in result.words


class TestTakingOver:
    def test_all_that_was_learned_is_written_and_read(self, features):
        kind = "filament print"
        piece = made_by(kind, 3, features[kind])
        made = calibrated(blank(kind), fitted([piece], kind), DAY, (piece.kept("Printing coupon"),))
        again = parse_process(write_process(made), "p.json")
        assert again == made
        assert again.measured["hole"] == (3.0, 20.09)
        assert MadePiece.of(again.pieces[0]).readings == piece.readings
        assert again.spread is not None
        assert again.spread.noise["round"] > 0

    def test_files_from_before_are_read(self):
        text = write_process(printer()).replace(
            '"note"', '"covariance": {"names": [], "rows": []}, "noise": 0.02, "note"'
        )
        assert parse_process(text, "p.json") == printer()

    def test_states_are_kept_and_gone_back_to(self, features):
        first = printer(hole_gain=-0.05, layer=0.2)
        second = calibrated(
            first,
            fitted([made_by("filament print", 3, features["filament print"])], "filament print"),
            DAY,
        )
        assert second.known["hole_gain"].source == "calibrated"
        back = second.back_to(second.history[0])
        assert (back.hole_gain, back.opening_gain, back.spread) == (-0.05, None, None)
        assert back.history[-1].figures["hole_gain"] == second.hole_gain

    def test_what_is_known_of_one_sheet_says_nothing_of_another(self):
        """Calibrated in acrylic: its kerf is known, that of plywood as little as before."""
        openings = MadePiece(
            tuple(Reading("opening", d, d + 0.3) for d in (10, 20, 30) for _ in range(3)), DAY, 0.0
        )
        both = laser(
            0.2,
            kerfs=[
                {"material": "acrylic", "thickness": 4, "kerf": 0.2},
                {"material": "plywood", "thickness": 4, "kerf": 0.25},
            ],
        )
        made = calibrated_cut(both, calibrate([openings], "laser or knife"), DAY, "acrylic", 4)
        assert made.kerf_in("acrylic", 4) == pytest.approx(0.3, abs=0.02)
        assert made.kerf_in("plywood", 4) == 0.25
        ways = slopes("opening", 10, "x", "laser or knife")
        known, typed = (
            sure_of(made, ways, 10, made.spread_in(stuff, 4), "straight")
            for stuff in ("acrylic", "plywood")
        )
        assert known.measured
        assert not typed.measured
        assert typed.mean > 2 * known.mean

    def test_a_figure_that_is_typed_over_is_measured_no_more(self, features):
        piece = made_by("filament print", 3, features["filament print"])
        made = calibrated(printer(layer=0.2), fitted([piece], "filament print"), DAY)
        typed = retyped(made, made.with_(hole_gain=-0.3))
        assert typed.known["hole_gain"].source == "typed"
        assert typed.spread is not None
        assert "hole_gain" not in typed.spread.mean.names
        ways = slopes("hole", 8, "", "filament print")
        assert (
            sure_of(typed, ways, 8, typed.spread, "round").mean
            > sure_of(made, ways, 8, made.spread, "round").mean
        )

    def test_a_gap_that_is_typed_over_was_not_found_by_feel(self):
        felt = calibrated_fits(printer(), {"sliding": 0.21, "push": 0.04}, DAY, 8.0)
        typed = retyped(felt, felt.with_(fits=felt.fits.with_(sliding=0.3)))
        assert typed.known["fits.sliding"].source == "typed"
        assert typed.known["fits.push"] == felt.known["fits.push"]
