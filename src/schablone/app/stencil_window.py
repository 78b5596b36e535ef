"""The shelf of stencils: pictures to choose from, what each is and asks for, and what is done with
it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ..core.design.stencil_edit import differences, forget_stencil, swap_stencil
from ..core.design.stencil_picture import changed_in
from ..core.design.text import plain_sentence, title_of
from ..core.problem import SchabloneError
from ..core.reuse import SUFFIX, Stencil, write_stencil
from ..core.words import say_name
from .reading import read_file
from .saving import ask_path, may_take_the_place, write_and_say
from .session import Session
from .stencil_picture import StencilPicture, StencilPictures, change_in, small_picture
from .widgets.basics import ScrollColumn, button, clear, label, on_hover, restyle, scrolled

_SMALL = QSize(104, 66)
_IN_DESIGN, _ON_SHELF, _FROM_FILE = "IN THE DESIGN", "ON THE SHELF", "FROM A FILE"


class StencilWindow(QWidget):
    """``put_wanted`` is emitted with the stencil that is to follow the pointer."""

    put_wanted = Signal(object)

    def __init__(
        self, session: Session, pictures: StencilPictures, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Stencils")
        self.resize(1040, 720)
        self.session, self.pictures = session, pictures
        self.opened: list[Stencil] = []
        self.stencil: Stencil | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(20)
        layout.addLayout(self._left())
        layout.addWidget(self._right(), 1)
        session.changed.connect(self._follow)
        self._list_all()
        self._choose_first()
        self.finder.setFocus()

    # The list

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.addWidget(label("Stencils", "page_title"))
        self.finder = QLineEdit()
        self.finder.setPlaceholderText("grip, hinge, vent …")
        self.finder.setAccessibleName("words to look for stencils by")
        self.finder.setClearButtonEnabled(True)
        self.finder.textChanged.connect(lambda _: (self._list_all(), self._choose_first()))
        column.addWidget(self.finder)
        self.list = QListWidget()
        self.list.setIconSize(_SMALL)
        self.list.setFixedWidth(318)
        self.list.setSpacing(2)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("stencils of the design and of the shelf")
        self.list.currentItemChanged.connect(self._choose)
        self.list.itemDoubleClicked.connect(lambda _: self.put())
        column.addWidget(self.list, 1)
        column.addWidget(button("From a file …", "plain", self._open_dialog, "A .stencil file"))
        return column

    def _all(self) -> list[tuple[str, Stencil]]:
        stencils = [(_FROM_FILE, one) for one in self.opened]
        stencils += [(_IN_DESIGN, one) for one in self.session.design.stencils]
        library = self.session.library
        shelf = sorted(library.stencils(), key=lambda one: -library.times_used(one.name))
        return stencils + [(_ON_SHELF, one) for one in shelf]

    def _list_all(self) -> None:
        now = self._key()
        self.list.blockSignals(True)
        self.list.clear()
        words = self.finder.text().casefold().split()
        heading = ""
        shown = []
        for group, stencil in self._all():
            if not all(word in _searched(stencil) for word in words):
                continue
            if group != heading:
                heading = group
                head = QListWidgetItem(group)
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(head)
            item = QListWidgetItem(f"{stencil.said}\n{self._said_use(group, stencil)}")
            item.setData(Qt.ItemDataRole.UserRole, (group, stencil.name))
            item.setIcon(self._icon(stencil))
            on_hover(item, stencil.note)
            self.list.addItem(item)
            shown.append(stencil)
            if (group, stencil.name) == now:
                self.list.setCurrentItem(item)
        if not shown:
            none = QListWidgetItem("None of that name. Try another word.")
            none.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(none)
        self.list.blockSignals(False)
        self.pictures.ask(shown, self._show_pictures)

    def _follow(self) -> None:
        """What is shown of the design, and of the shelf, is as it is there by now; where it is gone
        the first is shown. One that somebody only looks for stays."""
        at, kept = self._key(), {(group, one.name): one for group, one in self._all()}
        self._list_all()
        if at is not None and at not in kept:
            self._choose_first()
        elif at is not None and kept[at] != self.stencil:
            self.show_stencil(kept[at])

    def _said_use(self, group: str, stencil: Stencil) -> str:
        if group == _IN_DESIGN:
            count = sum(s.puts_in() == stencil.name for s in self.session.design.steps)
            return f"put in {_times(count)}" if count else "not put in"
        count = self.session.library.times_used(stencil.name)
        return f"used {_times(count)}" if count else (stencil.sort or "not used yet")

    def _icon(self, stencil: Stencil) -> QIcon:
        report = self.pictures.known(stencil)
        return QIcon(small_picture(report, _SMALL, self.devicePixelRatioF()))

    def _show_pictures(self) -> None:
        """Pictures that have come meanwhile."""
        try:
            count = self.list.count()
        except RuntimeError:
            return  # the window was closed meanwhile
        known = {(group, one.name): one for group, one in self._all()}
        for row in range(count):
            item = self.list.item(row)
            stencil = known.get(item.data(Qt.ItemDataRole.UserRole))
            if stencil is not None and self.pictures.known(stencil) is not None:
                item.setIcon(self._icon(stencil))
        if self.stencil is not None:
            self._show_picture()

    def _key(self) -> tuple[str, str] | None:
        item = self.list.currentItem()
        key = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        return key if isinstance(key, tuple) else None

    def _choose_first(self) -> None:
        if self._key() is not None:
            return
        for row in range(self.list.count()):
            if self.list.item(row).data(Qt.ItemDataRole.UserRole):
                self.list.setCurrentRow(row)
                return

    def _choose_in_design(self, name: str) -> None:
        self.finder.clear()  # it may be called otherwise than what was looked for
        for row in range(self.list.count()):
            if self.list.item(row).data(Qt.ItemDataRole.UserRole) == (_IN_DESIGN, name):
                self.list.setCurrentRow(row)
                self._choose()  # its row may have been the current one

    def _choose(self, *_: object) -> None:
        key = self._key()
        chosen = next((one for group, one in self._all() if (group, one.name) == key), None)
        if chosen is not None:
            self.show_stencil(chosen)

    # The chosen one

    def _right(self) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.title = label("", "page_title")
        self.about = label("", "small", wrap=True)
        self.note = label("", "", wrap=True)
        self.picture = StencilPicture()
        self.sizes = QTableWidget(0, 4)
        self.sizes.setHorizontalHeaderLabels(["asks for", "at first", "from – to", "what it is"])
        self.sizes.verticalHeader().hide()
        self.sizes.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.sizes.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.sizes.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.sizes.setTabKeyNavigation(False)
        self.sizes.setAccessibleName("what the stencil asks for")
        self.sizes.itemSelectionChanged.connect(self._show_picture)
        self.hint = label("Choose a size to see in the picture what it changes.", "small")
        head = self.sizes.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setStretchLastSection(True)
        inner = ScrollColumn()
        inner.setObjectName("page")
        page = QVBoxLayout(inner)
        page.setContentsMargins(0, 0, 8, 0)
        page.setSpacing(10)
        self.told = QVBoxLayout()
        self.told.setSpacing(4)
        scroll = scrolled(inner)
        self.said = label("", "small", wrap=True)
        for one in (self.title, self.about):
            column.addWidget(one)
        for part in (self.note, self.picture, self.hint, self.sizes):
            page.addWidget(part)
        page.addLayout(self.told)
        page.addStretch(1)
        column.addWidget(scroll, 1)
        column.addWidget(self.said)
        row = QHBoxLayout()
        row.addStretch(1)
        self.away = button("Take away", "plain", self.take_away, "Off the shelf, or the design")
        self.swap = button("Change for …", "plain", self._swap_menu, "Another one instead of it")
        self.save = button("Save as a file …", "plain", self._save_dialog, "A .stencil file")
        self.keep = button("Keep on the shelf", "plain", self.keep_on_shelf, "For other designs")
        self.place = button("Put it in", "primary", self.put, "It follows the pointer then")
        for does in (self.away, self.swap, self.save, self.keep, self.place):
            row.addWidget(does)
        column.addLayout(row)
        return whole

    def show_stencil(self, stencil: Stencil) -> None:
        """Show what a stencil is and asks for."""
        self.stencil = stencil
        self.title.setText(stencil.said)
        by = f" by {stencil.author}" if stencil.author else ""
        self.about.setText(f"{stencil.sort or 'stencil'} · edition {stencil.edition}{by} · "
                           f"{stencil.licence}")  # fmt: skip
        self.note.setText(stencil.note)
        self.note.setVisible(bool(stencil.note))
        rows = [
            (say_name(size.name), size.formula, _range(size.low, size.high), size.note)
            for size in stencil.open_sizes
        ]
        rows += [(say_name(one.name), "a face to pick", "", one.note) for one in stencil.faces]
        rows += [(say_name(one.name), "a part to choose", "", one.note) for one in stencil.parts]
        self.sizes.blockSignals(True)
        self.sizes.clearSelection()
        self.sizes.setCurrentCell(-1, -1)
        self.sizes.setRowCount(len(rows))
        for k, cells in enumerate(rows):
            for column, text in enumerate(cells):
                self.sizes.setItem(k, column, QTableWidgetItem(text))
        self.sizes.blockSignals(False)
        self.hint.setVisible(bool(stencil.open_sizes))
        self.sizes.resizeRowsToContents()
        high = sum(self.sizes.rowHeight(k) for k in range(len(rows)))
        self.sizes.setFixedHeight(self.sizes.horizontalHeader().sizeHint().height() + high + 4)
        clear(self.told)
        self.told.addWidget(label("WHAT IT DOES", "group"))
        for line in _deeds(stencil):
            self.told.addWidget(label(line, "small", wrap=True))
        if stencil.checks:
            self.told.addWidget(label("WHAT MUST HOLD", "group"))
        for check in stencil.checks:
            self.told.addWidget(label(f"{check.name}: {check.formula}", "small", wrap=True))
        self._say("", wrong=False)
        self._show_picture()
        key = self._key()
        group = key[0] if key is not None else ""
        own = self.session.library.is_own_stencil(stencil.name)
        self.swap.setVisible(group == _IN_DESIGN)
        self.keep.setVisible(group != _ON_SHELF)
        self.away.setVisible(group == _IN_DESIGN or (group == _ON_SHELF and own))

    def _show_picture(self) -> None:
        """The picture, and what changes in it with the size that is chosen."""
        stencil = self.stencil
        report = self.pictures.known(stencil) if stencil is not None else None
        if stencil is None or report is None:
            self.picture.show_report(report)
            return
        if report["trouble"]:
            self._say(f"On a board of its own: {report['trouble']}", wrong=False)
        rows = [index.row() for index in self.sizes.selectionModel().selectedRows()]
        if not rows or rows[0] >= len(stencil.open_sizes):
            self.picture.show_report(report)
            return
        size = stencil.open_sizes[rows[0]]
        for other in changed_in(stencil, size.name):
            changed = self.pictures.known(other)
            if changed is None:
                self.picture.show_report(report)
                self.pictures.ask([other], self._show_pictures)
                return
            said = change_in(report, changed, say_name(size.name))
            if not changed["trouble"] and said:
                self.picture.show_report(report, changed, said)
                return
        self.picture.show_report(report, None, f"{say_name(size.name)}: not seen from above")

    def _say(self, text: str, *, wrong: bool) -> None:
        restyle(self.said, wrong=wrong)
        self.said.setText(text)

    # What is done with it

    def put(self) -> None:
        """Let it follow the pointer over the part."""
        if self.stencil is not None:
            self.put_wanted.emit(self.stencil)
            self.close()

    def keep_on_shelf(self) -> None:
        if self.stencil is None:
            return
        own = self.session.library.own_stencils.items.get(self.stencil.name)
        if not may_take_the_place(self, own, self.stencil, self.stencil.said):
            return
        try:
            self.session.library.keep_stencil(self.stencil)
        except SchabloneError as error:
            self._say(str(error), wrong=True)
            return
        self._list_all()
        self._say(f"{self.stencil.said} is on the shelf now.", wrong=False)

    def take_away(self) -> None:
        """Off the shelf, or out of the design where no step puts it in."""
        stencil, key = self.stencil, self._key()
        if stencil is None or key is None:
            return
        if key[0] == _ON_SHELF:
            try:
                self.session.library.forget_stencil(stencil.name)
            except SchabloneError as error:
                self._say(str(error), wrong=True)
                return
            self._list_all()
            self._choose_first()
            return
        try:
            rest = forget_stencil(self.session.design, stencil.name)
        except SchabloneError as error:
            self._say(str(error), wrong=True)
            return
        self.session.edit(lambda _: rest, f"{stencil.said} out of the design")
        self._choose_first()

    def _swap_menu(self) -> None:
        menu = QMenu(self)
        for group, other in self._all():
            if group != _IN_DESIGN:
                said = f"{other.said}, edition {other.edition}"
                menu.addAction(said, lambda other=other: self.swap_for(other))
        menu.popup(self.swap.mapToGlobal(self.swap.rect().topLeft()))

    def swap_for(self, other: Stencil) -> None:
        """Change it for another wherever it is put in; say what changes."""
        old = self.stencil
        if old is None:
            return
        if not differences(old, other):
            self._say("Both are the same.", wrong=False)
            return
        before = {one.name for one in self.session.design.stencils} - {old.name}
        swapped, told = swap_stencil(self.session.design, old.name, other)
        self.session.edit(lambda _: swapped, f"{other.said} instead of {old.said}")
        fresh = (one.name for one in swapped.stencils if one.name not in before)
        self._choose_in_design(next(fresh, other.name))
        self._say(" ".join(told), wrong=False)

    def _open_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "A stencil from a file", "", f"Stencils (*{SUFFIX})"
        )
        if path:
            self.open_file(Path(path))

    def open_file(self, path: Path) -> None:
        """Show the stencil of a file; it is kept where it is put in or on the shelf."""
        try:
            stencil: Stencil = read_file(self, "stencil", path)
        except SchabloneError as error:
            self._say(str(error), wrong=True)
            return
        self.opened = [stencil, *(one for one in self.opened if one.name != stencil.name)]
        self.finder.clear()
        self._list_all()
        self.list.setCurrentRow(1)
        self.show_stencil(stencil)

    def _save_dialog(self) -> None:
        stencil = self.stencil
        if stencil is not None and (path := ask_path(self, "stencil", stencil.name, SUFFIX)):
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write it to a file of its own."""
        if self.stencil is not None:
            write_and_say(path, "stencil", write_stencil(self.stencil), self._say)


def _times(count: int) -> str:
    return {1: "once", 2: "twice"}.get(count, f"{count} times")


def _searched(stencil: Stencil) -> str:
    """The text that a stencil is looked for in."""
    return " ".join((stencil.said, stencil.name, stencil.sort, stencil.also)).casefold()


def _range(low: str, high: str) -> str:
    if low and high:
        return f"{low} – {high}"
    return f"from {low}" if low else f"to {high}" if high else ""


def _deeds(stencil: Stencil) -> list[str]:
    """Its steps in plain words."""
    deeds = []
    for step in stencil.steps:
        deeds.append(f"{title_of(step.name)}: {plain_sentence(step)}")
    return deeds
