"""Nodes that change colours. They work on linear light unless they say otherwise, and leave alpha alone."""

from __future__ import annotations

from typing import Literal

from soft_lantern.ir import colours
from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Op, const, join, make, swizzle
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.ramp import GRADIENT_AT
from soft_lantern.nodes.definition import (
    Amount,
    Colour,
    DataTexture,
    Gradient,
    Kelvin,
    Mask,
    Number,
    Palette,
    Positive,
    Stops,
    Turns,
    Vector2,
    Vector3,
    node,
)

_MATERIALX = "MaterialX 1.39 "


def _with_alpha(rgb: Expr, colour: Expr) -> Expr:
    return join(rgb, colour.w)


@node(
    "Toward grey",
    family="colour",
    also=("saturation amount", "desaturate", "saturation", "grey", "gray", "vivid", "chroma"),
    source=_MATERIALX + "saturate, whose amount is 1 − this one",
)
def saturation_amount(colour: Colour, amount: Number = 0.0) -> Colour:
    """The colour toward its own grey (Rec. 709): 0 leaves it, 1 is grey, below 0 more vivid, above 1 the hue turned.

    out = mix(colour, vec3(luminance(colour)), amount)
    """
    return _with_alpha(f.mix(colour.xyz, f.splat(f.luminance(colour), 3), amount), colour)


@node(
    "HSV adjust",
    family="colour",
    also=("hsv", "adjust", "hue shift", "recolour"),
    source=_MATERIALX + "hsvadjust",
)
def hsv_adjust(colour: Colour, hue: Turns = 0.0, saturation: Amount = 1.0, value: Amount = 1.0) -> Colour:
    """Turns the hue and scales saturation and value.

    out = rgb(hsv(colour) * vec3(1, saturation, value) + vec3(hue, 0, 0))
    """
    hsv = colours.hsv_from_rgb(colour.xyz)
    return _with_alpha(colours.rgb_from_hsv(join(hsv.x + hue, hsv.y * saturation, hsv.z * value)), colour)


@node("RGB to HSV", family="colour", also=("hue", "value", "saturation", "convert"), source=_MATERIALX + "rgbtohsv")
def rgb_to_hsv(colour: Colour) -> Vector3:
    """A colour's hue in turns, saturation and value.

    out = hsv(colour.rgb)
    """
    return colours.hsv_from_rgb(colour.xyz)


@node(
    "HSV to RGB",
    family="colour",
    also=("hue", "value", "saturation", "convert", "rainbow"),
    source=_MATERIALX + "hsvtorgb",
)
def hsv_to_rgb(hsv: Vector3 = (0.0, 1.0, 1.0)) -> Colour:
    """The colour of a hue in turns, a saturation and a value.

    out = rgb(hsv)
    """
    return join(colours.rgb_from_hsv(hsv), 1.0)


@node("Contrast", family="colour", also=("punch", "flat", "spread"), source=_MATERIALX + "contrast")
def contrast(colour: Colour, amount: Amount = 1.0, pivot: Number = 0.5) -> Colour:
    """Each channel moved away from a pivot, or toward it below 1.

    out = (colour - pivot) * amount + pivot
    """
    return _with_alpha((colour.xyz - pivot) * amount + pivot, colour)


@node(
    "Luminance",
    family="colour",
    also=("grey", "gray", "brightness", "value", "black and white"),
    source=_MATERIALX + "luminance",
)
def luminance(colour: Colour) -> Number:
    """The relative luminance of a linear colour (ITU-R BT.709).

    out = dot(colour.rgb, vec3(0.2126, 0.7152, 0.0722))
    """
    return f.luminance(colour)


@node("Brightness", family="colour", also=("exposure", "stops", "lighten", "darken", "gain"))
def brightness(colour: Colour, stops: Stops = 0.0) -> Colour:
    """The colour doubled in light for every stop.

    out = colour * exp2(stops)
    """
    return _with_alpha(colour.xyz * f.exp2(stops), colour)


@node("Invert", family="colour", also=("negative", "complement"), source=_MATERIALX + "invert")
def invert(colour: Colour) -> Colour:
    """1 less each channel.

    out = 1 - colour
    """
    return _with_alpha(1.0 - colour.xyz, colour)


@node(
    "Temperature tint",
    family="colour",
    also=("warm", "cool", "white balance", "kelvin", "warmth"),
    source="CIE 15 daylight, Bradford",
)
def temperature_tint(colour: Colour, temperature: Kelvin = 6504.0) -> Colour:
    """The colour under daylight of another temperature: warmer below 6504 K, cooler above.

    out = adapted(colour, D65, daylight(temperature))
    """
    return _with_alpha(colours.daylight_adapted(colour.xyz, temperature), colour)


@node("Multiply tint", family="colour", also=("tint", "colourise", "stain", "filter"))
def multiply_tint(colour: Colour, tint: Colour = (1.0, 1.0, 1.0, 1.0), amount: Mask = 1.0) -> Colour:
    """The colour multiplied by a tint, by an amount. A channel that either lacks stays black.

    out = mix(colour, colour * tint, amount)
    """
    return _with_alpha(f.mix(colour.xyz, colour.xyz * tint.xyz, amount), colour)


BlendMode = Literal[  # type: ignore[valid-type]
    *("normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn"),
    *("hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity"),
]


@node(
    "Blend",
    family="colour",
    also=("multiply", "screen", "overlay", "layer", "dodge", "burn", "soft light"),
    source="W3C Compositing and Blending Level 1",
)
def blend(
    backdrop: Colour = (0.0, 0.0, 0.0, 1.0),
    source: Colour = (1.0, 1.0, 1.0, 1.0),
    amount: Mask = 1.0,
    *,
    mode: BlendMode = "multiply",  # type: ignore[valid-type]
    light: Literal["linear", "sRGB"] = "linear",
) -> Colour:
    """One colour laid over another with a blend mode, by an amount, in linear light or as sRGB-encoded colours.

    out = source-over(backdrop, B(backdrop, source))
    """
    ends = [backdrop, join(source.xyz, source.w * amount)]
    if light == "sRGB":
        ends = [_with_alpha(colours.srgb_from_linear(end.xyz), end) for end in ends]
    done = colours.composited(str(mode), *ends)
    return _with_alpha(colours.linear_from_srgb(done.xyz), done) if light == "sRGB" else done


@node("Colour match mask", family="colour", also=("key", "select colour", "chroma key", "pick"))
def colour_match(
    colour: Colour, wanted: Colour = (1.0, 0.0, 0.0, 1.0), tolerance: Amount = 0.1, softness: Positive = 0.05
) -> Mask:
    """1 where a colour is near the wanted one, falling to 0 beyond the tolerance; near as the eye has it, in OKLab.

    out = 1 - smoothstep(tolerance, tolerance + softness, distance(oklab(colour), oklab(wanted)))
    """
    away = f.length(colours.oklab_from_linear(colour.xyz) - colours.oklab_from_linear(wanted.xyz))
    return 1.0 - f.smoothstep(tolerance, tolerance + f.max_(softness, 1e-6), away)


@node("Exchange colour", family="colour", also=("recolour", "swap", "replace", "team colour", "key"))
def exchange_colour(
    colour: Colour,
    wanted: Colour = (1.0, 0.0, 0.0, 1.0),
    replacement: Colour = (0.0, 0.2, 1.0, 1.0),
    tolerance: Amount = 0.1,
    softness: Positive = 0.05,
) -> Colour:
    """One colour changed into another, with a tolerance and a soft edge.

    out = mix(colour, replacement, colour_match(colour, wanted))
    """
    found = colour_match(colour, wanted, tolerance, softness)
    return _with_alpha(f.mix(colour.xyz, replacement.xyz, found), colour)


@node("Exchange shades", family="colour", also=("recolour", "swap", "replace", "team colour", "shadow tone", "ramp"))
def exchange_shades(
    colour: Colour,
    wanted: Colour = (1.0, 0.0, 0.0, 1.0),
    replacement: Colour = (0.0, 0.2, 1.0, 1.0),
    tolerance: Amount = 0.15,
    softness: Positive = 0.1,
) -> Colour:
    """One colour changed into another, and its lighter and darker shades with it in proportion: shadows stay shadows.

    away = distance(oklab(colour).yz / L, oklab(wanted).yz / L), shade = oklab(replacement) * L / L(wanted),
    out = linear(mix(oklab(colour), shade, 1 - smoothstep(tolerance, tolerance + softness, away)))
    """
    lab, first, aim = (colours.oklab_from_linear(each.xyz) for each in (colour, wanted, replacement))
    base = f.max_(first.x, 1e-4)
    away = f.length(swizzle(lab, "yz") / f.max_(lab.x, 1e-4) - swizzle(first, "yz") / base)
    share = 1.0 - f.smoothstep(tolerance, tolerance + f.max_(softness, 1e-6), away)
    return _with_alpha(colours.linear_from_oklab(f.mix(lab, aim * (lab.x / base), share)), colour)


@node("sRGB to linear", family="colour", also=("gamma", "decode", "degamma"), source="IEC 61966-2-1")
def srgb_to_linear(colour: Colour) -> Colour:
    """The linear colour of sRGB-encoded channels.

    out = c <= 0.04045 ? c / 12.92 : pow((c + 0.055) / 1.055, 2.4)
    """
    return _with_alpha(colours.linear_from_srgb(colour.xyz), colour)


@node("Linear to sRGB", family="colour", also=("gamma", "encode"), source="IEC 61966-2-1")
def linear_to_srgb(colour: Colour) -> Colour:
    """The sRGB-encoded channels of a linear colour.

    out = c <= 0.0031308 ? c * 12.92 : 1.055 * pow(c, 1 / 2.4) - 0.055
    """
    return _with_alpha(colours.srgb_from_linear(colour.xyz), colour)


@node(
    "OKLab mix",
    family="colour",
    also=("perceptual blend", "perceptual", "gradient", "even"),
    source="CSS Color 4, section 9.4",
)
def oklab_mix(a: Colour = (0.0, 0.0, 0.0, 1.0), b: Colour = (1.0, 1.0, 1.0, 1.0), factor: Mask = 0.5) -> Colour:
    """Two colours blended evenly to the eye, without a dull middle.

    out = linear(mix(oklab(a), oklab(b), factor))
    """
    mixed = f.mix(colours.oklab_from_linear(a.xyz), colours.oklab_from_linear(b.xyz), factor)
    return join(colours.linear_from_oklab(mixed), f.mix(a.w, b.w, factor))


@node("Gradient lookup", family="colour", also=("ramp", "colour ramp", "lut", "gradient map", "curve"))
def gradient_lookup(
    gradient: Gradient = "", at: Mask = 0.5, *, beyond: Literal["clamp", "repeat", "mirror"] = "clamp"
) -> Colour:
    """The colour of a gradient at 0 to 1; what lies beyond keeps the end's colour, begins anew, or runs back.

    out = gradient(clamp(at, 0, 1)); repeat: gradient(fract(at)); mirror: gradient(1 - abs(1 - mod(at, 2)))
    """
    if beyond == "repeat":
        return GRADIENT_AT(gradient, f.fract(at))
    if beyond == "mirror":
        return GRADIENT_AT(gradient, 1.0 - f.abs_(1.0 - f.mod(at, 2.0)))
    return GRADIENT_AT(gradient, f.saturate(at))


@node("Palette lookup", family="colour", also=("index", "swap", "sprite", "recolour", "lut"))
def palette_lookup(index: Colour = (0.0, 0.0, 0.0, 1.0), palette: Palette = "") -> Colour:
    """The colour of an N × N palette that an index names: red is the column i / (N − 1), green the row from the top.

    out = texture(palette, (floor(index.rg * (N - 1) + 0.5) + 0.5) / N), N = the palette's width

    The index comes from a data texture read with the nearest filter, or it breaks; its alpha is kept.
    """
    cells = f.floor(1.0 / make(Op.TEXEL, palette) + 0.5)
    cell = f.floor(f.saturate(join(index.x, index.y)) * (cells - 1.0) + 0.5)
    found = make(Op.TEXTURE_LEVEL, palette, (cell + 0.5) / cells, const(0.0))
    return join(found.xyz, found.w * index.w)


@node("Index texture", family="colour", also=("palette", "sprite", "image", "nearest"))
def index_texture(texture: DataTexture = "", uv: Vector2 = surface_input("uv")) -> Colour:
    """Palette indices from a data texture.

    out = texture(texture, uv)
    """
    return f.texture(texture, uv)
