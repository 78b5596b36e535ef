"""``schablone``: formulas, sizes, builds, editions and checks without a window.

Every command takes ``--json``. It ends with 0 where all is well, 1 where the design has problems, 2
where it was called wrongly. Lengths are mm, angles degrees, volumes mm³. A command loads only what
it needs.
"""

from __future__ import annotations

import argparse
import datetime
import importlib
import os
import signal
import sys
import traceback
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

from ..apart.limits import allow_one_more, limit_worker

FINE, PROBLEMS, WRONG_USE = 0, 1, 2
_LENSES = ("wanted", "sent", "expected")
_FORMATS = ".step, .stl, .3mf, .dxf, .svg, or .pdf for the bend sheet of folded parts"


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        print(
            f"schablone: {message}. See “schablone {' '.join(self.prog.split()[1:])} --help”.",
            file=sys.stderr,
        )
        raise SystemExit(WRONG_USE)


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(
        prog="schablone", description="Parametric parts that know the machine they are made on."
    )
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)

    def command(
        name: str,
        help: str,
        run: str,
        *,
        file: bool = False,
        files: bool = False,
        view: bool = False,
        lens: str = "",
    ) -> argparse.ArgumentParser:
        subparser = commands.add_parser(name, help=help, description=help)
        subparser.set_defaults(run=run)
        subparser.add_argument("--json", action="store_true", help="print JSON")
        if file:
            subparser.add_argument(
                "file", metavar="FILE", type=Path, help="a .schablone design, or an edition (.zip)"
            )
        if files:
            subparser.add_argument(
                "files",
                metavar="FILE",
                type=Path,
                nargs="+",
                help=".schablone designs, or editions (.zip)",
            )
        if view:
            subparser.add_argument(
                "--set", dest="given", metavar="NAME=FORMULA", action="append", default=[]
            )
            subparser.add_argument("--variant", metavar="NAME", help="row of the size table to use")
            subparser.add_argument(
                "--choice", metavar="FILE", type=Path, help="what somebody chose and kept (.choice)"
            )
        if lens:
            subparser.add_argument(
                "--lens", choices=_LENSES, help=f"how it is seen; {lens} where it is not said"
            )
        if file or files:
            subparser.add_argument(
                "--process", metavar="FILE|NAME", help="the process to use instead of the design's"
            )
        return subparser

    one = command("formula", "Work out one formula.", "formula.formula")
    one.add_argument("expression", metavar="EXPR")
    one.add_argument("--let", metavar="NAME=FORMULA", action="append", default=[])
    one.add_argument("--process", metavar="FILE|NAME")
    command(
        "sizes", "Show the sizes of designs.", "looking.sizes", files=True, view=True, lens="wanted"
    )
    build = command(
        "build",
        "Build designs and export their parts.",
        "making.build",
        files=True,
        view=True,
        lens="what the machine is sent for STL, 3MF, DXF and SVG, wanted for the rest",
    )
    build.add_argument(
        "-o", "--output", metavar="OUT", type=Path, action="append", default=[], help=_FORMATS
    )
    build.add_argument(
        "--all-variants",
        action="store_true",
        help="every row of the size table, each with its own files",
    )
    sheet = command(
        "drawing-sheet",
        "Draw the parts on a sheet with their sizes.",
        "making.drawing_sheet",
        file=True,
        view=True,
    )
    sheet.add_argument(
        "-o", "--output", metavar="OUT", type=Path, required=True, help=".pdf, .svg or .dxf"
    )
    sheet.add_argument("--paper", choices=("A4", "A3", "A2"), help="instead of the design's")
    sheet.add_argument(
        "--scale", metavar="N:M", help="such as 1:2, instead of the largest that fits"
    )
    sheet.add_argument("--angle", choices=("first", "third"), help="of projection")
    sheet.add_argument(
        "--cut", metavar="AXIS[=PLACE]", action="append", default=[],
        help="a cut across x, y or z, through the middle or at a place, such as y=width/4",
    )  # fmt: skip
    publish = command("publish", "Write an edition.", "making.publish", file=True)
    publish.add_argument("-o", "--output", metavar="OUT.zip", type=Path, required=True)
    publish.add_argument("--date", metavar="DATE", type=_day, help="the edition's day; today")
    publish.add_argument(
        "--trial", action="store_true", help="keep no record of the edition in the design"
    )
    told = command("reports", "Say what reports about an edition say.", "hearing.reports")
    told.add_argument("files", metavar="REPORT", type=Path, nargs="+", help="files (.report)")
    shown = command(
        "gallery",
        "The practice gallery: list what is shared, share an edition, let makers make it.",
        "gallery.gallery",
    )
    shown.add_argument("action", choices=("list", "share", "make"))
    shown.add_argument("what", metavar="WHAT", nargs="*", help="words; files; a title or an id")
    shown.add_argument("--folder", metavar="FOLDER", type=Path, help="the gallery; your own")
    shown.add_argument("--makers", metavar="N", type=_count, default=6, help="how many; 6")
    shown.add_argument("--seed", metavar="N", type=int, default=0, help="which makers; 0")
    command(
        "check",
        "Say whether designs hold.",
        "looking.check",
        files=True,
        view=True,
        lens="wanted, then sent",
    )
    proved = command(
        "prove",
        "Build a design over its whole range, and say what breaks.",
        "proving.prove",
        file=True,
    )
    proved.add_argument("--variant", metavar="NAME", help="row of the size table to start from")
    proved.add_argument(
        "--builds", metavar="N", type=_count, default=300, help="how many at least; 300"
    )
    proved.add_argument("--hands", metavar="N", type=_count, default=0, help="builders at once")
    proved.add_argument(
        "--minutes", metavar="M", type=_from_zero, default=0.0, help="stop building after"
    )
    proved.add_argument("--fresh", action="store_true", help="use and keep nothing of other runs")
    proved.add_argument(
        "--kept", metavar="FILE", type=Path, help="where outcomes are kept, else in your cache"
    )
    proved.add_argument(
        "--cluster", metavar="ADDRESS", help="build on a Dask cluster, tcp://…:8786"
    )
    command(
        "sketch",
        "Say what sketches leave free and what is at odds.",
        "looking.sketch",
        files=True,
        view=True,
    )
    command("text", "Write designs in words.", "looking.text", files=True).add_argument(
        "--html", action="store_true", help="as a page of HTML, fit to print"
    )
    command(
        "compare", "Say what differs between two designs.", "looking.compare", file=True
    ).add_argument("other", metavar="OTHER", type=Path)
    listed = command(
        "parts", "List what is made and what is bought.", "together.parts", files=True, view=True
    )
    listed.add_argument("-o", "--output", metavar="OUT.csv", type=Path)
    laid = command(
        "lay-out",
        "Lay the parts on as few sheets or beds as can be found.",
        "together.lay",
        files=True,
        view=True,
    )
    laid.add_argument("--sheet", metavar="LENGTHxWIDTH", help="mm; else the stock's, or the bed's")
    laid.add_argument("--gap", metavar="MM", type=_from_zero, help="how far parts stay apart")
    laid.add_argument("--margin", metavar="MM", type=_from_zero, help="how far from the edge")
    laid.add_argument("--grain", choices=("keep", "any"), help="whether parts keep to the grain")
    laid.add_argument(
        "--effort",
        metavar="S",
        type=_from_zero,
        default=6.0,
        help="how hard to look for better ones: about seconds, the same result everywhere",
    )
    laid.add_argument("-o", "--output", metavar="FOLDER", type=Path)
    bars = command(
        "bars", "Cut the parts' lengths from bars.", "together.bars", files=True, view=True
    )
    bars.add_argument(
        "--bar", metavar="MM[:PRICE]", action="append", required=True, help="a bar to cut from"
    )
    bars.add_argument("--kerf", metavar="MM", type=_from_zero, default=3.0)
    bars.add_argument(
        "--allowance", metavar="MM", type=_from_zero, default=0.0, help="longer, to be finished"
    )
    bars.add_argument("--times", metavar="N", type=int, default=1, help="how many of all parts")
    bars.add_argument("-o", "--output", metavar="OUT.csv", type=Path)
    new = command("new", "Make a new, empty design.", "making.new")
    new.add_argument("file", metavar="FILE", type=Path)
    new.add_argument("--name", default="")
    command(
        "processes",
        "List the processes that ship, or write one out to start from.",
        "making.processes",
    ).add_argument("--write", nargs=2, metavar=("NAME", "FILE"), default=None)
    shelf = command(
        "stencils",
        "List the stencils that ship, or those of files, or write one out.",
        "stencils.stencils",
    )
    shelf.add_argument("files", metavar="FILE", type=Path, nargs="*", help=".stencil files")
    shelf.add_argument("--write", nargs=2, metavar=("NAME", "FILE"), default=None)
    apart = command("unpack", "Put plain steps for a stencil in a design.", "stencils.unpack")
    apart.add_argument("file", metavar="FILE", type=Path)
    apart.add_argument("step", metavar="STEP", help="the step that puts the stencil in")
    apart.add_argument("-o", "--output", metavar="OUT", type=Path, required=True)
    return parser


def _from_zero(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 <= value < 1e6:
        raise argparse.ArgumentTypeError(f"“{text}” is no number from 0")
    return value


def _count(text: str) -> int:
    if not text.isdecimal() or not 0 < int(text) <= 100_000:
        raise argparse.ArgumentTypeError(f"“{text}” is no count from 1 to 100000")
    return int(text)


def _day(text: str) -> str:
    try:
        return datetime.date.fromisoformat(text).isoformat()
    except ValueError:
        raise argparse.ArgumentTypeError(f"“{text}” is no day such as 2026-05-30") from None


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; the result is the exit code."""
    parser = _parser()
    options = parser.parse_args(arguments)
    if options.command is None:
        parser.print_help(sys.stderr)
        return WRONG_USE
    module, _, function = options.run.partition(".")
    from ..core.problem import Problem, SchabloneError
    from .common import WrongUse, as_data, print_json, print_problems

    try:
        return int(getattr(importlib.import_module(f".{module}", __package__), function)(options))
    except WrongUse as error:
        print(f"schablone: {error}", file=sys.stderr)
        return WRONG_USE
    except SchabloneError as error:
        problems = error.problems
    except Exception as error:
        from ..core.kernel.figures import is_kernel_failure

        if not is_kernel_failure(error):
            raise
        # What the kernel says of itself helps nobody.
        what = "The geometry kernel failed where no step could be blamed."
        problems = (
            Problem(
                area="design",
                what=what,
                hint=_LOOK_FOR,
            ),
        )
    if options.json:
        print_json({"problems": [as_data(problem) for problem in problems]})
    else:
        print_problems(problems)
    return PROBLEMS


#: What the kernel falls over.
_LOOK_FOR = "Look for very thin places, faces that only touch, and things repeated by the thousand."


def run() -> NoReturn:
    """Entry point of the ``schablone`` command: it is carried out in a process of its own, which a
    kernel that falls over may end, and which has no more than its share of memory."""
    child = os.fork()
    if child == 0:
        code = PROBLEMS
        try:
            limit_worker()
            allow_one_more()
            code = _guarded()
            sys.stdout.flush()
        except BrokenPipeError:
            pass
        finally:
            os._exit(code)
    raise SystemExit(_code_of(_waited_for(child)))


def _guarded() -> int:
    try:
        return main()
    except SystemExit as end:
        return int(end.code or 0)
    except KeyboardInterrupt:
        return PROBLEMS
    except MemoryError:
        print("This needs more memory than it may have. Nothing was written.", file=sys.stderr)
    except BrokenPipeError:
        raise
    except Exception:
        from ..app.guard import begin_log, log_file, write_down

        begin_log()
        write_down(traceback.format_exc())
        what = "This is a fault in Schablone, not in your design. Nothing of yours is changed."
        print(f"{what} What happened stands in {log_file()}.", file=sys.stderr)
    return PROBLEMS


def _waited_for(child: int) -> int:
    while True:
        try:
            return os.waitpid(child, 0)[1]
        except KeyboardInterrupt:
            continue  # it got that, too, and ends


def _code_of(status: int) -> int:
    if not os.WIFSIGNALED(status):
        return os.WEXITSTATUS(status)
    if os.WTERMSIG(status) == signal.SIGXCPU:
        print("This takes longer than any part should, and was ended.", file=sys.stderr)
    elif os.WTERMSIG(status) != signal.SIGINT:
        what = "The geometry kernel ended at this. Nothing was written by it."
        print(f"{what} {_LOOK_FOR}", file=sys.stderr)
    return PROBLEMS


if __name__ == "__main__":
    run()
