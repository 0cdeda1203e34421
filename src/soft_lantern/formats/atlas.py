"""An atlas of gradients as a PNG with a JSON table beside it."""

from __future__ import annotations

import json
from pathlib import Path

from soft_lantern.bake.atlas import Atlas, table_of
from soft_lantern.formats.images import write_deep_png, write_png
from soft_lantern.formats.places import write_whole


def write_atlas(atlas: Atlas, path: Path) -> list[Path]:
    """Write the texture and its table. Raises BadFile where the disk refuses."""
    write_png(atlas.texels, path) if atlas.bits == 8 else write_deep_png(atlas.texels, path)
    table = path.with_suffix(".json")
    write_whole(table, json.dumps(table_of(atlas), indent=2, ensure_ascii=False) + "\n")
    return [path, table]
