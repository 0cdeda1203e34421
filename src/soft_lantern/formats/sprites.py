"""Sprites as images of indices into a palette: from pictures to files of the project, and to more cells."""

from __future__ import annotations

import re
import warnings
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np
from msgspec import Struct

from soft_lantern.errors import BadFile, BadValue, Cancelled
from soft_lantern.formats.images import READABLE_IMAGES, load_texture, read_image, write_png
from soft_lantern.formats.places import new_file
from soft_lantern.formats.project_folder import IMAGE_FOLDER
from soft_lantern.graph.document import Palette, Project, Texture, new_id
from soft_lantern.graph.palettes.indexing import Counted, Pixels, index_image, reencoded
from soft_lantern.graph.palettes.swap_sets import check_room, sprites_of
from soft_lantern.graph.ramps.images import side_of
from soft_lantern.progress import Progress, silent
from soft_lantern.values.images import Image


class Picture(Struct, frozen=True):
    """A picture that is to be indexed: what it is called, and its pixels."""

    name: str
    pixels: Pixels


class Sprites(Struct, frozen=True):
    """Textures of indices made of pictures, their images, and the colours of each that the palette has none of."""

    textures: tuple[Texture, ...]
    images: dict[str, Image]
    missing: dict[str, tuple[Counted, ...]]


def pixels_of(image: Image) -> Pixels:
    """An image's texels in 8 bits."""
    texels = image.texels
    if texels.dtype == np.uint16:
        return np.asarray((texels + 128) // 257, np.uint8)
    if texels.dtype != np.uint8:
        return np.asarray(np.clip(np.nan_to_num(texels), 0, 1) * 255 + 0.5, np.uint8)
    return np.ascontiguousarray(texels)


def pictures_in(paths: Sequence[Path], told: Progress = silent) -> list[Picture]:
    """The pictures of files, and of all image files in folders, by name. Raises BadFile, Cancelled."""
    files = []
    for path in paths:
        inside = sorted(path.iterdir()) if path.is_dir() else [path]
        files += [each for each in inside if not path.is_dir() or each.suffix.lower() in READABLE_IMAGES]
    if not files:
        raise BadFile("there is no image among what was chosen")
    found = []
    for number, file in enumerate(files):
        told(number / len(files), f"Reading {file.name}")
        found.append(Picture(file.stem, pixels_of(read_image(file, "colour"))))
    return found


def file_traps(path: Path) -> list[str]:
    """What the way a file is kept does to indices in it."""
    if path.suffix.lower() in (".jpg", ".jpeg", ".webp"):
        return [f"{path.name} may be compressed with loss: indices need PNG"]
    from PIL import Image as Pillow  # slow to import, and only wanted here

    try:
        with warnings.catch_warnings(action="ignore"), Pillow.open(path) as opened:
            if opened.mode == "P":
                return [f"{path.name} is saved with an indexed mode of its own: save it as RGB or RGBA"]
    except Exception as error:  # decoders raise whatever their parsing stumbles over
        return [f"{path.name} cannot be read: {' '.join(str(error).split())}"]
    return []


def named(stem: str) -> str:
    """What a file's stem is called for people."""
    shown = stem.replace("_", " ")
    return shown[:1].upper() + shown[1:]


def already_there(pictures: Sequence[Picture], palette: Palette, sprites: Mapping[str, Image]) -> dict[str, str]:
    """The pictures, by name, that some sprites of a palette are the very indices of, with the sprite's name."""
    found = {}
    for picture in pictures:
        alike = [name for name, image in sprites.items() if image.texels.shape == picture.pixels.shape]
        made = index_image(picture.pixels, palette).pixels if alike else picture.pixels
        same = next((name for name in alike if np.array_equal(pixels_of(sprites[name]), made)), None)
        if same is not None:
            found[picture.name] = same
    return found


def indexed(pictures: Sequence[Picture], palette: Palette, folder: Path, told: Progress = silent) -> Sprites:
    """Write pictures into the project's folder as indices. Nothing is left behind where it is cancelled or fails.

    Raises BadFile, BadValue, Cancelled.
    """
    textures, images, missing = [], {}, {}
    written: list[Path] = []
    try:
        for number, picture in enumerate(pictures):
            told(number / len(pictures), f"Indexing {picture.name}")
            made = index_image(picture.pixels, palette)
            texture = _written(made.pixels, picture.name, palette.id, folder)
            written.append(folder / texture.file)
            textures.append(texture)
            images[texture.id] = Image(made.pixels, "data", "nearest", "clamp")
            missing[texture.id] = made.missing
    except (BadFile, BadValue, Cancelled):
        for path in written:
            path.unlink(missing_ok=True)
        raise
    return Sprites(tuple(textures), images, missing)


def reencoded_sprites(
    project: Project, palette: Palette, side: int, folder: Path, told: Progress = silent
) -> dict[str, str]:
    """Files of the sprites of a palette for another side, by the texture's id, for `grown`.

    The old files stay, so that it can be undone. Raises BadFile, BadValue, Cancelled.
    """
    check_room(palette, side)
    old, files = side_of(palette), {}
    sprites = sprites_of(project, palette.id)
    for number, texture in enumerate(sprites):
        told(number / max(len(sprites), 1), f"Re-encoding {texture.name}")
        pixels = reencoded(pixels_of(load_texture(texture, folder)), old, side)
        made = _written(pixels, texture.name, palette.id, folder)
        files[texture.id] = made.file
    return files


def _written(pixels: Pixels, name: str, palette_id: str, folder: Path) -> Texture:
    stem = re.sub(r"[^A-Za-z0-9]+", "_", name).strip("_").lower() or "sprite"
    written = new_file(folder / IMAGE_FOLDER, f"{stem[:100]}_cells", ".png", lambda draft: write_png(pixels, draft))
    file = f"{IMAGE_FOLDER}/{written.name}"
    return Texture(
        id=new_id("texture"),
        name=named(name),
        file=file,
        encoding="data",
        filter="nearest",
        wrap="clamp",
        indexes=palette_id,
    )
