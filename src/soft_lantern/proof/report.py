"""What is proven of a material's delivered text, target by target, by a path that is not ours."""

from __future__ import annotations

import functools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

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
    in_browser = _in_browser(subjects) if "glsl-es" in targets else {}
    rows = []
    for number, subject in enumerate(subjects):
        for step, target in enumerate(targets):
            progress((number + step / len(targets)) / len(subjects), f"Proving {subject.material.name}, {target}")
            try:
                proof = _proof(subject, target)
            except (Absent, NoGraphics) as error:
                proof = _missing(error)
            except LanternError as error:
                proof = _refused(str(error))
            if target == "glsl-es" and proof["holds"]:
                proof = in_browser.get(subject.material.id, proof)
            rows.append({"material": subject.material.name, "target": target} | proof)
    return rows


@dataclass(frozen=True, eq=False)
class _Subject:
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


def _proof(subject: _Subject, target: str) -> dict[str, Any]:
    if target == "mtlx":
        return _by_materialx(subject.material)
    if target == "msl":
        apart = by_spirv_cross.trouble(subject.program)
        how = "not compiled here; the same structures, calls and results as spirv-cross writes"
        return _refused(apart) if apart else {"how": how, "holds": True, "largest": None}
    compiled = "" if target == "wgsl" else _compiled(subject.program, target)
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


def _compiled(program: SurfaceProgram, target: str) -> str:
    """How a text was compiled. Raises Absent without the compiler, LanternError where it refuses."""
    checked = "glsl-450" if target == "spirv" else target
    for name, text in TARGETS[checked].files(program).items():
        words = by_glslang.trouble(checked, name, str(text))
        if words:
            raise LanternError(words)
    return "compiled by glslang" + (", validated by spirv-val" if "-V" in by_glslang.HOW[checked] else "")


def _row(
    tried: Points, found: dict[str, Rows], name: str, limit: float = LIMIT, why: str = "own sine and cosine are coarse"
) -> dict[str, Any]:
    proof = compared(tried, found, limit)
    how = f"run by {name} at {tried.sure:,} points"
    if limit > LIMIT:
        how += f", whose {why}: limit {limit:.0e}"
    return {"how": how, "holds": proof.holds, "largest": proof.largest * limit / LIMIT, "where": proof.where}


def _in_browser(subjects: Sequence[_Subject]) -> dict[str, dict[str, Any]]:
    """Rows by the ids of materials."""
    try:
        answer = by_webgl.run([each.tried for each in subjects])
    except LanternError as error:
        return {each.material.id: _missing(error) for each in subjects}
    rows: dict[str, dict[str, Any]] = {}
    for subject, found, limit in zip(subjects, answer.found, answer.limits, strict=True):
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
