"""Starts the window."""

from __future__ import annotations

import gc
import signal
import sys
from pathlib import Path

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtWidgets import QApplication

from soft_lantern.app.garbage import GarbageCollector
from soft_lantern.app.theme import colours, style
from soft_lantern.app.window import MainWindow

SETTLED = 5000
"""Milliseconds after which what has been opened is taken to stay, so that looking for garbage passes it over."""
TURN = 0.0005
"""Seconds after which a thread that computes lets the window's thread go on, when it asks to."""


def run(folder: Path, only: str | None = None) -> int:
    """Open the window on a project's folder and stay until it is closed; the exit code. `only`: the one desk shown."""
    application = make_application()
    window = MainWindow(folder, only=only)
    window.show()
    signal.signal(signal.SIGINT, lambda *_: window.close())
    beat = QTimer()
    beat.start(300)  # lets Python see the signal
    beat.timeout.connect(lambda: None)
    QTimer.singleShot(SETTLED, gc.freeze)
    return application.exec()


def make_application() -> QApplication:
    """The Qt application with the shipped font and the theme chosen last."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Soft Lantern")
    sys.setswitchinterval(TURN)
    application.setStyle("Fusion")
    chosen = str(QSettings("Soft Lantern", "Soft Lantern").value("theme", "dusk"))
    colours.use(colours.THEMES.get(chosen, colours.DUSK))
    if not application.findChild(GarbageCollector):
        GarbageCollector(application)
    style.load_font()
    style.apply(application)
    return application
