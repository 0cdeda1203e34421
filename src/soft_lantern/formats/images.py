"""Images in: reading the project's textures, and bringing an image file into the project folder."""

from __future__ import annotations

import logging
import re
import shutil
import warnings
import weakref
from collections.abc import Iterable
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np
import numpy.typing as npt

from soft_lantern.errors import BadFile
from soft_lantern.formats.places import check_plain, file_inside, new_file, read_plain, whole
from soft_lantern.formats.project_folder import IMAGE_FOLDER
from soft_lantern.graph.document import Project, Texture, new_id
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.graph.ramps.images import ramp_images
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.limits import IMAGE_BYTES, IMAGE_CHANNELS, IMAGE_SIDE
from soft_lantern.values.images import Encoding, Image

FLOATING = (".exr", ".hdr")
"""Files of linear light without an upper end: OpenEXR and Radiance HDR."""
logging.getLogger("PIL").setLevel(logging.CRITICAL)  # what is wrong with a file is said once, by us
READABLE_IMAGES = (".png", ".jpg", ".jpeg", ".tga", ".webp", ".bmp", ".tif", ".tiff", *FLOATING)
_DATA_WORDS = {
    *("normal", "normals", "nrm", "height", "displacement", "mask", "masks", "flow", "depth", "alpha", "noise"),
    *("rough", "roughness", "metal", "metallic", "ao", "orm", "occlusion", "index", "indices", "id", "data"),
}


def load_texture(texture: Texture, folder: Path | None) -> Image:
    """The image of a texture of the project in `folder`. Raises BadFile with what is wrong and where."""
    if folder is None or not texture.file:
        raise BadFile(f"{texture.name} has no file")
    path = file_inside(folder, texture.file, texture.name)
    if not path.exists():
        raise BadFile(f"the image file {texture.file} of {texture.name} is missing")
    texels = _read(path)
    return Image(texels, texture.encoding, texture.filter, texture.wrap)


def read_image(path: Path, encoding: Encoding) -> Image:
    """An image of a file that is not the project's. Raises BadFile."""
    return Image(_read(path), encoding)


def load_images(project: Project, folder: Path | None) -> tuple[dict[str, Image], list[Notice]]:
    """The image of every gradient, palette and texture that can be read, by id; a notice for each that cannot."""
    images: dict[str, Image] = ramp_images(project)
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
    texels = _read(path)
    target = new_file(folder / IMAGE_FOLDER, path.stem[:100], path.suffix, lambda draft: _copy(path, draft))
    is_data = bool(_DATA_WORDS & set(re.split(r"[^a-z]+", path.stem.lower())))
    name = path.stem.replace("_", " ").replace("-", " ")
    texture = Texture(
        id=new_id("texture"),
        name=name[:1].upper() + name[1:],
        file=target.relative_to(folder).as_posix(),
        encoding="data" if is_data or path.suffix.lower() in FLOATING else "colour",
    )
    return texture, Image(texels, texture.encoding, texture.filter, texture.wrap)


def new_texture(
    linear: npt.NDArray[np.float32], name: str, folder: Path, *, floats: bool = False
) -> tuple[Texture, Image]:
    """A new texture of a project that holds numbers as they are, linear RGBA (h, w, 4); it and its image.

    PNG of 16 bits a channel where all of them are from 0 to 1, else, or with `floats`, OpenEXR of 32-bit floats, which
    read the same as colour and as data. Raises BadFile.
    """
    stem, deep = as_identifier(name, (), "map")[:100], floats or bool(linear.min() < 0 or linear.max() > 1)
    texels = linear if deep else np.rint(linear.astype(np.float64) * 65535).astype(np.uint16)
    target = new_file(folder / IMAGE_FOLDER, stem, ".exr" if deep else ".png", lambda draft: _write_deep(texels, draft))
    texture = Texture(
        id=new_id("texture"), name=name, file=target.relative_to(folder).as_posix(), encoding="data", wrap="clamp"
    )
    return texture, load_texture(texture, folder)


def same_image(path: Path, textures: Iterable[Texture], folder: Path) -> str:
    """The id of a texture of a project whose file holds the very bytes of another file; "" where there is none."""
    try:
        wanted = read_plain(path, IMAGE_BYTES)
    except BadFile:
        return ""  # whoever reads it says why
    for texture in textures:
        try:
            held = file_inside(folder, texture.file, texture.name) if texture.file else None
            if held and held.stat().st_size == len(wanted) and read_plain(held, IMAGE_BYTES) == wanted:
                return texture.id
        except (BadFile, OSError):
            continue
    return ""


_kept: weakref.WeakValueDictionary[tuple[object, ...], npt.NDArray[Any]] = weakref.WeakValueDictionary()
"""Texels that are in use, by their file and all that says whether it is another one now."""


def _read(path: Path) -> npt.NDArray[Any]:
    """The texels of an image file as RGBA of 8 or 16 bits, or floats."""
    if not path.exists():
        raise BadFile(f"the image file {path} is missing")
    if path.suffix.lower() not in READABLE_IMAGES:
        raise BadFile(f"{path.name}: only {', '.join(READABLE_IMAGES)} can be read")
    check_plain(path, IMAGE_BYTES)
    found = path.stat()
    # The time of the last change of anything about the file shows one rewritten under its old time.
    key = (str(path), found.st_ino, found.st_size, found.st_mtime_ns, found.st_ctime_ns)
    texels = _kept.get(key)
    if texels is None:
        texels = _kept[key] = _decoded(path)
    return texels


def _pillow() -> ModuleType:
    """What reads and writes ordinary images; imported with the first, since few commands meet any."""
    from PIL import Image as Pillow

    Pillow.MAX_IMAGE_PIXELS = None  # `_check_size` is stricter, and says so in a sentence
    return Pillow


def _decoded(path: Path) -> npt.NDArray[Any]:
    try:
        if path.suffix.lower() in FLOATING:
            return _read_deep(path)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with _pillow().open(path) as opened:
                _check_size(path, *opened.size)
                if opened.mode.startswith("I;16") or opened.mode == "I":
                    grey = np.clip(np.asarray(opened, np.int64), 0, 65535).astype(np.uint16)
                    full = np.full_like(grey, 65535)
                    return np.stack([grey, grey, grey, full], axis=2)
                if _is_deep(path, opened.format or ""):
                    return _read_deep(path)
                return np.asarray(opened.convert("RGBA"), np.uint8)
    except BadFile:
        raise
    except MemoryError as error:
        raise BadFile(f"{path.name} does not fit into memory") from error
    except Exception as error:  # decoders raise whatever their parsing stumbles over
        raise BadFile(f"{path.name} is not a sound image: {_first_line(str(error))}") from error


def _check_size(path: Path, width: int, height: int, channels: int = 4) -> None:
    if max(width, height) > IMAGE_SIDE or min(width, height) < 1:
        raise BadFile(f"{path.name} is {width} × {height}; at most {IMAGE_SIDE} is read")
    if not 1 <= channels <= IMAGE_CHANNELS:
        raise BadFile(f"{path.name} has {channels} channels; at most {IMAGE_CHANNELS} are read")


def _is_deep(path: Path, kind: str) -> bool:
    """Whether a PNG has 16 bits a channel, of which the common reader keeps 8 where there is colour."""
    if kind != "PNG":
        return False
    with path.open("rb") as file:
        return file.read(25)[24:] == b"\x10"  # the bit depth in the header (PNG 1.2, section 4.1.1)


def _read_deep(path: Path) -> npt.NDArray[Any]:
    """RGBA of 16 bits or floats by OpenImageIO; a file without alpha is opaque, one of one channel is grey."""
    import OpenImageIO as oiio  # slow to import, and only wanted here

    as_kept = oiio.ImageSpec()
    as_kept.attribute("oiio:UnassociatedAlpha", 1)  # colours of a PNG do not wear their alpha
    opened = oiio.ImageInput.open(str(path), as_kept)
    if opened is None:
        raise BadFile(f"{path.name} is not a sound image: {_first_line(oiio.geterror())}")
    try:
        spec = opened.spec()
        _check_size(path, spec.width, spec.height, spec.nchannels)
        if spec.depth > 1:
            raise BadFile(f"{path.name} is a picture in depth, which is not read here")
        names = [name.lower().rpartition(".")[2] for name in spec.channelnames]
        kind = oiio.UINT16 if spec.format == oiio.UINT16 else oiio.FLOAT
        texels = opened.read_image(kind)
        if texels is None:
            raise BadFile(f"{path.name} is not a sound image: {_first_line(opened.geterror())}")
    finally:
        opened.close()
    texels = texels.reshape(spec.height, spec.width, spec.nchannels)
    channels = [names.index(name) if name in names else None for name in ("r", "g", "b", "a")]
    if channels[0] is None:
        channels[:3] = [0, 0, 0]
    opaque = 1.0 if texels.dtype.kind == "f" else np.iinfo(texels.dtype).max
    filled = [np.full(texels.shape[:2], opaque if i == 3 else 0, texels.dtype) for i in range(4)]
    parts = [filled[i] if at is None else texels[..., at] for i, at in enumerate(channels)]
    return np.ascontiguousarray(np.stack(parts, axis=2))


def write_png(pixels: npt.NDArray[np.uint8], path: Path) -> None:
    """Save displayed RGBA or RGB of 8 bits. Raises BadFile where the disk refuses."""
    with whole(path) as draft:
        _pillow().fromarray(np.ascontiguousarray(pixels)).save(draft, "PNG")


def write_exr(linear: npt.NDArray[np.float32], path: Path) -> None:
    """Save linear RGBA, (height, width, 4), as OpenEXR of 32-bit floats. Raises BadFile where the disk refuses."""
    _write_deep(np.ascontiguousarray(linear, np.float32), path)


def write_deep_png(texels: npt.NDArray[np.uint16], path: Path) -> None:
    """Save RGBA, (height, width, 4), as PNG of 16 bits a channel, its alpha apart. Raises BadFile."""
    _write_deep(np.ascontiguousarray(texels, np.uint16), path)


def _write_deep(texels: npt.NDArray[Any], path: Path) -> None:
    import OpenImageIO as oiio

    height, width = texels.shape[:2]
    spec = oiio.ImageSpec(width, height, 4, oiio.FLOAT if texels.dtype.kind == "f" else oiio.UINT16)
    spec.attribute("compression", "zip")
    spec.attribute("oiio:UnassociatedAlpha", 1)
    with whole(path) as draft:
        file = oiio.ImageOutput.create(str(draft))
        if file is None or not file.open(str(draft), spec):
            raise BadFile(f"{path} cannot be written: {_first_line(file.geterror() if file else oiio.geterror())}")
        if not file.write_image(texels) or not file.close():
            raise BadFile(f"{path} cannot be written: {_first_line(file.geterror())}")


def _copy(source: Path, target: Path) -> None:
    shutil.copyfile(source, target)


def _first_line(text: str) -> str:
    return (text.strip().splitlines() or ["its data cannot be read"])[0]
