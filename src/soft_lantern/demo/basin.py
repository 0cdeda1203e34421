"""The basin scene: nectar over a stepped floor with a dry bell in it, a mossy urn, and a gate in the fog."""

from __future__ import annotations

from collections.abc import Callable

from soft_lantern.demo import textures
from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import (
    Bookmark,
    Environment,
    Gradient,
    Instance,
    Scene,
    StageObject,
    Stop,
    Texture,
    View,
)
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import Kind, Value

TEXTURES: dict[str, Callable[[], textures.Texels]] = {
    "ripples_broad": lambda: textures.ripples(5.0, 1),
    "ripples_fine": lambda: textures.ripples(13.0, 2),
    "urn_masks": lambda: textures.three_masks(3),
    "crackle": lambda: textures.threads((58, 30, 22), (196, 150, 96), 9, 4),
    "glaze": lambda: textures.stone((36, 78, 92), (92, 148, 150), 7.0, 5),
    "lichen": lambda: textures.stone((120, 112, 74), (186, 176, 132), 22.0, 6),
    "fine_grain": lambda: textures.grain(18.0, 7),
    "gate_stone": lambda: textures.stone((84, 74, 70), (150, 138, 126), 9.0, 8),
    "gate_mist": lambda: textures.stone((148, 158, 172), (178, 188, 200), 3.0, 9),
}
"""Makers of the textures by their ids, as texels of RGB."""
_DATA = ("ripples_broad", "ripples_fine", "urn_masks", "fine_grain")
BELL = "bell"
"""The cut-out inside the glass bell."""


def texture_records(folder: str) -> dict[str, Texture]:
    """The records of all textures, whose files lie in a folder of the project."""
    return {
        key: Texture(
            id=key,
            name=key.replace("_", " ").capitalize(),
            file=f"{folder}/{key}.png",
            encoding="data" if key in _DATA else "colour",
        )
        for key in TEXTURES
    }


def materials() -> list[Authoring]:
    """Every material of the scene."""
    return [basin_nectar(), plain_nectar(), graded_nectar(), wet_stone(), bell_glass(), mossy_urn(), gate_in_fog()]


def instances() -> list[Instance]:
    """The nectar at another hour."""
    night: dict[str, Value] = {
        "shallow": colour_from_hex("#9fd8c826"),
        "deep": colour_from_hex("#1b4a5cf5"),
        "depth_strength": 1.4,
    }
    return [Instance(id="night_nectar", name="Night nectar", parent="basin_nectar", values=night)]


def basin_nectar() -> Authoring:
    """Nectar of two colours that stays out of the glass bell."""
    return _two_colours(Authoring("Basin nectar"), hidden_in=BELL)


def plain_nectar(name: str = "Plain nectar") -> Authoring:
    """The same nectar where nothing is cut out of it."""
    return _two_colours(Authoring(name))


def graded_nectar() -> Authoring:
    """Nectar by a gradient of five stops."""
    m = Authoring("Graded nectar")
    depths = m.expose("Depths", DEPTHS.id, kind=Kind.GRADIENT, group="Nectar", tooltip="From the rim to the deepest")
    return _nectar(m, lambda depth: m.add("gradient_lookup", name="Nectar colour", gradient=depths, at=depth))


def _two_colours(m: Authoring, hidden_in: str = "") -> Authoring:
    """One colour where the floor lies just under, one where it is deep."""
    shallow = m.expose("Shallow", "#ffd98a30", group="Nectar", tooltip="Where the floor lies just under")
    deep = m.expose("Deep", "#bd6420f0", group="Nectar")
    return _nectar(m, lambda depth: m.add("mix", name="Nectar colour", a=shallow, b=deep, factor=depth), hidden_in)


DEPTHS = Gradient(
    id="nectar_depths",
    name="Nectar depths",
    stops=tuple(
        Stop(at=at, colour=colour_from_hex(hex_))
        for at, hex_ in (
            (0.0, "#ffe6ae20"),
            (0.18, "#f8c45a78"),
            (0.45, "#d97a24c8"),
            (0.75, "#a63c1af0"),
            (1.0, "#5c1a26fa"),
        )
    ),
)
"""The nectar's colour and alpha by depth."""


def _nectar(m: Authoring, coloured: Callable[[Wire], Wire], hidden_in: str = "") -> Authoring:
    """Colour and alpha by depth behind, two moving ripple maps that fade at the rim, a slow swell."""
    strength = m.expose("Depth strength", 1.1, limits=(0, 2), group="Nectar")
    roughness = m.expose("Roughness", 0.07, limits=(0, 1), group="Nectar")
    relief = m.expose("Ripple strength", 0.22, limits=(0, 2), group="Ripples")
    drift = m.expose("Ripple speed", 1.0, limits=(0, 4), group="Ripples")
    swell = m.expose("Swell", 0.03, limits=(0, 0.1), unit="m", group="Swell", tooltip="How far the surface rises")
    place = m.add("position", space="object").into("separate")
    flat = m.add("combine", x=place.x, z=place.z)
    rim = m.add("smoothstep", name="Toward the rim", value=m.add("length", vector=flat), low=2.3, high=2.78)
    middle = m.add("complement", name="Away from the rim", value=rim)
    clock = m.add("multiply", a=m.add("time"), b=drift)
    broad = m.add("tile_coordinates", tiling=(2.0, 2.0), speed=(0.014, 0.021), time=clock)
    fine = m.add("tile_coordinates", tiling=(5.0, 5.0), speed=(-0.03, 0.012), time=clock)
    strongest = m.add("multiply", name="Ripples", a=relief, b=middle)

    def ripple(texture: str, uv: Wire) -> Wire:
        return m.add("decode_normal", colour=m.add("image", texture=texture, uv=uv).colour, scale=strongest)

    bent = m.add("mix_normals", base=ripple("ripples_broad", broad), detail=ripple("ripples_fine", fine))
    depth = m.add("depth_mask", name="Depth", strength=strength)
    colour = coloured(depth)
    wave = m.add("wave", name="Slow swell", period=5.0, phase=m.add("multiply", a=place.x, b=0.16), low=-1.0)
    rise = m.add("multiply", a=m.add("multiply", a=wave, b=swell), b=middle)
    m.add("vertex_offset", offset=m.add("combine", y=rise))
    normal = m.add("normal_to_world", normal=bent)
    traits = {"alpha_mode": "blend", "hidden_in": hidden_in}
    m.add("surface", base_colour=colour, roughness=roughness, normal=normal, **traits)
    return m


def wet_stone(name: str = "Wet stone") -> Authoring:
    """Stone that is darker and smoother up to a hand above the nectar's level."""
    m = Authoring(name)
    tint = m.expose("Tint", "#ffffff", group="Stone")
    level = m.expose("Wet up to", 1.42, limits=(-5, 5), unit="m", group="Wet")
    height = m.add("position", space="world").into("separate").y
    dry = m.add("smoothstep", name="Dry", value=height - level, low=-0.12, high=0.06)
    stone = m.add("triplanar", texture="gate_stone", tiling=0.45)
    grey = m.add("multiply_tint", colour=stone, tint=tint)
    shade = m.add("remap", value=dry, low=0.0, high=1.0, new_low=0.45, new_high=1.0)
    gloss = m.add("remap", value=dry, low=0.0, high=1.0, new_low=0.25, new_high=0.9)
    m.add("surface", base_colour=m.add("multiply", a=grey, b=shade), roughness=gloss)
    return m


def bell_glass() -> Authoring:
    """Thin glass: hardly there from the front, brighter toward its edges."""
    m = Authoring("Bell glass")
    tint = m.expose("Tint", "#8fb5ab", group="Glass")
    clear = m.expose("Clearness", 0.94, limits=(0, 1), group="Glass")
    rim = m.add("rim_mask", exponent=4.0)
    seen = m.add("saturate", value=m.add("mix", a=m.add("subtract", a=1.0, b=clear), b=0.6, factor=rim))
    m.add("surface", base_colour=tint, roughness=0.04, alpha=seen, alpha_mode="blend")
    return m


def mossy_urn() -> Authoring:
    """Three details masked by red, green and blue of one texture over clay, with moss on whatever faces up."""
    m = Authoring("Mossy urn")
    clay = m.expose("Clay", "#7d4b36", group="Clay")
    tilings = [
        m.expose(f"{name} tiling", value, limits=(1, 16), group="Details")
        for name, value in (("Crackle", 4.0), ("Glaze", 3.0), ("Lichen", 5.0))
    ]
    moss = m.expose("Moss", "#4f6b2a", group="Moss")
    start = m.expose("Moss start", 0.45, limits=(-1, 1), group="Moss", tooltip="Lower covers steeper slopes")
    masks = m.add("image", texture="urn_masks").into("separate")
    colour: Wire = clay
    normal: Wire | None = None
    layers = (("crackle", masks.x, 0.6), ("glaze", masks.y, 0.15), ("lichen", masks.z, 1.0))
    for (texture, mask, relief), tiling in zip(layers, tilings, strict=True):
        given = {} if normal is None else {"normal": normal}
        layer = m.add(
            "detail_layer",
            name=texture.capitalize(),
            colour=colour,
            mask=mask,
            detail=texture,
            detail_normal="fine_grain",
            tiling=tiling,
            normal_scale=relief,
            **given,
        )
        colour, normal = layer.colour, layer.normal
    assert normal
    uneven = m.add("layered_noise_3d", scale=3.0).into("multiply", b=0.35)
    settled = m.add("up_mask", name="Moss on top", start=m.add("add", a=start, b=uneven), spread=0.2)
    gloss = m.add("mix", a=0.8, b=0.18, factor=masks.y)
    m.add(
        "surface",
        base_colour=m.add("mix", name="Mossy", a=colour, b=moss, factor=settled),
        roughness=m.add("mix", a=gloss, b=0.95, factor=settled),
        normal=m.add("normal_to_world", normal=normal),
    )
    return m


def gate_in_fog() -> Authoring:
    """Two textures that blend by the distance to the camera: stone near by, mist from afar."""
    m = Authoring("Gate in fog")
    away = m.expose("Fog distance", 26.0, limits=(1, 100), unit="m", group="Fog", tooltip="Where the mist is complete")
    near = m.add("triplanar", name="Stone", texture="gate_stone", tiling=0.6)
    far = m.add("triplanar", name="Mist", texture="gate_mist", tiling=0.3)
    fog = m.add("distance_mask", name="Fog", distance=away)
    m.add("surface", base_colour=m.add("mix", name="Into the fog", a=near, b=far, factor=fog), roughness=0.9)
    return m


def basin_scene() -> Scene:
    """All of it under an evening sky."""
    return Scene(
        id="nectar_basin",
        name="Nectar basin",
        objects=(
            StageObject(
                id="pool", name="Basin", asset="stepped_basin", wears={"": "wet_stone", "nectar": "basin_nectar"}
            ),
            StageObject(id="stones", name="Stones", asset="basin_stones", wears={"": "wet_stone"}),
            StageObject(
                id="bell",
                name="Glass bell",
                asset="glass_bell",
                position=(0.0, 0.16, 0.0),
                wears={"": "bell_glass"},
                cut_outs={"hollow": BELL},
                hidden=("hollow",),
            ),
            StageObject(
                id="mossy_urn",
                name="Mossy urn",
                asset="garden_urn",
                position=(-3.7, 0.0, 1.5),
                rotation=(0.0, 20.0, 12.0),
                wears={"": "mossy_urn"},
            ),
            StageObject(
                id="gate",
                name="Fog gate",
                asset="fog_gate",
                position=(1.2, 0.0, -6.5),
                rotation=(0.0, -12.0, 0.0),
                wears={"": "gate_in_fog"},
            ),
        ),
        view=View(target=(-0.2, 1.0, 0.0), yaw=-18.0, pitch=24.0, distance=13.0),
        bookmarks=(
            Bookmark(name="The bell, close", view=View(target=(0.0, 1.3, 0.0), yaw=-25.0, pitch=18.0, distance=5.5)),
            Bookmark(name="Through the gate", view=View(target=(0.8, 1.4, -4.0), yaw=8.0, pitch=6.0, distance=16.0)),
        ),
        environment=Environment(sky="dusk", rotation=-20.0, exposure=1.1),
    )


def two_nectars_scene() -> Scene:
    """Two basins side by side: one in two colours, one by a gradient."""
    places = {
        "two_colours": ("Two colours", -3.7, "plain_nectar"),
        "by_gradient": ("By gradient", 3.7, "graded_nectar"),
    }
    return Scene(
        id="two_nectars",
        name="Two nectars",
        objects=tuple(
            StageObject(
                id=key,
                name=name,
                asset="stepped_basin",
                position=(x, 0.0, 0.0),
                wears={"": "wet_stone", "nectar": nectar},
            )
            for key, (name, x, nectar) in places.items()
        ),
        view=View(target=(0.0, 0.6, 0.0), yaw=0.0, pitch=42.0, distance=19.0),
        environment=Environment(sky="dusk", rotation=-20.0, exposure=1.1),
    )
