"""Textures, the coordinates they are read at, and normal maps.

Colour or data, filter and wrap are kept with the texture itself, as samplers are in glTF 2.0. Tangent-space normals
have u along x, the bitangent along y and the surface's normal along z.
"""

from __future__ import annotations

from math import pi
from typing import Literal, NamedTuple

from soft_lantern.ir import functions as f
from soft_lantern.ir.derivative import screen_rate
from soft_lantern.ir.directions import panorama_uv
from soft_lantern.ir.expr import Expr, const, join
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.surface_inputs import unit
from soft_lantern.nodes.definition import (
    Colour,
    DataColour,
    DataTexture,
    Degrees,
    Direction,
    Mask,
    Metres,
    Metres3,
    Number,
    Positive,
    Seconds,
    Texture,
    Vector2,
    node,
)

_MATERIALX = "MaterialX 1.39 "
_UV, _NORMAL = surface_input("uv"), surface_input("normal_world")


class Texel(NamedTuple):
    """What is read of a texture."""

    colour: Colour
    alpha: Mask


@node(
    "Image", family="textures", also=("texture", "sample", "picture", "map", "bitmap"), source="glTF 2.0, section 3.8.4"
)
def image(texture: Texture = "", uv: Vector2 = _UV) -> Texel:
    """The colour of a texture at texture coordinates; as colour or data, filtered and wrapped as the texture says.

    colour = texture(texture, uv)
    """
    texel = f.texture(texture, uv)
    return Texel(texel, texel.w)


@node("Tile coordinates", family="textures", also=("tiling", "offset", "scroll", "pan", "moving", "repeat", "uv"))
def tile_coordinates(
    uv: Vector2 = _UV,
    tiling: Vector2 = (1.0, 1.0),
    offset: Vector2 = (0.0, 0.0),
    speed: Vector2 = (0.0, 0.0),
    time: Seconds = surface_input("time"),
) -> Vector2:
    """Texture coordinates repeated, moved, and moving at a speed in repeats a second.

    out = uv * tiling + offset + speed * time
    """
    return uv * tiling + offset + speed * time


@node(
    "Rotate coordinates",
    family="textures",
    also=("spin", "turn", "place", "uv", "pivot"),
    source=_MATERIALX + "place2d",
)
def rotate_coordinates(
    uv: Vector2 = _UV,
    pivot: Vector2 = (0.5, 0.5),
    scale: Vector2 = (1.0, 1.0),
    angle: Degrees = 0.0,
    offset: Vector2 = (0.0, 0.0),
) -> Vector2:
    """Texture coordinates scaled, turned about a pivot, and moved: a picture read with them grows, turns and moves.

    out = rotate((uv - pivot) / scale, angle) - offset + pivot
    """
    turn = angle * (pi / 180)
    c, s = f.cos(turn), f.sin(turn)
    v = (uv - pivot) / scale
    return join(c * v.x + s * v.y, c * v.y - s * v.x) - offset + pivot


@node("Triplanar", family="textures", also=("projection", "no uv", "world mapping", "box mapping"))
def triplanar(
    texture: Texture = "",
    position: Metres3 = surface_input("position_object"),
    normal: Direction = _NORMAL,
    tiling: Number = 1.0,
    sharpness: Positive = 4.0,
) -> Colour:
    """A texture laid on from three sides and blended by where the surface faces: needs no texture coordinates.

    w = pow(abs(normal), sharpness), out = (x * w.x + y * w.y + z * w.z) / (w.x + w.y + w.z)
    """
    weights = f.power(f.max_(f.abs_(normal), 1e-4), sharpness)
    place = position * tiling
    sides = [join(place.z, -place.y), join(place.x, place.z), join(place.x, -place.y)]
    read = [f.texture(texture, side) for side in sides]
    total = read[0] * weights.x + read[1] * weights.y + read[2] * weights.z
    return total / (weights.x + weights.y + weights.z)


def _scaled(normal: Expr, scale: Expr) -> Expr:
    return f.normalize(join(normal.x * scale, normal.y * scale, normal.z))


def _to_world(normal: Expr) -> Expr:
    x, y = surface_input("tangent_world"), surface_input("bitangent_world")
    return f.normalize(x * normal.x + y * normal.y + _NORMAL * normal.z)


@node("Decode normal", family="textures", also=("normal map", "unpack", "bump"), source="glTF 2.0, section 3.9.3")
def decode_normal(colour: DataColour = (0.5, 0.5, 1.0, 1.0), scale: Number = 1.0) -> Direction:
    """The tangent-space direction that the colour of a normal map stands for, its slope times a scale.

    out = normalize((colour.rgb * 2 - 1) * vec3(scale, scale, 1))
    """
    return _scaled(colour.xyz * 2.0 - 1.0, scale)


@node("Normal map", family="textures", also=("bump", "detail", "relief"), source=_MATERIALX + "normalmap")
def normal_map(texture: DataTexture = "", uv: Vector2 = _UV, scale: Number = 1.0) -> Direction:
    """The surface's normal in world space, bent by a normal map. Wire it into the surface's normal.

    n = decode_normal(texture(texture, uv), scale), out = tangent * n.x + bitangent * n.y + normal * n.z
    """
    return _to_world(_scaled(f.texture(texture, uv).xyz * 2.0 - 1.0, scale))


@node(
    "Scale normal",
    family="textures",
    also=("strength", "flatten", "intensity", "bump"),
    source="glTF 2.0, section 3.9.3",
)
def scale_normal(normal: Direction = (0.0, 0.0, 1.0), scale: Number = 1.0) -> Direction:
    """A tangent-space normal with its slope made larger or smaller: 0 is flat.

    out = normalize(normal * vec3(scale, scale, 1))
    """
    return _scaled(normal, scale)


def _reoriented(base: Expr, detail: Expr) -> Expr:
    t = base + const(0.0, 0.0, 1.0)
    u = detail * const(-1.0, -1.0, 1.0)
    return f.normalize(t * (f.dot(t, u) / f.max_(t.z, 1e-4)) - u)


@node(
    "Mix normals",
    family="textures",
    also=("combine", "detail", "blend normals", "reoriented"),
    source="Barré-Brisebois and Hill, Blending in Detail (2012)",
)
def mix_normals(
    base: Direction = (0.0, 0.0, 1.0),
    detail: Direction = (0.0, 0.0, 1.0),
    amount: Mask = 1.0,
    *,
    method: Literal["reoriented", "simple"] = "reoriented",
) -> Direction:
    """Two tangent-space normals as one relief: the detail lies on the base. Simple adds the slopes' x and y.

    t = base + (0, 0, 1), u = detail * (-1, -1, 1), out = normalize(t * dot(t, u) / t.z - u)
    """
    bent = _scaled(detail, amount)
    if method == "simple":
        return f.normalize(join(base.x + bent.x, base.y + bent.y, base.z))
    return _reoriented(base, bent)


@node(
    "Normal to world",
    family="textures",
    also=("tangent space", "convert", "normal map"),
    source="glTF 2.0, section 3.9.3",
)
def normal_to_world(normal: Direction = (0.0, 0.0, 1.0)) -> Direction:
    """A tangent-space normal in world space, ready for the surface.

    out = normalize(tangent * n.x + bitangent * n.y + normal * n.z)
    """
    return _to_world(normal)


@node(
    "Height to normal",
    family="textures",
    also=("bump", "relief", "emboss"),
    source="Mikkelsen, Bump Mapping Unparametrized Surfaces (2010)",
)
def height_to_normal(height: Metres = 0.0, scale: Number = 1.0) -> Direction:
    """The world-space normal of the surface raised by a height, without moving it; the slope by differentiation.

    g = dhdx * cross(dPdy, N) + dhdy * cross(N, dPdx), out = normalize(abs(d) * N - sign(d) * g), d = det(dPdx, dPdy, N)
    """
    raised = height * scale
    along, up = surface_input("position_world_dx"), surface_input("position_world_dy")
    first, second = f.cross(up, _NORMAL), f.cross(_NORMAL, along)
    area = f.dot(along, first)
    slope = first * screen_rate(raised, "dx") + second * screen_rate(raised, "dy")
    bent = _NORMAL * f.abs_(area) - slope * f.sign(area)
    size = f.length(bent)
    return f.select(size > 1e-20, bent / f.max_(size, 1e-20), _NORMAL)


@node(
    "Height to tangent normal",
    family="textures",
    also=("bump", "relief", "height to normal map"),
    source=_MATERIALX + "heighttonormal",
)
def height_to_tangent_normal(height: Number = 0.0, uv: Vector2 = _UV, scale: Number = 1.0) -> Direction:
    """The tangent-space normal of a height over texture coordinates; the slope by differentiation.

    n = cross(d(u, v, height * scale / 16)/dx, d(u, v, height * scale / 16)/dy), out = normalize(n * sign(n.z))
    """
    along, up = (join(screen_rate(uv, axis), screen_rate(height * scale * (1.0 / 16.0), axis)) for axis in ("dx", "dy"))
    bent = f.cross(along, up)
    bent = f.select(bent.z < 0.0, -bent, bent)
    size = f.length(bent)
    return f.select(size > 1e-20, bent / f.max_(size, 1e-20), const(0.0, 0.0, 1.0))


class Detail(NamedTuple):
    """A surface with one more layer of detail."""

    colour: Colour
    normal: Direction


@node(
    "Detail layer",
    family="textures",
    also=("mask", "three details", "layer", "second texture", "tiling"),
    source="common practice",
)
def detail_layer(
    colour: Colour = (0.5, 0.5, 0.5, 1.0),
    normal: Direction = (0.0, 0.0, 1.0),
    mask: Mask = 1.0,
    detail: Texture = "",
    detail_normal: DataTexture = "",
    uv: Vector2 = _UV,
    tiling: Number = 4.0,
    normal_scale: Number = 1.0,
) -> Detail:
    """A detail texture and its tangent-space normals over a base where a mask says, with a tiling of its own.

    colour = mix(colour, texture(detail, uv * tiling), mask), normal = mix_normals(normal, detail_normal, mask)
    """
    place = uv * tiling
    laid = f.mix(colour, f.texture(detail, place), mask)
    bent = _scaled(f.texture(detail_normal, place).xyz * 2.0 - 1.0, normal_scale * mask)
    return Detail(laid, _reoriented(normal, bent))


@node("Environment lookup", family="textures", also=("sky", "reflection", "equirectangular", "panorama", "matcap"))
def environment_lookup(texture: Texture = "", direction: Direction = _NORMAL) -> Colour:
    """The colour of an equirectangular panorama in a direction; its middle lies along −z, its top is up.

    out = texture(texture, vec2(0.5 + atan(x, -z) / (2 * pi), acos(y) / pi))
    """
    return f.texture(texture, panorama_uv(unit(direction)))
