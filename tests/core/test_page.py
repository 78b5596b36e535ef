"""The page of an edition: what it holds, and that nothing a stranger wrote is more than text."""

import io
import json
import re
import struct
from html.parser import HTMLParser

import numpy as np
import pytest

from schablone.core.design import Adjustable, Check, Design, Preset, edit
from schablone.core.design.rebuild import rebuild
from schablone.core.editions import make_edition
from schablone.core.kernel.mesh import Mesh
from schablone.core.process import neutral, shipped_processes
from schablone.core.publish.edition import Edition, read_edition_bytes
from schablone.core.publish.licences import LICENCES, licence_in_full
from schablone.core.publish.life import coming_edition, with_edition
from schablone.core.publish.page import glb
from tests.conftest import plate

PRINTER = shipped_processes()[0]
#: A PNG file of one pixel.
DOT = bytes.fromhex(
    "89504e470d0a1a0a0000000d49484452000000010000000108060000001f15c4890000000d49444154789c6360f8cf"
    "c0f01f0005050201a5f6452c0000000049454e44ae426082"
)


class Reads(HTMLParser):
    """What a page is made of: tags with what they say, texts, scripts."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.texts: list[str] = []
        self.open: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag, attrs) -> None:
        self.tags.append((tag, dict(attrs)))
        if tag not in ("meta", "img", "br"):
            self.open.append(tag)

    def handle_endtag(self, tag) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data) -> None:
        if "script" not in self.open and "style" not in self.open:
            self.texts.append(data)

    @property
    def said(self) -> str:
        return " ".join(" ".join(self.texts).split())


def edition_of(design: Design, *processes, proof: str = "") -> Edition:
    kept = with_edition(design, coming_edition(design, PRINTER), PRINTER, "2026-05-30")
    return read_edition_bytes(make_edition(kept, processes or [PRINTER], lambda *_: DOT, proof))


def page_of(edition: Edition) -> Reads:
    found = Reads(edition.members["README.html"].decode("utf8"))
    assert found.open == []
    return found


@pytest.fixture(scope="module")
def slides():
    from schablone.core.design import read_design
    from tests.conftest import SLIDE

    return edition_of(read_design(SLIDE), *shipped_processes()[:2], proof="412 builds, all hold.")


def test_the_page_tells_all_that_people_need(slides) -> None:
    page = page_of(slides)
    for words in (
        "Hummelhof entrance slide", "by Hummelhof workshop · edition 1.0 of 2026-05-30",
        "Measure the inner width of your hive", "Width of the hive inside 372 mm 40 mm 600 mm",
        "Hummel Mini 196 × 38 × 4 mm, 34.2 g",
        "not on Printer Zeisig · PLA: slide is longer than the bed by 152",
        "printed, in layers of 0.2 mm PETG", "412 builds, all hold.", "Tell how it came out",
        "Creative Commons Attribution 4.0 International",
    ):  # fmt: skip
        assert words in page.said, words
    pictures = [told["src"] for tag, told in page.tags if tag == "img"]
    assert len(pictures) == 1 + 2 + 3
    links = [told["href"] for tag, told in page.tags if tag == "a"]
    assert "drawing.pdf" in links
    assert sorted(links) == sorted(
        m for m in slides.members if m.startswith("ready/") or m == "drawing.pdf"
    )


def test_it_needs_no_network(slides) -> None:
    page = page_of(slides)
    for _, told in page.tags:
        for name in ("src", "href", "action", "data", "poster", "srcset"):
            if value := told.get(name):
                assert value.startswith(
                    ("data:image/png;base64,", "ready/", "parts.csv", "drawing.pdf")
                )
    text = slides.members["README.html"].decode()
    rule = next(t["content"] for tag, t in page.tags if tag == "meta" and "http-equiv" in t)
    assert "default-src 'none'" in rule
    assert not re.search(r"url\(|@import|fetch\(|XMLHttpRequest|import\(", text)


def test_what_strangers_wrote_is_text() -> None:
    evil = "<script>alert(1)</script><img src=x onerror=alert(2)>\"'&[a](javascript:b)</script>"
    design = plate(
        sizes={"long": "100 mm"}, name=evil, process=PRINTER.name,
        checks=[Check(name=evil, formula="long > 0 mm").model_dump()],
    )  # fmt: skip
    design = edit.change_size(design, "long", low="50 mm", high="200 mm", note=evil)
    publish = design.publish.with_(
        title=evil, author=evil, summary=f"{evil}\n\n{evil}", measure_first=evil, licence=evil,
        next_changed=evil, adjust=(Adjustable(size="long", label=evil, help=evil),),
        presets=(Preset(name=evil, sizes={"long": "60 mm"}),),
    )  # fmt: skip
    part = design.parts[0].with_(title=evil, material=evil, density=1.0)
    design = design.model_copy(update={"publish": publish, "parts": (part,)})
    edition = edition_of(design, PRINTER.with_(name=evil), proof=evil)
    page = page_of(edition)
    assert page.said.count("<script>alert(1)</script>") >= 9
    assert [tag for tag, _ in page.tags].count("script") == 2  # the part, and the viewer
    for tag, told in page.tags:
        assert not any(name.startswith("on") for name in told)
        assert not (told.get("href") or "").startswith("javascript")
        assert tag in {
            "html", "head", "meta", "title", "style", "body", "main", "h1", "h2", "h3", "p", "div",
            "img", "figure", "figcaption", "section", "table", "tr", "th", "td", "ul", "li", "a",
            "br", "details", "summary", "pre", "script",
        }  # fmt: skip


def read_glb(data: bytes) -> list[tuple[str, np.ndarray, np.ndarray]]:
    """Names, triangles (n, 3, 3) and normals, read by the letter of the format."""
    magic, version, length = struct.unpack_from("<4sII", data)
    assert (magic, version, length) == (b"glTF", 2, len(data))
    size, kind = struct.unpack_from("<I4s", data, 12)
    assert kind == b"JSON"
    told = json.loads(data[20 : 20 + size])
    start = 20 + size + 8

    def numbers(index: int) -> np.ndarray:
        accessor = told["accessors"][index]
        view = told["bufferViews"][accessor["bufferView"]]
        kind = {5121: "<u1", 5123: "<u2", 5125: "<u4", 5126: "<f4"}[accessor["componentType"]]
        wide = {"SCALAR": 1, "VEC3": 3}[accessor["type"]]
        at = start + view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        found = np.frombuffer(data, kind, accessor["count"] * wide, at)
        return found.reshape(-1, wide) if wide > 1 else found

    found = []
    for mesh in told["meshes"]:
        (one,) = mesh["primitives"]
        order = numbers(one["indices"]).astype(np.int64).reshape(-1, 3)
        corners, normals = (numbers(one["attributes"][n]) for n in ("POSITION", "NORMAL"))
        found.append((mesh["name"], corners[order].astype(np.float64), normals[order]))
    return found


def test_the_part_file_holds_the_parts(slide: Design) -> None:
    built = rebuild(slide, slide.seen("wanted", neutral()))
    mesh: Mesh = next(iter(built.bodies.values())).mesh(0.05)
    one, two = read_glb(glb([("Slide", mesh), ("Slide", mesh)]))
    assert one[0] != two[0]
    for _, triangles, normals in (one, two):
        a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
        volume = np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6 * 1e9
        assert volume == pytest.approx(mesh.volume(), rel=1e-5)
        low, high = triangles.min(axis=(0, 1)) * 1000, triangles.max(axis=(0, 1)) * 1000
        assert high - low == pytest.approx([372, 4, 38], abs=1e-3)  # y is upwards
        flat = np.cross(b - a, c - a)
        assert (np.einsum("ij,ij->i", flat, normals[:, 0]) > 0).all()


def test_licences_at_hand_are_whole() -> None:
    assert "TERMS AND CONDITIONS FOR USE" in licence_in_full("Apache-2.0")
    assert "Statement of Purpose" in licence_in_full("CC0-1.0")
    assert "WITHOUT WARRANTY OF ANY KIND" in licence_in_full("MIT")
    for adapted in ("CC-BY-4.0", "CC-BY-SA-4.0"):
        told = licence_in_full(adapted)
        assert [f"Section {k} -- " in told for k in range(1, 10)] == [True] * 8 + [False]
    assert "BY-SA Compatible License" in licence_in_full("CC-BY-SA-4.0")
    assert all(len(licence_in_full(short)) > 900 for short in LICENCES)
    for other in ("", "../html", "MIT.txt", "CC-BY-3.0"):
        assert licence_in_full(other) == ""


def test_many_ready_made_sizes_stay_a_page() -> None:
    design = plate(sizes={"long": "100 mm"}, name="Plate", process=PRINTER.name)
    design = edit.change_size(design, "long", low="50 mm", high="200 mm")
    presets = tuple(Preset(name=f"No. {n}", sizes={"long": f"{n} mm"}) for n in range(60, 90))
    publish = design.publish.with_(adjust=(Adjustable(size="long"),), presets=presets)
    edition = edition_of(design.model_copy(update={"publish": publish}))
    page = page_of(edition)
    pictures = [told for tag, told in page.tags if tag == "img"]
    assert len(pictures) == 3 + 24
    assert "No. 89 100 × 40 × 4 mm" in page.said
    assert io.BytesIO(edition.members["README.html"]).getbuffer().nbytes < 1_000_000
