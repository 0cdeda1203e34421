"""Textures that a look reads as glTF itself can: they go out as they are, tiled and tinted by numbers beside them.

Exact where a surface input is a texture at u and v, scaled and moved, times numbers. Source: the glTF 2.0
specification, section 3.9, and KHR_texture_transform.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
from msgspec import Struct

from soft_lantern.graph.lowering import as_constants
from soft_lantern.ir.expr import Expr, Op, Type, const, constant_parts, topological
from soft_lantern.ir.inputs import surface_input
from soft_lantern.ir.rewrite import replace
from soft_lantern.ir.simplify import simplified
from soft_lantern.nodes import LIBRARY
from soft_lantern.render.surface_points import Worn
from soft_lantern.values.images import Image

SETS = {surface_input("uv"): 0, surface_input("uv1"): 1}
"""The mesh's coordinates by the number of their set."""
DEEPEST = 64
"""Operations one after another that are looked through."""
Pair = tuple[float, float]


class Kept(Struct, frozen=True, eq=False):
    """A texture as a surface input reads it: at one of the mesh's coordinates · scale + offset.

    `factor`: what it is multiplied by, as the input of glTF has it; of a normal, the scale of its slope.
    """

    image: Image
    coordinates: int
    scale: Pair
    offset: Pair
    factor: tuple[float, ...]


class _Read(Struct, frozen=True):
    """Components of a texture at coordinates, times numbers."""

    texture: Expr
    letters: str
    factor: tuple[float, ...]


def kept_textures(worn: Worn) -> dict[str, Kept]:
    """What goes out as it is, by its use in glTF: "base_colour", "metallic_roughness", "normal" and so on."""
    surface = _settled(worn)
    opaque = worn.lowered.alpha_mode == "opaque"
    found = {"base_colour": _coloured(worn, surface, opaque=opaque)}
    if not worn.lowered.unlit:
        found |= {
            "emissive": _emissive(worn, surface),
            "occlusion": _occlusion(worn, surface),
            "metallic_roughness": _rough(worn, surface),
            "normal": _normal(worn, surface),
        }
    return {use: each for use, each in found.items() if each is not None}


def _settled(worn: Worn) -> dict[str, Expr]:
    """The surface over what changes from place to place alone: all that is a number by now is one."""
    roots = list(worn.lowered.surface.values())
    given = replace(roots, as_constants(worn.uniforms))
    plain = simplified([given[root] for root in roots])
    return {name: plain[given[root]] for name, root in worn.lowered.surface.items()}


def _coloured(worn: Worn, surface: Mapping[str, Expr], *, opaque: bool) -> Kept | None:
    colour, alpha = _read(surface["base_colour"]), _read(surface["alpha"])
    if colour is None or colour.letters != "xyz":
        return None
    held = worn.uniforms.get(str(colour.texture.args[0].data))
    if opaque:
        share = 1.0
    elif surface["alpha"].op is Op.CONST and isinstance(held, Image) and (held.texels[..., 3] == 255).all():
        (share,) = constant_parts(surface["alpha"])
    elif alpha and alpha.texture is colour.texture and alpha.letters == "w":
        (share,) = alpha.factor
    else:
        return None
    return _kept(worn, colour.texture, (*colour.factor, share), "colour")


def _emissive(worn: Worn, surface: Mapping[str, Expr]) -> Kept | None:
    light = _read(surface["emissive"])
    if light is None or light.letters != "xyz" or min(light.factor) < 0 or not max(light.factor):
        return None
    return _kept(worn, light.texture, light.factor, "colour", most=float(np.finfo(np.float32).max))


def _occlusion(worn: Worn, surface: Mapping[str, Expr]) -> Kept | None:
    light = _read(surface["occlusion"])
    if light is None or light.letters != "x" or light.factor != (1.0,):
        return None
    return _kept(worn, light.texture, (), "data")


def _rough(worn: Worn, surface: Mapping[str, Expr]) -> Kept | None:
    """Roughness from green and metallic from blue of one texture, or one of them alone where the other is 0."""
    rough, metal = _read(surface["roughness"]), _read(surface["metallic"])
    zeros = [name for name in ("roughness", "metallic") if _is_zero(surface[name])]
    if (rough and rough.letters != "y") or (metal and metal.letters != "z"):
        return None
    if rough and metal and rough.texture is metal.texture:
        return _kept(worn, rough.texture, (1.0, *rough.factor, *metal.factor), "data")
    if rough and zeros == ["metallic"]:
        return _kept(worn, rough.texture, (1.0, *rough.factor, 0.0), "data")
    return _kept(worn, metal.texture, (1.0, 0.0, *metal.factor), "data") if metal and zeros == ["roughness"] else None


def _is_zero(expr: Expr) -> bool:
    return expr.op is Op.CONST and constant_parts(expr) == (0.0,)


def _normal(worn: Worn, surface: Mapping[str, Expr]) -> Kept | None:
    """What the node *Normal map* comes to for a texture and a scale, which is how glTF reads it."""
    order = topological([surface["normal"]])
    for texture in (each for each in order if each.op is Op.TEXTURE):
        for scale in _numbers(order):
            inputs = {"texture": texture.args[0], "uv": texture.args[1], "scale": const(scale)}
            (made,) = LIBRARY["normal_map"].apply(inputs, {}).values()
            if simplified([made])[made] is surface["normal"]:
                return _kept(worn, texture, (scale,), "data", least=-np.inf, most=np.inf)
    return None


def _numbers(order: list[Expr]) -> Iterator[float]:
    """The numbers that some expressions hold, 1 first."""
    numbers = [each for each in order if each.op is Op.CONST and each.type is not Type.UINT]
    yield from dict.fromkeys((1.0, *(part for each in numbers for part in constant_parts(each))))


def _kept(
    worn: Worn, texture: Expr, factor: tuple[float, ...], encoding: str, *, least: float = 0.0, most: float = 1.0
) -> Kept | None:
    """The texture that is read, where glTF can hold it and read it there, with its factor between two bounds."""
    image, place = worn.uniforms.get(str(texture.args[0].data)), _place(texture.args[1])
    if not isinstance(image, Image) or image.texels.dtype != np.uint8 or image.encoding != encoding or place is None:
        return None
    if factor and not least <= min(factor) <= max(factor) <= most:
        return None
    return Kept(image, *place, factor)


def _read(expr: Expr, deep: int = 0) -> _Read | None:
    """What an expression is as components of a texture, times numbers; None where it is something else."""
    if deep > DEEPEST:
        return None
    if expr.op is Op.TEXTURE:
        return _Read(expr, "xyzw", (1.0,) * 4)
    if expr.op is Op.SWIZZLE:
        whole = _read(expr.args[0], deep + 1)
        picked = ["xyzw".index(letter) for letter in str(expr.data)]
        if whole is None:
            return None
        letters, factor = "".join(whole.letters[i] for i in picked), tuple(whole.factor[i] for i in picked)
        return _Read(whole.texture, letters, factor)
    if expr.op is Op.MUL:
        for one, other in (expr.args, expr.args[::-1]):
            whole = _read(one, deep + 1) if other.op is Op.CONST else None
            if whole is not None and one.type.width >= other.type.width:
                by = constant_parts(other) * (one.type.width // other.type.width)
                return _Read(whole.texture, whole.letters, tuple(a * b for a, b in zip(whole.factor, by, strict=True)))
    return None


def _place(uv: Expr, deep: int = 0) -> tuple[int, Pair, Pair] | None:
    """The set of coordinates that an expression is, scaled and moved; None where it is something else."""
    if uv in SETS:
        return SETS[uv], (1.0, 1.0), (0.0, 0.0)
    if uv.op not in (Op.ADD, Op.SUB, Op.MUL) or deep > DEEPEST:
        return None
    pairs = ((uv.args[0], uv.args[1]),) if uv.op is Op.SUB else (uv.args, uv.args[::-1])
    for one, other in pairs:
        inner = _place(one, deep + 1) if other.op is Op.CONST else None
        if inner is None:
            continue
        number, scale, offset = inner
        x, y = constant_parts(other) * (2 // other.type.width)
        if uv.op is Op.MUL:
            return number, (scale[0] * x, scale[1] * y), (offset[0] * x, offset[1] * y)
        sign = -1.0 if uv.op is Op.SUB else 1.0
        return number, scale, (offset[0] + sign * x, offset[1] + sign * y)
    return None


def read_kept(kept: Kept, coordinates: np.ndarray) -> np.ndarray:
    """What a reader of the file finds in the texture at the mesh's coordinates (2, n): (n, 4)."""
    scale, offset = (np.array(each, np.float32)[:, None] for each in (kept.scale, kept.offset))
    return kept.image.read(coordinates * scale + offset).T
