"""The demo's nectar, whose vertices are moved, as an expert writes it by hand: both shaders, beside those delivered.

The same values under the same names, so that either pair of shaders draws with the same inputs.
"""

from __future__ import annotations

import functools

import moderngl
import numpy as np
import numpy.typing as npt

from soft_lantern.demo.project import demo_project
from soft_lantern.formats.shaders.block import filled
from soft_lantern.formats.shaders.glsl_files import FLAVOURS, frame_block
from soft_lantern.formats.shaders.outputs import OUTPUTS
from soft_lantern.formats.shaders.surface import SurfaceProgram, program_of
from soft_lantern.ir.surface_inputs import ATTRIBUTES
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_resources import write_uniform

SIZE = (640, 480)
ACROSS = 300
"""Vertices along a side of the sheet of nectar."""
VALUES: dict[str, tuple[float, ...]] = {
    "object_x": (1, 0, 0),
    "object_y": (0, 1, 0),
    "object_z": (0, 0, 1),
    "object_position": (0, 0.2, 0),
    "camera_position": (0, 4, 0),
    "camera_right": (1, 0, 0),
    "camera_up": (0, 0, -1),
    "swell": (0.03,),
    "shallow": (1, 0.8, 0.4, 0.2),
    "deep": (0.5, 0.2, 0.1, 0.9),
    "depth_strength": (1.1,),
    "roughness": (0.07,),
    "ripple_strength": (0.22,),
    "ripple_speed": (1,),
    "view_projection": (0.35, 0, 0, 0, 0, 0, 0.1, 0, 0, -0.35, 0, 0, 0, 0, 0, 1),
}
TEXTURES = ("depth_picture", "image_texture", "image_2_texture")

FRAGMENT = """#version 330 core
in vec3 position_world;
in vec3 position_object;
in vec3 carried_normal;
in vec4 carried_tangent;
in vec2 uv;
uniform vec3 camera_position;
uniform vec3 camera_right;
uniform vec3 camera_up;
uniform float time;
uniform sampler2D depth_picture;
uniform sampler2D image_texture;
uniform sampler2D image_2_texture;
uniform vec4 shallow;
uniform vec4 deep;
uniform float depth_strength;
uniform float roughness;
uniform float ripple_strength;
uniform float ripple_speed;
layout(location = 0) out vec4 surface_light;
layout(location = 1) out vec4 surface_values;
layout(location = 2) out vec4 surface_emission;
layout(location = 3) out vec4 surface_normal;
layout(location = 4) out vec4 surface_specular;

vec3 ripple(sampler2D map, vec2 at, float strength) {
    vec3 slope = texture(map, at).xyz * 2.0 - 1.0;
    return normalize(vec3(slope.xy * strength, slope.z));
}

void main() {
    float surface_depth = dot(position_world - camera_position, cross(camera_up, camera_right));
    float scene_depth = texelFetch(depth_picture, ivec2(gl_FragCoord.xy), 0).x;
    vec4 colour = mix(shallow, deep, clamp((scene_depth - surface_depth) * depth_strength, 0.0, 1.0));
    float clock = time * ripple_speed;
    float strength = ripple_strength * (1.0 - smoothstep(2.3, 2.78, length(position_object.xz)));
    vec3 broad = ripple(image_texture, uv * 2.0 + vec2(0.014, 0.021) * clock, strength);
    vec3 fine = ripple(image_2_texture, uv * 5.0 + vec2(-0.03, 0.012) * clock, strength);
    vec3 t = broad + vec3(0.0, 0.0, 1.0), u = fine * vec3(-1.0, -1.0, 1.0); // reoriented: Barré-Brisebois and Hill
    vec3 bent = normalize(t * dot(t, u) / max(t.z, 0.0001) - u);
    vec3 normal = normalize(carried_normal);
    vec3 tangent = normalize(carried_tangent.xyz - normal * dot(normal, carried_tangent.xyz));
    vec3 bitangent = cross(normal, tangent) * carried_tangent.w;
    vec3 facing = normal * (gl_FrontFacing ? 1.0 : -1.0);
    surface_light = colour;
    surface_values = vec4(0.0, roughness, 1.0, 1.0);
    surface_emission = vec4(0.0, 0.0, 0.0, 1.0);
    surface_normal = vec4(normalize(tangent * bent.x + bitangent * bent.y + facing * bent.z), 1.0);
    surface_specular = vec4(1.0);
}
"""
VERTEX = """#version 330 core
in vec3 mesh_position;
in vec3 mesh_normal;
in vec4 mesh_tangent;
in vec2 mesh_uv;
uniform vec3 object_position;
uniform vec3 object_x;
uniform vec3 object_y;
uniform vec3 object_z;
uniform float time;
uniform float swell;
uniform mat4 view_projection;
out vec3 position_world;
out vec3 position_object;
out vec3 carried_normal;
out vec4 carried_tangent;
out vec2 uv;
void main() {
    mat3 to_world = mat3(object_x, object_y, object_z);
    float away = length(mesh_position.xz), t = clamp((away - 2.3) / 0.48, 0.0, 1.0);
    float kept = 1.0 - t * t * (3.0 - 2.0 * t);
    float angle = (time / 5.0 + 0.16 * mesh_position.x) * 6.2831853;
    float wave = sin(angle) * swell;
    vec3 moved = mesh_position + vec3(0.0, wave * kept, 0.0);
    vec2 slope = mesh_position.xz * (t * (t - 1.0) * (6.0 / 0.48) * wave / max(away, 1e-6));
    slope.x += cos(angle) * swell * kept * (6.2831853 * 0.16);
    vec3 along = mesh_tangent.xyz, across = cross(mesh_normal, mesh_tangent.xyz);
    along.y += dot(slope, along.xz);
    across.y += dot(slope, across.xz);
    along = to_world * along;
    float side = dot(object_x, cross(object_y, object_z)) < 0.0 ? -1.0 : 1.0;
    position_world = to_world * moved + object_position;
    position_object = moved;
    carried_normal = normalize(cross(along, to_world * across)) * side;
    carried_tangent = vec4(normalize(along), mesh_tangent.w * side);
    uv = mesh_uv;
    gl_Position = view_projection * vec4(position_world, 1.0);
}
"""


@functools.cache
def _program() -> SurfaceProgram:
    return program_of(demo_project().materials["plain_nectar"])


def delivered() -> tuple[str, str]:
    """The vertex and the fragment shader of the nectar as they are delivered."""
    made = FLAVOURS["glsl"].files(_program())
    vertex, fragment = (next(text for name, text in made.items() if word in name) for word in (".vert.", ".frag."))
    return vertex, fragment


class Basin:
    """A sheet of nectar seen from above, which shaders draw into all that a surface gives."""

    def __init__(self, gl: GlRenderer) -> None:
        self.context, self.resources = gl.context, gl.resources
        side = np.linspace(-2.8, 2.8, ACROSS, dtype=np.float32)
        x, z = (each.ravel() for each in np.meshgrid(side, side))
        still, one = np.zeros_like(x), np.ones_like(x)
        mesh = {
            "mesh_position": (x, still, z),
            "mesh_normal": (still, one, still),
            "mesh_tangent": (one, still, still, one),
            "mesh_uv": (x / 5.6, z / 5.6),
        }
        self._mesh = {
            name: self.context.buffer(np.stack(rows, axis=1).astype("f4").tobytes()) for name, rows in mesh.items()
        }
        first = (np.arange(ACROSS - 1)[:, None] * ACROSS + np.arange(ACROSS - 1)).ravel()
        corners = [first + step for step in (0, ACROSS, 1, 1, ACROSS, ACROSS + 1)]
        self._triangles = self.context.buffer(np.stack(corners, axis=1).astype("u4").tobytes())
        chance = np.random.default_rng(5)
        self._pictures = []
        for name in TEXTURES:
            texels = chance.uniform(0.3, 1.0, (*SIZE[::-1], 4)).astype("f4")
            texels[..., 0] += 4.0 if name == "depth_picture" else 0.0
            self._pictures.append(self.context.texture(SIZE, 4, texels.tobytes(), dtype="f4"))
        self._buffers: dict[str, moderngl.Buffer] = {}
        self._drawn = [self.context.texture(SIZE, 4, dtype="f4") for _ in OUTPUTS]
        self._target = self.context.framebuffer(self._drawn, self.context.depth_renderbuffer(SIZE))

    def program(self, vertex: str, fragment: str) -> moderngl.VertexArray:
        """The sheet as two shaders draw it."""
        program = self.resources.program(vertex, fragment)
        for number, (name, data) in enumerate(self._blocks(0.0).items()):
            if name in program:
                program[name] = number
                self._buffers[name] = self.context.buffer(data)
        for name, parts in VALUES.items():
            write_uniform(program, name, tuple(map(float, parts)))
        for unit, name in enumerate(TEXTURES):
            program[name] = unit
        held = [
            (buffer, f"{ATTRIBUTES[name].width}f", called)
            for name, buffer in self._mesh.items()
            for called in (name, f"in_{name}")
            if called in program
        ]
        return self.context.vertex_array(program, held, self._triangles)

    def draw(self, sheet: moderngl.VertexArray, time: float) -> None:
        """Draw it at a moment, and wait for it."""
        write_uniform(sheet.program, "time", (time,))
        for number, (name, data) in enumerate(self._blocks(time).items()):
            if name in sheet.program:
                self._buffers[name].write(data)
                self._buffers[name].bind_to_uniform_block(number)
        for unit, picture in enumerate(self._pictures):
            picture.use(unit)
        self._target.use()
        self._target.clear()
        self.context.enable_only(moderngl.DEPTH_TEST)
        sheet.render(moderngl.TRIANGLES)
        self.context.finish()

    def _blocks(self, time: float) -> dict[str, bytes]:
        """What the blocks of delivered shaders hold at a moment, by name."""
        program, values = _program(), {**VALUES, "time": (time,)}
        slots = {f"{program.type_name}Parameters": program.block, "Frame": frame_block(program)}
        view = np.array(values["view_projection"], "f4").tobytes()
        return {name: filled(each, values) for name, each in slots.items()} | {"View": view}

    def seen(self) -> npt.NDArray[np.float32]:
        """All that was drawn last."""
        return np.stack([np.frombuffer(each.read(), np.float32) for each in self._drawn])
