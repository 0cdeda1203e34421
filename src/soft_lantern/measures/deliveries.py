"""Measures of what leaves: the work in delivered text beside an expert's, and how long a delivery takes again."""

from __future__ import annotations

import functools
import itertools
import re
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

from soft_lantern.baked_assets.target import gltf_target
from soft_lantern.demo.project import write_demo
from soft_lantern.formats.delivery import TARGETS, deliver
from soft_lantern.formats.materialx.target import materialx_target
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.project_source import from_disk
from soft_lantern.formats.shaders.surface import program_of
from soft_lantern.graph.document import Project, changed
from soft_lantern.ir.expr import join
from soft_lantern.ir.narrow import narrowed
from soft_lantern.measures.chromium import chromium
from soft_lantern.measures.effects import Effect
from soft_lantern.render.frame import Paint
from soft_lantern.render.gl_text import fragment_shader
from soft_lantern.review.page import review_page
from soft_lantern.review.target import page_target

TOOLS = ("glslangValidator", "spirv-opt", "spirv-dis")
_WORK = re.compile(
    r"= Op(?:(?:F|I|S|U)(?:Add|Sub|Mul|Div|Mod|Rem|Negate|Ord\w+)|Dot|VectorTimesScalar|Select|ExtInst) %(?:v(\d))?"
)
"""What counts as an operation in the text of SPIR-V, and how many numbers it is on."""
_PRODUCT = re.compile(r"= OpMatrixTimesVector %v(\d)")
"""The product of a square matrix and a vector: so many products of numbers, and sums of all but one of each row."""
_HAND_HEAD = """#version 330 core
in vec3 position_world;
in vec3 position_object;
in vec3 carried_normal;
in vec2 uv;
uniform vec3 camera_position;
out vec4 pixel;
"""


def by_hand(effect: Effect) -> str:
    """The fragment shader of an effect as an expert writes it."""
    return _HAND_HEAD + effect.by_hand + "\nvoid main() { pixel = vec4(effect(), 1.0); }\n"


def as_delivered(effect: Effect) -> str:
    """The same from the effect's graph, with what a delivery leaves out left out."""
    stage = program_of(effect.graph.material).pixel
    shown = narrowed([stage.results["base_colour"]])
    names = {shown[expr]: name for expr, name in stage.names.items() if expr in shown}
    return fragment_shader(Paint(join(shown[stage.results["base_colour"]], 1.0), names=names)).text


@functools.cache
def can_count() -> bool:
    """Whether the programs are here by which operations are counted."""
    return all(shutil.which(each) for each in TOOLS)


def operations(text: str, stage: str = "frag") -> int:
    """The operations on single numbers of a shader, compiled by glslang and optimised by spirv-opt."""
    with tempfile.TemporaryDirectory() as home:
        source, made, less = (Path(home) / name for name in (f"one.{stage}", "one.spv", "less.spv"))
        source.write_text(text.replace("#version 330 core", "#version 450"))
        _run("glslangValidator", "-G", "--aml", "--amb", str(source), "-o", str(made))
        _run("spirv-opt", "-O", str(made), "-o", str(less))
        listed = _run("spirv-dis", str(less))
        matrices = sum(int(side) * (2 * int(side) - 1) for side in _PRODUCT.findall(listed))
        return sum(int(width or 1) for width in _WORK.findall(listed)) + matrices


def _run(*asked: str) -> str:
    return subprocess.run(asked, capture_output=True, text=True, check=True).stdout


def again() -> float:
    """Seconds to deliver the whole demo for every target once more, with nothing changed."""
    with tempfile.TemporaryDirectory() as home:
        folder, out = Path(home) / "project", Path(home) / "out"
        write_demo(folder)
        project, read = open_project(folder).project, from_disk(folder)
        whole = materialx_target(folder, read) | page_target(folder, read)
        wanted = [*(key for key in TARGETS if key != "spirv" or shutil.which(TOOLS[0])), *whole]
        materials = sorted(project.materials.values(), key=lambda each: each.id)
        deliver(project, materials, wanted, out, whole=whole)
        started = time.perf_counter()
        done = deliver(project, materials, wanted, out, whole=whole)
        assert not done.written
        return time.perf_counter() - started


def kettle_baked() -> tuple[float, float]:
    """Seconds to bake the kettle in all its looks for glTF the first time, and the longest until it can be stopped."""
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home)
        write_demo(folder)
        project = _kettle_alone(open_project(folder).project)
        target = gltf_target(folder)["gltf"]
        asked = [time.perf_counter()]
        target.files(project, [project.materials["kettle_metal"]], lambda *_: asked.append(time.perf_counter()))
        asked.append(time.perf_counter())
        return asked[-1] - asked[0], max(later - earlier for earlier, later in itertools.pairwise(asked))


def kettle_page() -> float:
    """Megabytes of the review page of the kettle alone, in all its looks."""
    return len(_kettle_text().encode()) / 1e6


@functools.cache
def _kettle_text() -> str:
    with tempfile.TemporaryDirectory() as home:
        folder = Path(home) / "project"
        write_demo(folder)
        project = _kettle_alone(open_project(folder).project)
        models, images = from_disk(folder)(project)
        return review_page(project, [project.materials["kettle_metal"]], models, images)


def first_picture() -> float:
    """Seconds from the opening of the kettle's page in a browser, which draws by software, to its first picture."""
    with tempfile.TemporaryDirectory() as home, chromium(Path(home) / "browser") as page:
        file = Path(home) / "kettle.html"
        file.write_text(_kettle_text(), encoding="utf-8")
        page.open(file, PAGE)
        return float(page.value(_DRAWN)) / 1000


PAGE = (1280, 800)
_DRAWN = """(() => {
  const gl = document.getElementById("stage").getContext("webgl2");
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4)); // waits for what is being drawn
  return performance.now();
})()"""


def _kettle_alone(project: Project) -> Project:
    """The project with one scene, in which the kettle stands alone."""
    for scene in project.scenes.values():
        for thing in scene.objects:
            if thing.asset == "tea_kettle":
                alone = changed(scene, objects=(thing,))
                return changed(project, scenes={scene.id: alone})
    raise LookupError("the demo has no kettle in a scene")
