"""A window that is worked in for long: things opened, tuned and closed; memory ends where it began, within a tenth."""

from __future__ import annotations

import gc
import random
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialog

from campaigns._projects import errors_of_slots, scratch
from soft_lantern.app.desks.colour.atlas_dialog import AtlasDialog
from soft_lantern.app.main import make_application
from soft_lantern.app.widgets.colour_picker import ColourPicker
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.window.sheet_dialog import SheetDialog
from soft_lantern.app.window.window import MainWindow
from soft_lantern.demo.project import write_demo
from soft_lantern.graph.document import Asset, changed
from soft_lantern.graph.instances.values import override

CASES = 2000
WARM = 400
"""Cases after which everything that is kept for good has been made; fewer in all compare no memory."""


def run(cases: int, seed: int) -> str:
    """Open, tune and close so many things."""
    application = make_application()
    chance = random.Random(seed)
    things: list[Callable[[MainWindow, random.Random], object]] = [
        _dialog,
        _picker,
        _menu,
        _tuned,
        _import,
        _scene,
        _resized,
    ]
    with scratch() as home, errors_of_slots() as raised:
        write_demo(home / "p")
        window = MainWindow(home / "p")
        window.show()
        QTest.qWait(1500)
        for desk in window.header.desk_buttons:
            window.go_to_desk(desk)
            QTest.qWait(600)
        start = 0
        for number in range(cases):
            things[number % len(things)](window, chance)
            if number % 20 == 0:
                QTest.qWait(30)
            assert not raised, raised[0]
            if number == min(WARM, cases - 1):
                start = _settled()
        end = _settled() if cases > WARM else start
        window.session.saver.let_go()
        window.close()
        window.deleteLater()
        application.processEvents()
    grew = (end - start) / start
    assert grew < 0.10, f"{start >> 20} MB became {end >> 20} MB"
    return f"{cases:,} things opened, tuned and closed; {start >> 20} MB at first, {end >> 20} MB at the end"


def _dialog(window: MainWindow, chance: random.Random) -> None:
    session = window.session
    make = chance.choice(
        [
            lambda: SheetDialog(session, set(session.project.instances), window),
            lambda: AtlasDialog(session, "nectar_depths", window),
        ]
    )
    dialog: QDialog = passing(make())
    dialog.open()
    QTest.qWait(1)
    dialog.reject()


def _picker(window: MainWindow, chance: random.Random) -> None:
    picker = ColourPicker((0.1, 0.2, 0.3, 1.0), window)
    picker.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    picker.show()
    picker.close()


def _menu(window: MainWindow, chance: random.Random) -> None:
    menu = window.tune.menu()
    menu.popup(window.mapToGlobal(window.rect().center()))
    menu.close()


def _tuned(window: MainWindow, chance: random.Random) -> None:
    session, value = window.session, chance.uniform(0.2, 8.0)
    session.apply("Tune", lambda project: override(project, "amber_hour", "spread", value), "soak")
    if chance.random() < 0.3:
        session.undo.undo()


def _import(window: MainWindow, chance: random.Random) -> None:
    """A primitive put on the stage and taken away again: its mesh is uploaded, and given back."""
    session = window.session
    asset = Asset(
        id=f"soak_{chance.randrange(10**9)}", name="Soak", primitive="sphere", subdivision=chance.randint(8, 64)
    )
    session.add_object(asset)
    QTest.qWait(5)
    session.undo.undo()


def _scene(window: MainWindow, chance: random.Random) -> None:
    session = window.session
    session.open_scene(chance.choice(sorted(session.project.scenes)))
    session.apply("Rename", lambda project: changed(project, name=f"Soak {chance.randrange(1000)}"), "soak name")


def _resized(window: MainWindow, chance: random.Random) -> None:
    window.resize(chance.randint(1100, 1300), chance.randint(700, 820))


def _settled() -> int:
    QTest.qWait(1500)
    gc.collect()
    QTest.qWait(300)
    with Path("/proc/self/statm").open() as file:
        return int(file.read().split()[1]) * 4096
