"""Which machine it is made on, and what the files make up for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from ...core.design import Design
from ...core.process import Process
from ...core.quantity import plain
from ...core.words import say_name
from ..library import Library
from ..widgets.basics import button, label


def machines_known(shipped: Sequence[Process], library: Library) -> list[Process]:
    """Those that an edition brings, and the person's: whoever has figures of their own for a
    machine that is called the same makes it by those."""
    own = {process.name: process for process in library.own_processes()}
    known = {process.name: own.get(process.name, process) for process in shipped}
    for process in library.processes():
        known.setdefault(process.name, process)
    return list(known.values())


class MachineChoice(QWidget):
    """``used`` gives the process that was chosen, ``used_for`` a part and the name of its own,
    ``new_wanted`` that the machine is not there."""

    new_wanted = Signal()
    used = Signal(object)
    used_for = Signal(str, str)

    def __init__(
        self, design: Design, processes: Sequence[Process], known: Sequence[Process], own: set[str]
    ) -> None:
        """``known`` are all that parts may have of their own; ``own`` names those whose figures are
        the person's."""
        super().__init__()
        self._design = design
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(label("Your machine", "strong"))
        self.box = QComboBox()
        self.box.setAccessibleName("your machine")
        self.of_part: dict[str, QComboBox] = {}
        self._families: dict[str, str] = {}
        self.list_all(processes, known, own)
        self.box.activated.connect(self._use)
        layout.addWidget(self.box)
        for part in design.parts:
            mine = next((process for process in known if process.name == part.process), None)
            if mine is None:
                continue
            title = part.title or say_name(part.name)
            layout.addWidget(label(f"and for {title}", "small"))
            box = self.of_part[part.name] = QComboBox()
            box.setAccessibleName(f"your machine for {title}")
            self._families[part.name] = mine.family
            _fill(box, self._for_part(part.name, known), mine.name)
            box.activated.connect(
                lambda _, box=box, name=part.name: self.used_for.emit(name, box.currentText())
            )
            layout.addWidget(box)
        self.said = label("", "small", wrap=True)
        layout.addWidget(self.said)
        layout.addWidget(
            button(
                "Yours is not here? Add it …", "link", self.new_wanted.emit, "Add your own machine"
            ),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )

    def list_all(
        self, processes: Sequence[Process], known: Sequence[Process], own: set[str]
    ) -> None:
        """Have these in the lists."""
        self.processes, self._own = list(processes), own
        _fill(self.box, [process.name for process in processes], self.box.currentText())
        for part, box in self.of_part.items():
            _fill(box, self._for_part(part, known), box.currentText())

    def _use(self, index: int) -> None:
        if index < len(self.processes):  # else it is the one in use, which is not known any more
            self.used.emit(self.processes[index])

    def _for_part(self, part: str, known: Sequence[Process]) -> list[str]:
        return [process.name for process in known if process.family == self._families[part]]

    def show_process(self, process: Process) -> None:
        """Show which one is in use, and what it does to a part."""
        self.box.setCurrentText(process.name)
        whose = "By your own figures: it" if process.name in self._own else "It"
        self.said.setText(f"{whose} {does(process)} {makes_up(self._design, process)}")

    def made_by(self) -> Mapping[str, str]:
        """The names of the processes of parts that have one of their own."""
        return {part: box.currentText() for part, box in self.of_part.items()}

    def choose_for(self, part: str, process: str) -> bool:
        """Choose a process for a part by its name; whether it is known here."""
        box = self.of_part.get(part)
        if box is None or box.findText(process) < 0:
            return False
        box.setCurrentText(process)
        return True


def _fill(box: QComboBox, names: list[str], chosen: str) -> None:
    """Have names in a box. What is chosen stays so, also where it is not known any more."""
    if chosen and chosen not in names:
        names = [*names, chosen]
    if names != [box.itemText(k) for k in range(box.count())]:
        box.clear()
        box.addItems(names)
    box.setCurrentText(chosen)


def does(process: Process) -> str:
    """What a machine does to a part, as the rest of a sentence."""
    if process.family == "print":
        return (
            f"shrinks {plain(process.shrinkage_xy)} % in x and y, "
            f"{plain(process.shrinkage_z)} % in z; "
            f"holes come out {plain(abs(process.hole_gain))} mm "
            f"{'smaller' if process.hole_gain < 0 else 'larger'}."
        )
    if process.kind == "router":
        return f"cuts with a cutter of {plain(process.cutter)} mm."
    if process.family == "cut":
        return "burns or cuts away its kerf along every line."
    return "needs an allowance at every bend."


def makes_up(design: Design, process: Process) -> str:
    """What the files of a design do about that, in a sentence: no more than it asks for."""
    if process.family == "print" and design.scale_for_shrinkage:
        return "The files make up for the shrinkage, and for the rest where the design asks for it."
    if process.family == "print":
        return "The design has its files not scaled for that; they make up for what it asks for."
    if process.family == "cut" and not design.cut_beside_line:
        return "The design has it cut on the line: the files do not make up for that."
    return "The files make up for it."
