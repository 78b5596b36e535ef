"""The command line, as scripts use it."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from schablone.cli.main import main
from schablone.core.design import read_design, save_design
from schablone.core.process import shipped_processes
from schablone.core.process.store import write_process
from schablone.core.publish.choices import Choice, write_choice
from schablone.core.publish.edition import read_edition
from schablone.core.publish.reports import Machine, Measured, Report, write_report
from tests.conftest import SLIDE, TOP, slide_volume


def run(capsys, *arguments: object) -> tuple[int, dict]:
    code = main([str(argument) for argument in arguments] + ["--json"])
    return code, json.loads(capsys.readouterr().out)


@pytest.mark.parametrize(
    ("expression", "value", "kind", "text"),
    [
        ("1 3/4 in", 44.45, "length", "44.45 mm"),
        ("30 deg", 30, "angle", "30°"),
        ("floor(10 / 4)", 2, "count", "2"),
        ("2 cm * 3 cm", 600, "area", "600 mm²"),
        ("2 cm * 3 cm * 1 mm", 600, "volume", "600 mm³"),
        ("1 kg", 1000, "mass", "1000 g"),
        ("3 > 2", True, "truth", "yes"),
        ("w * 2", 24, "length", "24 mm"),
        ("hole_for(6 mm, sliding)", 6.2, "length", "6.2 mm"),
    ],
)
def test_formula(capsys, expression: str, value, kind: str, text: str) -> None:
    code, answer = run(capsys, "formula", expression, "--let", "w=v + 2 mm", "--let", "v=1 cm")
    assert code == 0
    assert answer == {"value": pytest.approx(value), "kind": kind, "text": text}


def test_formula_that_is_wrong(capsys) -> None:
    code, answer = run(capsys, "formula", "widht + 1 mm", "--let", "width=3 mm")
    assert code == 1
    assert answer["value"] is None
    assert "Did you mean “width”?" in answer["problems"][0]["text"]
    assert answer["problems"][0]["span"] == [0, 5]
    assert main(["formula", "widht + 1 mm", "--let", "width=3 mm"]) == 1
    assert "^^^^^" in capsys.readouterr().err
    assert main(["formula", "a", "--let", "a=b", "--let", "b=a"]) == 1
    assert "a → b → a" in capsys.readouterr().err


def test_sizes_by_lens_and_with_another_process(capsys, tmp_path: Path) -> None:
    code, answer = run(capsys, "sizes", SLIDE, "--set", "width=300 mm")
    assert code == 0
    assert answer["sizes"]["passages"] == {
        "value": 21,
        "kind": "count",
        "formula": "most_that_fit(width, passage, web, margin)",
        "role": "worked out",
    }
    assert answer["sizes"]["spacing"]["role"] == "read off"
    assert answer["sizes"]["width"]["formula"] == "300 mm"
    _, sent = run(capsys, "sizes", SLIDE, "--lens", "sent")
    assert sent["sizes"]["dowel_hole"]["value"] == pytest.approx(6.38 / 0.997)
    own = tmp_path / "own.json"
    own.write_text(write_process(shipped_processes()[1].with_(name="Mine", hole_gain=-0.5)))
    _, other = run(capsys, "sizes", SLIDE, "--lens", "sent", "--process", own)
    assert other["sizes"]["dowel_hole"]["value"] == pytest.approx((6.25 + 0.5) / 0.999)
    # What a printer makes of a radius nobody works out: no figure, and a word.
    foot = SLIDE.with_name("scale-foot.schablone")
    _, told = run(capsys, "sizes", foot, "--lens", "sent")
    assert told["sizes"]["corner"]["value"] is None
    assert main(["sizes", str(foot), "--lens", "sent"]) == 0
    assert "What the machine makes of it is not worked out: corner." in capsys.readouterr().out
    assert main(["sizes", str(SLIDE)]) == 0
    assert "hole_for(dowel, sliding)" in capsys.readouterr().out


def test_build_measures_the_kernels_solid_and_writes_files(capsys, tmp_path: Path) -> None:
    outputs = [tmp_path / f"slide{ending}" for ending in (".step", ".stl", ".3mf", ".dxf", ".svg")]
    arguments = [word for output in outputs for word in ("-o", output)]
    code, answer = run(capsys, "build", SLIDE, "--set", "width=300 mm", *arguments)
    assert code == 0
    (part,) = answer["parts"]
    assert part["name"] == "slide"
    assert part["volume"] == pytest.approx(slide_volume(300, 38, 4, 21, 8, 6.2), rel=1e-6)
    assert part["bounds"] == [
        pytest.approx([-150, -19, 0], abs=1e-6),
        pytest.approx([150, 19, 4], abs=1e-6),
    ]
    assert part["valid"] is True
    assert part["faces"] == 6 + 23
    assert part["edges"] == 12 + 23 * 3
    assert answer["sizes"]["passages"]["value"] == 21
    assert all(output.stat().st_size > 300 for output in outputs)


def test_problems_end_with_one_and_write_nothing(capsys, tmp_path: Path) -> None:
    output = tmp_path / "slide.stl"
    code, answer = run(capsys, "build", SLIDE, "--set", "width=wdth", "-o", output)
    assert code == 1
    assert answer["problems"][0]["name"] == "width"
    assert not output.exists()
    held, noted = run(capsys, "build", SLIDE, "--set", "width=20 mm")
    assert held == 0
    assert noted["problems"][0]["severity"] == "note"
    assert noted["sizes"]["width"]["value"] == 40
    lost, unknown = run(capsys, "sizes", SLIDE, "--set", "widht=3 mm")
    assert lost == 1
    assert "Did you mean “width”" in unknown["problems"][0]["text"]


@pytest.mark.parametrize(
    "arguments",
    [
        [],
        ["knit"],
        ["build"],
        ["build", str(SLIDE), "-o", "x.doc"],
        ["build", "nothing.schablone"],
        ["sizes", str(SLIDE), "--lens", "rosy"],
        ["sizes", str(SLIDE), "--set", "width"],
        ["sizes", str(SLIDE), "--set", "1st=3"],
        ["new", str(SLIDE)],
    ],
)
def test_wrong_use_ends_with_two(capsys, arguments: list[str]) -> None:
    try:
        code = main(arguments)
    except SystemExit as end:
        code = end.code
    assert code == 2
    assert capsys.readouterr().err.strip()


def test_check_text_new_processes(capsys, tmp_path: Path) -> None:
    code, answer = run(capsys, "check", SLIDE)
    assert code == 0
    assert all(check["holds"] for check in answer["checks"])
    assert main(["check", str(SLIDE), "--process", "printer zeisig · pla"]) == 1
    assert "longer than the bed by 152 mm" in capsys.readouterr().out
    assert main(["check", str(SLIDE), "--process", "printer zeisig"]) == 2
    assert "Did you mean “Printer Zeisig · PLA”?" in capsys.readouterr().err
    assert main(["text", str(SLIDE)]) == 0
    assert "# Entrance slide" in capsys.readouterr().out
    fresh = tmp_path / "my_box.schablone"
    assert main(["new", str(fresh)]) == 0
    capsys.readouterr()
    code, answer = run(capsys, "build", fresh)
    assert code == 0
    assert answer["parts"] == []
    _, listed = run(capsys, "processes")
    assert len(listed["processes"]) == 7
    assert main(["processes", "--write", "Printer Amsel · PETG", str(tmp_path / "p.json")]) == 0
    assert (tmp_path / "p.json").exists()


@pytest.mark.nightly
def test_publish_and_use_the_edition(capsys, tmp_path: Path) -> None:
    edition = tmp_path / "slide.zip"
    mine = tmp_path / "mine.schablone"
    mine.write_bytes(SLIDE.read_bytes())
    code, answer = run(capsys, "publish", mine, "-o", edition, "--trial", "--date", "2026-05-30")
    assert (code, answer["edition"], answer["is_new"]) == (0, "1.0", True)
    assert mine.read_bytes() == SLIDE.read_bytes()  # a trial leaves no record
    code, answer = run(capsys, "publish", mine, "-o", edition, "--date", "2026-05-30")
    assert read_design(mine).publish.history[-1].date == "2026-05-30"
    again = tmp_path / "again.zip"
    assert run(capsys, "publish", mine, "-o", again)[1]["is_new"] is False
    assert again.read_bytes() == edition.read_bytes()
    choice = tmp_path / "mine.choice"
    kept = Choice(
        edition=read_design(mine).publish.id, number="1.0", process="Printer Zeisig · PLA",
        values={"width": "196 mm"},
    )  # fmt: skip
    choice.write_text(write_choice(kept))
    code, built = run(capsys, "build", edition, "--choice", choice, "--lens", "sent")
    low, high = built["parts"][0]["bounds"]
    assert high[0] - low[0] == pytest.approx((196 - 0.12) / 0.999, abs=1e-6)
    choice.write_text(write_choice(kept.with_(values={"width": "9 m"})))
    assert main(["build", str(edition), "--choice", str(choice)]) == 1
    assert "may be at most 600 mm; it is 9000 mm" in capsys.readouterr().err
    with pytest.raises(SystemExit):
        main(["publish", str(mine), "-o", str(again), "--date", "30.5.2026"])
    assert "no day such as" in capsys.readouterr().err
    # A part for printers: of the machines that ship, it was tried on these alone.
    printers = {p.name for p in shipped_processes() if p.family == "print"}
    assert set(answer["processes"]) == printers
    assert {p.name for p in read_edition(edition).processes} == printers
    code, built = run(
        capsys,
        "build",
        edition,
        "--set",
        "width=196 mm",
        "--process",
        "Printer Zeisig · PLA",
        "--lens",
        "sent",
    )
    assert code == 0
    low, high = built["parts"][0]["bounds"]
    assert high[0] - low[0] == pytest.approx((196 - 0.12) / 0.999, abs=1e-6)
    damaged = tmp_path / "damaged.zip"
    damaged.write_bytes(edition.read_bytes()[:5000])
    assert main(["sizes", str(damaged)]) == 1
    assert "cut off" in capsys.readouterr().err


def test_standard_output_holds_nothing_but_the_answer(tmp_path: Path) -> None:
    """In a process of its own, where the kernel could print into it."""
    command = [
        sys.executable,
        "-m",
        "schablone.cli.main",
        "build",
        str(SLIDE),
        "--json",
        "-o",
        str(tmp_path / "a.step"),
    ]
    done = subprocess.run(
        command, capture_output=True, check=True, env={**os.environ, "DISPLAY": ""}
    )
    assert json.loads(done.stdout)["parts"][0]["name"] == "slide"


def test_start_without_a_display_says_so(tmp_path: Path) -> None:
    environment = {
        key: text for key, text in os.environ.items() if key not in ("DISPLAY", "WAYLAND_DISPLAY")
    }
    done = subprocess.run(
        [sys.executable, "-m", "schablone.app.main"],
        capture_output=True,
        env=environment,
        check=False,
    )
    assert done.returncode == 2
    assert done.stderr.decode().count("\n") == 1
    assert "./start --picture OUT.png" in done.stderr.decode()


@pytest.mark.parametrize(("platform", "screen"), [("wrong", ":0"), ("xcb", ":7777")])
def test_start_on_a_screen_that_is_none_says_so(platform: str, screen: str, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "schablone.app.main", "--picture", str(tmp_path / "x.png")],
        capture_output=True,
        text=True,
        env={**os.environ, "QT_QPA_PLATFORM": platform, "DISPLAY": screen},
        check=False,
    )
    assert done.returncode == 2
    assert "cannot open a window here" in done.stderr.splitlines()[-1]


@pytest.mark.parametrize(
    "module",
    [
        "schablone.core.design.rebuild",
        "schablone.core.publish.edition",
        "schablone.app.application",
    ],
)
def test_the_kernel_is_not_loaded_where_it_must_not_be(module: str) -> None:
    code = f"import sys, {module}; print([n for n in sys.modules if n.split('.')[0] == 'OCP'])"
    assert (
        subprocess.run([sys.executable, "-c", code], capture_output=True, check=True).stdout.strip()
        == b"[]"
    )


def test_the_core_runs_without_qt_and_vtk() -> None:
    code = (
        "import sys; sys.modules['PySide6'] = sys.modules['vtkmodules'] = None; "
        "from schablone.core.kernel import occ; from schablone.core.publish import edition; "
        "from schablone.core import prove; print('fine')"
    )
    assert (
        subprocess.run([sys.executable, "-c", code], capture_output=True, check=True).stdout
        == b"fine\n"
    )


def test_scripts_are_there_and_can_be_run() -> None:
    for name in ("start", "check", "schablone", "schablone-shots", ".ci/run"):
        assert os.access(TOP / name, os.X_OK), name


def test_files_for_machines_hold_what_is_sent(capsys, tmp_path: Path) -> None:
    import trimesh

    plain, sent = tmp_path / "plain.stl", tmp_path / "sent.stl"
    assert main(["build", str(SLIDE), "--lens", "wanted", "-o", str(plain)]) == 0
    assert main(["build", str(SLIDE), "-o", str(sent), "-o", str(tmp_path / "part.step")]) == 0
    told = capsys.readouterr().out
    assert "sent.stl, as it is sent to Printer Amsel" in told
    assert "part.step, as it is wanted" in told
    wide = [trimesh.load(path).extents[0] for path in (plain, sent)]
    # It shrinks by 0.3 % and comes out 0.06 mm large.
    assert wide[0] == pytest.approx(372, abs=1e-3)
    assert wide[1] == pytest.approx(372 / 0.997, abs=0.2)
    assert wide[1] != pytest.approx(372, abs=0.5)


def test_several_files_and_all_variants(capsys, tmp_path: Path) -> None:
    runner = TOP / "demo" / "frame-runner.schablone"
    code, answer = run(capsys, "sizes", SLIDE, runner)
    assert code == 0
    assert set(answer) == {str(SLIDE), str(runner)}
    code, answer = run(capsys, "build", runner, "--all-variants", "-o", tmp_path / "rail.stl")
    assert code == 0
    assert len(answer["variants"]) == len(list(tmp_path.glob("rail-*.stl"))) == 4
    assert main(["build", str(SLIDE), "--all-variants"]) == 2
    assert "no size table" in capsys.readouterr().err


def test_of_two_files_neither_goes_over_the_other(capsys, tmp_path: Path) -> None:
    foot, coupon = (TOP / "demo" / f"{name}.schablone" for name in ("scale-foot", "quick-coupon"))
    code, _ = run(capsys, "parts", foot, coupon, "-o", tmp_path / "list.csv")
    assert code == 0
    for name, title in (("scale-foot", "Scale foot"), ("quick-coupon", "Quick coupon")):
        assert title in (tmp_path / f"list-{name}.csv").read_text()
    code, answer = run(capsys, "lay-out", foot, coupon, "-o", tmp_path / "beds")
    assert code == 0
    written = [path for told in answer.values() for one in told["stocks"] for path in one["files"]]
    assert len(written) == len(set(written)) == len(list((tmp_path / "beds").iterdir()))
    assert (tmp_path / "beds" / "scale-foot-bed-1.3mf").exists()
    # Nor what comes of one variant.
    runner = read_design(TOP / "demo" / "frame-runner.schablone")
    first, second, *_ = runner.table.rows
    rows = (first.with_(name="M4 x 20"), second.with_(name="M4-x-20"))
    table = runner.table.with_(rows=rows, current="M4 x 20")
    save_design(runner.model_copy(update={"table": table}), tmp_path / "two.schablone")
    code, _ = run(
        capsys, "build", tmp_path / "two.schablone", "--all-variants", "-o", tmp_path / "rail.stl"
    )
    assert code == 0
    assert {path.name for path in tmp_path.glob("rail-*")} == {
        "rail-m4-x-20.stl", "rail-m4-x-20-2.stl",
    }  # fmt: skip


def test_check_looks_through_what_is_sent_too(capsys, tmp_path: Path) -> None:
    # As wanted the hole is fine; the machine closes it by more than it is wide.
    design = {
        "name": "Plate",
        "format": "schablone design",
        "version": 1,
        "steps": [
            {"kind": "sketch", "name": "s", "shapes": [{"kind": "rectangle", "name": "r"}]},
            {"kind": "extrude", "name": "plate", "sketch": "s", "by": "4 mm"},
            {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "inside(0.3 mm)"},
        ],
    }
    path = tmp_path / "plate.schablone"
    path.write_text(json.dumps(design))
    machine = tmp_path / "machine.json"
    machine.write_text(write_process(shipped_processes()[0].with_(name="Grows", hole_gain=0.5)))
    _, wanted = run(capsys, "check", path, "--process", machine, "--lens", "wanted")
    assert not wanted["problems"]
    code, answer = run(capsys, "check", path, "--process", machine)
    assert code == 1
    assert any("must be above zero" in problem["text"] for problem in answer["problems"])


def test_sketches_tell_their_freedoms_and_what_is_at_odds(capsys, tmp_path: Path) -> None:
    points = [
        {"kind": "point", "name": n, "x": x, "y": y}
        for n, x, y in (("a", 0, 0), ("b", 10, 0.2), ("c", 5, 8))
    ]
    lines = [
        {"kind": "line", "name": f"l{k}", "start": a, "end": b}
        for k, (a, b) in enumerate(("ab", "bc"))
    ]
    sketch = {"kind": "sketch", "name": "s", "drawing": {"elements": [*points, *lines]}}
    path = tmp_path / "open.schablone"

    def told(**drawing: object) -> tuple[int, dict]:
        mine = {**sketch, "drawing": {**sketch["drawing"], **drawing}}
        path.write_text(
            json.dumps({"format": "schablone design", "version": 1, "name": "x", "steps": [mine]})
        )
        code, answer = run(capsys, "sketch", path)
        return code, answer["sketches"]["s"]

    code, found = told()
    assert (code, found["freedoms"], found["regions"]) == (0, 6, 0)
    assert {gap["curve"] for gap in found["gaps"]} == {"l0", "l1"}
    level = {"name": "c1", "kind": "horizontal", "of": ["l0"]}
    assert told(constraints=[level])[1]["freedoms"] == 5
    twice = [
        {"name": f"d{k}", "kind": "distance", "of": ["l0"], "formula": f"{10 + k} mm"}
        for k in (0, 1)
    ]
    code, found = told(dimensions=twice)
    assert code == 1
    assert set(found["at_odds"]) == {"d0", "d1"}


def loaded(what: str, unwanted: set[str]) -> str:
    """Which packages are loaded that are not wanted, once something was done in a process of its
    own."""
    script = (
        f"{what}; import sys; print(sorted({unwanted} & {{m.split('.')[0] for m in sys.modules}}))"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True
    )
    return done.stdout.splitlines()[-1]


def test_a_formula_loads_no_more_than_it_needs() -> None:
    """Neither the kernel, nor the window, nor what sketches need."""
    unwanted = {"OCP", "PySide6", "scipy", "shapely", "vtkmodules", "ezdxf"}
    asked = "from schablone.cli.main import main; main(['formula', '1 mm'])"
    assert loaded(asked, unwanted) == "[]"


def test_a_window_loads_no_more_than_its_first_picture_needs() -> None:
    """What proves, lays, calibrates and draws pages is loaded where it is asked for."""
    unwanted = {"OCP", "scipy", "ezdxf", "matplotlib", "trimesh", "rectpack"}
    assert loaded("import schablone.app.application", unwanted) == "[]"
    assert loaded("import schablone.worker.main", unwanted) == "[]"


def test_stencils_are_listed_written_and_unpacked(capsys, tmp_path) -> None:
    code, answer = run(capsys, "stencils")
    assert code == 0
    assert len(answer["stencils"]) == 12
    path = tmp_path / "grip.stencil"
    assert run(capsys, "stencils", "--write", "Hand grip", path) == (0, {"written": str(path)})
    code, answer = run(capsys, "stencils", path)
    assert [one["name"] for one in answer["stencils"]] == ["hand_grip"]
    assert main(["stencils", str(path)]) == 0
    assert "Grip: cut outline through everything" in capsys.readouterr().out
    code, answer = run(capsys, "stencils", "--write", "nosuch", path)
    assert code == 1
    assert "no stencil “nosuch”" in answer["problems"][0]["what"]
    code, answer = run(capsys, "stencils", SLIDE)
    assert code == 1
    assert "is no stencil" in answer["problems"][0]["what"]
    lid, plain = TOP / "demo" / "winter-lid.schablone", tmp_path / "plain.schablone"
    assert run(capsys, "unpack", lid, "label", "-o", plain)[0] == 0
    parts = [run(capsys, "build", one)[1]["parts"][0] for one in (lid, plain)]
    assert parts[0]["volume"] == pytest.approx(parts[1]["volume"], rel=1e-9)
    code, answer = run(capsys, "unpack", lid, "post", "-o", plain)
    assert code == 1
    assert "posts" in answer["problems"][0]["what"]


def test_reports_are_read_together(capsys, tmp_path: Path) -> None:
    files = []
    for number, off in enumerate((0.14, 0.16, 0.15, 0.17)):
        hole = Measured(
            size="hole", wanted=6, expected=6, sure=0.06, measured=6 + off, low=5.9, high=6.1
        )
        told = Report(
            edition="tray", title="Tray", who=f"maker {number}", fits="almost",
            machine=Machine(name="P", calibrated="2026-05-01"), measured=(hole,),
        )  # fmt: skip
        files.append(tmp_path / f"{number}.report")
        files[-1].write_text(write_report(told))
    assert main(["reports", *map(str, files)]) == 1
    said = capsys.readouterr().out
    assert "4 makes: 0 fit, 4 almost, 0 not" in said
    assert "0 of 4 sizes with a tolerance or a fit came out as they are meant" in said
    assert "Comes out 0.16 mm too large on 4 of 4 machines: that is the design's." in said
    code, answer = run(capsys, "reports", files[0])
    assert (code, answer["sizes"][0]["mean"]) == (0, None)
    # A later edition is heard for itself, first; what was wrong before is told below.
    files.append(tmp_path / "later.report")
    files[-1].write_text(write_report(told.with_(number="1.1", measured=())))
    assert main(["reports", *map(str, files)]) == 0
    first, second = capsys.readouterr().out.split("\nNo edition named\n")
    assert first.strip() == "Edition 1.1\n1 makes: 0 fit, 1 almost, 0 not"
    assert "that is the design's" in second
    code, answer = run(capsys, "reports", *files)
    assert (answer["edition"], answer["reports"], answer["earlier"]["none"]["reports"]) == (
        "1.1", 1, 4,
    )  # fmt: skip
    files[1].write_text(files[1].read_text().replace('"tray"', '"box"'))
    assert main(["reports", str(files[0]), str(files[1])]) == 2
    assert "about several editions" in capsys.readouterr().err


def test_a_drawing_sheet_is_written_and_told(capsys, tmp_path: Path) -> None:
    path = tmp_path / "slide.pdf"
    code, answer = run(
        capsys, "drawing-sheet", SLIDE, "-o", path, "--paper", "A3", "--angle", "third",
        "--cut", "y", "--set", "width=300 mm",
    )  # fmt: skip
    assert code == 0
    page = answer["pages"][0]
    assert set(page["views"]) >= {"front", "top", "right", "cut 1"}
    told = [size for page in answer["pages"] for size in (*page["dimensions"], *page["listed"])]
    assert sorted(told) == sorted(size.name for size in read_design(SLIDE).sizes)
    assert path.read_bytes().startswith(b"%PDF")
    before = path.read_bytes()
    for wrong in (["--cut", "w"], ["--scale", "big"], ["--cut", "y=nowhere"]):
        code, answer = run(capsys, "drawing-sheet", SLIDE, "-o", path, *wrong)
        assert code == 1
        assert answer["problems"]
    code, answer = run(capsys, "drawing-sheet", SLIDE, "-o", tmp_path / "a.png")
    assert code == 1
    assert "PDF, SVG or DXF" in answer["problems"][0]["text"]
    assert path.read_bytes() == before
