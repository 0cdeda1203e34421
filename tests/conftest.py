"""What tests share: the demo project on disk, a GL renderer, and a ramp with its values in reach."""

from __future__ import annotations

import gc
import itertools
import os
import shutil
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec
import pytest
from hypothesis import settings
from PyQt6.QtCore import QSettings
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from by_hand import Open, activate, until
from held import held_qobjects
from read_once import read_once
from soft_lantern.app.desks.places import Places
from soft_lantern.app.main import make_application
from soft_lantern.app.pictures import scene_pictures
from soft_lantern.app.window.coming_back import file_of
from soft_lantern.app.window.window import MainWindow
from soft_lantern.app.work.background import Background
from soft_lantern.demo.project import height_ramp, write_demo
from soft_lantern.formats.places import write_whole
from soft_lantern.graph.document import Material, Project
from soft_lantern.render.frame import Renderer
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.worker import Newest, RenderWorker

# Each process of the tests draws in software on one core.
os.environ.setdefault("LP_NUM_THREADS", "1")
# Most programs draw only a few pictures: a software driver is to compile them quickly, and keep them for the next run.
os.environ.setdefault("GALLIVM_PERF", "nopt")
os.environ.setdefault("MESA_SHADER_CACHE_DIR", f"{sys.prefix}/shaders")

# The same examples every time, so that a red run is about the change; HYPOTHESIS_PROFILE=explore looks for new ones.
settings.register_profile("steady", derandomize=True, deadline=None)
settings.register_profile("explore", deadline=None, print_blob=True)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "steady"))


def pytest_xdist_auto_num_workers() -> int:
    """One process more than there are cores: each waits now and then, for a browser, a timer or another program."""
    return len(os.sched_getaffinity(0)) + 1


_OWN_CACHE = pytest.StashKey[tempfile.TemporaryDirectory[str]]()


def pytest_configure(config: pytest.Config) -> None:
    """One cache for the whole run, in every process: not the person's, and what takes long is worked out once.

    What skies do to surfaces lies under names made from the text that works it out, so it is kept for the next run.
    """
    if "PYTEST_XDIST_WORKER" not in os.environ:
        config.stash[_OWN_CACHE] = tempfile.TemporaryDirectory(prefix="lantern-cache-", ignore_cleanup_errors=True)
        os.environ["XDG_CACHE_HOME"] = config.stash[_OWN_CACHE].name
        light, here = Path(sys.prefix) / "light", Path(config.stash[_OWN_CACHE].name) / "soft-lantern"
        light.mkdir(exist_ok=True)
        here.mkdir()
        (here / "light").symlink_to(light)


def pytest_unconfigure(config: pytest.Config) -> None:
    """Take it away."""
    if _OWN_CACHE in config.stash:
        config.stash[_OWN_CACHE].cleanup()


@pytest.hookimpl(trylast=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes longest begins first, so that no core waits for another at the end."""
    items.sort(key=lambda item: item.path.name != "test_campaigns.py")


@pytest.fixture(scope="session")
def qapp(tmp_path_factory: pytest.TempPathFactory) -> QApplication:
    """The application as the program makes it, with what keeps threads from its objects."""
    settings_in(tmp_path_factory.mktemp("settings"))
    return make_application()


def settings_in(folder: Path) -> None:
    """Keep what the window remembers here: no test reads or changes the person's own."""
    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(folder))


@pytest.fixture(scope="session", autouse=True)
def _files_are_read_once() -> Iterator[None]:
    with pytest.MonkeyPatch.context() as patch:
        read_once(patch)
        yield


@pytest.fixture(autouse=True)
def _threads_hold_no_qobject(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever any test lets a thread do, no QObject goes with it: its owner could close it meanwhile."""
    submit, begin = Newest.submit, Background.submit

    def newest(self: Newest, place: str, work: Callable[[], None], complain: Callable[[str], None]) -> None:
        for each in (work, complain):
            assert not (found := list(held_qobjects(each))), found
        submit(self, place, work, complain)

    def background(self: Background, work: Callable[[], object]) -> object:
        assert not (found := list(held_qobjects(work))), found
        return begin(self, work)

    monkeypatch.setattr(Newest, "submit", newest)
    monkeypatch.setattr(Background, "submit", background)


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


@pytest.fixture(scope="session")
def soft() -> SoftRenderer:
    """The NumPy renderer, with the shadow map of its last picture."""
    return SoftRenderer()


@pytest.fixture(params=["gl", "soft"])
def renderer(request: pytest.FixtureRequest, gl: GlRenderer, soft: SoftRenderer) -> Renderer:
    """Each renderer in turn."""
    return gl if request.param == "gl" else soft


@pytest.fixture
def ramp() -> Material:
    """The demo's height ramp."""
    project = height_ramp().into_project(Project(name="test"))
    return project.materials["height_ramp"]


@pytest.fixture(scope="session")
def drawing() -> Iterator[RenderWorker]:
    """The thread that draws for every window of these tests, so that each program is compiled once."""
    gc.collect()
    gc.freeze()  # what was imported stays: looking for garbage after each window passes it over
    worker = RenderWorker()
    yield worker
    worker.stop()


@pytest.fixture
def open_window(
    qtbot: object,
    monkeypatch: pytest.MonkeyPatch,
    tmp_path: Path,
    request: pytest.FixtureRequest,
    drawing: RenderWorker,
) -> Iterator[Open]:
    """Opens windows on project folders and closes them after the test, dropping what is not saved.

    Marked `own_renderer`, the test has windows that draw on a thread of their own.
    """
    alone = request.node.get_closest_marker("own_renderer")
    settings_in(tmp_path / "config")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setattr(scene_pictures, "SAMPLES", 0)  # smooth edges take as long as the rest of a picture
    make_application()
    opened: list[MainWindow] = []

    def open_on(folder: Path, desk: str = "", scene: str = "") -> MainWindow:
        if desk:
            write_whole(file_of(folder), msgspec.json.encode(Places(desk=desk, scene=scene)))
        window = MainWindow(folder, None if alone else RenderWorker(beside=drawing))
        opened.append(window)
        window.resize(1280, 800)
        window.show()
        QTest.qWaitForWindowExposed(window)
        activate(window)
        until(lambda: not window.session.loading)
        until(lambda: not window.session.scene or window.stage().pictures.frames_drawn > 0)
        return window

    yield open_on
    for window in opened:
        window.session.saver.let_go()
        window.close()
        window.deleteLater()
    opened.clear()
    QTest.qWait(1)
    if next(_WINDOWS) % 4 == 0:
        gc.collect()


_WINDOWS = itertools.count(1)
"""Tests that opened windows: what they leave in memory is looked for after a few of them together."""


@pytest.fixture
def window(open_window: Open, demo_folder: Path, request: pytest.FixtureRequest) -> MainWindow:
    """A window on the demo project, where a test or its file is marked `left_at(desk, scene)` at that desk."""
    mark = request.node.get_closest_marker("left_at")
    return open_window(demo_folder, *(mark.args if mark else ()))
