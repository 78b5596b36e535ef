"""The design in words: a page to read, print and save, and to compare with another version."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from ..core.design import Design
from ..core.design.compare import comparison_text
from ..core.design.file import SUFFIX
from ..core.design.text import design_text
from ..core.markup import Marked
from ..core.problem import SchabloneError
from .reading import read_file
from .session import Session
from .widgets.basics import button, label
from .widgets.words_page import WordsPage


class WordsWindow(QWidget):
    """Shows the design as it is now, or what differs from another; follows every edit."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(760, 720)
        self.session = session
        self.other: tuple[Design, str] | None = None
        #: Whether that is the file of the design in hand.
        self._is_saved_one = False
        self.page = WordsPage("the design in words")
        self.said = label("", "small", wrap=True)
        self.said.setContentsMargins(20, 0, 14, 8)
        self.said.hide()
        row = QHBoxLayout()
        row.setContentsMargins(14, 8, 14, 8)
        self.saved = button(
            "Compare with the saved version",
            "plain",
            self.compare_saved,
            "What differs from the file",
        )
        row.addWidget(self.saved)
        row.addWidget(
            button(
                "Compare with …", "plain", self.compare_dialog, "What differs from another design"
            )
        )
        self.alone = button(
            "Show the design", "plain", lambda: self.compare_with(None), "The design alone again"
        )
        row.addWidget(self.alone)
        row.addStretch(1)
        row.addWidget(
            button("Print …", "plain", self.page.print_dialog, "On paper, or into a PDF file")
        )
        row.addWidget(button("Save …", "main", self.save_dialog, "As Markdown or HTML"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(row)
        layout.addWidget(self.said)
        layout.addWidget(self.page, 1)
        session.changed.connect(self.refresh)
        session.file_changed.connect(self._follow_file)
        self.refresh()

    def text(self) -> Marked:
        """What is shown, in Markdown."""
        design, process = self.session.design, self.session.process
        if self.other is None:
            return design_text(design, process)
        before, name = self.other
        return comparison_text(before, design, process, (name, "now"))

    def refresh(self) -> None:
        """Show the design in hand."""
        self.setWindowTitle(f"{self.session.design.name}, in words")
        self.alone.setVisible(self.other is not None)
        self.saved.setEnabled(self.session.path is not None)
        self.page.show_markdown(self.text(), self.session.design.name)

    def compare_with(self, other: tuple[Design, str] | None) -> None:
        """Show what differs from another design, or with None the design alone."""
        self.other, self._is_saved_one = other, False
        self._say("")
        self.refresh()

    def _follow_file(self) -> None:
        """What was saved is another version by now."""
        if self._is_saved_one and self.session.is_saved:
            self.compare_saved()

    def _say(self, text: str) -> None:
        self.said.setText(text)
        self.said.setVisible(bool(text))

    def compare_saved(self) -> None:
        if self.session.path is not None:
            self._is_saved_one = self.compare_file(self.session.path, "as saved")

    def compare_file(self, path: Path, name: str = "") -> bool:
        """Compare with a design file; what is wrong with it is said here. Returns whether it was
        read."""
        try:
            self.compare_with((read_file(self, "design", path), name or path.stem))
        except SchabloneError as error:
            self._say(str(error))
            return False
        return True

    def compare_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Compare with", "", f"Design (*{SUFFIX})")
        if path:
            self.compare_file(Path(path))

    def save_dialog(self) -> None:
        path = self.page.save_dialog(self.session.design.name)
        if path is not None:
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write what is shown, by the file's ending."""
        try:
            self.page.save_to(path)
            self._say(f"Saved {path.name}.")
        except SchabloneError as error:
            self._say(str(error))
