"""Which theme is chosen: remembered from one start to the next."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from soft_lantern.app.theme import colours, style
from soft_lantern.app.theme.remembered import remembered


def dress(application: QApplication) -> None:
    """Dress the application in the theme chosen last; before any choice, in paper unless the desktop asks for dark."""
    first = colours.DUSK if _asked_for(application) is Qt.ColorScheme.Dark else colours.PAPER
    colours.use(colours.THEMES.get(str(remembered().value("theme", "")), first))
    style.load_font()
    style.apply(application)


def switch_theme() -> None:
    """From paper to dusk and back."""
    chosen = colours.PAPER if colours.theme() is colours.DUSK else colours.DUSK
    colours.use(chosen)
    remembered().setValue("theme", chosen.name)
    application = QApplication.instance()
    if isinstance(application, QApplication):
        style.apply(application)
        for widget in application.topLevelWidgets():
            widget.update()


def _asked_for(application: QApplication) -> Qt.ColorScheme:
    """What the desktop asks of its programs; unknown where it says nothing."""
    hints = application.styleHints()
    return hints.colorScheme() if hints else Qt.ColorScheme.Unknown
