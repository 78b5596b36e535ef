"""An attack on all that comes from outside, and on the processes themselves, bounded in time.

Nothing of what is said here is a figure of speed: it says what was tried, and what did not hold.
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import queue
import random
import resource
import signal
import subprocess
import sys
import tempfile
import threading
import time
import zipfile
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from schablone import reader
from schablone.app.journal import left_behind
from schablone.core.design import read_design, save_design
from schablone.core.design.model import Size
from schablone.core.problem import SchabloneError
from schablone.core.process import shipped_processes
from schablone.core.process.store import write_process
from schablone.reader.door import ReaderFault

TOP = Path(__file__).resolve().parent.parent
CORPORA = TOP / "tests" / "corpora"


# Kills


class Attacked:
    """A window that edits without end; ``kept`` is the last edit that it said was safe."""

    def __init__(self, file: Path, folder: Path) -> None:
        self.kept, self.built, self.reads, self.began = -1, 0, 0, False
        self.lines: queue.Queue[str] = queue.Queue()
        self.process = subprocess.Popen(
            [sys.executable, str(Path(__file__).with_name("attacked.py")), str(file), str(folder)],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env={**os.environ},
        )  # fmt: skip
        threading.Thread(target=self._read, daemon=True).start()
        self.errors: list[str] = []
        threading.Thread(target=self._complain, daemon=True).start()

    def _read(self) -> None:
        assert self.process.stdout is not None
        for line in self.process.stdout:
            self.lines.put(line.strip())

    def _complain(self) -> None:
        assert self.process.stderr is not None
        self.errors += list(self.process.stderr)

    def until(self, what: str, seconds: float = 60.0) -> bool:
        """Take what it says until it says this."""
        until = time.monotonic() + seconds
        while (left := until - time.monotonic()) > 0:
            try:
                line = self.lines.get(timeout=left)
            except queue.Empty:
                return False
            told, _, number = line.partition(" ")
            if told == "kept":
                self.kept = int(number)
            self.built += told == "built"
            self.reads += told == "reads"
            if told == what:
                return True
        return False

    def take_all(self) -> None:
        """Take what it has said."""
        while not self.lines.empty():
            self.until(self.lines.queue[0].partition(" ")[0], 0.1)

    def children(self) -> tuple[list[int], list[int]]:
        """The numbers of its workers, and of its readers."""
        workers, readers = [], []
        tasks = f"/proc/{self.process.pid}/task"
        with contextlib.suppress(OSError):
            for task in os.listdir(tasks):
                for child in Path(tasks, task, "children").read_text().split():
                    told = Path("/proc", child, "cmdline").read_bytes()
                    (workers if b"schablone.worker" in told else readers).append(int(child))
        return workers, readers

    def kill(self) -> None:
        self.process.kill()
        self.process.wait()
        time.sleep(0.05)  # what it said last is on its way
        self.take_all()


def kills(seconds: float = 900.0, most: int = 300) -> None:
    """Windows, workers and readers are ended at random moments, half of the windows while they
    save: no edit that was said to be kept may be lost, and the file is whole."""
    chance = random.Random(7)
    scratch = Path(tempfile.mkdtemp())
    file = scratch / "attacked.schablone"
    demo = read_design(TOP / "demo" / "entrance-slide.schablone")
    save_design(demo.with_(sizes=(*demo.sizes, Size(name="edits", formula="0"))), file)
    until, done, lost, torn = time.monotonic() + seconds, Counter(), 0, 0
    edits = 0
    while sum(done.values()) < most and time.monotonic() < until:
        one = Attacked(file, scratch)
        if not one.until("begins"):
            print("  it did not begin:", "".join(one.errors)[-500:])
            one.kill()
            lost += 1
            continue
        one.until("kept")
        # Of those that help it some are ended first, or stopped.
        for _ in range(2):
            workers, readers = one.children()
            for what, numbers in (("worker", workers), ("reader", readers)):
                how = signal.SIGSTOP if chance.random() < 0.1 else signal.SIGKILL
                with contextlib.suppress(OSError):
                    os.kill(chance.choice(numbers or [0]) or 0x7FFFFFFF, how)
                    done[f"{what} {'stopped' if how == signal.SIGSTOP else 'ended'}"] += 1
            before = one.reads
            one.until("reads", 30.0)
            if one.reads == before:
                print("  it read no file any more after a reader was ended")
                lost += 1
            time.sleep(chance.random() * 0.2)
        if chance.random() < 0.5:
            one.until("saving", 20.0)
            time.sleep(chance.random() * 0.01)
            how = "window ended while it saves"
        else:
            time.sleep(chance.random() * 0.3)
            how = "window ended"
        if chance.random() < 0.1:
            one.process.send_signal(signal.SIGSTOP)
            time.sleep(0.2)
            how = "window stopped, then ended"
        one.kill()
        done[how] += 1
        edits = max(edits, one.kept)
        try:
            saved = int(reader.read("design", file).size("edits").formula)
        except SchabloneError as error:
            print("  torn:", error)
            torn += 1
            continue
        lefts, _ = left_behind(scratch / "unsaved")
        found = max([saved, *(int(left.design.size("edits").formula) for left in lefts)])
        if found < one.kept:
            print(f"  lost: {one.kept} was kept, {found} is there")
            lost += 1
        if any("Traceback" in line for line in one.errors):
            print("  traceback:", "".join(one.errors)[-800:])
            lost += 1
    told = ", ".join(f"{count} {what}" for what, count in sorted(done.items()))
    print(f"{sum(done.values())} kills in {edits} edits ({told}): {lost} lost, {torn} torn")


# Files


def seeds() -> Iterator[tuple[str, str, bytes]]:
    """Files of every kind: what reads them, their ending, and what they hold."""
    for path in sorted((TOP / "demo").glob("*.schablone")):
        yield "design", ".schablone", path.read_bytes()
    for process in shipped_processes():
        yield "process", ".json", write_process(process).encode()
    for path in sorted((CORPORA / "edition").iterdir()):
        yield "edition", ".zip", path.read_bytes()
    for path in sorted((CORPORA / "outlines").iterdir()):
        yield "outlines", ".dxf", path.read_bytes()
        yield "measurable", ".dxf", path.read_bytes()
        yield "strips", ".dxf", path.read_bytes()
    for path in sorted((TOP / "src/schablone/core/bought/shelf").glob("*.bought")):
        yield "bought", ".bought", path.read_bytes()
    for path in sorted((TOP / "src/schablone/core/reuse/shelf").glob("*.stencil"))[:6]:
        yield "stencil", ".stencil", path.read_bytes()
    yield "sizes", ".csv", "name;formula;low [in]\nbreite;40 mm;1/2\nhöhe;2*breite;\n".encode()
    yield "readings", ".csv", b"hole [inch],second\n0.5,0.25\n1,\n"
    yield "chart", ".csv", b"material;thickness;radius;angle;deduction\nsteel;1;1;90;1.8\n"
    yield "settings", ".json", json.dumps({"recent": ["/a", "/b"], "dark": True}).encode()
    yield "off-cuts", ".json", b"[]"
    triangle = b"\0" * 12 + b"\0\0\x80?" * 9 + b"\0\0"
    yield "measurable", ".stl", b" " * 80 + (2).to_bytes(4, "little") + 2 * triangle
    model = (
        b'<model unit="millimeter"><resources><object><mesh><vertices>'
        b'<vertex x="0" y="0" z="0"/></vertices></mesh></object></resources></model>'
    )
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("3D/3dmodel.model", model)
    yield "measurable", ".3mf", packed.getvalue()


def mutated(data: bytes, chance: random.Random, others: list[bytes]) -> bytes:
    """The file with a few slips: cut, doubled, spliced with another, bytes and numbers changed."""
    for _ in range(chance.randint(1, 4)):
        at, to = sorted(chance.randrange(len(data) + 1) for _ in range(2))
        match chance.randrange(7):
            case 0:
                data = data[:at]
            case 1:
                data = data[:at] + data[to:]
            case 2:
                data = data[:to] + data[at:to] * chance.randint(1, 200) + data[to:]
            case 3:
                other = chance.choice(others)
                data = data[:at] + other[chance.randrange(len(other) + 1) :]
            case 4:
                data = data[:at] + bytes([chance.randrange(256)]) + data[at + 1 :]
            case 5:
                odd = (b"1e308", b"-1", b"0", b"9" * 5000, b"NaN", b"null", b'"', b"\0", b"\xff")
                data = data[:at] + chance.choice(odd) + data[at:]
            case _:
                bits = bytearray(data)
                for _ in range(chance.randint(1, 20)):
                    if bits:
                        bits[chance.randrange(len(bits))] ^= 1 << chance.randrange(8)
                data = bytes(bits)
        data = data[:3_000_000] or b" "
    return data


def files(seconds: float = 300.0) -> None:
    """Mutated files of every kind through the door: a value or words, nothing else."""
    chance, scratch = random.Random(11), Path(tempfile.mkdtemp())
    known = list(seeds())
    others = [data for _, _, data in known]
    until, told, worst, faults = time.monotonic() + seconds, Counter(), 0.0, 0
    while time.monotonic() < until:
        kind, ending, data = chance.choice(known)
        path = scratch / f"fed{ending}"
        path.write_bytes(mutated(data, chance, others))
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        extra = {"readings": 3}.get(kind)
        try:
            reader.read(kind, path, extra)
            told[kind, "value"] += 1
        except ReaderFault as fault:
            faults += 1
            print(f"  a fault at {kind}: {fault.details[-400:]}")
            path.rename(scratch / f"fault-{faults}{ending}")
        except SchabloneError as error:
            what = error.problems[0].what
            ended = any(words in what for words in ("ended its reader", "takes more", "needs more"))
            told[kind, "ended" if ended else "words"] += 1
            if ended:
                print(f"  {kind}: {what}")
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        used = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
        worst = max(worst, used)
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1000
    per = Counter()
    for (_, how), count in told.items():
        per[how] += count
    print(
        f"{sum(told.values())} mutated files of {len({k for k, _, _ in known})} kinds: "
        f"{dict(per)}, {faults} faults; the dearest took {worst:.2f} s of CPU, no process above "
        f"{most:.0f} MB"
    )


# What is made to cost


def bombs() -> None:
    """Small files that would be large, through the command line as a person calls it."""
    scratch = Path(tempfile.mkdtemp())

    def zipped(name: str, method: int, members: dict[str, bytes]) -> Path:
        path = scratch / f"{name}.zip"
        with zipfile.ZipFile(path, "w", method) as archive:
            for member, data in members.items():
                archive.writestr(member, data)
        return path

    def written(name: str, text: str) -> Path:
        path = scratch / f"{name}.schablone"
        path.write_text(text, "utf8")
        return path

    head = '{"format": "schablone design", "version": 1, "name": "x", "sizes": ['

    def sizes(name: str, formulas: Iterator[str]) -> Path:
        rows = (f'{{"name": "s{k}", "formula": "{text}"}}' for k, text in enumerate(formulas))
        return written(name, head + ",".join(rows) + "]}")

    wide = "+".join(["1 mm * 2"] * 180)
    cases = [
        zipped("bzip2", zipfile.ZIP_BZIP2, {"design.schablone": b"\0" * 200_000_000}),
        zipped("lzma", zipfile.ZIP_LZMA, {"design.schablone": b"\0" * 200_000_000}),
        zipped("zeros", zipfile.ZIP_DEFLATED, {"design.schablone": b"\0" * 99_000_000}),
        zipped("lists", zipfile.ZIP_DEFLATED, {
            "design.schablone": b"[" + b"[]," * 30_000_000 + b"[]]", "manifest.json": b"{}",
        }),
        zipped("entries", zipfile.ZIP_STORED, {f"{k}": b"" for k in range(200_000)}),
        written("twenty", head + '"' + "a" * 19_000_000 + '"]}'),
        written("values", "[" + "[]," * 6_000_000 + "[]]"),
        written("deep", "[" * 10_000_000),
        written("digits", head + "9" * 4_300 + "]}"),
        written("twice", '{"format": 1, "format": 2}'),
        sizes("cycle", (f"s{(k + 1) % 5000} + 1 mm" for k in range(5000))),
        sizes("sums", ("sum(i in 1..100000: i)" for _ in range(5000))),
        sizes("long", (wide for _ in range(5000))),
        sizes("chain", ("1 mm" if k == 0 else f"s{k - 1} + s{k - 1}" for k in range(5000))),
        sizes("nested", ("sum(i in 1..300: sum(j in 1..300: i*j))" for _ in range(200))),
    ]  # fmt: skip
    worst, most, odd = (0.0, ""), 0.0, 0
    for path in cases:
        for command in ("sizes", "check", "text"):
            done = _command([command, str(path)])
            worst, most = max(worst, (done.cpu, f"{command} {path.name}")), max(most, done.memory)
            if done.code not in (0, 1, 2) or "Traceback" in done.errors or done.cpu > 30:
                odd += 1
                print(
                    f"  {path.name} {command}: {done.code}, {done.cpu:.1f} s, {done.errors[-300:]}"
                )
    print(
        f"{3 * len(cases)} commands on {len(cases)} files that are made to cost: {odd} odd; the "
        f"dearest, {worst[1]}, took {worst[0]:.1f} s of CPU, no process above {most:.0f} MB"
    )


class _Done:
    def __init__(self, code: int, errors: str, cpu: float, memory: float) -> None:
        self.code, self.errors, self.cpu, self.memory = code, errors, cpu, memory


def _command(arguments: list[str]) -> _Done:
    """One call of the command line; its processor time, s, and memory, MB, with all it started."""
    code = (
        "import resource, subprocess, sys\n"
        "done = subprocess.run([sys.executable, '-m', 'schablone.cli.main', *sys.argv[1:]],\n"
        "                      capture_output=True)\n"
        "used = resource.getrusage(resource.RUSAGE_CHILDREN)\n"
        "sys.stderr.buffer.write(done.stderr)\n"
        "print(done.returncode, used.ru_utime + used.ru_stime, used.ru_maxrss / 1000)\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, *arguments], capture_output=True, text=True, errors="replace",
        check=False,
    )  # fmt: skip
    returned, cpu, memory = done.stdout.split()
    return _Done(int(returned), done.stderr, float(cpu), float(memory))


def calls(seconds: float = 120.0) -> None:
    """Wrong calls of the command line: words, and 0, 1 or 2."""
    chance, scratch = random.Random(13), Path(tempfile.mkdtemp())
    slide = str(TOP / "demo" / "entrance-slide.schablone")
    (scratch / "empty.schablone").write_text("")
    loop = scratch / "loop.schablone"
    loop.symlink_to(loop)
    commands = (
        "formula", "sizes", "build", "publish", "check", "sketch", "text", "compare", "parts",
        "lay-out", "bars", "new", "processes", "nothing", "",
    )  # fmt: skip
    words = (
        slide, str(loop), str(scratch / "empty.schablone"), "/dev/null", "/nowhere", str(scratch),
        "--set", "width=1 m", "width=", "=3", "--lens", "sent", "wrong", "--process", "Nobody",
        "-o",
        str(scratch / "out.step"), str(scratch / "a" / "b.stl"), "/proc/x.3mf", str(loop), "x.xyz",
        "--json", "--variant", "none", "--bar", "1e999", "100:x", "--kerf", "-1", "--time", "0",
        "1/0", "min(3 mm)", "“", "\udcff", "a" * 5000, "--help", "--times", "0", "--sheet", "0x0",
    )  # fmt: skip
    until, tried, odd, worst = time.monotonic() + seconds, 0, 0, 0.0
    while time.monotonic() < until:
        arguments = [chance.choice(commands), *chance.choices(words, k=chance.randint(0, 5))]
        with contextlib.suppress(ValueError, OSError):
            done = _command([text for text in arguments if text])
            tried, worst = tried + 1, max(worst, done.cpu)
            if (
                done.code not in (0, 1, 2)
                or "Traceback" in done.errors
                or "fault in" in done.errors
            ):
                odd += 1
                print(f"  {arguments}: {done.code} {done.errors[-500:]}")
    print(f"{tried} wrong calls of the command line: {odd} odd; the dearest took {worst:.1f} s")


def attack(share: float = 1.0) -> None:
    """All of it, within some 22 minutes, or a share of that."""
    kills(900 * share)
    files(240 * share)
    bombs()
    calls(100 * share)


if __name__ == "__main__":
    attack(float(sys.argv[1]) if len(sys.argv) > 1 else 1.0)
