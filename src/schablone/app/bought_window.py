"""Bought parts of the design and of the shelf, each described in a form."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from ..core.bought import BoughtError, BoughtPart, resolved, write_bought
from ..core.bought.model import FileOutline
from ..core.bought.store import SUFFIX
from ..core.design.bought_edit import (
    alike,
    change_bought,
    forget_bought,
    put_bought,
    swap_bought,
)
from ..core.problem import SchabloneError
from ..core.words import say_name, say_validation
from .bought_form import BoughtForm
from .reading import read_file
from .saving import ask_before_leaving, ask_path, may_take_the_place, write_and_say
from .session import Session
from .widgets.basics import button, label, on_hover, restyle, scrolled

#: The groups of the list. What is new lies nowhere until it is taken or kept.
_NEW, _IN_DESIGN, _ON_SHELF = "NOT KEPT YET", "IN THE DESIGN", "ON THE SHELF"
#: A part of the list: its group, and its name there.
_Key = tuple[str, str]


class BoughtWindow(QWidget):
    """What is wrong with a part is said at once; it goes into the design or onto the shelf only
    when it makes sense. What was typed and is in neither stays with its part until the window
    closes, and then that is asked."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Bought parts")
        self.resize(1140, 760)
        self.session = session
        #: What was typed and is neither in the design nor on the shelf, and what of it lies in a
        #: file at least.
        self._typed: dict[_Key, dict[str, Any]] = {}
        self._filed: dict[_Key, dict[str, Any]] = {}
        self._at: _Key | None = None
        self._shown: Mapping[str, Any] = {}
        self._count = 0
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(18)
        left = QVBoxLayout()
        left.addWidget(label("Bought parts", "page_title"))
        self.list = QListWidget()
        self.list.setFixedWidth(270)
        self.list.setAccessibleName("bought parts of the design and of the shelf")
        self.list.currentItemChanged.connect(self._choose)
        left.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(button("New", "plain", self.new, "A box with sizes of its own"))
        row.addWidget(button("From a file …", "plain", self._open_dialog, "STEP, or .bought"))
        left.addLayout(row)
        layout.addLayout(left)
        self.form = BoughtForm()
        self.form.edited.connect(self._edited)
        self.form.file_wanted.connect(self._open_dialog)
        layout.addLayout(self._right(), 1)
        session.changed.connect(self._design_changed)
        self._list_all()
        self.list.setCurrentRow(1 if self.list.count() > 1 else 0)

    def _right(self) -> QVBoxLayout:
        self.said = label("", "small", wrap=True)
        row = QHBoxLayout()
        row.addWidget(self.said, 1)
        self.away = button("Take away", "plain", self.take_away, "Off the shelf, or the design")
        self.swap = button("Change for …", "plain", self._swap_menu, "Another of its kind instead")
        self.save = button("Save as a file …", "plain", self._save_dialog, "A .bought file")
        self.keep = button("Keep on the shelf", "plain", self.keep_on_shelf, "For other designs")
        self.take = button("Into the design", "main", self.into_design, "Take it as it is here")
        for one in (self.away, self.swap, self.save, self.keep, self.take):
            row.addWidget(one)
        outer = QVBoxLayout()
        outer.addWidget(scrolled(self.form, sideways=True), 1)
        outer.addLayout(row)
        return outer

    # The list

    def _listed(self) -> list[tuple[_Key, str]]:
        """What is in the list, with what it is called."""
        new = [
            (key, str(data["title"] or data["name"]))
            for key, data in self._typed.items()
            if key[0] == _NEW
        ]
        inside = [((_IN_DESIGN, one.name), one.said) for one in self.session.design.bought]
        shelf = [((_ON_SHELF, one.name), one.said) for one in self.session.library.bought()]
        return [*new, *inside, *shelf]

    def _list_all(self) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        inside = {part.name for part in self.session.design.bought}
        heading = ""
        for key, said in self._listed():
            if key[0] != heading:
                heading = key[0]
                head = QListWidgetItem(heading)
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(head)
            item = QListWidgetItem(f"{said}, changed" if self._is_changed(key) else said)
            item.setData(Qt.ItemDataRole.UserRole, key)
            if heading == _ON_SHELF and key[1] in inside:
                on_hover(item, "Taken into the design already")
            self.list.addItem(item)
            if key == self._at:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)

    def _is_changed(self, key: _Key) -> bool:
        return key[0] != _NEW and key in self._typed

    def _part_at(self, key: _Key) -> BoughtPart | None:
        """The part that lies there, as it is kept."""
        parts = {_IN_DESIGN: self.session.design.bought, _ON_SHELF: self.session.library.bought()}
        return next((one for one in parts.get(key[0], ()) if one.name == key[1]), None)

    def _choose(self, item: QListWidgetItem | None, _: object = None) -> None:
        key = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if key:
            self._show(tuple(key))

    def _show(self, key: _Key) -> None:
        """Show what lies there, or what was typed of it."""
        part = self._part_at(key)
        kept = part.model_dump() if part is not None else None
        data = self._typed.get(key, kept)
        if data is None:
            return
        self._at = key
        self.form.show_data(data)
        # What is typed is told from what is kept by what the form makes of both.
        self._shown = self.form.described() if key not in self._typed else {}
        now = self.list.currentItem()
        if now is None or now.data(Qt.ItemDataRole.UserRole) != key:  # not while one is clicked
            self._list_all()
        self._check()

    def _design_changed(self) -> None:
        """What is shown of the design follows it, unless something was typed there."""
        at = self._at
        if at is not None and at[0] == _IN_DESIGN and at not in self._typed:
            if self._part_at(at) is not None:
                self._show(at)
            else:
                self._at = None
        self._list_all()
        self._choose_some()

    def _choose_some(self) -> None:
        """Show the first of the list where what was shown is gone."""
        if self._at is None and self.list.count() > 1:
            self.list.setCurrentRow(1)

    # What is typed

    def _edited(self) -> None:
        at = self._at
        if at is None:
            return
        described = self.form.described()
        before = at in self._typed, self._said_of(at)
        if described == self._shown and at[0] != _NEW:
            self._typed.pop(at, None)
        else:
            self._typed[at] = described
        if (at in self._typed, self._said_of(at)) != before:
            self._list_all()
        self._check()

    def _said_of(self, key: _Key) -> str:
        return next((said for one, said in self._listed() if one == key), "")

    def _check(self) -> BoughtPart | None:
        """The part that the form describes, and its picture; or why it makes no sense."""
        if self._at is None:
            return None
        try:
            part = BoughtPart.model_validate(self.form.described())
            resolved(part)
        except ValidationError as error:
            said = say_validation(error, "file", "", self.form.say_place)[0].what
        except BoughtError as error:
            said = f"{error.what} {error.hint}".strip()
        else:
            self._say("", wrong=False)
            self.form.picture.show_part(part)
            self._allow(True)
            return part
        self._say(said, wrong=True)
        self._allow(False)
        return None

    def _allow(self, good: bool) -> None:
        name = self.form.fields["name"].text().strip()
        group, listed = self._at or (_NEW, "")
        inside = any(one.name == name for one in self.session.design.bought)
        changes = inside or group == _IN_DESIGN
        self.take.setText("Change it in the design" if changes else "Into the design")
        for one in (self.take, self.keep, self.save):
            one.setEnabled(good)
        self.swap.setEnabled(good and inside)
        self.away.setEnabled(
            group != _ON_SHELF or self.session.library.is_own_bought(listed) or self._is_typed
        )
        self.away.setText("Take away" if not self._is_typed or group == _NEW else "As it was")

    @property
    def _is_typed(self) -> bool:
        return self._at in self._typed

    def _say(self, text: str, *, wrong: bool) -> None:
        restyle(self.said, wrong=wrong)
        self.said.setText(text)

    def closeEvent(self, event: QCloseEvent) -> None:
        left = [key for key, data in self._typed.items() if data != self._filed.get(key)]
        if left:
            names = ", ".join(f"“{self._said_of(key)}”" for key in left)
            text = f"What was typed of {names} is neither in the design nor on the shelf."
            if ask_before_leaving(self, text, may_save=False) != "leave":
                self._show(left[0])
                event.ignore()
                return
        super().closeEvent(event)

    # What is done with it

    def new(self) -> None:
        """A box to begin with."""
        self._begin(BoughtPart(name="thing", title="A thing"))
        self.form.begin()

    def _begin(self, part: BoughtPart) -> None:
        """Begin with a part that lies nowhere yet."""
        self._count += 1
        key = (_NEW, str(self._count))
        # As it is it need not be asked about: it lies in a file, or nobody has typed anything.
        self._typed[key] = self._filed[key] = part.model_dump()
        self._show(key)

    def _is_kept(self, now: _Key) -> None:
        """What was typed is kept: show it where it lies now."""
        if self._at is not None:
            self._typed.pop(self._at, None)
        self._show(now)
        self._list_all()

    def into_design(self) -> None:
        """Take the part into the design, or change it there, under another name as well."""
        part, at = self._check(), self._at
        if part is None or at is None:
            return
        design, missed = self.session.design, list[str]()
        before = {one.name for one in design.bought}
        if at[0] == _IN_DESIGN and at[1] != part.name:
            made, missed = swap_bought(design, at[1], part)
        elif part.name in before:
            made = change_bought(design, part)
        else:
            made, _ = put_bought(design, part)
        now = next((p.name for p in made.bought if p.name not in before), part.name)
        inside = at[0] == _IN_DESIGN or part.name in before
        self.session.edit(
            lambda _: made, f"{part.said} {'changed' if inside else 'into the design'}"
        )
        self._typed.pop((_IN_DESIGN, now), None)
        self._is_kept((_IN_DESIGN, now))
        self._say(" ".join(missed), wrong=bool(missed))

    def keep_on_shelf(self) -> None:
        part = self._check()
        if part is None:
            return
        own = self.session.library.own_bought.items.get(part.name)
        edited = self._at == (_ON_SHELF, part.name)
        if not edited and not may_take_the_place(self, own, part, own.said if own else ""):
            return
        try:
            self.session.library.keep_bought(part)
        except SchabloneError as error:
            self._say(str(error), wrong=True)
            return
        if self._at is not None and self._at[0] == _IN_DESIGN:
            self._list_all()  # in the design it is as it was, and what was typed there stays
        else:
            self._is_kept((_ON_SHELF, part.name))
        self._say(f"{part.said} is on the shelf now.", wrong=False)

    def take_away(self) -> None:
        """What was typed, if something was; else the part, off the shelf or out of the design."""
        at = self._at
        if at is None:
            return
        if self._is_typed:
            del self._typed[at]
            if at[0] != _NEW:
                self._show(at)
                self._list_all()
                return
        elif at[0] == _ON_SHELF:
            try:
                self.session.library.forget_bought(at[1])
            except SchabloneError as error:
                self._say(str(error), wrong=True)
                return
        else:
            try:
                rest = forget_bought(self.session.design, at[1])
            except SchabloneError as error:
                self._say(str(error), wrong=True)
                return
            self.session.edit(lambda _: rest, f"{say_name(at[1])} out of the design")
        self._at = at if self._part_at(at) is not None else None
        self._list_all()
        if self._at is not None:
            self._show(self._at)
        self._choose_some()

    def _swap_menu(self) -> None:
        part = self._check()
        menu = QMenu(self)
        others = alike(part, tuple(self.session.library.bought())) if part is not None else []
        for other in others:
            menu.addAction(other.said, lambda other=other: self.swap_for(other))
        if not others:
            menu.addAction("There is no other of its kind on the shelf.").setEnabled(False)
        menu.popup(self.swap.mapToGlobal(self.swap.rect().bottomLeft()))

    def swap_for(self, other: BoughtPart) -> None:
        """Change the part for another in all steps and formulas; say what no longer fits."""
        old = self.form.fields["name"].text().strip()
        before = {one.name for one in self.session.design.bought} - {old}
        swapped, missed = swap_bought(self.session.design, old, other)
        self.session.edit(lambda _: swapped, f"{other.said} instead of {say_name(old)}")
        if self._at is not None:
            self._typed.pop(self._at, None)
        self._show((_IN_DESIGN, next(p.name for p in swapped.bought if p.name not in before)))
        self._say(" ".join(missed) or f"{other.said} is in its place.", wrong=bool(missed))

    def _open_dialog(self) -> None:
        kinds = f"Bought parts and solids (*{SUFFIX} *.step *.stp)"
        path, _ = QFileDialog.getOpenFileName(self, "A bought part from a file", "", kinds)
        if path:
            self.open_file(Path(path))

    def open_file(self, path: Path) -> None:
        """Show the part of a file: a .bought file, or a STEP solid that is described further."""
        try:
            if path.suffix.lower() == SUFFIX:
                self._begin(read_file(self, "bought", path))
            else:
                self._begin(_of_solid(path, read_file(self, "solid", path)))
        except SchabloneError as error:
            self._say(str(error), wrong=True)
        except BoughtError as error:
            self._say(f"{error.what} {error.hint}", wrong=True)

    def _save_dialog(self) -> None:
        part = self._check()
        if part is not None and (path := ask_path(self, "bought part", part.name, SUFFIX)):
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write the part to a file of its own."""
        part = self._check()
        if part is None or self._at is None:
            return
        if write_and_say(path, "bought", write_bought(part), self._say) and self._is_typed:
            self._typed[self._at] = self._filed[self._at] = self.form.described()


def _of_solid(path: Path, data: str) -> BoughtPart:
    """A part with the solid of a file, as large as that is.

    Raises:
        BoughtError: where it is no sound solid.
    """
    name = "".join(c if c.isalnum() else "_" for c in path.stem).strip("_") or "solid"
    name = name if not name[0].isdigit() else f"part_{name}"
    outline = FileOutline(file=path.name, data=data)
    part = BoughtPart(name=name, title=path.stem, outline=outline)
    known = outline.model_copy(update={"size": resolved(part).box})
    return part.model_copy(update={"outline": known})
