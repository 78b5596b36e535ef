"""What a calibration fixes becomes a process's new state; the one before goes to its history."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from .calibrate import Calibration, Floats
from .known import Bend, Covariance, Kerf, Known, MeasuredPiece, Spread
from .model import CALIBRATED, Process, State


def calibrated(
    process: Process, calibration: Calibration, date: str, pieces: Sequence[MeasuredPiece] = ()
) -> Process:
    """A process that prints, with what a calibration fixes. What the readings did not tell stays as
    it is.

    Raises:
        pydantic.ValidationError: where a figure is beyond what a machine of this kind does.
    """
    known, changes = dict(process.known), dict[str, float]()
    for name in CALIBRATED:
        if name in calibration.figures and name not in calibration.wide:
            figure = calibration.figures[name]
            # A layer is not squeezed inwards: what is below nothing is chance.
            changes[name] = round(max(figure, 0.0) if name == "first_layer" else figure, 5)
            known[name] = _known(calibration, name, date)
    return process.with_(
        **changes,
        known=known,
        spread=spread_of(calibration),
        date=date,
        measured=calibration.measured_between(),
        pieces=tuple(pieces),
        history=(*process.history, State.of(process)),
    )


def calibrated_cut(
    process: Process,
    calibration: Calibration,
    date: str,
    material: str,
    thickness: float,
    pieces: Sequence[MeasuredPiece] = (),
) -> Process:
    """A process that cuts, with the kerf that a calibration gives for a material and thickness, and
    for no other; a router with what its path gains, and with its cutter where that was measured."""
    kerf, known = round(calibration.figures["kerf"], 5), dict(process.known)
    changes: dict[str, object] = {}
    if process.kind == "router":
        changes |= {
            "path_gain": -kerf,
            "spread": spread_of(calibration),
            "measured": calibration.measured_between(),
        }
        known["path_gain"] = _known(calibration, "kerf", date)
        if "cutter" in calibration.figures and "cutter" not in calibration.wide:
            changes["cutter"] = round(calibration.figures["cutter"], 5)
            known["cutter"] = _known(calibration, "cutter", date)
    else:
        others = (k for k in process.kerfs if (k.material, k.thickness) != (material, thickness))
        mine = Kerf(
            material=material,
            thickness=thickness,
            kerf=max(kerf, 0.0),
            known=_known(calibration, "kerf", date),
            spread=spread_of(calibration),
        )
        changes["kerfs"] = tuple(sorted((*others, mine), key=lambda k: (k.material, k.thickness)))
        changes["measured"] = calibration.measured_between()
    return process.with_(
        **changes,
        known=known,
        date=date,
        pieces=tuple(pieces),
        history=(*process.history, State.of(process)),
    )


def calibrated_fits(process: Process, gaps: Mapping[str, float], date: str, size: float) -> Process:
    """The process with gaps of fits, mm, that were found by hand at a ``size`` in mm, as its new
    state.

    Raises:
        pydantic.ValidationError: where they get tighter from press to loose.
    """
    mark = Known(source="calibrated", date=date, readings=1)
    known = {**process.known, **{f"fits.{fit}": mark for fit in gaps}}
    fits = process.fits
    fits = fits.with_(**{fit: round(fits.kept_for(gap, size), 5) for fit, gap in gaps.items()})
    return process.with_(
        fits=fits, known=known, date=date, history=(*process.history, State.of(process))
    )


def retyped(before: Process, made: Process) -> Process:
    """A process of which figures were typed: those that differ from before are no longer what a
    calibration found, and what it knew of them goes. Kerfs that are as they were keep what is known
    of them."""
    differ = {
        name
        for name in (*CALIBRATED, "path_gain", "cutter", *made.known)
        if _figure(made, name) != _figure(before, name)
    }
    known = {
        name: Known(
            source="typed", uncertainty=one.uncertainty if one != before.known.get(name) else 0.0
        )
        if name in differ and one.source == "calibrated"
        else one
        for name, one in made.known.items()
    }
    kerfs = tuple(
        next(
            (
                k
                for k in before.kerfs
                if (k.material, k.thickness, k.kerf) == (n.material, n.thickness, n.kerf)
            ),
            n,
        )
        for n in made.kerfs
    )
    # The editor's rows say nothing of how well a bend is known: it stays where the figures do.
    measured = {_figures_of(row): row.known for row in before.bends}
    bends = tuple(row.with_(known=measured.get(_figures_of(row))) for row in made.bends)
    gone = differ | ({"kerf"} if "path_gain" in differ else set())
    spread = made.spread
    if spread is not None and gone & set(spread.mean.names):
        spread = spread.with_(mean=_without(spread.mean, gone), days=_without(spread.days, gone))
    return made.with_(known=known, kerfs=kerfs, bends=bends, spread=spread)


def _figure(process: Process, name: str) -> object:
    """A figure by the name under which it is known: also a gap of the fits."""
    group, _, fit = name.rpartition(".")
    return getattr(process.fits if group == "fits" else process, fit, None)


def _figures_of(row: Bend) -> tuple[str, float, float, float, float, float]:
    """What was measured of a bend, and of what."""
    return (
        row.material, row.thickness, row.radius, row.angle, row.deduction, row.springs_back,
    )  # fmt: skip


def _without(rows: Covariance, names: set[str]) -> Covariance:
    left = [k for k, name in enumerate(rows.names) if name not in names]
    return Covariance(
        names=tuple(rows.names[k] for k in left),
        rows=tuple(tuple(rows.rows[k][j] for j in left) for k in left),
    )


def spread_of(calibration: Calibration) -> Spread:
    """How far what is made lies from what is expected, as a calibration found it."""
    return Spread(
        mean=_rows(calibration.spread_names, calibration.covariance),
        days=_rows(calibration.spread_names, calibration.days),
        noise={name: round(value, 6) for name, value in calibration.noise.items()},
    )


def _rows(names: tuple[str, ...], matrix: Floats) -> Covariance:
    return Covariance(
        names=names,
        rows=tuple(tuple(float(f"{value:.6g}") for value in row) for row in matrix.tolist()),
    )


def _known(calibration: Calibration, name: str, date: str) -> Known:
    sure = round(calibration.uncertainty(name), 6)
    return Known(
        source="calibrated", uncertainty=sure, date=date, readings=len(calibration.readings)
    )
