"""What tests share: the demo project on disk, a GL renderer, and a ramp with its values in reach."""

from __future__ import annotations

import gc
import os
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings
from PyQt6.QtTest import QTest

from by_hand import Open, until
from soft_lantern.app.main import make_application
from soft_lantern.app.window import MainWindow
from soft_lantern.demo.project import height_ramp, write_demo
from soft_lantern.graph.document import Material, Project
from soft_lantern.render.frame import Renderer
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.soft import SoftRenderer

# The same examples every time, so that a red run is about the change; HYPOTHESIS_PROFILE=explore looks for new ones.
settings.register_profile("steady", derandomize=True, deadline=None)
settings.register_profile("explore", deadline=None, print_blob=True)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "steady"))


@pytest.fixture(scope="session")
def _demo_once(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("demo") / "Mothlight Terraces"
    write_demo(folder)
    return folder


@pytest.fixture
def demo_folder(_demo_once: Path, tmp_path: Path) -> Path:
    """A demo project of the test's own."""
    return Path(shutil.copytree(_demo_once, tmp_path / "demo"))


@pytest.fixture(scope="session")
def gl() -> GlRenderer:
    """The OpenGL renderer, on the tests' thread."""
    return GlRenderer()


@pytest.fixture(params=["gl", "soft"])
def renderer(request: pytest.FixtureRequest, gl: GlRenderer) -> Renderer:
    """Each renderer in turn."""
    return gl if request.param == "gl" else SoftRenderer()


@pytest.fixture
def ramp() -> Material:
    """The demo's height ramp."""
    project = height_ramp().into_project(Project(name="test"))
    return project.materials["height_ramp"]


@pytest.fixture
def open_window(qtbot: object, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[Open]:
    """Opens windows on project folders and closes them after the test, dropping what is not saved."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    make_application()
    opened: list[MainWindow] = []

    def open_on(folder: Path) -> MainWindow:
        window = MainWindow(folder)
        opened.append(window)
        window.resize(1280, 800)
        window.show()
        QTest.qWaitForWindowExposed(window)
        window.activateWindow()
        until(lambda: not window.session.loading)
        until(lambda: not window.session.scene or window.build.stage.frames_drawn > 0)
        return window

    yield open_on
    for window in opened:
        window.session.undo.setClean()
        window.close()
        window.deleteLater()
    opened.clear()
    QTest.qWait(1)
    gc.collect()


@pytest.fixture
def window(open_window: Open, demo_folder: Path) -> MainWindow:
    """A window on the demo project."""
    return open_window(demo_folder)
