"""Measures of whole runs of the program, each a process of its own: how soon it is there, and what it holds."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from soft_lantern.demo.project import write_demo
from soft_lantern.measures.row import Row

_FIRST_PICTURE = """
import gc, os, sys
gc.disable()  # as the command does
from pathlib import Path
from soft_lantern.app.main import make_application
from soft_lantern.app.window.window import MainWindow
application = make_application()
window = MainWindow(Path(sys.argv[1]))
pictures = window.build.stage.pictures
whole = lambda: pictures.still and window.session.files.all_read
if sys.argv[2] == "close":
    from PyQt6.QtCore import QTimer
    pictures.arrived.connect(lambda _: whole() and QTimer.singleShot(1000, window.close))
else:
    pictures.arrived.connect(lambda _: whole() and os._exit(0))
if sys.argv[2] == "seen":
    pictures.found.connect(lambda: (window.build.stage.repaint(), os._exit(0)))
window.show()
application.exec()
"""
_BARE_WINDOW = """
import os, sys
import numpy
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMainWindow
application = QApplication(sys.argv)
window = QMainWindow()
QTimer.singleShot(0, lambda: os._exit(0))
window.show()
application.exec()
"""


_ALL_DESKS = """
import os, sys
from pathlib import Path
from PyQt6.QtTest import QTest
from soft_lantern.app.main import make_application
from soft_lantern.app.window.offered_desks import DESKS
from soft_lantern.app.window.window import MainWindow
from soft_lantern.app.work.garbage import give_back
application = make_application()
window = MainWindow(Path(sys.argv[1]))
window.show()
for scene in list(window.session.project.scenes):
    window.session.open_scene(scene)
    for desk in DESKS:
        window.go_to_desk(desk)
        QTest.qWait(700)
give_back()  # as once a minute
lines = Path("/proc/self/status").read_text().splitlines()
print(next(line.split()[1] for line in lines if line.startswith("VmRSS")), flush=True)
os._exit(0)
"""


def starts() -> list[Row]:
    """Warm starts, beside the bare start of what they stand on."""
    with tempfile.TemporaryDirectory() as folder:
        demo = str(Path(folder) / "demo")
        write_demo(Path(demo))
        asking = ["-m", "soft_lantern", "probe", demo, "--material", "height_ramp"]
        probe, numpy = _quickest(asking, ["-c", "import numpy"])
        for _ in range(2):  # the second time, the window has the size that it comes back with
            subprocess.run([sys.executable, "-c", _FIRST_PICTURE, demo, "close"], check=True)
        until = [["-c", _FIRST_PICTURE, demo, when] for when in ("seen", "drawn")]
        picture, drawn, window = _quickest(*until, ["-c", _BARE_WINDOW])
    return [
        Row("probe, from start to end", probe, 0.7, "s"),
        Row("probe, from start to end / import of NumPy", probe / numpy, 3.0),
        Row("window, from start to first picture", picture, 2.0, "s"),
        Row("window, from start to first picture drawn anew", drawn, 2.0, "s"),
        Row("window, from start to first picture / bare window", picture / window, 4.0),
    ]


def memory() -> list[Row]:
    """What the window holds once every scene of the demo was on every desk."""
    with tempfile.TemporaryDirectory() as folder:
        write_demo(Path(folder) / "demo")
        command = [sys.executable, "-c", _ALL_DESKS, str(Path(folder) / "demo")]
        done = subprocess.run(command, check=True, capture_output=True, text=True)
    return [Row("memory, every scene of the demo on every desk", int(done.stdout) / 1024, 500.0, "MB")]


def _quickest(*commands: list[str]) -> list[float]:
    """Seconds that Python takes with each of several arguments, in turns, the best of nine each.

    Bytecode is kept, as it is for people.
    """
    kept = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    times: list[list[float]] = [[] for _ in commands]
    for _ in range(9):
        for command, taken in zip(commands, times, strict=True):
            started = time.perf_counter()
            subprocess.run([sys.executable, *command], env=kept, check=True, stdout=subprocess.DEVNULL)
            taken.append(time.perf_counter() - started)
    return [min(taken) for taken in times]
