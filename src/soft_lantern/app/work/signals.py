"""Signals of the system, told on the window's thread without a timer that wakes the program up."""

from __future__ import annotations

import signal
import socket

from PyQt6 import sip
from PyQt6.QtCore import QObject, QSocketNotifier, pyqtSignal

ENDING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class Signals(QObject):
    """`came` tells the number of a signal that asks the program to end."""

    came = pyqtSignal(int)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._read, self._write = socket.socketpair()
        for end in (self._read, self._write):
            end.setblocking(False)
        self._before = {number: signal.signal(number, lambda *_: None) for number in ENDING}
        signal.set_wakeup_fd(self._write.fileno())
        self._notifier = QSocketNotifier(sip.voidptr(self._read.fileno()), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._tell)

    def stop(self) -> None:
        """Leave signals as they were."""
        signal.set_wakeup_fd(-1)
        for number, before in self._before.items():
            signal.signal(number, before)
        self._notifier.setEnabled(False)
        self._read.close()
        self._write.close()

    def _tell(self) -> None:
        for number in self._read.recv(64):
            if number in ENDING:
                self.came.emit(number)
