"""The document: the design in hand, its history, its file, the lens and the process.

Everything that changes the design goes through :meth:`Session.edit`, so that undo covers all of it
and the journal has it before the window goes on.
"""

from __future__ import annotations

import hashlib
import os
import stat
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Literal

from pydantic import ValidationError
from PySide6.QtCore import QObject, Signal

from ..core.design import Design, save_design
from ..core.design import edit as edits
from ..core.design.facing import facing
from ..core.design.lens_table import Machines
from ..core.design.measures import Measures
from ..core.design.model import Size, Units
from ..core.design.sound import require_sound
from ..core.files import LARGEST
from ..core.formula import FormulaError
from ..core.formula.value_table import ValueTable
from ..core.kernel.naming import speak_of
from ..core.process import Lens, Process, neutral
from ..core.process.lens import LensView
from ..core.quantity import Quantity, say
from ..core.words import say_name, say_validation
from ..reader import read
from .history import History
from .journal import Journal
from .library import Library
from .sheet_work import SheetWork, Wish


class Session(QObject):
    """One open design.

    Signals: ``taken`` when another design is taken up, before ``changed``; ``changed`` after every
    change of design, lens or process; ``said`` with a line for the foot of the window;
    ``file_changed`` when the file or the saved state changes.
    """

    taken = Signal()
    changed = Signal()
    file_changed = Signal()
    #: What the sizes are measures of is known anew.
    read_off = Signal()
    said = Signal(str)
    #: Edits cannot be kept safe, and why; empty once they are again.
    unsafe = Signal(str)

    def __init__(self, library: Library, journal: Journal | None = None) -> None:
        super().__init__()
        self.library, self.journal = library, journal or Journal()
        #: How a design file is read; a window lets a person give it up.
        self.reads: Callable[[Path], Design] = partial(read, "design")
        self.path: Path | None = None
        #: How often a design was taken up: what takes long is for the one that was in hand then.
        self.takes = 0
        #: What the file held when it was read or written last.
        self._on_disk = b""
        self.lens: Lens = "wanted"
        self.process: Process = neutral()
        #: The processes of parts that have one of their own.
        self.others: tuple[Process, ...] = ()
        self._history = History(Design())
        self._saved: Design | None = self.design
        self._shelves = library.snapshot()
        self._trouble_said = ""
        self._sheet = SheetWork(self)
        self._sheet.worked_out.connect(self._worked_out)
        self.looking: Units | Literal[""] = ""
        #: The step that is worked at: those after it are not built. Empty for the end.
        self.until = ""
        #: What measuring steps read off the part at the last rebuild.
        self.measured: dict[str, float] = {}
        self.measures = Measures()

    # What there is

    @property
    def design(self) -> Design:
        return self._history.design

    @property
    def is_saved(self) -> bool:
        return self._saved is not None and self.design == self._saved

    @property
    def table(self) -> ValueTable:
        """Values of all sizes; the geometry follows from the worker. While they are being worked
        out, those before."""
        return self._sheet.table(self._wish, self.process)

    @property
    def is_working_out(self) -> bool:
        """Whether sizes are being worked out: what is seen is the state before."""
        return self._sheet.is_waited_for

    @property
    def _wish(self) -> Wish:
        return Wish(self.design, self.process, self.others, self.measured)

    @property
    def view(self) -> LensView:
        """The design as it is looked at."""
        return self.design.seen(self.lens, self.process, self.others)

    @property
    def machines(self) -> Machines:
        """By part, process and table of those that have a process of their own."""
        tables = {p.name: self._sheet.table(self._wish, p) for p in self.others}
        return {part: (process, tables[process.name]) for part, process in self.view.own}

    def machines_at_work(self) -> list[Process]:
        """The processes by which some part is made, the design's first."""
        names = {part.name for part in self.design.parts} - set(self.machines)
        return [*([self.process] if names else []), *self.others]

    def is_printed(self, part: str) -> bool:
        """Whether a part is made by a printer: what is cut lies flat, however it is drawn."""
        return self.view.of_part(part).process.family == "print"

    def units(self, size: Size | None = None) -> Units:
        """In what lengths are shown: as is looked just now, or as the size says, or the design."""
        return self.looking or (size.units if size else "") or self.design.units

    def say(self, quantity: Quantity, size: Size | None = None) -> str:
        """A quantity in the units in which it is shown."""
        return say(quantity, self.units(size), self.design.inch_fraction)

    def look_in(self, units: Units | Literal[""]) -> None:
        """Show all lengths in these units, or again as the design says. A way of looking, not an
        edit."""
        if units != self.looking:
            self.looking = units
            self.changed.emit()

    # Taking a design up

    def take(self, design: Design, path: Path | None, *, saved: bool = True) -> None:
        """Make another design the one in hand. History begins anew."""
        self._history = History(design)
        self.takes += 1
        self.until, self.measured, self.measures = "", {}, Measures()
        self.path, self._saved = path, design if saved else None
        self._on_disk = digest_of(path) if path is not None else b""
        self._use_process_of(design)
        self._note()
        self._sheet.forget()
        self._prepare()
        self.taken.emit()
        self.file_changed.emit()
        self.changed.emit()

    def open(self, path: Path) -> None:
        """Read a design file and take it up.

        Raises:
            SchabloneError: where it cannot be read; the design in hand stays.
        """
        here = path.resolve()
        held = digest_of(here)
        design = self.reads(here)
        self.take(design, here)
        self._on_disk = held
        self.library.remember(path)

    def open_copy(self, path: Path) -> None:
        """Take up a copy of a design file, such as a demo: saving asks for a file of its own.

        Raises:
            SchabloneError: where it cannot be read; the design in hand stays.
        """
        self.take(self.reads(path), None)

    def save(self, path: Path | None = None) -> None:
        """Write the design to its file, or to another one.

        Raises:
            SchabloneError: where that fails; nothing is lost.
        """
        target = path or self.path
        if target is None:
            raise ValueError("no file is chosen")
        save_design(self.design, target)
        self.path, self._saved = target.resolve(), self.design
        self._on_disk = digest_of(self.path)
        self._note()
        self.library.remember(target)
        self.file_changed.emit()

    def is_changed_elsewhere(self) -> bool:
        """Whether the file holds something else than what was read from it or written to it last;
        also where it is gone."""
        return (
            self.path is not None and bool(self._on_disk) and digest_of(self.path) != self._on_disk
        )

    def take_theirs(self) -> None:
        """Go on with what the file holds now, as an edit: undo brings back what was in hand.

        Raises:
            SchabloneError: where it cannot be read; the design in hand stays.
        """
        if self.path is None:
            return
        held = digest_of(self.path)
        theirs = self.reads(self.path)
        self._on_disk, self._saved = held, theirs
        self.edit(lambda _: theirs, "take what the file holds")
        self.file_changed.emit()

    def keep_mine(self) -> None:
        """What the file holds now is known, and is not wanted: saving writes over it."""
        if self.path is not None:
            self._on_disk = digest_of(self.path)
            self._saved = None
            self.file_changed.emit()

    # Changing it

    def edit(self, change: Callable[[Design], Design], did: str, together: str = "") -> bool:
        """Change the design, or say why not. ``together`` joins changes of one drag into one undo.

        Returns whether the design changed.
        """
        try:
            design = change(self.design)
            require_sound(self.design, design)
        except FormulaError as error:
            self.said.emit(f"{error.what} {error.hint}".strip())
            return False
        except ValidationError as error:
            what = say_validation(error, "design", "")[0].what
            self.said.emit(f"Nothing was changed: {what}")
            return False
        if design == self.design:
            return False
        self.said.emit("")  # what was said of the edit before is not of this one
        had = self._history.let_go
        self._history.put(design, did, together)
        if self._history.let_go and not had:
            self.said.emit("The first edits cannot be undone any more: there is no room for them.")
        self._changed_design()
        return True

    def make_size(self, name: str, formula: str, group: str = "") -> bool:
        """A new size, typed as ``name = formula`` where a formula is typed. Returns whether there
        is one."""
        return self.edit(
            lambda design: edits.add_size(design, name, formula, group), f"new size {name}"
        )

    def settle(self) -> None:
        """The drag is over: the next change is one of its own."""
        self._history.settle()

    @property
    def can_undo(self) -> str:
        """What would be undone, or an empty string."""
        return self._history.can_undo

    @property
    def can_redo(self) -> str:
        return self._history.can_redo

    def undo(self) -> None:
        if did := self._history.undo():
            self.said.emit(f"Undone: {did}.")
            self._changed_design()

    def redo(self) -> None:
        if did := self._history.redo():
            self.said.emit(f"Done again: {did}.")
            self._changed_design()

    def look_through(self, lens: Lens) -> None:
        """Change the lens. A way of looking, not an edit."""
        if lens != self.lens:
            self.lens = lens
            self.changed.emit()

    def take_measured(self, measured: dict[str, float]) -> None:
        """What the part measures now; sizes that use it follow."""
        if measured != self.measured:
            self.measured = measured
            self._tell_changed()

    def take_measures(self, measures: Measures) -> None:
        """What the sizes are measures of, as the part came out."""
        if measures != self.measures:
            self.measures = measures
            self.read_off.emit()

    def work_at(self, step: str) -> None:
        """Build only up to a step, or all of it again with an empty name. A way of looking, not an
        edit."""
        last = self.design.steps[-1].name if self.design.steps else ""
        step = "" if step == last or self.design.step(step) is None else step
        if step != self.until:
            self.until = step
            self.changed.emit()

    def use_process(self, process: Process) -> None:
        """Make the design for another process."""
        self.edit(
            lambda design: design.model_copy(update={"process": process.name}),
            f"process {process.name}",
        )

    def make_part_by(self, part: str, process: str) -> None:
        """Make one part by another process than the design; by the design's with an empty name."""
        words = f"{say_name(part)} by {process or self.process.name}"
        self.edit(lambda design: edits.make_by(design, part, process), words)

    def cut_blank_by(self, part: str, process: str) -> None:
        """Cut the blank of a folded part by a process; by one that is not known with an empty
        name."""
        words = f"blank of {say_name(part)} cut by {process or 'a machine that is not said'}"
        self.edit(lambda design: edits.cut_by(design, part, process), words)

    def process_changed(self) -> None:
        """A process of the library has changed: look again whether it is the one in use."""
        self._use_process_of(self.design)
        self._tell_changed()

    def follow_library(self) -> None:
        """The library may have changed elsewhere: look again, where it has since it was looked at
        last."""
        if self.library.snapshot() != self._shelves:
            self.process_changed()

    def _prepare(self) -> bool:
        if self._sheet.prepare(self._wish):
            return True
        self.said.emit("The sizes are being worked out …")
        return False

    def _tell_changed(self) -> None:
        """Once the sizes have their values: until then all that is seen is the state before."""
        if self._prepare():
            self.changed.emit()

    def _worked_out(self) -> None:
        self.said.emit("")
        self.changed.emit()

    def _changed_design(self) -> None:
        if self.until and self.design.step(self.until) is None:
            self.until = ""
        self._use_process_of(self.design)
        self._note()
        self.file_changed.emit()
        self._tell_changed()

    def _use_process_of(self, design: Design) -> None:
        process = self.library.process(design.process)
        if process is None:
            process = neutral()
            if design.process:
                self.said.emit(f"“{design.process}” is not known here; choose a process.")
        self.process = process
        self._shelves = self.library.snapshot()
        speak_of(facing(design))
        names = design.own_processes()
        self.others = tuple(p for p in self.library.processes() if p.name in names) if names else ()
        missing = names - {p.name for p in self.others}
        if missing:
            self.said.emit(
                f"“{min(missing)}”, which a part is for, is not known here; choose another for it."
            )

    def _note(self) -> None:
        """Into the journal, before anything else can go wrong."""
        if self.is_saved:
            self.journal.clear()
        else:
            self.journal.write(self.design, self.path)
            if self.journal.trouble != self._trouble_said:
                self._trouble_said = self.journal.trouble
                self.unsafe.emit(self.journal.trouble)


def digest_of(path: Path) -> bytes:
    """A digest of what a design's file holds; empty where it cannot be read, or is none."""
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)  # nothing here waits for a pipe
        with open(handle, "rb") as file:
            told = os.fstat(handle)
            if not stat.S_ISREG(told.st_mode) or told.st_size > LARGEST["design"]:
                return b""
            return hashlib.file_digest(file, "sha256").digest()
    except OSError:
        return b""
