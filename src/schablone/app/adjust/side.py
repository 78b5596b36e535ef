"""The side of the adjust window: what may be chosen, in the order of the page, then the machine and
the files."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...core.process import Process
from ...core.publish.choices import Choice
from ...core.publish.licences import licence_name
from ..library import Library
from ..widgets.basics import Flow, button, label, on_hover, rule, scrolled
from .choosing import Choosing
from .field import AdjustField, Adjusts
from .machines import MachineChoice


class Chooses(Adjusts, Protocol):
    """The window that it is the side of: what is done there."""

    processes: list[Process]
    known: list[Process]
    library: Library

    def taken_choice(self) -> Choice | None: ...
    def take_choice(self, choice: Choice) -> None: ...
    def take(self, values: dict[str, str]) -> None: ...
    def tell(self, text: str) -> None: ...
    def use(self, process: Process) -> None: ...
    def use_for(self, part: str, process: str) -> None: ...
    def add_machine(self) -> None: ...
    def make_own(self) -> None: ...
    def export_dialog(self) -> None: ...
    def all_dialog(self) -> None: ...
    def open_report(self) -> None: ...


class Side(QWidget):
    """``fields`` by size; ``refused``, ``wrong`` and ``said`` are lines that come and go."""

    def __init__(self, window: Chooses) -> None:
        super().__init__()
        self.window_, self.design = window, window.design
        self.fields: dict[str, AdjustField] = {}
        self.setObjectName("column")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(400)
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 18, 16)
        column.setSpacing(10)
        column.addWidget(label(self.design.title, "page_title", wrap=True))
        self.choosing = Choosing(window.taken_choice)
        self.choosing.opened.connect(window.take_choice)
        self.choosing.said.connect(window.tell)
        column.addWidget(self._page(), 1)
        # What is said comes and goes: here the list gives way, and no button moves from under the
        # pointer.
        self.refused, self.wrong, self.said = (
            label("", name, wrap=True) for name in ("wrong", "wrong", "small")
        )
        for line in (self.refused, self.wrong, self.said):
            line.hide()
            column.addWidget(line)
        column.addWidget(self.choosing)
        column.addWidget(rule())
        self.machines = MachineChoice(
            self.design,
            window.processes,
            window.known,
            {process.name for process in window.library.own_processes()},
        )
        self.machines.used.connect(window.use)
        self.machines.used_for.connect(window.use_for)
        self.machines.new_wanted.connect(window.add_machine)
        column.addWidget(self.machines)
        self.save = button(
            "Save the files for this machine …",
            "primary",
            window.export_dialog,
            "Save the files for this machine",
        )
        column.addWidget(self.save)
        more = QHBoxLayout()
        self.save_all = button(
            "All files into a folder …",
            "link",
            window.all_dialog,
            "All files of all parts in one go",
        )
        more.addWidget(self.save_all)
        more.addWidget(
            button("I made it …", "link", window.open_report, "Tell its author how it came out")
        )
        more.addStretch(1)
        column.addLayout(more)

    def _page(self) -> QWidget:
        """What whoever made it says, and the sizes."""
        publish = self.design.publish
        inner = QWidget()
        inner.setObjectName("column")
        page = QVBoxLayout(inner)
        page.setContentsMargins(0, 4, 8, 0)
        page.setSpacing(16)
        told = [f"by {publish.author}"] if publish.author else []
        told.append(licence_name(self.design))
        told += [f"edition {one.number} of {one.date}" for one in publish.history[-1:]]
        from_whom = label(" · ".join(told), "small", wrap=True)
        if publish.history:
            on_hover(from_whom, publish.history[-1].changed.strip())
        page.addWidget(from_whom)
        if publish.summary:
            page.addWidget(label(publish.summary, "", wrap=True))
        page.addWidget(self.choosing.card)
        if publish.measure_first:
            page.addWidget(label(publish.measure_first, "quiet", wrap=True))
        if publish.presets:
            page.addWidget(self._ready_made())
        for item in publish.adjust:
            field = AdjustField(self.window_, item)
            self.fields[item.size] = field
            page.addWidget(field)
        page.addStretch(1)
        own = button(
            "Make it a design of my own",
            "link",
            self.window_.make_own,
            "Open the design itself, as it is chosen now, to change more than its sizes",
        )
        page.addWidget(own, 0, Qt.AlignmentFlag.AlignLeft)
        self._scroll = scrolled(inner)
        self._scroll.setObjectName("sheet")
        return self._scroll

    def take(self) -> str:
        """Take over what is typed. Returns what is wrong with the first that cannot be, which is
        shown."""
        for field in self.fields.values():
            if wrong := field.take():
                self._scroll.ensureWidgetVisible(field)
                return wrong
        return ""

    def _ready_made(self) -> QWidget:
        ready = Flow(6, 6)
        for preset in self.design.publish.presets:
            ready.put(
                button(
                    preset.name,
                    "pill",
                    lambda preset=preset: self.window_.take(dict(preset.sizes)),
                    f"Take the sizes of {preset.name}",
                )
            )
        return ready
