"""Editions: what is in them, and what is refused when one is opened."""

import io
import json
import zipfile
from collections.abc import Callable

import pytest
import trimesh

from schablone.app.view3d.picture import paint_parts
from schablone.core.design import Adjustable, Design, Preset, edit
from schablone.core.design.offered import with_edition_limits
from schablone.core.design.rebuild import rebuild
from schablone.core.editions import make_edition
from schablone.core.problem import SchabloneError
from schablone.core.process import LensView, Process, shipped_processes
from schablone.core.prove.checks import quick_findings
from schablone.core.publish.edition import (
    as_given,
    problems_before_publishing,
    read_edition_bytes,
)
from tests.conftest import SLIDE

_KEPT: list[bytes] = []


@pytest.fixture
def edition(slide: Design) -> bytes:
    if not _KEPT:
        _KEPT.append(make_edition(slide, shipped_processes(), paint_parts))
    return _KEPT[0]


def repacked(data: bytes, change: Callable[[dict[str, bytes]], None]) -> bytes:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    change(members)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in members.items():
            archive.writestr(name, content)
    return buffer.getvalue()


def test_an_edition_holds_all_that_people_need(edition: bytes, slide: Design) -> None:
    found = read_edition_bytes(edition)
    assert found.design == slide
    assert sorted(p.name for p in found.processes) == sorted(
        p.name for p in shipped_processes()[:3]
    )
    assert set(map(str, found.processes)) == set(map(str, shipped_processes()[:3]))
    assert found.members["picture.png"].startswith(b"\x89PNG")
    assert "Width of the hive inside" in found.members["README.md"].decode()
    assert "<table>" in found.members["README.html"].decode()
    assert "CC-BY-4.0" in found.members["LICENCE.txt"].decode()
    ready = [name for name in found.members if name.startswith("ready/")]
    assert (
        len(ready) == (3 + 1) * 3
    )  # all presets on the large bed, the smallest on the middle one, in three formats each
    readme = found.members["README.md"].decode()
    assert "Hummel 10 on Printer Zeisig · PLA: slide is longer than the bed by 152" in readme
    assert "&#x27;" not in readme
    widths = {}
    for name in ready:
        if name.endswith(".stl"):
            widths[name] = trimesh.load(io.BytesIO(found.members[name]), file_type="stl").extents[0]
    assert widths["ready/printer-amsel-petg/hummel-8.stl"] == pytest.approx(
        (300 - 0.06) / 0.997, abs=1e-4
    )
    assert widths["ready/printer-zeisig-pla/hummel-mini.stl"] == pytest.approx(
        (196 - 0.12) / 0.999, abs=1e-4
    )


def test_text_from_the_designer_is_not_code_in_the_readme(slide: Design) -> None:
    nasty = slide.with_(
        publish=slide.publish.with_(summary="<script>alert(1)</script>", presets=(), author="a | b")
    )
    html = (
        read_edition_bytes(make_edition(nasty, shipped_processes()[:1], paint_parts))
        .members["README.html"]
        .decode()
    )
    assert "<script>alert" not in html


def test_another_machine_and_other_sizes(edition: bytes) -> None:
    found = read_edition_bytes(edition)
    design = with_edition_limits(found.design)
    given = as_given(design, {"width": "196 mm", "board": "1 mm"})
    assert given == {"width": "196 mm"}  # the board may not be adjusted
    zeisig = next(p for p in found.processes if "Zeisig" in p.name)
    built = rebuild(design, LensView("sent", zeisig), given=given)
    low, high = built.bodies["slide"].figures().bounds
    assert high[0] - low[0] == pytest.approx((196 - 0.12) / 0.999)
    assert built.table.cells["passages"].wanted.value == (1960 - 280 + 50) // 130


def test_narrower_limits_of_an_edition_hold(slide: Design) -> None:
    narrow = slide.with_(
        publish=slide.publish.with_(adjust=(Adjustable(size="width", low="100 mm", high="400 mm"),))
    )
    design = with_edition_limits(narrow)
    built = rebuild(design, LensView("wanted", shipped_processes()[0]), given={"width": "600 mm"})
    assert built.table.cells["width"].wanted.value == 400


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d.with_(publish=d.publish.with_(adjust=())), "Nothing may be adjusted"),
        (lambda d: edit.change_size(d, "width", low=""), "has no limits"),
        (
            lambda d: d.with_(publish=d.publish.with_(adjust=(Adjustable(size="nix"),))),
            "no size “nix”",
        ),
        (
            lambda d: d.with_(
                publish=d.publish.with_(presets=(Preset(name="P", sizes={"nix": "1"}),))
            ),
            "which is no size",
        ),
        (
            lambda d: d.with_(
                publish=d.publish.with_(presets=(Preset(name="P", sizes={"width": "9 m"}),))
            ),
            "“P” on Printer Amsel",
        ),
        (lambda d: edit.change_step(d, "plate", "by", "bord"), "no size “bord”"),
    ],
)
def test_what_cannot_be_published_is_told(slide: Design, change, says: str) -> None:
    with pytest.raises(SchabloneError, match=says):
        make_edition(change(slide), shipped_processes()[:1], paint_parts)


def set_member(name: str, content: bytes) -> Callable[[dict[str, bytes]], None]:
    return lambda members: members.__setitem__(name, content)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (set_member("../evil.txt", b"x"), "points outside"),
        (set_member("/etc/passwd", b"x"), "points outside"),
        (set_member("ready\\..\\x", b"x"), "points outside"),
        (set_member("C:evil", b"x"), "points outside"),
        (set_member("extra.txt", b"x"), "not in its manifest"),
        (set_member("README.md", b"changed"), "was changed after"),
        (set_member("manifest.json", b"{}"), "manifest cannot be read"),
        (set_member("manifest.json", b"[" * 100_000), "manifest cannot be read"),
        (lambda m: m.pop("manifest.json"), "no manifest"),
        (lambda m: m.pop("design.schablone"), "no design"),
        (lambda m: m.pop("picture.png"), "missing from it"),
        (lambda m: [m.__setitem__(f"f{i}", b"") for i in range(600)], "members; 500 are the most"),
    ],
)
def test_hostile_editions_are_refused(edition: bytes, change, says: str) -> None:
    with pytest.raises(SchabloneError, match=says):
        read_edition_bytes(repacked(edition, change))


def test_a_member_of_ten_gigabytes_is_refused_before_it_is_unpacked() -> None:
    buffer = io.BytesIO()
    with (
        zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive,
        archive.open("big", "w", force_zip64=True) as member,
    ):
        block = bytes(1 << 20)
        for _ in range(120):
            member.write(block)
    data = buffer.getvalue()
    assert len(data) < 1_000_000
    with pytest.raises(SchabloneError, match="126 MB large"):
        read_edition_bytes(data)
    # The same with the size in its directory raised to ten gigabytes.
    end = data.rfind(b"PK\x01\x02")
    told = bytearray(data)
    told[end + 24 : end + 28] = (4_000_000_000).to_bytes(4, "little")
    with pytest.raises(SchabloneError, match="4,000 MB large"):
        read_edition_bytes(bytes(told))
    # And lowered, so that the directory lies: reading stops, nothing is believed.
    told[end + 24 : end + 28] = (1000).to_bytes(4, "little")
    with pytest.raises(SchabloneError):
        read_edition_bytes(bytes(told))


@pytest.mark.parametrize("cut", [0, 10, 1000, 50_000, -200, -1])
def test_cut_off_editions_are_refused(edition: bytes, cut: int) -> None:
    with pytest.raises(SchabloneError):
        read_edition_bytes(edition[:cut])


def test_a_design_inside_is_read_as_strictly_as_any(edition: bytes) -> None:
    def spoil(members: dict[str, bytes]) -> None:
        import hashlib

        design = json.loads(members["design.schablone"])
        design["sizes"][0]["name"] = "__import__('os')"
        members["design.schablone"] = json.dumps(design).encode()
        manifest = json.loads(members["manifest.json"])
        digest = hashlib.sha256(members["design.schablone"]).hexdigest()
        manifest["files"]["design.schablone"]["sha256"] = digest
        members["manifest.json"] = json.dumps(manifest).encode()

    with pytest.raises(SchabloneError, match="a name has letters"):
        read_edition_bytes(repacked(edition, spoil))
    with pytest.raises(SchabloneError, match="no edition"):
        read_edition_bytes(SLIDE.read_bytes())


def test_two_ready_made_sizes_are_never_one_file(slide: Design) -> None:
    """The second would have been written over the first, and both listed."""
    for names in (("Hummel 8", "hummel-8"), ("Hummel 8", "Hummel 8")):
        presets = tuple(Preset(name=name, sizes={}) for name in names)
        twice = slide.model_copy(update={"publish": slide.publish.with_(presets=presets)})
        with pytest.raises(SchabloneError, match="would be one file"):
            make_edition(twice, shipped_processes()[:1], paint_parts)


def test_files_for_two_machines_are_never_one_file(slide: Design) -> None:
    """A part for the second printer would have lain where that for the first is looked for."""
    first = shipped_processes()[0]
    second = first.with_(name=first.name.replace(" · ", "-"), hole_gain=-0.4)
    with pytest.raises(SchabloneError, match="would be called as those of “Printer Amsel · PETG”"):
        make_edition(slide, [first, second], paint_parts)


@pytest.mark.parametrize(
    ("sizes", "limits", "why"),
    [
        ({"board": "5 mm"}, {}, "which others may not adjust"),
        ({"width": "500 mm"}, {"high": "400 mm"}, "above its upper limit; it is held at 400 mm"),
    ],
)
def test_no_file_is_ready_made_that_nobody_could_choose(
    slide: Design, sizes: dict[str, str], limits: dict[str, str], why: str
) -> None:
    width, *others = slide.publish.adjust
    publish = slide.publish.with_(
        presets=(Preset(name="Odd", sizes=sizes),), adjust=(width.with_(**limits), *others)
    )
    with pytest.raises(SchabloneError, match=why):
        make_edition(slide.with_(publish=publish), shipped_processes()[:1], lambda *_: b"picture")


def test_what_is_yes_or_no_needs_no_limits(slide: Design, amsel: Process, build) -> None:
    design = edit.add_size(edit.add_size(slide, "glued", "no"), "free", "3 mm")
    either, free = Adjustable(size="glued"), Adjustable(size="free")

    def told(*items: Adjustable) -> tuple[list[str], list[str]]:
        publish = design.publish.with_(adjust=items, presets=())
        offers = design.with_(publish=publish)
        failing = [f.why for f in quick_findings(offers, build(offers, amsel)) if not f.holds]
        return [p.name for p in problems_before_publishing(offers)], failing

    assert told(either) == ([], [])
    assert told(either, free) == (["free"], ["“free” has no lower or no upper limit."])
