"""The two renderers draw the same picture; the worker keeps the newest job and outlives mistakes."""

from __future__ import annotations

import threading
import time
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image as PillowImage

from soft_lantern.errors import LanternError
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import Project, View, changed
from soft_lantern.ir.expr import const
from soft_lantern.render.frame import Frame, Paint, Picture
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_resources import fill_picture
from soft_lantern.render.gl_text import WHOLE_PICTURE_VERTEX
from soft_lantern.render.soft import SoftRenderer
from soft_lantern.render.staging import SHOWABLE, LoweredMaterials, StageOptions, frame_of
from soft_lantern.render.worker import Job, RenderWorker
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.images import Image

SIZE = (220, 160)


Demo = tuple[Project, dict[str, Model], dict[str, Image]]


@pytest.fixture(scope="module")
def demo(_demo_once: Path) -> Demo:
    """The demo project with its meshes and images."""
    project = open_project(_demo_once).project
    return project, load_models(project, _demo_once)[0], load_images(project, _demo_once)[0]


def demo_frame(demo: Demo, options: StageOptions, view: View | None = None, scene_id: str = "garden") -> Frame:
    project, models, images = demo
    scene = project.scenes[scene_id]
    camera = camera_for(view or scene.view, SIZE)
    return frame_of(project, scene, models, camera, SIZE, options, LoweredMaterials(), images=images)


@pytest.mark.parametrize("show", SHOWABLE)
def test_opengl_and_numpy_draw_the_same(demo: Demo, gl: GlRenderer, soft: SoftRenderer, show: str) -> None:
    frame = demo_frame(demo, StageOptions(show=show, glow=False))
    by_gl, by_numpy = gl.render(frame), soft.render(frame)
    difference = np.abs(by_gl.pixels.astype(int) - by_numpy.pixels.astype(int))
    assert difference.mean() <= 0.5
    assert np.percentile(difference, 99.9) <= 3
    assert len(np.unique(by_gl.pixels.reshape(-1, 4), axis=0)) > 20


def test_the_basin_with_all_its_passes_is_drawn_the_same(demo: Demo, gl: GlRenderer, soft: SoftRenderer) -> None:
    """Shadows, depth behind, a cut-out, smaller copies of textures, blended layers and the sky, without glow."""
    frame = demo_frame(demo, StageOptions(glow=False), scene_id="nectar_basin")
    difference = np.abs(gl.render(frame).pixels.astype(int) - soft.render(frame).pixels)
    assert difference.mean() <= 0.5
    assert np.percentile(difference, 99.9) <= 3


def test_a_picture_drawn_smaller_is_handed_over_as_large_as_it_is_looked_at(demo: Demo, gl: GlRenderer) -> None:
    """Mixed between the pixels' middles, as Pillow's bilinear filter does it too."""
    frame = demo_frame(demo, StageOptions())
    small = gl.render(frame)
    for share in (1.7, 3.0):
        size = round(frame.size[0] * share), round(frame.size[1] * share)
        large = gl.render(replace(frame, shown_at=size))
        wanted = PillowImage.fromarray(np.ascontiguousarray(small.pixels[..., :3]), "RGB").resize(
            size, PillowImage.Resampling.BILINEAR
        )
        assert np.abs(large.pixels[..., :3].astype(int) - np.asarray(wanted, int)).max() <= 2
        assert np.array_equal(large.linear, small.linear)
    assert gl.render(frame).pixels.shape == small.pixels.shape


@pytest.mark.parametrize("size", [(110, 80), (180, 120)], ids=["small", "large"])
def test_a_smoothed_picture_is_nearer_to_one_of_many_more_pixels(
    demo: Demo, gl: GlRenderer, size: tuple[int, int]
) -> None:
    """Than one that is not: the mean light of 64 pixels stands for what each is to show."""
    project, models, images = demo
    scene, looks = project.scenes["tea_terrace"], LoweredMaterials()

    def light(times: int, samples: int) -> np.ndarray:
        drawn = size[0] * times, size[1] * times
        options = StageOptions(shadow=False, floor=False, grid=False)
        camera = camera_for(scene.view, size)
        frame = frame_of(project, scene, models, camera, drawn, options, looks, 0.0, samples, images)
        picture = gl.render(frame)
        assert picture.linear.shape == picture.pixels.shape == (drawn[1], drawn[0], 4)
        pixels = np.clip(picture.linear[..., :3], 0, 1).reshape(size[1], times, size[0], times, 3)
        return np.asarray(pixels.mean(axis=(1, 3)))

    wanted = light(8, 0)
    rough, smooth = (np.abs(light(1, samples) - wanted).mean() for samples in (0, 4))
    assert smooth < 0.7 * rough


def test_what_lies_behind_the_camera_is_cut_off(demo: Demo, gl: GlRenderer, soft: SoftRenderer) -> None:
    """From inside the cliff: triangles cross the plane of the eye."""
    frame = demo_frame(demo, StageOptions(glow=False), View(target=(0, -1, 0), yaw=80, pitch=3, distance=1.5))
    difference = np.abs(gl.render(frame).pixels.astype(int) - soft.render(frame).pixels)
    assert difference.mean() <= 0.5


@pytest.mark.parametrize("option", ["backdrop", "floor", "grid", "tone_map", "shadow"])
def test_each_switch_changes_the_picture(demo: Demo, gl: GlRenderer, option: str) -> None:
    on, off = (gl.render(demo_frame(demo, StageOptions(**{option: v}))).pixels for v in (True, False))
    assert (on != off).any(axis=2).mean() > 0.008


def test_while_the_driver_works_other_threads_go_on(gl: GlRenderer) -> None:
    """A program is compiled and a picture of many pixels drawn and read, and a thread beside takes a step each ms."""
    steps, over = list[float](), threading.Event()

    def beside() -> None:
        while not over.wait(0.001):
            steps.append(time.perf_counter())

    shader = "#version 330 core\nout vec4 pixel;\nvoid main() {{ vec4 v = gl_FragCoord;\n{} pixel = v; }}\n"
    long = shader.format("".join(f"v = fract(v.yzxw * {n}.5 + sin(v)) + pow(v.wxyz, v);\n" for n in range(1200)))
    slow = gl.resources.program(
        WHOLE_PICTURE_VERTEX, shader.format("for (int i = 0; i < 200; i++) v = sin(v) + v.yzwx;")
    )
    target = gl.resources.target("slow", (700, 700))
    thread = threading.Thread(target=beside)
    thread.start()
    moments = [time.perf_counter()]
    gl.resources.program(WHOLE_PICTURE_VERTEX, long)
    moments.append(time.perf_counter())
    target.drawing.use()
    fill_picture(gl.context, slow)
    target.linear.read()
    moments.append(time.perf_counter())
    over.set()
    thread.join()
    for began, ended in pairwise(moments):
        assert sum(began < step < ended for step in steps) >= 10, f"{ended - began} s"


def test_the_worker_drops_old_jobs_and_survives_a_failing_one(demo_folder: Path) -> None:
    worker = RenderWorker("soft")
    done, hold = threading.Event(), threading.Event()
    drawn: list[str] = []
    said: list[str] = []
    tiny = Frame((4, 4), camera_for(View(), (4, 4)), (), Paint(const(1, 0, 0, 1)), const(0, 0, 0, 1))

    def slow() -> Frame:
        hold.wait(10)
        return tiny

    def fails() -> Frame:
        raise LanternError("that cannot be drawn")

    def deliver(name: str, picture: Picture) -> None:
        drawn.append(name)
        if name == "last":
            done.set()

    worker.submit("stage", Job(fails, lambda p: deliver("failed", p), said.append))
    while not said:
        done.wait(0.01)
    worker.submit("stage", Job(slow, lambda p: deliver("first", p), said.append))
    done.wait(0.2)
    for name in ("second", "third", "last"):
        worker.submit("stage", Job(lambda: tiny, lambda p, name=name: deliver(name, p), said.append))
    hold.set()
    assert done.wait(10)
    worker.stop()
    assert drawn == ["first", "last"]
    assert said == ["that cannot be drawn"]


def test_windows_beside_each_other_draw_by_one_renderer_and_leave_one_by_one() -> None:
    first = RenderWorker("soft")
    second = RenderWorker(beside=first)
    begun, hold, done = threading.Event(), threading.Event(), threading.Event()
    tiny = Frame((4, 4), camera_for(View(), (4, 4)), (), Paint(const(1, 0, 0, 1)), const(0, 0, 0, 1))
    drawn: list[str] = []

    def slow() -> Frame:
        begun.set()
        hold.wait(10)
        return tiny

    first.submit("stage", Job(slow, lambda _: drawn.append("first"), drawn.append))
    assert begun.wait(10)
    first.submit("another", Job(lambda: tiny, lambda _: drawn.append("dropped"), drawn.append))
    second.submit("stage", Job(lambda: tiny, lambda _: done.set(), drawn.append))
    threading.Timer(0.2, hold.set).start()
    first.stop()
    assert drawn == ["first"]  # it waited for what was being drawn, and forgot the rest
    assert done.wait(10) and first.device == second.device != ""
    second.stop()


def test_a_refused_shader_is_said(gl: GlRenderer) -> None:
    with pytest.raises(LanternError, match="refused a shader"):
        gl.resources.program("#version 330 core\nvoid main() { gl_Position = 1; }", "#version 330 core\nvoid main() {}")


def test_a_picture_of_nothing_is_the_backdrop(demo_folder: Path, gl: GlRenderer) -> None:
    project = open_project(demo_folder).project
    scene = changed(project.scenes["garden"], objects=())
    frame = frame_of(
        project,
        scene,
        {},
        camera_for(View(), SIZE),
        SIZE,
        StageOptions(backdrop=False, floor=False, grid=False, tone_map=False, gauge=False),
        LoweredMaterials(),
    )
    # 0.18 linear is 118 of 255 in sRGB (IEC 61966-2-1).
    assert (gl.render(frame).pixels[..., :3] == 118).all()
