"""The benchmark table, and those measures of it that need a window: how long it is ever busy while hands work."""

from __future__ import annotations

import gc
import json
import shutil
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QPointF, QTimer
from PyQt6.QtWidgets import QApplication

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.canvas.gestures import Pan
from soft_lantern.app.main import make_application
from soft_lantern.app.pictures.miniatures import Miniatures
from soft_lantern.app.session.measurer import Answers, Question
from soft_lantern.app.start_measures import memory, starts
from soft_lantern.app.window.window import MainWindow
from soft_lantern.demo.project import write_demo
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import Instance, Project, changed
from soft_lantern.graph.edits import connect
from soft_lantern.graph.instances.values import override, put_material
from soft_lantern.graph.layout import tidy
from soft_lantern.measures.home import own_home
from soft_lantern.measures.quiet import Quiet
from soft_lantern.measures.row import Row
from soft_lantern.measures.table import chain, measures
from soft_lantern.render.cache_files import folder_of

FRAMES = 40
STEPS = 200
PICTURES = 50


def table() -> Iterator[Row]:
    """Every row of the benchmark table as soon as it is there, those that need no window first."""
    quiet = Quiet()
    with own_home():
        yield from quiet.rows(measures())
        application = make_application()  # kept, or Qt takes it down
        working = [_typing_in_300, _wiring_in_300, _panning_1000, _dressing, _baking, _dragging_a_stop, _recolouring]
        among = [_opening_5000, _tuning_5000, _saving_5000, _doing_nothing, _picturing_500]
        yield from quiet.rows([starts, memory, *working, *among])
        application.processEvents()
    yield quiet.row()


@contextmanager
def _on_300() -> Iterator[MainWindow]:
    """A window on a graph of 300 nodes."""
    with tempfile.TemporaryDirectory() as folder:
        save_project(put_material(Project(name="Bench"), tidy(chain(300))), Path(folder) / "p")
        with _window(Path(folder) / "p") as window:
            window.show()
            _live(1500)
            yield window


def _typing_in_300() -> list[Row]:
    """How long the window's thread is busy while values are typed in a 300-node graph."""
    with _on_300() as window:
        shelf = window.build.shelf
        return _busy("one typed value, 300 nodes", lambda turn: shelf.value_wanted.emit("weight", 0.2 + turn * 0.001))


def _wiring_in_300() -> list[Row]:
    """The same while wires are moved."""
    with _on_300() as window:
        canvas = window.build.canvas
        clamps = [i for i, n in canvas.material.nodes.items() if n.type == "clamp"]
        clamps.sort(key=lambda node_id: int(node_id.rsplit("_", 1)[1]))

        def rewire(turn: int) -> None:
            first, other = clamps[turn % 28], clamps[30 + turn % 20]
            canvas.wishes.edit("Wire", partial(connect, out=f"{first}.out", into=f"{other}.low"))

        return _busy("one wire, 300 nodes", rewire)


def _busy(words: str, step: Callable[[int], object]) -> list[Row]:
    """How long the window's thread is busy by one of many steps of a hand, the middle and the worst of them."""
    times = []
    for turn in range(STEPS):
        started = time.perf_counter()
        step(turn)
        times.append((time.perf_counter() - started) * 1000)
        _live(15)
    return [
        Row(f"window busy by {words}", statistics.median(times), 8, "ms"),
        Row(f"the same, the worst of {STEPS}", max(times), 16, "ms"),
    ]


@contextmanager
def _on_demo(scene: str, desk: str) -> Iterator[MainWindow]:
    """A window on the demo project with a scene on the stage of a desk."""
    with tempfile.TemporaryDirectory() as folder:
        write_demo(Path(folder) / "p")
        with _window(Path(folder) / "p") as window:
            window.session.open_scene(scene)
            window.go_to_desk(desk)
            window.show()
            yield window


@contextmanager
def _window(home: Path) -> Iterator[MainWindow]:
    """A window that goes again without a question."""
    window = MainWindow(home)
    yield window
    window.session.saver.let_go()
    window.close()


def _dressing() -> list[Row]:
    """The longest the window's thread is busy by one step of a hand on the basin scene's stage."""
    with _on_demo("nectar_basin", "Dress") as window:
        session = window.session
        window.dress.select("stones")
        _live(4000)

        def steps(step: Callable[[int], object]) -> float:
            longest = 0.0
            for turn in range(FRAMES):
                started = time.perf_counter()
                step(turn)
                longest = max(longest, time.perf_counter() - started)
                _live(15)
            return longest * 1000

        orbit = steps(lambda turn: session.set_view(changed(session.view, yaw=turn * 2.0)))
        move = steps(lambda turn: session.change_object("Move", "stones", "m", position=(turn * 0.01, 0.0, 0.0)))
    return [
        Row("window busy by one step of an orbit, basin", orbit, 16, "ms"),
        Row("window busy by one step of a move, basin", move, 16, "ms"),
    ]


def _baking() -> list[Row]:
    """How much of the time the window cannot answer at once while the grotto's light is baked on all cores."""
    with _on_demo("night_grotto", "Dress") as window:
        window.dress.go_to("Bake")
        _live(4000)
        window.dress.baking.bake()
        busy = []
        while window.dress.baking.task is not None:
            started = time.perf_counter()
            QApplication.processEvents()
            worked = time.perf_counter() - started
            time.sleep(0.001)
            busy.append((worked, time.perf_counter() - started))
    late = sum(worked for worked, _ in busy if worked > 0.016) / sum(turn for _, turn in busy)
    return [Row("window busy for over 16 ms at once, share of the time that light is baked", late, 0.05)]


def _dragging_a_stop() -> list[Row]:
    """How long the window's thread is busy by one step of a dragged stop."""
    with _on_demo("two_nectars", "Colour") as window:
        desk = window.colour
        desk.choose("nectar_depths")
        desk.gradient_page.bar.select(2)
        _until(lambda: desk.stage.pictures.frames_drawn > 0 and desk.stage.pictures.still)
        programs, bar = window.worker.compiled, desk.gradient_page.bar
        rows = _busy("one step of a dragged stop", lambda turn: bar.move_to(0.4 + turn * 0.001))
        compiled = window.worker.compiled - programs
    return [*rows, Row("programs compiled by a dragged stop", float(compiled), 0, "programs")]


def _recolouring() -> list[Row]:
    """The same by one step of a recoloured cell."""
    with _on_demo("two_nectars", "Colour") as window:
        desk = window.colour
        desk.choose("moth_dust")
        _until(lambda: desk.stage.pictures.frames_drawn > 0 and desk.stage.pictures.still)
        colour = desk.palette_page.colour
        return _busy("one step of a cell's colour", lambda turn: colour.changed.emit((turn / STEPS, 0.2, 0.3, 1.0)))


def _opening_5000() -> list[Row]:
    """How fast a project of 200 materials and 5,000 instances opens."""
    with tempfile.TemporaryDirectory() as folder:
        home = _written_5000(folder)
        gc.collect()  # what the measure made is not to be looked through while it opens
        started = time.perf_counter()
        for path in home.rglob("*.json"):
            json.loads(path.read_bytes())
        reading = time.perf_counter() - started
        started = time.perf_counter()
        with _window(home) as window:
            window.show()
            QApplication.processEvents()
            opening = time.perf_counter() - started
    return [Row("opening 5,000 instances, beyond twice the reading", opening - 2 * reading, 0.2, "s")]


@contextmanager
def _on_5000() -> Iterator[MainWindow]:
    """A window on such a project, at the Tune desk."""
    with tempfile.TemporaryDirectory() as folder, _window(_written_5000(folder)) as window:
        window.show()
        window.session.open_scene("tea_terrace")
        window.go_to_desk("Tune")
        _live(4000)
        window.tune.select("aged_copper")
        _live(500)
        window.tune.portraits.forget()  # thousands of others would be drawn in between
        _live(500)
        yield window


def _tuning_5000() -> list[Row]:
    """How long the window's thread is busy by one step of a slider."""
    with _on_5000() as window:
        programs, sheet = window.worker.compiled, window.tune.sheet
        rows = _busy(
            "one step of a slider, 5,000 instances",
            lambda turn: sheet.value_wanted.emit("roughness", 0.1 + turn * 0.004),
        )
        compiled = window.worker.compiled - programs
    return [*rows, Row("programs compiled by tuning", float(compiled), 0, "programs")]


def _saving_5000() -> list[Row]:
    """The longest the window's thread is away while one changed value is saved."""
    with _on_5000() as window:
        window.tune.sheet.value_wanted.emit("roughness", 0.3)
        _live(1500)
        over: list[bool] = []
        longest, last = 0.0, time.perf_counter()
        window.session.saver.begin(over.append)
        while not over:
            QApplication.processEvents()
            now = time.perf_counter()
            longest, last = max(longest, now - last), now
            time.sleep(0.0005)
            last = time.perf_counter()
    return [Row("window busy by saving, 5,000 instances", longest * 1000, 16, "ms")]


def _doing_nothing() -> list[Row]:
    """The share of a core that an open window takes while nothing happens in it."""
    with _on_5000() as window:
        window.go_to_desk("Build")
        _live(8000)  # what is kept of pictures has been written by then
        loop, began = QEventLoop(), [time.process_time(), time.perf_counter()]
        QTimer.singleShot(8000, loop.quit)
        loop.exec()
        idle = (time.process_time() - began[0]) / (time.perf_counter() - began[1])
    return [Row("share of a core while nothing happens", idle * 100, 0.5, "%")]


def _picturing_500() -> list[Row]:
    """How long small pictures of looks take: looks that nobody has seen, and the same once more."""
    with _on_5000() as window:
        window.go_to_desk("Build")
        _live(1000)
        shutil.rmtree(folder_of("pictures"), ignore_errors=True)
        seconds, again = _picturing(window), _picturing(window)
    return [
        Row("500 small pictures of looks", seconds, 15, "s"),
        Row("500 small pictures of looks that were seen before", again, 5, "s"),
    ]


def _picturing(window: MainWindow) -> float:
    """How long 500 small pictures of instances of one family with values of their own take, by PICTURES of them.

    The first is counted once: a program may have to be compiled for it.
    """
    miniatures = Miniatures(window.session, window.worker, "bench")
    project = window.session.project

    def drawn(turns: range) -> float:
        started = time.perf_counter()
        for turn in turns:
            there = override(project, "aged_copper", "roughness", 0.1 + turn * 0.01)
            miniatures.want(turn, there, "aged_copper", 128)
        while not miniatures.settled:
            _live(5)
        return time.perf_counter() - started

    return drawn(range(1)) + 499 / PICTURES * drawn(range(1, PICTURES + 1))


def _written_5000(folder: str) -> Path:
    home = Path(folder) / "p"
    save_project(many(write_demo(home)), home)
    return home


def many(project: Project) -> Project:
    """The project with copies of its materials up to 200, and instances up to 5,000."""
    materials, instances = dict(project.materials), dict(project.instances)
    first = list(project.materials.values())
    for number in range(200 - len(materials)):
        copy = changed(first[number % len(first)], id=f"copy_{number}", name=f"Copy {number}")
        materials[copy.id] = copy
    parents = list(materials)
    for number in range(5000 - len(instances)):
        parent = f"many_{number - 1}" if number % 3 == 0 and number else parents[number % len(parents)]
        made = Instance(id=f"many_{number}", name=f"Many {number}", parent=parent)
        instances[made.id] = made
    return changed(project, materials=materials, instances=instances)


def _panning_1000() -> list[Row]:
    """The longest frame of a canvas of 1,000 nodes, each with its thumbnail, while it is panned and zoomed."""
    canvas = Canvas()
    canvas.resize(1280, 720)
    canvas.show_material(tidy(chain(1000)))
    canvas.show()
    _live(300)
    rows = []
    measurer = Answers()
    canvas.show_answer(measurer.answer(Question(canvas.material, {})))
    for name, scale in (("as a whole", canvas.scale), ("close by", 0.7)):
        canvas.scale = scale
        canvas.gesture = Pan(canvas, QPointF())
        canvas.repaint()

        def pan() -> None:
            canvas.origin += QPointF(-9, 4)
            canvas.repaint()

        rows.append(Row(f"pan of 1,000 nodes, {name}", _longest(pan), 16, "ms"))
        canvas.gesture = None

    def zoom() -> None:
        canvas.scale *= 1.03
        canvas.repaint()

    canvas.scale = 0.3
    rows.append(Row("zoom into 1,000 nodes", _longest(zoom), 16, "ms"))
    canvas.close()
    return rows


def _live(milliseconds: int) -> None:
    """Let the window live for a while."""
    end = time.perf_counter() + milliseconds / 1000
    while time.perf_counter() < end:
        QApplication.processEvents()
        time.sleep(0.001)


def _until(condition: Callable[[], bool], seconds: float = 60.0) -> None:
    """Let the window live until something is so."""
    end = time.perf_counter() + seconds
    while not condition() and time.perf_counter() < end:
        _live(50)


def _longest(step: Callable[[], None]) -> float:
    longest = 0.0
    for _ in range(FRAMES):
        started = time.perf_counter()
        step()
        longest = max(longest, time.perf_counter() - started)
    return longest * 1000
