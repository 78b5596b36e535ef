"""A window under attack: it edits, saves and reads without end, and says what is kept. Started by
attack.py.

    python benchmarks/attacked.py FILE STATE_FOLDER
"""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import QTimer

from schablone import reader
from schablone.app.application import Application, make_qt
from schablone.app.journal import Journal, left_behind
from schablone.app.library import Library
from schablone.app.theme import LIGHT, apply_theme
from schablone.core.design import Design, edit

#: How often it edits, ms, and how many edits come before each save and each look at the file.
EVERY, SAVES, READS = 15, 7, 11


def say(what: str, number: int) -> None:
    sys.stdout.write(f"{what} {number}\n")
    sys.stdout.flush()


def number_of(design: Design) -> int:
    """Which edit a design is of."""
    return int(design.size("edits").formula)


def main(file: Path, folder: Path) -> None:
    reader.open_door()
    qt = make_qt()
    apply_theme(qt, LIGHT)
    library = Library(folder / "config", folder / "data")
    application = Application(library, Journal(folder / "unsaved"))
    window = application.open_design_window(file)
    session = window.session
    # What an earlier window left is taken up, as a person would.
    for left in left_behind(folder / "unsaved")[0]:
        if number_of(left.design) > number_of(session.design):
            session.take(left.design, left.path, saved=False)
        left.discard()
    window.show()
    worker = window.worker
    worker.rebuilt.connect(lambda report, _: say("built", report["whole"]))
    worker.started_again.connect(lambda: say("again", 0))

    def one() -> None:
        number = number_of(session.design) + 1
        wide = f"{90 + number % 20} mm"

        def change(design: Design) -> Design:
            return edit.set_formula(edit.set_formula(design, "edits", str(number)), "width", wide)

        session.edit(change, "one more")
        say("kept", number)
        if number % SAVES == 0:
            say("saving", number)
            window.files.save()
            say("saved", number)
        if number % READS == 0:
            say("reads", number_of(reader.read("design", file)))

    timer = QTimer(interval=EVERY)
    timer.timeout.connect(one)
    timer.start()
    say("begins", number_of(session.design))
    qt.exec()


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
