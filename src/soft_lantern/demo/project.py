"""Writes the demo project into a folder."""

from __future__ import annotations

from pathlib import Path

from soft_lantern.demo.meshes import lantern_post, terrace_cliff
from soft_lantern.formats.gltf import write_glb
from soft_lantern.formats.project_folder import MESH_FOLDER, save_project
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Instance, Project, Scene, StageObject, View, changed
from soft_lantern.graph.edits import connect
from soft_lantern.graph.instances import put_instance
from soft_lantern.values.colour import colour_from_hex

NAME = "Mothlight Terraces"


def write_demo(folder: Path) -> Project:
    """Make the demo project in a folder: its meshes as glTF files, one ramp material, three instances, one scene."""
    write_glb(folder / MESH_FOLDER / "terrace_cliff" / "terrace_cliff.glb", terrace_cliff())
    write_glb(folder / MESH_FOLDER / "lantern_post" / "lantern_post.glb", lantern_post())
    project = demo_project()
    save_project(project, folder)
    return project


def demo_project() -> Project:
    """The demo's document."""
    project = moth_trail().into_project(height_ramp().into_project(Project(name=NAME)))
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
    ):
        project = put_instance(project, instance)
    assets = {
        "terrace_cliff": ("Terrace cliff", "meshes/terrace_cliff/terrace_cliff.glb"),
        "lantern_post": ("Lantern post", "meshes/lantern_post/lantern_post.glb"),
    }
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
        ),
        view=View(target=(0.0, 1.3, 0.0), yaw=32.0, pitch=12.0, distance=17.0),
        gauge=-2.0,
    )
    return changed(
        project,
        assets={key: Asset(id=key, name=name, file=file) for key, (name, file) in assets.items()},
        scenes={garden.id: garden},
    )


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
    m.add("surface", base_colour=body, metallic=both, roughness=flicker)
    return m
