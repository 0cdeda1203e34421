"""A grotto at night that paper lanterns and glow moss light: stones that take baked light, a pool, a vine, a moth.

Nothing here is lit before its light is baked, but by a sky that is nearly black.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from soft_lantern.demo.meshes import rough
from soft_lantern.demo.turning import tube, turned
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Environment, Instance, LightBake, LightRole, Scene, StageObject, Sun, View
from soft_lantern.scene.colour_layers import white
from soft_lantern.scene.filling import between, filled, mixed
from soft_lantern.scene.mesh import ColourLayer, Mesh, Part, mesh_from
from soft_lantern.scene.primitives import grid_triangles, joined, lathe, sphere
from soft_lantern.values.colour import colour_from_hex

TAKES = {"": LightRole(takes=True)}
ARCH = 1.9
"""How high the vine reaches over the path, in metres."""


def grotto_rock() -> list[Part]:
    """A floor 7 m wide and, round the back of it, a wall that bends over to a ceiling 3.4 m up."""
    x, z = np.meshgrid(np.linspace(-3.5, 3.5, 40), np.linspace(-3.0, 3.4, 38))
    floor = np.dstack([x, 0.07 * rough(x * 1.1, z * 1.3), z])
    u, v = np.meshgrid(np.linspace(0, 1, 40), np.linspace(0, 1, 38))
    ground = mesh_from(floor.reshape(-1, 3), grid_triangles(37, 39)[:, ::-1], uvs=np.dstack([u, v]).reshape(-1, 2))
    turn, rise = np.meshgrid(np.linspace(-0.62, 0.62, 48) * np.pi, np.linspace(-0.04, 0.46, 26) * np.pi)
    lumps = 1 + 0.07 * rough(turn * 3.1, rise * 4.3 + 1.0)
    shell = np.dstack([
        3.4 * np.sin(turn) * np.cos(rise) * lumps,
        3.4 * np.sin(rise) * lumps,
        -3.0 * np.cos(turn) * np.cos(rise) * lumps,
    ])  # fmt: skip
    u, v = np.meshgrid(np.linspace(0, 1, 48), np.linspace(1, 0, 26))
    wall = mesh_from(shell.reshape(-1, 3), grid_triangles(25, 47), uvs=np.dstack([u, v]).reshape(-1, 2))
    above, middle = np.array([0.0, 9.0, 0.0]), np.array([0.0, 1.2, 0.0])
    return [Part("floor", _facing(ground, above)), Part("wall", _facing(wall, middle))]


def grotto_stones() -> list[Part]:
    """Five boulders that lie about the floor."""
    placed = [(-1.9, -1.1, 0.62), (1.7, -1.4, 0.75), (2.4, 0.5, 0.42), (-2.3, 1.0, 0.4), (0.5, -2.0, 0.5)]
    parts = []
    for number, (x, z, size) in enumerate(placed):
        ball = sphere(24)
        points = ball.positions.astype(np.float64)
        lumps = 1 + 0.17 * rough(points[:, 0] * 1.9 + number * 5, points[:, 1] * 1.6 + points[:, 2] * 2.2 + number)
        grown = points * lumps[:, None] * np.array([1.1, 0.8, 0.95]) * size + np.array([x, 0.55 * size, z])
        parts.append(Part(f"boulder {number + 1}", mesh_from(grown, ball.triangles, uvs=ball.uvs)))
    return parts


def grotto_pool() -> list[Part]:
    """A sheet of water 2.6 m across."""
    rings = np.linspace(0, 1.3, 9)
    return [Part("water", lathe(np.stack([rings, np.zeros(9)], axis=1), 40, np.tile([0.0, 1.0], (9, 1))))]


def glow_moss() -> list[Part]:
    """Cushions of moss that lie on the floor along the wall."""
    cushions = []
    for x, z, size in [(-1.2, -2.0, 0.34), (-0.7, -2.25, 0.22), (2.6, -0.6, 0.3), (-2.7, -0.2, 0.26), (1.1, -2.3, 0.2)]:
        angle = np.linspace(0, np.pi / 2, 7)
        dome = lathe(
            np.stack([size * np.sin(angle), 0.1 + 0.4 * size * np.cos(angle)], axis=1), 18,
            np.stack([np.sin(angle), np.cos(angle)], axis=1),
        )  # fmt: skip
        cushions.append(replace(dome, positions=dome.positions + np.array([x, -0.02, z], np.float32)))
    return [Part("moss", joined(cushions))]


def paper_lantern() -> list[Part]:
    """A paper shade 0.5 m across between two rims, hanging from a cord; its origin is the cord's upper end."""
    angle = np.linspace(0.12, np.pi - 0.12, 18)
    radius = 0.26 * np.sin(angle) ** 0.7
    shade = turned([(float(r), float(-0.62 + 0.24 * np.cos(a))) for r, a in zip(radius, angle, strict=True)], 22)
    rim = [(0.0, 0.015), (0.075, 0.015), (0.075, -0.015), (0.0, -0.015)]
    rims = [turned([(r, y + at) for r, y in rim], 14) for at in (-0.38, -0.86)]
    cord = tube(np.array([[0.0, 0.0, 0.0], [0.0, -0.2, 0.0], [0.0, -0.37, 0.0]]), 0.008, 6)
    return [Part("paper shade", shade), Part("rims", joined(rims)), Part("cord", cord)]


def vine_arch() -> list[Part]:
    """A vine bent over the path, and the leaves along it."""
    along = np.linspace(0, 1, 40)
    bend = np.stack([1.5 * np.cos(np.pi * along), ARCH * np.sin(np.pi * along), 0.12 * np.sin(9 * along)], axis=1)
    stem = tube(bend, 0.05 - 0.025 * np.sin(np.pi * along), 10)
    chance = np.random.default_rng(7)
    leaves = [_leaf(bend[at], chance) for at in chance.integers(2, 38, 150)]
    return [Part("stem", stem), Part("leaves", joined(leaves))]


def velvet_moth() -> list[Part]:
    """A moth 0.4 m across with its wings raised."""
    wings = []
    for side in (-1.0, 1.0):
        points = np.array([[0, 0, 0.09], [0.2, 0.1, 0.13], [0.22, 0.12, -0.04], [0.1, 0.05, -0.14], [0, 0, -0.07]])
        made = mesh_from(points * np.array([side, 1, 1]), [[0, 1, 2], [0, 2, 4], [4, 2, 3]])
        wings.append(_facing(made, np.array([0.0, 5.0, 0.0])))
    ball = sphere(10)
    body = replace(ball, positions=(ball.positions * np.array([0.025, 0.025, 0.09], np.float32)))
    return [Part("wings", joined(wings)), Part("body", _facing(mesh_from(body.positions, body.triangles), None))]


MESHES = {
    "grotto_rock": grotto_rock,
    "grotto_stones": grotto_stones,
    "grotto_pool": grotto_pool,
    "glow_moss": glow_moss,
    "paper_lantern": paper_lantern,
    "vine_arch": vine_arch,
    "velvet_moth": velvet_moth,
}


def faded(mesh: Mesh, layers: tuple[ColourLayer, ...]) -> list[ColourLayer]:
    """The leaves' layer: solid at the foot, fading to see-through at the top of the arch."""
    layer = layers[0] if layers else white(mesh, "fade")
    share = between(mesh.positions, (0.0, 0.5, 0.0), (0.0, ARCH + 0.1, 0.0))
    return [filled(layer, mesh, mixed(share, (1, 1, 1, 1), (1, 1, 1, 0.05)), "a")]


def materials() -> tuple[Authoring, ...]:
    """Everything that is worn here."""
    return grotto_stone(), lantern_paper(), glowing_moss(), vine_leaf(), vine_bark(), moth_velvet(), dark_pool()


def grotto_stone() -> Authoring:
    """Limestone in bands of noise, darker low down where it is damp."""
    m = Authoring("Grotto stone")
    light = m.expose("Light stone", "#b7aa98", group="Stone", alpha=False)
    dark = m.expose("Dark stone", "#7c6f63", group="Stone", alpha=False)
    damp = m.expose("Damp up to", 0.5, limits=(0, 3), unit="m", group="Damp")
    noise = m.add("layered_noise_3d", name="Mottling", at=m.add("position", space="world"), scale=1.7)
    spread = m.add("remap", value=noise, low=-0.6, high=0.6)
    body = m.add("mix", name="Mottled stone", a=dark, b=light, factor=m.add("saturate", value=spread))
    height = m.add("position", space="world").into("separate").y
    dry = m.add("smoothstep", name="Dry", value=height - damp, low=-0.5, high=0.4)
    shade = m.add("remap", value=dry, low=0.0, high=1.0, new_low=0.6, new_high=1.0)
    rough_ = m.add("remap", value=dry, low=0.0, high=1.0, new_low=0.5, new_high=0.95)
    m.add("surface", base_colour=m.add("multiply_tint", colour=body, tint=shade), roughness=rough_)
    return m


def lantern_paper() -> Authoring:
    """Paper with a light behind it: what it gives is its glow by its strength, darker at the ribs."""
    m = Authoring("Lantern paper")
    glow = m.expose("Glow", "#ffb45a", group="Glow", alpha=False, tooltip="The colour of the light in it")
    strength = m.expose("Strength", 20.0, limits=(0, 60), group="Glow", tooltip="How bright the light in it is")
    paper = m.expose("Paper", "#e8dcc0", group="Paper", alpha=False)
    height = m.add("position", space="object").into("separate").y
    ribs = m.add("sine", angle=m.add("multiply", a=height, b=90.0))
    shade = m.add("remap", name="Ribs", value=ribs, low=-1.0, high=1.0, new_low=0.75, new_high=1.0)
    shine = m.add("multiply_tint", colour=glow, tint=shade)
    m.add("surface", base_colour=paper, roughness=0.9, emissive=shine, emissive_strength=strength)
    return m


def glowing_moss() -> Authoring:
    """Moss that glows in spots."""
    m = Authoring("Glow moss")
    glow = m.expose("Glow", "#4fe0b0", group="Glow", alpha=False)
    strength = m.expose("Strength", 4.0, limits=(0, 20), group="Glow")
    skin = m.expose("Moss", "#24402f", group="Moss", alpha=False)
    noise = m.add("perlin_noise_3d", name="Spots", at=m.add("position", space="object"), scale=9.0)
    spots = m.add("smoothstep", value=noise, low=-0.25, high=0.4)
    shine = m.add("multiply_tint", colour=glow, tint=spots)
    m.add("surface", base_colour=skin, roughness=0.95, emissive=shine, emissive_strength=strength)
    return m


def vine_leaf() -> Authoring:
    """A leaf as see-through as its mesh is painted."""
    m = Authoring("Vine leaf")
    leaf = m.expose("Leaf", "#5f8a4a", group="Leaf", alpha=False)
    painted = m.add("vertex_colour", without=(1.0, 1.0, 1.0, 1.0))
    traits = {"alpha_mode": "blend", "double_sided": "yes"}
    fade = m.add("separate_colour", name="Painted alpha", colour=painted).a
    m.add("surface", base_colour=leaf, alpha=m.add("saturate", value=fade), roughness=0.7, **traits)
    return m


def vine_bark() -> Authoring:
    """Bark, pale where red is painted on the mesh."""
    m = Authoring("Vine bark")
    bark = m.expose("Bark", "#4b3a2c", group="Bark", alpha=False)
    worn = m.expose("Worn", "#b89b74", group="Bark", alpha=False)
    painted = m.add("vertex_colour", without=(0.0, 0.0, 0.0, 1.0))
    mask = m.add("channel_mask", name="Worn away", colour=painted)
    noise = m.add("perlin_noise_3d", name="Knots", at=m.add("position", space="object"), scale=7.0)
    wear = m.add("smoothstep", name="Wear", value=noise, low=0.0, high=0.35)
    rough_ = m.add("remap", value=wear, low=0.0, high=1.0, new_low=0.95, new_high=0.75)
    m.add("surface", base_colour=m.add("mix", name="Worn bark", a=bark, b=worn, factor=mask), roughness=rough_)
    return m


def moth_velvet() -> Authoring:
    """Pale velvet that shows whatever light is round it."""
    m = Authoring("Moth velvet")
    velvet = m.expose("Velvet", "#d9cfc0", group="Velvet", alpha=False)
    m.add("surface", base_colour=velvet, roughness=0.8, double_sided="yes")
    return m


def dark_pool() -> Authoring:
    """Water that is nearly black where it is deep, and mirrors."""
    m = Authoring("Dark pool")
    shallow = m.expose("Shallow", "#20343830", group="Water")
    deep = m.expose("Deep", "#071013f2", group="Water")
    depth = m.add("depth_mask", strength=2.5)
    m.add("surface", base_colour=m.add("mix", a=shallow, b=deep, factor=depth), roughness=0.06, alpha_mode="blend")
    return m


WEAR = "wear.out"
"""The wire of the bark that says where it is worn."""


def instances() -> list[Instance]:
    """The lanterns' two colours."""
    return [
        Instance(id="honey_lantern", name="Honey lantern", parent="lantern_paper"),
        Instance(
            id="rose_lantern",
            name="Rose lantern",
            parent="lantern_paper",
            values={"glow": colour_from_hex("#ff7d94"), "strength": 13.0},
        ),
    ]


def grotto_scene() -> Scene:
    """Stones that stand still and take light, what gives it, a pool that it passes, and a moth that moves."""

    def lantern(number: int, wears: str, *position: float) -> StageObject:
        x, y, z = position
        worn = {"": "grotto_stone", "paper shade": wears}
        name = f"{wears.split('_')[0].capitalize()} lantern {number}"
        return StageObject(id=f"lantern_{number}", name=name, asset="paper_lantern", position=(x, y, z), wears=worn)

    return Scene(
        id="night_grotto",
        name="Night grotto",
        objects=(
            StageObject(id="rock", name="Grotto rock", asset="grotto_rock", wears={"": "grotto_stone"}, light=TAKES),
            StageObject(
                id="stones", name="Stones", asset="grotto_stones", wears={"": "grotto_stone"}, light=TAKES, texels=14.0
            ),
            StageObject(id="moss", name="Glow moss", asset="glow_moss", wears={"": "glow_moss"}),
            lantern(1, "honey_lantern", -1.1, 2.35, -0.5),
            lantern(2, "rose_lantern", 1.35, 2.1, -0.2),
            StageObject(
                id="arch",
                name="Vine arch",
                asset="vine_arch",
                position=(0.0, 0.0, 0.3),
                wears={"": "vine_bark", "leaves": "vine_leaf"},
            ),
            StageObject(
                id="pool", name="Pool", asset="grotto_pool", position=(0.3, 0.02, 0.2), wears={"": "dark_pool"}
            ),
            StageObject(
                id="moth",
                name="Velvet moth",
                asset="velvet_moth",
                position=(-0.3, 1.25, 0.2),
                rotation=(15.0, 35.0, 0.0),
                wears={"": "moth_velvet"},
                moves=True,
            ),
        ),
        view=View(target=(0.0, 1.05, -0.3), yaw=12.0, pitch=10.0, distance=6.6),
        environment=Environment(sky="night with lamps", exposure=-5.0, sun=Sun(strength=0.0)),
        baked=LightBake(texels=8.0),
    )


def _leaf(at: np.ndarray, chance: np.random.Generator) -> Mesh:
    """A folded leaf of four triangles at a place, turned by chance."""
    long, wide = 0.2 + 0.12 * chance.random(), 0.09
    side = -0.4 * long
    flat = np.array([[0, 0, 0], [-wide, side, 0.02], [0, -0.45 * long, 0], [wide, side, 0.02], [0, -long, 0]])
    turn, tilt = chance.random() * 2 * np.pi, chance.normal(0, 0.5)
    about_y = np.array([[np.cos(turn), 0, np.sin(turn)], [0, 1, 0], [-np.sin(turn), 0, np.cos(turn)]])
    about_x = np.array([[1, 0, 0], [0, np.cos(tilt), -np.sin(tilt)], [0, np.sin(tilt), np.cos(tilt)]])
    points = flat @ (about_y @ about_x).T + at
    uvs = np.array([[0.5, 0], [0, 0.4], [0.5, 0.45], [1, 0.4], [0.5, 1]])
    return mesh_from(points, [[0, 1, 2], [0, 2, 3], [1, 4, 2], [2, 4, 3]], uvs=uvs)


def _facing(mesh: Mesh, toward: np.ndarray | None) -> Mesh:
    """The mesh turned so that on the whole it faces a point, or outward where none is said."""
    a, b, c = (mesh.positions[mesh.triangles[:, i]].astype(np.float64) for i in range(3))
    middle = (a + b + c) / 3
    way = middle if toward is None else toward - middle
    if np.einsum("ni,ni->", np.cross(b - a, c - a), way) >= 0:
        return mesh
    return mesh_from(mesh.positions, mesh.triangles[:, ::-1], uvs=mesh.uvs)
