"""What machines do: disks fill up, folders vanish, signals come, screens and graphics are missing.

Nothing is lost, and each is told in one line.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from campaigns._projects import ROOT, command, forked, one_line, scratch
from soft_lantern.demo.project import write_demo
from soft_lantern.errors import BadProject, LanternError
from soft_lantern.formats import journal
from soft_lantern.formats.images import write_png
from soft_lantern.formats.places import write_whole
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.recovery import UnsavedWork, left_behind
from soft_lantern.formats.saving import ChangedOutside, save_project
from soft_lantern.graph.document import changed

Fault = Callable[[Path, random.Random], None]
FAULTS: list[Fault] = []
UNPRIVILEGED = 65_534


def run(cases: int, seed: int) -> str:
    """Bring about each fault in turn, so many in all."""
    with scratch() as home:
        write_demo(home / "demo")
        for number in range(cases):
            fault = FAULTS[number % len(FAULTS)]
            place = home / f"case {number}"  # of its own: what an earlier one left unsaved is told by the folder's path
            shutil.copytree(home / "demo", place / "p")
            try:
                fault(place, random.Random(f"{seed}/{number}"))
            except AssertionError as error:
                raise AssertionError(f"{fault.__name__}: {error}") from error
            finally:
                shutil.rmtree(place, ignore_errors=True)
    return f"{cases} faults of {len(FAULTS)} kinds; nothing lost, each told in a line"


def fault(make: Fault) -> Fault:
    """One of the faults."""
    FAULTS.append(make)
    return make


def _refused(work: Callable[[], object], words: str) -> None:
    try:
        work()
    except LanternError as error:
        assert "\n" not in str(error) and words in str(error), str(error)
    else:
        raise AssertionError("nothing was said")


@fault
def the_disk_fills_up(place: Path, chance: random.Random) -> None:
    opened = open_project(place / "p")
    left, real = [chance.randint(0, 12)], os.fsync

    def full(handle: int) -> None:
        left[0] -= 1
        if left[0] < 0:
            raise OSError(28, "No space left on device")
        real(handle)

    os.fsync = full
    try:
        save_project(changed(opened.project, name="Later"), place / "p", opened.on_disk)
    except BadProject as error:
        assert "No space left" in str(error)
    finally:
        os.fsync = real
    again = open_project(place / "p")
    assert again.project in (opened.project, changed(opened.project, name="Later")) and not again.notices
    target = place / "picture.png"
    target.write_bytes(b"as it was")
    os.fsync = full
    left[0] = 0
    try:
        import numpy as np

        _refused(lambda: write_png(np.zeros((4, 4, 4), np.uint8), target), "No space left")
        _refused(lambda: write_whole(target, "text"), "No space left")
    finally:
        os.fsync = real
    assert target.read_bytes() == b"as it was" and not [p for p in place.iterdir() if p.name.startswith(".")]


@fault
def a_small_disk(place: Path, chance: random.Random) -> None:
    """Outputs of commands under a limit on the size of files: what stood there before stays."""
    out = place / "out.png"
    out.write_bytes(b"as it was")
    code = (
        "import resource, signal, sys; signal.signal(signal.SIGXFSZ, signal.SIG_IGN);"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (2000, 2000)); sys.argv[0] = 'lantern';"
        "from soft_lantern.cli import main; main()"
    )
    what = ["--scene", "tea_terrace", "--size", "64x64", "--backend", "soft"]
    render = ["render", str(place / "p"), *what, "-o", str(out)]
    done = subprocess.run(
        [sys.executable, "-c", code, *render],
        capture_output=True,
        text=True,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
        check=False,
    )
    assert done.returncode == 2, done.stderr
    one_line(done)
    assert out.read_bytes() == b"as it was"


@fault
def a_place_that_cannot_be_written(place: Path, chance: random.Random) -> None:
    """As another user, for whom the project can only be read: it is read, checked and drawn; saving says no."""
    for path in [place, *place.rglob("*")]:
        path.chmod(0o555 if path.is_dir() else 0o444)
    place.parent.chmod(0o755)

    def other_user() -> None:
        if os.geteuid() == 0:
            os.setgid(UNPRIVILEGED)
            os.setuid(UNPRIVILEGED)
        opened = open_project(place / "p")
        _refused(
            lambda: save_project(changed(opened.project, name="X"), place / "p", opened.on_disk), "Permission denied"
        )

    try:
        process = forked(other_user)
        process.join()
        assert process.exitcode == 0, "a project that can only be read was not read, or its save not refused"
    finally:
        for path in [place, *place.rglob("*")]:
            path.chmod(0o755 if path.is_dir() else 0o644)


@fault
def the_folder_vanishes(place: Path, chance: random.Random) -> None:
    opened = open_project(place / "p")
    work = UnsavedWork(place / "p")
    shutil.rmtree(place / "p")
    work.keep(changed(opened.project, name="Kept"), opened.on_disk)
    saved = save_project(changed(opened.project, name="Kept"), place / "p", opened.on_disk)
    assert saved.on_disk.project.name == "Kept"
    work.end()


@fault
def a_file_changes_under_unsaved_work(place: Path, chance: random.Random) -> None:
    folder = place / "p"
    opened = open_project(folder)
    mine = opened.project.instances["amber_hour"]
    ours = changed(opened.project, instances={**opened.project.instances, mine.id: changed(mine, tags=("ours",))})
    path = folder / "instances" / "amber_hour.json"
    raw = json.loads(path.read_text())
    path.write_text(json.dumps({**raw, "tags": ["theirs"]}))
    other = folder / "instances" / "last_light.json"
    other.write_text(json.dumps({**json.loads(other.read_text()), "tags": ["theirs too"]}))
    try:
        save_project(ours, folder, opened.on_disk, refuse=True)
        raise AssertionError("it was saved over unseen")
    except ChangedOutside as error:
        assert error.files == ["instances/amber_hour.json"]
    saved = save_project(ours, folder, opened.on_disk)
    (aside,) = saved.aside.values()
    assert json.loads((folder / aside).read_text())["tags"] == ["theirs"]
    now = open_project(folder).project.instances
    assert now["amber_hour"].tags == ("ours",) and now["last_light"].tags == ("theirs too",)


@fault
def another_saver_holds_the_lock(place: Path, chance: random.Random) -> None:
    folder = place / "p"
    opened = open_project(folder)
    patience, journal.PATIENCE = journal.PATIENCE, 0.2
    try:
        with journal.saving(folder):
            _refused(
                lambda: save_project(changed(opened.project, name="X"), folder, opened.on_disk),
                "being saved by process",
            )
            assert open_project(folder).project == opened.project
    finally:
        journal.PATIENCE = patience
    save_project(changed(opened.project, name="X"), folder, opened.on_disk)


@fault
def the_clock_jumps(place: Path, chance: random.Random) -> None:
    folder = place / "p"
    opened, real = open_project(folder), time.time
    time.time = lambda: real() + chance.choice([-1e9, 1e9, -3600.0])
    try:
        work = UnsavedWork(folder)
        work.keep(changed(opened.project, name="Kept"), opened.on_disk)
        save_project(changed(opened.project, name="Kept"), folder, opened.on_disk)
        work.end()
    finally:
        time.time = real
    (state,) = left_behind(folder)
    assert state.head and state.head["name"] == "Kept"
    assert open_project(folder).project.name == "Kept"


@fault
def no_opengl(place: Path, chance: random.Random) -> None:
    hidden = {"MESA_LOADER_DRIVER_OVERRIDE": "none", "__EGL_VENDOR_LIBRARY_DIRS": "/nonexistent", "EGL_PLATFORM": "x"}
    scene = chance.choice(sorted(open_project(place / "p").project.scenes))
    arguments = ["render", str(place / "p"), "--scene", scene, "--size", "48x32", "-o", str(place / "x.png")]
    done = command(*arguments, home=place, **hidden)
    assert done.returncode == 0 and (place / "x.png").exists(), done.stderr
    one_line(done)
    done = command(*arguments, "--backend", "gl", home=place, **hidden)
    assert done.returncode == 2 and "OpenGL" in one_line(done), done.stderr


@fault
def a_context_is_lost(place: Path, chance: random.Random) -> None:
    from soft_lantern.errors import NoGraphics
    from soft_lantern.render.frame import Picture
    from soft_lantern.render.worker import RenderWorker

    worker = RenderWorker("soft")
    drawn: list[Picture] = []
    frame = _frame(place / "p")
    drawing = worker._drawing
    real, lost = drawing._renderer, [chance.randint(1, 2)]

    def breaking() -> object:
        renderer = real()
        if lost[0]:
            lost[0] -= 1
            raise NoGraphics("the driver has gone")
        return renderer

    drawing._renderer = breaking  # type: ignore[method-assign, assignment]
    from soft_lantern.render.worker import Job

    worker.submit("x", Job(lambda: frame, drawn.append, lambda text: None))  # type: ignore[arg-type, return-value]
    end = time.monotonic() + 20
    while not drawn and time.monotonic() < end:
        time.sleep(0.02)
    worker.stop()
    assert drawn, "no picture came"


def _frame(folder: Path) -> object:
    from soft_lantern.formats.assets import load_models
    from soft_lantern.formats.images import load_images
    from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
    from soft_lantern.scene.transforms import camera_for

    project = open_project(folder).project
    models, images = load_models(project, folder)[0], load_images(project, folder)[0]
    scene = project.scenes["tea_terrace"]
    camera = camera_for(scene.view, (32, 24))
    return frame_of(project, scene, models, camera, (32, 24), StageOptions(), LoweredMaterials(), 0.0, 0, images)


@fault
def no_screen(place: Path, chance: random.Random) -> None:
    missing = {"DISPLAY": chance.choice(["", ":4711"]), "WAYLAND_DISPLAY": "", "QT_QPA_PLATFORM": ""}
    done = command("open", str(place / "p"), home=place, **missing)
    assert done.returncode == 2 and "screen" in one_line(done), done.stderr


@fault
def a_home_that_cannot_be_written(place: Path, chance: random.Random) -> None:
    blocked = place / "no home"
    blocked.write_text("a file, not a folder")
    done = command(
        "demo", home=place, HOME=str(blocked), XDG_DATA_HOME="", XDG_STATE_HOME="", QT_QPA_PLATFORM="offscreen"
    )
    assert done.returncode == 2, done.stderr
    one_line(done)
    done = command("check", str(place / "p"), home=place, HOME=str(blocked), XDG_STATE_HOME="")
    assert done.returncode == 0, done.stderr


@fault
def a_signal_ends_a_command(place: Path, chance: random.Random) -> None:
    number = chance.choice([signal.SIGTERM, signal.SIGINT])
    arguments = ["sheet", str(place / "p"), "--size", "96x96", "-o", str(place / "sheet.png")]
    for asset in ("sphere", "cube", "cylinder", "plane"):
        arguments += ["--asset", asset]
    for sky in ("studio soft", "clear noon"):
        arguments += ["--sky", sky]
    begun = subprocess.Popen(
        [sys.executable, "-m", "soft_lantern", *arguments],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
    )
    _until_it_hears(begun.pid)
    time.sleep(chance.uniform(0.0, 4.0))
    begun.send_signal(number)
    _, said = begun.communicate(timeout=30)
    assert begun.returncode in (128 + number, 0), f"ended with {begun.returncode}: {said}"
    assert "Traceback" not in said, said
    time.sleep(1.0)
    assert not _children_of(begun.pid), "processes are left behind"


def _until_it_hears(process: int) -> None:
    """Wait until a process catches SIGTERM: before that the system ends it, as it ends any that only begins."""
    end = time.monotonic() + 30
    while time.monotonic() < end:
        caught = [line for line in Path(f"/proc/{process}/status").read_text().splitlines() if "SigCgt" in line]
        if caught and int(caught[0].split()[1], 16) >> (signal.SIGTERM - 1) & 1:
            return
        time.sleep(0.02)


def _children_of(parent: int) -> list[int]:
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdecimal():
            try:
                words = (entry / "cmdline").read_bytes().replace(b"\0", b" ")
                if b"spawn_main" in words and f"parent_pid={parent}".encode() in words:
                    found.append(int(entry.name))
            except OSError:
                continue
    return found


@fault
def a_signal_ends_the_window(place: Path, chance: random.Random) -> None:
    number = chance.choice([signal.SIGTERM, signal.SIGINT, signal.SIGHUP])
    code = (
        "import sys\nfrom pathlib import Path\nfrom PyQt6.QtCore import QTimer\n"
        "from soft_lantern.app import main\nfrom soft_lantern.app.window import window\n"
        "from soft_lantern.graph.document import changed\n"
        "real = window.MainWindow.show\n"
        "def show(self):\n"
        "    real(self)\n"
        "    def edit():\n"
        "        self.session.apply('Edit', lambda project: changed(project, name='Unsaved'))\n"
        "        print('edited', flush=True)\n"
        "    QTimer.singleShot(300, edit)\n"
        "window.MainWindow.show = show\n"
        "sys.exit(main.run(Path(sys.argv[1])))\n"
    )
    window = subprocess.Popen(
        [sys.executable, "-c", code, str(place / "p")],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src"), "QT_QPA_PLATFORM": "offscreen"},
    )
    assert window.stdout and window.stdout.readline() == "edited\n"
    window.send_signal(number)
    _, said = window.communicate(timeout=30)
    assert window.returncode == 128 + number, f"ended with {window.returncode}: {said}"
    assert "Traceback" not in said, said
    states = left_behind(place / "p")
    assert states and states[0].head and states[0].head["name"] == "Unsaved", "the unsaved edit is lost"


CASES = 5 * len(FAULTS)
