"""Writes the demo project into a folder."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import platformdirs

from soft_lantern.demo import basin, grotto, kettle, moths
from soft_lantern.demo.meshes import (
    basin_stones,
    fog_gate,
    garden_urn,
    glass_bell,
    lantern_post,
    nectar_basin,
    paper_banner,
    stepped_basin,
    terrace_cliff,
)
from soft_lantern.formats.assets import repainted
from soft_lantern.formats.glb import write_glb
from soft_lantern.formats.images import write_png
from soft_lantern.formats.project_folder import IMAGE_FOLDER, MESH_FOLDER
from soft_lantern.formats.records import HEAD
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Instance, Project, Scene, StageObject, View, changed, with_records
from soft_lantern.graph.edits import connect
from soft_lantern.graph.instances.values import look, put_instance
from soft_lantern.render.frame import placed_inputs
from soft_lantern.render.vertex_fill import wire_at_vertices
from soft_lantern.scene.colour_layers import white
from soft_lantern.scene.filling import filled
from soft_lantern.scene.mesh import ColourLayer, Mesh
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.colour import colour_from_hex

NAME = "Mothlight Terraces"
MESHES = {
    "terrace_cliff": terrace_cliff,
    "lantern_post": lantern_post,
    "nectar_basin": nectar_basin,
    "garden_urn": garden_urn,
    "paper_banner": paper_banner,
    "stepped_basin": stepped_basin,
    "basin_stones": basin_stones,
    "glass_bell": glass_bell,
    "fog_gate": fog_gate,
    "tea_kettle": kettle.tea_kettle,
    "glow_mushroom": kettle.glow_mushroom,
    **grotto.MESHES,
}
"""The meshes by the name of their asset and file."""


def write_demo(folder: Path) -> Project:
    """Make the demo project in a folder: its meshes and textures, its materials and instances, its scenes."""
    for name, make in MESHES.items():
        write_glb(folder / MESH_FOLDER / name / f"{name}.glb", make())
    for name, texels in basin.TEXTURES.items():
        write_png(texels(), folder / IMAGE_FOLDER / f"{name}.png")
    for name, indices in moths.sprites().items():
        write_png(indices, folder / IMAGE_FOLDER / f"{name}.png")
    project = with_painted_vine(demo_project(), folder)
    save_project(project, folder)
    return project


def own_demo(*, fresh: bool = False) -> Path:
    """The folder of a person's own copy of the demo, made if it is not there. `fresh`: made anew, without changes."""
    folder = platformdirs.user_data_path("soft-lantern") / NAME
    if fresh and folder.exists():
        shutil.rmtree(folder)
    if not (folder / HEAD).exists():
        write_demo(folder)
    return folder


def demo_project() -> Project:
    """The demo's document."""
    project = Project(name=NAME)
    textures = basin.texture_records(IMAGE_FOLDER) | moths.sprite_records(IMAGE_FOLDER)
    gradients = {each.id: each for each in (basin.DEPTHS, moths.EMBERS)}
    palettes = {each.id: each for each in moths.palettes()}
    project = changed(project, textures=textures, gradients=gradients, palettes=palettes)
    own = (height_ramp(), moth_trail(), nectar(), weathered_urn(), fluttering_paper())
    for written in (*own, *basin.materials(), *kettle.materials(), *grotto.materials(), moths.moth_sprite()):
        project = written.into_project(project)
    for instance in (
        Instance(
            id="pool_depths",
            name="Pool depths",
            parent="height_ramp",
            values={"low_colour": colour_from_hex("#12343f"), "high_colour": colour_from_hex("#7fa08a")},
        ),
        Instance(
            id="amber_hour",
            name="Amber hour",
            parent="height_ramp",
            values={"high_colour": colour_from_hex("#f0b25a"), "spread": 5.0},
        ),
        Instance(
            id="last_light",
            name="Last light",
            parent="amber_hour",
            values={"low_colour": colour_from_hex("#2b2233"), "origin": 0.0, "spread": 3.5, "roughness": 0.35},
        ),
        *basin.instances(),
        *kettle.instances(),
        *moths.instances(),
        *grotto.instances(),
    ):
        project = put_instance(project, instance)
    assets = {
        key: Asset(id=key, name=key.replace("_", " ").capitalize(), file=f"{MESH_FOLDER}/{key}/{key}.glb")
        for key in MESHES
    }
    assets[moths.CARD.id] = moths.CARD
    assets["moth_card"] = Asset(id="moth_card", name="Moth card", primitive="plane", subdivision=8)
    garden = Scene(
        id="garden",
        name="Garden",
        objects=(
            StageObject(id="cliff", name="Terrace cliff", asset="terrace_cliff", wears={"": "pool_depths"}),
            StageObject(
                id="near_post",
                name="Near post",
                asset="lantern_post",
                position=(1.6, -0.4, 1.0),
                rotation=(0.0, -20.0, 0.0),
                wears={"": "last_light", "paper shade": "amber_hour"},
            ),
            StageObject(
                id="far_post",
                name="Far post",
                asset="lantern_post",
                position=(-2.3, 1.4, -0.9),
                rotation=(0.0, 200.0, 0.0),
                wears={"": "last_light", "paper shade": "amber_hour"},
            ),
            StageObject(
                id="basin",
                name="Nectar basin",
                asset="nectar_basin",
                position=(-0.75, -2.44, 3.05),
                wears={"": "weathered_urn", "nectar": "nectar"},
            ),
            StageObject(
                id="urn",
                name="Garden urn",
                asset="garden_urn",
                position=(-1.6, -0.4, 1.1),
                rotation=(0.0, 0.0, 7.0),
                wears={"": "weathered_urn"},
            ),
            StageObject(
                id="banner",
                name="Paper banner",
                asset="paper_banner",
                position=(2.7, 5.8, -2.3),
                rotation=(0.0, 30.0, 0.0),
                wears={"": "last_light", "paper": "fluttering_paper"},
            ),
            StageObject(
                id="moth",
                name="Moth card",
                asset="moth_card",
                position=(-3.6, 3.9, -2.2),
                rotation=(90.0, 20.0, 0.0),
                scale=(0.7, 1.0, 0.5),
                wears={"": "moth_trail"},
            ),
        ),
        view=View(target=(0.0, 1.3, 0.0), yaw=32.0, pitch=12.0, distance=17.0),
        gauge=-2.0,
    )
    others = (basin.basin_scene(), basin.two_nectars_scene(), kettle.tea_scene(), moths.moth_scene())
    scenes = (garden, *others, grotto.grotto_scene())
    picks = {pick.id: pick for pick in (*kettle.picks(), *moths.picks())}
    return changed(project, assets=assets, picks=picks, scenes={scene.id: scene for scene in scenes})


def with_painted_vine(project: Project, folder: Path) -> Project:
    """The demo with the vine's leaves painted to fade, and its bark worn where a node of the bark says so."""
    arch = project.assets["vine_arch"]
    found = look(project, "vine_bark")
    assert found
    camera = camera_for(View(), (1, 1))

    def worn(mesh: Mesh, layers: tuple[ColourLayer, ...]) -> list[ColourLayer]:
        values = wire_at_vertices(found, grotto.WEAR, mesh, placed_inputs(np.eye(4)), camera, {})
        layer = layers[0] if layers else white(mesh, "wear")
        return [filled(filled(layer, mesh, (0.0, 0.0, 0.0, 1.0)), mesh, values, "r")]

    faded, _ = repainted(arch, folder, "leaves", grotto.faded)
    arch, _ = repainted(faded, folder, "stem", worn)
    (folder / faded.layers).unlink()  # nothing has seen it yet
    return with_records(project, arch)


def height_ramp() -> Authoring:
    """Colour that runs up everything by its height in the world."""
    m = Authoring("Height ramp")
    low = m.expose("Low colour", "#2a4d5e", group="Colours", tooltip="At the origin and below")
    high = m.expose("High colour", "#c9b487", group="Colours", tooltip="One spread above the origin, and higher")
    origin = m.expose("Origin", -2.0, limits=(-10, 10), unit="m", group="Height", tooltip="Where the ramp starts")
    spread = m.expose("Spread", 4.0, limits=(0.1, 10), unit="m", group="Height", tooltip="How far the ramp reaches up")
    roughness = m.expose("Roughness", 0.7, limits=(0, 1), group="Finish", tooltip="0 mirrors, 1 is chalky")
    height = m.add("position", space="world").into("separate").y
    rise = m.add("subtract", name="Rise", a=height, b=origin)
    mask = m.add("clamp", name="Height mask", value=rise / spread)
    colour = m.add("mix", name="Ramp colour", a=low, b=high, factor=mask)
    m.add("surface", base_colour=colour, roughness=roughness)
    return m


def moth_trail() -> Authoring:
    """A glow with one of each common mistake planted in it, to be found and mended by what the window says."""
    m = Authoring("Moth trail")
    dust = m.expose("Dust colour", "#e8d24a", group="Colours")
    night = m.expose("Night colour", "#0b1d8c", group="Colours")
    reach = m.expose("Reach", 3.0, limits=(0, 6), unit="m", group="Shape", tooltip="How far up the trail glows")
    glow = m.expose("Glow", 0.8, limits=(0, 1), group="Shape")
    sparkle = m.expose("Sparkle", 0.7, limits=(0, 1), group="Shape")
    height = m.add("position", space="world").into("separate").y
    rise = m.add("clamp", name="Trail", value=height / reach)
    both = m.add("add", name="Both glows", a=glow, b=sparkle)
    tint = m.add("multiply", name="Tint", a=dust, b=night)
    flicker = m.add("formula", name="Flicker", expression="sqrt(height)")
    m.material = connect(m.material, height.ref, f"{flicker.node_id}.height")
    held = m.add("clamp", name="Held again", value=rise)
    body = m.add("mix", name="Body", a=tint, b=dust, factor=held)
    m.add("number", name="Forgotten", value=3.0)
    fine = m.add("position", space="object").into("separate").x.into("multiply", b=26.0)
    m.add(
        "vertex_offset", name="Flutter", offset=m.add("combine", y=m.add("sine", angle=fine).into("multiply", b=0.08))
    )
    m.add("surface", base_colour=body, metallic=both, roughness=flicker)
    return m


def nectar() -> Authoring:
    """What fills the basin: clear where it is shallow, amber where it is deep, with ripples that move."""
    m = Authoring("Nectar")
    shallow = m.expose("Shallow", "#ffe2a055", group="Nectar", tooltip="Where the bowl lies just under")
    deep = m.expose("Deep", "#b5561ef2", group="Nectar")
    strength = m.expose("Depth strength", 2.0, limits=(0, 4), group="Nectar")
    height = m.expose("Ripple height", 0.01, limits=(0, 0.05), unit="m", group="Nectar")
    colour = m.add("mix", name="Nectar colour", a=shallow, b=deep, factor=m.add("depth_mask", strength=strength))
    noise = m.add("perlin_noise_3d", name="Ripples", scale=4.0, movement="over time")
    normal = m.add("height_to_normal", height=m.add("multiply", a=noise, b=height))
    m.add("surface", base_colour=colour, roughness=0.08, normal=normal, alpha_mode="blend")
    return m


def weathered_urn() -> Authoring:
    """Clay in bands of noise, worn bare where red is painted on the mesh, with dust on whatever faces up."""
    m = Authoring("Weathered urn")
    clay = m.expose("Clay", "#7b4a38", group="Clay")
    stain = m.expose("Stain", "#4d5a48", group="Clay")
    bare = m.expose("Bare edge", "#c9a58a", group="Wear")
    wear = m.expose("Wear", 1.0, limits=(0, 3), group="Wear")
    dust = m.expose("Dust", "#cfc4a4", group="Dust")
    start = m.expose("Dust start", 0.55, limits=(-1, 1), group="Dust", tooltip="Lower covers steeper slopes")
    noise = m.add("layered_noise_3d", name="Mottling", scale=2.5)
    layers = m.add("bands", name="Stains", value=noise, threshold_1=0.12, count="2", threshold_2=0.05)
    body = m.add("mix", name="Stained clay", a=clay, b=stain, factor=layers.layer_1)
    painted = m.add("vertex_colour", without=(0.0, 0.0, 0.0, 1.0))
    worn = m.add("channel_mask", name="Worn", colour=painted, amount=wear)
    edged = m.add("mix", name="Worn clay", a=body, b=bare, factor=worn)
    uneven = m.add("add", a=start, b=m.add("multiply", a=noise, b=0.3))
    settled = m.add("up_mask", name="Settled dust", start=uneven, spread=0.3)
    m.add("surface", base_colour=m.add("mix", name="Dusted", a=edged, b=dust, factor=settled), roughness=0.85)
    return m


def fluttering_paper() -> Authoring:
    """Paper that waves in the wind, more the further it hangs down, with a glow that pulses."""
    m = Authoring("Fluttering paper")
    paper = m.expose("Paper", "#e9d8b0", group="Paper")
    glow = m.expose("Glow", "#ff9a3c", group="Glow")
    period = m.expose("Period", 3.0, limits=(0.5, 10), unit="s", group="Glow", tooltip="Longer is slower")
    swing = m.expose("Swing", 0.12, limits=(0, 0.4), unit="m", group="Wind")
    hang = m.add("texture_coordinates").into("separate_2").y
    wave = m.add("wave", name="Wind", period=1.7, phase=m.add("multiply", a=hang, b=-0.9), low=-1.0)
    reach = m.add("multiply", a=m.add("multiply", a=hang, b=swing), b=wave)
    m.add("vertex_offset", offset=m.add("combine", z=reach))
    beat = m.add("pulse", period=period)
    soft = m.add("soft_circle", name="Lamp", centre=(0.5, 0.75), radius=0.02, softness=0.45)
    shine = m.add("multiply_tint", colour=glow, tint=m.add("multiply", a=beat, b=soft))
    m.add("surface", base_colour=paper, roughness=0.9, emissive=shine, emissive_strength=1.2)
    return m
