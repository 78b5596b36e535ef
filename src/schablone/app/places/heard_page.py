"""What came back: reports of those who made an edition, and what they say about the design."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from ...core.problem import SchabloneError
from ...core.publish.hearing import Heard, by_edition, heard, whose
from ...core.publish.report_folder import ReportFolder
from ...core.publish.reports import REPORT, Report
from ...core.words import capital, sentence
from ..gallery_place import opened_gallery
from ..reading import read_file
from ..session import Session
from ..widgets.basics import button, clear, kept_place, label, scrolled
from ..widgets.heard_plot import HeardPlot
from ..widgets.thumb import Thumb

#: So many makes are listed one by one, the latest first.
_MOST = 40


class HeardPage(QWidget):
    """Reports are read from files, kept on this machine, and looked at together."""

    def __init__(self, session: Session, store: ReportFolder) -> None:
        super().__init__()
        self.setObjectName("page")
        self.session, self.store = session, store
        self._shown: str | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        head = QHBoxLayout()
        self.title = label("What came back", "page_title")
        head.addWidget(self.title)
        head.addStretch(1)
        self.editions = QComboBox()
        self.editions.setAccessibleName("Edition that was made")
        self.editions.activated.connect(self._choose_edition)
        self._edition: str | None = None
        head.addWidget(self.editions)
        head.addWidget(
            button(
                "From the practice gallery",
                "link",
                self.take_from_gallery,
                "Read what the makers of the practice gallery told",
            )
        )
        head.addWidget(
            button("Read reports …", "primary", self.open_dialog, "Read reports from files")
        )
        layout.addLayout(head)
        self.said = label("", "quiet", wrap=True)
        layout.addWidget(self.said)
        self.trouble = label("", "wrong", wrap=True)
        self.trouble.hide()
        layout.addWidget(self.trouble)
        self._removed = self._line_of_removed(layout)
        inner = QWidget()
        inner.setObjectName("page")
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 8, 0)
        self._list.setSpacing(8)
        self._area = scrolled(inner)
        layout.addWidget(self._area, 1)
        session.changed.connect(self._refresh_if_another)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def _refresh_if_another(self) -> None:
        if self.isVisible() and self.session.design.publish.id != self._shown:
            self.refresh()

    # Reading

    def open_dialog(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(
            self.window(), "Read reports", str(Path.home()), f"Reports (*{REPORT})"
        )
        if paths:
            self.take([Path(path) for path in paths])

    def take(self, paths: Sequence[Path]) -> None:
        """Read reports from files and keep those that are about this design."""
        mine = self.session.design.publish.id
        taken, told = 0, []
        for path in paths:
            try:
                report = read_file(self.window(), "report", path)
                if not mine or report.edition != mine:
                    told.append(f"{path.name} is about “{report.title or 'another design'}”.")
                elif self.store.keep(report):
                    taken += 1
                else:
                    told.append(f"{path.name} is here already.")
            except SchabloneError as error:
                told.append(" ".join(problem.text for problem in error.problems[:2]))
        self.refresh()
        self._say(told)

    def take_from_gallery(self) -> None:
        """Read what is in the practice gallery about this design."""
        mine = self.session.design.publish.id
        gallery = opened_gallery(self.session.library.gallery)
        reports = gallery.reports.of(mine) if mine else []
        told = list(gallery.reports.problems)
        try:
            fresh = sum(self.store.keep(report) for report in reports)
            if not told and not fresh:
                told = [
                    "All that is in the gallery is here already."
                    if reports
                    else "There is nothing about it in the gallery."
                ]
        except SchabloneError as error:
            told += [problem.text for problem in error.problems[:2]]
        self.refresh()
        self._say(told)

    def _say(self, told: Sequence[str]) -> None:
        self.trouble.setText("\n".join(told[:8]))
        self.trouble.setVisible(bool(told))

    def _line_of_removed(self, layout: QVBoxLayout) -> QWidget:
        """What was removed last, and how it is put back."""
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        self._removed_said = label("", "quiet")
        self._back = button("Put it back", "link", self._put_back, "Put the report back")
        row.addWidget(self._removed_said)
        row.addWidget(self._back)
        row.addStretch(1)
        line.hide()
        layout.addWidget(line)
        self._last: Report | None = None
        return line

    def _forget(self, report: Report) -> None:
        try:
            self.store.forget(report)
        except SchabloneError as error:
            self._say([problem.text for problem in error.problems])
            return
        self._last = report
        self._removed_said.setText(f"The report of {whose(report)} is removed.")
        self._removed.show()
        self._back.setFocus()  # what was pressed is gone
        self.refresh()

    def _put_back(self) -> None:
        assert self._last is not None
        try:
            self.store.keep(self._last)
        except SchabloneError as error:
            self._say([problem.text for problem in error.problems])
            return
        self._removed.hide()
        self._last = None
        self.refresh()

    def _choose_edition(self) -> None:
        self._edition = self.editions.currentData()
        self._area.verticalScrollBar().setValue(0)
        self.refresh()

    def _of_one_edition(self, reports: Sequence[Report]) -> list[Report]:
        """Those of the edition that is looked at: the latest, unless another was chosen."""
        found = by_edition(reports)
        if self._edition not in found:
            self._edition = None
        shown = next(iter(found), "") if self._edition is None else self._edition
        self.editions.clear()
        for number, mine in found.items():
            many = f"{len(mine)} make{'s' if len(mine) != 1 else ''}"
            self.editions.addItem(
                f"{f'Edition {number}' if number else 'No edition named'}, {many}", number
            )
        self.editions.setCurrentIndex(max(self.editions.findData(shown), 0))
        self.editions.setVisible(len(found) > 1)
        return found.get(shown, [])

    # What they say

    def refresh(self) -> None:
        """Read what is kept, and show it."""
        edition = self.session.design.publish.id
        if edition != self._shown:
            self._edition = self._last = None
            self._removed.hide()
        self._shown = edition
        reports = self.store.of(edition) if edition else []
        self._say(self.store.problems)
        with kept_place(self._area):
            clear(self._list)
            mine = self._of_one_edition(reports)
            if not mine:
                self._nothing(edition)
            else:
                self._show(mine, heard(mine))
            self._list.addStretch(1)

    def _nothing(self, edition: str) -> None:
        self.title.setText("Nothing came back yet")
        self.said.setText(
            "Who makes this edition can tell how it came out: in the window that opens it, under "
            "“I made it”. What they send is read here, and says whether a size is off on every "
            "machine or on one."
            if edition
            else "Write an edition first: reports say which one they are about."
        )

    def _show(self, reports: Sequence[Report], heard: Heard) -> None:
        yes, almost, no = heard.fits
        many = f"{heard.reports} make{'s' if heard.reports != 1 else ''}"
        self.title.setText(f"{many}: {yes} fit, {almost} almost, {no} not")
        right, told = heard.as_meant
        self.said.setText(
            f"{right} of {told} sizes with a tolerance or a fit came out as they are meant; a ring "
            "is one that did not. A band is where the mean over all machines lies."
            if told
            else "No size with a tolerance or a fit was measured."
        )
        offs = [abs(make.off) for size in heard.sizes for make in size.makes]
        span = _round_up(max(offs, default=0.1))
        for size in sorted(heard.sizes, key=lambda one: not one.by):
            card, inside = _card()
            inside.addWidget(label(capital(size.label), "strong"))
            says = label(sentence(size.says), "wrong" if size.by else "small", wrap=True)
            inside.addWidget(says)
            inside.addWidget(HeardPlot(size, span))
            self._list.addWidget(card)
        blamed = [machine for machine in heard.machines if machine.says]
        if blamed:
            self._list.addWidget(label("MACHINES THAT ARE OFF", "group"))
        for machine in blamed:
            card, inside = _card()
            inside.addWidget(label(machine.name, "strong"))
            inside.addWidget(label(sentence(machine.says), "small", wrap=True))
            self._list.addWidget(card)
        self._list.addWidget(label("MAKES", "group"))
        for report in list(reversed(reports))[:_MOST]:
            self._list.addWidget(self._make(report))
        if len(reports) > _MOST:
            self._list.addWidget(label(f"and {len(reports) - _MOST} before", "quiet"))

    def _make(self, report: Report) -> QFrame:
        card, inside = _card()
        row = QHBoxLayout()
        row.addWidget(label(whose(report), "strong"))
        chosen = ", ".join(f"{name} {value}" for name, value in list(report.values.items())[:6])
        told = [report.date, f"edition {report.number}" if report.number else "", chosen]
        row.addWidget(label("  ·  ".join(text for text in told if text), "small"), 1)
        fits = {"yes": "fits", "almost": "fits almost", "no": "does not fit"}.get(report.fits, "")
        row.addWidget(label(fits, "good" if report.fits == "yes" else "wrong"))
        hint = f"Remove the report of {whose(report)}"
        row.addWidget(button("Remove", "plain", lambda: self._forget(report), hint))
        inside.addLayout(row)
        if report.words.strip():
            inside.addWidget(label(report.words.strip(), "", wrap=True))
        if report.pictures:
            shown = QHBoxLayout()
            for number in range(len(report.pictures)):
                shown.addWidget(Thumb(report.picture(number), f"picture by {whose(report)}"))
            shown.addStretch(1)
            inside.addLayout(shown)
        return card


def _card() -> tuple[QFrame, QVBoxLayout]:
    card = QFrame()
    card.setObjectName("card")
    inside = QVBoxLayout(card)
    inside.setContentsMargins(12, 8, 12, 8)
    inside.setSpacing(4)
    return card, inside


def _round_up(span: float) -> float:
    """The next round number above, for a scale."""
    for step in (0.1, 0.2, 0.3, 0.5, 1, 2, 5, 10, 20, 50, 100, 1000):
        if span <= step:
            return step
    return span
