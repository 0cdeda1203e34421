"""Metal text beside what spirv-cross makes of the same material's SPIR-V: the same structures, work and results.

There is no compiler of Metal outside its own machines; what is compared is the text.
"""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import tempfile
from collections import Counter
from pathlib import Path
from typing import Any

from soft_lantern.formats.delivery import TARGETS
from soft_lantern.formats.shaders.block import members
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.proof.absent import Absent

TOOL = "spirv-cross"
SECONDS = 60
_BUILT_IN = (
    *(
        "sample",
        "sin",
        "cos",
        "exp",
        "exp2",
        "log",
        "log2",
        "pow",
        "sqrt",
        "abs",
        "sign",
        "ceil",
        "fract",
        "min",
        "max",
    ),
    *("clamp", "mix", "step", "smoothstep", "dot", "cross", "length", "normalize", "dfdx", "dfdy"),
)
"""Functions of the language that both texts call by name."""


def trouble(program: SurfaceProgram) -> str:
    """What sets the Metal text of a surface apart, "" where nothing does. Raises Absent without the program."""
    if shutil.which(TOOL) is None:
        raise Absent(f"Metal text is compared with that of {TOOL}, of Debian's package of that name")
    made = TARGETS["spirv"].files(program)
    spirv = next(data for name, data in made.items() if ".frag." in name)
    assert isinstance(spirv, bytes)
    theirs, told = _run(spirv, "--msl"), json.loads(_run(spirv, "--reflect"))
    (text,) = TARGETS["msl"].files(program).values()
    ours, base, capital = str(text), program.base, program.type_name
    for name in (f"{capital}Inputs", f"{capital}Surface", f"{capital}Parameters"):
        one, other = _structure(ours, name), _structure(theirs, name)
        if other is not None and one != other:
            return f"{name} is {one} here and {other} by {TOOL}"
    moved = _offsets(told, f"{capital}Parameters")
    for name, slot in members(program.block):
        if moved and name in moved and moved[name] != slot.offset:
            return f"{name} lies at byte {slot.offset} here and at {moved[name]} by {TOOL}"
    mine, its = _work(ours, base), _work(theirs, base)
    if mine != its:
        apart = {name: (mine[name], its[name]) for name in {*mine, *its} if mine[name] != its[name]}
        return f"calls differ, here and by {TOOL}: {apart}"
    return ""


def _run(spirv: bytes, how: str) -> str:
    with tempfile.TemporaryDirectory() as home:
        file = Path(home) / "made.spv"
        file.write_bytes(spirv)
        done = subprocess.run([TOOL, str(file), how], capture_output=True, text=True, timeout=SECONDS, check=True)
        return done.stdout


def _structure(text: str, name: str) -> list[tuple[str, str]] | None:
    """The members of a structure, type and name, None where there is none."""
    found = re.search(rf"struct {name}\s*\{{(.*?)\}};", text, re.DOTALL)
    return None if found is None else re.findall(r"^\s*(\w+) (\w+)[^;]*;", found[1], re.MULTILINE)


def _offsets(told: dict[str, Any], name: str) -> dict[str, int]:
    """The bytes at which the members of a block begin."""
    for each in told.get("types", {}).values():
        if each["name"] == name:
            return {member["name"]: member["offset"] for member in each["members"] if "offset" in member}
    return {}


def _work(text: str, base: str) -> Counter[str]:
    """How often the surface's function calls each function of the language, and gives a result of each name."""
    start = re.search(rf"^[\w ]+ {base}\([^;{{]*\)\s*\{{", text, re.MULTILINE)
    assert start is not None
    body = text[start.end() : text.index("\n}", start.end())]
    calls = Counter(name for name in re.findall(r"\b(\w+)\(", body) if name in _BUILT_IN)
    return calls + Counter(f"result {name}" for name in re.findall(r"surface\.(\w+) =", body))
