"""Six effects as an expert writes them by hand, beside the same from graphs: what the benchmark draws.

Each hand-written shader gives the colour of a surface point as a function `vec3 effect()` of what a triangle carries.
Noise follows the MaterialX 1.39 standard library, so that both sides draw the same picture.
"""

from __future__ import annotations

from msgspec import Struct

from soft_lantern.graph.authoring import Authoring, Wire


class Effect(Struct, frozen=True):
    """An effect by name: its graph, the output that is its colour, and the same by hand."""

    name: str
    graph: Authoring
    colour: Wire
    by_hand: str


def effects() -> list[Effect]:
    """The six effects."""
    return [_height_ramp(), _rim_glow(), _dust(), _layered_noise(), _tiles(), _hue_turn()]


def _done(name: str, m: Authoring, colour: Wire, by_hand: str) -> Effect:
    m.add("unlit_surface", colour=colour)
    return Effect(name, m, colour, by_hand)


def _of(m: Authoring, colour: tuple[float, ...]) -> Wire:
    return m.add("colour", value=colour)


def _height_ramp() -> Effect:
    m = Authoring("Ramp")
    mask = m.add("height_mask", origin=-0.6, spread=1.3)
    colour = m.add("mix", a=_of(m, (0.1, 0.2, 0.3, 1.0)), b=_of(m, (0.9, 0.7, 0.4, 1.0)), factor=mask)
    return _done(
        "height ramp",
        m,
        colour,
        """
vec3 effect() {
    float t = clamp((position_world.y + 0.6) / 1.3, 0.0, 1.0);
    return mix(vec3(0.1, 0.2, 0.3), vec3(0.9, 0.7, 0.4), t);
}""",
    )


def _rim_glow() -> Effect:
    m = Authoring("Rim")
    colour = m.add("multiply_tint", colour=(1.0, 0.6, 0.2, 1.0), tint=m.add("rim_mask", exponent=3.0))
    return _done(
        "rim glow",
        m,
        colour,
        """
vec3 effect() {
    vec3 n = normalize(carried_normal) * (gl_FrontFacing ? 1.0 : -1.0);
    vec3 v = normalize(camera_position - position_world);
    return vec3(1.0, 0.6, 0.2) * pow(1.0 - clamp(dot(n, v), 0.0, 1.0), 3.0);
}""",
    )


def _dust() -> Effect:
    m = Authoring("Dust")
    mask = m.add("up_mask", start=0.3, spread=0.4)
    colour = m.add("mix", a=_of(m, (0.3, 0.2, 0.15, 1.0)), b=_of(m, (0.8, 0.75, 0.6, 1.0)), factor=mask)
    return _done(
        "dust on top",
        m,
        colour,
        """
vec3 effect() {
    vec3 n = normalize(carried_normal) * (gl_FrontFacing ? 1.0 : -1.0);
    return mix(vec3(0.3, 0.2, 0.15), vec3(0.8, 0.75, 0.6), clamp((n.y - 0.3) / 0.4, 0.0, 1.0));
}""",
    )


_NOISE = """
uint turned(uint x, int k) { return (x << k) | (x >> (32 - k)); }
uint hash2(int x, int y) {
    uint seed = 0xdeadbeefu + (2u << 2) + 13u;
    uint a = seed + uint(x), b = seed + uint(y), c = seed;
    c ^= b; c -= turned(b, 14); a ^= c; a -= turned(c, 11); b ^= a; b -= turned(a, 25);
    c ^= b; c -= turned(b, 16); a ^= c; a -= turned(c, 4); b ^= a; b -= turned(a, 14);
    c ^= b; c -= turned(b, 24);
    return c;
}
float slope(uint h, float x, float y) {
    h &= 7u;
    float u = h < 4u ? x : y, v = 2.0 * (h < 4u ? y : x);
    return ((h & 1u) != 0u ? -u : u) + ((h & 2u) != 0u ? -v : v);
}
float noise(vec2 p) {
    vec2 whole = floor(p), f = p - whole;
    int x = int(whole.x), y = int(whole.y);
    vec2 w = f * f * f * (f * (f * 6.0 - 15.0) + 10.0);
    float lower = mix(slope(hash2(x, y), f.x, f.y), slope(hash2(x + 1, y), f.x - 1.0, f.y), w.x);
    float upper = mix(slope(hash2(x, y + 1), f.x, f.y - 1.0), slope(hash2(x + 1, y + 1), f.x - 1.0, f.y - 1.0), w.x);
    return 0.6616 * mix(lower, upper, w.y);
}"""


def _layered_noise() -> Effect:
    m = Authoring("Noise")
    noise = m.add("layered_noise_2d", scale=6.0)
    colour = m.add("mix", a=_of(m, (0.1, 0.1, 0.2, 1.0)), b=_of(m, (0.9, 0.9, 0.8, 1.0)), factor=noise * 0.5 + 0.5)
    return _done(
        "layered noise",
        m,
        colour,
        _NOISE
        + """
vec3 effect() {
    vec2 p = uv * 6.0;
    float n = (noise(p) + 0.5 * noise(p * 2.0) + 0.25 * noise(p * 4.0)) / 1.75;
    return mix(vec3(0.1, 0.1, 0.2), vec3(0.9, 0.9, 0.8), n * 0.5 + 0.5);
}""",
    )


def _tiles() -> Effect:
    m = Authoring("Tiles")
    uv = m.add("tile_coordinates", tiling=(5.0, 3.0), offset=(0.2, 0.1))
    lines = m.add("grid", uv=uv, tiling=(1.0, 1.0), thickness=0.08)
    checks = m.add("checker", uv=uv, tiling=(1.0, 1.0))
    base = m.add("mix", a=_of(m, (0.7, 0.3, 0.2, 1.0)), b=_of(m, (0.3, 0.5, 0.6, 1.0)), factor=checks)
    colour = m.add("mix", a=base, b=_of(m, (0.95, 0.95, 0.9, 1.0)), factor=lines)
    return _done(
        "tiles",
        m,
        colour,
        """
vec3 effect() {
    vec2 p = uv * vec2(5.0, 3.0) + vec2(0.2, 0.1);
    vec2 cell = floor(p), edge = abs((p - cell) * 2.0 - 1.0);
    float check = mod(cell.x + cell.y, 2.0);
    float line = max(edge.x, edge.y) >= 0.92 ? 1.0 : 0.0;
    return mix(mix(vec3(0.7, 0.3, 0.2), vec3(0.3, 0.5, 0.6), check), vec3(0.95, 0.95, 0.9), line);
}""",
    )


def _hue_turn() -> Effect:
    m = Authoring("Hue")
    uv = m.add("texture_coordinates").into("separate_2")
    plain = m.add("combine_colour", r=uv.x, g=uv.y, b=0.4)
    colour = m.add("hsv_adjust", colour=plain, hue=0.3, saturation=0.8, value=1.1)
    return _done(
        "hue turn",
        m,
        colour,
        """
vec3 to_hsv(vec3 c) {
    float low = min(c.r, min(c.g, c.b)), high = max(c.r, max(c.g, c.b)), chroma = high - low;
    float s = high > 0.0 ? chroma / high : 0.0, h = 0.0;
    if (s > 0.0) {
        h = c.r >= high ? (c.g - c.b) / chroma : c.g >= high ? 2.0 + (c.b - c.r) / chroma : 4.0 + (c.r - c.g) / chroma;
        h /= 6.0;
        if (h < 0.0) h += 1.0;
    }
    return vec3(h, s, high);
}
vec3 to_rgb(vec3 c) {
    vec3 k = abs(fract(c.x + vec3(0.0, 2.0 / 3.0, 1.0 / 3.0)) * 6.0 - 3.0) - 1.0;
    return c.z * mix(vec3(1.0), clamp(k, 0.0, 1.0), c.y);
}
vec3 effect() {
    vec3 hsv = to_hsv(vec3(uv, 0.4));
    return to_rgb(vec3(hsv.x + 0.3, hsv.y * 0.8, hsv.z * 1.1));
}""",
    )
