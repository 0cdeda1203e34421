"""An atlas of gradients as a PNG with a JSON table beside it."""

from __future__ import annotations

import json
from pathlib import Path

from soft_lantern.bake.atlas import Atlas, table_of
from soft_lantern.errors import BadFile
from soft_lantern.formats.images import write_deep_png, write_png


def write_atlas(atlas: Atlas, path: Path) -> list[Path]:
    """Write the texture and its table. Raises BadFile where the disk refuses."""
    write_png(atlas.texels, path) if atlas.bits == 8 else write_deep_png(atlas.texels, path)
    table = path.with_suffix(".json")
    try:
        table.write_text(json.dumps(table_of(atlas), indent=2, ensure_ascii=False) + "\n", "utf-8")
    except OSError as error:
        raise BadFile(f"{table} cannot be written: {error.strerror or error}") from error
    return [path, table]
