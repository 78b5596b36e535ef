"""Colours, typeface and the style sheet, in a light and a dark family."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

from ..core.steps import Step

SANS, MONO = "IBM Plex Sans", "IBM Plex Mono"


@dataclass(frozen=True, slots=True)
class Theme:
    """Named colours as ``#RRGGBB``."""

    paper: str = "#F6F3EC"
    surface: str = "#FFFEFA"
    view: str = "#FBF9F4"
    ink: str = "#1F2A37"
    quiet: str = "#5F6873"
    rule: str = "#D5CDBE"
    chip: str = "#EFE7DA"
    madder: str = "#A63D2B"
    sage: str = "#4F7A57"
    sage_text: str = "#41684A"
    ochre: str = "#B97A12"
    ochre_text: str = "#855607"
    ochre_wash: str = "#FBF0DA"
    kraft: str = "#C9A36A"
    slate: str = "#5E7A8C"
    plum: str = "#86618A"
    plum_text: str = "#75527A"
    slate_text: str = "#47626F"
    rail: str = "#1F2A37"
    rail_text: str = "#C9CDD2"
    on_dark: str = "#FFFEFA"
    grey: str = "#B9B4AA"
    dark: bool = False

    def tint(self, lens: str) -> str:
        """Colour of the part under a lens."""
        return {"wanted": self.kraft, "sent": self.slate, "expected": self.plum}[lens]


LIGHT = Theme()
DARK = Theme(
    paper="#20262D", surface="#282F37", view="#1C2127", ink="#ECE6DA", quiet="#A9AEB3",
    rule="#434B54", chip="#37404A",
    madder="#E58671", sage="#8DB795", sage_text="#9CC4A3", ochre="#DDA94F", ochre_text="#E2B566",
    ochre_wash="#3A3222",
    kraft="#C9A36A", slate="#7E9BAE", plum="#A985AD", plum_text="#C3A3C7", slate_text="#A3BCCB",
    rail="#14181D",
    rail_text="#B5BBC1", on_dark="#FFFEFA", grey="#6A6E72", dark=True,
)  # fmt: skip

_current = LIGHT


def theme() -> Theme:
    """The theme in use."""
    return _current


def _sheet(t: Theme) -> str:
    on_primary = t.on_dark if not t.dark else "#1B1512"
    return f"""
    * {{ font-family: "{SANS}"; font-size: 13px; color: {t.ink}; }}
    QMainWindow, QDialog, QWidget#paper {{ background: {t.paper}; }}
    QWidget#sheet, QScrollArea#sheet, QWidget#column {{ background: {t.surface}; }}
    QWidget#page {{ background: {t.paper}; }}
    QScrollArea {{ border: none; background: transparent; }}
    QMenuBar {{ background: {t.paper}; border-bottom: 1px solid {t.rule}; padding: 2px 8px; }}
    QMenuBar::item {{ background: transparent; padding: 4px 9px; color: {t.quiet};
        border-radius: 4px; }}
    QMenuBar::item:selected {{ background: {t.chip}; color: {t.ink}; }}
    QMenu {{ background: {t.surface}; border: 1px solid {t.rule}; padding: 4px; }}
    QMenu::item {{ padding: 5px 26px 5px 14px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {t.chip}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 8px; }}
    QToolTip {{ background: {t.ink}; color: {t.paper}; border: none; padding: 5px 8px; }}
    QLabel#title {{ font-size: 18px; font-weight: 600; }}
    QLabel#heading {{ font-size: 15px; font-weight: 600; }}
    QLabel#page_title {{ font-size: 22px; font-weight: 600; }}
    QLabel#group {{ font-size: 11px; font-weight: 600; color: {t.quiet}; }}
    QLabel#quiet, QLabel#note {{ color: {t.quiet}; }}
    QLabel#small {{ color: {t.quiet}; font-size: 12px; }}
    QLabel#strong {{ font-weight: 600; }}
    QLabel#mono {{ font-family: "{MONO}"; color: {t.quiet}; font-size: 12px; }}
    QLabel#wrong {{ color: {t.ochre_text}; font-size: 12px; }}
    QLabel[wrong="true"], QLabel#small[wrong="true"],
    QLabel#quiet[wrong="true"] {{ color: {t.ochre_text}; }}
    QLabel#good {{ color: {t.sage_text}; }}
    QFrame#rule {{ background: {t.rule}; max-height: 1px; min-height: 1px; border: none; }}
    QFrame#card {{ background: {t.surface}; border: 1px solid {t.rule}; border-radius: 6px; }}
    QFrame#card[chosen="true"] {{ border: 1px solid {t.ink}; }}
    QFrame#card[wrong="true"] {{ border: 1px solid {t.ochre}; background: {t.ochre_wash}; }}
    QFrame#warning {{ background: {t.ochre_wash}; border: 1px solid {t.ochre}; border-radius: 6px;
        }}
    QFrame#row:focus {{ background: {t.chip}; border-radius: 5px; }}
    QFrame#row[chosen="true"] {{ background: {t.chip}; border-radius: 5px; }}
    QFrame#row[wrong="true"] {{ background: {t.ochre_wash}; border-left: 3px solid {t.ochre}; }}
    QFrame#row[hover="true"] {{ background: {t.paper}; border-radius: 5px; }}
    QLineEdit, QPlainTextEdit, QComboBox {{ background: {t.surface}; border: 1px solid {t.rule};
        border-radius: 4px;
        padding: 4px 7px; selection-background-color: {t.kraft}; selection-color: #1F2A37; }}
    QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus {{ border: 1px solid {t.ink}; }}
    QLineEdit#formula {{ font-family: "{MONO}"; }}
    QLineEdit#formula[wrong="true"] {{ border: 1px solid {t.ochre}; }}
    QComboBox::drop-down {{ border: none; width: 24px; }}
    QComboBox::down-arrow {{ image: url({_asset("down", t)}); width: 12px; height: 12px; }}
    QSlider::groove:horizontal {{ height: 3px; background: {t.rule}; border-radius: 1px; }}
    QSlider::sub-page:horizontal {{ background: {t.kraft}; border-radius: 1px; }}
    QSlider::handle:horizontal {{ background: {t.ink}; width: 12px; height: 12px; margin: -5px 0;
        border-radius: 6px; }}
    QSlider::handle:horizontal:hover {{ background: {t.madder}; }}
    QComboBox QAbstractItemView {{ background: {t.surface}; border: 1px solid {t.rule};
        selection-background-color: {t.chip}; selection-color: {t.ink}; outline: none; }}
    QListWidget {{ background: {t.surface}; border: none; }}
    QListWidget::item {{ padding: 3px 4px; border-radius: 5px; }}
    QListWidget::item:disabled {{ color: {t.quiet}; padding-top: 9px; }}
    QListWidget::item:selected {{ background: {t.chip}; color: {t.ink}; }}
    QListView#completion {{ background: {t.surface}; border: 1px solid {t.ink};
        font-family: "{MONO}";
        selection-background-color: {t.chip}; selection-color: {t.ink}; outline: none;
            padding: 2px; }}
    QPushButton {{ background: {t.surface}; border: 1px solid {t.rule}; border-radius: 4px;
        padding: 5px 12px; }}
    QPushButton:hover {{ border-color: {t.ink}; }}
    QPushButton:focus {{ border-color: {t.ink}; }}
    QPushButton:disabled {{ color: {t.quiet}; background: {t.paper}; border-color: {t.rule}; }}
    QPushButton#primary {{ background: {t.madder}; border: 1px solid {t.madder};
        color: {on_primary};
        font-weight: 600; padding: 6px 16px; }}
    QPushButton#primary:hover, QPushButton#primary:focus {{ border-color: {t.ink}; }}
    QPushButton#primary:disabled {{ background: {t.rule}; border-color: {t.rule}; color: {t.quiet};
        }}
    QPushButton#plain, QToolButton#plain {{ background: transparent; border: 1px solid transparent;
        padding: 3px 6px;
        color: {t.quiet}; border-radius: 4px; }}
    LookBar QPushButton#plain {{ padding: 3px 4px; }}
    LookBar QToolButton#plain {{ padding: 3px 0px; }}
    QPushButton#plain:hover, QToolButton#plain:hover,
    QPushButton#plain:focus, QToolButton#plain:focus
        {{ color: {t.ink}; border-color: {t.rule}; }}
    QPushButton#plain:disabled, QToolButton#plain:disabled, QPushButton#quiet_link:disabled,
    QToolButton#choice:disabled, QPushButton#chip:disabled, QToolButton#chip:disabled,
    QToolButton#pick:disabled, QPushButton#pill:disabled
        {{ color: {t.grey}; }}
    QPushButton#link {{ background: transparent; border: 1px solid transparent; color: {t.madder};
        font-weight: 600;
        padding: 2px 4px; border-radius: 4px; text-align: left; }}
    QPushButton#quiet_link {{ background: transparent; border: 1px solid transparent;
        color: {t.quiet}; padding: 1px 4px; border-radius: 4px; text-align: left; }}
    QPushButton#link:disabled {{ color: {t.quiet}; font-weight: 400; }}
    QPushButton#link:hover, QPushButton#link:focus, QPushButton#quiet_link:hover,
    QPushButton#quiet_link:focus {{ border-color: {t.rule}; }}
    QPushButton#chip, QToolButton#chip {{ background: {t.chip}; border: 1px solid {t.chip};
        border-radius: 4px;
        padding: 1px 7px; font-family: "{MONO}"; font-size: 12px; }}
    QToolButton#choice {{ background: transparent; border: none;
        border-bottom: 1px dotted {t.quiet}; padding: 1px 0px; }}
    QToolButton#choice:hover, QToolButton#choice:focus {{ border-bottom: 1px solid {t.madder}; }}
    QToolButton#pick {{ background: transparent; border: 1px solid {t.rule}; border-radius: 4px;
        padding: 1px 3px; }}
    QPushButton#plain:checked {{ color: {t.madder}; }}
    QToolButton#pick:checked {{ border: 1px solid {t.madder}; color: {t.madder}; }}
    QToolButton::menu-indicator {{ image: none; width: 0px; }}
    QPushButton#chip:hover, QPushButton#chip:focus, QToolButton#pick:hover, QToolButton#pick:focus
        {{ border: 1px solid {t.ink}; }}
    QPushButton#chip[wrong="true"] {{ border: 1px solid {t.ochre}; background: {t.ochre_wash}; }}
    QPushButton#pill {{ border-radius: 12px; padding: 4px 14px; min-height: 16px;
        background: {t.paper}; }}
    QPushButton#pill[chosen="true"] {{ background: {t.kraft}; border-color: {t.kraft};
        font-weight: 600; color: #1F2A37; }}
    QPushButton#verdict {{ border-radius: 11px; padding: 4px 14px; min-height: 15px; border: none;
        font-weight: 600; }}
    QPushButton#verdict[holds="true"] {{ background: {"#DDE8DD" if not t.dark else "#2C3A30"};
        color: {t.sage_text}; }}
    QPushButton#verdict[holds="false"] {{ background: {t.ochre_wash}; color: {t.ochre_text}; }}
    QPushButton#verdict[holds=""] {{ background: {t.chip}; color: {t.quiet}; }}
    QPushButton#verdict:focus, QPushButton#verdict:hover {{ border: 1px solid {t.ink}; }}
    QWidget#rail {{ background: {t.rail}; }}
    QToolButton#rail {{ background: transparent; border: none; border-left: 3px solid transparent;
        color: {t.rail_text}; font-size: 12px; padding: 10px 0 8px 0; }}
    QToolButton#rail:hover, QToolButton#rail:focus {{ color: #FFFEFA; background: #2B3848; }}
    QToolButton#rail:checked {{ color: #FFFEFA; background: #2F3D4E;
        border-left: 3px solid {t.kraft}; }}
    QWidget#foot {{ background: {t.rail}; }}
    QWidget#foot QLabel {{ color: #E6E2D8; font-size: 12px; }}
    QCheckBox {{ spacing: 7px; }}
    QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {t.quiet};
        border-radius: 3px; background: {t.surface}; }}
    QCheckBox::indicator:checked {{ background: {t.ink}; border-color: {t.ink};
        image: url({_asset("tick", t)}); }}
    QCheckBox:focus {{ color: {t.madder}; }}
    QProgressBar {{ background: {t.rule}; border: none; border-radius: 2px; max-height: 4px;
        min-height: 4px; }}
    QProgressBar::chunk {{ background: {t.madder}; border-radius: 2px; }}
    QTableWidget {{ background: {t.surface}; border: 1px solid {t.rule}; border-radius: 6px;
        gridline-color: transparent; }}
    QTableWidget::item {{ padding: 4px 8px; border-bottom: 1px solid {t.rule}; }}
    QTableWidget::item:selected {{ background: {t.chip}; color: {t.ink}; }}
    QTableWidget {{ outline: none; }}
    QHeaderView::section {{ background: {t.surface}; border: none; border-bottom: 1px solid {t.ink};
        padding: 6px 8px;
        color: {t.quiet}; font-weight: 600; }}
    QTextBrowser {{ background: {t.surface}; border: 1px solid {t.rule}; border-radius: 6px;
        padding: 10px 18px; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.rule}; border-radius: 4px; min-height: 30px;
        margin: 1px; }}
    QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {t.rule}; border-radius: 4px; min-width: 30px;
        margin: 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QSplitter::handle {{ background: {t.rule}; }}
    """


def _asset(name: str, t: Theme) -> str:
    """Path of a picture that the style sheet uses."""
    file = f"{name}-dark.svg" if t.dark else f"{name}.svg"
    return str(files(__package__).joinpath("assets", "icons", file)).replace("\\", "/")


def load_fonts() -> None:
    """Make the typefaces that ship known to Qt."""
    folder = files("schablone.fonts")
    for entry in folder.iterdir():
        if entry.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(QByteArray(entry.read_bytes()))


def apply_theme(application: QApplication, chosen: Theme) -> None:
    """Put a theme onto the whole application."""
    global _current
    _current = chosen
    application.setStyle("Fusion")
    palette = QPalette()
    for role, text in (
        (QPalette.ColorRole.Window, chosen.paper),
        (QPalette.ColorRole.Base, chosen.surface),
        (QPalette.ColorRole.Text, chosen.ink),
        (QPalette.ColorRole.WindowText, chosen.ink),
        (QPalette.ColorRole.ButtonText, chosen.ink),
        (QPalette.ColorRole.Button, chosen.surface),
        (QPalette.ColorRole.Highlight, chosen.kraft),
        (QPalette.ColorRole.HighlightedText, "#1F2A37"),
        (QPalette.ColorRole.PlaceholderText, chosen.quiet),
        (QPalette.ColorRole.Link, chosen.madder),
    ):
        palette.setColor(role, QColor(text))
    application.setPalette(palette)
    font = QFont(SANS)
    font.setPixelSize(13)
    application.setFont(font)
    application.setStyleSheet(_sheet(chosen))


def mono(pixels: int = 12) -> QFont:
    """The typeface of formulas."""
    font = QFont(MONO)
    font.setPixelSize(pixels)
    return font


def icon(name: str, colour: str, size: int = 28) -> QIcon:
    """One of Schablone's own icons, drawn in a colour, sharp at two pixels a point."""
    return _drawn(
        files(__package__).joinpath("assets", "icons", f"{name}.svg").read_text("utf8"),
        colour,
        size,
    )


def kind_icon(kind: type[Step], colour: str, size: int = 28) -> QIcon:
    """The icon of a kind of step: the one that it brings, or the program's own for it."""
    return (
        _drawn(kind.icon, colour, size)
        if kind.icon
        else icon(kind.model_fields["kind"].default, colour, size)
    )


def _drawn(source: str, colour: str, size: int) -> QIcon:
    renderer = QSvgRenderer(QByteArray(source.replace("currentColor", colour).encode("utf8")))
    pixmap = QPixmap(QSize(size, size) * 2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    renderer.render(painter, QRectF(0, 0, size * 2, size * 2))
    painter.end()
    pixmap.setDevicePixelRatio(2.0)
    return QIcon(pixmap)
