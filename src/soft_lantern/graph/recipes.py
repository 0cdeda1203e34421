"""Recipes: ready-made pieces of graph for effects artists know by name, written as an artist would build them.

Each is a function that adds nodes and exposes parameters; what it returns is the wire the effect ends in.
"""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass

from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import Material, node_and_port, port_ref
from soft_lantern.graph.kinds import output_kinds
from soft_lantern.graph.layout import tidy
from soft_lantern.graph.unfold import unfold
from soft_lantern.nodes import LIBRARY, NodeType
from soft_lantern.values.kinds import Kind

Body = Callable[[Authoring], Wire]


@dataclass(frozen=True, slots=True)
class Recipe:
    """A recipe by name: other words for it, a sentence, what writes it, and the surface input its end is meant for."""

    title: str
    also: tuple[str, ...]
    summary: str
    body: Body
    into: str = ""

    def piece(self) -> tuple[Material, str]:
        """The piece of graph, laid out, and the output it ends in as "node.port"."""
        m = Authoring(self.title)
        result = self.body(m)
        return tidy(m.material), result.ref

    @property
    def kind(self) -> Kind:
        """The kind of what the recipe ends in."""
        return _kind_of(self)

    @property
    def blends(self) -> bool:
        """Whether it reads the depth behind the surface, which only a surface that blends has."""
        return _reads_depth(self)


@functools.cache
def _kind_of(recipe_: Recipe) -> Kind:
    piece, end = recipe_.piece()
    return output_kinds(piece)[end]


@functools.cache
def _reads_depth(recipe_: Recipe) -> bool:
    return any(node.type in _DEPTH for node in recipe_.piece()[0].nodes.values())


_DEPTH = ("depth_mask", "depth_behind", "scene_depth")
RECIPES: list[Recipe] = []


def recipe(title: str, *also: str, into: str = "base_colour") -> Callable[[Body], Body]:
    """Put a function among the recipes; its docstring says what it is for, `into` where on the surface it goes."""

    def register(body: Body) -> Body:
        RECIPES.append(Recipe(title, also, " ".join((body.__doc__ or "").split()), body, into))
        return body

    return register


def every_recipe() -> list[Recipe]:
    """The recipes, and one for every mask that unfolds into plain nodes."""
    return [*RECIPES, *_masks()]


@functools.cache
def _masks() -> tuple[Recipe, ...]:
    return tuple(_unfolded(t) for t in LIBRARY.values() if t.family == "masks")


def _unfolded(node_type: NodeType) -> Recipe:
    def body(m: Authoring) -> Wire:
        made = m.add(node_type.key)
        held = [m.add("elbow", value=getattr(made, port.name)) for port in node_type.outputs]
        m.material = unfold(m.material, made.node_id)
        node_id, port = node_and_port(m.material.wires[port_ref(held[0].node_id, "value")])
        for elbow in held:
            m.remove(elbow)
        return Wire(m, node_id, port)

    return Recipe(f"{node_type.title} from parts", ("unfolded", *node_type.also), node_type.summary, body)


@recipe("Height ramp", "vertical gradient", "two-tone", "fog", "colour by height")
def height_ramp(m: Authoring) -> Wire:
    """One colour at and below a height, another from a spread above it, blended between, in world space."""
    low = m.expose("Low colour", "#1d3b46", group="Colours")
    high = m.expose("High colour", "#a8c2a0", group="Colours")
    origin = m.expose("Origin", -2.0, limits=(-6, 6), unit="m", group="Height")
    spread = m.expose("Spread", 4.0, limits=(0.1, 10), unit="m", group="Height")
    height = m.add("position", space="world").into("separate").y
    mask = m.add("height_mask", height=height, origin=origin, spread=spread)
    return m.add("mix", name="Ramp colour", a=low, b=high, factor=mask)


@recipe("Depth tint", "water", "shallow", "deep", "shore", "sea", "liquid")
def depth_tint(m: Authoring) -> Wire:
    """Water: one colour and alpha where it is shallow, another where what lies behind is deep. Use alpha mode blend."""
    shallow = m.expose("Shallow", "#9fd8c266", group="Water")
    deep = m.expose("Deep", "#0f3a4bf2", group="Water")
    offset = m.expose("Depth offset", 0.0, limits=(-1, 1), unit="m", group="Water")
    strength = m.expose("Depth strength", 0.6, limits=(0, 2), group="Water")
    mask = m.add("depth_mask", offset=offset, strength=strength)
    return m.add("mix", name="Water colour", a=shallow, b=deep, factor=mask)


@recipe("Distance blend", "fog", "far colour", "aerial perspective", "fade")
def distance_blend(m: Authoring) -> Wire:
    """A near colour that turns into a far one with the distance from the camera."""
    near = m.expose("Near colour", "#6b8f5e", group="Distance")
    far = m.expose("Far colour", "#9fb4c8", group="Distance")
    reach = m.expose("Full at", 60.0, limits=(1, 500), unit="m", group="Distance")
    return m.add("mix", name="Near to far", a=near, b=far, factor=m.add("distance_mask", distance=reach))


@recipe("Rim glow", "fresnel", "outline", "backlight", "edge light", "halo", into="emissive")
def rim_glow(m: Authoring) -> Wire:
    """Light along the edges of a shape, to be wired into emissive."""
    glow = m.expose("Rim colour", "#ffc477", group="Rim")
    exponent = m.expose("Rim sharpness", 3.0, limits=(1, 10), group="Rim", tooltip="Higher draws the rim thinner")
    stops = m.expose("Rim strength", 0.0, limits=(-4, 4), unit="stops", group="Rim")
    bright = m.add("brightness", colour=glow, stops=stops)
    return m.add("multiply_tint", name="Rim light", colour=bright, tint=m.add("rim_mask", exponent=exponent))


@recipe("Pulse glow", "throb", "breathe", "blink", "heartbeat", "glow", into="emissive")
def pulse_glow(m: Authoring) -> Wire:
    """A colour that swells and fades with the clock, to be wired into emissive."""
    glow = m.expose("Glow colour", "#ffb45e", group="Pulse")
    period = m.expose("Period", 2.0, limits=(0.2, 10), unit="s", group="Pulse")
    floor = m.expose("Lowest glow", 0.25, limits=(0, 1), group="Pulse", tooltip="What is left between the swells")
    beat = m.add("pulse", period=period, floor=floor)
    return m.add("multiply_tint", name="Pulsing glow", colour=glow, tint=beat)


@recipe("Colour bands by noise height", "strata", "camouflage", "marble", "contour", "layers", "moss")
def noise_bands(m: Authoring) -> Wire:
    """Layered noise cut into bands that never overlap, each with a colour of its own."""
    colours = [
        m.expose(f"Band {i + 1}", text, group="Bands") for i, text in enumerate(("#e4d9b0", "#8fa66b", "#4d6a4f"))
    ]
    rest = m.expose("Ground", "#2b3a35", group="Bands")
    scale = m.expose("Noise scale", 1.5, limits=(0.1, 10), group="Bands")
    noise = m.add("layered_noise_3d", scale=scale)
    layers = m.add("bands", value=noise, threshold_1=0.25, threshold_2=0.05, threshold_3=-0.15)
    result = rest
    for index, colour in enumerate(colours):
        result = m.add("mix", a=result, b=colour, factor=getattr(layers, f"layer_{index + 1}"))
    return result


@recipe("Three masked details", "detail map", "rgb mask", "packed mask", "layers", "terrain")
def masked_details(m: Authoring) -> Wire:
    """Three detail textures over a base, where red, green and blue of a mask texture say; each with its own tiling."""
    base = m.expose("Base", "#7d7468", group="Details")
    mask = m.add("image", name="Detail mask")
    result: Wire = base
    normal: Wire | tuple[float, float, float] = (0.0, 0.0, 1.0)
    for name in ("red", "green", "blue"):
        share = m.add("channel_mask", colour=mask, channel=name)
        layer = m.add("detail_layer", name=f"Detail {name}", colour=result, normal=normal, mask=share, tiling=4.0)
        result, normal = layer, layer.normal
    m.add("normal_to_world", normal=normal)
    return result


@recipe("Dust on top", "snow", "sand", "moss", "settled", "ash")
def dust_on_top(m: Authoring) -> Wire:
    """A second colour on whatever faces up in the world, broken up by noise; it stays on top when the object turns."""
    base = m.expose("Surface colour", "#6a5a4c", group="Dust")
    dust = m.expose("Dust", "#cfc4a4", group="Dust")
    start = m.expose("Dust start", 0.35, limits=(-1, 1), group="Dust", tooltip="Lower covers steeper slopes")
    soft = m.expose("Dust softness", 0.35, limits=(0.02, 1), group="Dust")
    rough = m.add("layered_noise_3d", scale=3.0)
    uneven = m.add("multiply", name="Unevenness", a=rough, b=0.25)
    mask = m.add("up_mask", start=m.add("add", a=start, b=uneven), spread=soft)
    return m.add("mix", name="Dusted", a=base, b=dust, factor=mask)


@recipe("Palette swap", "sprite", "team colour", "index", "recolour", "retro")
def palette_swap(m: Authoring) -> Wire:
    """A sprite whose texture holds indices, coloured by a palette that instances may change."""
    palette = m.expose("Palette", "", kind=Kind.PALETTE, group="Palette")
    index = m.add("index_texture", name="Index texture")
    return m.add("palette_lookup", index=index, palette=palette)


@recipe("Two-tone recolour keeping shading", "tint", "team colour", "gradient map", "colourise")
def two_tone_recolour(m: Authoring) -> Wire:
    """A picture's light and dark kept, its colours replaced by two of one's own."""
    picture = m.add("image", name="Picture")
    dark = m.expose("Dark tone", "#22223d", group="Tones")
    light = m.expose("Light tone", "#f4d9a6", group="Tones")
    shade = m.add("levels", value=m.add("luminance", colour=picture), low=0.0, high=1.0)
    return m.add("oklab_mix", name="Recoloured", a=dark, b=light, factor=shade)


@recipe("Moving ripples from two normal maps", "water", "waves", "scrolling normals", "flow", "lake", into="normal")
def moving_ripples(m: Authoring) -> Wire:
    """Two normal maps that slide over each other, to be wired into the normal."""
    scale = m.expose("Ripple height", 0.6, limits=(0, 2), group="Ripples")
    normals = []
    for name, tiling, speed in (("first", 3.0, (0.03, 0.05)), ("second", 5.0, (-0.04, 0.02))):
        uv = m.add("tile_coordinates", name=f"Slide {name}", tiling=(tiling, tiling), speed=speed)
        texel = m.add("image", name=f"Ripples {name}", uv=uv)
        normals.append(m.add("decode_normal", colour=texel, scale=scale))
    both = m.add("mix_normals", base=normals[0], detail=normals[1])
    return m.add("normal_to_world", name="Rippled normal", normal=both)


@recipe("Edge wear from vertex colour", "scratches", "worn edges", "paint", "metal", "damage")
def edge_wear(m: Authoring) -> Wire:
    """Bare metal where red is painted on the mesh, its edge broken up by noise."""
    paint = m.expose("Paint", "#8c3b2e", group="Wear")
    bare = m.expose("Bare metal", "#b8b4ac", group="Wear")
    amount = m.expose("Wear", 1.0, limits=(0, 3), group="Wear")
    worn = m.add("channel_mask", colour=m.add("vertex_colour", without=(0.0, 0.0, 0.0, 1.0)), amount=amount)
    noise = m.add("layered_noise_3d", scale=6.0)
    broken = worn + m.add("multiply", a=noise, b=0.3)
    mask = m.add("sharpen_mask", mask=m.add("saturate", value=broken), sharpness=4.0)
    return m.add("mix", name="Worn paint", a=paint, b=bare, factor=mask)
