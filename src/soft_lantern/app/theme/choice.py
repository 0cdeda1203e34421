"""Which theme and size of text are chosen: remembered from one start to the next."""

from __future__ import annotations

from PyQt6.QtCore import QCoreApplication, Qt
from PyQt6.QtWidgets import QApplication

from soft_lantern.app.theme import colours, style
from soft_lantern.app.theme.remembered import remembered, remembered_number


def dress(application: QApplication) -> None:
    """Dress the application in the theme chosen last; before any choice, in paper unless the desktop asks for dark."""
    style.use_size(text_size())
    style.load_font()
    _dress_again(application)


def chosen_theme() -> str:
    """The name of the theme that was chosen; "" where it goes by the desktop."""
    name = str(remembered().value("theme", ""))
    return name if name in colours.THEMES else ""


def choose_theme(name: str) -> None:
    """Another theme by its name, or "" to go by the desktop."""
    remembered().setValue("theme", name)
    _dress_again(QApplication.instance())


def switch_theme() -> None:
    """From paper to dusk and back."""
    choose_theme("paper" if colours.theme() is colours.DUSK else "dusk")


def text_size() -> float:
    """The size of ordinary text, in points."""
    return remembered_number("text size", style.SIZE, style.SMALLEST, style.LARGEST)


def choose_text_size(points: float) -> None:
    """Another size of text. What has a size of its own follows in windows opened from then on."""
    remembered().setValue("text size", points)
    style.use_size(points)
    _dress_again(QApplication.instance())


def _dress_again(application: QCoreApplication | None) -> None:
    if not isinstance(application, QApplication):
        return
    first = colours.DUSK if _asked_for(application) is Qt.ColorScheme.Dark else colours.PAPER
    colours.use(colours.THEMES.get(chosen_theme(), first))
    style.apply(application)
    for widget in application.topLevelWidgets():
        widget.update()


def _asked_for(application: QApplication) -> Qt.ColorScheme:
    """What the desktop asks of its programs; unknown where it says nothing."""
    hints = application.styleHints()
    return hints.colorScheme() if hints else Qt.ColorScheme.Unknown
