"""Somebody made it, and tells how it came out: what they measured, whether it fits, words,
pictures; saved as a file that goes back to its author."""

from __future__ import annotations

import base64
import datetime
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt
from PySide6.QtGui import QCloseEvent, QImage, QImageReader, QImageWriter
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from ...core.design import Design
from ...core.formula.typed import typed_length
from ...core.process import Process
from ...core.process.readings import Reading, has_slipped
from ...core.process.sure import HOLDS_95
from ...core.prove.size_report import SizeLine
from ...core.publish.changes import called
from ...core.publish.choices import Choice
from ...core.publish.names import file_name
from ...core.publish.reports import (
    LARGEST_PICTURE,
    MOST_PICTURES,
    REPORT,
    Report,
    asked_back,
    measured_as,
    report_of,
    write_report,
)
from ...core.quantity import plain
from ...core.words import capital, listed, say_name
from ..drawing_sheet.caliper import CaliperCard
from ..saving import ask_before_leaving, ask_path, write_and_say
from ..widgets.basics import button, clear, label, restyle

#: Pictures are made smaller than so many pixels before they go into a report.
_PIXELS = 1600
_FITS = (("yes", "it fits"), ("almost", "almost"), ("no", "it does not"))


class ReportWindow(QWidget):
    """About what was made by a choice on a process, and some parts on ``others``; ``lines`` are
    the sizes with what is expected of them."""

    def __init__(
        self,
        design: Design,
        choice: Choice,
        process: Process,
        others: Sequence[Process],
        lines: Sequence[SizeLine],
        parent: QWidget,
    ) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        title = design.title
        machines = listed([machine.name for machine in (process, *others)])
        self.setWindowTitle(f"How it came out – {title}")
        self.resize(820, 680)
        self.design, self.choice, self.process, self.others = design, choice, process, others
        self.lines = asked_back(design, lines)
        self.pictures: list[str] = []
        self.fits = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(26, 20, 26, 18)
        layout.setSpacing(10)
        layout.addWidget(label("How did it come out?", "page_title"))
        layout.addWidget(
            label(
                f"Of {title} as it is chosen now, made on {machines}. Measure what you can; "
                "an empty field says nothing. The report is a file: it goes to its author only if "
                "you send it.",
                "quiet",
                wrap=True,
            )
        )
        sizes = QHBoxLayout()
        sizes.setSpacing(18)
        sizes.addLayout(self._sizes(), 1)
        sizes_of: dict[QWidget, str] = {
            field: line.row.name for line, field in zip(self.lines, self.fields, strict=True)
        }
        self.caliper = CaliperCard(
            sizes_of, {name: self._called(name) for name in sizes_of.values()}, stays=True
        )
        sizes.addWidget(self.caliper, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(sizes)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.pills = {}
        for word, said in _FITS:
            self.pills[word] = button(said, "pill", lambda word=word: self._say_fits(word))
            row.addWidget(self.pills[word])
        row.addStretch(1)
        layout.addWidget(label("Does it fit?", "strong"))
        layout.addLayout(row)
        layout.addWidget(label("What its author should know", "strong"))
        self.words = QPlainTextEdit()
        self.words.setAccessibleName("what its author should know")
        self.words.setTabChangesFocus(True)
        self.words.setMinimumHeight(70)
        layout.addWidget(self.words, 1)
        self._pictures = QHBoxLayout()
        layout.addLayout(self._pictures)
        self._show_pictures()
        who = QHBoxLayout()
        who.addWidget(label("your name, if you like", "small"))
        self.who = QLineEdit()
        self.who.setMaxLength(120)
        self.who.setAccessibleName("your name, if you like")
        who.addWidget(self.who, 1)
        layout.addLayout(who)
        foot = QHBoxLayout()
        self.said = label("", "small", wrap=True)
        foot.addWidget(self.said, 1)
        self.save = button("Save the report …", "primary", self.save_dialog, "Save the report")
        foot.addWidget(self.save)
        layout.addLayout(foot)
        self._saved = self._told()

    def _sizes(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(0, 1)
        self.fields: list[QLineEdit] = []
        for row, line in enumerate(self.lines):
            name = self._says(line)
            sure = HOLDS_95 * line.sure.piece
            around = f" ± {plain(sure, 2)}" if sure > 0 else ""
            expected = f"expected {plain(line.row.expected.value, 2)}{around} mm"
            grid.addWidget(label(name, "strong", wrap=True), row, 0)
            grid.addWidget(label(expected, "small"), row, 1)
            field = QLineEdit()
            field.setFixedWidth(90)
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
            field.setPlaceholderText("measured")
            field.setAccessibleName(f"{name}, measured, mm")
            field.textChanged.connect(self._look)
            self.fields.append(field)
            grid.addWidget(field, row, 2)
            grid.addWidget(label("mm", "small"), row, 3)
        grid.setRowStretch(len(self.lines) + 1, 1)
        if not self.lines:
            grid.addWidget(label("There is nothing on it to measure.", "quiet"), 0, 0)
        return grid

    def _called(self, size: str) -> str:
        names = {item.size: called(item) for item in self.design.publish.adjust}
        return names.get(size) or say_name(size)

    def _says(self, line: SizeLine) -> str:
        """What a size is called; with its machine where it is made on several."""
        name = capital(self._called(line.row.name))
        several = sum(one.row.name == line.row.name for one in self.lines) > 1
        return f"{name}, on {line.row.process.name}" if several else name

    def _say_fits(self, word: str) -> None:
        self.fits = "" if self.fits == word else word
        for one, pill in self.pills.items():
            restyle(pill, chosen=one == self.fits)
            pill.setAccessibleDescription("chosen" if one == self.fits else "")

    # What is typed

    def wrong(self) -> str:
        """What is wrong with what was typed; empty where nothing is."""
        for line, field in zip(self.lines, self.fields, strict=True):
            text, wanted = field.text().strip(), line.row.wanted.value
            if not text:
                continue
            name = self._says(line)
            value = typed_length(text)
            if value is None:
                return f"{name}: “{text}” is no length: type millimetres, or a unit with it."
            if has_slipped(Reading("length", wanted, value, "", "")):
                return (
                    f"{name}: {plain(value, 3)} mm is far from {plain(wanted, 2)} mm. Look at the "
                    "point, or whether it is that size."
                )
        return ""

    def _look(self) -> None:
        told = self.wrong()
        self.save.setEnabled(not told)
        self._say(told, wrong=bool(told))

    def _say(self, text: str, *, wrong: bool) -> None:
        self.said.setText(text)
        self.said.setObjectName("wrong" if wrong else "small")
        self.said.style().unpolish(self.said)
        self.said.style().polish(self.said)

    # Pictures

    def _show_pictures(self) -> None:
        clear(self._pictures)
        count = len(self.pictures)
        many = f"{count} picture{'s' if count != 1 else ''}" if count else "no picture"
        self._pictures.addWidget(label(many, "small"))
        if count < MOST_PICTURES:
            self._pictures.addWidget(
                button("+ Picture …", "link", self.picture_dialog, "Add a picture")
            )
        if count:
            self._pictures.addWidget(
                button("Remove the last", "link", self._drop_picture, "Remove the last picture")
            )
        self._pictures.addStretch(1)

    def _drop_picture(self) -> None:
        self.pictures.pop()
        self._show_pictures()

    def picture_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "Add a picture", str(Path.home()), "Pictures (*.png *.jpg *.jpeg)"
        )
        if path:
            self.add_picture(Path(path))

    def add_picture(self, path: Path) -> None:
        """Take a picture in, made small enough."""
        reader = QImageReader(str(path))
        reader.setAutoTransform(True)
        image = reader.read()
        data = _small(image)
        if not data:
            self._say(f"{path.name} is no picture that can be read.", wrong=True)
            return
        self.pictures.append(base64.b64encode(data).decode("ascii"))
        self._show_pictures()

    # The file

    def report(self) -> Report:
        """What is told now."""
        return report_of(
            self.choice,
            self.process,
            self.others,
            date=datetime.date.today().isoformat(),
            who=self.who.text().strip(),
            measured=tuple(
                measured_as(self.design, line, value)
                for line, field in zip(self.lines, self.fields, strict=True)
                if (value := typed_length(field.text())) is not None
            ),
            fits=self.fits,
            words=self.words.toPlainText().strip()[:20_000],
            pictures=tuple(self.pictures),
        )

    def save_dialog(self) -> None:
        path = ask_path(self, "report", file_name(self.choice.title), REPORT)
        if path is not None:
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write the report to a file."""
        told = self._told()
        if write_and_say(path, "report", write_report(self.report()), self._say):
            self._saved = told

    def _told(self) -> Report:
        return self.report().model_copy(update={"date": ""})

    @property
    def is_saved(self) -> bool:
        """Whether nothing is told that is not in a file."""
        return not self.wrong() and self._told() == self._saved

    def closeEvent(self, event: QCloseEvent) -> None:
        """What was told is not thrown away without a word."""
        if not self.is_saved:
            answer = ask_before_leaving(
                self, "What you told here is not saved.", may_save=self.save.isEnabled()
            )
            if answer == "save":
                self.save_dialog()
            if answer != "leave" and not self.is_saved:
                event.ignore()
                return
        super().closeEvent(event)


def _small(image: QImage) -> bytes:
    """A picture as JPEG, small enough for a report; empty where there is none."""
    side = _PIXELS
    while not image.isNull() and side >= 200:
        shown = image
        if max(image.width(), image.height()) > side:
            keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode
            shown = image.scaled(side, side, keep, smooth.SmoothTransformation)
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        writer = QImageWriter(buffer, QByteArray(b"jpeg"))
        writer.setQuality(82)
        writer.write(shown)
        picture = bytes(data.data())
        if 0 < len(picture) <= LARGEST_PICTURE:
            return picture
        side = side * 2 // 3
    return b""
