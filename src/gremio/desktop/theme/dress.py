"""Dressing the application: fonts, palette, style sheet."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from gremio.desktop.theme.inks import Inks

_FONTS = Path(__file__).parent / "fonts"
_ICONS = Path(__file__).parent / "icons"
TEXT, CODE = "B612", "DejaVu Sans Mono"


def load_fonts() -> None:
    """Make the shipped fonts known to Qt."""
    for file in sorted([*_FONTS.glob("*.otf"), *_FONTS.glob("*.ttf")]):
        QFontDatabase.addApplicationFont(str(file))


def text_font(size: float = 9, *, bold: bool = False) -> QFont:
    """The text face. size in points: 9 is the running text."""
    font = QFont(TEXT)
    font.setPointSizeF(size)
    font.setBold(bold)
    return font


def digit_font(size: float = 9) -> QFont:
    """The face for numbers: that of the text, whose figures are all of one width."""
    return text_font(size)


def code_font(size: float = 9) -> QFont:
    """The face for formulas, in which no bracket can be taken for another."""
    font = QFont(CODE)
    font.setPointSizeF(size)
    return font


def palette(inks: Inks) -> QPalette:
    """Qt's palette in our inks."""
    made = QPalette()
    roles = {
        QPalette.ColorRole.Window: inks.panel,
        QPalette.ColorRole.Base: inks.panel,
        QPalette.ColorRole.AlternateBase: inks.wash,
        QPalette.ColorRole.Button: inks.panel,
        QPalette.ColorRole.Text: inks.ink,
        QPalette.ColorRole.WindowText: inks.ink,
        QPalette.ColorRole.ButtonText: inks.ink,
        QPalette.ColorRole.ToolTipBase: inks.panel,
        QPalette.ColorRole.ToolTipText: inks.ink,
        QPalette.ColorRole.Highlight: inks.wash,
        QPalette.ColorRole.HighlightedText: inks.ink,
        QPalette.ColorRole.PlaceholderText: inks.second,
    }
    for role, colour in roles.items():
        made.setColor(role, QColor(colour))
    return made


def _dialog_icons(inks: Inks) -> str:
    """What a dialog for files shows in place of the toolkit's coloured pictures."""
    ink = "night" if inks.night else "day"
    names = {
        "directory-icon": "folder",
        "directory-open-icon": "folder",
        "directory-closed-icon": "folder",
        "file-icon": "file",
        "home-icon": "folder",
        "desktop-icon": "folder",
        "computer-icon": "computer",
        "filedialog-parent-directory-icon": "up",
        "filedialog-new-directory-icon": "folder-new",
        "backward-icon": "back",
        "forward-icon": "on",
        "leftarrow-icon": "back",
        "rightarrow-icon": "on",
        "filedialog-detailedview-icon": "details",
        "filedialog-listview-icon": "list",
    }
    files = {name: (_ICONS / f"{icon}-{ink}.svg").as_posix() for name, icon in names.items()}
    return " ".join(f"{name}: url({file});" for name, file in files.items())


def style_sheet(inks: Inks) -> str:
    """The style sheet in our inks. State is shown by shape and ink, not by fills."""
    return f"""
    QMainWindow, #frame {{ background: {inks.panel}; }}
    QDialogButtonBox, QFileDialog {{ dialogbuttonbox-buttons-have-icons: 0; }}
    QFileDialog {{ {_dialog_icons(inks)} }}
    QHeaderView::section {{ background: {inks.panel}; color: {inks.second}; border: none;
        border-bottom: 1px solid {inks.rule}; padding: 3px 6px; }}
    QToolButton {{ border: 1px solid transparent; border-radius: 3px; padding: 2px; }}
    QToolButton:hover, QToolButton:focus {{ border-color: {inks.ink}; }}
    QMenuBar {{ background: transparent; spacing: 2px; }}
    QMenuBar::item {{ padding: 4px 8px; background: transparent; color: {inks.second}; }}
    QMenuBar::item:selected {{ color: {inks.ink}; background: {inks.wash}; }}
    QMenu {{ background: {inks.panel}; border: 1px solid {inks.rule}; padding: 4px 0; }}
    QMenu::item {{ padding: 5px 24px 5px 14px; }}
    QMenu::item:selected {{ background: {inks.wash}; }}
    QMenu::item:disabled {{ color: {inks.second}; }}
    QMenu::separator {{ height: 1px; background: {inks.rule}; margin: 4px 10px; }}
    QToolTip {{ background: {inks.panel}; color: {inks.ink}; border: 1px solid {inks.rule};
        padding: 3px; }}
    QLineEdit, QComboBox {{ background: {inks.field}; border: 1px solid {inks.rule};
        border-radius: 3px; padding: 2px 6px; min-height: 17px;
        selection-background-color: {inks.wash}; selection-color: {inks.ink}; }}
    QLineEdit:focus, QComboBox:focus {{ border: 1px solid {inks.ink}; }}
    QLineEdit[wrong="true"] {{ border: 1px dashed {inks.time}; }}
    QLineEdit[before="true"] {{ color: {inks.time}; font-style: italic; }}
    QLineEdit[quiet="true"] {{ border: 1px solid transparent; background: transparent;
        padding: 0; }}
    QLineEdit[quiet="true"]:hover {{ border-bottom: 1px solid {inks.rule}; }}
    QLineEdit[quiet="true"]:focus {{ border-bottom: 1px solid {inks.ink}; }}
    QLineEdit:disabled {{ color: {inks.second}; background: transparent; }}
    QComboBox {{ padding-left: 3px; padding-right: 0; }}
    QComboBox::drop-down {{ border: none; width: 14px; }}
    QComboBox QAbstractItemView {{ background: {inks.panel}; border: 1px solid {inks.rule};
        selection-background-color: {inks.wash}; selection-color: {inks.ink}; outline: 0; }}
    QPushButton {{ border: 1px solid {inks.rule}; border-radius: 3px; padding: 4px 10px;
        background: transparent; }}
    QPushButton:hover {{ border-color: {inks.ink}; }}
    QPushButton:focus {{ border: 1px solid {inks.ink}; }}
    QPushButton:disabled {{ color: {inks.second}; }}
    QPushButton[main="true"] {{ background: {inks.hand}; color: {inks.panel};
        border: 1px solid {inks.hand}; font-weight: bold; padding: 2px 8px;
        min-height: 17px; }}
    QPushButton[verb="true"] {{ background: {inks.wash}; border: 1px solid {inks.wash};
        padding: 2px 5px; min-height: 17px; }}
    QPushButton[verb="true"]:hover {{ border-color: {inks.second}; }}
    QPushButton[verb="true"]:focus {{ border-color: {inks.ink}; }}
    QPushButton[dots="true"] {{ border: none; padding: 0 3px; color: {inks.second};
        font-weight: bold; }}
    QPushButton[dots="true"]:hover, QPushButton[dots="true"]:focus {{ color: {inks.ink};
        background: {inks.wash}; }}
    QPushButton[section="true"] {{ border: none; padding: 1px 0; text-align: left;
        font-weight: bold; }}
    QPushButton[section="true"]:hover, QPushButton[section="true"]:focus
        {{ text-decoration: underline; }}
    QPushButton[section="true"]:disabled {{ color: {inks.ink}; }}
    QPushButton[word="true"] {{ border: none; padding: 2px 2px; text-align: left; }}
    QPushButton[word="true"]:hover, QPushButton[word="true"]:focus
        {{ text-decoration: underline; }}
    QPushButton[slab="true"] {{ background: {inks.wash}; border: 1px solid {inks.wash};
        padding: 6px 10px; text-align: left; }}
    QPushButton[slab="true"]:hover, QPushButton[slab="true"]:focus
        {{ border: 1px solid {inks.second}; }}
    QPushButton[tab="true"] {{ border: none; border-bottom: 3px solid transparent;
        border-radius: 0; padding: 5px 2px 4px 2px; color: {inks.second}; }}
    QPushButton[tab="true"]:checked {{ color: {inks.ink}; font-weight: bold;
        border-bottom: 3px solid {inks.hand}; }}
    QPushButton[tab="true"]:focus {{ color: {inks.ink}; }}
    QLabel[second="true"] {{ color: {inks.second}; }}
    QLabel[keys="true"] {{ border-bottom: 2px solid {inks.ink}; }}
    QLabel[keys="false"] {{ border-bottom: 2px solid transparent; }}
    QLabel[warning="true"] {{ color: {inks.time}; }}
    QCheckBox {{ spacing: 6px; }}
    QTreeView, QListWidget, QScrollArea, QTableWidget {{ background: transparent; border: none;
        outline: 0; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QSplitter::handle {{ background: {inks.rule}; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {inks.rule}; border-radius: 3px;
        min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 8px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {inks.rule}; border-radius: 3px;
        min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page
        {{ background: transparent; border: none; width: 0; height: 0; }}
    #rule {{ background: {inks.rule}; border: none; }}
    #head, #bar {{ background: {inks.panel}; border-bottom: 1px solid {inks.rule}; }}
    #bar {{ background: {inks.wash}; }}
    #left, #right, #deck {{ background: {inks.panel}; }}
    #deck {{ border-top: 1px solid {inks.rule}; }}
    #right {{ border-left: 1px solid {inks.rule}; }}
    #left {{ border-right: 1px solid {inks.rule}; }}
    #teach {{ background: {inks.panel}; border-bottom: 1px solid {inks.rule}; }}
    #ribbon, #message, #find {{ background: {inks.panel}; border: 1px solid {inks.rule};
        border-radius: 4px; }}
    """


def dress(app: QApplication, inks: Inks) -> None:
    """Put the application in a set of inks."""
    app.setPalette(palette(inks))
    app.setStyleSheet(style_sheet(inks))
