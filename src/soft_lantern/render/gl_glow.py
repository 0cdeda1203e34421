"""Glow: what is brighter than white spreads around itself, as it does in lenses and eyes. OpenGL alone draws it."""

from __future__ import annotations

import moderngl

from soft_lantern.render.gl_resources import GlResources, fill_picture, write_uniform
from soft_lantern.render.gl_text import WHOLE_PICTURE_VERTEX
from soft_lantern.turns import give_way

LEVELS = 5
"""How often the picture is halved: the widest glow reaches about 2 to that many pixels."""

_HEAD = """#version 330 core
uniform sampler2D source;
out vec4 pixel;
void main() {
"""
_BOTH = """#version 330 core
uniform sampler2D source;
uniform sampler2D finer;
uniform vec2 size;
uniform vec2 shares;
out vec4 pixel;
void main() {
"""
BRIGHT = (
    _HEAD
    + """    vec2 texel = 1.0 / vec2(textureSize(source, 0)), at = gl_FragCoord.xy * 2.0 * texel;
    vec3 sum = vec3(0.0);
    for (int i = 0; i < 4; i++) {
        vec3 colour = texture(source, at + texel * vec2(i % 2 * 2 - 1, i / 2 * 2 - 1)).rgb;
        sum += min(max(colour - 1.0, 0.0), 40.0);
    }
    pixel = vec4(sum * 0.25, 1.0);
}
"""
)
HALF = (
    _HEAD
    + """    vec2 texel = 1.0 / vec2(textureSize(source, 0)), at = gl_FragCoord.xy * 2.0 * texel;
    vec3 sum = vec3(0.0);
    for (int i = 0; i < 4; i++)
        sum += texture(source, at + texel * vec2(i % 2 * 2 - 1, i / 2 * 2 - 1)).rgb;
    pixel = vec4(sum * 0.25, 1.0);
}
"""
)
WIDEN = (
    _BOTH
    + """    vec2 at = gl_FragCoord.xy / size, texel = 1.0 / vec2(textureSize(source, 0));
    vec3 sum = vec3(0.0);
    for (int i = 0; i < 4; i++)  // as wide as a tent of nine texels: 0.7071 squared is its variance
        sum += texture(source, at + texel * 0.7071 * vec2(i % 2 * 2 - 1, i / 2 * 2 - 1)).rgb;
    vec4 under = texelFetch(finer, ivec2(gl_FragCoord.xy), 0);
    pixel = vec4(under.rgb * shares.x + sum * (shares.y * 0.25), under.a);
}
"""
)
OVER = (
    _BOTH
    + """    vec4 under = texelFetch(finer, ivec2(gl_FragCoord.xy), 0);
    pixel = vec4(under.rgb * shares.x + texture(source, gl_FragCoord.xy / size).rgb * shares.y, under.a);
}
"""
)
"""The whole picture takes what is widened as it is: a tent of its own would take longer than all before it."""


def with_glow(kept: GlResources, picture: moderngl.Texture, amount: float) -> moderngl.Texture:
    """The linear picture with `amount` of what is over 1 spread over halved and halved again copies of it."""
    sizes = [picture.size]
    while len(sizes) <= LEVELS and min(sizes[-1]) >= 8:
        sizes.append(((sizes[-1][0] + 1) // 2, (sizes[-1][1] + 1) // 2))
    finer = picture
    levels = []
    for number, size in enumerate(sizes[1:]):
        finer = _drawn(kept, f"glow {number}", size, HALF if number else BRIGHT, finer)
        levels.append(finer)
    if not levels:
        return picture
    widened = levels[-1]
    for number in reversed(range(len(levels) - 1)):
        widened = _drawn(kept, f"glow up {number}", levels[number].size, WIDEN, widened, levels[number], (0.5, 0.8))
    return _drawn(kept, "glow over", picture.size, OVER, widened, picture, (1.0, amount))


def _drawn(
    kept: GlResources,
    use: str,
    size: tuple[int, int],
    text: str,
    source: moderngl.Texture,
    finer: moderngl.Texture | None = None,
    shares: tuple[float, float] = (1.0, 1.0),
) -> moderngl.Texture:
    give_way()
    target = kept.target(use, size)
    target.linear.filter = (moderngl.LINEAR, moderngl.LINEAR)
    program = kept.program(WHOLE_PICTURE_VERTEX, text)
    source.filter = (moderngl.LINEAR, moderngl.LINEAR)
    for unit, (name, texture) in enumerate((("source", source), ("finer", finer))):
        if texture is not None and name in program:
            texture.use(unit)
            program[name] = unit
    write_uniform(program, "size", tuple(map(float, size)))
    write_uniform(program, "shares", shares)
    target.drawing.use()
    fill_picture(kept.context, program)
    return target.linear
