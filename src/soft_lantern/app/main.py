"""Starts the window."""

from __future__ import annotations

import atexit
import gc
import logging
import os
import sys
import threading
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from soft_lantern.app.theme import choice
from soft_lantern.app.window.window import MainWindow
from soft_lantern.app.work.garbage import GarbageCollector
from soft_lantern.app.work.mishaps import keep_log, of_application
from soft_lantern.app.work.signals import Signals

SETTLED = 5000
"""Milliseconds after which what has been opened is taken to stay, so that looking for garbage passes it over."""
TURN = 0.0005
"""Seconds after which a thread that computes lets the window's thread go on, when it asks to."""


def run(folder: Path, only: str | None = None) -> int:
    """Open the window on a project's folder and stay until it is closed; the exit code. `only`: the one desk shown."""
    application = make_application()
    window = MainWindow(folder, only=only)
    window.show()
    signals = Signals(application)
    ended = [0]

    def end(number: int) -> None:
        """What the system asks for is not to be answered by a question: keep what is not saved, and go."""
        ended[0] = 128 + number
        window.end_at_once()

    signals.came.connect(end)
    QTimer.singleShot(SETTLED, gc.freeze)
    code = application.exec()
    signals.stop()
    code = ended[0] or code
    if any(each is not threading.current_thread() and each.is_alive() for each in threading.enumerate()):
        _end_now(code)
    return code


def _end_now(code: int) -> None:
    """A thread that is still within the graphics driver would crash the program while the driver is unloaded."""
    logging.shutdown()
    for stream in (sys.stdout, sys.stderr):
        stream.flush()
    os._exit(code)


_kept: list[QApplication] = []


def _close_all() -> None:
    application = QApplication.instance()
    for widget in QApplication.topLevelWidgets() if application else ():
        if isinstance(widget, MainWindow) and not sip.isdeleted(widget):
            widget.end_at_once()


def make_application() -> QApplication:
    """The Qt application with the shipped font and the theme chosen last."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    _kept[:] = [application]  # its end would take every widget and thread's relay with it
    application.setApplicationName("Soft Lantern")
    sys.setswitchinterval(TURN)
    application.setStyle("Fusion")
    if not application.findChild(GarbageCollector):
        GarbageCollector(application)
        atexit.register(_close_all)  # a script may end with windows open, and threads may not outlive them
    keep_log()
    of_application()
    choice.dress(application)
    return application
