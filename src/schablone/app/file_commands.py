"""The commands of the main window that read and write files."""

from __future__ import annotations

import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu, QWidget

from ..core.design import Design
from ..core.design import edit as edits
from ..core.design.exchange import write_sizes
from ..core.design.file import SUFFIX
from ..core.files import MESHES
from ..core.problem import Problem, SchabloneError
from ..core.steps import imported
from ..core.whole_files import write_whole
from ..core.words import listed, say_name
from ..worker import talk
from .file_watch import FileWatch
from .journal import Left, left_behind
from .places.size_table import SizeTableSheet
from .question_strip import QuestionStrip
from .reading import read_file
from .saving import ask_before_leaving, ask_file, may_go_over
from .session import Session
from .shared_keys import share_keys
from .variant_files import VariantFiles, stems_of
from .widgets.in_hand import amiss, take_over, unfinished
from .worker_client import WorkerClient

if TYPE_CHECKING:
    from .publisher import Publisher
    from .words_window import WordsWindow


class FileCommands(QObject):
    """Opening, saving, exporting, publishing, and taking up what was left unsaved.

    Dialogs belong to ``window``, questions are put into its ``strip``. ``edition_wanted`` names an
    edition to open in a window of its own, ``place_wanted`` the place that comes next.
    """

    edition_wanted = Signal(Path)
    #: An edition is to be shared in the practice gallery.
    gallery_wanted = Signal(Path)
    place_wanted = Signal(str)
    #: Sizes were read, and what is done with them in words.
    sizes_read = Signal(tuple, str)
    #: An edition is being written, or no longer.
    publishing = Signal(bool)
    publishing_at = Signal(str, int, int)

    def __init__(
        self, window: QWidget, session: Session, worker: WorkerClient, strip: QuestionStrip
    ) -> None:
        super().__init__(window)
        self.window, self.session, self.worker, self.strip = window, session, worker, strip
        self.size_table: SizeTableSheet | None = None
        self.variants = VariantFiles(session, worker, strip, self)
        self._has_told = False
        self._publisher: Publisher | None = None
        session.reads = partial(read_file, window, "design")
        self._watch = FileWatch(session, self)
        self._watch.changed.connect(self.ask_whose)

    def close(self) -> None:
        """The window ends: what it opened beside itself goes with it."""
        if self.size_table is not None:
            self.size_table.close()

    def trouble(self, error: SchabloneError, doing: str) -> None:
        """Say what went wrong, where it cannot be overlooked, and go on."""
        texts = [problem.text for problem in error.problems[:4]]
        more = f" And {len(error.problems) - 4} more." if len(error.problems) > 4 else ""
        self.strip.tell(f"{doing}: {' '.join(texts)}{more}")

    def may_go(self) -> bool:
        """Ask about unsaved work; True where the design in hand may be left."""
        wrong = amiss(self.window)
        session = self.session
        is_saved = session.is_saved or (session.path is None and session.design == Design())
        if is_saved and not wrong:
            return True
        unsaved = f"“{session.design.name}” has changes that are not saved." * (not is_saved)
        typed = f"What is being typed is not right yet. {wrong}" * bool(wrong)
        answer = ask_before_leaving(
            self.window,
            f"{unsaved} {typed}".strip(),
            leave="Throw them away" if unsaved else "Throw it away",
            may_save=not wrong,
        )
        return self.save() if answer == "save" else answer == "leave"

    def new(self) -> None:
        if self.may_go():
            process = self.session.design.process
            self.session.take(Design(process=process), None)

    def open_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.window,
            "Open",
            self._folder(),
            f"Designs and editions (*{SUFFIX} *.zip);;All files (*)",
        )
        if path:
            self.open_path(Path(path))

    def open_path(self, path: Path) -> bool:
        """Open a design here, or an edition in a window of its own."""
        if path.suffix.lower() == ".zip":
            self.edition_wanted.emit(path)
            return True
        if not self.may_go():
            return False
        try:
            self.session.open(path)
        except SchabloneError as error:
            self.trouble(error, "Not opened")
            return False
        self.place_wanted.emit("shape")
        return True

    def open_demo(self, path: Path) -> None:
        """Open a copy of a demo design; the demo itself stays as it is."""
        if self.may_go():
            try:
                self.session.open_copy(path)
            except SchabloneError as error:
                self.trouble(error, "Not opened")
                return
            self.place_wanted.emit("shape")

    def save(self) -> bool:
        if self.session.path is None:
            return self.save_as()
        return self.save_to(self.session.path)

    def save_as(self) -> bool:
        path = self._ask_file("Save as", self.session.design.name, ("Design", SUFFIX))
        return path is not None and self.save_to(path)

    def _ask_file(self, title: str, name: str, *kinds: tuple[str, str]) -> Path | None:
        """Ask where something is to be written, beside the design."""
        return ask_file(self.window, title, name, *kinds, folder=Path(self._folder()))

    def save_to(self, path: Path) -> bool:
        """Save to a file; False, with words, where that fails or somebody else has written to
        it."""
        if wrong := take_over(self.window):
            self.session.said.emit(f"Not saved, what is being typed is not right yet. {wrong}")
            return False
        if path.resolve() == self.session.path and self.ask_whose():
            return False
        try:
            self.session.save(path)
        except SchabloneError as error:
            self.strip.ask(
                f"Not saved: {error.problems[0].text}",
                ("Save as …", self.save_as),
                ("All right", lambda: None),
            )
            return False
        left = unfinished(self.window)
        but = f" What is not right yet is not in it: {left}" if left else ""
        self.session.said.emit(f"Saved {path.name}.{but}")
        return True

    def ask_whose(self) -> bool:
        """Ask which is to go on where the file was changed by another window or program; True where
        it was."""
        session, path = self.session, self.session.path
        if path is None or not session.is_changed_elsewhere():
            return False
        if not path.exists():
            self.strip.ask(
                f"{path.name} is not there any more: it was moved or deleted.",
                ("Write it again", self._keep_mine),
                ("Save as …", self.save_as),
            )
            return True
        self.strip.ask(
            f"{path.name} was changed meanwhile, by another window or program.",
            ("Keep mine", self._keep_mine),
            ("Take theirs", self._take_theirs),
            ("What differs?", self._show_theirs),
            ("Save as …", self.save_as),
        )
        return True

    def _keep_mine(self) -> None:
        """Write over what the file holds."""
        self.session.keep_mine()
        self.save()

    def _take_theirs(self) -> None:
        try:
            self.session.take_theirs()
        except SchabloneError as error:
            self.trouble(error, "Not taken")
            return
        self.session.said.emit("This is what the file holds; undo brings yours back.")

    def _show_theirs(self) -> None:
        self.show_words().compare_saved()
        self.ask_whose()

    def show_words(self) -> WordsWindow:
        """The design in words, in a window of its own: to read, print, save, or compare with
        another."""
        from .words_window import WordsWindow

        window = WordsWindow(self.session, self.window)
        share_keys(window, self.session, self.save)
        window.show()
        return window

    def rename_dialog(self) -> None:
        name, ok = QInputDialog.getText(
            self.window, "Name of the design", "Name", text=self.session.design.name
        )
        if ok and name.strip():
            self.session.edit(
                lambda design: design.model_copy(update={"name": name.strip()}),
                f"name {name.strip()}",
            )

    def import_dialog(self) -> None:
        meshes = " ".join(f"*{ending}" for ending in MESHES)
        path, _ = QFileDialog.getOpenFileName(
            self.window,
            "Import a solid",
            self._folder(),
            f"Solids and meshes (*.step *.stp {meshes});;STEP solids (*.step *.stp);;"
            f"Meshes ({meshes})",
        )
        if path:
            self.import_step(Path(path))

    def import_step(self, path: Path) -> None:
        """Add the solid of a STEP file, or the one that a mesh was made of, as a step; it goes into
        the design."""
        note = ""
        try:
            if path.suffix.lower() in MESHES:
                data, note = read_file(self.window, "mesh", path)
            else:
                data = read_file(self.window, "solid", path)
        except SchabloneError as error:
            self.trouble(error, "Not imported")
            return
        design = self.session.design
        name = edits.free_name(design, "solid")
        step = imported.Imported(
            name=name, file=path.name, data=data, part=design.parts[0].name, note=note
        )
        self.session.edit(lambda d: edits.put_step(d, step), f"import {path.name}")
        if note:
            self.session.said.emit(note)

    def _may_write(self, what: str) -> bool:
        """Whether all that was typed is in force: of what cannot be seen nothing is made."""
        wrong = amiss(self.window)
        if wrong:
            self.strip.tell(f"{what}: something that was typed is not right yet. {wrong}")
        return not wrong

    def export_dialog(self) -> None:
        from ..core.publish.exports import FORMATS  # what is published loads when it is asked for
        from ..core.publish.pieces import endings_for

        if not self._may_write("Not exported"):
            return
        design = self.session.design
        name = f"{design.name} {self.session.process.name}".replace(" · ", " ")
        taken = endings_for((one.family for one in self.session.machines_at_work()), design)
        shown = sorted(FORMATS, key=lambda ending: ending not in taken[:1])
        kinds = ((ending[1:].upper(), ending) for ending in shown)
        path = self._ask_file("Export what is sent", name, *kinds)
        if path is not None:
            self.export_to(path)

    def bend_sheet_dialog(self, part: str) -> None:
        """Ask where the page with the blank and its bends goes, and write it."""
        if not self._may_write("Not exported"):
            return
        name = self.session.design.name
        if len(self.session.design.parts) > 1:
            name = f"{name} {say_name(part)}"
        path = self._ask_file("Bend sheet", f"{name} bend sheet", ("PDF", ".pdf"), ("SVG", ".svg"))
        if path is not None:
            self.session.said.emit(f"Writing {path.name} …")
            process = self.session.process
            done = partial(self._exported, self.session.view.of_part(part).process.name)
            self.worker.write_bend_sheet(self.session.design, process, part, path, done)

    def export_to(self, path: Path) -> None:
        """Export the part as it is sent to the machine; a drawing or another lens is not what a
        machine wants."""
        self.session.said.emit(f"Writing {path.name} …")
        process = self.session.process
        machines = listed([machine.name for machine in self.session.machines_at_work()])
        done = partial(self._exported, machines)
        self.worker.export(self.session.design, "sent", process, path, done)

    def _exported(self, machines: str, answer: talk.Exported | talk.Refused) -> None:
        """Say what came of it; the machines in use may be others by now."""
        if isinstance(answer, talk.Refused):
            self.trouble(SchabloneError(*answer.problems), "Not exported")
            return
        self.session.said.emit(
            f"Wrote {Path(answer.paths[0]).name} for {machines}, {answer.bytes / 1000:,.0f} kB."
        )

    def edit_size_table(self) -> None:
        """Open the size table in a sheet of its own."""
        if self.size_table is None:
            self.size_table = SizeTableSheet(self.session)
            share_keys(self.size_table, self.session, self.save)
        self.size_table.refresh()
        self.size_table.show()
        self.size_table.raise_()

    def make_all_dialog(self) -> None:
        """Ask for a folder, and write all variants into it as their machines take them."""
        if self.variants.is_at_work or not self._may_write("Not made"):
            return
        folder = QFileDialog.getExistingDirectory(
            self.window, "Make all variants: where to", self._folder()
        )
        stems = stems_of(self.session.design).values()
        if folder and may_go_over(self.window, Path(folder), *stems):
            self.variants.write(Path(folder))

    def publish_dialog(self) -> None:
        if not self._may_write("Not published"):
            return
        title = self.session.design.title
        path = self._ask_file("Write the edition", title, ("Edition", ".zip"))
        if path is not None:
            self.publish_to(path)

    def publish_to(self, path: Path) -> None:
        """Write an edition, in a process of its own: it takes seconds."""
        from .prover_client import proof_of  # what publishes loads when it is asked for
        from .publisher import Publisher

        self.session.said.emit(
            "Writing the edition: building every ready-made size on every machine …"
        )
        self.publishing.emit(True)
        processes = [
            self.session.process,
            *(p for p in self.session.library.processes() if p.name != self.session.process.name),
        ]
        session = self.session
        proof = proof_of(session.design, session.process, session.library.processes())
        self._published_from = session.takes
        today = datetime.date.today().isoformat()
        self._publisher = Publisher(session.design, processes, path, proof, today)
        self._publisher.done.connect(self._published)
        self._publisher.at.connect(self.publishing_at)
        self._publisher.start()

    def stop_publishing(self) -> None:
        """Write no edition after all; what was there before stays."""
        if self._publisher is not None and self._publisher.stop():
            self.publishing.emit(False)
            self.session.said.emit("Stopped. No edition was written.")

    def _published(
        self, path: str, problems: list[dict[str, Any]], published: Design | None
    ) -> None:
        from ..core.publish.life import recorded

        self.publishing.emit(False)
        if problems:
            self.trouble(
                SchabloneError(*(Problem.model_validate(problem) for problem in problems)),
                "Not published",
            )
            return
        number = ""
        if published is not None and published.publish.history:
            number = f" {published.publish.history[-1].number}"
            if self._published_from != self.session.takes:
                self.strip.tell(
                    f"The edition{number} is written: {Path(path).name}. Another design was opened "
                    "meanwhile, so its record is not kept: write it again to keep it."
                )
                return
            if recorded(self.session.design, published) != self.session.design:
                self.session.edit(
                    lambda design: recorded(design, published), f"edition{number} is written"
                )
        self.strip.ask(
            f"The edition{number} is written: {Path(path).name}.",
            ("Open it as others will", lambda: self.edition_wanted.emit(Path(path))),
            ("Share it in the practice gallery", lambda: self.gallery_wanted.emit(Path(path))),
            ("Good", lambda: None),
        )

    def _folder(self) -> str:
        return str(self.session.path.parent if self.session.path else Path.home())

    def fill_recent(self, menu: QMenu) -> None:
        """Put the designs that were open lately into a menu."""
        menu.clear()
        for path in self.session.library.recent():
            menu.addAction(f"{path.stem}    {path.parent}", lambda path=path: self.open_path(path))
        if menu.isEmpty():
            menu.addAction("nothing yet").setEnabled(False)

    def offer_left_behind(self) -> None:
        """Offer what was not saved when an earlier window ended."""
        left, damaged = left_behind(self.session.journal.folder)
        if not left and not damaged:
            self.tell_what_is_damaged()
        if damaged and not left:
            names = ", ".join(file.name for file in damaged)
            self.strip.tell(
                f"Work that was not saved cannot be read. What is left of it is {names} in "
                f"{damaged[0].parent}."
            )
        if left:
            newest = left[0]
            many = "last edit" if newest.lost == 1 else f"last {newest.lost} edits"
            last = f" Its {many} cannot be read; what is offered is the state before."
            self.strip.ask(
                f"“{newest.design.name}” was not saved when Schablone last ended."
                f"{last if newest.lost else ''}",
                ("Take it up again", lambda: self._take_up(newest)),
                ("Throw it away", lambda: (newest.discard(), self.offer_left_behind())),
                ("Ask again next time", lambda: None),
            )

    def tell_what_is_damaged(self) -> None:
        """Say, once, what of the person's own processes, bought parts and settings cannot be
        read."""
        problems = self.session.library.problems
        if problems and not self._has_told:
            self._has_told = True
            self.trouble(SchabloneError(*problems), "Of what you keep in Schablone, not read")

    def _take_up(self, left: Left) -> None:
        if self.may_go():
            self.session.take(left.design, left.path, saved=False)
            left.discard()
            self.offer_left_behind()

    def read_sizes_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Read sizes", self._folder(), "Tables (*.csv *.tsv *.txt)"
        )
        if path:
            try:
                sizes = read_file(self.window, "sizes", Path(path))
                self.sizes_read.emit(sizes, f"read {Path(path).name}")
            except SchabloneError as error:
                self.trouble(error, "Not read")

    def write_sizes_dialog(self) -> None:
        if not self._may_write("Not written"):
            return
        name = f"{self.session.design.name} sizes"
        path = self._ask_file("Write sizes", name, ("Tables", ".csv"))
        if path is not None:
            try:
                write_whole(path, write_sizes(self.session.design).encode("utf8"))
            except SchabloneError as error:
                self.trouble(error, "Not written")


def can_open(path: Path) -> bool:
    """Whether a file is one that the window opens or takes."""
    return path.suffix.lower() in (SUFFIX, ".zip", ".json")
