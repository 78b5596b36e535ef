"""The command for the practice gallery: what is shared, sharing an edition, letting makers make
it."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from pathlib import Path

from platformdirs import user_data_path

from ..app.demo import demo_designs
from ..app.gallery_place import opened_gallery
from ..core.design.rebuild import Memory
from ..core.gallery import Gallery, Shared, made_by, makers
from ..core.gallery.makers import coupon_features, name_of
from ..core.gallery.promise import Promise
from ..core.practice.features import Measurable
from ..core.words import listed
from ..reader import read
from .common import FINE, WrongUse, print_json

#: The machines of makers, by the family of the processes that an edition is for.
_KINDS = {"print": ("filament print", "resin print"), "cut": ("laser or knife", "router")}
#: Nobody lets so many make one edition.
_MOST_MAKERS = 10_000


def usual_folder() -> Path:
    """Where the practice gallery of this person lies."""
    return user_data_path("schablone") / "gallery"


def gallery(options: argparse.Namespace) -> int:
    """List, share or make."""
    place = opened_gallery(options.folder or usual_folder())
    if options.action == "list":
        return _list(place, " ".join(options.what), options)
    if not options.what:
        raise WrongUse(f"“gallery {options.action}” needs to know what.")
    if options.action == "share":
        return _share(place, [Path(one) for one in options.what], options)
    return _make(place, " ".join(options.what), options)


def _list(place: Gallery, words: str, options: argparse.Namespace) -> int:
    shared = place.search(words)
    if options.json:
        print_json(
            {"editions": [_as_data(place, one) for one in shared], "problems": place.problems}
        )
        return FINE
    for one in shared:
        by = f" by {one.author}" if one.author else ""
        print(f"{one.title} {one.number}{by}, {place.reports.count(one.id)} reports")
    if not shared:
        print("nothing is shared here yet" if not words else f"nothing says “{words}”")
    return FINE


def _as_data(place: Gallery, one: Shared) -> dict[str, object]:
    return {**asdict(one), "reports": place.reports.count(one.id)}


def _share(place: Gallery, paths: list[Path], options: argparse.Namespace) -> int:
    shared = [place.publish(path) for path in paths]
    if options.json:
        print_json({"shared": [asdict(one) for one in shared], "problems": []})
    else:
        for one in shared:
            print(f"shared {one.title} {one.number}")
    return FINE


def _make(place: Gallery, name: str, options: argparse.Namespace) -> int:
    called = [e for e in place.latest() if name in (e.id, e.title)]
    if not called:
        raise WrongUse(f"there is no edition “{name}” in the gallery; “gallery list” tells which.")
    if len(called) > 1:
        ids = listed([e.id for e in called])
        raise WrongUse(f"several designs are called “{name}”: name one by its id, {ids}.")
    one = called[0]
    edition = read("edition", place.path(one))
    design = edition.design
    # Without the machine that it was designed on, it is made as those of the edition would.
    machines = sorted(edition.processes, key=lambda p: p.name != design.process)
    family = machines[0].family if machines else "print"
    if family not in _KINDS:
        raise WrongUse(f"“{one.title}” is folded: the makers here print and cut.")
    kinds = _KINDS[family]
    # Whoever made it already has a machine of their own: others make it now.
    before = {report.who for report in place.reports.of(one.id)}
    first = max((k + 1 for k in range(_MOST_MAKERS) if name_of(k) in before), default=0)
    promise, memory, refused = Promise.empty(), Memory(), 0
    pieces = dict.fromkeys(kinds, _test_piece(family))
    for maker in makers(kinds, options.makers, pieces, options.seed, first):
        made = made_by(maker, design, memory)
        if isinstance(made, str):
            refused += 1
            if not options.json:
                print(f"{maker.name} cannot make it: {made}", flush=True)
            continue
        promise.count(design, maker, made)
        place.reports.keep(made.report)
        if not options.json:
            words = {"yes": "it fits", "almost": "it fits almost", "no": "it does not fit"}
            said = words.get(made.report.fits, "made")
            print(f"{maker.name}, on a {maker.process.kind}, {maker.care}: {said}", flush=True)
    shares = [*promise.calibrated(), *promise.others()]
    if options.json:
        keys = ("calibrated", "calibrated_without", "others", "others_without")
        data = {key: [s.right, s.of] for key, s in zip(keys, shares, strict=True)}
        print_json({"edition": one.id, "refused": refused, **data, "problems": []})
    else:
        # One line: the window shows the last one.
        told = f"fits in their class, calibrated: {shares[0]}; without correction: {shares[1]}"
        if shares[2].of:
            told += f". Never calibrated: {shares[2]}; without correction: {shares[3]}"
        print(told)
    return FINE


def _test_piece(family: str) -> list[Measurable]:
    """The features of the coupon that ships for a family."""
    ending = ".stl" if family == "print" else ".dxf"
    stem = "printing-coupon" if family == "print" else "cutting-coupon"
    design = read("design", next(path for path in demo_designs() if path.stem == stem))
    return coupon_features(design, ending)
