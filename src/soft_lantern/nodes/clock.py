"""Nodes that follow the clock."""

from __future__ import annotations

from math import tau
from typing import Literal

from soft_lantern.ir import functions as f
from soft_lantern.ir import noise
from soft_lantern.ir.expr import join
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes.definition import Mask, Number, Positive, Seconds, Turns, node

_TIME = surface_input("time")


@node("Time", family="time", also=("clock", "seconds", "animate", "scroll"))
def time() -> Seconds:
    """Seconds since the clock started.

    out = time
    """
    return _TIME


@node("Time step", family="time", also=("delta", "frame", "dt"))
def time_step() -> Seconds:
    """Seconds since the frame before.

    out = time_step
    """
    return surface_input("time_step")


@node("Wave", family="time", also=("sine", "oscillate", "saw", "triangle", "square", "animate", "blink"))
def wave(
    time: Seconds = _TIME,
    period: Positive = 1.0,
    phase: Turns = 0.0,
    low: Number = 0.0,
    high: Number = 1.0,
    *,
    shape: Literal["sine", "triangle", "saw", "pulse"] = "sine",
) -> Number:
    """Goes between low and high, once in every period: a longer period is slower. The pulse is high for its first half.

    turn = time / period + phase, out = mix(low, high, shape(turn))
    """
    turn = time / period + phase
    if shape == "sine":
        return (low + high) * 0.5 + f.sin(turn * tau) * ((high - low) * 0.5)
    part = f.fract(turn)
    unit = {
        "triangle": 1.0 - f.abs_(part * 2.0 - 1.0),
        "saw": part,
        "pulse": 1.0 - f.step(0.5, part),
    }[shape]
    return low + unit * (high - low)


@node("Pulse", family="time", also=("throb", "heartbeat", "glow", "blink", "breathe"), source="common practice")
def pulse(time: Seconds = _TIME, period: Positive = 2.0, floor: Mask = 0.25) -> Mask:
    """A glow that swells once in every period and rests at a floor: a longer period is slower.

    out = clamp(sin(2 * pi * time / period), floor, 1)
    """
    return f.clamp(f.sin(time * tau / period), floor, 1.0)


@node("Flicker", family="time", also=("random", "candle", "fire", "lamp", "noise"))
def flicker(
    time: Seconds = _TIME,
    rate: Positive = 8.0,
    seed: Number = 0.0,
    low: Number = 0.0,
    high: Number = 1.0,
    *,
    change: Literal["jumps", "glides"] = "glides",
) -> Number:
    """A new random value so many times a second; it jumps there or glides.

    out = mix(low, high, noise(time * rate, seed))
    """
    place = join(time * rate, f.floor(seed))
    unit = noise.cell_2d(place) if change == "jumps" else noise.value_2d(place)
    return low + unit * (high - low)
