"""Readers fed by coverage: what is fed follows from what was run, so that it gets further in than
chance does.

    .venv/bin/python benchmarks/guided.py TARGET SECONDS [FOLDER]

Ends with 0 where every input gave a value or words, within limits. What led further in is written
to the folder; what was worth keeping of it lies in tests/corpora, and is fed again by the tests.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

TOP = Path(__file__).resolve().parent.parent
CORPORA = TOP / "tests" / "corpora"
#: So long, s of a processor, may one input take, and so much memory, MB, all of them.
SLOWEST, MOST = 5, 1000
#: The largest input, bytes.
LARGEST = 12_000

#: Words and marks of each kind of file, which chance would take long to find.
_MARKS = {
    "formula": [
        "sum(i in 1..3: i)", "product(", "if ", " then ", " else ", "mm", " in", "deg", "°", "²",
        "floor(", "inside(", "fit(", "min(", "^", "1/16", "from_row(", "iso_hole(", "and", "not ",
    ],
    "design": [
        '"format"', '"schablone design"', '"version"', '"sizes"', '"steps"', '"kind"', '"sketch"',
        '"extrude"', '"hole"', '"name"', '"formula"', '"drawing"', '"shapes"', '"rectangle"',
        '"row"', '"bought"', '"table"', '"checks"', '"publish"', '"when"', "\\\\u0000", "1e999",
    ],
    "process": [
        '"format"', '"schablone process"', '"material"', '"kind"', '"filament print"', '"habits"',
        '"stock"', '"bends"', '"measured"', '"covariance"', "1e308", "-0", "null", "[[", "]]",
    ],
    "edition": [
        "PK\\x03\\x04", "PK\\x01\\x02", "PK\\x05\\x06", "manifest.json", "design.schablone",
    ],
    "outlines": [
        "SECTION", "ENTITIES", "LINE", "LWPOLYLINE", "CIRCLE", "ARC", "SPLINE", "ELLIPSE", "ENDSEC",
        "EOF", "\\x0a 10\\x0a", "\\x0a 42\\x0a", "HEADER", "$INSUNITS", "BLOCK", "INSERT",
    ],
}  # fmt: skip


def _formula() -> Callable[[bytes], None]:
    from schablone.core.formula import FormulaError, compile_formula
    from schablone.core.formula.env import Env
    from schablone.core.quantity import COUNT, LENGTH

    def feed(data: bytes) -> None:
        text = data.decode("utf8", "replace")
        try:
            compile_formula(text, {"a": LENGTH, "m": COUNT}).value(Env({"a": 3.0, "m": 2.0}))
        except FormulaError:
            pass

    return feed


def _design() -> Callable[[bytes], None]:
    from schablone.core.design import read_design_text, write_design
    from schablone.core.design.evaluate import table_of
    from schablone.core.design.text import design_text
    from schablone.core.process import neutral

    def feed(data: bytes) -> None:
        design = read_design_text(data.decode("utf8", "replace"))
        # What was read is written the same again, has values or words, and can be told.
        assert read_design_text(write_design(design)) == design
        table_of(design, neutral())
        design_text(design, neutral())

    return feed


def _process() -> Callable[[bytes], None]:
    from schablone.core.process.store import parse_process, write_process

    def feed(data: bytes) -> None:
        process = parse_process(data.decode("utf8", "replace"), "fed")
        assert parse_process(write_process(process), "written") == process

    return feed


def _edition() -> Callable[[bytes], None]:
    from schablone.core.publish.edition import read_edition_bytes

    return read_edition_bytes  # type: ignore[return-value]


def _outlines() -> Callable[[bytes], None]:
    from schablone.core.sketch.read_dxf import read_dxf

    return read_dxf  # type: ignore[return-value]


TARGETS = {
    "formula": _formula, "design": _design, "process": _process, "edition": _edition,
    "outlines": _outlines,
}  # fmt: skip


def feeder(target: str) -> Callable[[bytes], None]:
    """What feeds one input to a reader; raises what is neither a value nor words."""
    from schablone.core.problem import SchabloneError

    reads = TARGETS[target]()

    def feed(data: bytes) -> None:
        try:
            reads(data)
        except SchabloneError as error:
            assert all(problem.what for problem in error.problems)

    return feed


def in_time(feed: Callable[[bytes], None]) -> Callable[[bytes], None]:
    """The same, held to the clock: for a machine that does nothing else."""

    def timed(data: bytes) -> None:
        begun = time.process_time()
        feed(data)
        assert time.process_time() - begun < SLOWEST, "it takes too long"

    return timed


def run(target: str, seconds: int, kept: str = "") -> None:
    """Feed a reader for so long; the process ends with it."""
    import atheris

    with atheris.instrument_imports(include=["schablone", "json", "zipfile"]):
        feed = in_time(feeder(target))
    with tempfile.NamedTemporaryFile("w", suffix=".dict", delete=False) as marks:
        for number, mark in enumerate(_MARKS[target]):
            quoted = mark.replace('"', '\\"').encode("ascii", "backslashreplace").decode()
            marks.write(f'mark{number}="{quoted}"\n')
    folder = CORPORA / target
    folder.mkdir(parents=True, exist_ok=True)
    found = Path(kept or tempfile.mkdtemp())
    found.mkdir(parents=True, exist_ok=True)
    atheris.Setup(
        [
            sys.argv[0], f"-max_total_time={seconds}", f"-timeout={10 * SLOWEST}",
            f"-max_len={LARGEST}",
            f"-rss_limit_mb={MOST}", f"-dict={marks.name}", "-close_fd_mask=3",
            "-print_final_stats=1", f"-artifact_prefix={TOP}/finding-{target}-", str(found),
            str(folder),
        ],
        feed,
    )  # fmt: skip
    atheris.Fuzz()


def guided(seconds: int = 720) -> None:
    """All of them, one after the other; a line for each."""
    for target in TARGETS:
        done = subprocess.run(
            [sys.executable, __file__, target, str(seconds)],
            capture_output=True, text=True, check=False, errors="replace",
        )  # fmt: skip
        fed = [
            line.split()[-1] for line in done.stderr.splitlines() if "number_of_executed" in line
        ]
        end = "no finding" if done.returncode == 0 else f"A FINDING: {done.stderr[-600:]}"
        print(f"{target:<10} {seconds} s guided by coverage, {fed[0] if fed else '?'} fed: {end}")


if __name__ == "__main__":
    run(sys.argv[1], int(sys.argv[2]), *sys.argv[3:])
