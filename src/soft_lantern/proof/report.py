"""What is proven of a material's delivered text, target by target, by a path that is not ours."""

from __future__ import annotations

import concurrent.futures
import functools
import itertools
import threading
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

from msgspec import Struct

from soft_lantern.errors import LanternError, NoGraphics
from soft_lantern.formats.delivery import TARGETS
from soft_lantern.formats.shader_gradients import Form, shipped
from soft_lantern.formats.shaders.surface import SurfaceProgram, base_of, program_of
from soft_lantern.graph.document import Material, Project
from soft_lantern.progress import Progress, silent
from soft_lantern.proof import by_glslang, by_spirv_cross, by_webgl
from soft_lantern.proof.absent import Absent
from soft_lantern.proof.by_materialx import SIX_DIGITS, ByGenerator, points_of
from soft_lantern.proof.by_opengl import OpenGl
from soft_lantern.proof.by_webgl import BROWSER, Answer
from soft_lantern.proof.by_webgpu import WebGpu
from soft_lantern.proof.points import LIMIT, Points, Rows, Trial, compared, trial
from soft_lantern.proof.vulkan_points import STAGES

POINTS, SEED = 2000, 1
PROVEN = (*TARGETS, "mtlx")
"""The targets that have a proof."""


def proofs(
    project: Project,
    materials: Sequence[Material],
    targets: Sequence[str],
    form: Form = "row",
    progress: Progress = silent,
) -> list[dict[str, Any]]:
    """A row for each material and target: how it was proven, whether it holds, and how far it is off at most.

    `largest` is beside the limit of 1e-5 of a value; None where the text was not run. Where a program that proves is
    missing, the row says so, and nothing is proven. Raises Cancelled.
    """
    subjects = [_Subject(each, program_of(each, shipped(project, each, form))) for each in materials]
    rows: list[dict[str, Any]] = []
    progress(0.0, "Compiling GLSL")
    with _Browser(subjects if "glsl-es" in targets else []) as browser:
        refused = {target: _refused_glsl(subjects, target) for target in {"glsl", "glsl-es"}.intersection(targets)}
        for number, subject in enumerate(subjects):
            for step, target in enumerate(targets):
                progress((number + step / len(targets)) / len(subjects), f"Proving {subject.material.name}, {target}")
                try:
                    proof = _proof(subject, target, refused.get(target, {}))
                except (Absent, NoGraphics) as error:
                    proof = _missing(error)
                except LanternError as error:
                    proof = _refused(str(error))
                rows.append({"material": subject.material.name, "target": target} | proof)
        in_browser = browser.rows(lambda: progress(1.0, f"Waiting for {BROWSER}"))
    for row, (subject, target) in zip(rows, itertools.product(subjects, targets), strict=True):
        if target == "glsl-es" and row["holds"]:
            row |= in_browser[subject.material.id]
    return rows


class _Subject(Struct, frozen=True, eq=False, dict=True):
    """A material that is proven, and its points, which all targets share."""

    material: Material
    program: SurfaceProgram

    @functools.cached_property
    def tried(self) -> Trial:
        return trial(self.program, POINTS, SEED)


def in_words(row: Mapping[str, Any]) -> str:
    """How a row was proven, and how far it was off where it was run."""
    return row["how"] if row["largest"] is None else f"{row['how']}, off by {row['largest'] * LIMIT:.1e} at most"


def _missing(error: LanternError) -> dict[str, Any]:
    return {"how": f"not proven here: {error}", "holds": True, "largest": None}


def _refused(words: str) -> dict[str, Any]:
    return {"how": words.splitlines()[0], "holds": False, "largest": None}


def _proof(subject: _Subject, target: str, refused: Mapping[str, str]) -> dict[str, Any]:
    """`refused`: what glslang has against GLSL, by the ids of materials."""
    if target == "mtlx":
        return _by_materialx(subject.material)
    if target == "msl":
        apart = by_spirv_cross.trouble(subject.program)
        how = "not compiled here; the same structures, calls and results as spirv-cross writes"
        return _refused(apart) if apart else {"how": how, "holds": True, "largest": None}
    compiled = "" if target == "wgsl" else _compiled(subject, target, refused)
    if target == "glsl":
        return _row(subject.tried, _opengl().run(subject.tried), _opengl().name)
    if target in STAGES:
        try:
            device = _device()
        except Absent as error:
            if target == "wgsl":
                raise
            return {"how": f"{compiled}; {error}", "holds": True, "largest": None}
        return _row(subject.tried, device.run(subject.tried, target), device.name)
    return {"how": compiled, "holds": True, "largest": None}


def _compiled(subject: _Subject, target: str, refused: Mapping[str, str]) -> str:
    """How a text was compiled. Raises Absent without the compiler, LanternError where it refuses."""
    by_glslang.programs()
    if target in ("spirv", "glsl-450"):  # SPIR-V is what the delivery makes of GLSL 4.50
        words = by_glslang.spirv_trouble(TARGETS["spirv"].files(subject.program))
    elif target == "hlsl":
        words = by_glslang.hlsl_trouble(TARGETS[target].files(subject.program))
    else:
        words = refused[subject.material.id]
    if words:
        raise LanternError(words)
    return "compiled by glslang" + ("" if target in refused else ", validated by spirv-val")


def _refused_glsl(subjects: Sequence[_Subject], target: str) -> dict[str, str]:
    """What glslang has against the texts of materials, by their ids."""
    try:
        found = by_glslang.glsl_troubles([TARGETS[target].files(each.program) for each in subjects])
    except Absent:
        return {}
    return {each.material.id: words for each, words in zip(subjects, found, strict=True)}


def _row(
    tried: Points, found: dict[str, Rows], name: str, limit: float = LIMIT, why: str = "own sine and cosine are coarse"
) -> dict[str, Any]:
    proof = compared(tried, found, limit)
    how = f"run by {name} at {tried.sure:,} points"
    if limit > LIMIT:
        how += f", whose {why}: limit {limit:.0e}"
    return {"how": how, "holds": proof.holds, "largest": proof.largest * limit / LIMIT, "where": proof.where}


class _Browser:
    """The browser, which is asked at once about all surfaces and answers beside everything else."""

    def __init__(self, subjects: Sequence[_Subject]) -> None:
        self._subjects, self._left = subjects, threading.Event()
        self._answer: Future[Answer] | None = None

    def __enter__(self) -> _Browser:
        trials = [each.tried for each in self._subjects]
        if trials:
            self._pool = ThreadPoolExecutor(1, "proof by browser")
            self._answer = self._pool.submit(by_webgl.run, trials, self._left)
        return self

    def __exit__(self, *_: object) -> None:
        self._left.set()
        if self._answer:
            self._pool.shutdown()

    def rows(self, waiting: Callable[[], None]) -> dict[str, dict[str, Any]]:
        """Rows by the ids of materials. `waiting` is called until the answer is there."""
        if self._answer is None:
            return {}
        while not self._answer.done():
            waiting()
            concurrent.futures.wait([self._answer], 0.1)
        try:
            answer = self._answer.result()
        except LanternError as error:
            return {each.material.id: _missing(error) for each in self._subjects}
        rows: dict[str, dict[str, Any]] = {}
        for subject, found, limit in zip(self._subjects, answer.found, answer.limits, strict=True):
            key = subject.material.id
            rows[key] = _refused(found) if isinstance(found, str) else _row(subject.tried, found, answer.name, limit)
        return rows


def _by_materialx(material: Material) -> dict[str, Any]:
    tried, generator = points_of(material, POINTS, SEED), ByGenerator(_opengl())
    found = generator.run(material, base_of(material), tried)
    return _row(tried, found, generator.name, SIX_DIGITS, "constants have six digits behind the point")


@functools.cache
def _device() -> WebGpu:
    return WebGpu()


@functools.cache
def _opengl() -> OpenGl:
    return OpenGl()
