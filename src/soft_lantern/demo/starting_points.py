"""Small projects to begin with, one for each common job: a graph as an artist builds it, two looks, and a scene."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from pathlib import Path

import platformdirs
from msgspec import Struct

from soft_lantern.demo import basin, kettle, meshes, moths
from soft_lantern.formats.glb import write_glb
from soft_lantern.formats.images import write_png
from soft_lantern.formats.project_folder import IMAGE_FOLDER, MESH_FOLDER
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import (
    Asset,
    Environment,
    Instance,
    Project,
    Scene,
    StageObject,
    View,
    changed,
    with_records,
)
from soft_lantern.graph.instances.values import put_instance
from soft_lantern.graph.recipes import effects
from soft_lantern.scene.mesh import Part
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import Value
from soft_lantern.values.words import free_name

_MESHES: dict[str, Callable[[], list[Part]]] = {
    "terrace_cliff": meshes.terrace_cliff,
    "garden_urn": meshes.garden_urn,
    "stepped_basin": meshes.stepped_basin,
    "basin_stones": meshes.basin_stones,
    "glow_mushroom": kettle.glow_mushroom,
}


class StartingPoint(Struct, frozen=True):
    """A project to begin with: its title, what it is for in a sentence, and what makes its document."""

    key: str
    title: str
    words: str
    make: Callable[[], Project]

    def begin(self, folder: Path) -> Project:
        """Write the project into a folder. Raises BadFile where the disk refuses."""
        project = self.make()
        sprites = moths.sprites()
        for asset in project.assets.values():
            if asset.file:
                write_glb(folder / asset.file, _MESHES[asset.id]())
        for texture in project.textures.values():
            texels = sprites[texture.id] if texture.id in sprites else basin.TEXTURES[texture.id]()
            write_png(texels, folder / texture.file)
        save_project(project, folder)
        return project


Values = Mapping[str, Value]


def height_ramp() -> Project:
    """One colour below a height, another above it, over a cliff and an urn."""
    m = Authoring("Height ramp")
    m.add("surface", base_colour=_end(effects.height_ramp(m)), roughness=m.expose("Roughness", 0.75, limits=(0, 1)))
    looks = _looks(
        m,
        ("Evening", {"low_colour": colour_from_hex("#2b2233"), "high_colour": colour_from_hex("#f0b25a")}),
        ("Morning", {"low_colour": colour_from_hex("#4d6a5e"), "high_colour": colour_from_hex("#f3e6c8")}),
    )
    things = (
        StageObject(id="cliff", name="Terrace cliff", asset="terrace_cliff", wears={"": m.material.id}),
        StageObject(
            id="urn", name="Garden urn", asset="garden_urn", position=(-1.6, -0.4, 1.1), wears={"": m.material.id}
        ),
    )
    scene = Scene(
        id="scene",
        name="Cliff",
        objects=things,
        view=View(target=(0.0, 0.6, 0.0), yaw=32.0, pitch=14.0, distance=11.5),
        gauge=-2.0,
    )
    return _project("Height ramp", (m,), looks, scene)


def clear_water() -> Project:
    """Water that is clear where the floor lies just under and dark where it is deep, with ripples that move."""
    water, stone, rock = basin.plain_nectar("Water"), basin.wet_stone("Wet stone"), basin.wet_stone("Worn rock")
    clear: Values = {"shallow": colour_from_hex("#bfe8dc20"), "deep": colour_from_hex("#0f3a4bf2"), "roughness": 0.04}
    murky: Values = {
        "shallow": colour_from_hex("#a8b07a66"),
        "deep": colour_from_hex("#2c3a22f8"),
        "ripple_strength": 0.1,
    }
    looks = _looks(water, ("Clear water", clear), ("Pond", murky))
    wears = {"": stone.material.id, "nectar": looks[0].id}
    things = (
        StageObject(id="pool", name="Basin", asset="stepped_basin", wears=wears),
        StageObject(id="stones", name="Stones", asset="basin_stones", wears={"": rock.material.id}),
    )
    view = View(target=(0.0, 0.4, 0.0), yaw=-18.0, pitch=30.0, distance=8.2)
    scene = Scene(id="scene", name="Pool", objects=things, view=view, environment=Environment(sky="overcast"))
    return _project("See-through water", (water, stone, rock), looks, scene)


def rim_glow() -> Project:
    """Light along the edges of a shape."""
    m = Authoring("Rim glow")
    body = m.expose("Body colour", "#2f4352", group="Body")
    m.add("surface", base_colour=body, roughness=0.6, emissive=_end(effects.rim_glow(m)))
    looks = _looks(
        m,
        ("Cold rim", {"rim_colour": colour_from_hex("#7fd8ff"), "rim_strength": 1.0}),
        ("Thin rim", {"rim_sharpness": 7.0, "rim_strength": 2.0}),
    )
    things = tuple(
        StageObject(id=f"cap_{n}", name=f"Mushroom {n + 1}", asset="glow_mushroom", position=at, wears={"": worn})
        for n, (at, worn) in enumerate(
            zip(
                ((-0.7, 0.0, 0.1), (0.0, 0.0, -0.2), (0.75, 0.0, 0.15)),
                (m.material.id, looks[0].id, looks[1].id),
                strict=True,
            )
        )
    )
    view = View(target=(0.0, 0.4, 0.0), yaw=12.0, pitch=10.0, distance=2.5)
    scene = Scene(id="scene", name="Glade", objects=things, view=view, environment=Environment(sky="dusk"))
    return _project("Rim glow", (m,), looks, scene)


def layered_details() -> Project:
    """Three detail textures over a base, each where one channel of a mask says so."""
    m = basin.mossy_urn()
    looks = _looks(
        m,
        ("Overgrown", {"moss_start": -0.2, "moss": colour_from_hex("#3d5a22")}),
        ("Scrubbed", {"moss_start": 0.95, "clay": colour_from_hex("#9a6248")}),
    )
    things = tuple(
        StageObject(id=f"urn_{n}", name=f"Urn {n + 1}", asset="garden_urn", position=(1.5 * n - 0.75, 0.0, 0.0),
                    rotation=(0.0, 40.0 * n, 0.0), wears={"": m.material.id})
        for n in range(2)
    )  # fmt: skip
    view = View(target=(0.0, 0.6, 0.0), yaw=20.0, pitch=12.0, distance=3.7)
    return _project("Layered details", (m,), looks, Scene(id="scene", name="Urns", objects=things, view=view))


def noise_terrain() -> Project:
    """A plane raised by layered noise, and coloured by the height and the slope that come of it."""
    m = Authoring("Terrain")
    scale = m.expose("Hills", 0.3, limits=(0.05, 2), group="Land", tooltip="How many in a metre")
    high = m.expose("Height", 1.5, limits=(0, 4), unit="m", group="Land")
    noise = m.add("layered_noise_3d", name="Land", at=m.add("position", space="world"), scale=scale)
    m.add("vertex_offset", offset=m.add("combine", y=m.add("multiply", name="Raised", a=noise, b=high)))
    shore, grass, rock = (
        m.expose(name, text, group="Colours")
        for name, text in (("Shore", "#c9b78a"), ("Grass", "#5f7a45"), ("Rock", "#7d7468"))
    )
    level = m.expose("Grass from", 0.85, limits=(-2, 2), unit="m", group="Colours")
    world = m.add("position", space="world").into("separate").y
    risen = m.add("height_mask", name="Above the shore", height=world, origin=level, spread=0.25)
    flat = m.add("up_mask", name="Flat ground", start=m.expose("Rock below", 0.8, limits=(0, 1)), spread=0.12)
    low = m.add("mix", name="Shore and grass", a=shore, b=grass, factor=risen)
    m.add("surface", base_colour=m.add("mix", name="With rock", a=rock, b=low, factor=flat), roughness=0.95)
    snow = {
        "shore": colour_from_hex("#8fa3ad"),
        "grass": colour_from_hex("#f1f4f5"),
        "rock": colour_from_hex("#5a5f66"),
    }
    looks = _looks(m, ("Winter", snow), ("Dunes", {"hills": 0.18, "height": 0.7, "grass": colour_from_hex("#d8c38f")}))
    land = Asset(id="land", name="Land", primitive="plane", subdivision=160)
    thing = StageObject(
        id="land", name="Land", asset="land", position=(0.0, 1.0, 0.0), scale=(4.0, 1.0, 4.0), wears={"": m.material.id}
    )
    view = View(target=(0.0, 0.2, 0.0), yaw=35.0, pitch=22.0, distance=9.5)
    scene = Scene(id="scene", name="Land", objects=(thing,), view=view)
    return _project("Terrain by noise", (m,), looks, scene, land)


def swap_sprite() -> Project:
    """Sprites of indices that take their colours from a palette, which a look may swap."""
    m = moths.moth_sprite()
    looks = [each for each in moths.instances() if each.id in ("moth_fern_moth", "moth_ember_moth")]
    things = tuple(
        StageObject(id=f"moth_{n}", name=f"Moth {n + 1}", asset=moths.CARD.id, position=(1.3 * n - 1.3, 0.0, 0.0),
                    scale=(0.55, 0.55, 0.55), wears={"": worn})
        for n, worn in enumerate((m.material.id, *(each.id for each in looks)))
    )  # fmt: skip
    view = View(target=(0.0, 0.0, 0.0), yaw=0.0, pitch=0.0, distance=4.1)
    scene = Scene(id="scene", name="Moths", objects=things, view=view, environment=Environment(sky="dusk"))
    palettes = {each.id: each for each in moths.palettes()}
    gradients = {moths.EMBERS.id: moths.EMBERS}
    made = _project("Sprite with palettes", (m,), looks, scene, moths.CARD)
    return changed(made, palettes=palettes, gradients=gradients)


def ten_minutes() -> Project:
    """What the tour begins with: a cliff, and a graph that has nothing but its end."""
    m = Authoring("Ramp")
    m.add("surface")
    thing = StageObject(id="cliff", name="Terrace cliff", asset="terrace_cliff", wears={"": m.material.id})
    view = View(target=(0.0, 0.6, 0.0), yaw=32.0, pitch=14.0, distance=14.0)
    return _project("Ten minutes", (m,), (), Scene(id="scene", name="Cliff", objects=(thing,), view=view))


def own_tour() -> Path:
    """A new folder of a person's own with what the tour begins with. Raises BadFile where the disk refuses."""
    folder = unused_folder(platformdirs.user_data_path("soft-lantern"), TOUR.title)
    TOUR.begin(folder)
    return folder


def unused_folder(home: Path, title: str) -> Path:
    """A folder of that name which nothing has yet, numbered where need be."""
    there = {each.name for each in home.iterdir()} if home.is_dir() else set()
    return home / free_name(title, there)


def _end(of: Wire | dict[str, Wire]) -> Wire:
    """What a recipe of one end ends in."""
    assert isinstance(of, Wire)
    return of


def _looks(m: Authoring, *named: tuple[str, Values]) -> list[Instance]:
    return [
        Instance(id=name.lower().replace(" ", "_"), name=name, parent=m.material.id, values=dict(values))
        for name, values in named
    ]


def _project(
    name: str, materials: Iterable[Authoring], looks: Iterable[Instance], scene: Scene, *assets: Asset
) -> Project:
    """A project of these, with the meshes and textures that they name."""
    project = Project(name=name)
    for written in materials:
        project = written.into_project(project)
    for look in looks:
        project = put_instance(project, look)
    own = {each.id for each in assets}
    named = dict.fromkeys(thing.asset for thing in scene.objects if thing.asset not in own)
    found = [
        Asset(id=key, name=key.replace("_", " ").capitalize(), file=f"{MESH_FOLDER}/{key}/{key}.glb") for key in named
    ]
    held = {value for m in project.materials.values() for node in m.nodes.values() for value in node.values.values()}
    held |= {p.default for m in project.materials.values() for p in m.parameters}
    records = basin.texture_records(IMAGE_FOLDER) | moths.sprite_records(IMAGE_FOLDER)
    textures = {key: each for key, each in records.items() if key in held}
    return with_records(changed(project, textures=textures), *assets, *found, scene)


POINTS = {
    point.key: point
    for point in (
        StartingPoint(
            "height_ramp", "Height ramp on a prop", "Two colours, blended by height in the world", height_ramp
        ),
        StartingPoint(
            "clear_water", "See-through water", "Clear where it is shallow, dark where it is deep", clear_water
        ),
        StartingPoint("rim_glow", "Rim glow", "Light along the edges of a shape", rim_glow),
        StartingPoint(
            "layered_details", "Layered details by mask", "Three textures, each where a mask says", layered_details
        ),
        StartingPoint("noise_terrain", "Terrain by noise", "Land raised by noise, coloured by slope", noise_terrain),
        StartingPoint(
            "swap_sprite", "Sprite with swap palettes", "Indices that take their colours from a palette", swap_sprite
        ),
    )
}
"""By their keys, in the order in which they are offered."""
TOUR = StartingPoint("ten_minutes", "Ten minutes", "A first graph, from nothing to a delivery", ten_minutes)
