"""Gradients and palettes to and from files, by the file's ending."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from soft_lantern.errors import BadFile
from soft_lantern.formats.colour_tables import (
    gradient_table,
    palettes_table,
    read_gradient_table,
    read_palettes_table,
)
from soft_lantern.formats.gimp import gradient_text, palette_text, read_gradient, read_palette
from soft_lantern.formats.images import write_png
from soft_lantern.formats.places import write_whole
from soft_lantern.graph.document import Gradient, Palette
from soft_lantern.graph.palettes.indexing import cells_image

Ramp = Gradient | Palette


def read_ramps(path: Path) -> list[Ramp]:
    """The gradient or palettes of a file. Raises BadFile."""
    match path.suffix.lower():
        case ".gpl":
            return [read_palette(path)]
        case ".json":
            return [*read_palettes_table(path)]
        case ".csv":
            return [read_gradient_table(path)]
        case ".ggr":
            return [read_gradient(path)]
    raise BadFile(f"{path.name}: only .ggr and .csv gradients, .gpl and .json palettes can be read")


def write_ramp(ramp: Ramp, swaps: Sequence[Palette], path: Path) -> None:
    """Write a gradient or palette; as JSON, its whole swap set; as PNG, a palette's cells.

    Raises BadFile where the disk refuses.
    """
    ending = path.suffix.lower()
    if isinstance(ramp, Gradient):
        write_whole(path, gradient_table(ramp) if ending == ".csv" else gradient_text(ramp))
    elif ending == ".png":
        write_png(cells_image(ramp), path)
    else:
        write_whole(path, palettes_table(swaps) if ending == ".json" else palette_text(ramp))
