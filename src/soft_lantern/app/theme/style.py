"""The font that comes with the application, and the style sheet made from the theme."""

from __future__ import annotations

import functools
from importlib.resources import files

from PyQt6.QtGui import QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

from soft_lantern.app.theme.colours import Theme, theme

FAMILY = "Atkinson Hyperlegible Next"
SIZE, SMALLEST, LARGEST = 10.0, 7.0, 16.0
"""Points of ordinary text: as it comes, and how far it may be chosen."""

_SHEET = """
* { outline: none; }
QWidget { background: $panel; color: $text; }
QMainWindow, QSplitter::handle { background: $ground; }
QToolTip { background: $raised; color: $text; border: 1px solid $edge; padding: 4px; }
QLabel { background: transparent; }
QLabel[quiet="true"] { color: $quiet; }
QLabel[heading="true"] { color: $quiet; font-weight: bold; }
QLabel[trouble="true"] { color: $trouble; }
QPushButton, QToolButton { background: $raised; border: 1px solid $edge; border-radius: 4px; padding: 4px 10px; }
QToolButton { padding: 3px 6px; }
QPushButton:hover, QToolButton:hover { border-color: $quiet; }
QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus, QSpinBox:focus { border-color: $amber; }
QPushButton:pressed, QToolButton:pressed { background: $edge; }
QPushButton:checked, QToolButton:checked { color: $amber; border-color: $amber; }
QPushButton:checked:focus, QToolButton:checked:focus { background: $edge; }
QPushButton:disabled, QToolButton:disabled { background: transparent; border-style: dashed; color: $quiet; }
QToolButton[start="true"] { padding: 8px; text-align: left; }
QToolButton[start="true"]:focus, QToolButton[start="true"]:hover { border: 2px solid $amber; padding: 7px; }
QPushButton[desk="true"] { background: transparent; border: none; border-radius: 0; padding: 8px 14px; color: $quiet;
    border-bottom: 3px solid transparent; }
QPushButton[desk="true"]:checked { color: $text; border-bottom: 3px solid $amber; }
QPushButton[desk="true"]:hover { color: $text; }
QLineEdit, QComboBox, QSpinBox { background: $ground; border: 1px solid $edge; border-radius: 4px; padding: 3px 6px;
    selection-background-color: $lit; selection-color: $on_lit; }
QLineEdit:disabled, QComboBox:disabled, QSpinBox:disabled { background: transparent; color: $quiet; }
QLineEdit[narrow="true"] { padding: 3px 1px; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: url("$chevron"); width: 10px; height: 10px; }
QSpinBox::up-button, QSpinBox::down-button { border: none; width: 18px; }
QSpinBox::up-arrow { image: url("$chevron_up"); width: 8px; height: 8px; }
QSpinBox::down-arrow { image: url("$chevron"); width: 8px; height: 8px; }
QToolButton::menu-indicator { image: none; }
QComboBox QAbstractItemView { background: $raised; border: 1px solid $edge; selection-background-color: $lit;
    selection-color: $on_lit; }
QTreeView, QListView { background: $ground; border: 1px solid transparent; padding: 3px; show-decoration-selected: 1; }
QCheckBox:focus { color: $amber; }
QCheckBox:focus::indicator { border-color: $amber; }
QTreeView::item, QListView::item { padding: 4px 2px; border-radius: 4px; }
QTreeView::item { border-radius: 0; }
QTreeView::item:selected, QListView::item:selected { background: $lit; color: $on_lit; }
QTreeView::item:hover:!selected, QListView::item:hover:!selected { background: $raised; }
QTabWidget::pane { border: none; border-top: 1px solid $edge; }
QTabBar { background: transparent; }
QTabBar::tab { background: transparent; color: $quiet; padding: 5px 10px; border-bottom: 2px solid transparent; }
QTabBar::tab:selected { color: $text; border-bottom: 2px solid $amber; }
QTabBar::tab:focus { color: $amber; }
QTabBar QToolButton { background: $raised; border: none; padding: 0; }
QTabBar QToolButton::left-arrow { image: url("$chevron_left"); width: 10px; height: 10px; }
QTabBar QToolButton::right-arrow { image: url("$chevron_right"); width: 10px; height: 10px; }
QMenu { background: $raised; border: 1px solid $edge; padding: 4px; }
QMenu::item { padding: 5px 22px 5px 12px; border-radius: 3px; }
QMenu::item:selected { background: $lit; color: $on_lit; }
QMenu::item:disabled { color: $quiet; }
QMenu::separator { height: 1px; background: $edge; margin: 4px 6px; }
QTableView { background: $ground; border: 1px solid $edge; gridline-color: $raised; selection-background-color: $raised;
    selection-color: $text; }
QHeaderView::section { background: $panel; color: $quiet; border: none; border-bottom: 1px solid $edge; padding: 4px; }
QCheckBox::indicator, QTableView::indicator, QListView::indicator {
    width: 12px; height: 12px; border: 1px solid $quiet; border-radius: 3px;
    background: $ground; }
QCheckBox::indicator:checked, QTableView::indicator:checked, QListView::indicator:checked { image: url("$tick"); }
QCheckBox::indicator:disabled { border-color: $edge; }
QProgressBar { background: $ground; border: 1px solid $edge; border-radius: 3px; height: 8px; }
QProgressBar::chunk { background: $amber; border-radius: 2px; }
QScrollArea { border: 1px solid transparent; }
QScrollBar { background: transparent; width: 9px; height: 9px; }
QScrollBar::handle { background: $edge; border-radius: 4px; min-height: 24px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QStatusBar { background: $ground; color: $quiet; }
QStatusBar::item { border: none; }
QFrame[card="true"] { background: $raised; border: 1px solid $edge; border-radius: 6px; }
QFrame[card="true"] QLabel, QFrame[card="true"] QWidget { background: transparent; }
QFrame[card="true"] QLineEdit { background: $ground; }
QFrame[line="true"] { background: $edge; max-width: 1px; }
QFrame[banner="true"] { background: $raised; border-bottom: 1px solid $amber; }
QWidget[surround="true"] { background: $surround; }
QFrame#finder { background: $raised; border: 1px solid $amber; border-radius: 6px; }
QFrame#offer { background: $raised; border: 1px solid $edge; border-radius: 6px; }
QFrame#picker { background: $raised; border: 1px solid $edge; }
QDialog { background: $panel; border: 1px solid $edge; }
QTreeView:focus, QListView:focus, QTableView:focus, QScrollArea:focus { border: 1px solid $amber; }
QPlainTextEdit:focus { border: 1px solid $amber; }
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
"""


def load_font() -> None:
    """Make the shipped font known to Qt and the application's own, with tabular figures."""
    for name in ("Regular", "Bold"):
        data = files("soft_lantern.app.theme").joinpath(f"AtkinsonHyperlegibleNext-{name}.ttf").read_bytes()
        QFontDatabase.addApplicationFontFromData(data)
    QApplication.setFont(app_font())


_size = [SIZE]
_DRESSED = "dressed"
"""The property of the application, and of each window that is dressed, that holds its sheet."""


def use_size(points: float) -> None:
    """Let ordinary text have this size, and all other text go with it."""
    _size[0] = min(max(points, SMALLEST), LARGEST)


def app_font(size: float = SIZE, *, bold: bool = False) -> QFont:
    """The application's font, `size` where ordinary text has its usual size; figures all take the same room."""
    return drawn_font(size * _size[0] / SIZE, bold=bold)


def drawn_font(size: float, *, bold: bool = False) -> QFont:
    """The same font at a size in points, for what has room of its own, such as slips."""
    font = QFont(FAMILY)
    font.setPointSizeF(size)
    font.setBold(bold)
    font.setFeature(QFont.Tag(b"tnum"), 1)
    return font


def apply(application: QApplication) -> None:
    """Let the application and every window that is dressed have the theme and the size of text in use."""
    now, font = theme(), app_font()
    sheet = _filled(now)
    if application.property(_DRESSED) == sheet and application.font() == font:
        return
    palette = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "panel"),
        (QPalette.ColorRole.Base, "ground"),
        (QPalette.ColorRole.AlternateBase, "raised"),
        (QPalette.ColorRole.Text, "text"),
        (QPalette.ColorRole.WindowText, "text"),
        (QPalette.ColorRole.ButtonText, "text"),
        (QPalette.ColorRole.Button, "raised"),
        (QPalette.ColorRole.Highlight, "lit"),
        (QPalette.ColorRole.HighlightedText, "on_lit"),
        (QPalette.ColorRole.PlaceholderText, "quiet"),
        (QPalette.ColorRole.Link, "text"),
        (QPalette.ColorRole.LinkVisited, "text"),
    ):
        palette.setColor(role, now.colour(name))
    windows = [each for each in application.topLevelWidgets() if each.property(_DRESSED)]
    for each in windows:
        each.setStyleSheet("")  # a sheet in place of another takes several times as long
    application.setPalette(palette)
    application.setFont(font)
    application.setProperty(_DRESSED, sheet)
    for each in windows:
        dress(each)


def dress(window: QWidget) -> None:
    """Dress a window, with all that is in it and opens over it, in the theme in use; it follows when that changes.

    A sheet is the window's and not the application's, and comes last: while there is one, Qt goes through all that a
    widget holds whenever it becomes part of another, which made a desk five times as slow to build.
    """
    sheet = _filled(theme())
    window.setStyleSheet(sheet)
    window.setProperty(_DRESSED, sheet)


@functools.cache
def _filled(now: Theme) -> str:
    sheet = _SHEET
    for role in sorted(Theme.__struct_fields__, key=len, reverse=True):
        sheet = sheet.replace(f"${role}", getattr(now, role))
    for picture in ("chevron_left", "chevron_right", "chevron_up", "chevron", "tick"):
        sheet = sheet.replace(f"${picture}", str(files("soft_lantern.app.theme").joinpath(f"{picture}_{now.name}.svg")))
    return sheet
