"""GLSL and HLSL compiled by glslang, and the SPIR-V that comes of it validated by spirv-val."""

from __future__ import annotations

import functools
import shutil
import subprocess
import tempfile
from pathlib import Path

from soft_lantern.proof.absent import Absent

COMPILER, VALIDATOR = "glslangValidator", "spirv-val"
SECONDS = 60
HOW: dict[str, tuple[str, ...]] = {
    "glsl": (),
    "glsl-es": (),
    "glsl-450": ("-V",),
    "hlsl": ("-D", "-V", "-e", "pixel_main"),
}
"""By target, how glslang is to take its text; with -V it makes SPIR-V."""


@functools.lru_cache(maxsize=64)
def trouble(target: str, name: str, text: str) -> str:
    """What is wrong with a file of a target in HOW, "" where it is sound. Raises Absent without the programs."""
    compiler, validator = (shutil.which(each) for each in (COMPILER, VALIDATOR))
    if compiler is None or validator is None:
        raise Absent(f"{target} is proven by {COMPILER} and {VALIDATOR}, of Debian's glslang-tools and spirv-tools")
    with tempfile.TemporaryDirectory() as home:
        source, made = Path(home) / name, Path(home) / "made.spv"
        source.write_text(text)
        stage = "vert" if ".vert." in name else "frag"
        asked = [compiler, *HOW[target], "-S", stage, str(source)]
        told = _run([*asked, "-o", str(made)] if "-V" in HOW[target] else asked)
        if told or not made.exists():
            return told
        return _run([validator, str(made)])


def _run(asked: list[str]) -> str:
    done = subprocess.run(asked, capture_output=True, text=True, timeout=SECONDS)
    return "" if done.returncode == 0 else (done.stdout + done.stderr).strip() or f"{asked[0]} failed"
