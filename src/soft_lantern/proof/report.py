"""What is proven of a material's delivered text, target by target, by a path that is not ours."""

from __future__ import annotations

import functools
from collections.abc import Mapping, Sequence
from typing import Any

from soft_lantern.errors import LanternError
from soft_lantern.formats.delivery import TARGETS
from soft_lantern.formats.shader_gradients import Form, shipped
from soft_lantern.formats.shaders.surface import SurfaceProgram, base_of, program_of
from soft_lantern.graph.document import Material, Project
from soft_lantern.proof import by_glslang, by_webgl
from soft_lantern.proof.by_materialx import SIX_DIGITS, ByGenerator, points_of
from soft_lantern.proof.by_opengl import OpenGl
from soft_lantern.proof.by_webgpu import WebGpu
from soft_lantern.proof.points import LIMIT, Points, Rows, compared, is_read, trial

POINTS, SEED = 2000, 1
PROVEN = (*TARGETS, "mtlx")
"""The targets that have a proof."""


def proofs(
    project: Project, materials: Sequence[Material], targets: Sequence[str], form: Form = "row"
) -> list[dict[str, Any]]:
    """A row for each material and target: how it was proven, whether it holds, and how far it is off at most.

    `largest` is beside the limit of 1e-5 of a value; None where the text was compiled and not run. Where a program that
    proves is missing, the row says so, and nothing is proven.
    """
    programs = {each.id: program_of(each, shipped(project, each, form)) for each in materials}
    in_browser: dict[str, dict[str, Any]] = {}
    if "glsl-es" in targets:
        try:
            in_browser = _by_webgl(programs)
        except LanternError as error:
            in_browser = dict.fromkeys(programs, _missing(error))
    rows = []
    for material in materials:
        for target in targets:
            try:
                proof = _by_materialx(material) if target == "mtlx" else _proof(programs[material.id], target)
            except LanternError as error:
                proof = _missing(error)
            if target == "glsl-es" and proof["holds"]:
                proof = in_browser.get(material.id, proof)
            rows.append({"material": material.name, "target": target} | proof)
    return rows


def in_words(row: Mapping[str, Any]) -> str:
    """How a row was proven, and how far it was off where it was run."""
    return row["how"] if row["largest"] is None else f"{row['how']}, off by {row['largest'] * LIMIT:.1e} at most"


def _missing(error: LanternError) -> dict[str, Any]:
    return {"how": f"not proven here: {error}", "holds": True, "largest": None}


def _proof(program: SurfaceProgram, target: str) -> dict[str, Any]:
    if target == "msl":
        return {"how": "not compiled here", "holds": True, "largest": None}
    if target == "wgsl":
        return _by_webgpu(program)
    checked = "glsl-450" if target == "spirv" else target
    texts = TARGETS[checked].files(program)
    bad = [words for name, text in texts.items() if (words := by_glslang.trouble(checked, name, str(text)))]
    how = "compiled by glslang" + (", validated by spirv-val" if "-V" in by_glslang.HOW[checked] else "")
    if bad:
        return {"how": bad[0].splitlines()[0], "holds": False, "largest": None}
    if target == "glsl":
        tried = trial(program, POINTS, SEED)
        return _row(tried, _opengl().run(tried), _opengl().name)
    return {"how": how, "holds": True, "largest": None}


def _row(
    tried: Points, found: dict[str, Rows], name: str, limit: float = LIMIT, why: str = "own sine and cosine are coarse"
) -> dict[str, Any]:
    proof = compared(tried, found, limit)
    how = f"run by {name} at {tried.sure:,} points"
    if limit > LIMIT:
        how += f", whose {why}: limit {limit:.0e}"
    return {"how": how, "holds": proof.holds, "largest": proof.largest * limit / LIMIT, "where": proof.where}


def _by_webgl(programs: Mapping[str, SurfaceProgram]) -> dict[str, dict[str, Any]]:
    """Rows by the ids of their materials."""
    tried = {key: trial(program, POINTS, SEED) for key, program in programs.items()}
    answer = by_webgl.run(list(tried.values()))
    rows: dict[str, dict[str, Any]] = {}
    for (key, each), found, limit in zip(tried.items(), answer.found, answer.limits, strict=True):
        if isinstance(found, str):
            rows[key] = {"how": found.splitlines()[0], "holds": False, "largest": None}
        else:
            rows[key] = _row(each, found, answer.name, limit)
    return rows


def _by_webgpu(program: SurfaceProgram) -> dict[str, Any]:
    device = _device()
    (text,) = TARGETS["wgsl"].files(program).values()
    bad = device.accepts(str(text))
    if bad:
        return {"how": bad.splitlines()[0], "holds": False, "largest": None}
    if is_read(program):
        return {"how": "compiled by naga; it reads textures, and was not run", "holds": True, "largest": None}
    tried = trial(program, POINTS, SEED)
    return _row(tried, device.run(tried), device.name)


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
