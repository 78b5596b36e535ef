"""A page of words to read, print and save."""

from __future__ import annotations

from pathlib import Path

from markupsafe import Markup
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QTextBrowser

from ...core.markup import Marked, as_html, html_of
from ...core.whole_files import write_whole
from ..saving import ask_file
from ..theme import theme

_NO_PICTURES = Markup("")


class WordsPage(QTextBrowser):
    """Shows Markdown as :func:`as_html` sets it, and takes no text that may be somebody else's;
    links lead nowhere by themselves. ``pictures`` is HTML that stands above the words."""

    def __init__(self, said: str) -> None:
        super().__init__()
        self.setOpenExternalLinks(False)
        self.setAccessibleName(said)
        self.markdown, self.title, self.pictures = Marked(""), "", Markup("")

    def show_markdown(self, text: Marked, title: str, pictures: Markup = _NO_PICTURES) -> None:
        """Show a text; where one had read to is kept."""
        if (text, title, pictures) == (self.markdown, self.title, self.pictures):
            return
        self.markdown, self.title, self.pictures = text, title, pictures
        at = self.verticalScrollBar().value()
        t = theme()
        self.document().setDefaultStyleSheet(
            f"body {{ color: {t.ink}; }} code {{ font-family: 'IBM Plex Mono'; color: "
            f"{t.slate_text}; }}"
            "h1 { font-size: 20px; } h2 { font-size: 15px; margin-top: "
            "18px; } h3 { font-size: 13px; }"
            "li { margin-bottom: 5px; } td, th { padding: 4px 12px 4px 0; text-align: left; }"
        )
        self.document().setDocumentMargin(22)
        body = html_of(text)
        self.setHtml(Markup("<body>{}{}</body>").format(pictures, body))
        self.verticalScrollBar().setValue(at)

    def html(self) -> Markup:
        """The page as one HTML file."""
        page = as_html(self.markdown, self.title)
        return page.replace(Markup("<body>"), Markup("<body>") + self.pictures, 1)

    def save_dialog(self, name: str) -> Path | None:
        """Ask where to save it; None where nobody wants to."""
        return ask_file(self, "Save in words", name, ("HTML", ".html"), ("Markdown", ".md"))

    def save_to(self, path: Path) -> None:
        """Write what is shown, by the file's ending.

        Raises:
            SchabloneError: where that fails.
        """
        text = self.markdown if path.suffix == ".md" else self.html()
        write_whole(path, text.encode("utf8"))

    def print_dialog(self) -> None:
        """On paper, or into a PDF file."""
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setDocName(self.title)
        if QPrintDialog(printer, self).exec():
            self.print_(printer)
