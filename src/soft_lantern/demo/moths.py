"""Moth sprites: three sheets of four frames that share one palette, and six more palettes that swap for it."""

from __future__ import annotations

import functools

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import (
    Asset,
    Environment,
    Gradient,
    Instance,
    Palette,
    Pick,
    Scene,
    StageObject,
    Stop,
    Texture,
    View,
)
from soft_lantern.graph.palettes.indexing import Pixels, hue_turned, index_image, mapped, recoloured
from soft_lantern.values.colour import colour_from_hex, srgb_bytes
from soft_lantern.values.kinds import Kind

FRAMES, SIDE = 4, 32
SPREAD = (1.0, 0.8, 0.5, 0.8)
"""How far the wings are open in each frame."""
OUTLINE, WING, SPOT, BODY, EYE = 0, (1, 2, 3, 4), (5, 6), (7, 8, 9), 10
_HEX = ("#2a1c22", "#6b4632", "#96693f", "#c4965a", "#ecd099", "#7a2f2a", "#c8563c", "#4a3a34", "#7d6552", "#b09a80")
DUST = Palette(id="moth_dust", name="Moth dust", colours=tuple(colour_from_hex(h) for h in (*_HEX, "#ffd36b")), side=4)
EMBERS = Gradient(
    id="embers",
    name="Embers",
    stops=tuple(
        Stop(at=at, colour=colour_from_hex(hex_))
        for at, hex_ in ((0.0, "#160a0e"), (0.35, "#6e1f1c"), (0.65, "#e0702c"), (1.0, "#ffe9a8"))
    ),
)


class Shape(Struct, frozen=True):
    """A moth: how long and broad its fore and hind wings are, in half widths of a frame, their bands and spots."""

    fore: tuple[float, float]
    hind: tuple[float, float]
    bands: float
    spot: float


SHAPES = {
    "moth_lamp": Shape((0.9, 0.42), (0.6, 0.42), 2.0, 0.2),
    "moth_swallow": Shape((0.75, 0.34), (0.45, 0.62), 3.0, 0.14),
    "moth_broad": Shape((0.95, 0.55), (0.7, 0.34), 1.4, 0.26),
}


def sheet(shape: Shape) -> Pixels:
    """A sheet of four frames in the colours of the palette, see-through around the moth."""
    cells = np.concatenate([_frame(shape, spread) for spread in SPREAD], axis=1)
    table = np.array([(0, 0, 0, 0), *(srgb_bytes(colour) for colour in DUST.colours)], np.uint8)
    return np.asarray(table[cells + 1])


def sprites() -> dict[str, Pixels]:
    """The sheets as indices into the palette, by the id of their texture."""
    return {key: index_image(sheet(shape), DUST).pixels for key, shape in SHAPES.items()}


def sprite_records(folder: str) -> dict[str, Texture]:
    """The records of the sheets, whose files lie in a folder of the project."""
    traits = {"encoding": "data", "filter": "nearest", "wrap": "clamp", "indexes": DUST.id}
    return {
        key: Texture(id=key, name=key.replace("_", " ").capitalize(), file=f"{folder}/{key}.png", **traits)  # type: ignore[arg-type]
        for key in SHAPES
    }


@functools.cache
def palettes() -> tuple[Palette, ...]:
    """The palette, and six that swap for it: turned in hue, laid on a gradient, and with ramps brought to others."""
    locked = frozenset({OUTLINE, EYE})

    def swap(key: str, name: str, made: Palette) -> Palette:
        return Palette(id=key, name=name, colours=made.colours, side=DUST.side, swaps=DUST.id)

    def brought(wing: str, spot: str) -> Palette:
        return recoloured(recoloured(DUST, WING, WING[2], colour_from_hex(wing)), SPOT, SPOT[1], colour_from_hex(spot))

    return (
        DUST,
        swap("moth_fern", "Fern", hue_turned(DUST, 70.0, locked)),
        swap("moth_rose", "Rose", hue_turned(DUST, -60.0, locked)),
        swap("moth_ember", "Ember", mapped(DUST, EMBERS, frozenset({EYE}))),
        swap("moth_tide", "Tide", brought("#4f93b0", "#e6d6a0")),
        swap("moth_ash", "Ash", brought("#a7a4a8", "#3f3c48")),
        swap("moth_plum", "Plum", brought("#8a5aa0", "#f0b24a")),
    )


def moth_sprite() -> Authoring:
    """A sheet of indices seen through a palette, frame after frame."""
    m = Authoring("Moth sprite")
    sheet_ = m.expose_texture("Sheet", "moth_lamp", group="Sprite", tooltip="A sheet of four frames, as indices")
    palette = m.expose("Palette", DUST.id, kind=Kind.PALETTE, group="Sprite")
    rate = m.expose("Wing beats", 2.0, limits=(0, 8), unit="1/s", group="Sprite")
    stepped = "floor(mod(time * rate * 4.0, 4.0)) / 4.0"
    frame = m.add("formula", name="Frame", expression=stepped, time=m.add("time"), rate=rate)
    place = m.add("tile_coordinates", tiling=(0.25, 1.0), offset=m.add("combine_2", x=frame))
    index = m.add("index_texture", texture=sheet_, uv=place)
    colour = m.add("palette_lookup", index=index, palette=palette)
    m.add("unlit_surface", colour=colour, alpha_mode="mask", double_sided="yes")
    return m


def instances() -> list[Instance]:
    """The moth in each of the palettes that swap."""
    return [
        Instance(id=f"{each.id}_moth", name=f"{each.name} moth", parent="moth_sprite", values={"palette": each.id})
        for each in palettes()[1:]
    ] + [
        Instance(id="swallow_moth", name="Swallow moth", parent="moth_sprite", values={"sheet": "moth_swallow"}),
        Instance(id="broad_moth", name="Broad moth", parent="moth_sprite", values={"sheet": "moth_broad"}),
    ]


def picks() -> list[Pick]:
    """A moth of any palette for each object."""
    looks = tuple(f"{each.id}_moth" for each in palettes()[1:])
    return [Pick(id="any_moth", name="Any moth", looks=looks, seed=5)]


def moth_scene() -> Scene:
    """A wall of moths, each with a palette by chance."""
    places = [(x, y) for y in (1.2, 0.0, -1.2) for x in (-2.4, -1.2, 0.0, 1.2, 2.4)]
    named = {0: "moth_sprite", 7: "swallow_moth", 12: "broad_moth"}
    return Scene(
        id="moth_wall",
        name="Moth wall",
        objects=tuple(
            StageObject(
                id=f"moth_{n}",
                name=f"Moth {n + 1}",
                asset="sprite_card",
                position=(x, y, 0.0),
                scale=(0.5, 0.5, 0.5),
                wears={"": named.get(n, "any_moth")},
            )
            for n, (x, y) in enumerate(places)
        ),
        view=View(target=(0.0, 0.0, 0.0), yaw=0.0, pitch=0.0, distance=7.0),
        environment=Environment(sky="dusk"),
    )


CARD = Asset(id="sprite_card", name="Sprite card", primitive="card", subdivision=1)


def _frame(shape: Shape, spread: float) -> npt.NDArray[np.int64]:
    """One frame as places in the palette, −1 where it is see-through."""
    steps = (np.arange(SIDE) + 0.5) / SIDE * 2 - 1
    x, y = np.meshgrid(np.abs(steps) / spread, steps)
    cells = np.full((SIDE, SIDE), -1)
    for (long, broad), lean, middle in ((shape.hind, 0.9, 0.34), (shape.fore, -0.55, -0.1)):
        along = x / long
        across = (y - middle - lean * x * 0.6) / (broad * np.clip(1.25 - along, 0.05, None))
        inside = along**2 + across**2
        band = np.clip((np.cos(inside * shape.bands * np.pi) + 1) * 1.5 + 0.6 * (1 - inside), 0, 3.99)
        wing = np.take(WING, band.astype(int))
        spot = np.hypot(along - 0.58, across * 0.8)
        wing = np.where(spot < shape.spot, SPOT[0], wing)
        wing = np.where(spot < shape.spot * 0.55, SPOT[1], wing)
        cells = np.where(inside < 1.0, np.where(inside > 0.82, OUTLINE, wing), cells)
    body = (np.abs(steps)[None, :] / 0.11) ** 2 + ((y - 0.02) / 0.5) ** 2
    shade = np.clip(((y + 0.5) * 3).astype(int), 0, 2)
    cells = np.where(body < 1.0, np.where(body > 0.75, OUTLINE, np.take(BODY[::-1], shade)), cells)
    feeler = (np.abs(np.abs(steps)[None, :] - (-y - 0.48) * 0.6 - 0.04) < 0.04) & (y < -0.46) & (y > -0.85)
    cells = np.where(feeler, OUTLINE, cells)
    eyes = (np.hypot(np.abs(steps)[None, :] - 0.09, y + 0.44) < 0.07) & (cells >= 0)
    return np.where(eyes, EYE, cells)
