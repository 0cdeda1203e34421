"""What is known before a material leaves: half precision against NumPy's own, and limits."""

from __future__ import annotations

import numpy as np
import pytest

from soft_lantern.demo.project import demo_project
from soft_lantern.formats.shaders import figures
from soft_lantern.formats.shaders.surface import SurfaceProgram, program_of
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Project
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
    assert notice.severity is Severity.INFO and notice.kind == "half_precision" and notice.place == "far"
    height = trial(far_ramp(1000.0), POINTS, SEED).inputs["position_world"][:, 1]
    half = height.astype(np.float16) * np.float16(0.1) + np.float16(1000) - np.float16(1000)
    off = np.abs(np.clip(half, 0, 1).astype(np.float32) - np.clip(height * np.float32(0.1) + 1000 - 1000, 0, 1))
    assert f"roughness by up to {off.max():.2g} at {(off > STEP).mean():.0%} of points" in notice.text
    assert not preflight(far_ramp(1000.0), "glsl") and not preflight(far_ramp(0.0), "glsl-es")


def test_what_is_more_than_every_device_has_is_an_error(monkeypatch: pytest.MonkeyPatch) -> None:
    program = program_of(demo_project().materials["height_ramp"])
    assert not preflight(program, "glsl") and not preflight(program, "glsl-es")
    monkeypatch.setattr(figures, "BLOCK", 16)
    (notice,) = preflight(program, "glsl")
    assert notice.severity is Severity.ERROR and "of 16 bytes" in notice.text and notice.place == "height_ramp"
