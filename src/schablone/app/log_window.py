"""What went wrong lately, to read and to hand on."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from .guard import read_log
from .theme import mono
from .widgets.basics import button, label


class LogWindow(QWidget):
    """The log; without names and folders unless they are wanted."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("What went wrong lately")
        self.resize(760, 480)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 16, 18, 14)
        layout.setSpacing(10)
        layout.addWidget(label("What went wrong lately", "heading"))
        layout.addWidget(
            label(
                "Errors of the program itself, the newest last. It stays on this machine; copy "
                "it to whoever can help.",
                "quiet",
                wrap=True,
            )
        )
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setFont(mono(11))
        self.text.setAccessibleName("log")
        layout.addWidget(self.text, 1)
        row = QHBoxLayout()
        self.names = QCheckBox("with names and folders")
        self.names.toggled.connect(lambda _: self.refresh())
        row.addWidget(self.names)
        row.addStretch(1)
        row.addWidget(button("Copy", "main", self.copy, "Copy the text as it stands here"))
        layout.addLayout(row)
        self.refresh()

    def refresh(self) -> None:
        """Read it again."""
        self.text.setPlainText(
            read_log(nameless=not self.names.isChecked()) or "Nothing went wrong lately."
        )
        bar = self.text.verticalScrollBar()
        bar.setValue(bar.maximum())

    def copy(self) -> None:
        QGuiApplication.clipboard().setText(self.text.toPlainText())
