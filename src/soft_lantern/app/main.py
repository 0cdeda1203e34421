"""Starts the application: the start page, or the window of a project."""

from __future__ import annotations

import atexit
import contextlib
import gc
import logging
import os
import sys
import threading
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from soft_lantern.app.session.left_open import keep_open, taken_left_open
from soft_lantern.app.theme import choice
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.app.work.garbage import GarbageCollector
from soft_lantern.app.work.mishaps import Mishaps
from soft_lantern.app.work.only_one import only_one
from soft_lantern.app.work.signals import Signals
from soft_lantern.errors import LanternError

SETTLED = 5000
"""Milliseconds after which what has been opened is taken to stay, so that looking for garbage passes it over."""
TURN = 0.0005
"""Seconds after which a thread that computes lets the window's thread go on, when it asks to."""


def run(folder: Path | None, only: str | None = None) -> int:
    """Open the window on a project's folder, or the start page, and stay until all are closed; the exit code.

    `only`: the one desk shown. Raises BadProject.
    """
    application = make_application()
    windows = Windows(application)
    if folder is None:
        windows.begin()
    else:
        windows.open(folder, only)
    signals = Signals(application)
    ended = [0]

    def end(number: int) -> None:
        """What the system asks for is not to be answered by a question: keep what is not saved, and go."""
        ended[0] = 128 + number
        windows.stay = True
        _close_all()
        application.quit()

    signals.came.connect(end)
    QTimer.singleShot(SETTLED, gc.freeze)
    code = application.exec()
    signals.stop()
    code = ended[0] or code
    if any(each is not threading.current_thread() and each.is_alive() for each in threading.enumerate()):
        _end_now(code)
    return code


class Windows(QObject):
    """The windows of one run of the application. Each kind is imported when it is first wanted."""

    def __init__(self, application: QApplication) -> None:
        super().__init__(application)
        self._kept: list[QWidget] = []
        self._began = False
        self._toured = NewestAnswer("tour", self, self._open_tour, self._say_failed)
        self.stay = False
        """Whether windows that close from now on are to come back at the next start."""

    def begin(self) -> None:
        """Bring back the windows of a program that ended without a word; where there was none, the start page."""
        for folder in taken_left_open():
            with contextlib.suppress(LanternError):
                self.open(folder)
        if not self._shown():
            self.start()

    def open(self, folder: Path, only: str | None = None, *, tour: bool = False) -> None:
        """Open a window on a project, with the tour across it if it is wanted. Raises BadProject.

        Windows on one project show each other's edits, and all windows draw by one renderer.
        """
        from soft_lantern.app.window.tour import attach
        from soft_lantern.app.window.window import MainWindow
        from soft_lantern.render.worker import RenderWorker

        if not self._began:
            self._began = True
            gc.freeze()  # what was imported stays: most of what there is
        others = [each for each in self._shown() if isinstance(each, MainWindow)]
        here = (each.session for each in others if each.session.folder.resolve() == folder.resolve())
        worker = RenderWorker(beside=others[0].worker if others else None)
        window = MainWindow(folder, worker, only, next(here, None))
        window.wanted.connect(lambda what: self._go_on(what, folder))
        window.closed.connect(lambda: self._let_go(window))
        window.show()
        self._kept.append(window)
        self._note()
        if tour:
            attach(window)

    def _let_go(self, window: QWidget) -> None:
        """Of a window that closed nothing stays in memory."""
        self._note(window)
        window.deleteLater()

    def _note(self, gone: QWidget | None = None) -> None:
        """Note what is open, but for a window that closes."""
        if not self.stay:
            shown = [each for each in self._shown() if each is not gone and not getattr(each, "only", None)]
            keep_open([each.session.folder for each in shown if hasattr(each, "session")])

    def _go_on(self, what: str, folder: Path) -> None:
        """Open what a window on a project asks for: the start page, the tour, or another window on the same."""
        if what == "another":
            self.open(folder)
        elif what == "tour":
            self.tour()
        else:
            self.start()

    def tour(self) -> None:
        """Open the tour on a project of its own, where it was left, or from its beginning."""
        from soft_lantern.app.window.tour import Tour, begun_in
        from soft_lantern.demo.starting_points import own_tour

        under_way = [each for each in self._shown() if any(tour.isVisible() for tour in each.findChildren(Tour))]
        if under_way:
            under_way[0].activateWindow()
            return
        begun = begun_in()
        self._toured.ask(lambda: begun or own_tour())

    def _open_tour(self, folder: Path) -> None:
        try:
            self.open(folder, tour=True)
        except LanternError as error:
            self._say_failed(str(error))
            return
        for page in self._shown():
            if page.objectName() == "start page":
                page.close()

    def _say_failed(self, text: str) -> None:
        for each in self._shown():
            if hasattr(each, "say"):
                each.say(text)

    def _shown(self) -> list[QWidget]:
        self._kept = [each for each in self._kept if not sip.isdeleted(each)]
        return [each for each in self._kept if each.isVisible()]

    def start(self) -> None:
        """Open the start page, which closes when it has led to a project."""
        from soft_lantern.app.start.page import StartPage

        page = StartPage()

        def go_to(folder: Path) -> None:
            try:
                self.open(folder)
            except LanternError as error:
                page.say(str(error))
            else:
                page.close()

        page.project_wanted.connect(go_to)
        page.tour_wanted.connect(self.tour)
        page.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        page.show()
        self._kept.append(page)


def _end_now(code: int) -> None:
    """A thread that is still within the graphics driver would crash the program while the driver is unloaded."""
    logging.shutdown()
    for stream in (sys.stdout, sys.stderr):
        stream.flush()
    os._exit(code)


_kept: list[QApplication] = []


def _close_all() -> None:
    """Close every window without a question; what is not saved is kept for the next start."""
    application = QApplication.instance()
    for widget in QApplication.topLevelWidgets() if application else ():
        if hasattr(widget, "end_at_once") and not sip.isdeleted(widget):
            widget.end_at_once()


def _take_down() -> None:
    """Close and delete every window: what is left of them would be deleted in an order that crashes the program."""
    _close_all()
    for widget in QApplication.topLevelWidgets() if QApplication.instance() else ():
        if not sip.isdeleted(widget):
            sip.delete(widget)


def make_application() -> QApplication:
    """The Qt application with the shipped font and the theme chosen last."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    _kept[:] = [application]  # its end would take every widget and thread's relay with it
    application.setApplicationName("Soft Lantern")
    sys.setswitchinterval(TURN)
    if not application.findChild(GarbageCollector):
        application.setStyle("Fusion")
        GarbageCollector(application)
        atexit.register(_take_down)  # a script may end with windows open, and threads may not outlive them
    only_one(Mishaps)
    choice.dress(application)
    return application
