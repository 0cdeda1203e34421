"""Nodes that keep values within a range, or carry one range into another."""

from __future__ import annotations

from typing import Literal

from soft_lantern.ir import functions as f
from soft_lantern.nodes.definition import AnyKind, AnyMask, AnyPositive, Mask, Positive, node

_MATERIALX = "MaterialX 1.39 "
OnOff = Literal["off", "on"]


@node("Clamp", family="ranges", also=("limit", "keep within", "bound"), source=_MATERIALX + "clamp")
def clamp(value: AnyKind, low: AnyKind = 0.0, high: AnyKind = 1.0) -> AnyKind:
    """The value kept within low and high.

    out = min(max(value, low), high)
    """
    return f.clamp(value, low, high)


@node("Saturate", family="ranges", also=("clamp 0 to 1", "limit", "unit"), source=_MATERIALX + "clamp")
def saturate(value: AnyKind) -> AnyMask:
    """The value kept within 0 to 1.

    out = clamp(value, 0, 1)
    """
    return f.saturate(value)


@node("Mix", family="ranges", also=("blend", "lerp", "interpolate", "fade"), source=_MATERIALX + "mix")
def mix(a: AnyKind = 0.0, b: AnyKind = 1.0, factor: Mask = 0.5) -> AnyKind:
    """Two values blended: exactly a at factor 0, exactly b at 1. Colours are blended in linear light, alpha with them.

    out = a * (1 - factor) + b * factor
    """
    return f.mix(a, b, factor)


@node("Remap", family="ranges", also=("fit", "rescale", "normalise", "change range"), source=_MATERIALX + "remap")
def remap(
    value: AnyKind,
    low: AnyKind = 0.0,
    high: AnyKind = 1.0,
    new_low: AnyKind = 0.0,
    new_high: AnyKind = 1.0,
    *,
    clamped: OnOff = "off",
) -> AnyKind:
    """What goes from low to high carried to what goes from new low to new high; clamped, it stays between them.

    out = new_low + (value - low) * (new_high - new_low) / (high - low)
    """
    if clamped == "on":
        share = f.saturate((value - low) / (high - low))
        return new_low + share * (new_high - new_low)
    return new_low + (value - low) * (new_high - new_low) / (high - low)


@node("Step", family="ranges", also=("threshold", "cut", "hard edge"), source="GLSL 3.30 step")
def step(edge: AnyKind = 0.5, value: AnyKind = 0.0) -> AnyMask:
    """0 below the edge, 1 from it on.

    out = value < edge ? 0 : 1
    """
    return f.step(edge, value)


@node("Smoothstep", family="ranges", also=("soft edge", "ease", "s-curve"), source=_MATERIALX + "smoothstep")
def smoothstep(value: AnyKind = 0.0, low: AnyKind = 0.0, high: AnyKind = 1.0) -> AnyMask:
    """0 below low, 1 above high, and between them a curve that is level at both ends.

    t = clamp((value - low) / (high - low), 0, 1), out = t * t * (3 - 2 * t)
    """
    return f.smoothstep(low, high, value)


@node("Levels", family="ranges", also=("curve", "gamma", "black point", "white point"), source=_MATERIALX + "range")
def levels(
    value: AnyKind,
    low: AnyKind = 0.0,
    high: AnyKind = 1.0,
    gamma: AnyPositive = 1.0,
    new_low: AnyKind = 0.0,
    new_high: AnyKind = 1.0,
    *,
    clamped: OnOff = "on",
) -> AnyKind:
    """Low and high carried to 0 and 1, bent by gamma (above 1 lightens the middle), then carried to the new range.

    t = (value - low) / (high - low), out = new_low + sign(t) * pow(abs(t), 1 / gamma) * (new_high - new_low)
    """
    t = (value - low) / (high - low)
    bent = f.sign(t) * f.power(f.abs_(t), 1.0 / gamma)
    spread = new_low + bent * (new_high - new_low)
    return f.clamp(spread, f.min_(new_low, new_high), f.max_(new_low, new_high)) if clamped == "on" else spread


@node("Posterise", family="ranges", also=("quantise", "steps", "bands", "toon", "levels"))
def posterise(value: AnyKind = 0.0, steps: Positive = 4.0) -> AnyKind:
    """The value in a number of equal steps: 0 to 1 becomes that many levels, the first 0 and the last 1.

    out = floor(clamp(value, 0, 1) * steps) / (steps - 1), at most 1
    """
    held = f.min_(f.floor(f.saturate(value) * steps), steps - 1.0)
    return held / f.max_(steps - 1.0, 1.0)


@node("Ping-pong", family="ranges", also=("bounce", "mirror", "back and forth", "fold"))
def ping_pong(value: AnyKind = 0.0, length: Positive = 1.0) -> AnyKind:
    """The value going up to a length and back down again, over and over.

    out = length - abs(mod(value, 2 * length) - length)
    """
    return length - f.abs_(f.mod(value, length * 2.0) - length)


@node("Wrap", family="ranges", also=("repeat", "loop", "modulo", "cycle"))
def wrap(value: AnyKind = 0.0, low: AnyKind = 0.0, high: AnyKind = 1.0) -> AnyKind:
    """The value brought into low to high by whole turns of that span.

    out = low + mod(value - low, high - low)
    """
    return low + f.mod(value - low, high - low)


@node("Triangle wave", family="ranges", also=("zigzag", "ping pong", "fold"), source=_MATERIALX + "trianglewave")
def triangle_wave(value: AnyKind = 0.0) -> AnyMask:
    """Up from 0 to ½ and down again, once for every whole step of the value.

    out = 0.5 - abs(fract(abs(value)) - 0.5)
    """
    return 0.5 - f.abs_(f.fract(f.abs_(value)) - 0.5)
