"""What breaks, as a card: from where on, what speaks against it, what would rule it out, a picture
of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from ..widgets.basics import button, label, restyle

if TYPE_CHECKING:
    from ...core.prove.ranges.told import CauseTold

PICTURE = QSize(108, 78)


class CauseCard(QFrame):
    """``look`` is called to see the design there, ``take`` to rule it out by the limit that was
    found."""

    def __init__(
        self, cause: CauseTold, look: Callable[[], None], take: Callable[[], None]
    ) -> None:
        super().__init__()
        self.setObjectName("card")
        restyle(self, wrong=not cause["elsewhere"])
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 9, 10, 8)
        layout.setSpacing(12)
        words = QVBoxLayout()
        words.setSpacing(2)
        words.addWidget(label(cause["title"], "strong", wrap=True))
        words.addWidget(label(f"{cause['check']}: {cause['why']}", "", wrap=True))
        many = cause["builds_said"]
        hint = f" {cause['hint']}" if cause["hint"] and cause["mend"] is None else ""
        words.addWidget(label(f"{many} {cause['ends_said']}{hint}".strip(), "small", wrap=True))
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(button("Show it", "link", look, f"The part there: {cause['title']}"))
        mend = cause["mend"]
        if mend is not None and not cause["elsewhere"]:
            sign = "<=" if mend["end"] == "high" else ">="
            text = f"Limit it: {mend['size']} {sign} {mend['formula']}"
            row.addWidget(button(text, "link", take, f"Take the limit {text[10:]}"))
            row.addWidget(label(f"keeps {round(100 * mend['keeps'])} %", "small"))
        row.addStretch(1)
        words.addLayout(row)
        layout.addLayout(words, 1)
        self.picture = label("")
        self.picture.setFixedSize(PICTURE)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setAccessibleName("the part there")
        layout.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignTop)

    def show_picture(self, picture: QPixmap) -> None:
        """The part there."""
        self.picture.setPixmap(picture)
