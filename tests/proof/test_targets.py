"""Every target of every demo material, by glslang, spirv-val, OpenGL, chromium, naga, Mesa's Vulkan and MaterialX."""

from __future__ import annotations

import re
import subprocess
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from soft_lantern.demo.project import demo_project
from soft_lantern.formats.delivery import TARGETS, Target
from soft_lantern.formats.shader_package import c_header
from soft_lantern.formats.shaders.block import laid_out, members, size_of
from soft_lantern.formats.shaders.glsl_files import FLAVOURS
from soft_lantern.formats.shaders.surface import program_of
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Material, Project
from soft_lantern.proof import by_spirv_cross
from soft_lantern.proof.by_opengl import OpenGl
from soft_lantern.proof.by_webgpu import WebGpu
from soft_lantern.proof.points import compared, trial
from soft_lantern.proof.report import PROVEN, proofs

PROJECT = demo_project()
MATERIALS = sorted(PROJECT.materials.values(), key=lambda material: material.id)


def used(material: Material) -> set[str]:
    """The nodes of a material, and the kinds of its parameters."""
    return {node.type for node in material.nodes.values()} | {parameter.kind for parameter in material.parameters}


def holding_all(materials: list[Material]) -> list[Material]:
    """Few that have, between them, every node and kind that any of them has."""
    left, few = set().union(*map(used, materials)), []
    while left:
        few.append(max(materials, key=lambda material: len(used(material) & left)))
        left -= used(few[-1])
    return few


FEW = holding_all(MATERIALS)


@pytest.fixture(scope="module")
def rows() -> list[dict[str, Any]]:
    return proofs(PROJECT, FEW, list(PROVEN))


@pytest.mark.parametrize("material", FEW, ids=lambda material: material.id)
def test_every_target_passes_its_proof_over_what_the_demo_uses(material: Material, rows: list[dict[str, Any]]) -> None:
    mine = {row["target"]: row for row in rows if row["material"] == material.name}
    assert list(mine) == list(PROVEN)
    assert all(row["holds"] for row in mine.values()), [row for row in mine.values() if not row["holds"]]
    run = {target for target, row in mine.items() if "run by" in row["how"]}
    assert run == set(PROVEN) - {"glsl-450", "msl"}
    points = [int(re.findall(r"at ([\d,]+) points", mine[target]["how"])[0].replace(",", "")) for target in run]
    assert min(points) >= 1000


def test_a_wrong_number_and_a_wrong_word_do_not_pass() -> None:
    program = program_of(PROJECT.materials["height_ramp"])
    tried, device = trial(program, 200, 1), WebGpu()
    found = device.run(tried)
    assert compared(tried, found).holds and compared(tried, OpenGl().run(tried)).holds
    assert max(float(rows.max()) for rows in tried.spread.values()) < 1e-5  # nothing here excuses a wrong number
    off = {name: rows.copy() for name, rows in found.items()}
    off["roughness"][17] += 2e-5
    proof = compared(tried, off)
    assert not proof.holds and proof.where == "roughness"
    assert "no_such_thing" in device.accepts("fn broken() -> f32 { return no_such_thing; }")


def test_a_proof_asked_for_on_one_thread_does_not_spoil_those_of_another() -> None:
    """What a driver runs in belongs to one thread at a time, and the first one may live on, as in a pool."""
    material = PROJECT.materials["height_ramp"]
    with ThreadPoolExecutor(2) as pool:
        both = threading.Barrier(2, timeout=120)

        def asked(_: int) -> dict[str, Any]:
            (row,) = proofs(PROJECT, [material], ["glsl"])
            both.wait()
            return row

        assert all(row["holds"] and "run by" in row["how"] for row in pool.map(asked, range(2)))


def test_what_a_program_refuses_fails_and_metal_text_that_is_another_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    material = PROJECT.materials["height_ramp"]
    program = program_of(material)
    assert by_spirv_cross.trouble(program) == ""
    sound = TARGETS["msl"].files
    for one, other, told in (
        ("mix(", "min(", "calls differ"),
        ("float spread;", "float4 spread;", "HeightRampParameters"),
    ):
        worse = {name: str(text).replace(one, other, 1) for name, text in sound(program).items()}
        monkeypatch.setitem(TARGETS, "msl", Target("Metal", lambda _, worse=worse: worse))  # type: ignore[misc]
        assert told in by_spirv_cross.trouble(program)
    broken = {name: str(text).replace("lerp(", "mux(") for name, text in TARGETS["hlsl"].files(program).items()}
    monkeypatch.setitem(TARGETS, "hlsl", Target("HLSL", lambda _: broken))
    (row,) = proofs(PROJECT, [material], ["hlsl"])
    assert not row["holds"] and "mux" in row["how"]


def test_what_is_not_here_to_prove_is_said_and_nothing_fails(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", "/nowhere")
    rows = proofs(PROJECT, [PROJECT.materials["height_ramp"]], ["glsl-es", "hlsl"])
    assert all(row["holds"] and row["largest"] is None for row in rows)
    assert "chromium" in rows[0]["how"] and all("not proven here" in row["how"] for row in rows)


def test_open_cases_run_alike_by_every_path() -> None:
    """Edges the wrong way round, a negative base, a root and a logarithm of what may be below 0, in one surface."""
    m = Authoring("Open")
    height = m.add("position", space="object").into("separate").y
    soft = m.add("smoothstep", value=height, low=m.expose("Low", 0.8, limits=(-1.0, 1.0)), high=0.1)
    bent = m.add("power", base=height, exponent=m.expose("Bend", 2.0, limits=(-1.0, 3.0)))
    root = m.add("square_root", value=height) + m.add("logarithm", value=height)
    m.add("unlit_surface", colour=m.add("combine", x=soft, y=bent, z=root))
    program = program_of(m.into_project(Project(name="Open")).materials[m.material.id])
    for texts in (TARGETS[target].files(program) for target in ("glsl", "glsl-450", "hlsl", "msl", "wgsl")):
        assert not any("smoothstep(" in str(text) for text in texts.values())
    tried, device = trial(program, 500, 2), WebGpu()
    for found in (OpenGl().run(tried), *(device.run(tried, target) for target in ("wgsl", "hlsl"))):
        assert compared(tried, found).holds
        assert all(np.isfinite(rows).all() for rows in found.values())


def test_the_block_lies_alike_for_std140_and_c(tmp_path: Path) -> None:
    """The offsets glslang says by its reflection, and those a C compiler checks, are those of the table."""
    slots = laid_out([("a", 1), ("b", 3), ("c", 2), ("d", 4), ("e", 3), ("f", 1), ("g", 2), ("h", 1)])
    # By hand, by the rules of std140: d at 0, b at 16 and a behind it, e at 32 and f, then c, g, h and free room.
    assert [(s.identifier, s.offset) for s in slots if s.identifier] == [
        *(("d", 0), ("b", 16), ("a", 28), ("e", 32), ("f", 44), ("c", 48), ("g", 56), ("h", 64)),
    ]
    assert size_of(slots) == 80 and [name for name, _ in members(slots)][-3:] == ["unused_1", "unused_2", "unused_3"]
    for material in MATERIALS:
        program = program_of(material)
        text = FLAVOURS["glsl-450"].files(program)[f"{program.base}.450.frag.glsl"]
        (tmp_path / "x.frag").write_text(text)
        asked = ["glslangValidator", "-q", "-l", str(tmp_path / "x.frag")]
        told = subprocess.run(asked, capture_output=True, text=True, check=True).stdout
        seen = {name.rpartition(".")[2]: int(at) for name, at in re.findall(r"^(\S+): offset (\d+), type", told, re.M)}
        wanted = {name: slot.offset for name, slot in members(program.block)}
        assert {name: at for name, at in seen.items() if name in wanted and at >= 0}.items() <= wanted.items()
        (tmp_path / "x.h").write_text(c_header(program))
        subprocess.run(["gcc", "-x", "c", "-fsyntax-only", str(tmp_path / "x.h")], check=True)


def test_names_that_a_language_keeps_are_not_used() -> None:
    names = ("half", "fn", "kernel", "matrix", "loop", "texture_2d", "SamplerState")
    m = Authoring("Kept")
    height = m.add("position", space="object").into("separate").y
    for name in names:
        height = m.add("sine", name=name, angle=height) + height  # used twice, so that it gets a name
    m.add("unlit_surface", colour=m.add("combine", x=height, y=height, z=height))
    program = program_of(m.into_project(Project(name="p")).materials[m.material.id])
    for target, kept in (("hlsl", {"half", "matrix"}), ("msl", {"half", "kernel"}), ("wgsl", {"fn", "loop"})):
        (text,) = TARGETS[target].files(program).values()
        words = set(re.findall(r"^\s*(?:let|float) (\w+) =", str(text), re.M))
        assert len(words & {*names, *(f"{name}_2" for name in names), *(f"{name}_value" for name in names)}) >= 5
        assert not words & kept, target
    (text,) = TARGETS["wgsl"].files(program).values()
    assert WebGpu().accepts(str(text)) == ""
