"""What is known before a material leaves: half precision against NumPy's own, and limits."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

from soft_lantern.demo.project import demo_project
from soft_lantern.formats.shaders import figures
from soft_lantern.formats.shaders.surface import SurfaceProgram, program_of
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Budget, Project
from soft_lantern.graph.notice import Severity
from soft_lantern.proof.points import trial
from soft_lantern.proof.preflight import POINTS, SEED, STEP, preflight


def far_ramp(far: float) -> SurfaceProgram:
    """A roughness that is worked out a long way from nothing."""
    m = Authoring("Far")
    height = m.add("position").into("separate").y
    m.add("surface", roughness=m.add("clamp", value=height * 0.1 + far - far))
    return program_of(m.into_project(Project(name="Far")).materials[m.material.id])


def test_what_half_precision_loses_is_what_numpy_loses() -> None:
    (notice,) = preflight(far_ramp(1000.0), "glsl-es")
    assert notice.severity is Severity.INFO and notice.kind == "half-precision" and notice.place == "far"
    height = trial(far_ramp(1000.0), POINTS, SEED).inputs["position_world"][:, 1]
    half = height.astype(np.float16) * np.float16(0.1) + np.float16(1000) - np.float16(1000)
    off = np.abs(np.clip(half, 0, 1).astype(np.float32) - np.clip(height * np.float32(0.1) + 1000 - 1000, 0, 1))
    assert f"roughness by up to {off.max():.2g} at {(off > STEP).mean():.0%} of points" in notice.text
    assert not preflight(far_ramp(1000.0), "glsl") and not preflight(far_ramp(0.0), "glsl-es")


def test_what_is_more_than_every_device_has_is_an_error(monkeypatch: pytest.MonkeyPatch) -> None:
    program = program_of(demo_project().materials["height_ramp"])
    assert not preflight(program, "glsl") and not preflight(program, "glsl-es")
    monkeypatch.setitem(figures.LIMITS, "glsl", replace(figures.LIMITS["glsl"], parameters=16))
    (notice,) = preflight(program, "glsl")
    assert notice.severity is Severity.ERROR and "of 16 bytes" in notice.text and notice.place == "height_ramp"


def test_what_a_material_spends_beyond_a_budget_is_told_with_who_spends_most_and_can_be_allowed() -> None:
    """A sine is counted 8, a product 1 (`ir.cost`): the wave spends most, by hand 8 + 1."""
    m = Authoring("Wave")
    angle = m.add("multiply", a=m.expose("Rate", 1.0), b=m.add("time"), name="Angle")
    m.add("surface", roughness=m.add("sine", angle=angle, name="Swell"))
    project = m.into_project(Project(name="p", budgets=(Budget(name="Phone", operations=9), Budget(name="Desk"))))
    program = program_of(project.materials["wave"])
    total = figures.cost(program.pixel.results.values()).operations
    spenders = [each for each in figures.spenders(program) if each.operations]
    spent = {program.material.nodes[each.node].name: each.operations for each in spenders if each.node}
    assert spent == {"Swell": 8, "Angle": 1} and total == sum(each.operations for each in figures.spenders(program))
    (over,) = preflight(program, "glsl", project.budgets)
    assert over.kind == "over-budget" and program.material.nodes[over.node].name == "Swell"
    assert f"Phone: {total:,} operations a pixel, and 9 are meant; most by Swell 8, Angle 1" == over.text
    allowed = over.fixes[0].mended(project, "wave")
    assert allowed.budgets[0].operations == total and not preflight(program, "glsl", allowed.budgets)


def test_a_parameter_by_a_word_that_a_language_keeps_is_told_and_mended() -> None:
    """`fn` is a keyword of WGSL (W3C, WGSL, section 15.1), and a good name in GLSL."""
    m = Authoring("Kept")
    m.add("surface", roughness=m.expose("Fn", 0.5))
    project = m.into_project(Project(name="p"))
    program = program_of(project.materials["kept"])
    assert program.used[0].identifier == "fn" and not preflight(program, "glsl")
    (kept,) = preflight(program, "wgsl")
    assert kept.severity is Severity.ERROR and "“fn”" in kept.text
    mended = program_of(kept.fixes[0].mended(project, "kept").materials["kept"])
    assert mended.used[0].identifier == "fn_value" and not preflight(mended, "wgsl")
