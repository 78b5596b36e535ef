"""All commands of the window in one table, a function for each menu; the menu bar and the list that
is searched with F1 are made of it. What has no other place is done here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from ..core.process import LENSES
from .menus import LINE, Command, Entry, Group, MenuBar
from .rail import PLACES
from .theme import theme

if TYPE_CHECKING:
    from .main_window import MainWindow


class Commands:
    """The commands of a window, whose parts are all there."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.session, self.shape = window, window.session, window.shape
        self.menus = MenuBar(window)
        self.menus.add("&File", self._on_files())
        self.menus.add("&Edit", self._on_edits())
        self.menus.add("&View", self._on_views())
        self.menus.add("&Design", self._on_designs())
        self.menus.add("&Go", self._on_places())
        self.session.changed.connect(self._name_undo)

    def _on_files(self) -> tuple[Entry, ...]:
        files = self.window.files
        return (
            Command("New", files.new, "Ctrl+N"),
            Command("Open …", files.open_dialog, "Ctrl+O"),
            Group("Open recent", fill=files.fill_recent),
            Command("Save", files.save, "Ctrl+S"),
            Command("Save as …", files.save_as, "Ctrl+Shift+S"),
            LINE,
            Command("Import a solid …", files.import_dialog),
            Command("Export the part …", files.export_dialog, "Ctrl+E"),
            Command("Publish …", partial(self.window.go, "publish"), "Ctrl+P"),
            Command("Design in words …", files.show_words, "Ctrl+Shift+W"),
            LINE,
            Command("Close the window", self.window.close, "Ctrl+Q"),
        )

    def _on_edits(self) -> tuple[Entry, ...]:
        session, shape, files = self.session, self.shape, self.window.files
        return (
            Command("Undo", session.undo, "Ctrl+Z"),
            Command("Redo", session.redo, "Ctrl+Shift+Z"),
            LINE,
            Command("Find a size", self._in_shape(shape.find_size), "Ctrl+F"),
            Command("New size", self._in_shape(shape.new_size), "N"),
            LINE,
            Command("Copy all sizes", shape.sizes.copy_all, "Ctrl+Shift+C"),
            Command("Paste sizes", shape.sizes.paste, "Ctrl+Shift+V"),
            Command("Read sizes from CSV …", files.read_sizes_dialog),
            Command("Write sizes as CSV …", files.write_sizes_dialog),
        )

    def _on_views(self) -> tuple[Entry, ...]:
        session, shape = self.session, self.shape
        return (
            *(
                Command(f"Look from the {name}", partial(shape.view.look, name), str(number))
                for number, name in enumerate(("top", "front", "side", "corner"), 1)
            ),
            Command("Fit the part", shape.view.fit, "F"),
            Command("Dimensions on the part", shape.figures.toggle, "Shift+D"),
            Command("Ruled ground", self._toggle_ground, "G"),
            Command("Measure between two spots", self.window.questions.measure, "M"),
            Command("The part before the last edit", shape.bar.toggle_before, "B"),
            Command("The blank of a folded part", shape.bar.toggle_blank, "Shift+B"),
            LINE,
            *(
                Command(f"Lens: {lens}", partial(session.look_through, lens), f"Alt+{number}")
                for number, lens in enumerate(LENSES, 1)
            ),
            LINE,
            Group(
                "Sizes as",
                [
                    Command(name, partial(shape.sizes.show_as, name))
                    for name in ("both", "values", "formulas")
                ],
            ),
            Group(
                "Lengths in",
                (
                    Command("as the design says", partial(session.look_in, "")),
                    Command("millimetres, for looking", partial(session.look_in, "mm")),
                    Command("inches, for looking", partial(session.look_in, "in")),
                ),
            ),
            Command("Dark or light", self._toggle_theme, "Ctrl+Shift+D"),
        )

    def _on_designs(self) -> tuple[Entry, ...]:
        window, session, shape = self.window, self.session, self.shape
        fractions = [
            Command(
                f"fractions to 1/{denominator}" if denominator else "decimals",
                partial(self._set_fraction, denominator),
            )
            for denominator in (0, 8, 16, 32, 64)
        ]
        return (
            Command("Add a step …", self._in_shape(shape.steps.open_add_menu), "A"),
            Command("Draw on the chosen sketch", self._in_shape(shape.draw_chosen), "D"),
            Command("Work at the chosen step", lambda: session.work_at(shape.chosen_step), "W"),
            Command("One step back in the build", partial(shape.walk, -1), "["),
            Command("One step on in the build", partial(shape.walk, 1), "]"),
            Command("What follows the chosen size", window.questions.ask_follows, "Ctrl+L"),
            Command("Try values of the chosen size", window.questions.try_values, "Ctrl+T"),
            Command("Name of the design …", window.files.rename_dialog),
            Command("Size table …", window.files.edit_size_table, "T"),
            Command("Millimetres or inches", self._toggle_units),
            Group("Inches as", fractions),
            Command("Bought parts …", window.beside.show_bought),
            Command("Stencils …", window.beside.show_stencils, "Ctrl+Shift+T"),
            Command("To the workshop …", window.beside.show_layout, "Ctrl+Shift+L"),
            Command("Drawing sheet …", window.beside.show_sheet, "Ctrl+Shift+B"),
            Command("Screw clearances …", window.beside.show_screws),
            Command("Give up the rebuild", window.part.give_up),
        )

    def _on_places(self) -> tuple[Entry, ...]:
        return (
            *(
                Command(name.capitalize(), partial(self.window.go, name), f"Ctrl+{number}")
                for number, name in enumerate(PLACES, 1)
            ),
            LINE,
            Command("Find a command …", self.find, "F1"),
            Command("What went wrong lately …", self.window.beside.show_log),
        )

    def _in_shape(self, does: Callable[[], object]) -> Callable[[], None]:
        """What does something in *Shape*, and shows it."""

        def both() -> None:
            self.window.go("shape")
            does()

        return both

    def find(self) -> None:
        """All commands in one list, below the header."""
        from .command_finder import CommandFinder  # it loads when it is asked for

        finder, stack = CommandFinder(self.window, self.menus.actions), self.window.stack
        corner = stack.mapToGlobal(stack.rect().topLeft())
        finder.move(corner.x() + (stack.width() - finder.width()) // 2, corner.y() + 24)
        finder.show()
        finder.line.setFocus()

    def _name_undo(self) -> None:
        for word, did in (("Undo", self.session.can_undo), ("Redo", self.session.can_redo)):
            action = self.menus.actions["Edit", word]
            action.setText(f"{word}: {did}" if did else word)
            action.setEnabled(bool(did))

    def _toggle_units(self) -> None:
        units = "in" if self.session.design.units == "mm" else "mm"
        self.session.edit(
            lambda design: design.model_copy(update={"units": units}), f"show in {units}"
        )

    def _toggle_ground(self) -> None:
        on = not self.shape.view.ground_on
        self.shape.view.show_ground(on)
        self.session.library.keep("ground", on)

    def _toggle_theme(self) -> None:
        self.session.library.keep("dark", not theme().dark)
        self.window.foot.say("The other theme is used from the next start on.")

    def _set_fraction(self, denominator: int) -> None:
        changes = {"inch_fraction": denominator, "units": "in"}
        self.session.edit(
            lambda design: design.model_copy(update=changes),
            f"inches to 1/{denominator}" if denominator else "decimal inches",
        )
