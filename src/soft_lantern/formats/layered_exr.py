"""OpenEXR files of several parts, each with channels of its own names, and one note beside them."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.errors import BadFile
from soft_lantern.formats.places import check_plain, whole
from soft_lantern.limits import IMAGE_BYTES, IMAGE_SIDE, LIGHT_PARTS

NOTE = "softLantern"
"""The attribute of the first part that holds the note."""


class ExrPart(Struct, frozen=True, eq=False):
    """A part: its name, texels (height, width, channels), and what each channel is called.

    `half`: kept as 16-bit floats, which hold at most 65,504.
    """

    name: str
    texels: npt.NDArray[np.float32]
    channels: tuple[str, ...]
    half: bool = True


def write_parts(path: Path, parts: Sequence[ExrPart], note: str = "") -> None:
    """Write a file of parts, all or nothing. Raises BadFile where the disk refuses."""
    import OpenImageIO as oiio  # slow to import, and only wanted here

    specs = []
    # All parts of a file share one frame (OpenEXR, "Multi-Part Files"); each fills as much of it as it has.
    wide, tall = (max(part.texels.shape[axis] for part in parts) for axis in (1, 0))
    for part in parts:
        height, width, count = part.texels.shape
        spec = oiio.ImageSpec(width, height, count, oiio.HALF if part.half else oiio.FLOAT)
        spec.channelnames = part.channels
        spec.full_width, spec.full_height = wide, tall
        spec.attribute("compression", "zip")
        spec.attribute("oiio:subimagename", part.name)
        specs.append(spec)
    if note:
        specs[0].attribute(NOTE, note)
    with whole(path) as draft:
        file = oiio.ImageOutput.create(str(draft))
        if file is None or not _written(file, str(draft), parts, specs):
            words = (file.geterror() if file else oiio.geterror()).strip().splitlines()
            raise BadFile(f"{path} cannot be written: {words[0] if words else 'the disk refuses'}")


def _written(file: Any, draft: str, parts: Sequence[ExrPart], specs: list[Any]) -> bool:
    """Whether the parts could be written one after another."""
    for number, part in enumerate(parts):
        if number:
            opened = file.open(draft, specs[number], "AppendSubimage")
        else:
            opened = file.open(draft, specs if len(specs) > 1 else specs[0])
        limit = np.float32(65504 if part.half else np.finfo(np.float32).max)
        texels = np.ascontiguousarray(np.clip(part.texels, -limit, limit), np.float32)
        if not opened or not file.write_image(texels):
            return False
    return bool(file.close())


def read_parts(path: Path) -> tuple[list[ExrPart], str]:
    """All parts of a file, and its note. Raises BadFile."""
    import OpenImageIO as oiio

    if not path.exists():
        raise BadFile(f"the file {path.name} is missing")
    check_plain(path, IMAGE_BYTES)
    opened = oiio.ImageInput.open(str(path))
    if opened is None:
        _forget(oiio.geterror)
        raise BadFile(f"{path.name} is no sound OpenEXR file")
    try:
        return _read(opened, path.name)
    except (ValueError, TypeError, MemoryError) as error:
        raise BadFile(f"{path.name} is damaged: {error}") from error
    finally:
        _forget(opened.geterror)
        opened.close()


def _read(opened: Any, name: str) -> tuple[list[ExrPart], str]:
    import OpenImageIO as oiio

    found: list[ExrPart] = []
    note, number = "", 0
    while opened.seek_subimage(number, 0):
        spec = opened.spec()
        if number >= LIGHT_PARTS or max(spec.width, spec.height) > IMAGE_SIDE or spec.nchannels > 1024:
            raise BadFile(f"{name} is larger than is read")
        if not number:
            note = str(spec.get_string_attribute(NOTE))
        texels = opened.read_image(number, 0, 0, spec.nchannels, oiio.FLOAT)
        if texels is None:
            raise BadFile(f"{name} is damaged")
        shape = (spec.height, spec.width, spec.nchannels)
        called, half = str(spec.get_string_attribute("oiio:subimagename")), spec.format == oiio.HALF
        found.append(ExrPart(called, np.asarray(texels, np.float32).reshape(shape), tuple(spec.channelnames), half))
        number += 1
    return found, note


def _forget(error: Callable[[], object]) -> None:
    """Take up what a library has to say, which it would print at its end; a damaged file's words may be no text."""
    with contextlib.suppress(UnicodeDecodeError):
        error()
