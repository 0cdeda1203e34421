"""Pictures kept on disk stand for frames of the very same content, in any run, and for no others."""

from __future__ import annotations

import gzip
import io
import os
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import View
from soft_lantern.ir.expr import const
from soft_lantern.render import kept_pictures
from soft_lantern.render.cache_files import folder_of
from soft_lantern.render.content import content_of
from soft_lantern.render.frame import Frame, Item, Paint, Pixels
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.render.worker import Job, Keeping, RenderWorker
from soft_lantern.scene.mesh import Mesh
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.images import Image

SIZE = (48, 36)
IN_ANOTHER_PROCESS = """
import sys
from pathlib import Path
sys.path.insert(0, sys.argv[2])
from render.test_kept_pictures import basin
from soft_lantern.render.content import content_of
print(content_of(basin(Path(sys.argv[1]))))
"""


def basin(folder: Path) -> Frame:
    """The nectar basin: blended surfaces, textures, snippets, and noise that is a function of its own."""
    project = open_project(folder).project
    scene = project.scenes["nectar_basin"]
    models, images = load_models(project, folder)[0], load_images(project, folder)[0]
    camera = camera_for(scene.view, SIZE)
    return frame_of(project, scene, models, camera, SIZE, StageOptions(), LoweredMaterials(), images=images)


@pytest.fixture(scope="module")
def frame(_demo_once: Path) -> Frame:
    return basin(_demo_once)


@pytest.fixture(autouse=True)
def _own_cache(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))


def test_a_frame_has_the_same_content_in_another_run(frame: Frame, _demo_once: Path) -> None:
    """Where names hash otherwise, and expressions are made in another order."""
    done = subprocess.run(
        [sys.executable, "-c", IN_ANOTHER_PROCESS, str(_demo_once), str(Path(__file__).parents[1])],
        env=os.environ | {"PYTHONHASHSEED": "7"},
        capture_output=True,
        text=True,
        check=True,
    )
    assert done.stdout.strip() == content_of(frame)


def first(frame: Frame, change: Callable[[Item], Item]) -> Frame:
    """The frame with its first item changed."""
    return replace(frame, items=(change(frame.items[0]), *frame.items[1:]))


def painted(frame: Frame, change: Callable[[Paint], Paint]) -> Frame:
    return first(frame, lambda item: replace(item, paint=change(item.paint)))


def meshed(frame: Frame, change: Callable[[Mesh], Mesh]) -> Frame:
    return first(frame, lambda item: replace(item, mesh=change(item.mesh)))


def moved(mesh: Mesh) -> Mesh:
    positions = mesh.positions.copy()
    positions[len(positions) // 2, 1] += 1e-3
    return replace(mesh, positions=positions)


def with_texel(frame: Frame) -> Frame:
    """The frame with another texel in an image that is read."""
    at, name, image = next(
        (at, name, value)
        for at, item in enumerate(frame.items)
        for name, value in item.paint.uniforms.items()
        if isinstance(value, Image)
    )
    texels = image.texels.copy()
    texels[0, 0, 0] ^= 1
    item = frame.items[at]
    paint = replace(item.paint, uniforms=item.paint.uniforms | {name: replace(image, texels=texels)})
    return replace(frame, items=(*frame.items[:at], replace(item, paint=paint), *frame.items[at + 1 :]))


OTHERS: dict[str, Callable[[Frame], Frame]] = {
    "camera": lambda f: replace(f, camera=camera_for(View(yaw=31), SIZE)),
    "size": lambda f: replace(f, size=(48, 37)),
    "time": lambda f: replace(f, time=0.25),
    "order": lambda f: replace(f, items=f.items[::-1]),
    "glow": lambda f: replace(f, glow=0.1),
    "shadow": lambda f: replace(f, shadow=None),
    "light": lambda f: replace(f, uniforms=f.uniforms | {"stage:sky_gain": (0.5,)}),
    "display": lambda f: replace(f, display=f.display * 0.5),
    "backdrop": lambda f: replace(f, backdrop=Paint(const(1, 0, 0, 1))),
    "edges": lambda f: replace(f, edges=True),
    "larger": lambda f: replace(f, shown_at=(96, 72)),
    "hidden": lambda f: first(f, lambda item: replace(item, shown=False)),
    "place": lambda f: first(f, lambda item: replace(item, inputs=item.inputs | {"object_position": (0.0, 0.1, 0.0)})),
    "expression": lambda f: painted(f, lambda paint: replace(paint, colour=paint.colour + 1e-6)),
    "value": lambda f: painted(f, lambda p: replace(p, uniforms=p.uniforms | {next(iter(p.uniforms)): (0.123,)})),
    "holes": lambda f: painted(f, lambda paint: replace(paint, masked=not paint.masked)),
    "vertex": lambda f: meshed(f, moved),
    "triangles": lambda f: meshed(f, lambda mesh: replace(mesh, triangles=mesh.triangles[1:])),
    "texel": with_texel,
}


def test_whatever_shows_changes_the_content_and_nothing_else_does(frame: Frame) -> None:
    found = {name: content_of(change(frame)) for name, change in OTHERS.items()}
    assert len({content_of(frame), *found.values()}) == len(OTHERS) + 1, found
    copied = meshed(frame, lambda mesh: replace(mesh, positions=mesh.positions.copy()))
    finer = replace(copied, samples=4)
    called = painted(finer, lambda paint: replace(paint, names={paint.colour: "glaze"}))
    assert content_of(called) == content_of(frame)


def tinted(red: float) -> Frame:
    return Frame(SIZE, camera_for(View(), SIZE), (), Paint(const(red, 0, 0, 1)), const(0, 0, 0, 1))


class Session:
    """One run of the thread that draws, and what came of each job: "drawn" or "kept", and its pixels."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.drawn = 0
        whole = SoftRenderer.render

        def render(renderer: SoftRenderer, frame: Frame) -> object:
            self.drawn += 1
            picture = whole(renderer, frame)
            red = np.full((*frame.size[::-1], 4), 255, np.uint8)
            red[..., 0] = round(frame.backdrop.colour.data[0] * 255)  # type: ignore[index,operator,arg-type]
            return replace(picture, pixels=red)

        monkeypatch.setattr(SoftRenderer, "render", render)
        self.worker = RenderWorker("soft")

    def picture(self, frame: Frame, thing: str = "thing") -> Pixels:
        came, found = threading.Event(), list[Pixels]()

        def show(pixels: Pixels) -> None:
            found.append(pixels)
            came.set()

        said = list[str]()
        job = Job(lambda: frame, lambda picture: show(picture.pixels), said.append, Keeping(thing, show))
        self.worker.submit("place", job)
        assert came.wait(20), said
        return found[0]


@pytest.fixture
def run(monkeypatch: pytest.MonkeyPatch) -> Callable[[], Session]:
    return lambda: Session(monkeypatch)


def kept() -> list[Path]:
    return sorted(folder_of("pictures").rglob("*.npy.gz"), key=lambda path: path.stat().st_mtime)


def test_a_picture_of_before_is_shown_and_not_drawn_at_the_next_start(run: Callable[[], Session]) -> None:
    before = run()
    drawn = [before.picture(tinted(red)) for red in (0.2, 0.4, 0.6)]
    before.worker.stop()
    (path,) = kept()  # of a thing that changes, its last
    assert np.array_equal(np.load(io.BytesIO(gzip.decompress(path.read_bytes()))), drawn[-1])
    now = run()
    again = [now.picture(tinted(red)) for red in (0.6, 0.2)]
    assert now.drawn == 1  # 0.6 was there
    assert np.array_equal(again[0], drawn[2]) and np.array_equal(again[1], drawn[0])
    now.worker.stop()


def test_pictures_are_written_while_nothing_is_to_be_done(
    run: Callable[[], Session], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("soft_lantern.render.worker.REST", 0.05)
    session = run()
    for number in range(3):
        session.picture(tinted(number / 3), f"look {number}")
    waited = threading.Event()
    for _ in range(200):
        if len(kept()) == 3:
            break
        waited.wait(0.05)
    assert len(kept()) == 3
    session.worker.stop()


def test_a_damaged_picture_is_drawn_anew_and_a_disk_that_refuses_stops_nothing(run: Callable[[], Session]) -> None:
    before = run()
    drawn = before.picture(tinted(0.2))
    before.worker.stop()
    (path,) = kept()
    whole = path.read_bytes()
    array, grey, objects = gzip.decompress(whole), io.BytesIO(), io.BytesIO()
    np.save(grey, drawn[..., 0])
    np.save(objects, np.array([{}]), allow_pickle=True)
    others = (array.replace(b"(36, 48, 4)", b"(99, 48, 4)"), grey.getvalue(), objects.getvalue())
    damages = [b"", b"no picture", whole[: len(whole) // 2], whole[:40] + b"\0\0\0\0" + whole[44:]]
    for damage in (*damages, *(gzip.compress(each) for each in others)):
        path.write_bytes(damage)
        now = run()
        assert np.array_equal(now.picture(tinted(0.2)), drawn) and now.drawn == 1
        now.worker.stop()
        assert path.read_bytes() == whole
    path.unlink()
    path.parent.rmdir()
    path.parent.write_text("a file where a folder is to be")
    now = run()
    assert np.array_equal(now.picture(tinted(0.2)), drawn)
    now.worker.stop()
    assert not kept()


def test_the_oldest_go_when_there_are_too_many_bytes(
    run: Callable[[], Session], monkeypatch: pytest.MonkeyPatch
) -> None:
    before = run()
    for number in range(8):
        before.picture(tinted(number / 8), f"look {number}")
    before.worker.stop()
    each = kept()[0].stat().st_size
    for age, path in enumerate(kept()):
        os.utime(path, (1000 + age, 1000 + age))
    oldest = kept()[:6]
    now = run()
    for number in range(8):
        now.picture(tinted(number / 8), "")  # looked at: the oldest is now the first that was seen
    assert now.drawn == 0
    for age, path in enumerate(oldest):
        os.utime(path, (2000 + age, 2000 + age))
    monkeypatch.setattr(kept_pictures, "MOST_BYTES", round(each * 8.5))
    now.picture(tinted(1.0), "another")
    now.worker.stop()
    left = kept()
    assert sum(path.stat().st_size for path in left) <= each * 8.5 * 0.75
    assert not set(left) & set(oldest[:3]) and len(left) >= 5


def test_the_last_picture_of_a_window_is_there_while_another_window_goes_on() -> None:
    closed = RenderWorker("soft")
    other = RenderWorker(beside=closed)
    pixels, came, told = np.full((4, 6, 4), 9, np.uint8), threading.Event(), list[Pixels | None]()
    closed.keep("build", lambda: "a scene", pixels)
    closed.stop()

    def tell(found: Pixels | None) -> None:
        told.append(found)
        came.set()

    other.look_back("build", lambda: "a scene", tell)
    assert came.wait(20)
    other.stop()
    assert told[0] is not None and np.array_equal(told[0], pixels)
