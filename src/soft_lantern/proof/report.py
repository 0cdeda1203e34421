"""What is proven of a material's delivered text, target by target, by a path that is not ours."""

from __future__ import annotations

import functools
from collections.abc import Sequence
from typing import Any

from soft_lantern.formats.delivery import TARGETS
from soft_lantern.formats.shader_gradients import Form, shipped
from soft_lantern.formats.shaders.surface import SurfaceProgram, program_of
from soft_lantern.graph.document import Material, Project
from soft_lantern.proof import by_glslang
from soft_lantern.proof.by_webgpu import WebGpu
from soft_lantern.proof.points import LIMIT, compared, is_read, trial

POINTS, SEED = 2000, 1


def proofs(
    project: Project, materials: Sequence[Material], targets: Sequence[str], form: Form = "row"
) -> list[dict[str, Any]]:
    """A row for each material and target: how it was proven, whether it holds, and how far it is off at most.

    `largest` is beside the limit of 1e-5 of a value; None where the text was compiled and not run. Raises LanternError
    where a program that proves is missing.
    """
    rows = []
    for material in materials:
        program = program_of(material, shipped(project, material, form))
        rows += [{"material": material.name, "target": target} | _proof(program, target) for target in targets]
    return rows


def in_words(row: dict[str, Any]) -> str:
    """How a row was proven, and how far it was off where it was run."""
    return row["how"] if row["largest"] is None else f"{row['how']}, off by {row['largest'] * LIMIT:.1e} at most"


def _proof(program: SurfaceProgram, target: str) -> dict[str, Any]:
    if target == "msl":
        return {"how": "not compiled here", "holds": True, "largest": None}
    if target == "wgsl":
        return _by_webgpu(program)
    checked = "glsl-450" if target == "spirv" else target
    texts = TARGETS[checked].files(program)
    bad = [words for name, text in texts.items() if (words := by_glslang.trouble(checked, name, str(text)))]
    how = "compiled by glslang" + (", validated by spirv-val" if "-V" in by_glslang.HOW[checked] else "")
    return {"how": bad[0].splitlines()[0] if bad else how, "holds": not bad, "largest": None}


def _by_webgpu(program: SurfaceProgram) -> dict[str, Any]:
    device = _device()
    (text,) = TARGETS["wgsl"].files(program).values()
    bad = device.accepts(str(text))
    if bad:
        return {"how": bad.splitlines()[0], "holds": False, "largest": None}
    if is_read(program):
        return {"how": "compiled by naga; it reads textures, and was not run", "holds": True, "largest": None}
    tried = trial(program, POINTS, SEED)
    proof = compared(tried, device.run(tried))
    how = f"run by {device.name} at {POINTS:,} points"
    return {"how": how, "holds": proof.holds, "largest": proof.largest, "where": proof.where}


@functools.cache
def _device() -> WebGpu:
    return WebGpu()
