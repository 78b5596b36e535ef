"""Off-cuts beside a layout: which there are, whether they are used, and that sheets were cut."""

from __future__ import annotations

import datetime

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QToolButton, QWidget

from ..core.formula.typed import typed_length
from ..core.problem import SchabloneError
from ..core.process.off_cuts import OffCut
from ..worker import talk
from .session import Session
from .widgets.basics import button, label


class OffCutBar(QWidget):
    """``changed`` says that parts have to be laid again; ``told`` what became of a wish."""

    changed = Signal()
    told = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.stock: talk.LaidStock | None = None
        self._cut_already: talk.LaidStock | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        self.use = button("Use off-cuts", "plain", self._turned, "Fill them before a new sheet")
        self.use.setCheckable(True)
        row.addWidget(self.use)
        self.which = QToolButton()
        self.which.setAccessibleName("off-cuts of this stock")
        self.which.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self.which)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.which.setMenu(self.menu)
        row.addWidget(self.which)
        row.addStretch(1)
        self.rest = label("", "quiet")
        row.addWidget(self.rest)
        self.made = button(
            "They are cut", "plain", self.note_cut,
            "Remembers what is left, and forgets the off-cut that was used",
        )  # fmt: skip
        row.addWidget(self.made)

    def _known(self) -> list[OffCut]:
        return list(self.session.library.off_cuts())

    def _mine(self) -> list[OffCut]:
        of = self.stock["of"] if self.stock is not None else ""
        return [one for one in self._known() if one.stock == of]

    def sizes(self) -> dict[str, list[tuple[float, float]]]:
        """The off-cuts that are to be used, by their stock; none as long as none are."""
        if not self.use.isChecked():
            return {}
        sizes: dict[str, list[tuple[float, float]]] = {}
        for one in self._known():
            sizes.setdefault(one.stock, []).append((one.length, one.width))
        return sizes

    def show_stock(self, stock: talk.LaidStock | None) -> None:
        """The stock that is looked at now; what is printed leaves nothing over."""
        self.stock = stock
        self.setVisible(stock is not None and stock["flat"])
        if stock is None:
            return
        count = len(self._mine())
        self.which.setText(f"{count} off-cut{'s' if count != 1 else ''} …")
        rest = stock["rest"]
        self.rest.setText(f"{rest[0]:.4g} × {rest[1]:.4g} mm are left" if rest else "")
        # Cut and remembered once; laid anew, it can be cut again.
        self.made.setEnabled(not stock["trouble"] and stock is not self._cut_already)

    def _turned(self) -> None:
        self.changed.emit()

    def _fill_menu(self) -> None:
        self.menu.clear()
        for one in self._mine():
            since = f", since {one.date}" if one.date else ""
            self.menu.addAction(f"Forget {one.words}{since}", lambda one=one: self._forget(one))
        if self.menu.actions():
            self.menu.addSeparator()
        self.menu.addAction("Add one …", self._ask)

    def _ask(self) -> None:
        text, good = QInputDialog.getText(
            self, "An off-cut", "Its length and width in mm, such as 400 x 180"
        )
        if good:
            self.add(text)

    def add(self, text: str) -> None:
        """Remember an off-cut of a size as it is typed, such as ``400 x 180``."""
        if self.stock is None:
            return
        sides = [typed_length(part) for part in text.lower().replace("×", "x").split("x")]
        try:
            length, width = (side for side in sides if side is not None)
            one = self._cut(length, width)
        except ValueError:
            self.told.emit(f"“{text}” is no size: type two lengths such as 400 x 180.")
            return
        self._keep([*self._known(), one], f"{one.words} are remembered.")

    def _cut(self, length: float, width: float) -> OffCut:
        assert self.stock is not None
        return OffCut(
            stock=self.stock["of"], length=max(length, width), width=min(length, width),
            date=datetime.date.today().isoformat(),
        )  # fmt: skip

    def _forget(self, one: OffCut) -> None:
        known = self._known()
        if one in known:  # another window may have forgotten it
            known.remove(one)
        self._keep(known, f"{one.words} are forgotten.")

    def note_cut(self) -> None:
        """The sheets of this stock are cut: what is left is remembered, what was used forgotten."""
        if self.stock is None:
            return
        known, said = self._known(), []
        used = self.stock["off_cut"]
        if used is not None:
            gone = next(
                (
                    one
                    for one in known
                    if one.stock == self.stock["of"] and (one.length, one.width) == tuple(used)
                ),
                None,
            )
            if gone is not None:
                known.remove(gone)
                said.append(f"{gone.words} are used up")
        if (rest := self.stock["rest"]) is not None:
            known.append(self._cut(*rest))
            said.append(f"{known[-1].words} are left and remembered")
        words = "; ".join(said) or "Nothing is left that is worth keeping"
        # What was cut is not laid anew.
        self._keep(known, f"{words}.", anew=False)

    def _keep(self, off_cuts: list[OffCut], said: str, *, anew: bool = True) -> None:
        try:
            self.session.library.keep_off_cuts(off_cuts)
        except SchabloneError as error:
            self.told.emit(str(error))
            return
        if not anew:
            self._cut_already = self.stock
        self.show_stock(self.stock)
        if anew and self.use.isChecked():
            self.changed.emit()
        self.told.emit(said)
