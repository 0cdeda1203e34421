"""Images in: reading the project's textures, and bringing an image file into the project folder."""

from __future__ import annotations

import functools
import re
import shutil
import warnings
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from PIL import Image as Pillow

from soft_lantern.errors import BadFile
from soft_lantern.formats.project_folder import IMAGE_FOLDER, file_inside
from soft_lantern.graph.document import Project, Texture, new_id
from soft_lantern.graph.notices import Notice, Severity
from soft_lantern.values.images import Image

READABLE_IMAGES = (".png", ".jpg", ".jpeg", ".tga", ".webp", ".bmp", ".tif", ".tiff")
LARGEST = 16384
_DATA_WORDS = {
    *("normal", "normals", "nrm", "height", "displacement", "mask", "masks", "flow", "depth", "alpha", "noise"),
    *("rough", "roughness", "metal", "metallic", "ao", "orm", "occlusion", "index", "indices", "id", "data"),
}


def load_texture(texture: Texture, folder: Path | None) -> Image:
    """The image of a texture of the project in `folder`. Raises BadFile with what is wrong and where."""
    if folder is None or not texture.file:
        raise BadFile(f"{texture.name} has no file")
    path = file_inside(folder, texture.file, texture.name)
    if not path.is_file():
        raise BadFile(f"the image file {texture.file} of {texture.name} is missing")
    texels = _read(path, path.stat().st_mtime_ns)
    return Image(texels, texture.encoding, texture.filter, texture.wrap)


def load_images(project: Project, folder: Path | None) -> tuple[dict[str, Image], list[Notice]]:
    """Every texture's image that can be read, by texture id, and a notice for each that cannot."""
    images: dict[str, Image] = {}
    notices = []
    for texture in project.textures.values():
        try:
            images[texture.id] = load_texture(texture, folder)
        except BadFile as error:
            notices.append(Notice(Severity.ERROR, "texture", str(error), texture.id))
    return images, notices


def bring_in_image(path: Path, folder: Path) -> tuple[Texture, Image]:
    """Copy an image file into a project folder; the new texture and its image.

    What cannot be read is not copied. A name that speaks of normals, masks and the like makes it data.
    Raises BadFile.
    """
    texels = _read(path, path.stat().st_mtime_ns if path.is_file() else 0)
    home = folder / IMAGE_FOLDER
    try:
        home.mkdir(parents=True, exist_ok=True)
        target, number = home / path.name, 2
        while target.exists():
            target, number = home / f"{path.stem}_{number}{path.suffix}", number + 1
        shutil.copy2(path, target)
    except OSError as error:
        raise BadFile(f"{path.name} cannot be copied into the project: {error.strerror}") from error
    is_data = bool(_DATA_WORDS & set(re.split(r"[^a-z]+", path.stem.lower())))
    name = path.stem.replace("_", " ").replace("-", " ")
    texture = Texture(
        id=new_id("texture"),
        name=name[:1].upper() + name[1:],
        file=target.relative_to(folder).as_posix(),
        encoding="data" if is_data else "colour",
    )
    return texture, Image(texels, texture.encoding, texture.filter, texture.wrap)


@functools.lru_cache(maxsize=64)
def _read(path: Path, changed_at: int) -> npt.NDArray[Any]:
    """The texels of an image file as RGBA of 8 or 16 bits."""
    if not path.is_file():
        raise BadFile(f"the image file {path} is missing")
    if path.suffix.lower() not in READABLE_IMAGES:
        raise BadFile(f"{path.name}: only {', '.join(READABLE_IMAGES)} can be read")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Pillow.DecompressionBombWarning)
            with Pillow.open(path) as opened:
                if max(opened.size) > LARGEST:
                    raise BadFile(f"{path.name} is {opened.size[0]} × {opened.size[1]}; at most {LARGEST} is read")
                if opened.mode.startswith("I;16") or opened.mode == "I":
                    grey = np.clip(np.asarray(opened, np.int64), 0, 65535).astype(np.uint16)
                    full = np.full_like(grey, 65535)
                    return np.stack([grey, grey, grey, full], axis=2)
                return np.asarray(opened.convert("RGBA"), np.uint8)
    except BadFile:
        raise
    except Exception as error:  # decoders raise whatever their parsing stumbles over
        raise BadFile(f"{path.name} is not a sound image: {error}") from error
