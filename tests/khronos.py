"""What the Khronos glTF validator (npm: gltf-validator) says of files. `./lantern test` has it installed."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

_HERE = Path(__file__).parent / "outside"
_MODULES = Path(sys.prefix) / "node" / "node_modules"


def complaints(*files: Path) -> list[str]:
    """Its errors and warnings about glTF files."""
    command = ["node", str(_HERE / "gltf_complaints.cjs"), str(_MODULES), *map(str, files)]
    told = subprocess.run(command, capture_output=True, text=True, check=True, timeout=120)
    return [
        f"{file.name}: {each}" for file, found in zip(files, json.loads(told.stdout), strict=True) for each in found
    ]
