"""Publish: what the edition says, and its ready-made sizes."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QVBoxLayout, QWidget

from ...core.design import Design, Preset
from ...core.publish.licences import LICENCES
from ...core.words import say_name
from ..session import Session
from ..widgets.basics import button, clear, label
from ..widgets.left_text import LeftText
from ..widgets.lines import KeptLine

#: The first of names that are free.
_NAMES = 10_000


class SaysColumn(QVBoxLayout):
    """What people read of an edition, and the sizes that files are made of; what stands in it is
    brought up to date in its place."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setSpacing(8)
        self._updates: list[Callable[[Design], None]] = []
        self._presets_shown: tuple[Preset, ...] | None = None
        self.addWidget(label("What it says", "heading"))
        self._line("title", "title")
        self._line("author", "by")
        self._text("summary", "what it is for")
        self._text("measure_first", "what to measure first")
        self._licence()
        self.addSpacing(6)
        head = QHBoxLayout()
        head.addWidget(label("Ready-made sizes", "heading"))
        head.addStretch(1)
        head.addWidget(
            button("+ As it is now", "link", self._add_preset, "Add the values as they are now")
        )
        self.addLayout(head)
        self._presets = QVBoxLayout()
        self._presets.setSpacing(8)
        self.addLayout(self._presets)

    def show_design(self, design: Design) -> None:
        """Have what a design says."""
        for update in self._updates:
            update(design)
        if design.publish.presets != self._presets_shown:
            self._presets_shown = design.publish.presets
            self._show_presets(design.publish.presets)

    def say(self, field: str, text: str) -> None:
        """Let the edition say something."""

        def edit(design: Design) -> Design:
            return design.model_copy(update={"publish": design.publish.with_(**{field: text})})

        if getattr(self.session.design.publish, field) != text:
            self.session.edit(edit, f"{say_name(field)} of the edition")

    # Fields

    def _line(self, field: str, words: str) -> None:
        line = KeptLine()
        line.setAccessibleName(words)
        line.editingFinished.connect(lambda: self.say(field, line.text()))

        def update(design: Design) -> None:
            line.hold(getattr(design.publish, field))
            line.setPlaceholderText(design.name if field == "title" else "")

        self._add_field(words, line, update)

    def _text(self, field: str, words: str) -> None:
        text = LeftText()
        text.setAccessibleName(words)
        text.setFixedHeight(74)
        text.setTabChangesFocus(True)
        text.finished.connect(lambda told: self.say(field, told))
        self._add_field(words, text, lambda design: text.hold(getattr(design.publish, field)))

    def _licence(self) -> None:
        licence = QComboBox()
        licence.setEditable(True)
        licence.addItems(list(LICENCES))
        line = licence.lineEdit()
        licence.setAccessibleName("licence")
        licence.textActivated.connect(lambda told: self.say("licence", told))
        line.editingFinished.connect(lambda: self.say("licence", licence.currentText()))

        stood = ""

        def update(design: Design) -> None:
            nonlocal stood
            if not line.hasFocus() or licence.currentText() == stood:  # nothing is being typed
                licence.setCurrentText(design.publish.licence)
            stood = design.publish.licence

        self._add_field("licence", licence, update)

    def _add_field(self, words: str, widget: QWidget, update: Callable[[Design], None]) -> None:
        self.addWidget(label(words, "small"))
        self.addWidget(widget)
        self._updates.append(update)

    # Ready-made sizes

    def _show_presets(self, presets: tuple[Preset, ...]) -> None:
        clear(self._presets)
        for preset in presets:
            self._presets.addWidget(self._preset_card(preset))
        if not presets:
            none = "None yet: the edition will hold the design as it is now."
            self._presets.addWidget(label(none, "quiet", wrap=True))

    def _preset_card(self, preset: Preset) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        layout = QHBoxLayout(card)
        layout.setContentsMargins(12, 6, 8, 6)
        name = KeptLine(preset.name)
        name.setAccessibleName(f"name of the ready-made size {preset.name}")
        name.setFixedWidth(130)
        name.editingFinished.connect(lambda: self._rename(preset, name.text().strip()))
        layout.addWidget(name)
        told = ", ".join(f"{size} {formula}" for size, formula in preset.sizes.items())
        layout.addWidget(label(told or "as designed", "quiet", wrap=True), 1)
        layout.addWidget(
            button(
                "Remove",
                "plain",
                lambda: self._edit(
                    lambda all_: tuple(p for p in all_ if p != preset), f"remove {preset.name}"
                ),
                f"Remove {preset.name}",
            )
        )
        return card

    def _edit(self, change: Callable[[tuple[Preset, ...]], tuple[Preset, ...]], did: str) -> None:
        def edit(design: Design) -> Design:
            publish = design.publish.model_copy(update={"presets": change(design.publish.presets)})
            return design.model_copy(update={"publish": publish})

        self.session.edit(edit, did)

    def _rename(self, preset: Preset, name: str) -> None:
        if name and name != preset.name:
            self._edit(
                lambda all_: tuple(
                    p.model_copy(update={"name": name}) if p == preset else p for p in all_
                ),
                f"rename {preset.name}",
            )

    def _add_preset(self) -> None:
        design = self.session.design
        sizes = {
            item.size: design.formula_of(size)
            for item in design.publish.adjust
            if (size := design.size(item.size)) is not None
        }
        taken = {preset.name for preset in design.publish.presets}
        first = len(taken) + 1
        name = next(f"Size {k}" for k in range(first, _NAMES) if f"Size {k}" not in taken)
        self._edit(lambda all_: (*all_, Preset(name=name, sizes=sizes)), "new ready-made size")
