"""GLSL and HLSL compiled by glslang, and SPIR-V validated by spirv-val."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from soft_lantern.formats.shaders.glsl_files import stage_of
from soft_lantern.proof.absent import Absent

COMPILER, VALIDATOR = "glslangValidator", "spirv-val"
SECONDS = 60
TOGETHER = 32
"""Texts compiled in one start, which takes as long as some twenty of them."""
Files = Mapping[str, str | bytes]


def programs() -> tuple[str, str]:
    """The paths of the compiler and the validator. Raises Absent without them."""
    compiler, validator = (shutil.which(each) for each in (COMPILER, VALIDATOR))
    if compiler is None or validator is None:
        raise Absent(f"it is proven by {COMPILER} and {VALIDATOR}, of Debian's glslang-tools and spirv-tools")
    return compiler, validator


def glsl_troubles(several: Sequence[Files]) -> list[str]:
    """What is wrong with the files of each of several materials, in a GLSL whose version they say; "" where nothing is.

    Raises Absent without the programs.
    """
    found: list[str] = []
    for start in range(0, len(several), TOGETHER):
        run = several[start : start + TOGETHER]
        sound = not _glsl_trouble([file for files in run for file in files.items()])
        found += [""] * len(run) if sound else [_glsl_trouble(list(files.items())) for files in run]
    return found


def _glsl_trouble(files: Sequence[tuple[str, str | bytes]]) -> str:
    compiler, _ = programs()
    with tempfile.TemporaryDirectory() as home:
        sources = [Path(home) / f"{number}.{stage_of(name)}" for number, (name, _) in enumerate(files)]
        for source, (_, text) in zip(sources, files, strict=True):
            source.write_text(str(text))
        return _run([compiler, *map(str, sources)])


def hlsl_trouble(files: Files) -> str:
    """What is wrong with the HLSL of a material, and with SPIR-V made of it. Raises Absent without the programs."""
    compiler, _ = programs()
    for name, text in files.items():
        with tempfile.TemporaryDirectory() as home:
            source, made = Path(home) / name, Path(home) / "made.spv"
            source.write_text(str(text))
            told = _run([compiler, "-D", "-V", "-e", "pixel_main", "-S", stage_of(name), str(source), "-o", str(made)])
            told = told or spirv_trouble({name: made.read_bytes()})
        if told:
            return told
    return ""


def spirv_trouble(files: Files) -> str:
    """What is wrong with SPIR-V. Raises Absent without the programs."""
    _, validator = programs()
    for name, data in files.items():
        assert isinstance(data, bytes), name
        with tempfile.TemporaryDirectory() as home:
            made = Path(home) / "made.spv"
            made.write_bytes(data)
            told = _run([validator, str(made)])
        if told:
            return told
    return ""


def _run(asked: list[str]) -> str:
    done = subprocess.run(asked, capture_output=True, text=True, timeout=SECONDS)
    return "" if done.returncode == 0 else (done.stdout + done.stderr).strip() or f"{asked[0]} failed"
