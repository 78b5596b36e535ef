"""What is known outside of a design: processes, bought parts, recent files, how the window looked.
XDG places."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from platformdirs import user_config_path, user_data_path

from ..core.bought import BoughtPart, bought_on_the_shelf, write_bought
from ..core.bought.store import SUFFIX
from ..core.problem import Problem, SchabloneError
from ..core.process import Process, shipped_processes
from ..core.process.merging import merged
from ..core.process.off_cuts import OffCut, write_off_cuts
from ..core.process.store import write_process
from ..core.reuse import SUFFIX as STENCIL
from ..core.reuse import Stencil, stencils_on_the_shelf, write_stencil
from ..core.whole_files import write_whole
from ..reader import read
from .kept import Kept
from .readings_left import ReadingsLeft

_MOST_RECENT = 10


class Library:
    """Processes that ship and the user's own, and the user's settings."""

    def __init__(self, config: Path | None = None, data: Path | None = None) -> None:
        self.config = (config or user_config_path("schablone")) / "settings.json"
        self.data = data or user_data_path("schablone")
        self.problems: list[Problem] = []
        self._set_aside: list[Problem] = []
        self.settings: dict[str, Any] = self._read_settings()
        self._off_cuts = self.data / "off-cuts.json"
        self.reports = self.data / "reports"
        self.gallery = self.data / "gallery"
        self.own = Kept[Process](self.data / "processes", "process", ".json", write_process)
        self.own_bought = Kept[BoughtPart](self.data / "bought", "bought", SUFFIX, write_bought)
        self.own_stencils = Kept[Stencil](self.data / "stencils", "stencil", STENCIL, write_stencil)
        self.readings = ReadingsLeft(self.data / "readings.json")
        self._tell_problems()

    def _read_settings(self) -> dict[str, Any]:
        try:
            return read("settings", self.config) if self.config.exists() else {}
        except OSError:
            return {}
        except SchabloneError as error:
            # The next setting would be written over it.
            aside = self.config.with_suffix(".damaged")
            with contextlib.suppress(OSError):
                os.replace(self.config, aside)
            hint = f"The settings are as they are at first; the file was set aside as {aside.name}."
            self._set_aside = [p.with_(hint=hint) for p in error.problems]
            return {}

    def _read_again(self) -> None:
        """Take over what another run of the program has set since."""
        self.settings = {**self.settings, **self._read_settings()}

    @property
    def folders(self) -> list[Path]:
        """Where what the user keeps lies."""
        return [kept.folder for kept in (self.own, self.own_bought, self.own_stencils)]

    def snapshot(self) -> tuple[object, ...]:
        """What is kept now, to be compared with what is later."""
        return tuple(dict(kept.items) for kept in (self.own, self.own_bought, self.own_stencils))

    def read_own(self) -> None:
        """Read what the user keeps as it lies there now; what is faulty is listed in
        ``problems``."""
        for kept in (self.own, self.own_bought, self.own_stencils):
            kept.read()
        self._tell_problems()

    def _tell_problems(self) -> None:
        kept = (self.own, self.own_bought, self.own_stencils)
        self.problems = [*self._set_aside, *(p for one in kept for p in one.problems)]

    def bought(self) -> list[BoughtPart]:
        """The shelf of bought parts; the user's own replace shipped ones of the same name."""
        own = dict(self.own_bought.items)
        shipped = [own.pop(part.name, part) for part in bought_on_the_shelf()]
        return sorted([*shipped, *own.values()], key=lambda part: (part.sort, part.said))

    def stencils(self) -> list[Stencil]:
        """The shelf of stencils; the user's own replace shipped ones of the same name."""
        own = dict(self.own_stencils.items)
        shipped = [own.pop(one.name, one) for one in stencils_on_the_shelf()]
        return sorted([*shipped, *own.values()], key=lambda one: (one.sort, one.said))

    def keep_stencil(self, stencil: Stencil) -> None:
        """Keep a stencil as the user's own.

        Raises:
            SchabloneError: where it cannot be written.
        """
        self.own_stencils.keep(stencil)
        self._tell_problems()

    def is_own_stencil(self, name: str) -> bool:
        return name in self.own_stencils.items

    def forget_stencil(self, name: str) -> None:
        """Take an own stencil off the shelf; a shipped one of its name is there again.

        Raises:
            SchabloneError: where that is not allowed.
        """
        self.own_stencils.forget(name)

    def times_used(self, name: str) -> int:
        """How often a stencil was put in, in all designs."""
        counts = self.settings.get("stencils put in", {})
        times = counts.get(name, 0) if isinstance(counts, dict) else 0
        return times if isinstance(times, int) else 0

    def note_use(self, name: str) -> None:
        """Count that a stencil was put in."""
        self._read_again()
        counts = self.settings.get("stencils put in", {})
        known = counts if isinstance(counts, dict) else {}
        self.keep("stencils put in", {**known, name: self.times_used(name) + 1})

    def off_cuts(self) -> tuple[OffCut, ...]:
        """What is left of sheets that were cut; none, and a word, where the list is damaged."""
        try:
            return read("off-cuts", self._off_cuts) if self._off_cuts.exists() else ()
        except SchabloneError as error:
            self.problems += [p for p in error.problems if p not in self.problems]
            return ()

    def keep_off_cuts(self, off_cuts: Sequence[OffCut]) -> None:
        """Remember these.

        Raises:
            SchabloneError: where they cannot be written.
        """
        self._off_cuts.parent.mkdir(parents=True, exist_ok=True)
        write_off_cuts(self._off_cuts, off_cuts)

    def keep_bought(self, part: BoughtPart) -> None:
        """Keep a bought part as the user's own.

        Raises:
            SchabloneError: where it cannot be written.
        """
        self.own_bought.keep(part)
        self._tell_problems()

    def is_own_bought(self, name: str) -> bool:
        return name in self.own_bought.items

    def forget_bought(self, name: str) -> None:
        """Take an own bought part off the shelf; a shipped one of its name is there again.

        Raises:
            SchabloneError: where that is not allowed.
        """
        self.own_bought.forget(name)

    def processes(self) -> list[Process]:
        """All of them; the user's own replace shipped ones of the same name."""
        own = dict(self.own.items)
        shipped = [own.pop(process.name, process) for process in shipped_processes()]
        return shipped + list(own.values())

    def own_processes(self) -> list[Process]:
        """The user's own."""
        return list(self.own.items.values())

    def process(self, name: str) -> Process | None:
        return next((process for process in self.processes() if process.name == name), None)

    def keep_process(self, process: Process, begun: Process | None = None) -> Process:
        """Keep a process as the user's own; it goes before a shipped one of its name. ``begun`` is
        what it was made of: what was kept of that elsewhere since then is kept. What it is now.

        Raises:
            SchabloneError: where it cannot be written.
        """
        self.own.read()
        now = self.process(process.name)
        if begun is not None and now is not None and begun.name == process.name and now != begun:
            process = merged(begun, process, now)
        self.own.keep(process)
        self._tell_problems()
        return process

    def is_own(self, name: str) -> bool:
        """Whether a process is the user's own, or a shipped one with figures of the user's."""
        return name in self.own.items

    def forget_process(self, name: str) -> None:
        """Take an own process away; a shipped one of its name is there again.

        Raises:
            SchabloneError: where that is not allowed.
        """
        self.own.forget(name)

    def recent(self) -> list[Path]:
        """Files opened or saved last that are still there."""
        listed = self.settings.get("recent", [])
        paths = (
            [Path(text) for text in listed if isinstance(text, str)]
            if isinstance(listed, list)
            else []
        )
        return [path for path in paths if path.exists()]

    def remember(self, path: Path) -> None:
        self._read_again()  # another run of the program may have opened something
        here = path.resolve()
        others = [str(other) for other in self.recent() if other != here]
        self.keep("recent", [str(here), *others][:_MOST_RECENT])

    def keep(self, name: str, value: Any) -> None:
        """Keep a setting. One that cannot be written is forgotten at the end; nothing depends on
        it."""
        self._read_again()
        self.settings[name] = value
        try:
            self.config.parent.mkdir(parents=True, exist_ok=True)
            write_whole(
                self.config, json.dumps(self.settings, indent=2, ensure_ascii=False).encode("utf8")
            )
        except (OSError, SchabloneError):
            pass
