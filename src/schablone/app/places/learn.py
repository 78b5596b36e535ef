"""Learn: the manual, by task, with the demo designs to try it on."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QTextBrowser, QVBoxLayout, QWidget

from ...core.markup import html_of
from ...core.words import capital
from ..demo import demo_designs, manual_pages
from ..session import Session
from ..theme import theme
from ..widgets.basics import button, label, restyle, scrolled
from ..widgets.formula_edit import FormulaEdit


class LearnPlace(QWidget):
    """Pages of the manual. ``open_wanted`` asks for a demo design to be opened."""

    open_wanted = Signal(Path)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.pages = manual_pages()
        self.buttons = {}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(28, 20, 28, 18)
        layout.setSpacing(22)
        column = QWidget()
        column.setObjectName("page")
        left = QVBoxLayout(column)
        left.setContentsMargins(0, 0, 8, 0)
        left.setSpacing(6)
        left.addWidget(label("Learn", "page_title"))
        left.addSpacing(6)
        for title in self.pages:
            choice = button(title, "pill", lambda title=title: self.show_page(title))
            self.buttons[title] = choice
            left.addWidget(choice)
        left.addSpacing(14)
        left.addWidget(label("TRY IT ON", "group"))
        for path in demo_designs():
            name = path.stem.replace("-", " ")
            left.addWidget(
                button(
                    capital(name),
                    "link",
                    lambda path=path: self.open_wanted.emit(path),
                    f"Open the demo design {name}",
                )
            )
        left.addStretch(1)
        area = scrolled(column)  # so that more to try never makes the window taller
        area.setFixedWidth(column.sizeHint().width() + 14)
        layout.addWidget(area)
        self.browser = QTextBrowser()
        self.browser.setOpenLinks(False)
        self.browser.anchorClicked.connect(self._follow)
        self.browser.setAccessibleName("manual")
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.browser, 1)
        right.addWidget(
            label(
                "Try a formula here. It may use the sizes of the "
                "design in hand; nothing is changed.",
                "quiet",
            )
        )
        self.trial = FormulaEdit(
            "", lambda: session.table, placeholder="floor(0.3 in / 0.1 in)", may_be_empty=True
        )
        self.trial.line.setAccessibleName("try a formula")
        right.addWidget(self.trial)
        layout.addLayout(right, 1)
        self._shown = False

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self.pages and not self._shown:
            self.show_page(next(iter(self.pages)))

    def show_page(self, title: str) -> None:
        """Show one page."""
        self._shown = True
        for name, choice in self.buttons.items():
            restyle(choice, chosen=name == title)
        self.browser.document().setDefaultStyleSheet(
            f"h1 {{font-size:22px}} h2 {{font-size:16px}} td, th {{padding:3px 14px 3px 0}} "
            f"code {{font-family:'IBM Plex Mono';"
            f"color:{theme().ink};background:{theme().chip}}} a {{color:{theme().madder}}} p, "
            f"li {{line-height:140%}}"
        )
        self.browser.setHtml(html_of(self.pages[title]))

    def _follow(self, url: QUrl) -> None:
        name = Path(url.path()).stem
        for title, text in self.pages.items():
            if Path(title).stem == name or (
                text.startswith(f"# {title}") and name == title.casefold().replace(" ", "-")
            ):
                self.show_page(title)
                return
