"""Prove: what must hold, and whether it does."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QShowEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Check, Design
from ...core.prove.finding import Finding
from ...core.quantity import TRUTH
from ...core.words import do_not
from ...worker import talk
from ..prover_client import ProverClient
from ..session import Session
from ..theme import theme
from ..widgets.basics import button, clear, kept_place, label, restyle, scrolled
from ..widgets.formula_edit import FormulaEdit
from ..widgets.pages import Pages
from .comes_out_page import ComesOutPage
from .loose_list import LooseList
from .mates_list import MatesList
from .near_list import NearList
from .range_page import RangePage
from .review_page import ReviewPage


class _Verdict(QWidget):
    """A tick for what holds, a barred circle for what does not."""

    def __init__(self, holds: bool) -> None:
        super().__init__()
        self.holds = holds
        self.setFixedSize(QSize(22, 22))
        self.setAccessibleName("holds" if holds else "does not hold")

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(
            QPen(
                QColor(t.sage if self.holds else t.ochre),
                2.2,
                Qt.PenStyle.SolidLine,
                Qt.PenCapStyle.RoundCap,
            )
        )
        if self.holds:
            painter.drawPolyline([QPointF(4, 12), QPointF(9, 17), QPointF(18, 6)])
        else:
            painter.drawEllipse(QPointF(11, 11), 7.5, 7.5)
            painter.drawLine(QPointF(6, 16), QPointF(16, 6))


class ProvePlace(QWidget):
    """The checks of the design. ``go_to`` names the place (area, name) where something can be
    mended."""

    go_to = Signal(str, str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.findings: list[talk.FindingReport] = []
        self._are_all, self._is_shown = True, True
        whole = QVBoxLayout(self)
        whole.setContentsMargins(28, 16, 28, 18)
        whole.setSpacing(12)
        self.prover = ProverClient(self)
        self.range = RangePage(session, self.prover)
        self.comes_out = ComesOutPage(session)
        self.comes_out.go_to.connect(self.go_to)
        self.review = ReviewPage(session, self._found, lambda: self.range.result)
        self.review.shown.connect(self.range.take_up)
        self.prover.ready.connect(self.review.refresh)
        self.prover.done.connect(self.review.refresh)
        self.pages = Pages(
            {
                "As it is": self._as_it_is(session),
                "Whole range": self.range,
                "What comes out": self.comes_out,
                "Review": self.review,
            }
        )
        whole.addWidget(self.pages.switch)
        whole.addWidget(self.pages, 1)

    def _as_it_is(self, session: Session) -> QWidget:
        """The checks of the design with the sizes that it has."""
        page = QWidget()
        page.setObjectName("page")
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        self.title = label("Prove", "page_title")
        layout.addWidget(self.title)
        self.said = label("", "quiet", wrap=True)
        layout.addWidget(self.said)
        inner = QWidget()
        inner.setObjectName("page")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(7)
        self._list = QVBoxLayout()
        self._list.setSpacing(7)
        column.addLayout(self._list)
        self.loose, self.mates, self.near = (
            LooseList(session),
            MatesList(session),
            NearList(session),
        )
        # They stay where they are: what has no place in a window is one of its own when it shows.
        for below in (self.loose, self.mates, self.near):
            column.addWidget(below)
            below.hide()
        column.addStretch(1)
        self.mates.go_to.connect(self.go_to)
        session.read_off.connect(lambda: self.mates.refresh() if self.isVisible() else None)
        self._area = scrolled(inner, sideways=True)
        layout.addWidget(self._area, 1)
        self._new = QHBoxLayout()
        layout.addWidget(
            label(
                "A check of your own: what it is called, and a formula that says yes or no", "quiet"
            )
        )
        layout.addLayout(self._new)
        self._new_line()
        return page

    def _found(self) -> list[Finding]:
        return [Finding(**finding) for finding in self.findings]

    def _new_line(self) -> None:
        clear(self._new)
        self.name = QLineEdit()
        self.name.setPlaceholderText("Webs do not break")
        self.name.setAccessibleName("name of a new check")
        self.formula = FormulaEdit(
            "",
            lambda: self.session.table,
            wanted=TRUTH,
            placeholder="web >= 4 mm",
            may_be_empty=True,
        )
        self.formula.committed.connect(self._add)
        self._new.addWidget(self.name, 1, Qt.AlignmentFlag.AlignTop)
        self._new.addWidget(self.formula, 2, Qt.AlignmentFlag.AlignTop)

    def _add(self, text: str) -> None:
        if not text:
            return
        name = self.name.text().strip() or text

        def change(design: Design) -> Design:
            check = Check(name=name, formula=text)
            return design.model_copy(update={"checks": (*design.checks, check)})

        if self.session.edit(change, f"new check {name}"):
            self._new_line()

    def show_findings(self, findings: list[talk.FindingReport], are_all: bool = True) -> None:
        """Show the outcome of the last rebuild; until they ``are_all`` there, so far. While another
        place is looked at nothing is put up: every edit would wait for it."""
        self.findings, self._are_all = findings, are_all
        self._is_shown = self.isVisible()
        if self._is_shown:
            self._show()

    def showEvent(self, event: QShowEvent) -> None:
        """What came while another place was looked at is put up now."""
        if not self._is_shown:
            self._is_shown = True
            self._show()
        super().showEvent(event)

    def _show(self) -> None:
        with kept_place(self._area, self.loose, self.mates, self.near):
            self._fill()

    def _fill(self) -> None:
        findings, are_all = self.findings, self._are_all
        clear(self._list)
        failing = [finding for finding in findings if not finding["holds"]]
        if not findings:
            self.title.setText("Nothing to check yet")
            self.said.setText("As soon as there is a part, it is looked at after every change.")
        elif failing:
            self.title.setText(f"{len(failing)} of {len(findings)} {do_not(len(failing))} hold")
            self.said.setText("What does not hold comes first. Each says where to mend it.")
        else:
            self.title.setText("Everything holds" if are_all else "So far everything holds")
            more = "" if are_all else " The whole shape is still being looked at."
            self.said.setText(f"{len(findings)} checks on {self.session.process.name}.{more}")
        for heading, own in (("For every design", False), ("Yours", True)):
            group = [finding for finding in findings if finding["own"] == own]
            if group:
                self._list.addWidget(label(heading.upper(), "group"))
            for finding in sorted(group, key=lambda finding: finding["holds"]):
                self._list.addWidget(self._card(finding))
        self.loose.refresh()
        self.mates.refresh()

    def _card(self, finding: talk.FindingReport) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        restyle(card, wrong=not finding["holds"])
        layout = QHBoxLayout(card)
        layout.setContentsMargins(
            12, 4 if finding["holds"] else 8, 12, 4 if finding["holds"] else 8
        )
        layout.setSpacing(12)
        layout.addWidget(_Verdict(finding["holds"]))
        # What holds takes a line; what does not says below what speaks against it.
        text: QBoxLayout = QHBoxLayout() if finding["holds"] else QVBoxLayout()
        text.setSpacing(14 if finding["holds"] else 1)
        text.addWidget(label(finding["name"], "strong"))
        why = label(f"{finding['why']} {finding['hint']}".strip(), "small", wrap=True)
        text.addWidget(why, 1)
        layout.addLayout(text, 1)
        if not finding["holds"] and finding["area"] in ("size", "step"):
            layout.addWidget(
                button(
                    "Show me",
                    "link",
                    lambda: self.go_to.emit(finding["area"], finding["place"]),
                    f"Show {finding['place']}",
                )
            )
        if finding["own"]:
            layout.addWidget(
                button(
                    "Remove",
                    "plain",
                    lambda: self._remove(finding["name"]),
                    f"Remove the check {finding['name']}",
                )
            )
        return card

    def _remove(self, name: str) -> None:
        def change(design: Any) -> Any:
            return design.model_copy(
                update={"checks": tuple(check for check in design.checks if check.name != name)}
            )

        self.session.edit(change, f"remove the check {name}")
