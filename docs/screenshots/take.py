"""Takes the pictures of this folder anew, from the demo data: python docs/screenshots/take.py [FOLDER]."""

from __future__ import annotations

import json
import os
import sys
import tempfile
import time
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

HERE = Path(__file__).parent
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
for kind in ("CONFIG", "STATE", "CACHE"):
    os.environ[f"XDG_{kind}_HOME"] = tempfile.mkdtemp()  # no choices of one's own

from PIL import Image as Picture  # noqa: E402
from PyQt6.QtCore import QPoint, QPointF  # noqa: E402
from PyQt6.QtGui import QPainter, QPixmap  # noqa: E402
from PyQt6.QtTest import QTest  # noqa: E402
from PyQt6.QtWidgets import QCheckBox, QWidget  # noqa: E402

from soft_lantern.app.desks.deliver.desk import DeliverDesk  # noqa: E402
from soft_lantern.app.desks.tune.compare_panel import DIVIDER  # noqa: E402
from soft_lantern.app.main import make_application  # noqa: E402
from soft_lantern.app.session.recent import forget, picture_of, recent_projects, remember  # noqa: E402
from soft_lantern.app.stage.stage_view import StageView  # noqa: E402
from soft_lantern.app.start.page import StartPage  # noqa: E402
from soft_lantern.app.theme import colours, style  # noqa: E402
from soft_lantern.app.widgets.picture_picker import PicturePicker  # noqa: E402
from soft_lantern.app.window.window import MainWindow  # noqa: E402
from soft_lantern.demo.project import write_demo  # noqa: E402
from soft_lantern.demo.starting_points import POINTS  # noqa: E402

SIZE = (1280, 800)
MANUAL_WIDTH = 680
IN_THE_MANUAL = ("build", "colour", "palettes", "tune", "compare", "variations", "dress", "paint", "deliver")


def main(folder: Path) -> None:
    """Every picture, each from a window of its own."""
    application = make_application()
    with tempfile.TemporaryDirectory() as home:
        for number, (name, take) in enumerate(PICTURES.items()):
            colours.use(colours.DUSK if take is bake else colours.PAPER)
            style.apply(application)
            project = Path(home) / str(number) / "Mothlight Terraces"
            write_demo(project)
            window = MainWindow(project, only="Tune" if take is designers else None)
            window.resize(*SIZE)
            window.show()
            settle(window.stage())
            over = take(window)
            picture = window.grab()
            if over:
                _laid_over(picture, over, window)
            picture.save(str(folder / f"{name}.png"))
            if folder == HERE and name in IN_THE_MANUAL:
                _for_the_manual(picture, name)
            window.session.saver.let_go()
            window.close()
            application.processEvents()
        colours.use(colours.PAPER)
        style.apply(application)
        start(Path(home)).save(str(folder / "start.png"))


def _for_the_manual(picture: QPixmap, name: str) -> None:
    """The same smaller and of few colours, as the manual brings it along."""
    place = HERE.parent / "manual" / "pictures" / f"{name}.png"
    place.parent.mkdir(exist_ok=True)
    picture.save(str(place))
    with Picture.open(place) as whole:
        small = whole.convert("RGB").resize((MANUAL_WIDTH, MANUAL_WIDTH * whole.height // whole.width))
    small.quantize(160).save(place, optimize=True)


def start(home: Path) -> QPixmap:
    """The start page of someone who has three projects."""
    for point in (POINTS["noise_terrain"], POINTS["rim_glow"]):
        point.begin(home / point.title)
        remember(home / point.title, point.title)
        drawn = files("soft_lantern.app.start").joinpath("pictures", f"{point.key}.png")
        picture_of(home / point.title).write_bytes(drawn.read_bytes())
    for project in recent_projects()[3:]:
        forget(project.folder)
    page = StartPage()
    page.where.setText("New projects are made in /home/you/Documents/Soft Lantern")
    page.show()
    QTest.qWait(500)
    return page.grab()


def settle(stage: StageView, seconds: float = 30.0) -> None:
    """Wait for a picture of full quality."""
    end = time.monotonic() + seconds
    QTest.qWait(900)
    while time.monotonic() < end and not stage.pictures.still:
        QTest.qWait(50)
    QTest.qWait(300)


def _laid_over(picture: QPixmap, over: QWidget, window: MainWindow) -> None:
    painter = QPainter(picture)
    at = (window.rect().center() - over.rect().center()) if over.isWindow() else QPoint()
    painter.drawPixmap(at, over.grab())
    painter.end()


def build(window: MainWindow) -> None:
    window.build.canvas.frame_all(whole=True)


def recipes(window: MainWindow) -> None:
    window.build.canvas.placing.open(QPointF(90, 330), "snow")


def notices(window: MainWindow) -> None:
    window.session.open_material("moth_trail")
    window.open_notices()
    settle(window.build.stage)


def clip_view(window: MainWindow) -> None:
    window.session.open_material("moth_trail")
    canvas = window.build.canvas
    canvas.select({next(i for i, n in canvas.material.nodes.items() if n.name == "Both glows")})
    window.build.stage_bar.clip.click()
    window.build.wire_box.button.click()
    settle(window.build.stage)


def dress(window: MainWindow) -> None:
    window.session.open_scene("nectar_basin")
    window.go_to_desk("Dress")
    settle(window.dress.stage)
    listed(window)


def listed(window: MainWindow, seconds: float = 30.0) -> None:
    """Wait for the pictures of the objects and of the looks in sight."""
    things, end = window.dress.things, time.monotonic() + seconds
    wanted = len(window.session.scene.objects) if window.session.scene else 0
    while time.monotonic() < end and (len(things.objects.pictures) < wanted or len(things.looks.pictures) < 6):
        QTest.qWait(50)
    QTest.qWait(300)


def paint(window: MainWindow) -> None:
    """The kettle's body, red at its foot and pale at its top."""
    window.session.open_scene("tea_terrace")
    window.go_to_desk("Dress")
    window.dress.select("kettle", "body")
    window.dress.go_to("Paint")
    panel, vertices = window.dress.paint.layers, window.dress.paint.vertices
    panel.add_wanted.emit()
    QTest.qWait(1500)
    panel.way.setCurrentText("by height")
    panel.low_colour.show_value((0.5, 0.05, 0.02, 1.0))
    panel.high_colour.show_value((1.0, 0.8, 0.45, 1.0))
    panel.fill.click()
    vertices.hand.click()
    vertices.way.setCurrentText("by height")
    box = window.dress.stage_bar.show_box
    box.setCurrentIndex(box.findData("vertex_colour"))
    QTest.qWait(1500)
    settle(window.dress.stage)
    listed(window)


def bake(window: MainWindow) -> None:
    """The night grotto by its own light."""
    window.session.open_scene("night_grotto")
    window.go_to_desk("Dress")
    window.dress.go_to("Bake")
    settle(window.dress.stage)
    window.dress.baking.bake()
    while window.dress.baking.task is not None:
        QTest.qWait(50)
    settle(window.dress.stage)


def deliver(window: MainWindow) -> None:
    """The nectar for HLSL, with what others proved of two materials."""
    window.session.open_scene("nectar_basin")
    window.go_to_desk("Deliver")
    desk = window.desk("Deliver")
    assert isinstance(desk, DeliverDesk)
    window.session.open_material("nectar")
    desk.leaving.materials.none.click()
    desk.leaving.materials.list.tick([0, 1], on=True)
    desk.targets.tick(range(desk.targets.count()), on=True)
    desk.target.setCurrentIndex(desk.target.findData("hlsl"))
    desk.refresh()
    desk.begin_proof()
    while window.status.task_bar.tasks:
        QTest.qWait(50)
    settle(desk.stage)


def colour(window: MainWindow) -> None:
    window.session.open_scene("two_nectars")
    window.go_to_desk("Colour")
    window.colour.choose("nectar_depths")
    settle(window.colour.stage)


def palettes(window: MainWindow) -> None:
    window.session.open_scene("moth_wall")
    window.go_to_desk("Colour")
    window.colour.choose("moth_tide")
    settle(window.colour.stage)


def tune(window: MainWindow, look_id: str = "aged_copper") -> None:
    window.session.open_scene("tea_terrace")
    window.go_to_desk("Tune")
    window.tune.select(look_id)
    settle(window.tune.stage)
    QTest.qWait(6000)  # the portraits in the tree


def compare(window: MainWindow) -> None:
    tune(window)
    window.commands.actions["Compare side by side"].trigger()
    window.tune.compare.compare(DIVIDER, "enamel")
    settle(window.tune.stage)


def sweep(window: MainWindow) -> None:
    tune(window)
    window.tune.strip.open_on("aged_copper", "base")
    QTest.qWait(4000)


def variations(window: MainWindow) -> QWidget | None:
    tune(window, "cool_lagoon" if "cool_lagoon" in window.session.project.instances else "aged_copper")
    window.tune.vary()
    assert window.tune.variations
    window.tune.variations.findChildren(QCheckBox)[0].click()
    QTest.qWait(6000)
    return window.tune.variations


def designers(window: MainWindow) -> QWidget | None:
    tune(window)
    window.commands.run("Make a copy of the scene to change")
    window.tune.stage.picking.picked.emit("kettle", "body")
    window.commands.run("Change the sky and light")
    settle(window.tune.stage)
    window.commands.run("Wear another look on this part")
    QTest.qWait(4000)
    picker = window.tune.findChild(PicturePicker)
    window.grab()
    return picker


def find(window: MainWindow) -> QWidget | None:
    """The copper of the kettle, and where it is worn."""
    tune(window)
    finder = window.going.find()
    finder.field.setText("copper")
    QTest.qWait(6000)
    window.grab()
    return finder


def change_report(window: MainWindow) -> QWidget | None:
    tune(window)
    for parameter_id, value in (("roughness", 0.85), ("base", (0.03, 0.22, 0.3, 1.0))):
        window.tune.value_commands.set_value(parameter_id, value)
    window.tune.value_commands.show_changes()
    QTest.qWait(4000)
    return window.tune.value_commands.report


def versions(window: MainWindow) -> QWidget | None:
    """Another program makes a look another colour, and so does the window."""
    tune(window)
    path = window.session.folder / "instances" / "copper.json"
    kept = json.loads(path.read_text())
    path.write_text(json.dumps(kept | {"values": kept["values"] | {"base": [0.02, 0.2, 0.3, 1.0]}}))
    window.tune.select("copper")
    window.tune.value_commands.set_value("base", (0.6, 0.1, 0.05, 1.0))
    window.offers.choose_outside(["instances/copper.json"])
    QTest.qWait(4000)
    return window.offers.dialog


PICTURES: dict[str, Callable[[MainWindow], QWidget | None]] = {
    each.__name__.replace("_", "-"): each
    for each in (
        *(build, recipes, notices, clip_view),
        *(
            dress,
            paint,
            bake,
            deliver,
            colour,
            palettes,
            tune,
            designers,
            compare,
            sweep,
            variations,
            change_report,
            versions,
            find,
        ),
    )
}

if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else HERE)
