"""A strip under the header for what needs an answer and is no error of the design."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QFrame, QHBoxLayout

from .widgets.basics import button, clear, label

#: What may be answered: its words, and what follows.
Answer = tuple[str, Callable[[], object]]


class QuestionStrip(QFrame):
    """A line with answers to choose from; hidden while there is nothing to ask."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("warning")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 6, 12, 6)
        layout.setSpacing(8)
        self.said = label("", "", wrap=True)
        layout.addWidget(self.said, 1)
        self.answers = QHBoxLayout()
        self._asked: tuple[Answer, ...] = ()
        layout.addLayout(self.answers)
        self.hide()

    def ask(self, text: str, *answers: Answer) -> None:
        """Show a line with answers; any of them closes it."""
        self.said.setText(text)
        if answers == self._asked and self.isVisible():
            return  # a button that is just being pressed stays
        self._asked = answers
        clear(self.answers)
        for words, does in answers:

            def answer(does: Callable[[], object] = does) -> None:
                self.hide()
                does()

            self.answers.addWidget(button(words, "link", answer))
        self.show()

    def tell(self, text: str) -> None:
        """What must not be overlooked; it stays until it was read."""
        self.ask(text, ("All right", lambda: None))
