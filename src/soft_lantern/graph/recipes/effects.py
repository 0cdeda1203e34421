"""The recipes, written as an artist would build them. What each returns is the wire its effect ends in, or several."""

from __future__ import annotations

from math import pi

from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.recipes.recipe import OFFSET, recipe
from soft_lantern.values.kinds import Kind

BLENDS, CUTS_OUT = {"alpha_mode": "blend"}, {"alpha_mode": "mask"}
TURN = 2 * pi


@recipe(
    "Height ramp",
    "vertical gradient",
    "two-tone",
    "fog",
    "colour by height",
    over="keeps it low, and colours what is high",
)
def height_ramp(m: Authoring, under: Wire | None = None) -> Wire:
    """One colour at and below a height, another from a spread above it, blended between, in world space."""
    low = under or m.expose("Low colour", "#1d3b46", group="Colours")
    high = m.expose("High colour", "#a8c2a0", group="Colours")
    origin = m.expose("Origin", -2.0, limits=(-6, 6), unit="m", group="Height")
    spread = m.expose("Spread", 4.0, limits=(0.1, 10), unit="m", group="Height")
    height = m.add("position", space="world").into("separate").y
    mask = m.add("height_mask", height=height, origin=origin, spread=spread)
    return m.add("mix", name="Ramp colour", a=low, b=high, factor=mask)


@recipe("Depth tint", "water", "shallow", "deep", "shore", "sea", "liquid", sets=BLENDS)
def depth_tint(m: Authoring) -> Wire:
    """Water: one colour and alpha where it is shallow, another where what lies behind is deep."""
    shallow = m.expose("Shallow", "#9fd8c266", group="Water")
    deep = m.expose("Deep", "#0f3a4bf2", group="Water")
    offset = m.expose("Depth offset", 0.0, limits=(-1, 1), unit="m", group="Water")
    strength = m.expose("Depth strength", 0.6, limits=(0, 2), group="Water")
    mask = m.add("depth_mask", offset=offset, strength=strength)
    return m.add("mix", name="Water colour", a=shallow, b=deep, factor=mask)


@recipe("Distance blend", "fog", "far colour", "aerial perspective", "fade", over="blends it into a far colour")
def distance_blend(m: Authoring, under: Wire | None = None) -> Wire:
    """A near colour that turns into a far one with the distance from the camera."""
    near = under or m.expose("Near colour", "#6b8f5e", group="Distance")
    far = m.expose("Far colour", "#9fb4c8", group="Distance")
    reach = m.expose("Full at", 60.0, limits=(1, 500), unit="m", group="Distance")
    return m.add("mix", name="Near to far", a=near, b=far, factor=m.add("distance_mask", distance=reach))


@recipe("Rim glow", "fresnel", "outline", "backlight", "edge light", "halo", into="emissive", over="adds its light")
def rim_glow(m: Authoring, under: Wire | None = None) -> Wire:
    """Light along the edges of a shape."""
    glow = m.expose("Rim colour", "#ffc477", group="Rim")
    exponent = m.expose("Rim sharpness", 3.0, limits=(1, 10), group="Rim", tooltip="Higher draws the rim thinner")
    stops = m.expose("Rim strength", 0.0, limits=(-4, 4), unit="stops", group="Rim")
    bright = m.add("brightness", colour=glow, stops=stops)
    light = m.add("multiply_tint", name="Rim light", colour=bright, tint=m.add("rim_mask", exponent=exponent))
    return m.add("add", name="With rim", a=under, b=light) if under else light


@recipe("Pulse glow", "throb", "breathe", "blink", "heartbeat", into="emissive", over="multiplies it by a pulse")
def pulse_glow(m: Authoring, under: Wire | None = None) -> Wire:
    """A colour that swells and fades with the clock."""
    glow = under or m.expose("Glow colour", "#ffb45e", group="Pulse")
    period = m.expose("Period", 2.0, limits=(0.2, 10), unit="s", group="Pulse")
    floor = m.expose("Lowest glow", 0.25, limits=(0, 1), group="Pulse", tooltip="What is left between the swells")
    beat = m.add("pulse", period=period, floor=floor)
    return m.add("multiply_tint", name="Pulsing glow", colour=glow, tint=beat)


@recipe(
    *("Colour bands by noise height", "strata", "camouflage", "marble", "contour", "layers", "moss"),
    over="keeps it as the ground between the bands",
)
def noise_bands(m: Authoring, under: Wire | None = None) -> Wire:
    """Layered noise cut into bands that never overlap, each with a colour of its own."""
    colours = [
        m.expose(f"Band {i + 1}", text, group="Bands") for i, text in enumerate(("#e4d9b0", "#8fa66b", "#4d6a4f"))
    ]
    rest = under or m.expose("Ground", "#2b3a35", group="Bands")
    scale = m.expose("Noise scale", 1.5, limits=(0.1, 10), group="Bands")
    noise = m.add("layered_noise_3d", scale=scale)
    layers = m.add("bands", value=noise, threshold_1=0.25, threshold_2=0.05, threshold_3=-0.15)
    result = rest
    for index, colour in enumerate(colours):
        result = m.add("mix", a=result, b=colour, factor=getattr(layers, f"layer_{index + 1}"))
    return result


@recipe(
    *("Three masked details", "detail map", "rgb mask", "packed mask", "layers", "terrain"),
    over="lays the details over it",
)
def masked_details(m: Authoring, under: Wire | None = None) -> dict[str, Wire]:
    """Three detail textures over a base, where red, green and blue of a mask texture say; each with its own tiling."""
    base = under or m.expose("Base", "#7d7468", group="Details")
    mask = m.add("image", name="Detail mask")
    result: Wire = base
    normal: Wire | tuple[float, float, float] = (0.0, 0.0, 1.0)
    for name in ("red", "green", "blue"):
        share = m.add("channel_mask", colour=mask, channel=name)
        layer = m.add("detail_layer", name=f"Detail {name}", colour=result, normal=normal, mask=share, tiling=4.0)
        result, normal = layer, layer.normal
    return {"base_colour": result, "normal": m.add("normal_to_world", normal=normal)}


@recipe("Dust on top", "snow", "sand", "moss", "settled", "ash", over="lets dust settle on it")
def dust_on_top(m: Authoring, under: Wire | None = None) -> Wire:
    """A second colour on whatever faces up in the world, broken up by noise; it stays on top when the object turns."""
    base = under or m.expose("Surface colour", "#6a5a4c", group="Dust")
    dust = m.expose("Dust", "#cfc4a4", group="Dust")
    start = m.expose("Dust start", 0.35, limits=(-1, 1), group="Dust", tooltip="Lower covers steeper slopes")
    soft = m.expose("Dust softness", 0.35, limits=(0.02, 1), group="Dust")
    rough = m.add("layered_noise_3d", scale=3.0)
    uneven = m.add("multiply", name="Unevenness", a=rough, b=0.25)
    mask = m.add("up_mask", start=m.add("add", a=start, b=uneven), spread=soft)
    return m.add("mix", name="Dusted", a=base, b=dust, factor=mask)


@recipe("Palette swap", "team colour", "index", "recolour", "retro")
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


@recipe("Moving ripples from two normal maps", "opposite ripples", "water", "waves", "scrolling normals", into="normal")
def moving_ripples(m: Authoring) -> Wire:
    """Two normal maps that slide over each other, against each other, so that no direction of flow shows."""
    scale = m.expose("Ripple height", 0.6, limits=(0, 2), group="Ripples")
    normals = []
    for name, tiling, speed in (("first", 3.0, (0.03, 0.05)), ("second", 5.0, (-0.03, -0.05))):
        uv = m.add("tile_coordinates", name=f"Slide {name}", tiling=(tiling, tiling), speed=speed)
        texel = m.add("image", name=f"Ripples {name}", uv=uv)
        normals.append(m.add("decode_normal", colour=texel, scale=scale))
    both = m.add("mix_normals", base=normals[0], detail=normals[1])
    return m.add("normal_to_world", name="Rippled normal", normal=both)


@recipe(
    *("Edge wear from vertex colour", "scratches", "worn edges", "paint", "metal", "damage"),
    over="wears it through to bare metal",
)
def edge_wear(m: Authoring, under: Wire | None = None) -> Wire:
    """Bare metal where red is painted on the mesh, its edge broken up by noise."""
    paint = under or m.expose("Paint", "#8c3b2e", group="Wear")
    bare = m.expose("Bare metal", "#b8b4ac", group="Wear")
    amount = m.expose("Wear", 1.0, limits=(0, 3), group="Wear")
    worn = m.add("channel_mask", colour=m.add("vertex_colour", without=(0.0, 0.0, 0.0, 1.0)), amount=amount)
    noise = m.add("layered_noise_3d", scale=6.0)
    broken = worn + m.add("multiply", a=noise, b=0.3)
    mask = m.add("sharpen_mask", mask=m.add("saturate", value=broken), sharpness=4.0)
    return m.add("mix", name="Worn paint", a=paint, b=bare, factor=mask)


@recipe("Swell with normals", "waves", "sea", "ocean", "undulate", "water surface", into=OFFSET)
def swell(m: Authoring) -> dict[str, Wire]:
    """Two trains of waves that cross and lift the surface; shading follows the moved surface by itself."""
    height = m.expose("Swell height", 0.06, limits=(0, 1), unit="m", group="Swell")
    length = m.expose("Wave length", 1.6, limits=(0.1, 20), unit="m", group="Swell")
    period = m.expose("Swell period", 3.0, limits=(0.2, 20), unit="s", group="Swell")
    place = m.add("position", space="world").into("separate")
    clock = m.add("time") / period
    first = m.add("sine", angle=(place.x / length - clock) * TURN)
    across = m.add("formula", name="Across", expression="(0.6 * x + 0.8 * z) / span")
    for port, wire in (("x", place.x), ("z", place.z), ("span", length)):
        m.wire(wire, across, port)
    second = m.add("sine", angle=(across * 1.7 + clock * 1.3) * TURN)
    both = (first + second * 0.5) * height
    return {OFFSET: m.add("combine", name="Swell", y=both)}


@recipe("Shore fade", "soft edge", "intersection", "foam", "beach", "soft particles", into="alpha", sets=BLENDS)
def shore_fade(m: Authoring) -> Wire:
    """Fades out where what lies behind comes near, so that no hard line shows where two surfaces meet."""
    strength = m.expose("Fade strength", 1.2, limits=(0.05, 20), group="Shore", tooltip="Higher fades over less depth")
    return m.add("depth_mask", strength=strength)


@recipe("Dissolve with a glowing edge", "burn", "disintegrate", "erode", "vanish", into="alpha", sets=CUTS_OUT)
def dissolve_edge(m: Authoring) -> dict[str, Wire]:
    """Noise eats the surface away, and glows where it does."""
    amount = m.expose("Dissolved", 0.4, limits=(0, 1), group="Dissolve")
    scale = m.expose("Noise scale", 4.0, limits=(0.2, 30), group="Dissolve")
    width = m.expose("Edge width", 0.06, limits=(0.001, 0.5), group="Dissolve")
    glow = m.expose("Edge colour", "#ff9a3d", group="Dissolve")
    noise = m.add("layered_noise_3d", scale=scale)
    level = m.add("remap", name="Level", value=noise, low=-0.7, high=0.7, clamped="on")
    left = m.add("step", name="What is left", edge=amount, value=level)
    inner = m.add("step", edge=amount + width, value=level)
    edge = m.add("saturate", name="Edge", value=left - inner)
    return {"alpha": left, "emissive": m.add("multiply_tint", name="Glowing edge", colour=glow, tint=edge)}


@recipe("Holographic scan", "hologram", "scan lines", "projection", "ghost", into="emissive", sets=BLENDS)
def holographic_scan(m: Authoring) -> dict[str, Wire]:
    """Lines of light that run up a see-through shape, brighter at its rim."""
    light = m.expose("Light", "#6fd6ff", group="Scan")
    count = m.expose("Lines to the metre", 40.0, limits=(1, 200), group="Scan")
    speed = m.expose("Scan speed", 0.15, limits=(-2, 2), unit="m/s", group="Scan")
    height = m.add("position", space="object").into("separate").y
    moved = height - m.add("time") * speed
    wave = m.add("sine", angle=moved * count * TURN)
    lines = m.add("remap", name="Lines", value=wave, low=-1.0, high=1.0, new_low=0.35, new_high=1.0)
    rim = m.add("rim_mask", exponent=2.0)
    shine = m.add("saturate", name="Shine", value=lines * 0.6 + rim)
    return {"emissive": m.add("multiply_tint", name="Scan light", colour=light, tint=shine), "alpha": shine}


@recipe("Wind sway", "wind", "grass", "leaves", "foliage", "bend", "plant", into=OFFSET)
def wind_sway(m: Authoring) -> dict[str, Wire]:
    """Bends what stands the more the higher it is, each object at a moment of its own."""
    amount = m.expose("Sway", 0.05, limits=(0, 1), group="Wind", tooltip="Metres at one metre of height")
    period = m.expose("Gust period", 2.4, limits=(0.2, 20), unit="s", group="Wind")
    height = m.add("maximum", name="Height", a=m.add("position", space="object").into("separate").y, b=0.0)
    moment = m.add("time") / period + m.add("object_random")
    gust = m.add("sine", angle=moment * TURN) + m.add("sine", angle=moment * (2.7 * TURN)) * 0.3
    bend = m.add("multiply", name="Bend", a=height * height * gust, b=amount)
    return {OFFSET: m.add("combine", name="Sway", x=bend, z=bend * 0.4)}


@recipe(
    "Tint by part",
    "part colours",
    "vertex colour regions",
    "zones",
    "customise",
    over="tints it where parts are painted",
)
def tint_by_part(m: Authoring, under: Wire | None = None) -> Wire:
    """A colour for each part that is painted red, green or blue into the mesh's vertices."""
    result = under or m.expose("Base", "#8d8d8d", group="Parts")
    painted = m.add("vertex_colour", without=(0.0, 0.0, 0.0, 1.0))
    for channel, text in (("red", "#b0483a"), ("green", "#4f7f56"), ("blue", "#3f5f9a")):
        tint = m.expose(f"{channel.capitalize()} part", text, group="Parts")
        share = m.add("channel_mask", colour=painted, channel=channel)
        result = m.add("mix", name=f"{channel.capitalize()} tinted", a=result, b=tint, factor=share)
    return result


@recipe("Frames of a sprite sheet in turn", "animation", "sprite", "atlas", sets=CUTS_OUT)
def sprite_frames(m: Authoring) -> Wire:
    """The frames of a sheet one after the other, from the upper left, row by row, as the clock goes."""
    columns = m.expose("Columns", 4.0, limits=(1, 64), step=1, group="Frames", use="whole")
    rows = m.expose("Rows", 4.0, limits=(1, 64), step=1, group="Frames", use="whole")
    rate = m.expose("Frames a second", 12.0, limits=(0, 60), group="Frames")
    frame = m.add("formula", name="Frame", expression="mod(floor(time * rate), columns * rows)")
    u = m.add("formula", name="Frame u", expression="(u + mod(frame, columns)) / columns")
    v = m.add("formula", name="Frame v", expression="(v + floor((frame + 0.5) / columns)) / rows")
    uv = m.add("texture_coordinates").into("separate_2")
    for wire, node, port in (
        *((m.add("time"), frame, "time"), (rate, frame, "rate"), (columns, frame, "columns"), (rows, frame, "rows")),
        *((uv.x, u, "u"), (frame, u, "frame"), (columns, u, "columns")),
        *((uv.y, v, "v"), (frame, v, "frame"), (columns, v, "columns"), (rows, v, "rows")),
    ):
        m.wire(wire, node, port)
    return m.add("image", name="Sheet", uv=m.add("combine_2", x=u, y=v))


@recipe("Sprite with swap palettes", "sprite", "pixel art", "team colour", "character", sets=CUTS_OUT)
def sprite_with_palettes(m: Authoring) -> Wire:
    """A sprite of indices in the colours of a palette, which instances swap; what its cells leave clear is cut out."""
    palette = m.expose("Palette", "", kind=Kind.PALETTE, group="Sprite")
    index = m.add("index_texture", name="Sprite")
    return m.add("palette_lookup", name="Sprite colour", index=index, palette=palette)
