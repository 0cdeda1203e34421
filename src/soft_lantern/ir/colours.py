"""Colour mathematics over ir values. Linear RGB with Rec. 709 primaries unless a name says otherwise; vec3 throughout.

Sources: IEC 61966-2-1 (sRGB); CSS Color 4, section 9.4 (OKLab); Foley and van Dam (HSV, as in MaterialX 1.39);
W3C Compositing and Blending Level 1 (blend modes); CIE 15 (daylight); Lam, 1985 (Bradford adaptation).
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence

from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, Function, Type, const, join, swizzle, traced

Row = tuple[float, float, float]


def matrix(rows: Sequence[Row], v: Expr) -> Expr:
    """A 3×3 matrix times a column vector."""
    return join(*(f.dot(const(*row), v) for row in rows))


def _encoded(x: Expr) -> Expr:
    across = f.abs_(x)
    curve = f.select(across <= 0.0031308, across * 12.92, 1.055 * f.power(across, 1 / 2.4) - 0.055)
    return f.select(x < 0.0, -curve, curve)


def _decoded(x: Expr) -> Expr:
    across = f.abs_(x)
    curve = f.select(across <= 0.04045, across / 12.92, f.power((across + 0.055) / 1.055, 2.4))
    return f.select(x < 0.0, -curve, curve)


_UNIT = (0.0, 1.0)
_encode = traced("srgb_encode", _encoded, Type.FLOAT, keeps=_UNIT)
_decode = traced("srgb_decode", _decoded, Type.FLOAT, keeps=_UNIT)


def srgb_from_linear(colour: Expr) -> Expr:
    """sRGB-encoded components of linear ones; below 0 by symmetry."""
    return f.each(_encode, colour)


def linear_from_srgb(colour: Expr) -> Expr:
    """Linear components of sRGB-encoded ones; below 0 by symmetry."""
    return f.each(_decode, colour)


_TO_LMS = (
    (0.4122214708, 0.5363325363, 0.0514459929),
    (0.2119034982, 0.6806995451, 0.1073969566),
    (0.0883024619, 0.2817188376, 0.6299787005),
)
_LMS_TO_LAB = (
    (0.2104542553, 0.7936177850, -0.0040720468),
    (1.9779984951, -2.4285922050, 0.4505937099),
    (0.0259040371, 0.7827717662, -0.8086757660),
)
_LAB_TO_LMS = (
    (1.0, 0.3963377774, 0.2158037573),
    (1.0, -0.1055613458, -0.0638541728),
    (1.0, -0.0894841775, -1.2914855480),
)
_FROM_LMS = (
    (4.0767416621, -3.3077115913, 0.2309699292),
    (-1.2684380046, 2.6097574011, -0.3413193965),
    (-0.0041960863, -0.7034186147, 1.7076147010),
)


def _cube_root(x: Expr) -> Expr:
    return f.sign(x) * f.power(f.abs_(x), 1 / 3)


oklab_from_linear = traced(
    "oklab_from_linear", lambda c: matrix(_LMS_TO_LAB, f.each(_cube_root, matrix(_TO_LMS, c))), Type.VEC3
)
"""OKLab lightness, a and b of a linear colour (Ottosson, 2020, as CSS Color 4 has it)."""


def _from_oklab(lab: Expr) -> Expr:
    roots = matrix(_LAB_TO_LMS, lab)
    return matrix(_FROM_LMS, roots * roots * roots)


linear_from_oklab = traced("linear_from_oklab", _from_oklab, Type.VEC3)
"""The linear colour of OKLab lightness, a and b."""


def _hsv(c: Expr) -> Expr:
    low, high = f.min_(f.min_(c.x, c.y), c.z), f.max_(f.max_(c.x, c.y), c.z)
    chroma = high - low
    saturation = f.select(high > 0.0, chroma / high, 0.0)
    sixth = f.select(
        c.x >= high,
        (c.y - c.z) / chroma,
        f.select(c.y >= high, 2.0 + (c.z - c.x) / chroma, 4.0 + (c.x - c.y) / chroma),
    )
    turns = sixth * (1.0 / 6.0)
    hue = f.select(saturation <= 0.0, 0.0, f.select(turns < 0.0, turns + 1.0, turns))
    return join(hue, saturation, high)


hsv_from_rgb = traced("hsv_from_rgb", _hsv, Type.VEC3, keeps=_UNIT)
"""Hue in turns, saturation and value of a colour."""


def _rgb(c: Expr) -> Expr:
    s, v = c.y, c.z
    sixth = f.fract(c.x) * 6.0
    side = f.floor(sixth)
    part = sixth - side
    p, q, t = v * (1.0 - s), v * (1.0 - s * part), v * (1.0 - s * (1.0 - part))
    choices = [join(v, t, p), join(q, v, p), join(p, v, t), join(p, q, v), join(t, p, v)]
    result = join(v, p, q)
    for index, choice in reversed(list(enumerate(choices))):
        result = f.select(f.equal(side, float(index)), choice, result)
    return f.select(s < 0.0001, f.splat(v, 3), result)


rgb_from_hsv = traced("rgb_from_hsv", _rgb, Type.VEC3, keeps=_UNIT)
"""The colour of hue in turns, saturation and value."""

_RGB_TO_XYZ = (
    (0.4123907993, 0.3575843394, 0.1804807884),
    (0.2126390059, 0.7151686788, 0.0721923154),
    (0.0193308187, 0.1191947798, 0.9505321522),
)
_XYZ_TO_RGB = (
    (3.2409699419, -1.5373831776, -0.4986107603),
    (-0.9692436363, 1.8759675015, 0.0415550574),
    (0.0556300797, -0.2039769589, 1.0569715142),
)
_BRADFORD = ((0.8951, 0.2664, -0.1614), (-0.7502, 1.7135, 0.0367), (0.0389, -0.0685, 1.0296))
_BRADFORD_BACK = (
    (0.9869929055, -0.1470542564, 0.1599626517),
    (0.4323052697, 0.5183602715, 0.0492912282),
    (-0.0085286646, 0.0400428217, 0.9684866958),
)
_D65_XY = (0.3127, 0.3290)


def _white_xyz(x: Expr | float, y: Expr | float) -> Expr:
    return join(f.lifted(x) / y, 1.0, (1.0 - f.lifted(x) - y) / y)


def _daylight(kelvin: Expr) -> Expr:
    """XYZ of CIE daylight of a colour temperature, Y = 1 (CIE 15, equations 3.3 and 3.4)."""
    k = 1000.0 / kelvin
    low = ((-4.6070 * k + 2.9678) * k + 0.09911) * k + 0.244063
    high = ((-2.0064 * k + 1.9018) * k + 0.24748) * k + 0.237040
    x = f.select(kelvin <= 7000.0, low, high)
    y = (-3.0 * x + 2.870) * x - 0.275
    return _white_xyz(x, y)


def _adapted(colour: Expr, kelvin: Expr) -> Expr:
    cones = matrix(_BRADFORD, matrix(_RGB_TO_XYZ, colour))
    gains = matrix(_BRADFORD, _daylight(kelvin)) / matrix(_BRADFORD, _white_xyz(*_D65_XY))
    return matrix(_XYZ_TO_RGB, matrix(_BRADFORD_BACK, cones * gains))


daylight_adapted = traced("daylight_adapted", _adapted, Type.VEC3, Type.FLOAT)
"""A colour seen under D65 as it looks under daylight of another colour temperature, 4,000 to 25,000 K."""


def _lum(c: Expr) -> Expr:
    return f.dot(c, const(0.3, 0.59, 0.11))


def _clip(c: Expr) -> Expr:
    luminosity = _lum(c)
    low, high = f.min_(f.min_(c.x, c.y), c.z), f.max_(f.max_(c.x, c.y), c.z)
    raised = luminosity + (c - luminosity) * (luminosity / f.max_(luminosity - low, 1e-20))
    c = f.select(low < 0.0, raised, c)
    lowered = luminosity + (c - luminosity) * ((1.0 - luminosity) / f.max_(high - luminosity, 1e-20))
    return f.select(high > 1.0, lowered, c)


def _set_lum(c: Expr, luminosity: Expr) -> Expr:
    return _clip(c + (luminosity - _lum(c)))


def _sat(c: Expr) -> Expr:
    return f.max_(f.max_(c.x, c.y), c.z) - f.min_(f.min_(c.x, c.y), c.z)


def _set_sat(c: Expr, saturation: Expr) -> Expr:
    """The specification's three cases come to one line: the lowest becomes 0, the highest the saturation."""
    low, spread = f.min_(f.min_(c.x, c.y), c.z), _sat(c)
    return f.select(spread > 0.0, (c - low) * (saturation / spread), const(0.0, 0.0, 0.0))


def _dodge(b: Expr, s: Expr) -> Expr:
    return f.select(b <= 0.0, 0.0, f.select(s >= 1.0, 1.0, f.min_(1.0, b / (1.0 - s))))


def _burn(b: Expr, s: Expr) -> Expr:
    return f.select(b >= 1.0, 1.0, f.select(s <= 0.0, 0.0, 1.0 - f.min_(1.0, (1.0 - b) / s)))


def _hard(b: Expr, s: Expr) -> Expr:
    twice = 2.0 * s - 1.0
    return f.select(s <= 0.5, b * (2.0 * s), b + twice - b * twice)


def _soft(b: Expr, s: Expr) -> Expr:
    bent = f.select(b <= 0.25, ((16.0 * b - 12.0) * b + 4.0) * b, f.sqrt(f.max_(b, 0.0)))
    return f.select(s <= 0.5, b - (1.0 - 2.0 * s) * b * (1.0 - b), b + (2.0 * s - 1.0) * (bent - b))


_SEPARABLE: dict[str, Callable[[Expr, Expr], Expr]] = {
    "normal": lambda b, s: s,
    "multiply": lambda b, s: b * s,
    "screen": lambda b, s: b + s - b * s,
    "overlay": lambda b, s: _hard(s, b),
    "darken": f.min_,
    "lighten": f.max_,
    "color-dodge": _dodge,
    "color-burn": _burn,
    "hard-light": _hard,
    "soft-light": _soft,
    "difference": lambda b, s: f.abs_(b - s),
    "exclusion": lambda b, s: b + s - 2.0 * b * s,
}
_WHOLE: dict[str, Callable[[Expr, Expr], Expr]] = {
    "hue": lambda b, s: _set_lum(_set_sat(s, _sat(b)), _lum(b)),
    "saturation": lambda b, s: _set_lum(_set_sat(b, _sat(s)), _lum(b)),
    "color": lambda b, s: _set_lum(s, _lum(b)),
    "luminosity": lambda b, s: _set_lum(b, _lum(s)),
}
BLEND_MODES = (*_SEPARABLE, *_WHOLE)
"""The keywords of W3C Compositing and Blending Level 1, sections 10.1 and 10.2."""


def blended(mode: str, backdrop: Expr, source: Expr) -> Expr:
    """B(backdrop, source): what a blend mode makes of two opaque colours."""
    if mode in _SEPARABLE:
        return f.each(_SEPARABLE[mode], backdrop, source)
    return _WHOLE[mode](backdrop, source)


def composited(mode: str, backdrop: Expr, source: Expr) -> Expr:
    """Source over backdrop with a blend mode, vec4 with straight alpha (sections 5.1 and 10 of the specification)."""
    return _compositing(mode)(backdrop, source)


@functools.cache
def _compositing(mode: str) -> Function:
    name = f"blend_{mode.replace('-', '_')}"
    return traced(name, functools.partial(_over, mode), Type.VEC4, Type.VEC4, keeps=_UNIT)


def _over(mode: str, backdrop: Expr, source: Expr) -> Expr:
    b, s = swizzle(backdrop, "xyz"), swizzle(source, "xyz")
    under, over = backdrop.w, source.w
    mixed = s * (1.0 - under) + blended(mode, b, s) * under
    alpha = over + under * (1.0 - over)
    premultiplied = mixed * over + b * (under * (1.0 - over))
    return join(f.select(alpha > 0.0, premultiplied / f.max_(alpha, 1e-20), const(0.0, 0.0, 0.0)), alpha)
