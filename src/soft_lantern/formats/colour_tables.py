"""Gradients as CSV, and palettes as JSON tables."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from soft_lantern.errors import BadFile, BadValue
from soft_lantern.formats.places import read_text
from soft_lantern.graph.document import Gradient, Palette, Stop, new_id
from soft_lantern.graph.ramps.images import SHAPES, in_order, side_of
from soft_lantern.limits import PALETTE_SIDE
from soft_lantern.values.colour import colour_from_hex, colour_to_hex

COLUMNS = ("at", "colour", "alpha", "stops", "shape")
"""Place from 0 to 1, sRGB hex, alpha from 0 to 1, brightness in stops above the colour, shape to the next stop."""


def gradient_table(gradient: Gradient) -> str:
    """A gradient as CSV, a stop in each row. What is brighter than white is a colour and stops above it."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(COLUMNS)
    for stop in in_order(gradient):
        brightest = max(*stop.colour[:3], 1.0)
        lifted = math.ceil(math.log2(brightest) * 1000) / 1000
        shown = tuple(part / 2**lifted for part in stop.colour[:3])
        rows.writerow([f"{stop.at:.6g}", colour_to_hex(shown), f"{stop.colour[3]:.6g}", f"{lifted:g}", stop.shape])
    return out.getvalue()


def read_gradient_table(path: Path) -> Gradient:
    """The gradient of a CSV file with at least the columns at and colour. Raises BadFile with line and column."""
    try:
        rows = list(csv.reader(io.StringIO(read_text(path))))
    except csv.Error as error:
        raise BadFile(f"{path.name} is not sound CSV: {error}") from error
    head = [cell.strip().lower() for cell in rows[0]] if rows else []
    if not {"at", "colour"} <= set(head):
        raise BadFile(f"{path.name}, line 1: the columns “at” and “colour” are missing")
    stops = []
    for line, row in enumerate(rows[1:], 2):
        if not any(cell.strip() for cell in row):
            continue
        cells = dict(zip(head, (cell.strip() for cell in row), strict=False))

        def number(name: str, missing: float, line: int = line, cells: dict[str, str] = cells) -> float:
            given = cells.get(name) or str(missing)
            try:
                value = float(given)
            except ValueError:
                value = math.nan
            if not math.isfinite(value):
                raise BadFile(f"{path.name}, line {line}, column {name}: “{given}” is no number")
            return value

        at, alpha, lifted = number("at", math.nan), number("alpha", 1.0), number("stops", 0.0)
        if not 0 <= at <= 1 or not 0 <= alpha <= 1 or abs(lifted) > 32:
            raise BadFile(f"{path.name}, line {line}: a place or alpha is not within 0 to 1, or stops beyond 32")
        try:
            red, green, blue, _ = colour_from_hex(cells.get("colour", ""))
        except BadValue as error:
            raise BadFile(f"{path.name}, line {line}, column colour: {error}") from error
        shape = cells.get("shape") or "linear"
        if shape not in SHAPES:
            raise BadFile(f"{path.name}, line {line}, column shape: “{shape}” is none of {', '.join(SHAPES)}")
        by = 2.0**lifted
        colour = (red * by, green * by, blue * by, alpha)
        stops.append(Stop(at=at, colour=colour, shape=shape))  # type: ignore[arg-type]
    if not stops:
        raise BadFile(f"{path.name} holds no stop")
    return Gradient(id=new_id("gradient"), name=path.stem, stops=tuple(sorted(stops, key=lambda s: s.at)))


def palettes_table(palettes: Iterable[Palette]) -> str:
    """Palettes as JSON: name, cells along an edge, and colours as sRGB hex with alpha."""
    listed = [
        {
            "name": each.name,
            "side": side_of(each),
            "colours": [colour_to_hex(colour) for colour in each.colours],
            "locked": list(each.locked),
        }
        for each in palettes
    ]
    return json.dumps({"palettes": listed}, indent=2, ensure_ascii=False) + "\n"


def read_palettes_table(path: Path) -> list[Palette]:
    """The palettes of a JSON table; those after the first swap for it where they hold as many colours.

    Raises BadFile with what is wrong and where.
    """
    try:
        raw: Any = json.loads(read_text(path))
    except (ValueError, RecursionError) as error:
        raise BadFile(f"{path.name} cannot be read: {error}") from error
    listed = raw.get("palettes") if isinstance(raw, dict) else None
    if not isinstance(listed, list) or not listed:
        raise BadFile(f"{path.name} holds no list of palettes")
    found: list[Palette] = []
    for number, each in enumerate(listed, 1):
        where = f"{path.name}, palette {number}"
        if not isinstance(each, dict) or not isinstance(each.get("colours"), list):
            raise BadFile(f"{where}: it has no list of colours")
        try:
            colours = tuple(colour_from_hex(str(colour)) for colour in each["colours"])
        except BadValue as error:
            raise BadFile(f"{where}: {error}") from error
        side, locked = each.get("side", 0), each.get("locked", [])
        if not isinstance(side, int) or not 0 <= side <= PALETTE_SIDE or not _places(locked, len(colours)):
            raise BadFile(f"{where}: its side or locked places cannot be")
        swaps = found[0].id if found and len(found[0].colours) == len(colours) else ""
        name = str(each.get("name") or f"{path.stem} {number}")
        found.append(
            Palette(id=new_id("palette"), name=name, colours=colours, side=side, swaps=swaps, locked=tuple(locked))
        )
    return found


def _places(given: object, count: int) -> bool:
    return isinstance(given, list) and all(isinstance(each, int) and 0 <= each < count for each in given)
