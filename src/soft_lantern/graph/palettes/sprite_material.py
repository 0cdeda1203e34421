"""A material for sprites that hold indices, and a card that wears it, without a graph being touched by hand."""

from __future__ import annotations

from soft_lantern.errors import BadEdit
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Asset, Project, StageObject, Texture, changed, with_records
from soft_lantern.graph.palettes.swap_sets import base_of, sprites_of
from soft_lantern.graph.scenes import edited_scene
from soft_lantern.values.kinds import Kind
from soft_lantern.values.words import free_name

CARD = Asset(id="sprite_card", name="Sprite card", primitive="card")


def with_sprite_material(project: Project, palette_id: str, texture: Texture, material_id: str) -> Project:
    """The project with a material that shows a sprite of indices in a palette: unlit, cut out where it is clear.

    Its parameters are the sprite and the palette, which instances swap. Raises BadEdit where the palette is gone.
    """
    base = base_of(project, palette_id)
    if base is None:
        raise BadEdit("that palette is gone")
    taken = {material.name for material in project.materials.values()}
    m = Authoring(free_name(f"{texture.name} sprite", taken), material_id)
    sprite = m.expose_texture("Sprite", texture.id, group="Sprite", tooltip="An image of indices into the palette")
    palette = m.expose("Palette", palette_id, kind=Kind.PALETTE, group="Sprite")
    index = m.add("index_texture", texture=sprite)
    colour = m.add("palette_lookup", name="Sprite colour", index=index, palette=palette)
    m.add("unlit_surface", colour=colour, alpha_mode="mask", double_sided="yes")
    return m.into_project(with_records(project, texture))


def ready_material(project: Project, palette_id: str, material_id: str) -> Project:
    """The same for the first sprite of a palette. Raises BadEdit where it has none."""
    sprites = sprites_of(project, palette_id)
    if not sprites:
        raise BadEdit("no material shows these palettes, and they have no sprite: add one first")
    return with_sprite_material(project, palette_id, sprites[0], material_id)


def with_card(
    project: Project, scene_id: str, look_id: str, object_id: str, name: str, *, ratio: float = 1.0
) -> Project:
    """The project with a flat card standing in a scene beside what is there, wearing a look.

    `ratio`: the width of what it shows by its height.
    """
    card = next((a for a in project.assets.values() if a.primitive == "card"), CARD)
    scene = project.scenes.get(scene_id)
    edges = (thing.position[0] + thing.scale[0] for thing in (scene.objects if scene else ()))
    right = max((edge + ratio + 0.2 for edge in edges), default=0.0)
    thing = StageObject(
        id=object_id,
        name=name,
        asset=card.id,
        position=(right, 0.0, 0.0),
        scale=(ratio, 1.0, 1.0),
        wears={"": look_id},
    )
    placed = edited_scene(project, scene_id, lambda s: changed(s, objects=(*s.objects, thing)))
    return placed if card.id in placed.assets else with_records(placed, card)
