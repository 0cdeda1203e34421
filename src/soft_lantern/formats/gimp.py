"""Palettes and gradients as the GIMP keeps them in text files: .gpl and .ggr, read and written.

Both hold sRGB-encoded components, 0–255 in a palette, 0–1 in a gradient. Source: the GIMP's developer documents,
"GPL palette" and "GGR gradient".
"""

from __future__ import annotations

import itertools
import math
from pathlib import Path

from soft_lantern.errors import BadFile
from soft_lantern.formats.places import read_text
from soft_lantern.graph.document import Gradient, Palette, Stop, new_id
from soft_lantern.graph.ramps.images import in_order
from soft_lantern.values.colour import colour_to_hex, linear_to_srgb, srgb_bytes, srgb_to_linear

MOST_LINES = 100_000
_BLENDS = {"0": "linear", "1": "linear", "2": "smooth", "3": "ease out", "4": "ease in", "5": "constant"}
"""The blending function of a segment: linear, curved, sinusoidal, sphere increasing and decreasing, step."""
_NUMBERS = {"linear": 0, "smooth": 2, "ease out": 3, "ease in": 4, "constant": 5}


def palette_text(palette: Palette, columns: int = 0) -> str:
    """A palette as .gpl; the file has no alpha."""
    lines = ["GIMP Palette", f"Name: {' '.join(palette.name.split())}", f"Columns: {columns}", "#"]
    for colour in palette.colours:
        red, green, blue, _ = srgb_bytes(colour)
        lines.append(f"{red:3d} {green:3d} {blue:3d}\t{colour_to_hex(colour[:3])}")
    return "\n".join(lines) + "\n"


def read_palette(path: Path) -> Palette:
    """The palette of a .gpl file. Raises BadFile with the line that is wrong."""
    lines = _lines(path, "GIMP Palette")
    name, colours = path.stem, []
    for number, line in enumerate(lines[1:], 2):
        text = line.strip()
        if text.startswith("Name:"):
            name = text[5:].strip() or name
        elif text and not text.startswith(("#", "Columns:")):
            parts = text.split(None, 3)[:3]
            try:
                red, green, blue = (int(part) for part in parts)
            except ValueError:
                raise BadFile(f"{path.name}, line {number}: “{text}” is no colour of three numbers") from None
            if not all(0 <= part <= 255 for part in (red, green, blue)):
                raise BadFile(f"{path.name}, line {number}: a component is not within 0 to 255")
            colours.append((*(srgb_to_linear(part / 255) for part in (red, green, blue)), 1.0))
    return Palette(id=new_id("palette"), name=name, colours=tuple(colours))  # type: ignore[arg-type]


def gradient_text(gradient: Gradient) -> str:
    """A gradient as .ggr: a segment between each two stops. What is not mixed in sRGB is as near as its stops are."""
    stops = in_order(gradient) or [Stop(at=0.0, colour=(0.0, 0.0, 0.0, 1.0))]
    if stops[0].at > 0:
        stops.insert(0, Stop(at=0.0, colour=stops[0].colour))
    if stops[-1].at < 1:
        stops.append(Stop(at=1.0, colour=stops[-1].colour))
    pairs = [(a, b) for a, b in itertools.pairwise(stops) if b.at > a.at]
    lines = ["GIMP Gradient", f"Name: {' '.join(gradient.name.split())}", str(len(pairs))]
    for a, b in pairs:
        ends = [a.at, (a.at + b.at) / 2, b.at, *_encoded(a.colour), *_encoded(b.colour)]
        lines.append(" ".join(f"{part:.6f}" for part in ends) + f" {_NUMBERS[a.shape]} 0")
    return "\n".join(lines) + "\n"


def read_gradient(path: Path) -> Gradient:
    """The gradient of a .ggr file, mixed in sRGB. A middle that is not halfway becomes a stop of its own.

    Raises BadFile with the line that is wrong.
    """
    lines = _lines(path, "GIMP Gradient")
    at = 1
    name = path.stem
    if at < len(lines) and lines[at].startswith("Name:"):
        name, at = lines[at][5:].strip() or name, at + 1
    try:
        count = int(lines[at])
    except (IndexError, ValueError):
        raise BadFile(f"{path.name}, line {at + 1}: the number of segments is missing") from None
    if not 0 < count <= len(lines) - at - 1:
        raise BadFile(f"{path.name} says it has {count} segments, and has {len(lines) - at - 1} lines for them")
    stops: list[Stop] = []
    for number in range(at + 1, at + 1 + count):
        stops += _segment(path, number + 1, lines[number].split(), stops[-1] if stops else None)
    return Gradient(id=new_id("gradient"), name=name, stops=tuple(stops), mixing="srgb")


def _segment(path: Path, line: int, parts: list[str], before: Stop | None) -> list[Stop]:
    """The stops of one segment, without its first where the segment before ends so."""
    try:
        left, middle, right, *colours = (float(part) for part in parts[:11])
        ends = [_decoded(colours[:4]), _decoded(colours[4:8])]
        shape = _BLENDS[parts[11]] if len(parts) > 11 else "linear"
    except (ValueError, KeyError):
        raise BadFile(f"{path.name}, line {line}: this is no segment of a gradient") from None
    values = [left, middle, right, *ends[0], *ends[1]]
    if len(colours) != 8 or not all(math.isfinite(value) for value in values) or not 0 <= left <= middle <= right <= 1:
        raise BadFile(f"{path.name}, line {line}: the places or colours of this segment cannot be")
    first = Stop(at=left, colour=ends[0], shape=shape)  # type: ignore[arg-type]
    found = [first, Stop(at=right, colour=ends[1])]
    if shape == "linear" and abs(middle - (left + right) / 2) > 1e-6:
        encoded = [(a + b) / 2 for a, b in zip(_encoded(ends[0]), _encoded(ends[1]), strict=True)]
        found.insert(1, Stop(at=middle, colour=_decoded(encoded)))
    if before and before.at == left and before.colour == first.colour:
        return [*found[1:]] if shape == "linear" else found
    return found


def _lines(path: Path, first: str) -> list[str]:
    lines = read_text(path, "utf-8", "replace").splitlines()
    if not lines or lines[0].strip().lstrip("\ufeff") != first:
        raise BadFile(f"{path.name} does not begin with “{first}”")
    if len(lines) > MOST_LINES:
        raise BadFile(f"{path.name} has more than {MOST_LINES:,} lines")
    return lines


def _encoded(colour: tuple[float, ...]) -> list[float]:
    return [*(linear_to_srgb(min(max(part, 0.0), 1.0)) for part in colour[:3]), colour[3]]


def _decoded(parts: list[float]) -> tuple[float, float, float, float]:
    red, green, blue, alpha = parts
    return (srgb_to_linear(red), srgb_to_linear(green), srgb_to_linear(blue), alpha)
