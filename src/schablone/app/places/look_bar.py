"""The bar above the part: directions, section, parts to hide, and what can be asked of the chosen
size."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ...core.quantity import plain
from ..session import Session
from ..view3d.off_map import OffLegend
from ..view3d.view import PartView
from ..widgets.basics import Flow, button, label, on_hover

_STEPS = 1000


class Ask(QLabel):
    """A line that says what to do next, there only while there is something to say."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strong")
        self.setContentsMargins(6, 1, 6, 3)
        self.hide()

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setVisible(bool(text))


class LookBar(QWidget):
    """Looks at the part in other ways; nothing here changes the design."""

    follow_wanted = Signal()
    try_wanted = Signal()
    gauge_wanted = Signal()
    off_wanted = Signal()

    def __init__(self, session: Session, view: PartView) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.session, self.view = session, view
        column = QVBoxLayout(self)
        column.setContentsMargins(5, 5, 5, 5)
        column.setSpacing(2)
        self._line = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self._line.setSpacing(2)
        column.addLayout(self._line)
        self._ways = Flow(2, 2)
        self._line.addWidget(self._ways, 1)
        self.look = self._menu("Look", "Look at the part from a side (1, 2, 3, 4)")
        for number, name in enumerate(("top", "front", "side", "corner"), 1):
            self.look.menu().addAction(
                f"from the {name}  ({number})", lambda name=name: view.look(name)
            )
        self.look.menu().addAction("all of the part  (F)", view.fit)
        self._ways.put(self.look)
        self.section = self._menu("Section", "Cut the picture open, square to an axis")
        for axis, letter in enumerate("xyz"):
            self.section.menu().addAction(
                f"square to {letter}", lambda axis=axis: self.cut_open(axis)
            )
        self.section.menu().addAction("none", lambda: self.cut_open(None))
        self._ways.put(self.section)
        self.parts = self._menu("Parts", "Hide and show parts")
        self.parts.hide()
        self._ways.put(self.parts)
        self.gauge = button(
            "Measure", "plain", self.gauge_wanted.emit, "Measure between two spots (M)"
        )
        self.before = button(
            "Before",
            "plain",
            lambda: None,
            "Lay the part as it was before the last edit over it (B)",
        )
        self.off = button(
            "Off by",
            "plain",
            self.off_wanted.emit,
            "Colour faces by how far they will lie from where they are wanted",
        )
        self.blank = button(
            "Blank", "plain", lambda: None, "The flat piece that it is folded from (Shift+B)"
        )
        self.apart = button(
            "Apart", "plain", lambda: None, "Draw the parts apart, to see what lies within"
        )
        self.apart.toggled.connect(self._show_apart)
        for toggle in (self.blank, self.apart, self.gauge, self.before, self.off):
            toggle.setCheckable(True)
            self._ways.put(toggle)
        self.blank.setChecked(bool(session.library.settings.get("blank", True)))
        self.blank.hide()
        self.before.toggled.connect(view.show_before)
        self.off.hide()
        session.changed.connect(self._fit_to_lens)
        self._asks = QWidget()
        asks = QHBoxLayout(self._asks)
        asks.setContentsMargins(0, 0, 0, 0)
        asks.setSpacing(2)
        for words, signal, tip in (
            (
                "What follows",
                self.follow_wanted,
                "Light up what moves with the chosen size (Ctrl+L)",
            ),
            (
                "Try values",
                self.try_wanted,
                "The part for small, large and boundary values of the chosen size (Ctrl+T)",
            ),
        ):
            asks.addWidget(button(words, "plain", signal.emit, tip))
        self._line.addWidget(self._asks, 0, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.ask = Ask()
        column.addWidget(self.ask)
        self.legend = OffLegend()
        view.off_shown.connect(self.legend.show_off)
        column.addWidget(self.legend)
        self.slider_row = QWidget()
        row = QHBoxLayout(self.slider_row)
        row.setContentsMargins(4, 0, 4, 2)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setAccessibleName("where the section lies")
        self.slider.valueChanged.connect(self._moved)
        self.where = label("", "quiet")
        self.where.setMinimumWidth(110)
        row.addWidget(self.slider, 1)
        row.addWidget(self.where)
        self.slider_row.hide()
        column.addWidget(self.slider_row)
        self.apart_row = QWidget()
        row = QHBoxLayout(self.apart_row)
        row.setContentsMargins(4, 0, 4, 2)
        row.setSpacing(10)
        row.addWidget(label("together", "quiet"))
        self.apart_slider = QSlider(Qt.Orientation.Horizontal)
        self.apart_slider.setRange(0, _STEPS)
        self.apart_slider.setAccessibleName("from together to apart")
        self.apart_slider.valueChanged.connect(lambda value: view.take_apart(value / _STEPS))
        row.addWidget(self.apart_slider, 1)
        row.addWidget(label("apart", "quiet"))
        self.apart_row.hide()
        column.addWidget(self.apart_row)
        self.apart.hide()
        self._axis = 0

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._find_room()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self._find_room()
        return super().event(event)

    def _find_room(self) -> None:
        """In one line where there is room for it; else what is asked of the chosen size goes below
        the rest, which takes as many lines as it needs."""
        needed = self._ways.natural_width() + self._asks.sizeHint().width() + 10
        way = QBoxLayout.Direction
        self._line.setDirection(way.LeftToRight if needed <= self.width() else way.TopToBottom)

    @staticmethod
    def _menu(words: str, tip: str) -> QToolButton:
        chip = QToolButton()
        chip.setObjectName("plain")
        chip.setText(f"{words} ▾")
        on_hover(chip, tip)
        chip.setAccessibleName(words)
        chip.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        chip.setMenu(QMenu(chip))
        return chip

    def _fit_to_lens(self) -> None:
        """Under *Expected* it is compared with what is wanted, else with what was before."""
        expected = self.session.lens == "expected"
        self.off.setVisible(expected)
        self.before.setVisible(not expected)

    def cut_open(self, axis: int | None) -> None:
        """A section square to an axis through the middle, or none."""
        self.slider_row.setVisible(axis is not None)
        if axis is None:
            self.view.cut(None)
            return
        self._axis = axis
        self.slider.setValue(_STEPS // 2)
        self._moved(self.slider.value())

    def _moved(self, value: int) -> None:
        if not self.slider_row.isVisibleTo(self):
            return
        low, high = self.view.bounds()
        at = float(low[self._axis] + (high[self._axis] - low[self._axis]) * value / _STEPS)
        self.view.cut(self._axis, at)
        drawn = ", as it is drawn" if self.view.is_displaced else ""
        self.where.setText(f"{'xyz'[self._axis]} = {plain(at, 2)} mm{drawn}")

    def _show_apart(self, on: bool) -> None:
        self.apart_row.setVisible(on)
        self.apart_slider.setValue(_STEPS if on else 0)

    def together(self) -> None:
        """All parts where they are."""
        self.apart.setChecked(False)
        self.view.lay("")

    def show_parts(self, titles: dict[str, str]) -> None:
        """Offer the parts that there are; one alone is not hidden, but may be seen through."""
        menu = self.parts.menu()
        menu.clear()
        self.parts.setVisible(bool(titles))
        self.apart.setVisible(len(titles) > 1)
        if len(titles) < 2:
            self.apart.setChecked(False)
        hidden = self.view.hidden & titles.keys() if len(titles) > 1 else frozenset()
        self.view.hide_parts(frozenset(hidden), frozenset(self.view.clear & titles.keys()))
        lying = self.view.lying[0] if self.view.lying is not None else ""
        if lying not in titles:
            self.view.lay("")
        parts = {part.name for part in self.session.design.parts}
        printed = {name for name in parts if self.session.is_printed(name)}
        for name, title in titles.items():
            now = (
                "as it lies on its machine"
                if name == lying
                else "hidden"
                if name in hidden
                else "seen through"
                if name in self.view.clear
                else "shown"
            )
            of = menu.addMenu(f"{title}:  {now}" if len(titles) > 1 else title)
            for words in (
                "shown",
                "seen through",
                *(("hidden", "alone") if len(titles) > 1 else ()),
                *(("as it lies on its machine",) if name in printed else ()),
            ):
                entry = of.addAction(
                    words, lambda name=name, words=words: self._look_at(name, words, titles)
                )
                entry.setCheckable(True)
                entry.setChecked(words == now)
        if len(titles) > 1:
            menu.addSeparator()
            for group, names in self._groups(titles).items():
                of = menu.addMenu(f"group {group}")
                for words in ("shown", "seen through", "hidden", "alone"):
                    of.addAction(
                        words,
                        lambda names=names, words=words: self._look_at_all(names, words, titles),
                    )
            menu.addAction("All shown", lambda: self._look_at("", "all", titles))
            colours = menu.addAction("Told apart by colour", self._tell_apart)
            colours.setCheckable(True)
            colours.setChecked(self.view.told_apart)

    def _tell_apart(self) -> None:
        self.view.tell_apart(not self.view.told_apart)

    def _groups(self, titles: dict[str, str]) -> dict[str, list[str]]:
        """The parts that the steps of each group make."""
        groups: dict[str, list[str]] = {}
        for step in self.session.design.steps:
            part = step.works_on()
            if step.group and part in titles and part not in groups.setdefault(step.group, []):
                groups[step.group].append(part)
        return {group: names for group, names in groups.items() if names}

    def _look_at_all(self, names: list[str], how: str, titles: dict[str, str]) -> None:
        if how == "alone":
            self._look_at("", "all", titles)
            self.view.hide_parts(frozenset(titles) - frozenset(names))
            self.show_parts(titles)
            return
        for name in names:
            self._look_at(name, how, titles)

    def _look_at(self, name: str, how: str, titles: dict[str, str]) -> None:
        hidden, clear = self.view.hidden - {name}, self.view.clear - {name}
        part = next((p for p in self.session.design.parts if p.name == name), None)
        lies = part is not None and how == "as it lies on its machine"
        self.view.lay(name if lies else "", part.down if part is not None else "bottom")
        if how == "all":
            hidden = clear = frozenset()
        elif how == "alone" or lies:
            hidden = frozenset(titles) - {name}
        elif how == "hidden":
            hidden |= {name}
        elif how == "seen through":
            clear |= {name}
        self.view.hide_parts(frozenset(hidden), frozenset(clear))
        self.show_parts(titles)

    def toggle_before(self) -> None:
        """Lay the part before the last edit over it, or take it away."""
        self.before.toggle()

    def toggle_blank(self) -> None:
        """Show the blank of a folded part, or not."""
        if self.blank.isVisible():
            self.blank.toggle()

    def show_measuring(self, on: bool) -> None:
        self.gauge.setChecked(on)
