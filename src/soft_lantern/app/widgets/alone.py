"""Shows one widget by itself, for working on it."""

from __future__ import annotations

import sys
from collections.abc import Callable

from PyQt6.QtWidgets import QApplication, QWidget

from soft_lantern.app.theme import style


def show_alone(make: Callable[[], QWidget]) -> None:
    """Run the application with nothing but the widget that `make` gives."""
    application = QApplication(sys.argv)
    style.load_font()
    style.apply(application)
    widget = make()
    style.dress(widget)
    widget.show()
    sys.exit(application.exec())
