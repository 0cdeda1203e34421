"""Which theme is chosen: remembered from one start to the next."""

from __future__ import annotations

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from soft_lantern.app.theme import colours, style


def dress(application: QApplication) -> None:
    """Dress the application in the theme chosen last, dusk at first."""
    colours.use(colours.THEMES.get(str(_settings().value("theme", "dusk")), colours.DUSK))
    style.load_font()
    style.apply(application)


def switch_theme() -> None:
    """From dusk to paper and back."""
    chosen = colours.PAPER if colours.theme() is colours.DUSK else colours.DUSK
    colours.use(chosen)
    _settings().setValue("theme", chosen.name)
    application = QApplication.instance()
    if isinstance(application, QApplication):
        style.apply(application)
        for widget in application.topLevelWidgets():
            widget.update()


def _settings() -> QSettings:
    return QSettings("Soft Lantern", "Soft Lantern")
