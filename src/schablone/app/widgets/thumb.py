"""A picture that somebody sent, small; a click shows it large."""

from __future__ import annotations

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PySide6.QtGui import QImage, QImageIOHandler, QImageReader, QPixmap
from PySide6.QtWidgets import QDialog, QPushButton, QVBoxLayout

from .basics import label

#: How large it is small, pixels, and what share of the screen it may take.
_SMALL, _OF_SCREEN = QSize(96, 96), 0.85
#: A picture is not decoded where it would take more than so many MB.
_MEMORY = 200


class Thumb(QPushButton):
    """``data`` is PNG or JPEG of somebody else's: it is read as nothing else, and bounded."""

    def __init__(self, data: bytes, said: str) -> None:
        super().__init__()
        self.setObjectName("plain")
        self.setAccessibleName(said)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._data, self._said = data, said
        image = decoded(data, _SMALL)
        if image.isNull():
            self.setText("cannot be shown")
            self.setEnabled(False)
            return
        self.setIcon(QPixmap.fromImage(image))
        self.setIconSize(QSize(image.width(), image.height()))
        self.clicked.connect(self.show_large)

    def show_large(self) -> None:
        """Show it in a window of its own, no larger than the screen leaves room for; Esc closes
        it."""
        room = self.screen().availableSize() * _OF_SCREEN
        self.large = QDialog(self.window())
        self.large.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.large.setWindowTitle(self._said)
        layout = QVBoxLayout(self.large)
        layout.setContentsMargins(0, 0, 0, 0)
        shown = label("")
        shown.setAccessibleName(self._said)
        shown.setPixmap(QPixmap.fromImage(decoded(self._data, room)))
        layout.addWidget(shown)
        self.large.show()


def decoded(data: bytes, room: QSize) -> QImage:
    """A picture no larger than ``room``, pixels; null where it cannot be read."""
    held = QByteArray(data)
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    kind = QByteArray(b"png" if data.startswith(b"\x89PNG") else b"jpeg")
    reader = QImageReader(buffer, kind)
    reader.setAllocationLimit(_MEMORY)
    reader.setAutoTransform(True)
    size = reader.size()
    if reader.transformation() & QImageIOHandler.Transformation.TransformationRotate90:
        room = room.transposed()  # it is turned after it was read
    if size.isValid() and size.boundedTo(room) != size:
        reader.setScaledSize(size.scaled(room, Qt.AspectRatioMode.KeepAspectRatio))
    return reader.read()
