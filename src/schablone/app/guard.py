"""What happens to an error that nobody expected: it is written down, and the person reads one calm
sentence."""

from __future__ import annotations

import logging
import re
import sys
import threading
import traceback
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from platformdirs import user_log_path

_LOG = logging.getLogger("schablone")
#: How large a log grows, bytes, before the next is begun, and how many of before are kept.
_LARGEST, _KEPT = 300_000, 2
_PATH = re.compile(r"(?:/[^\s/\"'“”:]+)+/([^\s/\"'“”:]+)")
_QUOTED = re.compile(r"“[^”]*”")

#: Told where it cannot be overlooked.
SENTENCE = (
    "This is a fault in Schablone, not in your design. What you did last may not have been "
    "done; all that was kept is safe."
)


def log_file() -> Path:
    """Where it is written down."""
    return user_log_path("schablone") / "log.txt"


def begin_log(file: Path | None = None) -> None:
    """Write down from now on; a place that cannot be written to is no reason not to start."""
    file = file or log_file()
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(file, maxBytes=_LARGEST, backupCount=_KEPT, encoding="utf8")
    except OSError:
        return
    handler.setFormatter(logging.Formatter("%(asctime)s  %(message)s", "%Y-%m-%d %H:%M:%S"))
    for old in list(_LOG.handlers):
        _LOG.removeHandler(old)
        old.close()
    _LOG.addHandler(handler)
    _LOG.propagate = False


def write_down(text: str) -> None:
    """One entry of the log, whatever it is."""
    if _LOG.handlers and text.strip():
        _LOG.error("%s", text.rstrip())


def read_log(file: Path | None = None, *, nameless: bool = False) -> str:
    """The log, the newest last; ``nameless`` without folders, and without what stands in quotes."""
    try:
        text = (file or log_file()).read_text("utf8", errors="replace")
    except OSError:
        return ""
    return _QUOTED.sub("“…”", _PATH.sub(r"…/\1", text)) if nameless else text


def install(
    tell: Callable[[str], None], tell_from_thread: Callable[[str], object] = lambda _: None
) -> None:
    """From now on whatever is raised and not caught, in a slot or a timer, is written down and
    told. ``tell_from_thread`` is told what a thread throws, in that thread."""

    def caught(
        kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        sys.stderr.write(text)
        write_down(text)
        tell(SENTENCE)

    def in_thread(what: threading.ExceptHookArgs) -> None:
        if what.exc_value is not None:
            text = "".join(traceback.format_exception(what.exc_value))
            sys.stderr.write(text)
            write_down(text)
            tell_from_thread(SENTENCE)

    sys.excepthook = caught
    threading.excepthook = in_thread
