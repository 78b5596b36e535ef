"""The practice gallery in a window: what is shared, its editions, who adapted it, what came back;
and simulated makers who make it."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QProcess, QProcessEnvironment, Qt, Signal
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ..core.gallery import Shared
from ..core.problem import SchabloneError
from ..core.publish.licences import licence_words
from ..core.words import sentence
from .gallery_place import opened_gallery
from .widgets.basics import button, clear, label, rule, scrolled

#: So many makers make an edition with one click.
_MAKERS = 6


class GalleryWindow(QWidget):
    """``open_wanted`` names the file of an edition that is to be opened as others open it."""

    open_wanted = Signal(Path)
    #: Reports about the editions of a design were written.
    told = Signal(str)

    def __init__(self, folder: Path, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setWindowTitle("Practice gallery")
        self.resize(960, 640)
        self.gallery = opened_gallery(folder)
        self.shared: list[Shared] = []
        self._making: QProcess | None = None
        self._made_for = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(26, 20, 26, 18)
        layout.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(label("Practice gallery", "page_title"))
        head.addStretch(1)
        head.addWidget(
            button("Share an edition …", "primary", self.share_dialog, "Share an edition")
        )
        layout.addLayout(head)
        layout.addWidget(
            label(
                "A made-up place on this machine: nothing leaves it. Its makers are simulated, "
                "each with a machine whose habits nobody reads; some calibrated it, some did not.",
                "quiet",
                wrap=True,
            )
        )
        columns = QHBoxLayout()
        columns.setSpacing(22)
        left = QVBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("search by title, author, what it is for")
        self.search.setAccessibleName("search the gallery")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._fill())
        left.addWidget(self.search)
        self.list = QListWidget()
        self.list.setFixedWidth(330)
        self.list.setAccessibleName("what is shared")
        self.list.currentRowChanged.connect(lambda _: self._show())
        left.addWidget(self.list, 1)
        columns.addLayout(left)
        inner = QWidget()
        inner.setObjectName("page")
        self._detail = QVBoxLayout(inner)
        self._detail.setContentsMargins(0, 0, 8, 0)
        self._detail.setSpacing(8)
        scroll = scrolled(inner)
        columns.addWidget(scroll, 1)
        layout.addLayout(columns, 1)
        self.said = label("", "small", wrap=True)
        layout.addWidget(self.said)
        self.refresh()

    # What is shared

    def refresh(self, chosen: str = "") -> None:
        """Look through the folder again; show the design with an id, or the one that was shown."""
        now = self._current()
        self.shared = self.gallery.latest()
        if self.gallery.problems:
            self.said.setText(" ".join(self.gallery.problems[:3]))
            self.gallery.problems.clear()
        self._fill(chosen or (now.id if now else ""))

    def _fill(self, chosen: str = "") -> None:
        words = self.search.text()
        shown = [one for one in self.shared if one.says(words)]
        self.list.blockSignals(True)
        self.list.clear()
        for one in shown:
            count = self.gallery.reports.count(one.id)
            many = f"{count} make{'s' if count != 1 else ''}" if count else "not made yet"
            by = f"by {one.author}, " if one.author else ""
            item = QListWidgetItem(f"{one.title}  {one.number}\n{by}{many}")
            item.setData(Qt.ItemDataRole.UserRole, one)
            self.list.addItem(item)
            if one.id == chosen:
                self.list.setCurrentItem(item)
        if self.list.currentRow() < 0 and self.list.count():
            self.list.setCurrentRow(0)
        self.list.blockSignals(False)
        self._show()

    def _current(self) -> Shared | None:
        item = self.list.currentItem()
        entry = item.data(Qt.ItemDataRole.UserRole) if item else None
        return entry if isinstance(entry, Shared) else None

    def _show(self) -> None:
        clear(self._detail)
        one = self._current()
        if one is None:
            text = (
                "Nothing that says so."
                if self.search.text().strip()
                else ("Nothing is shared yet. Write an edition in Publish, and share it here.")
            )
            self._detail.addWidget(label(text, "quiet", wrap=True))
            self._detail.addStretch(1)
            return
        self._detail.addWidget(label(f"{one.title} {one.number}", "heading", wrap=True))
        told = [f"by {one.author}" if one.author else "", one.date, licence_words(one.licence)]
        self._detail.addWidget(label(" · ".join(t for t in told if t), "small", wrap=True))
        if one.summary:
            self._detail.addWidget(label(one.summary, "", wrap=True))
        row = QHBoxLayout()
        row.addWidget(
            button(
                "Open it",
                "primary",
                lambda: self.open_wanted.emit(self.gallery.path(one)),
                f"Open {one.title} as others will",
            )
        )
        self.make = button(
            f"Let {_MAKERS} makers make it",
            "link",
            lambda: self.let_make(one),
            f"Let {_MAKERS} simulated makers make it and report",
        )
        self.make.setEnabled(self._making is None)
        row.addWidget(self.make)
        row.addStretch(1)
        self._detail.addLayout(row)
        self._relatives(one)
        versions = self.gallery.versions(one.id)
        if len(versions) > 1:
            self._detail.addWidget(label("EDITIONS", "group"))
            self._detail.addWidget(rule())
            for version in versions:
                self._link(
                    f"{version.number}   {version.date}",
                    lambda version=version: self.open_wanted.emit(self.gallery.path(version)),
                    f"Open edition {version.number}",
                )
        self._detail.addStretch(1)

    def _relatives(self, one: Shared) -> None:
        """The tree of adaptations: what it comes from, and what came of it."""
        known = {other.id: other for other in self.shared}
        above = [known[source] for source in one.sources if source in known]
        below = self.gallery.adaptations(one.id)
        for heading, others in (("ADAPTED FROM", above), ("ADAPTED BY OTHERS", below)):
            if not others:
                continue
            self._detail.addWidget(label(heading, "group"))
            self._detail.addWidget(rule())
            for other in others:
                by = f" by {other.author}" if other.author else ""
                self._link(
                    f"{other.title} {other.number}{by}",
                    lambda other=other: self._fill_for(other),
                    f"Look at {other.title}",
                )

    def _fill_for(self, other: Shared) -> None:
        self.search.clear()
        self._fill(other.id)

    def _link(self, text: str, does: Callable[[], object], hint: str) -> None:
        self._detail.addWidget(
            button(text, "link", does, hint),
            0,
            Qt.AlignmentFlag.AlignLeft,
        )

    # Sharing

    def share_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "Share an edition", str(Path.home()), "Editions (*.zip)"
        )
        if path:
            self.share(Path(path))

    def share(self, path: Path) -> None:
        """Put an edition into the gallery."""
        try:
            one = self.gallery.publish(path)
        except SchabloneError as error:
            self.said.setText(" ".join(problem.text for problem in error.problems))
            return
        self.said.setText(f"Shared: {one.title} {one.number}.")
        self.refresh(one.id)

    # Makers

    def let_make(self, one: Shared) -> None:
        """Let simulated makers make an edition, in a process of its own."""
        self._made_for = one.id
        process = self._making = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        environment.insert("PYTHONUNBUFFERED", "1")
        process.setProcessEnvironment(environment)
        process.readyReadStandardOutput.connect(self._heard)
        process.finished.connect(self._made)
        self.make.setEnabled(False)
        self.said.setText("The makers calibrate their machines …")
        folder = str(self.gallery.folder)
        words = ["-m", "schablone.cli.main", "gallery", "make", one.id, "--folder", folder]
        process.start(sys.executable, [*words, "--makers", str(_MAKERS)])

    def _heard(self) -> None:
        if self._making is not None:
            text = bytes(self._making.readAllStandardOutput().data()).decode("utf8", "replace")
            if lines := text.strip().splitlines():
                self.said.setText(sentence(lines[-1]))

    def _made(self, code: int) -> None:
        process, self._making = self._making, None
        if process is not None and code:
            text = bytes(process.readAllStandardError().data()).decode("utf8", "replace").strip()
            self.said.setText(
                text.splitlines()[-1] if text else "The makers stopped before the end."
            )
        self.told.emit(self._made_for)
        self.refresh()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._making is not None:
            self._making.finished.disconnect(self._made)
            self._making.kill()
            self._making.waitForFinished(1000)
            self._making = None
            self.told.emit(self._made_for)  # what was told before counts
        event.accept()
