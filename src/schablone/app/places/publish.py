"""Publish: which sizes others may adjust, what the edition says, and writing it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from ...core.design import Adjustable, Design, Preset, Size
from ...core.publish.edition import problems_before_publishing
from ...core.publish.licences import LICENCES
from ...core.quantity import Quantity, say
from ...core.words import capital, say_name
from ..gallery_place import reports_in
from ..session import Session
from ..widgets.basics import button, clear, label, on_hover, rule, scrolled
from ..widgets.left_text import LeftText
from ..widgets.lines import KeptLine
from ..widgets.pages import Pages
from .editions_card import EditionsCard
from .heard_page import HeardPage
from .writing_line import WritingLine


class PublishPlace(QWidget):
    """What an edition offers and says. ``write_wanted`` asks for the edition to be written."""

    write_wanted = Signal()
    gallery_wanted = Signal()
    sheet_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self._shown: tuple[object, ...] | None = None
        self._is_writing = False
        #: The window of the practice gallery, as long as it is open.
        self.gallery: QWidget | None = None
        whole = QVBoxLayout(self)
        whole.setContentsMargins(28, 20, 28, 18)
        whole.setSpacing(12)
        page = QWidget()
        page.setObjectName("page")
        self.heard = HeardPage(session, reports_in(session.library.reports))
        self.pages = Pages({"The edition": page, "What came back": self.heard})
        whole.addWidget(self.pages.switch)
        whole.addWidget(self.pages, 1)
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        head = QHBoxLayout()
        head.addWidget(label("Publish", "page_title"))
        head.addStretch(1)
        head.addWidget(
            button("Drawing sheet …", "link", self.sheet_wanted.emit, "All parts with their sizes")
        )
        head.addWidget(
            button(
                "Practice gallery …",
                "link",
                self.gallery_wanted.emit,
                "Look at the practice gallery",
            )
        )
        self.write = button(
            "Write the edition …", "primary", self.write_wanted.emit, "Write the edition to a file"
        )
        head.addWidget(self.write)
        layout.addLayout(head)
        layout.addWidget(
            label(
                "An edition is one file: the adjustable design, ready-made files for the usual "
                "sizes, a picture, and what people "
                "must know. Whoever opens it chooses their own machine and gets the same fit.",
                "quiet",
                wrap=True,
            )
        )
        self.writing = WritingLine()
        layout.addWidget(self.writing)
        self.trouble = label("", "wrong", wrap=True)
        self.trouble.hide()
        layout.addWidget(self.trouble)
        columns = QHBoxLayout()
        columns.setSpacing(22)
        layout.addLayout(columns, 1)
        self._left, right = self._column(columns, 3), self._column(columns, 2)
        self._right = QVBoxLayout()
        self._right.setSpacing(8)
        right.addLayout(self._right)
        right.addSpacing(6)
        self.editions = EditionsCard(session, self._say)
        self.editions.numbered.connect(lambda n: self.write.setText(f"Write edition {n} …"))
        right.addWidget(self.editions)
        right.addStretch(1)
        session.changed.connect(self.refresh)

    def _column(self, columns: QHBoxLayout, stretch: int) -> QVBoxLayout:
        inner = QWidget()
        inner.setObjectName("page")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        scroll = scrolled(inner)
        columns.addWidget(scroll, stretch)
        return column

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()

    def show_writing(self, on: bool) -> None:
        """An edition is being written, or no longer."""
        self._is_writing = on
        self.write.setEnabled(False)
        if on:
            self.writing.begin()
        else:
            self.writing.hide()
            self.refresh()

    def refresh(self) -> None:
        if not self.isVisible():
            return
        design = self.session.design
        wrong = problems_before_publishing(design)
        self.trouble.setText("\n".join(problem.text for problem in wrong))
        self.trouble.setVisible(bool(wrong))
        self.write.setEnabled(not wrong and not self._is_writing)
        names = tuple((size.name, size.note) for size in design.sizes)
        shown = (names, tuple(item.size for item in design.publish.adjust), design.publish.presets)
        if shown != self._shown:
            self._shown = shown
            self._lay_out_left(design)
            self._lay_out_right(design)
        self.editions.refresh()

    # What may be adjusted

    def _lay_out_left(self, design: Design) -> None:
        clear(self._left)
        self._left.addWidget(label("What others may adjust", "heading"))
        open_sizes = {item.size: item for item in design.publish.adjust}
        for size in design.sizes:
            if size.name in open_sizes:
                self._left.addWidget(self._open_card(size, open_sizes[size.name]))
        self._left.addSpacing(4)
        self._left.addWidget(label("KEPT AS YOU SET THEM", "group"))
        self._left.addWidget(rule())
        for size in design.sizes:
            if size.name not in open_sizes:
                box = QCheckBox(f"{size.name}    {self._value(size)}")
                on_hover(box, size.note)
                box.clicked.connect(lambda _=False, name=size.name: self._allow(name))
                self._left.addWidget(box)
        self._left.addStretch(1)

    def _value(self, size: Size) -> str:
        cell = self.session.table.cells.get(size.name)
        return self.session.say(cell.wanted, size) if cell else "no value"

    def _open_card(self, size: Size, item: Adjustable) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        grid = QGridLayout(card)
        grid.setContentsMargins(12, 8, 12, 10)
        grid.setVerticalSpacing(6)
        grid.setColumnMinimumWidth(0, 96)  # so that the fields of all cards stand in one line
        box = QCheckBox(size.name)
        box.setChecked(True)
        box.clicked.connect(lambda: self._forbid(size.name))
        grid.addWidget(box, 0, 0)
        cell = self.session.table.cells.get(size.name)
        ends = [
            say(Quantity(end, cell.wanted.kind)) if cell and end is not None else "?"
            for end in ((cell.low, cell.high) if cell else ())
        ]
        grid.addWidget(
            label(
                f"{self._value(size)},  from {' to '.join(ends)}" if ends else self._value(size),
                "quiet",
            ),
            0,
            1,
            1,
            3,
        )
        fields = (
            ("label", "called", item.label, 1, 1),
            ("help", "help", item.help, 2, 1),
            ("low", "from", item.low, 3, 1),
            ("high", "to", item.high, 3, 3),
        )
        for field, words, text, row, column in fields:
            grid.addWidget(label(words, "small"), row, column - 1, Qt.AlignmentFlag.AlignRight)
            line = KeptLine(text)
            line.setAccessibleName(f"{words}: {size.name}")
            if field in ("low", "high"):
                line.setPlaceholderText(getattr(size, field) or "no limit yet")
            line.editingFinished.connect(
                lambda field=field, line=line: self._change_item(size.name, field, line.text())
            )
            grid.addWidget(line, row, column, 1, 1 if field in ("low", "high") else 3)
        return card

    def _adjust(
        self, change: Callable[[tuple[Adjustable, ...]], tuple[Adjustable, ...]], did: str
    ) -> None:
        def edit(design: Design) -> Design:
            publish = design.publish.model_copy(update={"adjust": change(design.publish.adjust)})
            return design.model_copy(update={"publish": publish})

        self.session.edit(edit, did)

    def _allow(self, name: str) -> None:
        size = self.session.design.size(name)
        words = say_name(name)
        item = Adjustable(size=name, label=capital(words), help=size.note if size else "")
        self._adjust(lambda items: (*items, item), f"let others adjust {name}")

    def _forbid(self, name: str) -> None:
        self._adjust(
            lambda items: tuple(item for item in items if item.size != name),
            f"keep {name} as it is",
        )

    def _change_item(self, name: str, field: str, text: str) -> None:
        self._adjust(
            lambda items: tuple(
                item.model_copy(update={field: text}) if item.size == name else item
                for item in items
            ),
            f"{field} of {name} in the edition",
        )

    # What the edition says

    def _lay_out_right(self, design: Design) -> None:
        clear(self._right)
        publish = design.publish
        self._right.addWidget(label("What it says", "heading"))
        for field, words in (("title", "title"), ("author", "by")):
            line = KeptLine(getattr(publish, field))
            line.setAccessibleName(words)
            line.setPlaceholderText(design.name if field == "title" else "")
            line.editingFinished.connect(
                lambda field=field, line=line: self._say(field, line.text())
            )
            self._add_field(words, line)
        for field, words in (
            ("summary", "what it is for"),
            ("measure_first", "what to measure first"),
        ):
            text = LeftText(getattr(publish, field))
            text.setAccessibleName(words)
            text.setFixedHeight(74)
            text.setTabChangesFocus(True)
            text.finished.connect(lambda told, field=field: self._say(field, told))
            self._add_field(words, text)
        licence = QComboBox()
        licence.setEditable(True)
        licence.addItems(list(LICENCES))
        licence.setCurrentText(publish.licence)
        licence.setAccessibleName("licence")
        licence.textActivated.connect(lambda told: self._say("licence", told))
        licence.lineEdit().editingFinished.connect(
            lambda: self._say("licence", licence.currentText())
        )
        self._add_field("licence", licence)
        self._right.addSpacing(6)
        head = QHBoxLayout()
        head.addWidget(label("Ready-made sizes", "heading"))
        head.addStretch(1)
        head.addWidget(
            button("+ As it is now", "link", self._add_preset, "Add the values as they are now")
        )
        self._right.addLayout(head)
        for preset in publish.presets:
            self._right.addWidget(self._preset_card(preset))
        if not publish.presets:
            self._right.addWidget(
                label(
                    "None yet: the edition will hold the design as it is now.", "quiet", wrap=True
                )
            )

    def _add_field(self, words: str, widget: QWidget) -> None:
        self._right.addWidget(label(words, "small"))
        self._right.addWidget(widget)

    def _say(self, field: str, text: str) -> None:
        def edit(design: Design) -> Design:
            return design.model_copy(update={"publish": design.publish.with_(**{field: text})})

        if getattr(self.session.design.publish, field) != text:
            self.session.edit(edit, f"{say_name(field)} of the edition")

    def _preset_card(self, preset: Preset) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        layout = QHBoxLayout(card)
        layout.setContentsMargins(12, 6, 8, 6)
        name = KeptLine(preset.name)
        name.setAccessibleName(f"name of the ready-made size {preset.name}")
        name.setFixedWidth(130)
        name.editingFinished.connect(lambda: self._rename_preset(preset, name.text().strip()))
        layout.addWidget(name)
        layout.addWidget(
            label(
                ", ".join(f"{size} {formula}" for size, formula in preset.sizes.items())
                or "as designed",
                "quiet",
                wrap=True,
            ),
            1,
        )
        layout.addWidget(
            button(
                "Remove",
                "plain",
                lambda: self._presets(
                    lambda all_: tuple(p for p in all_ if p != preset), f"remove {preset.name}"
                ),
                f"Remove {preset.name}",
            )
        )
        return card

    def _presets(
        self, change: Callable[[tuple[Preset, ...]], tuple[Preset, ...]], did: str
    ) -> None:
        def edit(design: Design) -> Design:
            publish = design.publish.model_copy(update={"presets": change(design.publish.presets)})
            return design.model_copy(update={"publish": publish})

        self.session.edit(edit, did)

    def _rename_preset(self, preset: Preset, name: str) -> None:
        if name and name != preset.name:
            self._presets(
                lambda all_: tuple(
                    p.model_copy(update={"name": name}) if p == preset else p for p in all_
                ),
                f"rename {preset.name}",
            )

    def _add_preset(self) -> None:
        design = self.session.design
        sizes = {}
        for item in design.publish.adjust:
            size = design.size(item.size)
            if size is not None:
                sizes[item.size] = size.formula
        number = len(design.publish.presets) + 1
        self._presets(
            lambda all_: (*all_, Preset(name=f"Size {number}", sizes=sizes)), "new ready-made size"
        )
